"""What is kept of a pattern, and how a finder fills it in. All prices are logarithms; those of a pattern downwards are negated."""

import numpy as np

from wickcore.bars.bars import Floats
from wickcore.measures.frame import kernel

FIELDS, POINTS = 21, 6
# Bar on which it became visible, bar of its first point, reference bar of its lines; trigger and invalid line (value at the reference, gain
# a bar), height, quality, state, bars on which it was triggered and failed, bar of its last point, last bar of its waiting; upper and lower
# line with the turning points that touch them; size of the pole. Then bar and price of each point.
(
    VISIBLE, START, AT, TRIGGER, TRIGGER_GAIN, INVALID, INVALID_GAIN, HEIGHT, QUALITY, STATE, WHEN_TRIGGERED, WHEN_FAILED, LAST, EXPIRES,
    UPPER, UPPER_GAIN, UPPER_TOUCHES, LOWER, LOWER_GAIN, LOWER_TOUCHES, POLE,
) = range(FIELDS)  # fmt: skip
FORMING, TRIGGERED, FAILED, EXPIRED = 1, 2, 3, 4


@kernel
def copy(one: Floats, other: Floats) -> None:
    """Writes one object over the other."""
    for i in range(len(one)):
        other[i] = one[i]


@kernel
def begin(one: Floats, start: int, last: int) -> None:
    """An empty object: neither triggered nor failed, and with points nowhere."""
    one[:] = 0.0
    one[START], one[AT], one[LAST] = start, last, last
    one[WHEN_TRIGGERED] = one[WHEN_FAILED] = -1
    for i in range(POINTS):
        one[FIELDS + 2 * i], one[FIELDS + 2 * i + 1] = np.nan, np.nan


@kernel
def point(one: Floats, number: int, at: int, price: float) -> None:
    one[FIELDS + 2 * number], one[FIELDS + 2 * number + 1] = at, price


@kernel
def upper(one: Floats, value: float, gain: float, touches: int) -> None:
    """The upper line, which confirms the pattern."""
    one[UPPER], one[UPPER_GAIN], one[UPPER_TOUCHES] = value, gain, touches
    one[TRIGGER], one[TRIGGER_GAIN] = value, gain


@kernel
def lower(one: Floats, value: float, gain: float, touches: int) -> None:
    """The lower line, which ends it."""
    one[LOWER], one[LOWER_GAIN], one[LOWER_TOUCHES] = value, gain, touches
    one[INVALID], one[INVALID_GAIN] = value, gain


@kernel
def most(x: Floats, begin: int, end: int) -> int:
    """The place of the greatest value from begin to before end."""
    best = begin
    for i in range(begin + 1, end):
        if x[i] > x[best]:
            best = i
    return best
