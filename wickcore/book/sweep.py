"""A book's dials over their ranges, and the dials one would have chosen walking forward."""

import itertools
import os
from collections.abc import Callable, Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from wickcore.bars.bars import Days, Floats
from wickcore.bars.moment import iso
from wickcore.book.figures import Curve, benchmark_money, curve_of, returns_of
from wickcore.book.overfit import deflated_best, overfitting
from wickcore.book.run import outline, run
from wickcore.book.simulation import Trial
from wickcore.scan.limits import Limits
from wickcore.study.sweep import HOLDS, MOST_CELLS

REPS, LEAST_TRADES, LEAST_DAYS = 500, 20, 60
TRAIN_YEARS, TRADE_YEARS = 4, 1


@dataclass(frozen=True, slots=True)
class Setting:
    """One setting. ratio: annual return over the worst fall. floor: the lowest annual return among it and its neighbours, None at
    the edge of a
    range, or where one of them has fewer than twenty trades. holds: its annual return is above zero and each neighbour keeps half
    of it."""

    values: tuple[float, ...]
    trades: int
    annual: float  # all of it where the run is of less than a year
    worst_fall: float
    ratio: float | None
    sharpe: float | None
    floor: float | None = None
    holds: bool = False


@dataclass(frozen=True, slots=True)
class Turned:
    """cells: in the order of the first dial, then the second. peak: the highest annual return with twenty trades or more; plateau:
    the highest
    floor; None where there is none. luck: the chance that the best of so many settings that are no better than the benchmark (than
    cash,
    where there is none) would look as good. deflated: the deflated Sharpe ratio of the peak; overfit: the probability of
    overfitting."""

    dials: tuple[str, ...]
    values: tuple[tuple[float, ...], ...]
    cells: tuple[Setting, ...]
    peak: int | None
    plateau: int | None
    luck: float | None
    deflated: float | None
    overfit: float | None


@dataclass(frozen=True, eq=False)
class Grid:
    """The daily returns of every setting, days × settings, and of the benchmark."""

    days: Days
    returns: Floats
    benchmark: Floats | None
    settings: tuple[tuple[float, ...], ...]


def turn(
    trial: Trial, grid: Mapping[str, Sequence[float]], limits: Limits | None = None,
    tell: Callable[[str, float], None] = lambda stage, share: None,
) -> tuple[Turned, Grid]:  # fmt: skip
    """Runs every setting of one dial or two. Raises ValueError for a grid that is none, Stopped."""
    names, axes = tuple(grid), tuple(tuple(values) for values in grid.values())
    if not 1 <= len(names) <= 2 or any(not axis for axis in axes):
        raise ValueError("A sweep turns one dial or two, each over at least one value.")
    total = int(np.prod([len(axis) for axis in axes]))
    if total > MOST_CELLS:
        raise ValueError(f"That is {total:,} settings; at most {MOST_CELLS} can be tried at once. Take wider steps.")
    settings = list(itertools.product(*axes))
    done = [0]

    def one(values: tuple[float, ...]) -> tuple[Setting, Days, Floats]:
        book = trial.make(dict(zip(names, values, strict=True)))
        days, equity, ended = outline(trial.prepared(book, limits), limits)
        curve = curve_of(days, equity, book.start)
        done[0] += 1
        tell(f"Setting {done[0]} of {total}", done[0] / total)
        return Setting(values, ended, curve.rate, curve.worst_fall, curve.mar, curve.sharpe), days, returns_of(equity, book.start)

    first = one(settings[0])  # what all settings share is worked out with the first
    with ThreadPoolExecutor(min(2, os.cpu_count() or 1), "sweep") as pool:
        found = [first, *pool.map(one, settings[1:])]
    cells, columns = [cell for cell, _, _ in found], [returns for _, _, returns in found]
    days = max((days for _, days, _ in found), key=len)
    tell("Judging the best of them", 1.0)
    index = benchmark_money(trial.evaluator.market, days, 1.0)
    made = Grid(days, _table(columns), None if index is None else returns_of(index, 1.0), tuple(settings))
    cells = _neighbours(cells, tuple(len(axis) for axis in axes))
    enough = [i for i, c in enumerate(cells) if c.trades >= LEAST_TRADES]
    peak = max(enough, key=lambda i: cells[i].annual, default=None)
    level = [i for i in enough if cells[i].floor is not None]
    plateau = max(level, key=lambda i: cells[i].floor or 0.0, default=None)
    by_luck, overfit = superior(made, trial.choice.seed), overfitting(made.returns)
    best = None if peak is None else deflated_best(made.returns, peak)
    return Turned(names, axes, tuple(cells), peak, plateau, by_luck, best, overfit), made


def _table(columns: list[Floats]) -> Floats:
    """Days × settings; a setting that was ruined stands still from then on."""
    made = np.zeros((max(len(c) for c in columns), len(columns)))
    for i, column in enumerate(columns):
        made[: len(column), i] = column
    return made


def superior(grid: Grid, seed: int) -> float | None:
    """The test for superior predictive ability over all settings (P. R. Hansen, Journal of Business & Economic Statistics 23,
    2005), against the
    benchmark held, or against cash where there is none; its consistent p-value by the library `arch`."""
    from arch.bootstrap import SPA

    moved = np.flatnonzero(np.ptp(grid.returns, axis=0) > 0.0)
    if not len(moved) or len(grid.returns) < LEAST_DAYS:
        return None
    against = np.zeros(len(grid.returns)) if grid.benchmark is None or len(grid.benchmark) != len(grid.returns) else grid.benchmark
    test = SPA(-against, -grid.returns[:, moved], block_size=10, reps=REPS, seed=np.random.default_rng(seed))
    test.compute()
    return max(float(test.pvalues["consistent"]), 1.0 / REPS)


