"""Double bottoms and shoulders: shapes of a few lows at one level, after a fall. Looked for whenever a low is confirmed."""

import numpy as np

from wickcore.bars.bars import Floats
from wickcore.measures.frame import kernel
from wickcore.patterns.objects import (
    AT,
    HEIGHT,
    INVALID,
    QUALITY,
    TRIGGER,
    TRIGGER_GAIN,
    Look,
    begin,
    led,
    most,
    point,
    proportioned,
)

LEVEL = 1 / 4  # of the height: how far two lows, or the two ends of a neckline, may lie from one another
SHOULDER = 1 / 5  # of the height: a shoulder from the neckline, and from the head
SIDES = 0.4  # the shorter side of a head in bars against the longer


@kernel
def _lowest(prices: Floats, begin: int, end: int) -> float:
    """The lowest of the confirmed lows from number begin to before end; infinity where there is none."""
    found = np.inf
    for i in range(begin, end):
        found = min(found, prices[1, i])
    return found


@kernel
def double(j: int, first: int, look: Look) -> bool:
    """given: tolerance, apart, depth, within, leg, even."""
    bars, prices, count, high, neg_low, given, pattern = (
        look.bars,
        look.prices,
        look.counts,
        look.high,
        look.neg_low,
        look.given,
        look.pattern,
    )
    tolerance, apart, depth, within, leg, even = given[0], given[1], given[2], given[3], given[4] * look.range_[j], given[5]
    at2, low2 = bars[1, 0], prices[1, 0]
    for m in range(1, count[1]):
        at1, low1 = bars[1, m], prices[1, m]
        if at2 - at1 > within:
            return False
        if at2 - at1 < apart or abs(low2 - low1) > tolerance:
            continue
        top = most(high, at1 + 1, at2)
        neckline = high[top]
        if neckline - max(low1, low2) < depth:
            continue
        # No low between lies under either, and a fall as high as the pattern leads to the first.
        lowest = min(low1, low2)
        if abs(low2 - low1) > LEVEL * (neckline - lowest) or -neg_low[most(neg_low, at1 + 1, at2)] < lowest:
            continue
        if _lowest(prices, 1, m) < max(low1, low2):
            continue
        if not led(at1, low1, neckline - lowest, at2 - at1, first, look):
            continue
        begin(pattern, at1, at2)
        pattern[TRIGGER], pattern[INVALID] = neckline, lowest
        pattern[HEIGHT] = neckline - lowest
        level = 1.0 - abs(low2 - low1) / tolerance
        deep = min(1.0, (neckline - max(low1, low2)) / (2.0 * depth))
        middle = 1.0 - abs(2.0 * (top - at1) / (at2 - at1) - 1.0)
        pattern[QUALITY] = 100.0 * (level + deep + middle) / 3.0
        point(pattern, 0, at1, low1)
        point(pattern, 1, top, neckline)
        point(pattern, 2, at2, low2)
        if proportioned(pattern, 3, leg, even):
            return True
    return False


@kernel
def shoulders(j: int, first: int, look: Look) -> bool:
    """given: tolerance, apart, depth, within, leg, even."""
    bars, prices, count, high, neg_low, given, pattern = (
        look.bars,
        look.prices,
        look.counts,
        look.high,
        look.neg_low,
        look.given,
        look.pattern,
    )
    tolerance, apart, depth, within, leg, even = given[0], given[1], given[2], given[3], given[4] * look.range_[j], given[5]
    right, low3 = bars[1, 0], prices[1, 0]
    for m in range(1, count[1]):
        head, low2 = bars[1, m], prices[1, m]
        if right - head > within:
            return False
        if right - head < apart or low3 - low2 < tolerance:
            continue
        for n in range(m + 1, count[1]):
            left, low1 = bars[1, n], prices[1, n]
            if right - left > within:
                break
            if head - left < apart or low1 - low2 < tolerance or abs(low1 - low3) > tolerance:
                continue
            # No other turning point comes between a shoulder and the head that would itself be the shoulder.
            if _lowest(prices, 1, m) < low3 or _lowest(prices, m + 1, n) < low1:
                continue
            # The head is the lowest of all between the shoulders.
            if -neg_low[most(neg_low, left, right + 1)] < low2:
                break
            a, b = most(high, left + 1, head), most(high, head + 1, right)
            if (
                min(high[a], high[b]) - low2 < depth
                or min(high[a] - low1, high[b] - low3) <= 0
                or abs(high[b] - high[a]) > 2.0 * tolerance
            ):
                continue
            gain = (high[b] - high[a]) / (b - a)
            height = high[a] + gain * (head - a) - low2
            if abs(high[b] - high[a]) > LEVEL * height or min(head - left, right - head) < SIDES * max(head - left, right - head):
                continue
            if min(low1 - low2, low3 - low2, high[a] - low1, high[b] - low3) < SHOULDER * height:
                continue
            if not led(left, low1, height, right - left, first, look):
                continue
            begin(pattern, left, right)
            pattern[AT], pattern[TRIGGER], pattern[TRIGGER_GAIN], pattern[INVALID] = a, high[a], gain, min(low1, low3)
            pattern[HEIGHT] = height
            shoulder = 1.0 - abs(low1 - low3) / tolerance
            neck = 1.0 - abs(high[b] - high[a]) / (2.0 * tolerance)
            middle = 1.0 - abs(2.0 * (head - left) / (right - left) - 1.0)
            pattern[QUALITY] = 100.0 * (shoulder + neck + middle) / 3.0
            point(pattern, 0, left, low1)
            point(pattern, 1, a, high[a])
            point(pattern, 2, head, low2)
            point(pattern, 3, b, high[b])
            point(pattern, 4, right, low3)
            if proportioned(pattern, 5, leg, even):
                return True
    return False
