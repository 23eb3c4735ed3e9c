"""Order in windows that begin with an event (wickcore.measures.since): the middle value, the place among the others, the mean deviation.

An instrument's values are numbered by their order once; how many of the window's lie below one, and what they come to, are then sums over
numbers, kept in a tree of partial sums (P. Fenwick, Software: Practice and Experience 24, 1994), so that a bar costs a few steps however long
the window has grown. Numbering all of an instrument's values looks ahead at none of them: a number says nothing but which of two is greater.
"""

from typing import Any

import numpy as np
from numba import njit

from wickcore.bars.bars import Floats, Ints, Truth
from wickcore.measures.frame import TRUE, Frame, ends, kernel

MEDIAN, PLACE, DEVIATION = range(3)


@kernel
def _add(tree: Floats, number: int, by: float) -> None:
    at = number + 1
    while at < len(tree):
        tree[at] += by
        at += at & -at


@kernel
def _empty(tree: Floats, number: int) -> None:
    """Takes out all that was added at a number, or at those that share its sums."""
    at = number + 1
    while at < len(tree):
        tree[at] = 0.0
        at += at & -at


@kernel
def _below(tree: Floats, number: int) -> float:
    """What was added at lower numbers."""
    total, at = 0.0, number
    while at > 0:
        total += tree[at]
        at -= at & -at
    return total


@kernel
def _at(counts: Floats, place: int) -> int:
    """The number of the value that stands at a place, from 0, among those counted."""
    step, at, left = 1, 0, place
    while 2 * step < len(counts):
        step *= 2
    while step:
        if at + step < len(counts) and counts[at + step] <= left:
            at += step
            left -= counts[at]
        step //= 2
    return at


@njit(nogil=True, cache=True)
def _numbered(x: Floats) -> Any:
    """Each known value's number in ascending order, equal ones the same; and the values by number."""
    order, numbers, values, used = np.argsort(x), np.zeros(len(x), np.int64), np.empty(len(x)), 0
    for i in order:
        if x[i] != x[i]:
            continue
        if used == 0 or values[used - 1] != x[i]:
            values[used] = x[i]
            used += 1
        numbers[i] = used - 1
    return numbers, values[:used]


@njit(nogil=True, cache=True)
def _ordered(x: Floats, begins: Truth, offsets: Ints, commit: Any, how: int, out: Floats) -> None:
    for k in range(len(offsets) - 1):
        first = offsets[k]
        numbers, values = _numbered(x[first : offsets[k + 1]])
        counts, sums = np.zeros(len(values) + 1), np.zeros(len(values) + 1)
        held = np.empty(offsets[k + 1] - first, np.int64)
        size, unknown, begun, total = 0, 0, False, 0.0
        for i in range(first, offsets[k + 1]):
            v, number, anew = x[i], numbers[i - first], begins[i] == TRUE
            known = v == v and (anew or (begun and unknown == 0))
            others = 0 if anew else size
            if not known:
                out[i] = np.nan
            elif others == 0:
                out[i] = v if how == MEDIAN else np.nan if how == PLACE else 0.0
            else:
                below = _below(counts, number)
                if how == PLACE:
                    same = _below(counts, number + 1) - below
                    out[i] = 100.0 * (below + same / 2.0) / others
                elif how == MEDIAN:
                    # The window is what is held with v put in at `below`.
                    upper = (others + 1) // 2
                    high = v if upper == below else values[_at(counts, upper if upper < below else upper - 1)]
                    if others % 2 == 0:
                        out[i] = high
                    else:
                        lower = upper - 1
                        low = v if lower == below else values[_at(counts, lower if lower < below else lower - 1)]
                        out[i] = (low + high) / 2.0
                else:
                    # Sums are of distances from the first value by number, so that rounding does not pile up on a price level.
                    n, base = others + 1, values[0]
                    mean = (total + v - base) / n
                    split = np.searchsorted(values, base + mean, "right")
                    less, sum_less = _below(counts, split), _below(sums, split)
                    if number < split:
                        less, sum_less = less + 1, sum_less + (v - base)
                    out[i] = max(0.0, 2.0 * (less * mean - sum_less) / n)
            if not ends(commit, i):
                continue
            if anew:
                for m in range(size):
                    _empty(counts, held[m])
                    _empty(sums, held[m])
                size, unknown, begun, total = 0, 0, True, 0.0
            if not begun:
                continue
            if v != v:
                unknown += 1
            else:
                _add(counts, number, 1.0)
                _add(sums, number, v - values[0])
                total += v - values[0]
                held[size] = number
                size += 1


def _of(x: Floats, begins: Truth, frame: Frame, how: int) -> Floats:
    out = np.empty(len(x))
    _ordered(x, begins, frame.offsets, frame.commit, how, out)
    return out


def median(x: Floats, begins: Truth, frame: Frame) -> Floats:
    """The middle of the window's values; the mean of the two middle ones where they are even in number."""
    return _of(x, begins, frame, MEDIAN)


def percentile(x: Floats, begins: Truth, frame: Frame) -> Floats:
    """The place of this value among the window's others, 0 to 100; ties count half. Unknown on the first bar."""
    return _of(x, begins, frame, PLACE)


def mean_dev(x: Floats, begins: Truth, frame: Frame) -> Floats:
    """The mean distance of the window's values from their mean."""
    return _of(x, begins, frame, DEVIATION)
