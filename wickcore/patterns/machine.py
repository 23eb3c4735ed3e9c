"""The life of a pattern: swings are confirmed; patterns become visible, are triggered, fail or run out.

All prices here are logarithms on the continuous scale: tolerances are shares of a price whatever its size, a line is straight where it
gains the same percentage each bar, and a pattern upside down is the same pattern of the negated prices. Committed state plus a peek, as all
measures: on a bar that does not end its frame's, the state is worked on in a copy.
"""

from typing import Any, NamedTuple

import numpy as np
from numba import njit

from wickcore.bars.bars import Bools, Floats, Ints
from wickcore.measures.frame import kernel
from wickcore.patterns.finders import EVERY_BAR, HIGHS, LOWS, OVERLAPPING, REST, SAME_PRICE, SEPARATE, Way, find
from wickcore.patterns.flags import pole
from wickcore.patterns.levels import same_level
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
    LEFT,
    LOWER,
    LOWER_GAIN,
    LOWER_TOUCHES,
    POINTS,
    POLE,
    QUALITY,
    SCALE,
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
    Look,
    copy,
)  # fmt: skip

SWINGS, SCALES = 64, 3
NEW, NOWHERE, WAIT = -1, -2, 2 / 3
FURTHEST = 5_000  # bars that any argument can name
# What can be asked of an object.
(
    ASK_FORMING, ASK_STATE, ASK_START, ASK_AGE, ASK_TRIGGER, ASK_INVALID, ASK_HEIGHT, ASK_TARGET, ASK_QUALITY, ASK_SINCE_TRIGGER,
    ASK_SINCE_FAILED, ASK_UPPER, ASK_UPPER_SLOPE, ASK_UPPER_TOUCHES, ASK_LOWER, ASK_LOWER_SLOPE, ASK_LOWER_TOUCHES, ASK_POLE,
) = range(18)  # fmt: skip
PARTS = {
    "forming": ASK_FORMING, "state": ASK_STATE, "start": ASK_START, "age": ASK_AGE, "trigger": ASK_TRIGGER, "invalid": ASK_INVALID,
    "height": ASK_HEIGHT, "target": ASK_TARGET, "quality": ASK_QUALITY, "since_trigger": ASK_SINCE_TRIGGER,
    "since_failed": ASK_SINCE_FAILED, "upper.now": ASK_UPPER, "upper.slope": ASK_UPPER_SLOPE, "upper.touches": ASK_UPPER_TOUCHES,
    "lower.now": ASK_LOWER, "lower.slope": ASK_LOWER_SLOPE, "lower.touches": ASK_LOWER_TOUCHES, "pole": ASK_POLE,
}  # fmt: skip
POINT_PRICE, POINT_AGO = 20, 40  # plus the number of the point


@kernel
def of_scale(k: int, scale: int) -> int:
    """Bars on either side of the turning points of a scale, for the default k: 3, 5 and 8."""
    return k if scale == 0 else (10 * k + 3) // 6 if scale == 1 else (16 * k + 3) // 6


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
def _push(row: int, at: int, price: float, bars: Ints, prices: Floats, count: Ints) -> None:
    """Keeps a swing as the newest; the oldest goes."""
    for m in range(SWINGS - 1, 0, -1):
        bars[row, m], prices[row, m] = bars[row, m - 1], prices[row, m - 1]
    bars[row, 0], prices[row, 0] = at, price
    count[row] = min(count[row] + 1, SWINGS)


@kernel
def _live(way: Way, j: int, close: float, lasts: int, made: Floats) -> None:
    """What this bar's close makes of the patterns that are visible."""
    for m in range(len(made)):
        if made[m, STATE] == 0:
            continue
        if j > made[m, EXPIRES] + lasts:
            made[m, STATE] = 0
            continue
        if made[m, STATE] != FORMING and _gone(close, made, m):
            made[m, LEFT] = 1.0  # from the bar after its break on: on that bar it is news
        gone = j - made[m, AT]
        met = made[m, TRIGGER] + made[m, TRIGGER_GAIN] * gone <= made[m, INVALID] + made[m, INVALID_GAIN] * gone
        if way.own_lines:  # besides those that trigger and end it
            met = met or made[m, UPPER] + made[m, UPPER_GAIN] * gone <= made[m, LOWER] + made[m, LOWER_GAIN] * gone
        if made[m, STATE] == FORMING and met:
            _end(made, m, j, EXPIRED)  # lines that have met confirm nothing any more
        _judge(way, j, close, made, m)
        if made[m, STATE] == FORMING and j > made[m, EXPIRES]:
            _end(made, m, j, EXPIRED)