def _neighbours(cells: list[Setting], shape: tuple[int, ...]) -> list[Setting]:
    """Each setting with what those beside it say, as in a study's sweep."""
    found = []
    for i, cell in enumerate(cells):
        place = np.unravel_index(i, shape)
        beside = []
        for step in itertools.product((-1, 0, 1), repeat=len(shape)):
            there = tuple(int(p) + s for p, s in zip(place, step, strict=True))
            if all(0 <= p < n for p, n in zip(there, shape, strict=True)):
                beside.append(cells[int(np.ravel_multi_index(there, shape))])
        known = [c.annual for c in beside if c.trades >= LEAST_TRADES]
        edge = any(n > 2 and p in (0, n - 1) for p, n in zip(place, shape, strict=True))
        whole = len(known) == len(beside) and len(beside) > 1 and not edge
        holds = whole and cell.annual > 0 and min(known) >= HOLDS * cell.annual
        found.append(replace(cell, floor=min(known) if whole else None, holds=bool(holds)))
    return found


# -- walking forward ------------------------------------------------------------------------------------------------------


@dataclass(frozen=True, slots=True)
class Stretch:
    """One step: chosen on the days from `train` on, traded from `first` to `last`, as dates. favourite: the same stretch with the
    dials as they stand
    in the book."""

    train: str
    first: str
    last: str
    values: tuple[float, ...]
    chosen_on: float
    made: float
    favourite: float


@dataclass(frozen=True, slots=True)
class Walk:
    """equity: the joined traded stretches; favourite: the book's own dials all along, over the same days. changed: how often the
    choice was another
    than the one before."""

    dials: tuple[str, ...]
    stretches: tuple[Stretch, ...]
    days: tuple[str, ...]
    equity: tuple[float, ...]
    favourite: tuple[float, ...]
    walked: Curve
    stayed: Curve
    changed: int


def walk(
    trial: Trial, grid: Grid, dials: Sequence[str], limits: Limits | None = None, train: int = TRAIN_YEARS, traded: int = TRADE_YEARS,
    tell: Callable[[str, float], None] = lambda stage, share: None,
) -> Walk:  # fmt: skip
    """Chooses on `train` years by the ratio of annual return to worst fall, trades the next `traded` years from an empty book, and
    goes on.

    Raises ValueError where the history is too short for one step, Stopped.
    """
    start, days = trial.book.start, grid.days
    stretches, equity, favourite, when, money, stay = [], [], [], [], start, start
    begin = int(days[0] + round(365.25 * train))
    steps = []
    while begin <= int(days[-1]):
        end = min(int(days[-1]), begin + round(365.25 * traded) - 1)
        steps.append((begin, end))
        begin = end + 1
    steps = [s for s in steps if np.any((days >= s[0]) & (days <= s[1]))]
    if not steps:
        raise ValueError(
            f"Walking forward needs more than {train} years to choose on; this run has {(days[-1] - days[0]) / 365.25:.1f}."
        )
    own = {d.name: d.value for d in trial.book.dials} | {"slots": float(trial.book.slots)}
    for i, (first, last) in enumerate(steps):
        tell(f"Stretch {i + 1} of {len(steps)}", i / len(steps))
        inside = (days >= first - round(365.25 * train)) & (days < first)
        scores = [_score(days[inside], grid.returns[inside, j]) for j in range(grid.returns.shape[1])]
        best = int(np.argmax(scores))
        values = grid.settings[best]
        dialled = dict(zip(dials, values, strict=True))
        made = [_traded(trial, chosen, first, last, limits) for chosen in (dialled, {d: own[d] for d in dials})]
        (on, grown), (_, stayed) = made
        equity += (money * grown).tolist()
        favourite += (stay * stayed).tolist()
        when += [iso(int(d)) for d in on]
        stretches.append(
            Stretch(
                iso(int(days[inside][0])),
                iso(int(on[0])),
                iso(int(on[-1])),
                values,
                scores[best],
                float(grown[-1] - 1),
                float(stayed[-1] - 1),
            )
        )
        money, stay = money * float(grown[-1]), stay * float(stayed[-1])
    on_days = np.array(when, "datetime64[D]").astype(np.int32)
    joined: Floats = np.array(equity)
    alone: Floats = np.array(favourite)
    changed = sum(a.values != b.values for a, b in itertools.pairwise(stretches))
    return Walk(
        tuple(dials), tuple(stretches), tuple(when), tuple(equity), tuple(favourite), curve_of(on_days, joined, start),
        curve_of(on_days, alone, start), changed,
    )  # fmt: skip


def _score(days: Days, returns: Any) -> float:
    """Annual return over the worst fall; with no fall at all, the return over a hundredth."""
    if len(returns) < 2:
        return 0.0
    curve = curve_of(days, np.cumprod(1.0 + returns), 1.0)
    return curve.rate / max(-curve.worst_fall, 0.01)


def _traded(trial: Trial, dials: dict[str, float], first: int, last: int, limits: Limits | None) -> tuple[Days, Floats]:
    """The growth of a book with these dials that begins empty on the first day: days and money of 1."""
    one = run(trial.prepared(trial.make(dials), limits, first=first, last=last), limits)
    days, money = one.daily
    return days, money / one.prepared.book.start
