"""What is kept of a pattern, and how a finder fills it in. All prices are logarithms; those of a pattern downwards are negated."""

from typing import NamedTuple

import numpy as np

from wickcore.bars.bars import Floats, Ints
from wickcore.measures.frame import kernel

FIELDS, POINTS = 23, 6
# Bar on which it became visible, bar of its first point, reference bar of its lines; trigger and invalid line (value at the reference, gain
# a bar), height, quality, state, bars on which it was triggered and failed, bar of its last point, last bar of its waiting; upper and lower
# line with the turning points that touch them; size of the pole; bars on either side of its turning points; 1 once price has left it by more
# than its height after it broke or ran out. Then bar and price of each point.
(
    VISIBLE, START, AT, TRIGGER, TRIGGER_GAIN, INVALID, INVALID_GAIN, HEIGHT, QUALITY, STATE, WHEN_TRIGGERED, WHEN_FAILED, LAST, EXPIRES,
    UPPER, UPPER_GAIN, UPPER_TOUCHES, LOWER, LOWER_GAIN, LOWER_TOUCHES, POLE,
    SCALE, LEFT,
) = range(FIELDS)  # fmt: skip
FORMING, TRIGGERED, FAILED, EXPIRED = 1, 2, 3, 4
MOVE, MOVED = (
    1 / 5,
    1 / 5,
)  # of the move before a pattern: bars of the pattern it takes at least, and how far it may have gone when it begins


class Look(NamedTuple):
    """All that a finder looks at, and where it puts what it finds. bars, prices: (2, SWINGS) bars and prices of the confirmed highs (row 0) and
    lows (row 1), the newest first; counts: how many of each. high, neg_low, close, range_, volume: of the frame's bars up to now, each at its
    own place; the lows negated. given: the kind's own arguments in their order. shares: 1 / n at n. work: 6 x 12 of room for intermediate
    results, of which the search for two lines keeps some from bar to bar. pattern: the one in the making, laid out as above.
    """

    bars: Ints
    prices: Floats
    counts: Ints
    high: Floats
    neg_low: Floats
    close: Floats
    range_: Floats
    volume: Floats
    given: Floats
    shares: Floats
    work: Floats
    pattern: Floats


@kernel
def proportioned(pattern: Floats, points: int, leg: float, even: float) -> bool:
    """Whether a chartist would see the legs from point to point as parts of one shape: each goes `leg` or further (logarithms), and the shortest
    takes at least the share `even` of the bars of the longest."""
    if not leg > 0:
        return False  # nothing ever moved, or not long enough to know
    shortest, longest = np.inf, 0.0
    for i in range(points - 1):
        here, there = FIELDS + 2 * i, FIELDS + 2 * i + 2
        if abs(pattern[there + 1] - pattern[here + 1]) < leg:
            return False
        shortest, longest = min(shortest, pattern[there] - pattern[here]), max(longest, pattern[there] - pattern[here])
    return shortest >= even * longest


@kernel
def copy(pattern: Floats, other: Floats) -> None:
    """Writes one object over the other."""
    for i in range(len(pattern)):
        other[i] = pattern[i]


@kernel
def begin(pattern: Floats, start: int, last: int) -> None:
    """An empty object: neither triggered nor failed, and with points nowhere."""
    pattern[:] = 0.0
    pattern[START], pattern[AT], pattern[LAST] = start, last, last
    pattern[WHEN_TRIGGERED] = pattern[WHEN_FAILED] = -1
    for i in range(POINTS):
        pattern[FIELDS + 2 * i], pattern[FIELDS + 2 * i + 1] = np.nan, np.nan


@kernel
def point(pattern: Floats, number: int, at: int, price: float) -> None:
    pattern[FIELDS + 2 * number], pattern[FIELDS + 2 * number + 1] = at, price


@kernel
def upper(pattern: Floats, value: float, gain: float, touches: int) -> None:
    """The upper line, which confirms the pattern."""
    pattern[UPPER], pattern[UPPER_GAIN], pattern[UPPER_TOUCHES] = value, gain, touches
    pattern[TRIGGER], pattern[TRIGGER_GAIN] = value, gain


@kernel
def lower(pattern: Floats, value: float, gain: float, touches: int) -> None:
    """The lower line, which ends it."""
    pattern[LOWER], pattern[LOWER_GAIN], pattern[LOWER_TOUCHES] = value, gain, touches
    pattern[INVALID], pattern[INVALID_GAIN] = value, gain


@kernel
def most(x: Floats, begin: int, end: int) -> int:
    """The place of the greatest value from begin to before end."""
    best = begin
    for i in range(begin + 1, end):
        if x[i] > x[best]:
            best = i
    return best


@kernel
def led(at: int, low: float, height: float, length: int, first: int, look: Look) -> bool:
    """Whether a fall in proportion leads to the low on bar `at` of a pattern that takes `length` bars: in twice as many before none lies lower,
    and from their highest high it falls by the pattern's height or more; four fifths of that take a fifth of its bars or more."""
    begin, crest = max(first, at - 2 * length), -np.inf
    for t in range(begin, at):
        if -look.neg_low[t] < low:
            return False
        crest = max(crest, look.high[t])
    fall = crest - low
    if not fall >= height:
        return False
    late = max(begin, at - int(np.ceil(MOVE * length)) + 1)
    return look.high[most(look.high, late, at)] < crest - MOVED * fall
