"""What in a market's data looks wrong: kinds of findings, each told of an instrument and a day, none of them changed by itself.

The thresholds are common practice of data vendors' checks, chosen so that sound instruments are left in peace; docs/data.md gives the rates
at which planted faults are found and sound instruments accused.
"""

from collections.abc import Callable, Iterator
from dataclasses import dataclass, field

import numpy as np

from wickcore.bars.bars import Bars, Bools, Floats, Ints
from wickcore.bars.factor import factor_of_events
from wickcore.bars.market import Market
from wickcore.bars.moment import iso

RATIOS = (2.0, 3.0, 4.0, 5.0, 6.0, 8.0, 10.0, 15.0, 20.0, 25.0, 50.0, 100.0)
SPLIT_NEAR = 0.08  # how far the jump's logarithm may lie from a ratio's, the night's own move in it
SPLIT_LEAST = 9.0  # times the usual day's move
STILL = 5  # bars in a row whose four prices are one and the same
SPIKE, SPIKE_LEAST, BACK = 15.0, 0.25, 0.25  # times the usual move, least, and the share of the move that may stay
MISSING_SHARE = 0.5  # of the instruments that trade then have a bar on what counts as a session
IDLE = 0.05  # who lacks more of its sessions trades thinly, and is not accused
APART = 0.002  # by which five-minute bars may miss the open or close of their day
STEP_APART = 0.005  # by which a step of the adjusted close may miss that of recorded splits and dividends
MEMBER_WITHOUT = 10  # days a member may go on without bars
RENAMED = 2.0  # usual day's moves by which the first open under a new symbol may lie from the last close under the former
MOST = 400  # findings of a kind and instrument


@dataclass(frozen=True, slots=True)
class Finding:
    """kind: one of KINDS. day: where it begins, since 1970. until: its last day. said: what was found, in a sentence's end. ratio: new shares
    for one old, where it looks like a split. former: the symbol that ended, where this one looks like its new name."""

    kind: str
    symbol: str
    day: int
    until: int
    said: str
    ratio: float | None = None
    former: str = ""


KINDS = {
    "missing": "Sessions missing that the market had",
    "split": "Moves that look like an unrecorded split",
    "spike": "Prices far from those before and after",
    "impossible": "Prices that cannot be",
    "still": "Days that stand still",
    "volume": "Days without volume",
    "adjusted": "Adjusted closes that disagree with splits and dividends",
    "within": "Five-minute bars that do not add up to their day",
    "renamed": "Symbols that look like new names of others",
    "gone": "Delisted names that go on",
    "member": "Membership without bars",
}


@dataclass(frozen=True, slots=True)
class Recorded:
    """Splits and dividends as stored, by symbol: (day, ratio or money a share), ascending."""

    splits: dict[str, list[tuple[int, float]]] = field(default_factory=dict)
    dividends: dict[str, list[tuple[int, float]]] = field(default_factory=dict)


def findings(market: Market, recorded: Recorded, tell: Callable[[float], None] = lambda share: None) -> list[Finding]:
    """Everything that looks wrong, by kind, symbol and day. tell: told the share done, and may raise to end it."""
    bars = market.bars
    held = sessions_held(bars)
    found: list[Finding] = []
    for k, symbol in enumerate(bars.symbols):
        if k % 50 == 0:
            tell(k / max(1, len(bars.symbols)))
        rows = slice(int(bars.offsets[k]), int(bars.offsets[k + 1]))
        one = _One(symbol, rows, bars, recorded.splits.get(symbol, []), recorded.dividends.get(symbol, []))
        for check in (_missing, _splits, _spikes, _impossible, _still, _volume, _adjusted):
            found += list(check(one, held))[:MOST]
        found += list(_gone(one, market, k))
    found += _within(market)
    found += _members(market)
    found += _renamed(market)
    return sorted(found, key=lambda f: (list(KINDS).index(f.kind), f.symbol, f.day))


