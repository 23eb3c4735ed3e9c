"""Across the universe on one day: the place of each instrument's value among the others'."""

from typing import Any

import numpy as np
from numba import njit

from wickcore.bars.bars import Bools, Floats, Ints, Truth


@njit(nogil=True, cache=True)
def _ranks(x: Floats, order: Ints, edges: Ints, out: Floats) -> None:
    """`order` lists bar positions group by group; group g is order[edges[g]:edges[g + 1]]."""
    for g in range(len(edges) - 1):
        places = order[edges[g] : edges[g + 1]]
        size = len(places)
        if size < 2:
            continue
        values = np.empty(size)
        for m in range(size):
            values[m] = x[places[m]]
        by = np.argsort(values)
        m = 0
        while m < size:
            same = m + 1
            while same < size and values[by[same]] == values[by[m]]:
                same += 1
            place = 100.0 * (m + same - 1) / 2.0 / (size - 1)
            for s in range(m, same):
                out[places[by[s]]] = place
            m = same


def rank(x: Floats, group: Ints, counted: Bools | None) -> Floats:
    """Percentile, 0 to 100, of each value among those of its group (a day, or a sector on a day): 100 the highest, ties the mean.

    group: int64, one a bar. counted: which bars take part, None for all. Unknown where the value is, or where it is alone.
    """
    out = np.full(len(x), np.nan)
    known = ~np.isnan(x)
    if counted is not None:
        known &= counted
    at = np.flatnonzero(known)
    if len(at):
        order = at[np.argsort(group[at], kind="stable")]
        grouped = group[order]
        edges = np.concatenate([[0], np.flatnonzero(np.diff(grouped)) + 1, [len(order)]]).astype(np.int64)
        _ranks(x, order.astype(np.int64), edges, out)
    return out


def mean(x: Floats, group: Ints, counted: Bools) -> Floats:
    """The mean of the known values of each group's counted bars, told to all its bars; unknown in a group without any, and where the group's
    number is below 0."""
    known = counted & ~np.isnan(x) & (group >= 0)
    size = int(group.max(initial=-1)) + 1
    total, times = np.bincount(group[known], x[known], size), np.bincount(group[known], minlength=size)
    with np.errstate(invalid="ignore"):
        found = total / times
    return np.where(group >= 0, found[np.maximum(group, 0)], np.nan) if size else np.full(len(x), np.nan)


@njit(nogil=True, cache=True)
def _tally(truth: Truth, step: Any, counted: Bools, out: Ints) -> None:
    for i in range(len(truth)):
        if counted[i]:
            out[step[i], truth[i]] += 1


def tally(truth: Truth, step: Any, counted: Bools, size: int) -> Ints:
    """How many of the counted bars of each step fail, are unknown and pass: steps × 3."""
    out = np.zeros((size, 3), np.int64)
    _tally(truth, step, counted, out)
    return out


@njit(nogil=True, cache=True)
def _weigh(truth: Truth, weight: Floats, step: Any, counted: Bools, out: Floats) -> None:
    for i in range(len(truth)):
        if counted[i] and weight[i] == weight[i]:
            out[step[i], truth[i]] += weight[i]


def weigh(truth: Truth, weight: Floats, step: Any, counted: Bools, size: int) -> Floats:
    """As `tally`, with each bar's weight added up; a bar whose weight is unknown is left out."""
    out = np.zeros((size, 3))
    _weigh(truth, weight, step, counted, out)
    return out
