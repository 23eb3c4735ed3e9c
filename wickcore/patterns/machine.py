"""The life of a pattern: swings are confirmed; patterns become visible, are triggered, fail or run out.

All prices here are logarithms on the continuous scale: tolerances are shares of a price whatever its size, a line is straight where it
gains the same percentage each bar, and a pattern upside down is the same pattern of the negated prices. Committed state plus a peek, as all
measures: on a bar that does not end its frame's, the state is worked on in a copy.
"""

from typing import Any

import numpy as np
from numba import njit

from wickcore.bars.bars import Floats, Ints
from wickcore.patterns.finders import FIELDS, POINTS, find

SWINGS, OBJECTS = 64, 4
FORMING, TRIGGERED, FAILED, EXPIRED = 1, 2, 3, 4
# Where an object keeps what: bar on which it became visible, first bar, reference bar of its lines, trigger and invalid line (value at the
# reference, gain a bar), height, quality, state, bars on which it was triggered and failed; then bar and price of each point.
VISIBLE, START, AT, TRIGGER, TRIGGER_GAIN, INVALID, INVALID_GAIN, HEIGHT, QUALITY, STATE, WHEN_TRIGGERED, WHEN_FAILED = range(
    FIELDS
)
# What can be asked of an object.
PARTS = {
    "forming": 0, "state": 1, "start": 2, "age": 3, "trigger": 4, "invalid": 5, "height": 6, "target": 7, "quality": 8,
    "since_trigger": 9, "since_failed": 10,
}  # fmt: skip
POINT_PRICE, POINT_AGO = 20, 40  # plus the number of the point


@njit(nogil=True, cache=True)
def _confirm(j: int, k: int, first: int, now: float, h: Floats) -> bool:
    """Whether bar j - k is higher than the k bars on either side of it; `now` is the value of bar j itself."""
    at = j - k
    if at - k < first:
        return False
    top = h[at]
    if not now < top:
        return False
    higher = False  # written as a loop that Numba can end early
    for m in range(1, k + 1):
        if not h[at - m] < top or (m < k and not h[at + m] < top):
            higher = True
            break
    return not higher


@njit(nogil=True, cache=True)
def _push(kind: int, at: int, price: float, when: Ints, what: Floats, count: Ints) -> None:
    """Keeps a swing as the newest; the oldest goes."""
    for m in range(SWINGS - 1, 0, -1):
        when[kind, m], what[kind, m] = when[kind, m - 1], what[kind, m - 1]
    when[kind, 0], what[kind, 0] = at, price
    count[kind] = min(count[kind] + 1, SWINGS)


@njit(nogil=True, cache=True)
def _live(j: int, close: float, lasts: int, made: Floats) -> None:
    """What this bar's close makes of the patterns that are visible."""
    for m in range(OBJECTS):
        if made[m, STATE] == 0:
            continue
        age = j - made[m, VISIBLE]
        if age > 2 * lasts:
            made[m, STATE] = 0
            continue
        _judge(j, close, made[m])
        if age > lasts and made[m, STATE] == FORMING:
            made[m, STATE] = EXPIRED


@njit(nogil=True, cache=True)
def _judge(j: int, close: float, one: Floats) -> None:
    state, gone = one[STATE], j - one[AT]
    if state == FORMING and close > one[TRIGGER] + one[TRIGGER_GAIN] * gone:
        one[STATE], one[WHEN_TRIGGERED] = TRIGGERED, j
    elif (state in (FORMING, TRIGGERED)) and close < one[INVALID] + one[INVALID_GAIN] * gone:
        one[STATE], one[WHEN_FAILED] = FAILED, j


@njit(nogil=True, cache=True)
def _same(j: int, k: int, low: float, apart: int, before: Floats) -> bool:
    """Whether the newest low only repeats the last point of a pattern that is forming: soon after it, and no lower."""
    if before[STATE] != FORMING or j - before[VISIBLE] >= apart:
        return False
    last = 0.0
    for i in range(POINTS):
        if before[FIELDS + 2 * i] == before[VISIBLE] - k:
            last = before[FIELDS + 2 * i + 1]
    return low >= last


