"""Flags and pennants: a rest of a few bars after a steep move (the pole), on falling volume. Looked for on every bar, drawn anew with each."""

import numpy as np

from wickcore.bars.bars import Floats
from wickcore.measures.frame import kernel
from wickcore.patterns.objects import (
    EXPIRES,
    HEIGHT,
    INVALID,
    INVALID_GAIN,
    POLE,
    QUALITY,
    Look,
    begin,
    lower,
    most,
    point,
    upper,
)  # fmt: skip


@kernel
def _bound(x: Floats, start: int, end: int, line: Floats) -> None:
    """The least-squares line through x from start to before end, moved so that all lie below it: its gain, and its values on the
    first and the last of these bars, into line."""
    n = end - start
    middle = (n - 1) / 2.0
    mean = 0.0
    for i in range(n):
        mean += x[start + i] / n
    along = 0.0
    for i in range(n):
        along += (i - middle) * (x[start + i] - mean)
    gain = along / (n * (n * n - 1.0) / 12.0)
    over = -np.inf
    for i in range(n):
        over = max(over, x[start + i] - mean - gain * (i - middle))
    line[0] = gain
    line[1] = mean - gain * middle + over
    line[2] = mean + gain * middle + over


@kernel
def _mean(x: Floats, start: int, end: int) -> float:
    total = 0.0
    for i in range(start, end):
        total += x[i]
    return total / (end - start)


@kernel
def pole(top: int, first: int, look: Look) -> int:
    """The bar at which a pole begins that ends at the high on bar `top`; -1 where that is the end of none."""
    high, neg_low, range_, given = look.high, look.neg_low, look.range_, look.given
    start = max(first, top - int(given[1]))
    if start >= top:
        return -1
    bottom = most(neg_low, start, top)
    rise, need = high[top] + neg_low[bottom], given[0] * range_[bottom] * np.sqrt(top - bottom)
    # Where nothing ever moved there is no size to measure a pole by.
    return bottom if rise >= need > 0 and high[most(high, bottom, top)] < high[top] else -1


@kernel
def flag(pennant: bool, j: int, bottom: int, top: int, look: Look) -> bool:
    """given: strength, climb, back, least, most, narrows. bottom, top: the bars at which the pole begins and ends."""
    high, neg_low, volume, given, work, pattern = look.high, look.neg_low, look.volume, look.given, look.work, look.pattern
    back, narrows = given[2], given[5]
    n, price = j - top, high[top]
    if n < max(given[3], 2) or n > given[4] or high[most(high, top + 1, j + 1)] > price:
        return False
    rise, fallen = price + neg_low[bottom], price + neg_low[most(neg_low, top + 1, j + 1)]
    if fallen > back * rise:
        return False
    before, resting = _mean(volume, bottom + 1, top + 1), _mean(volume, top + 1, j + 1)
    if not resting < before:
        return False
    over, under = work[0], work[1]
    _bound(high, top + 1, j + 1, over)
    _bound(neg_low, top + 1, j + 1, under)
    width0, width1 = over[1] + under[1], over[2] + under[2]
    if width0 <= 0:
        return False
    ratio = width1 / width0
    if pennant:
        if ratio > narrows or not over[0] < 0 or not under[0] < 0:
            return False
    elif ratio <= narrows or ratio >= 1.0 / narrows or over[0] - under[0] > 0:
        return False
    begin(pattern, bottom, j)
    upper(pattern, over[2], over[0], 0)
    lower(pattern, -under[2], -under[0], 0)
    pattern[INVALID], pattern[INVALID_GAIN] = price - back * rise, 0.0
    pattern[HEIGHT] = pattern[POLE] = rise
    pattern[EXPIRES] = top + int(given[4])
    steep = min(1.0, rise / (2.0 * given[0] * look.range_[bottom] * np.sqrt(top - bottom)))
    pattern[QUALITY] = 100.0 * (steep + 1.0 - fallen / (back * rise) + 1.0 - resting / before) / 3.0
    point(pattern, 0, bottom, -neg_low[bottom])
    point(pattern, 1, top, price)
    return True