@kernel
def _fallen(j: int, close: float, made: Floats) -> None:
    """A rest that this bar did not draw anew, and whose lower line it closed below, is none any more."""
    for m in range(len(made)):
        under = made[m, LOWER] + made[m, LOWER_GAIN] * (j - made[m, AT])
        if made[m, STATE] == FORMING and made[m, LAST] < j and close < under:
            _end(made, m, j, EXPIRED)


@kernel
def _end(made: Floats, m: int, j: int, state: int) -> None:
    """Triggered, failed or expired on bar j: from then on what confirmed it and what would have ended it stand where they stood."""
    made[m, STATE] = state
    gone = j - made[m, AT]
    made[m, TRIGGER], made[m, INVALID] = (
        made[m, TRIGGER] + made[m, TRIGGER_GAIN] * gone,
        made[m, INVALID] + made[m, INVALID_GAIN] * gone,
    )
    made[m, TRIGGER_GAIN] = made[m, INVALID_GAIN] = 0.0


@kernel
def _gone(close: float, made: Floats, m: int) -> bool:
    """Whether the close lies further from the pattern than its height."""
    top, bottom = max(made[m, TRIGGER], made[m, INVALID]), min(made[m, TRIGGER], made[m, INVALID])
    return close > top + made[m, HEIGHT] or close < bottom - made[m, HEIGHT]


@kernel
def _judge(way: Way, j: int, close: float, made: Floats, m: int) -> None:
    """Whether this bar's close breaks the pattern one way or the other."""
    state, gone = made[m, STATE], j - made[m, AT]
    if state == FORMING and close > made[m, TRIGGER] + made[m, TRIGGER_GAIN] * gone:
        _end(made, m, j, TRIGGERED)
        made[m, WHEN_TRIGGERED] = j
    elif (state == TRIGGERED or (state == FORMING and not way.by_price)) and close < made[m, INVALID] + made[
        m, INVALID_GAIN
    ] * gone:
        _end(made, m, j, FAILED)
        made[m, WHEN_FAILED] = j


@kernel
def _repeats(j: int, low: float, apart: float, before: Floats) -> bool:
    """Whether the newest low only repeats the last point of a bottom that is forming: soon after it, and no lower."""
    if before[STATE] != FORMING or j - before[VISIBLE] >= apart:
        return False
    last = 0.0
    for i in range(POINTS):
        if before[FIELDS + 2 * i] == before[LAST]:
            last = before[FIELDS + 2 * i + 1]
    return low >= last


@kernel
def _place(way: Way, j: int, made: Floats, look: Look) -> int:
    """Where a pattern just found belongs: in the place of the one it is a later view of, NEW, or NOWHERE."""
    pattern = look.pattern
    for m in range(1 if way.later == OVERLAPPING else len(made)):
        before = made[m]
        if before[STATE] == 0:
            continue
        if way.later == SAME_PRICE:
            same = same_level(pattern, before, look.given[0])
        elif way.later == SEPARATE:  # of one last point, seen on turning points of another size
            same = pattern[LAST] == before[LAST]
        else:
            same = pattern[START] <= before[LAST]
        if same and before[STATE] == FORMING:
            part = pattern[START] > before[START] and (way.later == SEPARATE or pattern[SCALE] < before[SCALE])
            return NOWHERE if part else m
        if same and way.later == SEPARATE:
            return NOWHERE
        if same and j - max(before[WHEN_TRIGGERED], before[WHEN_FAILED]) < REST:
            return NOWHERE
    return NEW


@kernel
def _passed(j: int, look: Look) -> bool:
    """Whether a pattern that was just found was broken before its last point could be known, by a close beyond its trigger, and the price has
    come back: it is not forming any more."""
    pattern = look.pattern
    if look.close[j] > pattern[TRIGGER] + pattern[TRIGGER_GAIN] * (j - pattern[AT]):
        return False  # beyond it now: that is its break
    beyond = False
    for i in range(int(pattern[LAST]) + 1, j):
        beyond = beyond or look.close[i] > pattern[TRIGGER] + pattern[TRIGGER_GAIN] * (i - pattern[AT])
    return beyond


