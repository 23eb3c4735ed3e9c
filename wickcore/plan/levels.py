"""A plan for one instrument: where to enter, where to be wrong, where to take something off; how much, and what speaks against it.

Prices are as printed on the day stood on. Everything is mirrored for shorts.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np

from wickcore.bars.bars import Floats, Ints
from wickcore.bars.moment import Moment
from wickcore.language.check import check_expression
from wickcore.scan.evaluate import Evaluator, Limits
from wickcore.scan.patterns import drawn, of_all
from wickcore.trade import defaults
from wickcore.trade.sizing import shares_at_risk, shares_for

Side = Literal["long", "short"]
LOOKED = 250  # bars back in which levels are looked for
TOUCHES, NEAR = 3, 0.5  # a level is so many turning points within so much of an ATR
WIDE = 2.0  # times the ATR, where there is no swing to stand under
CLOSEST, FARTHEST = 0.5, 3.0  # a stop nearer or farther than so many ATR is warned of
WORTH, TOGETHER = 1.5, 0.7  # R of a target; correlation
SESSIONS_TOGETHER = 63
TICK = 0.01
EARLY = 0.2  # ATR before an entry
REACH = 3.0  # ATR from the close within which the trigger of a pattern is an entry


@dataclass(frozen=True, slots=True)
class Proposal:
    """entry, stop, target with the reason of each. target: None where there is no level and no width to measure. atr: of 14 days."""

    side: Side
    close: float
    entry: float
    entry_why: str
    stop: float
    stop_why: str
    target: float | None
    target_why: str
    atr: float


@dataclass(frozen=True, slots=True)
class Choice:
    """Another place for a level. level: entry, stop or target."""

    level: Literal["entry", "stop", "target"]
    price: float
    why: str


@dataclass(frozen=True, slots=True)
class Account:
    """money: the account's. risk: the share that one trade may lose. most: the share one position may take. of_day: the share of a usual
    day's money that it may take. sector: the share that one sector may take. open_risk: the share that all together may lose. cost: a fraction a
    side."""

    money: float = 100_000.0
    risk: float = defaults.RISK
    most: float = defaults.MOST_OF_ACCOUNT
    of_day: float = defaults.MOST_OF_DAY
    sector: float = defaults.MOST_OF_SECTOR
    open_risk: float = defaults.OPEN_RISK
    cost: float = defaults.COST


@dataclass(frozen=True, slots=True)
class Sized:
    """shares: whole. limit: what set them: risk, account or liquidity. money, share: what they cost, and of the account. lost: what the stop
    costs, lost_share of the account. of_day: of a usual day's money, None where that is unknown. rs: of each target."""

    shares: int
    limit: str
    money: float
    share: float
    lost: float
    lost_share: float
    of_day: float | None
    rs: tuple[float, ...]


def propose(
    evaluator: Evaluator, symbol: str, at: int | Moment, side: Side = "long", limits: Limits | None = None
) -> Proposal | None:
    """A plan from the bars up to a session: entry a tick over the last bar's high, stop a tick under the last swing low (two ATR under the
    entry where that lies above it), target at the nearest level over the entry that prices turned at three times, else twice the risk. None
    where there are no bars or no ATR yet."""
    engine = evaluator.on("day")
    bars = engine.bars
    k = bars.number[symbol]
    begin, end = int(bars.offsets[k]), int(bars.ends(at)[k])
    if end <= begin:
        return None
    words = ("atr(14)", "swing_low(3)" if side == "long" else "swing_high(3)")
    atr_row, swing_row = (row[: end - begin] for row in engine.rows([check_expression(w).op for w in words], symbol, limits))
    scale = float(bars.factor[end - 1])
    atr, swing = float(atr_row[-1]) / scale, float(swing_row[-1]) / scale
    if math.isnan(atr) or atr <= 0:
        return None
    up = 1 if side == "long" else -1
    part = slice(max(begin, end - LOOKED), end)
    high, low = (getattr(bars, n)[part] * bars.factor[part] / scale for n in ("high", "low"))
    last = float(high[-1] if up > 0 else low[-1])
    entry = round(last + up * TICK, 2)
    stop, stop_why = (
        round(swing - up * TICK, 2),
        f"a tick {'under' if up > 0 else 'over'} the last swing {'low' if up > 0 else 'high'}",
    )
    if math.isnan(swing) or (entry - stop) * up <= 0:
        stop, stop_why = round(entry - up * WIDE * atr, 2), f"{WIDE:g} ATR {'under' if up > 0 else 'over'} the entry"
    level = nearest_level(high, low, entry, atr, up)
    if level is not None:
        target, target_why = round(level[0], 2), f"prices turned there {level[1]} times"
    else:
        target, target_why = round(entry + 2 * (entry - stop), 2), "twice the risk: no level lies ahead"
    close = float(bars.close[end - 1])
    why = f"a tick {'over the last bar’s high' if up > 0 else 'under the last bar’s low'}"
    return Proposal(side, close, entry, why, stop, stop_why, target if target > 0 else None, target_why, atr)


