"""The hits of one horizon by year, month, weekday, sector, size, market, how many came that day, and by instrument."""

from dataclasses import dataclass

import numpy as np

from wickcore.bars.bars import Ints
from wickcore.language.check import check_expression
from wickcore.measures.frame import TRUE, UNKNOWN
from wickcore.scan.evaluate import Evaluator, Limits
from wickcore.study.follow import Study
from wickcore.study.intervals import group_intervals
from wickcore.study.sample import SMALL_GROUP, HorizonFigures, Sample, figures
from wickcore.trade.entries import NEXT_OPEN

DRAWS = 1_000
MONTHS = ("Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec")
WEEKDAYS = ("Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun")
SIZES = ("small third", "middle third", "large third", "size unknown")
REGIMES = ("above, rising", "above, falling", "below, rising", "below, falling", "market unknown")
CROWDS = ("1 hit that day", "2 to 5", "6 to 20", "more than 20")


@dataclass(frozen=True, slots=True)
class Group:
    """One part of the hits. small: fewer than twenty, too few to be ranked."""

    label: str
    small: bool
    figures: HorizonFigures


@dataclass(frozen=True, slots=True)
class InstrumentRow:
    """times: counted hits at the first horizon. small: fewer than twenty. won, lost: average win and loss at the first horizon. rates and
    means: at each of the horizons asked for. None where none counted."""

    symbol: str
    times: int
    small: bool
    won: float | None
    lost: float | None
    rates: tuple[float | None, ...]
    means: tuple[float | None, ...]


def breakdowns(
    evaluator: Evaluator, found: Study, horizon: int, universe: str = "", limits: Limits | None = None
) -> dict[str, tuple[Group, ...]]:
    """Groups by kind of breakdown, each with the figures of a whole study; groups without hits are left out.

    horizon: one of the study's. universe: among whose members sizes are ranked. The weekday is that of the entry. All intervals come
    from the same draws of days.
    """
    sample = found.samples[horizon]
    kinds = _kinds(evaluator, found, sample, universe, limits)
    groups = [(kind, label, codes == i) for kind, (labels, codes) in kinds.items() for i, label in enumerate(labels)]
    groups = [g for g in groups if g[2].any()]
    seed = found.settings.seed + horizon
    masks = [g[2] for g in groups]
    intervals, shares = (
        group_intervals(values, sample.session, masks, horizon, seed, DRAWS, found.span) for values in (sample.excess, sample.won)
    )
    evaluator = evaluator.stepping(found.frame)
    symbols = evaluator.bars.symbols
    made: dict[str, list[Group]] = {kind: [] for kind in kinds}
    for (kind, label, mask), interval, share in zip(groups, intervals, shares, strict=True):
        part = sample.part(mask)
        made[kind].append(Group(label, len(part.returns) < SMALL_GROUP, figures(part, symbols, interval, drawn=False, share=share)))
    return {kind: tuple(rows) for kind, rows in made.items() if rows}


def _kinds(
    evaluator: Evaluator, found: Study, sample: Sample, universe: str, limits: Limits | None
) -> dict[str, tuple[tuple[str, ...], Ints]]:
    """Labels of each breakdown, and the number of each hit's label."""
    market, bars = evaluator.market, evaluator.bars
    position = found.positions[sample.place]
    day = bars.days[position].astype("datetime64[D]")
    entered = bars.days[position + (1 if found.entry == NEXT_OPEN else 0)]
    years = day.astype("datetime64[Y]").astype(np.int64) + 1970
    first = int(years.min(initial=9_999))
    sectors = market.texts.get("sector", ("",) * len(bars.symbols))
    names = (*sorted({s for s in sectors if s}), "no sector")
    number = {name: i for i, name in enumerate(names)}
    sector = np.array([number.get(s, len(names) - 1) for s in sectors], np.int64)
    per_day = np.bincount(bars.session[found.positions], minlength=1)  # those still pending were hits of their day too
    made = {
        "year": (tuple(str(y) for y in range(first, int(years.max(initial=first)) + 1)), years - first),
        "month": (MONTHS, day.astype("datetime64[M]").astype(np.int64) % 12),
        "weekday": (WEEKDAYS, (entered.astype(np.int64) + 3) % 7),  # day 0 was a Thursday
        "sector": (names, sector[sample.owner]),
        "size": (SIZES, _sizes(evaluator, position, universe, limits)),
        "market": (REGIMES, _regimes(evaluator, position, limits)),
        "crowd": (CROWDS, np.searchsorted([1, 5, 20], per_day[sample.session])),
    }
    return {kind: (labels, codes.astype(np.int64)) for kind, (labels, codes) in made.items()}


def _sizes(evaluator: Evaluator, position: Ints, universe: str, limits: Limits | None) -> Ints:
    op = check_expression("rank(market_cap)", universe=universe).op
    (rank,) = evaluator.at([op], position, limits)
    return np.where(np.isnan(rank), 3, np.minimum((np.nan_to_num(rank) * 3 / 100).astype(np.int64), 2))


def _regimes(evaluator: Evaluator, position: Ints, limits: Limits | None) -> Ints:
    """The benchmark against its 200-day average, and whether that average is higher than 20 bars before."""
    texts = ("benchmark(close > sma(200))", "benchmark(sma(200) > sma(200) 20 ago)")
    above, rising = evaluator.at([check_expression(t).op for t in texts], position, limits)
    code = np.where(above == TRUE, 0, 2) + np.where(rising == TRUE, 0, 1)
    return np.where((above == UNKNOWN) | (rising == UNKNOWN), 4, code)


def by_instrument(evaluator: Evaluator, found: Study, horizons: tuple[int, ...]) -> tuple[InstrumentRow, ...]:
    """Each instrument with hits: how often, its win rates and means at the given horizons; the most often hit first."""
    bars = evaluator.stepping(found.frame).bars
    size = len(bars.symbols)
    columns = []
    for h in horizons:
        sample = found.samples[h]
        times = np.bincount(sample.owner, minlength=size)
        won = np.bincount(sample.owner, sample.returns > 0, minlength=size)
        total = np.bincount(sample.owner, sample.returns, minlength=size)
        columns.append((times, won, total))
    first = found.samples[horizons[0]]
    gains, losses = (
        (np.bincount(first.owner[mask], first.returns[mask], minlength=size), np.bincount(first.owner[mask], minlength=size))
        for mask in (first.returns > 0, first.returns < 0)
    )
    chosen = np.flatnonzero(columns[0][0])
    order = sorted(chosen.tolist(), key=lambda k: (-int(columns[0][0][k]), bars.symbols[k]))

    def share(part: float, whole: int) -> float | None:
        return float(part / whole) if whole else None

    return tuple(
        InstrumentRow(
            bars.symbols[k],
            int(columns[0][0][k]),
            bool(columns[0][0][k] < SMALL_GROUP),
            share(gains[0][k], int(gains[1][k])),
            share(losses[0][k], int(losses[1][k])),
            tuple(share(won[k], int(times[k])) for times, won, _ in columns),
            tuple(share(total[k], int(times[k])) for times, _, total in columns),
        )
        for k in order
    )


def hits_a_day(evaluator: Evaluator, found: Study) -> tuple[tuple[int, int], ...]:
    """Days with hits and how many fell on each, all hits of the study counted: a burst is seen as a burst."""
    bars = evaluator.stepping(found.frame).bars
    day, count = np.unique(bars.days[found.positions], return_counts=True)
    return tuple(zip(day.tolist(), count.tolist(), strict=True))