@kernel
def _keep(way: Way, j: int, k: int, lasts: int, made: Floats, look: Look) -> None:
    """Takes a pattern that was just found among the visible ones."""
    pattern = look.pattern
    pattern[SCALE] = k
    repeats = way.later == SEPARATE and pattern[LAST] != made[0, LAST] and _repeats(j, look.prices[1, 0], look.given[1], made[0])
    if repeats or look.close[j] > pattern[TRIGGER] + pattern[TRIGGER_GAIN] * (j - pattern[AT]) + pattern[HEIGHT]:
        return  # nobody saw it before it was over
    if not way.by_price and _passed(j, look):
        return
    place = _place(way, j, made, look)
    if place == NOWHERE:
        return
    pattern[VISIBLE] = j if place == NEW else made[place, VISIBLE]
    if place == NEW:
        for m in range(len(made) - 1, 0, -1):
            copy(made[m - 1], made[m])
        place = 0
    copy(pattern, made[place])
    made[place, STATE] = FORMING
    if pattern[EXPIRES] == 0:  # a level waits; a shape waits two thirds of the bars it took to form, at most
        made[place, EXPIRES] = j + (lasts if way.by_price else min(lasts, int(WAIT * (j - pattern[START]))))
    _judge(way, j, look.close[j], made, place)


@kernel
def chosen(way: Way, j: int, nth: int, made: Floats) -> int:
    """The place of the nth latest pattern; of those counted by price the nth nearest above the close of the bar before: one that was above
    it is forming still, or broke on this bar. -1 where there is none."""
    seen, below, at = 0, -np.inf, -1
    if not way.by_price:
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
    """A part of pattern m on bar j; NaN where it has none."""
    gone = j - made[m, AT]
    found = np.nan
    if part in (ASK_FORMING, ASK_STATE):
        found = made[m, STATE]
    elif part == ASK_START:
        found = j - made[m, START]
    elif part == ASK_AGE:
        found = j - made[m, VISIBLE]
    elif part == ASK_TRIGGER:
        found = made[m, TRIGGER] + made[m, TRIGGER_GAIN] * gone
    elif part == ASK_INVALID:
        found = made[m, INVALID] + made[m, INVALID_GAIN] * gone
    elif part in (ASK_HEIGHT, ASK_TARGET):
        found = made[m, HEIGHT]
    elif part == ASK_QUALITY:
        found = made[m, QUALITY]
    elif part == ASK_SINCE_TRIGGER and made[m, WHEN_TRIGGERED] >= 0:
        found = j - made[m, WHEN_TRIGGERED]
    elif part == ASK_SINCE_FAILED and made[m, WHEN_FAILED] >= 0:
        found = j - made[m, WHEN_FAILED]
    elif POINT_PRICE <= part < POINT_PRICE + POINTS:
        found = made[m, FIELDS + 2 * (part - POINT_PRICE) + 1]
    elif POINT_AGO <= part < POINT_AGO + POINTS:
        found = j - made[m, FIELDS + 2 * (part - POINT_AGO)]
    elif part == ASK_UPPER:
        found = made[m, UPPER] + made[m, UPPER_GAIN] * gone
    elif part == ASK_UPPER_SLOPE:
        found = made[m, UPPER_GAIN]
    elif part == ASK_UPPER_TOUCHES:
        found = made[m, UPPER_TOUCHES]
    elif part == ASK_LOWER:
        found = made[m, LOWER] + made[m, LOWER_GAIN] * gone
    elif part == ASK_LOWER_SLOPE:
        found = made[m, LOWER_GAIN]
    elif part == ASK_LOWER_TOUCHES:
        found = made[m, LOWER_TOUCHES]
    elif part == ASK_POLE:
        found = made[m, POLE]
    return found


class Prices(NamedTuple):
    """high, neg_low, close: logarithms, the lows negated; those of a pattern downwards turned over. range_: average true range of the
    logarithms. volume: shares."""

    high: Floats
    neg_low: Floats
    close: Floats
    range_: Floats
    volume: Floats


class PartQuery(NamedTuple):
    """part: of PARTS or a point's. k: bars on either side of a swing. lasts: bars a pattern waits, and stays visible after. nth: which of the
    latest."""

    part: int
    k: int
    lasts: int
    nth: int


