"""Rounded lows between two rims, with and without a handle."""

from wickcore.bars.bars import Floats
from wickcore.measures.frame import kernel
from wickcore.patterns.objects import HEIGHT, INVALID, LAST, MOVE, QUALITY, TRIGGER, Look, begin, most, point

LEAD = 60  # a cup follows a rise of so many bars at most, or as many as it takes itself where that is more
CLIFF = 10  # in the tenth part of its bars, and in one, it goes half and a quarter of its height at most


@kernel
def _rounded(close: Floats, start: int, end: int, around: float) -> float:
    """R² of the parabola through the closes from start to end, both included; 0 where it opens downwards or turns outside the middle
    half. around: a value near the closes, for the precision of the sums."""
    n = end - start + 1
    half = (n - 1) / 2.0
    s2 = s4 = sy = sxy = sx2y = syy = 0.0
    for i in range(n):
        x, y = (i - half) / half, close[start + i] - around
        s2, s4 = s2 + x * x, s4 + x * x * x * x
        sy, sxy, sx2y, syy = sy + y, sxy + x * y, sx2y + x * x * y, syy + y * y
    linear = sxy / s2
    square = (n * sx2y - s2 * sy) / (n * s4 - s2 * s2)
    if not square > 0 or abs(linear) > square:  # it turns at -linear / (2 square)
        return 0.0
    level = (sy - square * s2) / n
    spread = syy - sy * sy / n
    return 1.0 - (syy - level * sy - linear * sxy - square * sx2y) / spread if spread > 0 else 0.0


@kernel
def _broad(close: Floats, start: int, end: int, below: float) -> float:
    """The share of the closes from start to end, both included, that lie below."""
    n = 0
    for i in range(start, end + 1):
        n += close[i] < below
    return n / (end - start + 1)


@kernel
def _cliff(close: Floats, start: int, end: int, height: float) -> bool:
    """Whether the closes from start to end, both included, leap instead of turning."""
    few = max(2, (end - start) // CLIFF)
    for t in range(start + 1, end + 1):
        if abs(close[t] - close[t - 1]) > height / 4.0 or abs(close[t] - close[max(start, t - few)]) > height / 2.0:
            return True
    return False


@kernel
def _cup(number: int, first: int, look: Look) -> bool:
    """The roundest low that ends at high number `number`. given: tolerance, length, within, depth, fit, broad, rise."""
    bars, prices, count, high, neg_low, close = look.bars, look.prices, look.counts, look.high, look.neg_low, look.close
    given, pattern = look.given, look.pattern
    tolerance, length, within, depth, fit, broad, rise = given[0], given[1], given[2], given[3], given[4], given[5], given[6]
    right, price = bars[0, number], prices[0, number]
    best = 0.0
    for m in range(number + 1, count[0]):
        left, rim = bars[0, m], prices[0, m]
        if right - left > within or rim > price + tolerance:
            break  # nothing further back can be the rim: too far, or hidden behind a higher high
        if right - left < length or rim < price - tolerance or high[most(high, left + 1, right)] > max(rim, price):
            continue
        bottom = most(neg_low, left + 1, right)
        if min(rim, price) + neg_low[bottom] < depth:
            continue
        if rise > 0:
            start = max(first, left - max(LEAD, right - left))
            if start >= left:
                continue
            foot = most(neg_low, start, left)
            if rim + neg_low[foot] < max(rise, min(rim, price) + neg_low[bottom]) or left - foot < MOVE * (right - left):
                continue
        # A parabola fits two straight lines that meet in a point as well (15/16 of their spread), but they hold few closes near it.
        lower_third = -neg_low[bottom] + (max(rim, price) + neg_low[bottom]) / 3.0
        if _broad(close, left, right, lower_third) < broad or _cliff(close, left, right, max(rim, price) + neg_low[bottom]):
            continue
        round_ = _rounded(close, left, right, price)
        if round_ < fit or round_ <= best:
            continue
        best = round_
        begin(pattern, left, right)
        pattern[TRIGGER] = max(rim, price)
        pattern[HEIGHT] = pattern[TRIGGER] + neg_low[bottom]
        pattern[INVALID] = pattern[TRIGGER] - pattern[HEIGHT] / 2.0
        middle = 1.0 - abs(2.0 * (bottom - left) / (right - left) - 1.0)
        pattern[QUALITY] = 100.0 * ((round_ - fit) / (1.0 - fit) + 1.0 - abs(rim - price) / tolerance + middle) / 3.0
        point(pattern, 0, left, rim)
        point(pattern, 1, bottom, -neg_low[bottom])
        point(pattern, 2, right, price)
    return best > 0


@kernel
def saucer(first: int, look: Look) -> bool:
    """Completed by the high that is its right rim."""
    return _cup(0, first, look)


@kernel
def cup_handle(j: int, first: int, look: Look) -> bool:
    """Completed by the low of its handle. given: as a cup's, then the most bars from the rim to that low."""
    bars, prices, count, given, pattern = look.bars, look.prices, look.counts, look.given, look.pattern
    at, price, rim = bars[1, 0], prices[1, 0], -1
    for m in range(count[0]):
        if at - bars[0, m] > given[7]:
            break
        if bars[0, m] < at and (rim < 0 or prices[0, m] > prices[0, rim]):
            rim = m
    if rim < 0:
        return False
    right, top = bars[0, rim], prices[0, rim]
    # The rim stands above all since, and the low below.
    if look.high[most(look.high, right + 1, j + 1)] > top or -look.neg_low[most(look.neg_low, right + 1, j + 1)] < price:
        return False
    if not _cup(rim, first, look) or price < pattern[INVALID]:
        return False
    shallow = 1.0 - (pattern[TRIGGER] - price) / (pattern[HEIGHT] / 2.0)
    pattern[LAST], pattern[INVALID] = at, price
    pattern[QUALITY] = (3.0 * pattern[QUALITY] + 100.0 * shallow) / 4.0
    point(pattern, 3, at, price)
    return True
