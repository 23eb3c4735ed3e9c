"""How the sessions went in which the same was true: from the open to a close, for each index."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from wickcore.bars.bars import Bools, Days, Floats, Ints
from wickcore.language.operations import Op
from wickcore.measures.frame import TRUE, UNKNOWN
from wickcore.precedents.morning import Morning
from wickcore.scan.evaluate import Limits
from wickcore.study.intervals import day_block_interval, wilson
from wickcore.trade.cost_rates import round_trip
from wickcore.trade.costs import net_return

CLOSES = (0, 1, 5)  # how many closes after the session's own
FEWEST = 20  # sessions under which nothing is said
SEED = 1


@dataclass(frozen=True, slots=True)
class Sessions:
    """An index's sessions before the morning. truths: for each line, one value a session. this: for each line what it is this morning.

    days: since 1970. rows: their positions among the bars. night, gap: moves from the close before, as fractions.
    """

    symbol: str
    days: Days
    rows: Ints
    truths: tuple[Bools, ...]
    known: tuple[Bools, ...]
    this: tuple[int, ...]
    night: Floats
    gap: Floats


def sessions_of(at: Morning, symbol: str, lines: Sequence[Op], first: int | None = None, limits: Limits | None = None) -> Sessions:
    """What each line was on every session of an index before the morning, and is this morning. first: the first session that counts, since
    1970. An index without bars has no sessions."""
    bars = at.engine.bars
    k = bars.number[symbol]
    begin, end = int(bars.offsets[k]), int(bars.offsets[k + 1])
    columns = at.engine.rows(lines, symbol, limits) if end > begin else [np.empty(0, np.int8) for _ in lines]
    last = end - 1 if end > begin and bars.days[end - 1] == at.session else end
    rows = np.arange(begin, last)
    if first is not None:
        rows = rows[bars.days[rows] >= first]
    own = rows - begin
    this = tuple(int(c[-1]) if last < end else UNKNOWN for c in columns)
    return Sessions(
        symbol, bars.days[rows], rows, tuple(c[own] == TRUE for c in columns), tuple(c[own] != UNKNOWN for c in columns), this,
        _night(at, k, rows), _gap(at, rows, begin),
    )  # fmt: skip


def _gap(at: Morning, rows: Ints, begin: int) -> Floats:
    bars = at.engine.bars
    out = np.full(len(rows), np.nan)
    some = rows > begin
    one = rows[some]
    out[some] = bars.open[one] * bars.factor[one] / (bars.close[one - 1] * bars.factor[one - 1]) - 1
    return out


def _night(at: Morning, k: int, rows: Ints) -> Floats:
    bars, dated = at.engine.bars, at.engine.market.overnight.get("close")
    out = np.full(len(rows), np.nan)
    if dated is None or not len(rows):
        return out
    part = slice(int(dated.offsets[k]), int(dated.offsets[k + 1]))
    days, values = dated.days[part], dated.values[part]
    place = np.searchsorted(days, bars.days[rows])
    there = place < len(days)
    there[there] = days[place[there]] == bars.days[rows][there]
    there &= rows > bars.offsets[k]
    one = rows[there]
    out[there] = values[place[there]] * bars.factor[one] / (bars.close[one - 1] * bars.factor[one - 1]) - 1
    return out


@dataclass(frozen=True, slots=True)
class Way:
    """From each session's open to a close: fractions; NaN where that close is still to come. closes: how many after the session's own. moved:
    without costs. value: with them. best, worst: the farthest on the way by highs and lows."""

    closes: int
    moved: Floats
    value: Floats
    best: Floats
    worst: Floats


def way(at: Morning, of: Sessions, closes: int, cost: float) -> Way:
    """The way of each session to its own close or to one of those after it. cost: a side, as a fraction."""
    bars = at.engine.bars
    k = bars.number[of.symbol]
    end = int(bars.offsets[k + 1])
    if end > bars.offsets[k] and bars.days[end - 1] == at.session:
        end -= 1
    moved, best, worst = (np.full(len(of.rows), np.nan) for _ in range(3))
    some = of.rows + closes < end
    rows = of.rows[some]
    paid = bars.open[rows] * bars.factor[rows]
    with np.errstate(invalid="ignore", divide="ignore"):
        moved[some] = bars.close[rows + closes] * bars.factor[rows + closes] / paid - 1
        highs = np.stack([bars.high[rows + i] * bars.factor[rows + i] for i in range(closes + 1)])
        lows = np.stack([bars.low[rows + i] * bars.factor[rows + i] for i in range(closes + 1)])
        best[some], worst[some] = highs.max(axis=0) / paid - 1, lows.min(axis=0) / paid - 1
    value = np.array([net_return(1.0, 1.0 + m, 1, round_trip(cost, 0.0)) for m in moved.tolist()])
    return Way(closes, moved, value, best, worst)


@dataclass(frozen=True, slots=True)
class Outcome:
    """How the sessions of one index went. Fractions; None where there is nothing to say.

    count: sessions with an end. up: how many closed above their open. share: up / count, with its 95% interval: Wilson's, or, where ways of
    several closes overlap, of days drawn in blocks. any_share: of all sessions; any_count: how many those are. mean, median, mean_up,
    mean_down: with costs; up and down by whether it closed above its open. best, worst: the means of the farthest on the way. luck: how often
    as many sessions chosen by chance would show as far a share on the same side (`luck_of`, or `luck_of_turns` where ways overlap).
    """

    count: int
    up: int
    share: float | None
    low: float | None
    high: float | None
    any_count: int
    any_share: float | None
    mean: float | None
    median: float | None
    mean_up: float | None
    mean_down: float | None
    best: float | None
    worst: float | None
    luck: float | None

    @property
    def few(self) -> bool:
        return self.count < FEWEST


def outcome(went: Way, chosen: Bools) -> Outcome:
    """The chosen sessions of an index beside all of them."""
    ended = ~np.isnan(went.moved)
    mine = chosen & ended
    n, up = int(mine.sum()), int((went.moved[mine] > 0).sum())
    size, ups = int(ended.sum()), int((went.moved[ended] > 0).sum())
    value, rose = went.value[mine], went.moved[mine] > 0
    if went.closes:  # sessions beside one another went through the same closes
        low, high = day_block_interval(rose.astype(np.float64), np.flatnonzero(mine), went.closes + 1, SEED, span=(0, len(mine)))
        luck = luck_of_turns(mine[ended], went.moved[ended] > 0)
    else:
        low, high = wilson(up, n)
        luck = luck_of(up, n, ups, size)

    def mean(column: Floats) -> float | None:
        return float(column.mean()) if len(column) else None

    return Outcome(
        n, up, up / n if n else None, _known(low), _known(high), size, ups / size if size else None, mean(value),
        float(np.median(value)) if n else None, mean(value[rose]), mean(value[~rose]), mean(went.best[mine]), mean(went.worst[mine]),
        luck,
    )  # fmt: skip


def _known(value: float) -> float | None:
    return None if np.isnan(value) else value


def luck_of(up: int, n: int, ups: int, size: int) -> float | None:
    """How often n of `size` sessions, chosen by chance, hold as many of the `ups` that rose, or as few where theirs is the smaller share."""
    if not n:
        return None
    from scipy.stats import hypergeom  # a second of every start, and few ask for it

    found = hypergeom.sf(up - 1, size, ups, n) if up / n >= ups / size else hypergeom.cdf(up, size, ups, n)
    return float(min(1.0, found))


def luck_of_turns(mine: Bools, rose: Bools) -> float | None:
    """As `luck_of` for ways that overlap: the chosen sessions are turned round the calendar by every number of sessions, as they stand to one
    another, and so are compared with choices that clump as they do, among ways that overlap as these do.

    mine, rose: one a session that has an end. The share of all turns, their own among them, that show as far a share on the same side (a
    randomization test over the cyclic group: E. S. Edgington, Randomization Tests, 1980, from memory). At least 1 / sessions.
    """
    n, size = int(mine.sum()), len(mine)
    if not n:
        return None
    turned = np.fft.irfft(np.fft.rfft(rose.astype(np.float64)) * np.conj(np.fft.rfft(mine.astype(np.float64))), size)
    ups, up = np.rint(turned), int((mine & rose).sum())
    as_far = ups >= up if up / n >= rose.sum() / size else ups <= up
    return float(as_far.mean())


def taper(of: Sessions) -> list[int]:
    """How many sessions are left after none of the lines, the first of them, the first two …"""
    left = np.ones(len(of.days), np.bool_)
    found = [len(of.days)]
    for truth in of.truths:
        left &= truth
        found.append(int(left.sum()))
    return found


def chosen(of: Sessions) -> Bools:
    """The sessions on which every line was true."""
    left = np.ones(len(of.days), np.bool_)
    for truth in of.truths:
        left &= truth
    return left


BINS = 21  # of dots: odd, so that one lies around zero


@dataclass(frozen=True, slots=True)
class Dots:
    """One dot a session, by how far it moved: `BINS` bins of one width from -reach to reach, what lies beyond in the outermost. up, down: how
    many sessions of each bin closed above their open, and did not. reach: a fraction, the same whatever is chosen."""

    reach: float
    up: list[int]
    down: list[int]


def dots(went: Way, chosen: Bools) -> Dots:
    """The chosen sessions as dots. The reach holds 98 of 100 of all sessions and is a round number."""
    ended = ~np.isnan(went.moved)
    far = float(np.percentile(np.abs(went.moved[ended]), 98)) if ended.any() else 0.01
    step = next(s for s in (0.0025, 0.005, 0.01, 0.02, 0.05, 0.1, 1.0) if far <= 8 * s)
    reach = max(step, float(np.ceil(far / step)) * step)
    mine = went.moved[chosen & ended]
    place = np.clip(((mine / reach + 1) / 2 * BINS).astype(np.int64), 0, BINS - 1)
    up, down = (np.bincount(place[side], minlength=BINS).tolist() for side in (mine > 0, mine <= 0))
    return Dots(reach, up, down)
