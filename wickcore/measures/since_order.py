"""Order in windows that begin with an event (wickcore.measures.since): the middle value, the place among the others, the mean deviation. A
bar costs a few steps however long the window has grown.
"""

from typing import Any

import numpy as np
from numba import njit

from wickcore.bars.bars import Floats, Ints, Truth
from wickcore.measures.frame import TRUE, Frame, ends
from wickcore.measures.order_tree import add, add_exactly, at_place, below, below_exactly, empty, exactly, numbered

MEDIAN, PLACE, DEVIATION = range(3)


@njit(nogil=True, cache=True)
def _ordered(x: Floats, begins: Truth, offsets: Ints, commit: Any, how: int, out: Floats) -> None:
    for k in range(len(offsets) - 1):
        first = offsets[k]
        numbers, values = numbered(x[first : offsets[k + 1]])
        counts, sums, rests = np.zeros(len(values) + 1), np.zeros(len(values) + 1), np.zeros(len(values) + 1)
        held = np.empty(offsets[k + 1] - first, np.int64)
        size, unknown, begun, total, total_rest, base = 0, 0, False, 0.0, 0.0, 0.0
        for i in range(first, offsets[k + 1]):
            v, number, anew = x[i], numbers[i - first], begins[i] == TRUE
            known = v == v and (anew or (begun and unknown == 0))
            others = 0 if anew else size
            if not known:
                out[i] = np.nan
            elif others == 0:
                out[i] = v if how == MEDIAN else np.nan if how == PLACE else 0.0
            else:
                under = below(counts, number)
                if how == PLACE:
                    same = below(counts, number + 1) - under
                    out[i] = 100.0 * (under + same / 2.0) / others
                elif how == MEDIAN:
                    # The window is what is held with v put in at `under`.
                    upper = (others + 1) // 2
                    high = v if upper == under else values[at_place(counts, upper if upper < under else upper - 1)]
                    if others % 2 == 0:
                        out[i] = high
                    else:
                        lower = upper - 1
                        low = v if lower == under else values[at_place(counts, lower if lower < under else lower - 1)]
                        out[i] = (low + high) / 2.0
                else:
                    # Sums are of distances from the window's first value, so that rounding does not pile up on a price level.
                    n = others + 1
                    mean = (total + total_rest + v - base) / n
                    split = np.searchsorted(values, base + mean, "right")
                    less, sum_less = below(counts, split), below_exactly(sums, rests, split)
                    if number < split:
                        less, sum_less = less + 1, sum_less + (v - base)
                    out[i] = max(0.0, 2.0 * (less * mean - sum_less) / n)
            if not ends(commit, i):
                continue
            if anew:
                for m in range(size):
                    empty(counts, held[m])
                    empty(sums, held[m])
                    empty(rests, held[m])
                size, unknown, begun, total, total_rest = 0, 0, True, 0.0, 0.0
            if not begun:
                continue
            if v != v:
                unknown += 1
            else:
                base = v if size == 0 else base
                add(counts, number, 1.0)
                add_exactly(sums, rests, number, v - base)
                total, rest = exactly(total, v - base)
                total_rest += rest
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
