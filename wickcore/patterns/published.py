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
from wickcore.patterns.objects import HEIGHT, INVALID, QUALITY, TRIGGER, begin, point

HEAD, BROADENING, TRIANGLE, RECTANGLE, DOUBLE = range(5)
NEAR, LEVEL = 0.015, 0.0075  # of the average: shoulders, necks and doubles; the sides of a rectangle
MORE_THAN = 22  # days between the two of a double


@kernel
def extremes(when: Ints, what: Floats, count: Ints, asked: int, told: Floats) -> int:
    """The newest turning points that take turns, into told: bar, price, 0 a high or 1 a low. Of several highs without a low between, the
    highest stands for all. Returns how many there are, at most `asked`."""
    x = y = found = 0
    while found <= asked and (x < count[0] or y < count[1]):
        row = 0 if y >= count[1] or (x < count[0] and when[0, x] >= when[1, y]) else 1
        at, price = (when[0, x], what[0, x]) if row == 0 else (when[1, y], what[1, y])
        x, y = x + 1 - row, y + row
        if found and told[2, found - 1] == row:
            higher = price >= told[1, found - 1] if row == 0 else price <= told[1, found - 1]
            if higher:
                told[0, found - 1], told[1, found - 1] = at, price
        elif found < asked:
            told[0, found], told[1, found], told[2, found] = at, price, row
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
def _double(side: float, when: Ints, what: Floats, count: Ints, within: float, work: Floats, one: Floats) -> bool:
    """The newest low is the lowest of all after an earlier one, near it, and more than 22 days later."""
    lowest = np.inf
    at, price = when[1, 0], what[1, 0]
    for m in range(1, count[1]):
        if at - when[1, m] >= within or lowest < price:
            return False
        work[0, 0], work[0, 1] = price, what[1, m]
        if at - when[1, m] > MORE_THAN and near(NEAR, side, work[0], 0, 1, -1):
            top, high = -1, -np.inf
            for x in range(count[0]):
                if when[1, m] < when[0, x] < at and what[0, x] > high:
                    top, high = when[0, x], what[0, x]
            if top >= 0:
                begin(one, when[1, m], at)
                one[TRIGGER], one[INVALID] = high, min(price, what[1, m])
                one[HEIGHT] = high - one[INVALID]
                one[QUALITY] = 100.0 * (1.0 - abs(math.tanh((price - what[1, m]) / 2.0)) / NEAR)
                point(one, 0, when[1, m], what[1, m])
                point(one, 1, top, high)
                point(one, 2, at, price)
                return True
        lowest = min(lowest, what[1, m])
    return False


@kernel
def published(
    shape: int, side: float, when: Ints, what: Floats, count: Ints, given: Floats, work: Floats, one: Floats
) -> bool:  # fmt: skip
    """given: within."""
    if shape == DOUBLE:
        return _double(side, when, what, count, given[0], work, one)
    if extremes(when, what, count, 5, work) < 5 or work[0, 0] != when[1, 0] or work[2, 0] != 1:
        return False
    e = work[1]
    length = work[0, 0] - work[0, 4]
    if length >= given[0] or not _five(shape, side, e):
        return False
    begin(one, int(work[0, 4]), int(work[0, 0]))
    one[TRIGGER], one[INVALID] = max(e[1], e[3]), min(e[0], e[2], e[4])
    one[HEIGHT] = one[TRIGGER] - one[INVALID]
    shortest = length
    for i in range(4):
        shortest = min(shortest, work[0, i] - work[0, i + 1])
    one[QUALITY] = 100.0 * shortest / (length / 4.0)
    for i in range(5):
        point(one, i, int(work[0, 4 - i]), e[4 - i])
    return True
