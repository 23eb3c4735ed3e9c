"""The life of a pattern: swings are confirmed; patterns become visible, are triggered, fail or run out.

All prices here are logarithms on the continuous scale: tolerances are shares of a price whatever its size, a line is straight where it
gains the same percentage each bar, and a pattern upside down is the same pattern of the negated prices. Committed state plus a peek, as all
measures: on a bar that does not end its frame's, the state is worked on in a copy.
"""

from typing import Any

import numpy as np
from numba import njit

from wickcore.bars.bars import Bools, Floats, Ints
from wickcore.measures.frame import kernel
from wickcore.patterns.finders import DOUBLE, FLAG, LEVEL, PENNANT, REST, SHOULDERS, find
from wickcore.patterns.flags import flag, pole
from wickcore.patterns.lines import same_level
from wickcore.patterns.objects import (
    AT,
    EXPIRED,
    EXPIRES,
    FAILED,
    FIELDS,
    FORMING,
    HEIGHT,
    INVALID,
    INVALID_GAIN,
    LAST,
    LOWER,
    LOWER_GAIN,
    LOWER_TOUCHES,
    POINTS,
    POLE,
    QUALITY,
    START,
    STATE,
    TRIGGER,
    TRIGGER_GAIN,
    TRIGGERED,
    UPPER,
    UPPER_GAIN,
    UPPER_TOUCHES,
    VISIBLE,
    WHEN_FAILED,
    WHEN_TRIGGERED,
    copy,
)  # fmt: skip

SWINGS, OBJECTS, LEVELS = 64, 4, 8
NEW, NOWHERE = -1, -2
FURTHEST = 5_000  # bars that any argument can name
# What can be asked of an object.
PARTS = {
    "forming": 0, "state": 1, "start": 2, "age": 3, "trigger": 4, "invalid": 5, "height": 6, "target": 7, "quality": 8,
    "since_trigger": 9, "since_failed": 10, "upper.now": 60, "upper.slope": 61, "upper.touches": 62, "lower.now": 63, "lower.slope": 64,
    "lower.touches": 65, "pole": 66,
}  # fmt: skip
POINT_PRICE, POINT_AGO = 20, 40  # plus the number of the point


@kernel
def _confirm(j: int, k: int, first: int, x: Floats) -> bool:
    """Whether bar j - k is higher than the k bars on either side of it."""
    at = j - k
    if at - k < first:
        return False
    top, highest = x[at], True
    for m in range(k, 0, -1):  # from this bar, which most often decides
        if not x[at + m] < top or not x[at - m] < top:
            highest = False
            break
    return highest


@kernel
def _push(row: int, at: int, price: float, when: Ints, what: Floats, count: Ints) -> None:
    """Keeps a swing as the newest; the oldest goes."""
    for m in range(SWINGS - 1, 0, -1):
        when[row, m], what[row, m] = when[row, m - 1], what[row, m - 1]
    when[row, 0], what[row, 0] = at, price
    count[row] = min(count[row] + 1, SWINGS)


@kernel
def _live(kind: int, j: int, close: float, lasts: int, made: Floats) -> None:
    """What this bar's close makes of the patterns that are visible."""
    for m in range(len(made)):
        if made[m, STATE] == 0:
            continue
        if j > made[m, EXPIRES] + lasts:
            made[m, STATE] = 0
            continue
        _judge(kind, j, close, made, m)
        if made[m, STATE] != FORMING:
            continue
        gone = j - made[m, AT]
        met = made[m, TRIGGER] + made[m, TRIGGER_GAIN] * gone <= made[m, INVALID] + made[m, INVALID_GAIN] * gone
        if kind == PENNANT:  # its lines are not what ends it
            met = met or made[m, UPPER] + made[m, UPPER_GAIN] * gone <= made[m, LOWER] + made[m, LOWER_GAIN] * gone
        if j > made[m, EXPIRES] or met:
            made[m, STATE] = EXPIRED


@kernel
def _judge(kind: int, j: int, close: float, made: Floats, m: int) -> None:
    """A level waits for its break however far price goes away; only a break can fail."""
    state, gone = made[m, STATE], j - made[m, AT]
    if state == FORMING and close > made[m, TRIGGER] + made[m, TRIGGER_GAIN] * gone:
        made[m, STATE], made[m, WHEN_TRIGGERED] = TRIGGERED, j
    elif (state == TRIGGERED or (state == FORMING and kind != LEVEL)) and close < made[m, INVALID] + made[m, INVALID_GAIN] * gone:
        made[m, STATE], made[m, WHEN_FAILED] = FAILED, j


