"""The way prices took around the hits: from some bars before to some after, beside the universe on the same days."""

from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass

import numpy as np
from numba import njit

from wickcore.bars.bars import Bools, Floats, Ints
from wickcore.scan.evaluate import Evaluator
from wickcore.study.follow import Study
from wickcore.study.intervals import Span, drawn_means, span_of
from wickcore.study.returns import RuleBars
from wickcore.study.sample import known

BEFORE, AFTER, DRAWS = 20, 60, 500


@dataclass(frozen=True, slots=True)
class PathPoint:
    """offset: bars from the hit's, 0 its own. Moves are fractions from the hit's close, with the sign of the rule's side; count: hits with
    a bar there. low, high: the 95% interval of the mean. baseline: the mean of the universe's members on each hit's day."""

    offset: int
    count: int
    mean: float | None
    median: float | None
    low: float | None
    high: float | None
    baseline: float | None


@njit(nogil=True, cache=True)
def _around(level: Floats, offsets: Ints, where: Ints, before: int, after: int, out: Floats) -> None:
    k = 0
    for i in range(len(where)):
        j = where[i]
        while j >= offsets[k + 1]:
            k += 1
        for m in range(-before, after + 1):
            inside = offsets[k] <= j + m < offsets[k + 1]
            out[m + before, i] = level[j + m] / level[j] - 1.0 if inside else np.nan


@njit(nogil=True, cache=True)
def _members(
    level: Floats, offsets: Ints, moment: Ints, belongs: Bools, row: Ints, before: int, after: int, total: Floats, count: Ints
) -> None:
    """Adds up the members' moves around each moment that is wanted, by its row and offset. row: of each moment, -1 where it is not wanted."""
    for k in range(len(offsets) - 1):
        for j in range(offsets[k], offsets[k + 1]):
            s = row[moment[j]]
            if s < 0 or not belongs[j]:
                continue
            own = 1.0 / level[j]
            for m in range(max(-before, offsets[k] - j), min(after + 1, offsets[k + 1] - j)):
                total[s, m + before] += level[j + m] * own - 1.0
                count[s, m + before] += 1


def path(
    evaluator: Evaluator, found: Study, members: Bools | None, before: int = BEFORE, after: int = AFTER, draws: int = DRAWS
) -> tuple[PathPoint, ...]:
    """The path of the study's hits, from `before` bars before to `after` after, closes on the continuous scale, without costs.

    Nothing after the study's as-of day is looked at; a hit counts at an offset where it has a bar. The interval draws days in blocks of
    mean length `after`, all offsets from the same draws. Empty where there are no hits.
    """
    evaluator = evaluator.stepping(found.frame)
    bars = evaluator.bars
    if not len(found.positions):
        return ()
    as_of = found.settings.until(bars)
    steps = RuleBars.of(bars, found.frame, as_of)
    where = np.searchsorted(steps.positions, found.positions)
    width = before + after + 1
    moves = np.empty((width, len(where)))
    level = (bars.close * bars.factor)[steps.positions]
    _around(level, steps.offsets, where, before, after, moves)
    day = bars.session[found.positions].astype(np.int64)
    wanted = np.unique(steps.moment[where])
    row = np.full(int(steps.moment.max()) + 1, -1)
    row[wanted] = np.arange(len(wanted))
    belongs = np.ones(len(steps.positions), np.bool_) if members is None else members[steps.positions]

    def summed(part: Ints) -> tuple[Floats, Ints]:
        total, count = np.zeros((len(wanted), width)), np.zeros((len(wanted), width), np.int64)
        _members(level, part, steps.moment, belongs, row, before, after, total, count)
        return total, count

    half = len(steps.offsets) // 2
    with ThreadPoolExecutor(2, "path") as pool:
        (total, count), (more, times) = pool.map(summed, (steps.offsets[: half + 1], steps.offsets[half:]))
    total, count = total + more, count + times
    base = np.where(count > 0, total / np.maximum(count, 1), np.nan)[row[steps.moment[where]]].T
    moves, base = found.side * moves, found.side * base
    low, high = _intervals(moves, day, after, found.settings.seed, draws, found.span)
    points = []
    for m in range(width):
        column, other = moves[m], base[m]
        here = ~np.isnan(column)
        some = bool(here.any())
        points.append(
            PathPoint(
                m - before,
                int(here.sum()),
                float(np.mean(column[here])) if some else None,
                float(np.median(column[here])) if some else None,
                known(low[m]),
                known(high[m]),
                float(np.nanmean(other[here])) if some else None,
            )
        )
    return tuple(points)


def _intervals(moves: Floats, day: Ints, block: int, seed: int, draws: int, span: Span | None) -> tuple[Floats, Floats]:
    if len(np.unique(day)) < 2:
        nothing = np.full(len(moves), np.nan)
        return nothing, nothing
    first, size = span or span_of(day)
    place = day - first
    here = ~np.isnan(moves)
    total = np.stack([np.bincount(place[h], m[h], minlength=size) for m, h in zip(moves, here, strict=True)], axis=1)
    count = np.stack([np.bincount(place[h], minlength=size) for h in here], axis=1)
    means = drawn_means(total, count, block, seed, draws)
    some = ~np.all(np.isnan(means), axis=0)
    low, high = np.full(len(some), np.nan), np.full(len(some), np.nan)
    low[some], high[some] = np.nanpercentile(means[:, some], [2.5, 97.5], axis=0)
    return low, high
