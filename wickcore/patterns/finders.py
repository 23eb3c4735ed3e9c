"""Which finder looks for which kind of pattern, on which bars, and how the patterns of a kind live."""

from typing import NamedTuple

from wickcore.measures.frame import kernel
from wickcore.patterns.flags import flag
from wickcore.patterns.levels import level
from wickcore.patterns.lines import trend_line, two_lines
from wickcore.patterns.objects import Look
from wickcore.patterns.published import published
from wickcore.patterns.reversals import double, shoulders
from wickcore.patterns.saucers import cup_handle, saucer

DOUBLE, SHOULDERS, TREND_LINE, LEVEL, REST_AFTER_POLE, SAUCER, CUP_HANDLE, TWO_LINES, PUBLISHED = range(9)
HIGHS, LOWS = 1, 2  # bits: the turning points whose confirmation can complete a pattern
EITHER, EVERY_BAR = HIGHS | LOWS, 0
# How a pattern just found is known to be a later view of one that is there: never, since each is made of lows of its own; because it begins
# before the other ended; because it lies at the same price.
SEPARATE, OVERLAPPING, SAME_PRICE = range(3)
REST = 10  # so many bars after it broke, no other is made of the same points


class Way(NamedTuple):
    """How one kind is found and lives; one row a kind (kinds.py).

    finder: who looks for it. shape: which of the finder's shapes. on: the turning points that complete it. later: how a later view of the same
    is known. kept: so many of the latest. by_price: counted from the close upwards, not from now back; such a one waits for its break
    however far price goes away, and only a break can fail. own_lines: whether the meeting of its two lines ends it too. scales: on turning
    points of how many sizes it is looked for: of those made of neighbours a large one is seen whole only where small turns are passed over.
    """

    finder: int
    shape: int = 0
    on: int = LOWS
    later: int = OVERLAPPING
    kept: int = 4
    by_price: bool = False
    own_lines: bool = False
    scales: int = 1


@kernel
def find(way: Way, side: float, fresh: int, j: int, first: int, bottom: int, look: Look) -> bool:
    """The pattern of one kind that bar j completes, if there is one, into look.pattern.

    fresh: HIGHS where the bar confirms a high, LOWS where a low, EITHER both. first: the instrument's first bar. bottom: the bar at which the
    pole begins that ends at the newest high; -1 where there is none.
    """
    if way.finder == REST_AFTER_POLE:
        return flag(way.own_lines, j, bottom, look.bars[0, 0], look)
    if way.finder == TWO_LINES:
        return two_lines(way.shape, fresh, j, first, look)
    if way.finder == LEVEL:
        return level(0 if fresh & HIGHS else 1, j, look)
    if way.finder == SAUCER:
        return saucer(first, look)
    if way.finder == DOUBLE:
        return double(j, first, look)
    if way.finder == SHOULDERS:
        return shoulders(j, first, look)
    if way.finder == TREND_LINE:
        return trend_line(j, look)
    if way.finder == CUP_HANDLE:
        return cup_handle(j, first, look)
    return published(way.shape, side, j, look)
