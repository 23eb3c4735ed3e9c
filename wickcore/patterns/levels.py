"""Levels: prices that several turning points share."""

from numba import njit

from wickcore.bars.bars import Floats, Ints
from wickcore.measures.frame import kernel
from wickcore.patterns.objects import HEIGHT, INVALID, POINTS, QUALITY, START, UPPER, Look, begin, most, point, upper


@njit(nogil=True, cache=True, inline="always", _nrt=False)
def _near(row: int, m: int, price: float, tolerance: float, prices: Floats, count: Ints) -> int:
    """The number of the first turning point from number m on that lies near the price; how many there are where none does."""
    while m < count[row] and abs(prices[row, m] - price) > tolerance:
        m += 1
    return m


@kernel
def _crossings(start: int, j: int, price: float, tolerance: float, close: Floats) -> int:
    """How often the closes from start to j go from one side of the price to the other, by the tolerance each time."""
    found, side = 0, 0
    for t in range(start, j + 1):
        now = 1 if close[t] > price + tolerance else -1 if close[t] < price - tolerance else 0
        if now != 0:
            found += side == -now
            side = now
    return found


@kernel
def level(row: int, j: int, look: Look) -> bool:
    """A price above the close that the newest turning point shares with others of either kind, and that price turned at more than twice as
    often as it went through. given: tolerance, touches, apart, within."""
    bars, prices, count, neg_low, close, given, pattern = (
        look.bars,
        look.prices,
        look.counts,
        look.neg_low,
        look.close,
        look.given,
        look.pattern,
    )
    tolerance, asked, apart, within = given[0], given[1], given[2], given[3]
    newest, price = bars[row, 0], prices[row, 0]
    if close[j] > price + 1.001 * tolerance:
        return False  # so is the mean of what is that near to it, however rounded
    begin(pattern, newest, newest)
    touched, total, away, before, x, y = 0, 0.0, 0.0, -1, 0, 0
    while True:
        x, y = _near(0, x, price, tolerance, prices, count), _near(1, y, price, tolerance, prices, count)
        if x == count[0] and y == count[1]:
            break
        r = 0 if y == count[1] or (x < count[0] and bars[0, x] >= bars[1, y]) else 1
        m = x if r == 0 else y
        at, off = bars[r, m], abs(prices[r, m] - price)
        x, y = x + 1 - r, y + r
        if newest - at > within:
            break
        if before >= 0 and before - at < apart:
            continue
        if touched < POINTS:
            point(pattern, touched, at, prices[r, m])
        touched, total, away, before = touched + 1, total + prices[r, m], away + off, at
    if touched < asked or close[j] > total / touched:
        return False
    middle = total / touched
    if 2 * _crossings(before, j, middle, tolerance, close) >= touched:
        return False
    pattern[START] = before
    upper(pattern, middle, 0.0, touched)
    pattern[INVALID] = middle - tolerance  # a break that closes back
    pattern[HEIGHT] = middle + neg_low[most(neg_low, before, j + 1)]
    pattern[QUALITY] = 50.0 * (1.0 - away / touched / tolerance + min(1.0, (touched - 2.0) / 4.0))
    return True


@kernel
def same_level(pattern: Floats, other: Floats, tolerance: float) -> bool:
    """Whether two levels are one."""
    return abs(pattern[UPPER] - other[UPPER]) <= tolerance