@dataclass(frozen=True, slots=True)
class _One:
    """One instrument's daily bars."""

    symbol: str
    rows: slice
    bars: Bars
    splits: list[tuple[int, float]]
    dividends: list[tuple[int, float]]

    def column(self, name: str) -> Floats:
        found: Floats = getattr(self.bars, name)[self.rows]
        return found

    @property
    def days(self) -> Ints:
        return self.bars.days[self.rows].astype(np.int64)

    def scaled(self, name: str) -> Floats:
        return self.column(name) * self.bars.factor[self.rows]


def sessions_held(bars: Bars) -> Bools:
    """Of each session whether it was one: enough of the instruments that had begun and had not ended had a bar."""
    count = np.bincount(bars.session, minlength=len(bars.sessions))
    some = np.flatnonzero(np.diff(bars.offsets) > 0)
    alive = np.zeros(len(bars.sessions) + 1, np.int64)
    np.add.at(alive, bars.session[bars.offsets[:-1][some]], 1)
    np.add.at(alive, bars.session[bars.offsets[1:][some] - 1] + 1, -1)
    return np.asarray(count >= MISSING_SHARE * np.cumsum(alive)[:-1])


def _missing(one: _One, held: Bools) -> Iterator[Finding]:
    session = one.bars.session[one.rows]
    if len(session) < 2:
        return
    expected = np.flatnonzero(held[session[0] : session[-1] + 1]) + session[0]
    lacking = np.setdiff1d(expected, session)
    if not len(lacking) or len(lacking) > IDLE * len(expected):
        return
    for run in np.split(lacking, np.flatnonzero(np.diff(np.searchsorted(expected, lacking)) != 1) + 1):
        first, last = (int(one.bars.sessions[i]) for i in (run[0], run[-1]))
        yield Finding("missing", one.symbol, first, last, _sessions(len(run)) + " that the market had")


def _sessions(count: int) -> str:
    return f"{count} session{'' if count == 1 else 's'}"


def _usual(moves: Floats) -> float:
    """The usual day's move: the median of those that are none of a day that stood still, at least half a percent."""
    moved = np.abs(moves[moves != 0])
    return max(0.005, float(np.median(moved)) if len(moved) else 0.005)


def _splits(one: _One, held: Bools) -> Iterator[Finding]:
    open_, close = one.scaled("open"), one.scaled("close")
    if len(close) < 3 or (open_ <= 0).any() or (close <= 0).any():
        return
    night, day = np.log(open_[1:] / close[:-1]), np.log(close[1:] / close[:-1])
    usual = _usual(day)
    for t in np.flatnonzero(np.abs(night) > max(0.55, SPLIT_LEAST * usual)).tolist():
        size = abs(float(night[t]))
        ratio = min(RATIOS, key=lambda r: abs(np.log(r) - size))
        stays = abs(abs(float(day[t])) - size) < 0.25 * size
        # A price that comes back the next day was no split, nor is its coming back.
        back = any(0 <= i < len(day) and abs(float(day[t] + day[i])) < BACK * size for i in (t - 1, t + 1))
        if abs(np.log(ratio) - size) <= SPLIT_NEAR and stays and not back:
            new = ratio if night[t] < 0 else 1 / ratio
            said = f"{ratio:g} for 1" if night[t] < 0 else f"1 for {ratio:g}"
            printed = f"from {one.column('close')[t]:,.2f} to {one.column('open')[t + 1]:,.2f}, near a split of {said}"
            yield Finding("split", one.symbol, int(one.days[t + 1]), int(one.days[t + 1]), printed, float(new))


def _spikes(one: _One, held: Bools) -> Iterator[Finding]:
    close = one.scaled("close")
    if len(close) < 5 or (close <= 0).any():
        return
    moves = np.diff(np.log(close))
    limit = max(SPIKE_LEAST, SPIKE * _usual(moves))
    away, back = moves[:-1], moves[1:]
    hit = (np.abs(away) > limit) & (np.abs(away + back) < BACK * np.abs(away))
    for t in np.flatnonzero(hit).tolist():
        before, here, after = (f"{one.column('close')[i]:,.2f}" for i in (t, t + 1, t + 2))
        said = f"a close of {here} between {before} and {after}"
        yield Finding("spike", one.symbol, int(one.days[t + 1]), int(one.days[t + 1]), said)


