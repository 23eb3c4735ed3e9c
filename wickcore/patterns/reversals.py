"""Double bottoms and shoulders: shapes of a few lows at one level, after a fall. Looked for whenever a low is confirmed."""

import numpy as np

from wickcore.bars.bars import Floats, Ints
from wickcore.measures.frame import kernel
from wickcore.patterns.objects import AT, HEIGHT, INVALID, QUALITY, TRIGGER, TRIGGER_GAIN, begin, most, point

FALL = 3  # the fall before a bottom is looked for in so many times `apart` bars before its first low


@kernel
def _lowest(what: Floats, begin: int, end: int) -> float:
    """The lowest of the confirmed lows from number begin to before end; infinity where there is none."""
    found = np.inf
    for i in range(begin, end):
        found = min(found, what[1, i])
    return found


@kernel
def double(first: int, when: Ints, what: Floats, count: Ints, h: Floats, down: Floats, given: Floats, one: Floats) -> bool:
    """given: tolerance, apart, depth, within."""
    tolerance, apart, depth, within = given[0], given[1], given[2], given[3]
    at2, low2 = when[1, 0], what[1, 0]
    for m in range(1, count[1]):
        at1, low1 = when[1, m], what[1, m]
        if at2 - at1 > within:
            return False
        if at2 - at1 < apart or abs(low2 - low1) > tolerance:
            continue
        top = most(h, at1 + 1, at2)
        neckline = h[top]
        if neckline - max(low1, low2) < depth:
            continue
        # Nothing between lies under both lows, and a fall as deep as the rise led to the first.
        if -down[most(down, at1 + 1, at2)] < min(low1, low2):
            continue
        before = max(first, at1 - FALL * int(apart))
        if before >= at1 or h[most(h, before, at1)] - low1 < depth:
            continue
        begin(one, at1, at2)
        one[TRIGGER], one[INVALID] = neckline, min(low1, low2)
        one[HEIGHT] = neckline - min(low1, low2)
        even = 1.0 - abs(low2 - low1) / tolerance
        deep = min(1.0, (neckline - max(low1, low2)) / (2.0 * depth))
        middle = 1.0 - abs(2.0 * (top - at1) / (at2 - at1) - 1.0)
        one[QUALITY] = 100.0 * (even + deep + middle) / 3.0
        point(one, 0, at1, low1)
        point(one, 1, top, neckline)
        point(one, 2, at2, low2)
        return True
    return False


@kernel
def shoulders(first: int, when: Ints, what: Floats, count: Ints, h: Floats, down: Floats, given: Floats, one: Floats) -> bool:
    """given: tolerance, apart, depth, within."""
    tolerance, apart, depth, within = given[0], given[1], given[2], given[3]
    right, low3 = when[1, 0], what[1, 0]
    for m in range(1, count[1]):
        head, low2 = when[1, m], what[1, m]
        if right - head > within:
            return False
        if right - head < apart or low3 - low2 < tolerance:
            continue
        for n in range(m + 1, count[1]):
            left, low1 = when[1, n], what[1, n]
            if right - left > within:
                break
            if head - left < apart or low1 - low2 < tolerance or abs(low1 - low3) > tolerance:
                continue
            # No other turning point comes between a shoulder and the head that would itself be the shoulder.
            if _lowest(what, 1, m) < low3 or _lowest(what, m + 1, n) < low1:
                continue
            # The head is the lowest of all between the shoulders.
            if -down[most(down, left, right + 1)] < low2:
                break
            a, b = most(h, left + 1, head), most(h, head + 1, right)
            if min(h[a], h[b]) - low2 < depth or min(h[a] - low1, h[b] - low3) <= 0 or abs(h[b] - h[a]) > 2.0 * tolerance:
                continue
            before = max(first, left - FALL * int(apart))
            if before >= left or h[most(h, before, left)] - low1 < depth / 2.0:
                continue
            gain = (h[b] - h[a]) / (b - a)
            begin(one, left, right)
            one[AT], one[TRIGGER], one[TRIGGER_GAIN], one[INVALID] = a, h[a], gain, low2
            one[HEIGHT] = h[a] + gain * (head - a) - low2
            even = 1.0 - abs(low1 - low3) / tolerance
            level = 1.0 - abs(h[b] - h[a]) / (2.0 * tolerance)
            middle = 1.0 - abs(2.0 * (head - left) / (right - left) - 1.0)
            one[QUALITY] = 100.0 * (even + level + middle) / 3.0
            point(one, 0, left, low1)
            point(one, 1, a, h[a])
            point(one, 2, head, low2)
            point(one, 3, b, h[b])
            point(one, 4, right, low3)
            return True
    return False
