"""The way prices took around the hits: from some bars before to some after, beside the universe on the same days."""

from dataclasses import dataclass

import numpy as np
from numba import njit

from wickcore.bars.bars import Bools, Days, Floats, Ints
from wickcore.scan.evaluate import Evaluator
from wickcore.study.follow import Study
from wickcore.study.intervals import drawn_days
from wickcore.study.returns import Steps
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
def _around(
    positions: Ints, offsets: Ints, close: Floats, factor: Floats, where: Ints, before: int, after: int, out: Floats
) -> None:
    k = 0
    for i in range(len(where)):
        j = where[i]
        while j >= offsets[k + 1]:
            k += 1
        own = close[positions[j]] * factor[positions[j]]
        for m in range(-before, after + 1):
            at = j + m
            inside = offsets[k] <= at < offsets[k + 1]
            out[i, m + before] = close[positions[at]] * factor[positions[at]] / own - 1.0 if inside else np.nan


@njit(nogil=True, cache=True)
def _members(
    positions: Ints, offsets: Ints, close: Floats, factor: Floats, session: Days, belongs: Bools, wanted: Bools, before: int, after: int,
    total: Floats, count: Ints,
) -> None:  # fmt: skip
    """The sums of the members' moves around each session that is wanted, by session and offset."""
    for k in range(len(offsets) - 1):
        for j in range(offsets[k], offsets[k + 1]):
            s = session[positions[j]]
            if not wanted[s] or not belongs[j]:
                continue
            own = close[positions[j]] * factor[positions[j]]
            for m in range(max(-before, offsets[k] - j), min(after + 1, offsets[k + 1] - j)):
                total[s, m + before] += close[positions[j + m]] * factor[positions[j + m]] / own - 1.0
                count[s, m + before] += 1


def path(
    evaluator: Evaluator, found: Study, members: Bools | None, before: int = BEFORE, after: int = AFTER, draws: int = DRAWS
) -> tuple[PathPoint, ...]:
    """The path of the study's hits, from `before` bars before to `after` after, closes on the continuous scale, without costs.

    Nothing after the study's as-of day is looked at; a hit counts at an offset where it has a bar. The interval draws days in blocks of
    mean length `after`, all offsets from the same draws. Empty where there are no hits.
    """
    bars = evaluator.market.bars
    if not len(found.positions):
        return ()
    as_of = bars.last_day if found.settings.as_of is None else found.settings.as_of
    steps = Steps.of(evaluator.market, found.frame, as_of)
    where = np.searchsorted(steps.positions, found.positions)
    width = before + after + 1
    moves = np.empty((len(where), width))
    _around(steps.positions, steps.offsets, bars.close, bars.factor, where, before, after, moves)
    day = bars.session[found.positions].astype(np.int64)
    wanted = np.zeros(len(bars.sessions), np.bool_)
    wanted[day] = True
    belongs = np.ones(len(steps.positions), np.bool_) if members is None else members[steps.positions]
    total, count = np.zeros((len(bars.sessions), width)), np.zeros((len(bars.sessions), width), np.int64)
    _members(steps.positions, steps.offsets, bars.close, bars.factor, bars.session, belongs, wanted, before, after, total, count)
    base = np.where(count > 0, total / np.maximum(count, 1), np.nan)[day]
    moves, base = found.side * moves, found.side * base
    low, high = _intervals(moves, day, after, found.settings.seed, draws)
    points = []
    for m in range(width):
        column, other = moves[:, m], base[:, m]
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


def _intervals(moves: Floats, day: Ints, block: int, seed: int, draws: int) -> tuple[Floats, Floats]:
    place = day - day.min()
    size = int(place.max()) + 1
    if size < 2:
        nothing = np.full(moves.shape[1], np.nan)
        return nothing, nothing
    here = ~np.isnan(moves)
    total = np.stack(
        [np.bincount(place, np.where(here[:, m], moves[:, m], 0.0), minlength=size) for m in range(moves.shape[1])], axis=1
    )
    count = np.stack([np.bincount(place, here[:, m], minlength=size) for m in range(moves.shape[1])], axis=1)
    means = np.full((draws, moves.shape[1]), np.nan)
    for first, times in drawn_days(size, block, seed, draws):
        number = times @ count
        means[first : first + len(times)] = np.where(number > 0, (times @ total) / np.maximum(number, 1e-9), np.nan)
    some = ~np.all(np.isnan(means), axis=0)
    low, high = np.full(len(some), np.nan), np.full(len(some), np.nan)
    low[some], high[some] = np.nanpercentile(means[:, some], [2.5, 97.5], axis=0)
    return low, high
