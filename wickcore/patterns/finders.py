"""Which finder looks for which kind of pattern, and on which bars."""

from wickcore.bars.bars import Floats, Ints
from wickcore.measures.frame import kernel
from wickcore.patterns.lines import level, trend_line, two_lines
from wickcore.patterns.published import published
from wickcore.patterns.reversals import double, shoulders
from wickcore.patterns.saucers import cup_handle, saucer

DOUBLE, SHOULDERS, TREND_LINE, LEVEL, FLAG, PENNANT, SAUCER, CUP_HANDLE = range(8)
TWO_LINES, PUBLISHED = 10, 20  # and the number of the shape
REST = 10  # so many bars after it broke, no other is made of the same points


@kernel
def find(
    kind: int, side: float, fresh: int, j: int, first: int, when: Ints, what: Floats, count: Ints, h: Floats, down: Floats, c: Floats,
    a: Floats, given: Floats, shares: Floats, work: Floats, one: Floats,
) -> bool:  # fmt: skip
    """The pattern of one kind that bar j completes, if there is one, into `one`. Flags are found by themselves.

    fresh: 1 where the bar confirms a high, 2 where a low, 3 both. h, down, c, a: highs, negated lows, closes and average true
    range, of the bars up to j, at their own places. given: the kind's own arguments. shares: 1 / n at n.
    work: 6 x 12 of room, which two lines keep
    from bar to bar.
    """
    if TWO_LINES <= kind < PUBLISHED:
        return two_lines(kind - TWO_LINES, fresh, j, when, what, count, c, a, given, shares, work, one)
    if kind == LEVEL:
        return level(0 if fresh & 1 else 1, j, when, what, count, down, c, given, one)
    if kind == SAUCER:
        return bool(fresh & 1) and saucer(first, when, what, count, h, down, c, given, one)
    if fresh == 1:
        return False
    if kind == DOUBLE:
        return double(first, when, what, count, h, down, given, one)
    if kind == SHOULDERS:
        return shoulders(first, when, what, count, h, down, given, one)
    if kind == TREND_LINE:
        return trend_line(j, when, what, count, h, c, a, given, shares, work, one)
    if kind == CUP_HANDLE:
        return cup_handle(j, first, when, what, count, h, down, c, given, one)
    return published(kind - PUBLISHED, side, when, what, count, given, work, one)