def choices(evaluator: Evaluator, symbol: str, at: int | Moment, proposal: Proposal, limits: Limits | None = None) -> list[Choice]:
    """Other places for the levels: what the patterns that are forming on the daily chart trigger at, are void at and aim for (their measured
    move), and stops of so many ATR. Each with its reason; none on the wrong side of the proposed entry, or of the close."""
    engine = evaluator.on("day")
    bars, k = engine.bars, engine.bars.number[symbol]
    begin, end = int(bars.offsets[k]), int(bars.ends(at)[k])
    up, scale = 1 if proposal.side == "long" else -1, float(bars.factor[end - 1])
    found = []
    for one in drawn(engine, of_all("day"), symbol, end - 1 - begin, every=True, limits=limits):
        if one.state != "forming" or one.left or one.down != (up < 0):
            continue
        name = one.name.replace("_", " ")
        trigger, invalid, target = (round(level / scale, 2) for level in (one.trigger, one.invalid, one.target))
        if (trigger - proposal.close) * up > 0 and abs(trigger - proposal.close) <= REACH * proposal.atr:
            found.append(Choice("entry", round(trigger + up * TICK, 2), f"a tick beyond the trigger of the {name}"))
            found.append(Choice("target", target, f"the measured move of the {name}"))
        found.append(Choice("stop", invalid, f"where the {name} fails"))
    for many in (1.0, WIDE, FARTHEST):
        found.append(Choice("stop", round(proposal.entry - up * many * proposal.atr, 2), f"{many:g} ATR from the entry"))
    own = {"entry": proposal.entry, "stop": proposal.stop, "target": proposal.target}
    fit = [
        c
        for c in found
        if c.price > 0
        and c.price != own[c.level]
        and (c.level == "entry" or (c.price - proposal.entry) * up * (1 if c.level == "target" else -1) > 0)
    ]
    return list({(c.level, c.price): c for c in reversed(fit)}.values())[::-1]


def nearest_level(high: Floats, low: Floats, entry: float, atr: float, up: int) -> tuple[float, int] | None:
    """The nearest price beyond the entry, an ATR away at least, near which prices turned three times or more: the mean of the turning points
    within half an ATR of one of them, and how many they are. high, low: bars up to now, on one scale."""
    turns = np.concatenate([high[_turns(high)], low[_turns(-low)]])
    ahead = np.sort(turns[(turns - entry) * up >= atr])
    if up < 0:
        ahead = ahead[::-1]
    for price in ahead.tolist():
        near = turns[np.abs(turns - price) <= NEAR * atr]
        mean = float(near.mean())
        if len(near) >= TOUCHES and (mean - entry) * up >= atr:
            return mean, len(near)
    return None


def _turns(x: Floats, k: int = 3) -> Ints:
    """Bars higher than the k before and the k after them: known k bars later, and all these bars are past."""
    if len(x) < 2 * k + 1:
        return np.empty(0, np.int64)
    windows = np.lib.stride_tricks.sliding_window_view(x, 2 * k + 1)
    middle = windows[:, k]
    others = np.delete(windows, k, axis=1).max(axis=1)
    return np.flatnonzero(middle > others) + k


def sized(account: Account, side: Side, entry: float, stop: float, targets: Sequence[float], day_money: float | None) -> Sized:
    """How many shares the risk allows: the share of the account that may be lost over what a share loses at the stop, in whole shares; fewer
    where they would take more of the account or of a usual day's money than may be. Raises ValueError for a stop or a target on the wrong
    side."""
    up = 1 if side == "long" else -1
    risk = (entry - stop) * up
    if not entry > 0 or risk <= 0:
        raise ValueError(
            f"The stop of a {side} lies {'under' if up > 0 else 'over'} its entry; {stop:g} does not lie so of {entry:g}."
        )
    behind = [target for target in targets if (target - entry) * up <= 0]
    if behind:
        raise ValueError(
            f"The target of a {side} lies {'over' if up > 0 else 'under'} its entry; {behind[0]:g} does not lie so of {entry:g}."
        )
    room = {
        "risk": shares_at_risk(account.money, account.risk, risk) * entry,
        "account": account.money * account.most,
        **({"liquidity": day_money * account.of_day} if day_money is not None else {}),
    }
    limit = min(room, key=lambda name: room[name])
    shares = int(shares_for(room[limit], entry, 0.0, 0.0, False))  # before costs, as a trader counts it by hand
    money, lost = shares * entry, shares * risk
    of_day = None if not day_money else money / day_money
    rs = tuple((target - entry) * up / risk for target in targets)
    return Sized(shares, limit, money, money / account.money, lost, lost / account.money, of_day, rs)