@kernel
def _repeats(j: int, k: int, low: float, apart: float, before: Floats) -> bool:
    """Whether the newest low only repeats the last point of a bottom that is forming: soon after it, and no lower."""
    if before[STATE] != FORMING or j - before[VISIBLE] >= apart:
        return False
    last = 0.0
    for i in range(POINTS):
        if before[FIELDS + 2 * i] == before[VISIBLE] - k:
            last = before[FIELDS + 2 * i + 1]
    return low >= last


@kernel
def _place(kind: int, j: int, given: Floats, made: Floats, one: Floats) -> int:
    """Where a pattern just found belongs: in the place of the one it is a later view of, NEW, or NOWHERE."""
    if kind in (DOUBLE, SHOULDERS):
        return NEW
    for m in range(len(made) if kind == LEVEL else 1):
        before = made[m]
        if before[STATE] == 0:
            continue
        same = same_level(one, before, given[0]) if kind == LEVEL else one[START] <= before[LAST]
        if same and before[STATE] == FORMING:
            return m
        if same and j - max(before[WHEN_TRIGGERED], before[WHEN_FAILED]) < REST:
            return NOWHERE
    return NEW


@kernel
def _keep(kind: int, j: int, k: int, lasts: int, close: float, low: float, given: Floats, made: Floats, one: Floats) -> None:
    """Takes a pattern that was just found among the visible ones. low: the newest confirmed."""
    if kind in (DOUBLE, SHOULDERS) and _repeats(j, k, low, given[1], made[0]):
        return
    place = _place(kind, j, given, made, one)
    if place == NOWHERE:
        return
    one[VISIBLE] = j if place == NEW else made[place, VISIBLE]
    if place == NEW:
        for m in range(len(made) - 1, 0, -1):
            copy(made[m - 1], made[m])
        place = 0
    copy(one, made[place])
    made[place, STATE] = FORMING
    if one[EXPIRES] == 0:
        made[place, EXPIRES] = j + lasts
    _judge(kind, j, close, made, place)


@kernel
def chosen(kind: int, j: int, nth: int, made: Floats) -> int:
    """The place of the nth latest pattern; of levels the nth nearest above the close of the bar before: one that was above it is forming
    still, or broke on this bar. -1 where there is none."""
    seen, below, at = 0, -np.inf, -1
    if kind != LEVEL:
        for m in range(len(made)):
            if made[m, STATE] != 0:
                seen += 1
                if seen == nth:
                    return m
        return -1
    for _ in range(nth):
        nearest, at = np.inf, -1
        for m in range(len(made)):
            open_ = made[m, STATE] == FORMING or made[m, WHEN_TRIGGERED] == j or made[m, WHEN_FAILED] == j
            if made[m, STATE] != 0 and open_ and below < made[m, UPPER] < nearest:
                nearest, at = made[m, UPPER], m
        below = nearest
        if at < 0:
            return -1
    return at


@kernel
def _latest(field: int, made: Floats) -> float:
    """The last bar on which any was triggered (or failed); -1 where none was."""
    found = -1.0
    for m in range(len(made)):
        if made[m, STATE] != 0:
            found = max(found, made[m, field])
    return found


@kernel
def answer(part: int, j: int, made: Floats, m: int) -> float:
    gone = j - made[m, AT]
    found = np.nan
    if part in (0, 1):
        found = made[m, STATE]
    elif part == 2:
        found = j - made[m, START]
    elif part == 3:
        found = j - made[m, VISIBLE]
    elif part == 4:
        found = made[m, TRIGGER] + made[m, TRIGGER_GAIN] * gone
    elif part == 5:
        found = made[m, INVALID] + made[m, INVALID_GAIN] * gone
    elif part in (6, 7):
        found = made[m, HEIGHT]
    elif part == 8:
        found = made[m, QUALITY]
    elif part == 9 and made[m, WHEN_TRIGGERED] >= 0:
        found = j - made[m, WHEN_TRIGGERED]
    elif part == 10 and made[m, WHEN_FAILED] >= 0:
        found = j - made[m, WHEN_FAILED]
    elif POINT_PRICE <= part < POINT_PRICE + POINTS:
        found = made[m, FIELDS + 2 * (part - POINT_PRICE) + 1]
    elif POINT_AGO <= part < POINT_AGO + POINTS:
        found = j - made[m, FIELDS + 2 * (part - POINT_AGO)]
    elif part == 60:
        found = made[m, UPPER] + made[m, UPPER_GAIN] * gone
    elif part == 61:
        found = made[m, UPPER_GAIN]
    elif part == 62:
        found = made[m, UPPER_TOUCHES]
    elif part == 63:
        found = made[m, LOWER] + made[m, LOWER_GAIN] * gone
    elif part == 64:
        found = made[m, LOWER_GAIN]
    elif part == 65:
        found = made[m, LOWER_TOUCHES]
    elif part == 66:
        found = made[m, POLE]
    return found