def _impossible(one: _One, held: Bools) -> Iterator[Finding]:
    open_, high, low, close = (one.column(n) for n in ("open", "high", "low", "close"))
    wrong = (high < np.maximum(open_, close)) | (low > np.minimum(open_, close)) | (low <= 0)
    for t in np.flatnonzero(wrong).tolist():
        said = f"open {open_[t]:g}, high {high[t]:g}, low {low[t]:g}, close {close[t]:g}"
        yield Finding("impossible", one.symbol, int(one.days[t]), int(one.days[t]), said)


def _still(one: _One, held: Bools) -> Iterator[Finding]:
    open_, high, low, close = (one.column(n) for n in ("open", "high", "low", "close"))
    flat = (open_ == high) & (high == low) & (low == close)
    same = flat.copy()
    same[1:] &= close[1:] == close[:-1]
    for first, last in _runs(same):
        if last - first + 1 >= STILL:
            yield Finding(
                "still", one.symbol, int(one.days[first]), int(one.days[last]), f"{last - first + 1} bars at {close[first]:,.2f}"
            )


def _volume(one: _One, held: Bools) -> Iterator[Finding]:
    volume = one.column("volume")
    none = volume <= 0
    if not none.any() or none.mean() > IDLE:
        return
    for first, last in _runs(none):
        yield Finding(
            "volume", one.symbol, int(one.days[first]), int(one.days[last]), f"{_sessions(last - first + 1)} without volume"
        )


def _adjusted(one: _One, held: Bools) -> Iterator[Finding]:
    if not (one.splits or one.dividends) or len(one.days) < 2:
        return
    own = one.bars.factor[one.rows]
    told = np.asarray(factor_of_events(one.days, one.column("close"), one.splits, one.dividends))
    steps, wanted = own[1:] / own[:-1], told[1:] / told[:-1]
    for t in np.flatnonzero(np.abs(steps / wanted - 1) > STEP_APART).tolist():
        said = f"its adjusted closes step by {steps[t]:.4g} and what is recorded by {wanted[t]:.4g}"
        yield Finding("adjusted", one.symbol, int(one.days[t + 1]), int(one.days[t + 1]), said)


def _gone(one: _One, market: Market, k: int) -> Iterator[Finding]:
    if not len(market.delisted) or market.delisted[k] < 0:
        return
    later = one.days[one.days > market.delisted[k]]
    if len(later):
        said = f"{len(later)} bar{'' if len(later) == 1 else 's'} after {iso(int(market.delisted[k]))}, its last day"
        yield Finding("gone", one.symbol, int(later[0]), int(later[-1]), said)


def _runs(true: Bools) -> Iterator[tuple[int, int]]:
    """First and last place of each run of what is true."""
    edges = np.flatnonzero(np.diff(np.concatenate([[0], true.astype(np.int8), [0]])))
    yield from zip(edges[::2].tolist(), (edges[1::2] - 1).tolist(), strict=True)


