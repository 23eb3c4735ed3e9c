"""One or two dials turned over their ranges: where a rule holds up, and where it only peaks."""

import itertools
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from wickcore.bars.bars import Bools, Floats, Ints
from wickcore.bars.moment import Moment
from wickcore.language.rule import CheckedRule
from wickcore.scan.evaluate import Evaluator, Limits
from wickcore.scan.scan import hit_truth
from wickcore.study import returns
from wickcore.study.follow import span_between
from wickcore.study.intervals import Span, ratio_intervals
from wickcore.study.multiple_testing import laid_out, superior_ability
from wickcore.study.sample import SMALL_GROUP, known
from wickcore.study.settings import StudySettings
from wickcore.study.verdict import percent
from wickcore.trade.cost_rates import round_trip
from wickcore.trade.entries import entry_of

MOST_CELLS, MOST_STEPS, REPS = 400, 100, 500
HOLDS = 0.5  # the share of a setting's excess that each of its neighbours must keep


@dataclass(frozen=True, slots=True)
class Cell:
    """One setting. excess: mean, with its interval. floor: the lowest excess among it and its neighbours, None at the edge
    of a range, or where one of them has fewer than twenty hits. holds: its excess is above zero and each neighbour keeps at least half of it."""

    values: tuple[float, ...]
    count: int
    days: int
    win_rate: float | None
    mean: float | None
    excess: float | None
    low: float | None
    high: float | None
    floor: float | None = None
    holds: bool = False


@dataclass(frozen=True, slots=True)
class Sweep:
    """cells: in the order of the first dial, then the second. peak: number of the highest excess with twenty hits or more; plateau: of the
    highest floor; None where there is none. luck: chance that the best of so many settings without an edge would look as good."""

    dials: tuple[str, ...]
    values: tuple[tuple[float, ...], ...]
    bars: int
    cells: tuple[Cell, ...]
    peak: int | None
    plateau: int | None
    luck: float | None


def steps_of(low: float, high: float, step: float) -> tuple[float, ...]:
    """The settings from low to high. Raises ValueError for a range without steps, or with more than a hundred."""
    if not (np.isfinite([low, high, step]).all() and step > 0 and high >= low):
        raise ValueError("A range goes from a lower to a higher number by steps above zero.")
    with np.errstate(over="ignore"):
        count = np.floor(np.float64(high - low) / step + 1e-9) + 1  # a step may be so small that no whole number counts them
    if not count <= MOST_STEPS:
        raise ValueError(f"That is {count:,.0f} steps of one dial; at most {MOST_STEPS} can be tried. Take a wider step.")
    return tuple(float(f"{low + i * step:.10g}") for i in range(int(count)))


def sweep(
    evaluator: Evaluator,
    make: Callable[[dict[str, float]], CheckedRule],
    grid: Mapping[str, Sequence[float]],
    settings: StudySettings,
    horizon: int,
    members: Bools | None = None,
    limits: Limits | None = None,
    progress: Callable[[str, float], None] = lambda stage, share: None,
) -> tuple[Sweep, list[tuple[Ints, Floats]]]:
    """Measures every setting at one horizon; with the sweep, each cell's daily excess (sessions and sums).

    make: the rule with the given dials. grid: one or two dials with their values. Forward returns and the baseline are computed once:
    they do not depend on the rule; the lines that do not use a dial are computed once by the evaluator. Raises ValueError for a grid
    that is none, Stopped when `limits` say so.
    """
    names, axes = tuple(grid), tuple(tuple(values) for values in grid.values())
    if not 1 <= len(names) <= 2 or any(not axis for axis in axes):
        raise ValueError("A sweep turns one dial or two, each over at least one value.")
    total = int(np.prod([len(axis) for axis in axes]))
    if total > MOST_CELLS:
        raise ValueError(f"That is {total:,} settings; at most {MOST_CELLS} can be tried at once. Take wider steps.")
    settings = settings.changed(horizons=(horizon,))
    evaluator = evaluator.stepping(make({name: axis[0] for name, axis in zip(names, axes, strict=True)}).frame)
    bars = evaluator.bars
    as_of = settings.until(bars)
    span = span_between(bars, settings, as_of)
    cells, series, counts = [], [], []
    ahead: _ForwardReturns | None = None
    for i, values in enumerate(itertools.product(*axes)):
        progress(f"Setting {i + 1} of {total}", i / total)
        if limits is not None:
            limits.check()
        rule = make(dict(zip(names, values, strict=True)))
        if ahead is None:
            ahead = _ForwardReturns(evaluator, rule, settings, horizon, as_of, members)
        cell, daily, count = ahead.cell(values, hit_truth(evaluator, rule, members, limits), span)
        cells.append(cell)
        series.append(daily)
        counts.append(count)
    progress("Judging the best of them", 1.0)
    cells = _neighbours(_with_intervals(cells, counts, series, span, settings, horizon), tuple(len(axis) for axis in axes))
    judged = superior_ability([laid_out(one, span) for one in series], horizon, settings.seed, REPS)
    enough = [i for i, c in enumerate(cells) if c.excess is not None and c.count >= SMALL_GROUP]
    peak = max(enough, key=lambda i: cells[i].excess or 0.0, default=None)
    level = [i for i in enough if cells[i].floor is not None]
    plateau = max(level, key=lambda i: cells[i].floor or 0.0, default=None)
    return Sweep(names, axes, horizon, tuple(cells), peak, plateau, judged.p), series


