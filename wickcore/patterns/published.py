"""The ten shapes of A. W. Lo, H. Mamaysky and J. Wang, "Foundations of Technical Analysis", Journal of Finance 55(4), 2000, on consecutive
extremes, with the paper's own tolerances (from memory). The paper finds its extremes on prices smoothed by a kernel regression over a
window of 35 days; here they are confirmed turning points that take turns, within as many bars. It asks what follows the last of them and
knows no trigger: ours are the further of the two extremes opposite, and the furthest of the others.

All is written for the shapes that begin with a low; those that begin with a high are the same of the negated prices.
"""

import math

import numpy as np

from wickcore.bars.bars import Floats, Ints
from wickcore.measures.frame import kernel
from wickcore.patterns.objects import HEIGHT, INVALID, QUALITY, TRIGGER, Look, begin, point, proportioned

HEAD, BROADENING, TRIANGLE, RECTANGLE, DOUBLE = range(5)
NEAR, LEVEL = 0.015, 0.0075  # of the average: shoulders, necks and doubles; the sides of a rectangle
MORE_THAN = 22  # days between the two of a double


@kernel
def extremes(bars: Ints, prices: Floats, count: Ints, asked: int, turns: Floats) -> int:
    """The newest turning points that take turns, into turns: bar, price, 0 a high or 1 a low. Of several highs without a low between, the
    highest stands for all. Returns how many there are, at most `asked`."""
    x = y = found = 0
    while found <= asked and (x < count[0] or y < count[1]):
        row = 0 if y >= count[1] or (x < count[0] and bars[0, x] >= bars[1, y]) else 1
        at, price = (bars[0, x], prices[0, x]) if row == 0 else (bars[1, y], prices[1, y])
        x, y = x + 1 - row, y + row
        if found and turns[2, found - 1] == row:
            higher = price >= turns[1, found - 1] if row == 0 else price <= turns[1, found - 1]
            if higher:
                turns[0, found - 1], turns[1, found - 1] = at, price
        elif found < asked:
            turns[0, found], turns[1, found], turns[2, found] = at, price, row
            found += 1
        else:
            break
    return found


@kernel
def near(share: float, side: float, x: Floats, one: int, two: int, three: int) -> bool:
    """Whether the prices number one, two and three (three may be -1) lie within the share of their average."""
    a, b = math.exp(side * x[one]), math.exp(side * x[two])
    if three < 0:
        average = (a + b) / 2.0
        return abs(a - average) <= share * average
    c = math.exp(side * x[three])
    average = (a + b + c) / 3.0
    return max(abs(a - average), abs(b - average), abs(c - average)) <= share * average


@kernel
def _five(shape: int, side: float, e: Floats) -> bool:
    """Whether the five extremes, the newest first, make the shape. e[4] is the paper's E1, a low."""
    if shape == HEAD:
        return e[2] < e[4] and e[2] < e[0] and near(NEAR, side, e, 0, 4, -1) and near(NEAR, side, e, 1, 3, -1)
    if shape == BROADENING:
        return e[4] > e[2] > e[0] and e[3] < e[1]
    if shape == TRIANGLE:
        return e[4] < e[2] < e[0] and e[3] > e[1]
    return near(LEVEL, side, e, 0, 2, 4) and near(LEVEL, side, e, 1, 3, -1) and min(e[1], e[3]) > max(e[0], e[2], e[4])


@kernel
def _double(side: float, j: int, look: Look) -> bool:
    """The newest low is the lowest of all after an earlier one, near it, and more than 22 days later."""
    bars, prices, count, within, work, pattern = look.bars, look.prices, look.counts, look.given[0], look.work, look.pattern
    lowest = np.inf
    at, price = bars[1, 0], prices[1, 0]
    for m in range(1, count[1]):
        if at - bars[1, m] >= within or lowest < price:
            return False
        work[0, 0], work[0, 1] = price, prices[1, m]
        if at - bars[1, m] > MORE_THAN and near(NEAR, side, work[0], 0, 1, -1):
            top, high = -1, -np.inf
            for x in range(count[0]):
                if bars[1, m] < bars[0, x] < at and prices[0, x] > high:
                    top, high = bars[0, x], prices[0, x]
            if top >= 0:
                begin(pattern, bars[1, m], at)
                pattern[TRIGGER], pattern[INVALID] = high, min(price, prices[1, m])
                pattern[HEIGHT] = high - pattern[INVALID]
                pattern[QUALITY] = 100.0 * (1.0 - abs(math.tanh((price - prices[1, m]) / 2.0)) / NEAR)
                point(pattern, 0, bars[1, m], prices[1, m])
                point(pattern, 1, top, high)
                point(pattern, 2, at, price)
                if proportioned(pattern, 3, look.given[1] * look.range_[j], look.given[2]):
                    return True
        lowest = min(lowest, prices[1, m])
    return False


@kernel
def published(shape: int, side: float, j: int, look: Look) -> bool:
    """given: within, leg, even: the last two stand for the paper's smoothing, which leaves out what is small or short."""
    bars, given, work, pattern = look.bars, look.given, look.work, look.pattern
    if shape == DOUBLE:
        return _double(side, j, look)
    if extremes(bars, look.prices, look.counts, 5, work) < 5 or work[0, 0] != bars[1, 0] or work[2, 0] != 1:
        return False
    e = work[1]
    length = work[0, 0] - work[0, 4]
    if length >= given[0] or not _five(shape, side, e):
        return False
    begin(pattern, int(work[0, 4]), int(work[0, 0]))
    pattern[TRIGGER], pattern[INVALID] = max(e[1], e[3]), min(e[0], e[2], e[4])
    pattern[HEIGHT] = pattern[TRIGGER] - pattern[INVALID]
    shortest = length
    for i in range(4):
        shortest = min(shortest, work[0, i] - work[0, i + 1])
    pattern[QUALITY] = 100.0 * shortest / (length / 4.0)
    for i in range(5):
        point(pattern, i, int(work[0, 4 - i]), e[4 - i])
    return proportioned(pattern, 5, given[1] * look.range_[j], given[2])
