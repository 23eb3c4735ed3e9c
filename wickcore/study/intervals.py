"""How sure one can be: the Wilson interval and the day-block bootstrap."""

import math
from collections import OrderedDict
from collections.abc import Sequence
from threading import Lock
from typing import Any

import numpy as np
import numpy.typing as npt
from numba import njit

from wickcore.bars.bars import Bools, Floats, Ints

Z95 = 1.959963984540054
DRAWS, MEDIAN_DRAWS = 2_000, 500
KEPT_BYTES = 300_000_000
Counts = npt.NDArray[Any]


def wilson(wins: int, count: int) -> tuple[float, float]:
    """The 95% interval of a share (E. B. Wilson, JASA 22, 1927); (nan, nan) for no observations."""
    if count == 0:
        return math.nan, math.nan
    share, z2 = wins / count, Z95 * Z95
    middle = (share + z2 / (2 * count)) / (1 + z2 / count)
    half = Z95 * math.sqrt(share * (1 - share) / count + z2 / (4 * count * count)) / (1 + z2 / count)
    return max(0.0, middle - half), min(1.0, middle + half)


Span = tuple[int, int]  # the first session that is resampled, and how many are


def day_block_interval(
    excess: Floats, day: Ints, block: int, seed: int, draws: int = DRAWS, span: Span | None = None
) -> tuple[float, float]:
    """The 95% interval of the mean excess when whole days are drawn in blocks of mean length `block`.

    excess: one a hit. day: the hit's session index. The sessions of the span (from the first hit to the last where none is given) are
    resampled, those without hits too, by the stationary bootstrap (Politis and Romano, JASA 89, 1994); each draw's mean is its sum of
    excess over its number of hits. (nan, nan) under two distinct days.
    """
    (found,) = group_intervals(excess, day, [np.ones(len(excess), np.bool_)], block, seed, draws, span)
    return found


def group_intervals(
    excess: Floats, day: Ints, groups: Sequence[Bools], block: int, seed: int, draws: int = DRAWS, span: Span | None = None
) -> list[tuple[float, float]]:
    """The interval of each group of hits, as `day_block_interval` says, all of them from the same draws of days."""
    if len(np.unique(day)) < 2:
        return [(math.nan, math.nan) for _ in groups]
    first, size = span or span_of(day)
    place = day - first
    total = np.stack([np.bincount(place[g], excess[g], minlength=size) for g in groups], axis=1).astype(np.float64)
    count = np.stack([np.bincount(place[g], minlength=size) for g in groups], axis=1).astype(np.float64)
    return ratio_intervals(total, count, block, seed, draws)


def ratio_intervals(total: Floats, count: Floats, block: int, seed: int, draws: int = DRAWS) -> list[tuple[float, float]]:
    """The 95% interval of each column's total over its count, all of them from the same draws of days. total, count: days × columns, what
    each day's hits sum to and how many they are. (nan, nan) for a column with hits on fewer than two days."""
    means = drawn_means(total, count, block, seed, draws)
    found = []
    for column, hits in zip(means.T, count.T, strict=True):
        if np.count_nonzero(hits) < 2 or np.all(np.isnan(column)):
            found.append((math.nan, math.nan))
        else:
            low, high = np.nanpercentile(column, [2.5, 97.5])
            found.append((float(low), float(high)))
    return found


def median_interval(
    values: Floats, day: Ints, block: int, seed: int, draws: int = MEDIAN_DRAWS, span: Span | None = None
) -> tuple[float, float]:
    """The 95% interval of the median, from the first of the draws of days that the mean's is from; (nan, nan) under two distinct days."""
    if len(np.unique(day)) < 2:
        return math.nan, math.nan
    first, size = span or span_of(day)
    order = np.argsort(values, kind="stable")
    place = (day - first)[order]
    times = drawn_days(size, block, seed, draws)
    totals = times.astype(np.float64) @ np.bincount(place, minlength=size)
    found = np.empty(draws)
    _weighted_medians(values[order], place, times, totals.astype(np.int64), found)
    if np.all(np.isnan(found)):
        return math.nan, math.nan
    low, high = np.nanpercentile(found, [2.5, 97.5])
    return float(low), float(high)


@njit(nogil=True, cache=True)
def _weighted_medians(values: Floats, place: Ints, times: Counts, totals: Ints, out: Floats) -> None:
    """The median of each draw: every value as often as its day was drawn. values: ascending; place: the day of each; totals: how many
    values each draw has."""
    for d in range(len(out)):
        row, total = times[d], totals[d]
        if total == 0:
            out[d] = np.nan
            continue
        lower, upper, seen, found = (total - 1) // 2, total // 2, 0, np.nan
        for i in range(len(place)):
            seen += row[place[i]]
            if np.isnan(found) and seen > lower:
                found = values[i]
            if seen > upper:
                out[d] = (found + values[i]) / 2
                break


def span_of(day: Ints) -> Span:
    """From the first of the days to the last."""
    return int(day.min()), int(day.max() - day.min()) + 1


def drawn_means(total: npt.NDArray[Any], count: npt.NDArray[Any], block: int, seed: int, draws: int) -> Floats:
    """The mean of each column in each draw of days (draws × columns), NaN where no hit was drawn. total, count: days × columns."""
    means = np.empty((draws, total.shape[1]))
    times = drawn_days(len(total), block, seed, draws)
    # Days without any hit add nothing to any draw.
    some = np.flatnonzero(count.any(axis=1))
    total, count = np.ascontiguousarray(total[some]), np.ascontiguousarray(count[some])
    for first in range(0, draws, 250):
        part = times[first : first + 250, some].astype(np.float64)
        number = part @ count
        means[first : first + len(part)] = np.where(number > 0, (part @ total) / np.maximum(number, 1e-9), np.nan)
    return means


_drawn: OrderedDict[tuple[int, int, int], Counts] = OrderedDict()
_drawn_lock = Lock()


def drawn_days(size: int, block: int, seed: int, draws: int) -> Counts:
    """How often each of `size` days comes up in each draw (draws × days). The latest are kept: all studies of one market that draw with
    one seed draw the same days."""
    key = (size, block, seed)
    with _drawn_lock:
        found = _drawn.get(key)
        if found is not None and len(found) >= draws:
            _drawn.move_to_end(key)
            return found[:draws]
    # Imported here: it takes as long as everything else together, and a start that measures nothing does without.
    from arch.bootstrap import StationaryBootstrap

    resampler = StationaryBootstrap(block, np.arange(size), seed=np.random.default_rng(seed))
    found = np.empty((draws, size), np.uint16)
    for i in range(draws):
        found[i] = np.bincount(resampler.update_indices(), minlength=size)
    found.setflags(write=False)
    with _drawn_lock:
        _drawn[key] = found
        while sum(kept.nbytes for kept in _drawn.values()) > KEPT_BYTES and len(_drawn) > 1:
            _drawn.popitem(last=False)
    return found
