"""Rounded lows between two rims, with and without a handle."""

from wickcore.bars.bars import Floats, Ints
from wickcore.measures.frame import kernel
from wickcore.patterns.objects import HEIGHT, INVALID, LAST, QUALITY, TRIGGER, begin, most, point

LEAD = 60  # a cup follows a rise of so many bars at most


@kernel
def _rounded(c: Floats, start: int, end: int, around: float) -> float:
    """R² of the parabola through the closes from start to end, both included; 0 where it opens downwards or turns outside the middle
    half. around: a value near the closes, for the precision of the sums."""
    n = end - start + 1
    half = (n - 1) / 2.0
    s2 = s4 = sy = sxy = sx2y = syy = 0.0
    for i in range(n):
        x, y = (i - half) / half, c[start + i] - around
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
def _broad(c: Floats, start: int, end: int, below: float) -> float:
    """The share of the closes from start to end, both included, that lie below."""
    n = 0
    for i in range(start, end + 1):
        n += c[i] < below
    return n / (end - start + 1)


@kernel
def _cup(
    number: int, first: int, when: Ints, what: Floats, count: Ints, h: Floats, down: Floats, c: Floats, given: Floats, one: Floats
) -> bool:  # fmt: skip
    """The roundest low that ends at high number `number`. given: tolerance, length, within, depth, fit, broad, rise."""
    tolerance, length, within, depth, fit, broad, rise = given[0], given[1], given[2], given[3], given[4], given[5], given[6]
    right, price = when[0, number], what[0, number]
    best = 0.0
    for m in range(number + 1, count[0]):
        left, rim = when[0, m], what[0, m]
        if right - left > within or rim > price + tolerance:
            break  # nothing further back can be the rim: too far, or hidden behind a higher high
        if right - left < length or rim < price - tolerance or h[most(h, left + 1, right)] > max(rim, price):
            continue
        bottom = most(down, left + 1, right)
        if min(rim, price) + down[bottom] < depth:
            continue
        if rise > 0:
            start = max(first, left - LEAD)
            if start >= left or rim + down[most(down, start, left)] < rise:
                continue
        # A parabola fits two straight lines that meet in a point as well (15/16 of their spread), but they hold few closes near it.
        lower_third = -down[bottom] + (max(rim, price) + down[bottom]) / 3.0
        if _broad(c, left, right, lower_third) < broad:
            continue
        round_ = _rounded(c, left, right, price)
        if round_ < fit or round_ <= best:
            continue
        best = round_
        begin(one, left, right)
        one[TRIGGER] = max(rim, price)
        one[HEIGHT] = one[TRIGGER] + down[bottom]
        one[INVALID] = one[TRIGGER] - one[HEIGHT] / 2.0
        middle = 1.0 - abs(2.0 * (bottom - left) / (right - left) - 1.0)
        one[QUALITY] = 100.0 * ((round_ - fit) / (1.0 - fit) + 1.0 - abs(rim - price) / tolerance + middle) / 3.0
        point(one, 0, left, rim)
        point(one, 1, bottom, -down[bottom])
        point(one, 2, right, price)
    return best > 0


@kernel
def saucer(
    first: int, when: Ints, what: Floats, count: Ints, h: Floats, down: Floats, c: Floats, given: Floats, one: Floats
) -> bool:  # fmt: skip
    """Completed by the high that is its right rim."""
    return _cup(0, first, when, what, count, h, down, c, given, one)


@kernel
def cup_handle(
    j: int, first: int, when: Ints, what: Floats, count: Ints, h: Floats, down: Floats, c: Floats, given: Floats, one: Floats
) -> bool:  # fmt: skip
    """Completed by the low of its handle. given: as a cup's, then the most bars from the rim to that low."""
    at, price, rim = when[1, 0], what[1, 0], -1
    for m in range(count[0]):
        if at - when[0, m] > given[7]:
            break
        if when[0, m] < at and (rim < 0 or what[0, m] > what[0, rim]):
            rim = m
    if rim < 0:
        return False
    right, top = when[0, rim], what[0, rim]
    # The rim stands above all since, and the low below.
    if h[most(h, right + 1, j + 1)] > top or -down[most(down, right + 1, j + 1)] < price:
        return False
    if not _cup(rim, first, when, what, count, h, down, c, given, one) or price < one[INVALID]:
        return False
    shallow = 1.0 - (one[TRIGGER] - price) / (one[HEIGHT] / 2.0)
    one[LAST], one[INVALID] = at, price
    one[QUALITY] = (3.0 * one[QUALITY] + 100.0 * shallow) / 4.0
    point(one, 3, at, price)
    return True