class _ForwardReturns:
    """The return from every step, and every session's baseline, at one horizon: the same for all settings."""

    def __init__(
        self, evaluator: Evaluator, rule: CheckedRule, settings: StudySettings, horizon: int, as_of: Moment, members: Bools | None
    ) -> None:
        self.bars, self.settings, self.horizon = evaluator.bars, settings, horizon
        self.steps = returns.RuleBars.of(self.bars, rule.frame, as_of)
        at = self.steps.positions
        entry = entry_of(rule.decide, settings.entry)
        belongs = np.ones(len(at), np.bool_) if members is None else members[at]
        cost = round_trip(settings.cost, settings.slippage)
        self.returns, _, self.base = returns.follow(
            evaluator.market,
            self.bars,
            self.steps,
            as_of,
            np.arange(len(at)),
            belongs,
            horizon,
            entry,
            1 if rule.side == "long" else -1,
            cost,
        )

    def cell(self, values: tuple[float, ...], hits: Bools, span: Span) -> tuple[Cell, tuple[Ints, Floats], Ints]:
        """The setting's figures but for the interval, its daily excess, and how many hits each of its days had."""
        at, bars = self.steps.positions, self.bars
        hits = hits if len(at) == len(bars) else hits[at]
        where = np.flatnonzero(returns.choose_hits(hits, self.steps.offsets, self.settings.repeats, self.horizon))
        session = bars.session[at[where]].astype(np.int64)
        r = self.returns[where]
        counted = ~np.isnan(r) & (session >= span[0]) & (session < span[0] + span[1])
        r, session, where = r[counted], session[counted], where[counted]
        excess = r - self.base[where]
        days, place, count = np.unique(session, return_inverse=True, return_counts=True)
        made = Cell(
            values, len(r), len(days), float(np.mean(r > 0)) if len(r) else None, float(np.mean(r)) if len(r) else None,
            float(np.mean(excess)) if len(r) else None, None, None,
        )  # fmt: skip
        return made, (days, np.bincount(place, excess, minlength=len(days)).astype(np.float64)), count


def _with_intervals(
    cells: list[Cell], counts: list[Ints], series: list[tuple[Ints, Floats]], span: Span, settings: StudySettings, horizon: int
) -> list[Cell]:
    """Each setting's interval as a study of it would have it: of its hits, all settings from the same draws of days."""
    total = np.stack([laid_out(one, span) for one in series], axis=1)
    number = np.stack(
        [laid_out((days, count.astype(np.float64)), span) for (days, _), count in zip(series, counts, strict=True)], axis=1
    )
    found = ratio_intervals(total, number, horizon, settings.seed + horizon, settings.draws)
    return [replace(cell, low=known(low), high=known(high)) for cell, (low, high) in zip(cells, found, strict=True)]


def _neighbours(cells: list[Cell], shape: tuple[int, ...]) -> list[Cell]:
    """Each cell with what those beside it say: one step along any dial, or along both. At the edge of a range nobody knows what lies
    beside, so an edge is no plateau, unless the dial has but two values."""
    found = []
    for i, cell in enumerate(cells):
        place = np.unravel_index(i, shape)
        beside = []
        for step in itertools.product((-1, 0, 1), repeat=len(shape)):
            there = tuple(int(p) + s for p, s in zip(place, step, strict=True))
            if all(0 <= p < n for p, n in zip(there, shape, strict=True)):
                beside.append(cells[int(np.ravel_multi_index(there, shape))])
        excess = [c.excess for c in beside if c.excess is not None and c.count >= SMALL_GROUP]
        edge = any(n > 2 and p in (0, n - 1) for p, n in zip(place, shape, strict=True))
        whole = len(excess) == len(beside) and len(beside) > 1 and not edge
        own = cell.excess
        holds = whole and own is not None and own > 0 and min(excess) >= HOLDS * own
        found.append(replace(cell, floor=min(excess) if whole else None, holds=bool(holds)))
    return found


def sweep_verdict(found: Sweep) -> str:
    """What a sweep shows, in words made from its figures; the plateau before the peak."""
    total = len(found.cells)
    tried = f"{total:,} settings tried at {found.bars} bar{'' if found.bars == 1 else 's'}"
    if found.peak is None:
        return f"{tried}; none of them has {SMALL_GROUP} hits: nothing to compare."
    peak = found.cells[found.peak]
    said = [f"{tried}."]
    if found.plateau is not None and (found.cells[found.plateau].floor or 0.0) > 0:
        level = found.cells[found.plateau]
        said.append(
            f"The widest ground is {_setting(found, level)}: {percent(level.excess or 0.0)} against the baseline, "
            f"and no setting beside it brings less than {percent(level.floor or 0.0)}."
        )
    else:
        said.append("No setting inside the range has neighbours that all beat the baseline: there is no plateau.")
    if found.peak != found.plateau:
        alone = "" if peak.holds else ", at the edge of what was tried" if peak.floor is None else ", and it stands alone"
        said.append(f"The highest peak is {_setting(found, peak)} with {percent(peak.excess or 0.0)}{alone}.")
    if found.luck is not None:
        said.append(
            f"The best of {total:,} settings without any edge would look as good with a chance of {found.luck:.1%}: an interval is of one "
            "setting as if it had been the only one tried, this chance knows that it was picked from all."
        )
    return " ".join(said)


def _setting(found: Sweep, cell: Cell) -> str:
    return ", ".join(f"{name} {value:g}" for name, value in zip(found.dials, cell.values, strict=True))