@njit(nogil=True, cache=True)
def run(
    kind: int, side: float, part: int, high: Floats, low: Floats, close: Floats, range_: Floats, volume: Floats, h: Floats, down: Floats,
    c: Floats, a: Floats, v: Floats, offsets: Ints, starts: Ints, commit: Bools, k: int, lasts: int, given: Floats, nth: int, out: Floats,
) -> Any:  # fmt: skip
    """One part of the nth latest pattern, bar by bar; NaN where there is none. low: negated lows. The columns hold one value a base bar.
    h, down, c, a, v: the same by the frame's own bars: the columns themselves on the base frame; in a coarser one room, where the bars up to
    this one are written down as they come, so that nothing later can be read. commit: empty on the base frame. The machine takes half a
    minute to compile: the columns are asked for in one way, and those of the base frame could be written to as well, but are not.

    Returns all patterns as they stand on the very last bar, and the number of that bar in its frame.
    """
    width = FIELDS + 2 * POINTS
    when, what, count = np.zeros((2, SWINGS), np.int64), np.zeros((2, SWINGS)), np.zeros(2, np.int64)
    made, one = np.zeros((LEVELS if kind == LEVEL else OBJECTS, width)), np.zeros(width)
    when2, what2, count2, made2 = when.copy(), what.copy(), count.copy(), made.copy()
    work, shares = np.zeros((6, 12)), 1.0 / np.maximum(np.arange(FURTHEST + 1), 1)
    work2, flags = work.copy(), kind in (FLAG, PENNANT)
    latest = -1
    for i in range(len(offsets) - 1):
        first = starts[i]
        count[:] = 0
        made[:], work[:] = 0.0, 0.0
        j, bottom, bottom2 = first, -1, -1  # of the pole that ends at the newest high
        for p in range(offsets[i], offsets[i + 1]):
            ends = True
            if len(commit):
                ends = commit[p]
                h[j], down[j], c[j], a[j], v[j] = high[p], low[p], close[p], range_[p], volume[p]
            if not ends:
                when2[:], what2[:], count2[:], made2[:], work2[:], bottom2 = when, what, count, made, work, bottom
            _live(kind, j, c[j], lasts, made)
            fresh = 0
            if _confirm(j, k, first, h):
                _push(0, j - k, h[j - k], when, what, count)
                fresh = 1
            if _confirm(j, k, first, down):  # a low is confirmed as a high is, of the negated lows
                _push(1, j - k, -down[j - k], when, what, count)
                fresh += 2
            if flags and fresh & 1:
                bottom = pole(j - k, first, h, down, a, given)
            # Calls that pass all there is cost more than what most bars have to do.
            if flags:
                found = bottom >= 0 and flag(kind == PENNANT, j, bottom, when[0, 0], h, down, a, v, given, work, one)
            else:
                found = fresh > 0 and find(kind, side, fresh, j, first, when, what, count, h, down, c, a, given, shares, work, one)
            if found:
                _keep(kind, j, k, lasts, c[j], what[1, 0], given, made, one)
            if kind == LEVEL and (part == 9 or part == 10):
                at = _latest(WHEN_TRIGGERED if part == 9 else WHEN_FAILED, made)
                out[p] = j - at if at >= 0 and nth == 1 else np.nan
            else:
                place = chosen(kind, j, nth, made)
                out[p] = answer(part, j, made, place) if place >= 0 else np.nan
            latest = j
            if ends:
                j += 1
            elif p + 1 < offsets[i + 1]:
                when[:], what[:], count[:], made[:], work[:], bottom = when2, what2, count2, made2, work2, bottom2
    return made, latest