@njit(nogil=True, cache=True)
def run(
    way: Way, side: float, asked: PartQuery, base: Prices, own: Prices, offsets: Ints, starts: Ints, commit: Bools, given: Floats, out: Floats
) -> Any:  # fmt: skip
    """One part of the nth latest pattern, bar by bar, into out; NaN where there is none. side: -1 where base is turned over.

    base: one value a base bar. own: the same by the frame's own bars: the columns themselves on the base frame; in a coarser one room, where
    the bars up to this one are written down as they come, so that nothing later can be read. commit: empty on the base frame. The machine
    takes half a minute to compile: the columns are asked for in one way, and those of the base frame could be written to as well, but are not.

    Returns all patterns as they stand on the very last bar, and the number of that bar in its frame.
    """
    part, k, lasts, nth = asked.part, asked.k, asked.lasts, asked.nth
    width = FIELDS + 2 * POINTS
    bars, prices, count = np.zeros((SCALES, 2, SWINGS), np.int64), np.zeros((SCALES, 2, SWINGS)), np.zeros((SCALES, 2), np.int64)
    made, work, pattern = np.zeros((way.kept, width)), np.zeros((SCALES, 6, 12)), np.zeros(width)
    bars2, prices2, count2, made2, work2 = bars.copy(), prices.copy(), count.copy(), made.copy(), work.copy()
    high, neg_low, close = own.high, own.neg_low, own.close
    shares = 1.0 / np.maximum(np.arange(FURTHEST + 1), 1)
    fine = Look(bars[0], prices[0], count[0], high, neg_low, close, own.range_, own.volume, given, shares, work[0], pattern)
    middle = Look(bars[1], prices[1], count[1], high, neg_low, close, own.range_, own.volume, given, shares, work[1], pattern)
    coarse = Look(bars[2], prices[2], count[2], high, neg_low, close, own.range_, own.volume, given, shares, work[2], pattern)
    looks = (fine, middle, coarse)
    every_bar, latest = way.on == EVERY_BAR, -1
    for i in range(len(offsets) - 1):
        first = starts[i]
        count[:] = 0
        made[:], work[:] = 0.0, 0.0
        j, bottom, bottom2 = first, -1, -1  # of the pole that ends at the newest high
        for p in range(offsets[i], offsets[i + 1]):
            ends = True
            if len(commit):
                ends = commit[p]
                high[j], neg_low[j], close[j] = base.high[p], base.neg_low[p], base.close[p]
                own.range_[j], own.volume[j] = base.range_[p], base.volume[p]
            if not ends:
                bars2[:], prices2[:], count2[:], made2[:], work2[:], bottom2 = bars, prices, count, made, work, bottom
            _live(way, j, close[j], lasts, made)
            for scale in range(way.scales):
                size, fresh = of_scale(k, scale), 0
                if _confirm(j, size, first, high):
                    _push(0, j - size, high[j - size], bars[scale], prices[scale], count[scale])
                    fresh = HIGHS
                if _confirm(j, size, first, neg_low):  # a low is confirmed as a high is, of the negated lows
                    _push(1, j - size, -neg_low[j - size], bars[scale], prices[scale], count[scale])
                    fresh |= LOWS
                if every_bar and fresh & HIGHS:
                    bottom = pole(j - size, first, fine)
                # Calls that pass all there is cost more than what most bars have to do.
                complete = bottom >= 0 if every_bar else fresh & way.on != 0
                if complete and find(way, side, fresh, j, first, bottom, looks[scale]):
                    _keep(way, j, size, lasts, made, looks[scale])
            if every_bar:
                _fallen(j, close[j], made)
            if way.by_price and part in (ASK_SINCE_TRIGGER, ASK_SINCE_FAILED):
                at = _latest(WHEN_TRIGGERED if part == ASK_SINCE_TRIGGER else WHEN_FAILED, made)
                out[p] = j - at if at >= 0 and nth == 1 else np.nan
            else:
                place = chosen(way, j, nth, made)
                out[p] = answer(part, j, made, place) if place >= 0 else np.nan
            latest = j
            if ends:
                j += 1
            elif p + 1 < offsets[i + 1]:
                bars[:], prices[:], count[:], made[:], work[:], bottom = bars2, prices2, count2, made2, work2, bottom2
    return made, latest