def resized(size: Sized, account: Account, side: Side, entry: float, stop: float, shares: int, day_money: float | None) -> Sized:
    """The same plan with another number of shares, chosen by hand."""
    risk = (entry - stop) * (1 if side == "long" else -1)
    money, lost = shares * entry, shares * risk
    of_day = None if not day_money else money / day_money
    return replace(
        size,
        shares=shares,
        limit="hand",
        money=money,
        share=money / account.money,
        lost=lost,
        lost_share=lost / account.money,
        of_day=of_day,
    )


@dataclass(frozen=True, slots=True)
class Facts:
    """What is known besides prices. to_report: calendar days to the next report; gaps: moves from the close before to the open on the days of
    the last four; ends_in: calendar days until the plan ends. sector: name; in_sector: the share of the account that it and what is planned
    or held of its sector take. open_risk: what all together may lose, this plan in it. with_held: the highest correlation with what is held,
    and its name."""

    to_report: float | None = None
    gaps: Sequence[float] = ()
    ends_in: int = 0
    sector: str = ""
    in_sector: float = 0.0
    open_risk: float = 0.0
    with_held: tuple[float, str] | None = None


def warnings(account: Account, side: Side, entry: float, stop: float, size: Sized, atr: float, facts: Facts) -> list[str]:
    """What speaks against a plan, a sentence each."""
    found = []
    away = abs(entry - stop) / atr
    if away < CLOSEST:
        found.append(f"The stop is {away:.1f} ATR away: the noise of a day reaches it.")
    elif away > FARTHEST:
        found.append(f"The stop is {away:.1f} ATR away: far for what a day moves.")
    if size.rs and max(size.rs) < WORTH:
        found.append(f"The {'last target' if len(size.rs) > 1 else 'target'} is {max(size.rs):.1f} R away, under {WORTH:g}.")
    if facts.to_report is not None and facts.to_report <= facts.ends_in:
        days = int(facts.to_report)
        gaps = ", ".join(f"{g:+.1%}".replace("-", "−") for g in facts.gaps)
        when = "today" if days == 0 else f"in {days} day{'' if days == 1 else 's'}"
        found.append(f"It reports {when}, before the plan ends" + (f"; after the last reports it opened {gaps}." if gaps else "."))
    if facts.sector and facts.in_sector > account.sector:
        found.append(f"With it {facts.in_sector:.0%} of the account would lie in {facts.sector}, over {account.sector:.0%}.")
    if facts.open_risk > account.open_risk:
        found.append(f"All open risk would be {facts.open_risk:.1%} of the account, over {account.open_risk:.1%}.")
    if facts.with_held is not None and facts.with_held[0] > TOGETHER:
        found.append(
            f"It moves with {facts.with_held[1]}: a correlation of {facts.with_held[0]:.2f} over {SESSIONS_TOGETHER} sessions."
        )
    if size.shares < 1:
        found.append("Not one share fits: the stop is too far for the account, or the account too small for the price.")
    return found


def before_entry(side: Side, entry: float, atr: float) -> float:
    """A price a little before the entry, to be told at: a fifth of an ATR this side of it."""
    return round(entry - (1 if side == "long" else -1) * EARLY * atr, 2)


def further_target(entry: float, stop: float, targets: Sequence[float]) -> float:
    """Where another target might be: as far again behind the last as that is from the entry; twice the risk where there is none."""
    last = targets[-1] if targets else 2 * entry - stop
    return round(last + (last - entry), 2)


def correlations(evaluator: Evaluator, symbols: Sequence[str], at: int | Moment) -> Floats:
    """How daily changes of the last 63 sessions moved together: symbols × symbols, NaN where two share fewer than 20 sessions."""
    bars = evaluator.on("day").bars
    ends = bars.ends(at)
    day = at.day if isinstance(at, Moment) else int(at)
    sessions = bars.sessions[: int(np.searchsorted(bars.sessions, day, "right"))][-SESSIONS_TOGETHER - 1 :]
    changes = np.full((len(symbols), len(sessions)), np.nan)
    for i, symbol in enumerate(symbols):
        k = bars.number[symbol]
        part = slice(int(bars.offsets[k]), int(ends[k]))
        days, close = bars.days[part], bars.close[part] * bars.factor[part]
        place = np.searchsorted(sessions, days)
        there = (
            (place < len(sessions)) & (sessions[np.minimum(place, len(sessions) - 1)] == days)
            if len(sessions)
            else np.zeros(len(days), np.bool_)
        )
        prices = np.full(len(sessions), np.nan)
        prices[place[there]] = close[there]
        changes[i, 1:] = prices[1:] / prices[:-1] - 1
    out = np.full((len(symbols), len(symbols)), np.nan)
    for i in range(len(symbols)):
        for j in range(i, len(symbols)):
            both = ~np.isnan(changes[i]) & ~np.isnan(changes[j])
            if both.sum() >= 20 and changes[i][both].std() > 0 and changes[j][both].std() > 0:
                out[i, j] = out[j, i] = np.corrcoef(changes[i][both], changes[j][both])[0, 1]
    return out
