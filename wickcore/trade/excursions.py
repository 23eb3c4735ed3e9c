"""How far prices went for and against a position on the way."""

from numba import njit

from wickcore.bars.bars import Floats


@njit(nogil=True, cache=True)
def excursions(high: Floats, low: Floats, factor: Floats, first: int, last: int, paid: float, side: int) -> tuple[float, float]:
    """The largest moves for and against a position from bar `first` to bar `last`, by highs and lows: fractions of the entry, at least 0 and
    at most 0, before costs. paid: the entry on the continuous scale."""
    best, worst = 0.0, 0.0
    for p in range(first, last + 1):
        up, down = high[p] * factor[p] / paid - 1.0, low[p] * factor[p] / paid - 1.0
        if side < 0:
            up, down = -down, -up
        best, worst = max(best, up), min(worst, down)
    return best, worst