@njit(nogil=True, cache=True)
def _step(
    kind: int, j: int, first: int, high: float, low: float, close: float, h: Floats, lo: Floats, k: int, tolerance: float, apart: int,
    depth: float, within: int, lasts: int, when: Ints, what: Floats, count: Ints, made: Floats, one: Floats,
) -> None:  # fmt: skip
    """Takes one bar of the frame in. h, lo: the ended bars' highs and lows, at their own places; lo holds negated lows too, so that a low
    is confirmed as a high is."""
    _live(j, close, lasts, made)
    if _confirm(j, k, first, high, h):
        _push(0, j - k, h[j - k], when, what, count)
    if _confirm(j, k, first, -low, lo):
        _push(1, j - k, -lo[j - k], when, what, count)
        if find(kind, j, first, when, what, count, h, lo, tolerance, apart, depth, within, one) and not _same(
            j, k, what[1, 0], apart, made[0]
        ):
            for m in range(OBJECTS - 1, 0, -1):
                made[m] = made[m - 1]
            made[0] = one
            made[0, VISIBLE], made[0, STATE] = j, FORMING
            _judge(j, close, made[0])


@njit(nogil=True, cache=True)
def _answer(part: int, j: int, one: Floats) -> float:
    gone = j - one[AT]
    trigger, invalid = one[TRIGGER] + one[TRIGGER_GAIN] * gone, one[INVALID] + one[INVALID_GAIN] * gone
    found = np.nan
    if part in (0, 1):
        found = one[STATE]
    elif part == 2:
        found = j - one[START]
    elif part == 3:
        found = j - one[VISIBLE]
    elif part == 4:
        found = trigger
    elif part == 5:
        found = invalid
    elif part in (6, 7):
        found = one[HEIGHT]
    elif part == 8:
        found = one[QUALITY]
    elif part == 9 and one[WHEN_TRIGGERED] >= 0:
        found = j - one[WHEN_TRIGGERED]
    elif part == 10 and one[WHEN_FAILED] >= 0:
        found = j - one[WHEN_FAILED]
    elif POINT_PRICE <= part < POINT_PRICE + POINTS:
        found = one[FIELDS + 2 * (part - POINT_PRICE) + 1]
    elif POINT_AGO <= part < POINT_AGO + POINTS:
        found = j - one[FIELDS + 2 * (part - POINT_AGO)]
    return found


@njit(nogil=True, cache=True)
def run(
    kind: int, part: int, high: Floats, low: Floats, close: Floats, h: Floats, lo: Floats, offsets: Ints, starts: Ints, commit: Any,
    k: int, tolerance: float, apart: int, depth: float, within: int, lasts: int, nth: int, out: Floats,
) -> None:  # fmt: skip
    """One part of the nth latest pattern, bar by bar; NaN where there is none."""
    width = FIELDS + 2 * POINTS
    when, what, count = np.zeros((2, SWINGS), np.int64), np.zeros((2, SWINGS)), np.zeros(2, np.int64)
    made, one = np.zeros((OBJECTS, width)), np.zeros(width)
    when2, what2, count2, made2 = when.copy(), what.copy(), count.copy(), made.copy()
    for i in range(len(offsets) - 1):
        first = starts[i]
        count[:] = 0
        made[:] = 0.0
        j = first
        for p in range(offsets[i], offsets[i + 1]):
            if commit is None:
                ends = True
            else:
                ends = commit[p]
            if ends:
                _step(
                    kind,
                    j,
                    first,
                    high[p],
                    low[p],
                    close[p],
                    h,
                    lo,
                    k,
                    tolerance,
                    apart,
                    depth,
                    within,
                    lasts,
                    when,
                    what,
                    count,
                    made,
                    one,
                )
                now = made
            else:
                when2[:], what2[:], count2[:], made2[:] = when, what, count, made
                _step(
                    kind,
                    j,
                    first,
                    high[p],
                    low[p],
                    close[p],
                    h,
                    lo,
                    k,
                    tolerance,
                    apart,
                    depth,
                    within,
                    lasts,
                    when2,
                    what2,
                    count2,
                    made2,
                    one,
                )
                now = made2
            seen, at = 0, -1
            for m in range(OBJECTS):
                if now[m, STATE] != 0:
                    seen += 1
                    if seen == nth:
                        at = m
                        break
            out[p] = _answer(part, j, now[at]) if at >= 0 else np.nan
            if ends:
                j += 1
