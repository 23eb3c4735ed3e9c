"""What each pattern is made of: one function a pattern, asked whenever a low is confirmed. All prices are logarithms.

A finder fills `one` with the pattern whose last point is the newest low, and says whether there is one. Tops are the same patterns of the
negated prices.
"""

import numpy as np
from numba import njit

from wickcore.bars.bars import Floats, Ints

FIELDS, POINTS = 12, 6
DOUBLE, SHOULDERS = 0, 1
FALL = 3  # the fall before a bottom is looked for in so many times `apart` bars before its first low


@njit(nogil=True, cache=True)
def _most(x: Floats, begin: int, end: int) -> int:
    """The place of the greatest value from begin to before end."""
    best = begin
    for i in range(begin + 1, end):
        if x[i] > x[best]:
            best = i
    return best


@njit(nogil=True, cache=True)
def _lowest(what: Floats, begin: int, end: int) -> float:
    """The lowest of the confirmed lows from number begin to before end; infinity where there is none."""
    found = np.inf
    for i in range(begin, end):
        found = min(found, what[1, i])
    return found


@njit(nogil=True, cache=True)
def _begin(one: Floats) -> None:
    """An empty object: neither triggered nor failed, and with points nowhere."""
    one[:] = 0.0
    one[10] = one[11] = -1
    for i in range(POINTS):
        one[FIELDS + 2 * i], one[FIELDS + 2 * i + 1] = np.nan, np.nan


@njit(nogil=True, cache=True)
def _point(one: Floats, number: int, at: int, price: float) -> None:
    one[FIELDS + 2 * number], one[FIELDS + 2 * number + 1] = at, price


@njit(nogil=True, cache=True)
def _double(
    first: int, when: Ints, what: Floats, count: Ints, h: Floats, lo: Floats, tolerance: float, apart: int, depth: float, within: int,
    one: Floats,
) -> bool:  # fmt: skip
    at2, low2 = when[1, 0], what[1, 0]
    for m in range(1, count[1]):
        at1, low1 = when[1, m], what[1, m]
        if at2 - at1 > within:
            return False
        if at2 - at1 < apart or abs(low2 - low1) > tolerance:
            continue
        top = _most(h, at1 + 1, at2)
        neckline = h[top]
        if neckline - max(low1, low2) < depth:
            continue
        # Nothing between lies under both lows, and a fall as deep as the rise led to the first.
        if -lo[_most(lo, at1 + 1, at2)] < min(low1, low2):
            continue
        before = max(first, at1 - FALL * apart)
        if before >= at1 or h[_most(h, before, at1)] - low1 < depth:
            continue
        _begin(one)
        one[1], one[2], one[3], one[5] = at1, at2, neckline, min(low1, low2)
        one[7] = neckline - min(low1, low2)
        even = 1.0 - abs(low2 - low1) / tolerance if tolerance > 0 else 1.0
        deep = min(1.0, (neckline - max(low1, low2)) / (2.0 * depth)) if depth > 0 else 1.0
        middle = 1.0 - abs(2.0 * (top - at1) / (at2 - at1) - 1.0)
        one[8] = 100.0 * (even + deep + middle) / 3.0
        _point(one, 0, at1, low1)
        _point(one, 1, top, neckline)
        _point(one, 2, at2, low2)
        return True
    return False


@njit(nogil=True, cache=True)
def _shoulders(
    first: int, when: Ints, what: Floats, count: Ints, h: Floats, lo: Floats, tolerance: float, apart: int, depth: float, within: int,
    one: Floats,
) -> bool:  # fmt: skip
    right, low3 = when[1, 0], what[1, 0]
    for m in range(1, count[1]):
        head, low2 = when[1, m], what[1, m]
        if right - head > within:
            return False
        if right - head < apart or low3 - low2 < tolerance:
            continue
        for n in range(m + 1, count[1]):
            left, low1 = when[1, n], what[1, n]
            if right - left > within:
                break
            if head - left < apart or low1 - low2 < tolerance or abs(low1 - low3) > tolerance:
                continue
            # No other turning point comes between a shoulder and the head that would itself be the shoulder.
            if _lowest(what, 1, m) < low3 or _lowest(what, m + 1, n) < low1:
                continue
            # The head is the lowest of all between the shoulders.
            if -lo[_most(lo, left, right + 1)] < low2:
                break
            a, b = _most(h, left + 1, head), _most(h, head + 1, right)
            if min(h[a], h[b]) - low2 < depth or min(h[a] - low1, h[b] - low3) <= 0 or abs(h[b] - h[a]) > 2.0 * tolerance:
                continue
            before = max(first, left - FALL * apart)
            if before >= left or h[_most(h, before, left)] - low1 < depth / 2.0:
                continue
            gain = (h[b] - h[a]) / (b - a)
            _begin(one)
            one[1], one[2], one[3], one[4], one[5] = left, a, h[a], gain, low2
            one[7] = h[a] + gain * (head - a) - low2
            even = 1.0 - abs(low1 - low3) / tolerance if tolerance > 0 else 1.0
            level = 1.0 - abs(h[b] - h[a]) / (2.0 * tolerance) if tolerance > 0 else 1.0
            middle = 1.0 - abs(2.0 * (head - left) / (right - left) - 1.0)
            one[8] = 100.0 * (even + level + middle) / 3.0
            _point(one, 0, left, low1)
            _point(one, 1, a, h[a])
            _point(one, 2, head, low2)
            _point(one, 3, b, h[b])
            _point(one, 4, right, low3)
            return True
    return False


@njit(nogil=True, cache=True)
def find(
    kind: int, j: int, first: int, when: Ints, what: Floats, count: Ints, h: Floats, lo: Floats, tolerance: float, apart: int, depth: float,
    within: int, one: Floats,
) -> bool:  # fmt: skip
    """The pattern of one kind that the newest low completes, if there is one. h, lo: highs and negated lows of the ended bars."""
    if kind == DOUBLE:
        return _double(first, when, what, count, h, lo, tolerance, apart, depth, within, one)
    return _shoulders(first, when, what, count, h, lo, tolerance, apart, depth, within, one)


KINDS = {
    "double_bottom": (DOUBLE, 1),
    "double_top": (DOUBLE, -1),
    "inverse_head_shoulders": (SHOULDERS, 1),
    "head_shoulders": (SHOULDERS, -1),
}