def _within(market: Market) -> Iterator[Finding]:
    """Sessions whose five-minute bars say other than their own bar."""
    if market.finest == "day" or not any(t.frame == "day" for t in market.tables):
        return
    inner, daily = market.table("5min"), market.bars
    if not len(inner):
        return
    new = np.append(True, (np.diff(inner.days) != 0) | (np.diff(inner.owner) != 0))
    begins = np.flatnonzero(new)
    ends = np.append(begins[1:], len(inner)) - 1
    key = inner.owner[begins].astype(np.int64) * 1_000_000 + inner.days[begins]
    ours = daily.owner.astype(np.int64) * 1_000_000 + daily.days
    at = np.searchsorted(ours, key)
    there = (at < len(ours)) & (ours[np.minimum(at, len(ours) - 1)] == key)
    at = np.minimum(at, max(len(ours) - 1, 0))
    high, low = np.maximum.reduceat(inner.high, begins), np.minimum.reduceat(inner.low, begins)
    volume = np.add.reduceat(inner.volume, begins)
    # A session of which some bars are missing says less than its day, which is no fault of what it says.
    beyond = (high > daily.high[at] * (1 + 1e-9)) | (low < daily.low[at] * (1 - 1e-9)) | (volume > daily.volume[at] * 1.02 + 1)
    whole = inner.minute[ends] + 5 >= inner.calendar.closes if inner.minute is not None else np.ones(len(ends), np.bool_)
    apart = whole & (np.abs(inner.close[ends] / daily.close[at] - 1) > APART)
    starts = inner.minute[begins] <= inner.calendar.opens if inner.minute is not None else np.ones(len(begins), np.bool_)
    apart |= starts & (np.abs(inner.open[begins] / daily.open[at] - 1) > APART)
    count: dict[str, int] = {}
    for i in np.flatnonzero(there & (beyond | apart)).tolist():
        symbol, day = inner.symbols[int(inner.owner[begins[i]])], int(inner.days[begins[i]])
        count[symbol] = count.get(symbol, 0) + 1
        if count[symbol] <= MOST:
            made = f"{inner.open[begins[i]]:g} {high[i]:g} {low[i]:g} {inner.close[ends[i]]:g}"
            own = f"{daily.open[at[i]]:g} {daily.high[at[i]]:g} {daily.low[at[i]]:g} {daily.close[at[i]]:g}"
            more = (
                f", and {volume[i]:,.0f} shares of {daily.volume[at[i]]:,.0f}" if volume[i] > daily.volume[at[i]] * 1.02 + 1 else ""
            )
            yield Finding("within", symbol, day, day, f"they make {made} and the day says {own}{more}")


def _members(market: Market) -> Iterator[Finding]:
    """Members of a universe that have no bars, or go on belonging after their last."""
    bars = market.bars
    for name, rows in market.universes.items():
        for k, first, last in zip(rows.instrument.tolist(), rows.first.tolist(), rows.last.tolist(), strict=True):
            part = bars.days[bars.offsets[k] : bars.offsets[k + 1]]
            until = min(last, bars.last_day)
            inside = part[(part >= first) & (part <= until)]
            symbol = bars.symbols[k]
            if first > bars.last_day:
                continue
            if not len(inside):
                yield Finding("member", symbol, first, until, f"a member of {name} without a bar in that time")
            elif until - int(inside[-1]) > MEMBER_WITHOUT:
                yield Finding("member", symbol, int(inside[-1]) + 1, until, f"a member of {name} after its last bar")
            elif int(inside[0]) - first > MEMBER_WITHOUT and int(part[0]) > first:
                yield Finding("member", symbol, first, int(inside[0]) - 1, f"a member of {name} before its first bar")


def _renamed(market: Market) -> Iterator[Finding]:
    """Symbols that begin on the session after another ended, of which nobody said why, at about its price."""
    bars = market.bars
    some = np.flatnonzero(np.diff(bars.offsets) > 0)
    first, last = bars.offsets[:-1][some], bars.offsets[1:][some] - 1
    unexplained = np.ones(len(some), np.bool_) if not len(market.delisted) else market.delisted[some] < 0
    for k, at in zip(some.tolist(), first.tolist(), strict=True):
        ended = np.flatnonzero((bars.session[last] == bars.session[at] - 1) & unexplained & (last - first >= STILL))
        for other, end in zip(some[ended].tolist(), last[ended].tolist(), strict=True):
            part = slice(int(bars.offsets[other]), end + 1)
            closes = bars.close[part] * bars.factor[part]
            before, now = float(bars.close[end]), float(bars.open[at])
            if now > 0 and (closes > 0).all() and abs(np.log(now / before)) <= RENAMED * _usual(np.diff(np.log(closes))):
                said = f"begins at {now:,.2f} on the session after {bars.symbols[other]} ended at {before:,.2f}"
                day = int(bars.days[at])
                yield Finding("renamed", bars.symbols[k], day, day, said, former=bars.symbols[other])
