"""Measures of order in a window: the middle value, the place among the others, and where the extreme lies."""

from typing import Any

import numpy as np
from numba import njit

from wickcore.bars.bars import Floats, Ints
from wickcore.measures.frame import Frame, ends
from wickcore.measures.order_tree import add, at_place, below, numbered

MEDIAN, PLACE = 0, 1
LONG = 48  # bars of a window that is ordered by a tree


@njit(nogil=True, cache=True)
def _below(values: Floats, size: int, v: float) -> int:
    """How many of the ascending values are below v."""
    low, high = 0, size
    while low < high:
        middle = (low + high) // 2
        if values[middle] < v:
            low = middle + 1
        else:
            high = middle
    return low


@njit(nogil=True, cache=True)
def _sorted(x: Floats, history: Floats, offsets: Ints, starts: Ints, commit: Any, n: int, how: int, out: Floats) -> None:
    """Keeps the n - 1 ended bars' values in order and finds this bar's place among them."""
    kept = np.empty(max(1, n))
    for k in range(len(offsets) - 1):
        first = starts[k]
        j, size, unknown = first, 0, 0
        for i in range(offsets[k], offsets[k + 1]):
            v = x[i]
            out[i] = np.nan
            if j - first >= n - 1 and unknown == 0 and v == v:
                at = _below(kept, size, v)
                if how == 1:
                    same = at
                    while same < size and kept[same] == v:
                        same += 1
                    if n > 1:
                        out[i] = 100.0 * (at + (same - at) / 2.0) / (n - 1)
                else:
                    # The window is `kept` with v put in at `at`.
                    upper = n // 2
                    high = v if upper == at else (kept[upper] if upper < at else kept[upper - 1])
                    if n % 2:
                        out[i] = high
                    else:
                        lower = upper - 1
                        low = v if lower == at else (kept[lower] if lower < at else kept[lower - 1])
                        out[i] = (low + high) / 2.0
            if not ends(commit, i) or n == 1:
                continue
            j += 1
            if j - first >= n:
                old = history[j - n]
                if old != old:
                    unknown -= 1
                else:
                    at = _below(kept, size, old)
                    for m in range(at, size - 1):
                        kept[m] = kept[m + 1]
                    size -= 1
            if v != v:
                unknown += 1
            else:
                at = _below(kept, size, v)
                for m in range(size, at, -1):
                    kept[m] = kept[m - 1]
                kept[at] = v
                size += 1


@njit(nogil=True, cache=True)
def _by_tree(x: Floats, offsets: Ints, commit: Any, n: int, how: int, out: Floats) -> None:
    """As `_sorted`, for long windows: moving the values of one along takes longer than a tree's few steps."""
    for k in range(len(offsets) - 1):
        first = offsets[k]
        numbers, values = numbered(x[first : offsets[k + 1]])
        counts, history = np.zeros(len(values) + 1), np.empty(len(numbers), np.int64)
        j, unknown = 0, 0
        for i in range(first, offsets[k + 1]):
            v, number = x[i], numbers[i - first]
            out[i] = np.nan
            if j >= n - 1 and unknown == 0 and v == v:
                at = int(below(counts, number))
                if how == PLACE:
                    same = below(counts, number + 1) - at
                    out[i] = 100.0 * (at + same / 2.0) / (n - 1)
                else:
                    # The window is what is counted with v put in at `at`.
                    upper = n // 2
                    high = v if upper == at else values[at_place(counts, upper if upper < at else upper - 1)]
                    if n % 2:
                        out[i] = high
                    else:
                        lower = upper - 1
                        low = v if lower == at else values[at_place(counts, lower if lower < at else lower - 1)]
                        out[i] = (low + high) / 2.0
            if not ends(commit, i):
                continue
            history[j] = number if v == v else -1
            j += 1
            if j >= n:
                old = history[j - n]
                if old < 0:
                    unknown -= 1
                else:
                    add(counts, old, -1.0)
            if v != v:
                unknown += 1
            else:
                add(counts, number, 1.0)


@njit(nogil=True, cache=True)
def _since_extreme(x: Floats, history: Floats, offsets: Ints, starts: Ints, commit: Any, n: int, sign: float, out: Floats) -> None:
    """Bars since the extreme of n bars, the latest of equals, by a queue of falling candidates."""
    size = 1
    while size < n + 1:
        size *= 2
    mask = size - 1
    queue = np.empty(size, np.int64)
    for k in range(len(offsets) - 1):
        first = starts[k]
        j, head, tail, last_unknown = first, 0, 0, first - n - 1
        for i in range(offsets[k], offsets[k + 1]):
            v = x[i] * sign
            while head < tail and queue[head & mask] < j - n + 1:
                head += 1
            if j - first < n - 1 or v != v or last_unknown > j - n:
                out[i] = np.nan
            elif head < tail and history[queue[head & mask]] * sign > v:
                out[i] = float(j - queue[head & mask])
            else:
                out[i] = 0.0
            if ends(commit, i):
                if v != v:
                    last_unknown = j
                else:
                    while head < tail and history[queue[(tail - 1) & mask]] * sign <= v:
                        tail -= 1
                    queue[tail & mask] = j
                    tail += 1
                j += 1


def _ordered(x: Floats, frame: Frame, n: int, how: int) -> Floats:
    out = np.empty(len(x))
    if n < LONG:
        _sorted(x, frame.history(x), frame.offsets, frame.starts, frame.commit, n, how, out)
    else:
        _by_tree(x, frame.offsets, frame.commit, n, how, out)
    return out


def median(x: Floats, frame: Frame, n: int) -> Floats:
    """The middle of n values; the mean of the two middle ones where n is even."""
    return _ordered(x, frame, n, MEDIAN)


def percentile(x: Floats, frame: Frame, n: int) -> Floats:
    """The place of this value among the n - 1 before it, 0 to 100; ties count half."""
    return _ordered(x, frame, n, PLACE)


def bars_since_highest(x: Floats, frame: Frame, n: int) -> Floats:
    """Bars since the highest of n bars."""
    out = np.empty(len(x))
    _since_extreme(x, frame.history(x), frame.offsets, frame.starts, frame.commit, n, 1.0, out)
    return out


def bars_since_lowest(x: Floats, frame: Frame, n: int) -> Floats:
    """Bars since the lowest of n bars."""
    out = np.empty(len(x))
    _since_extreme(x, frame.history(x), frame.offsets, frame.starts, frame.commit, n, -1.0, out)
    return out
