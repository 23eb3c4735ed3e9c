"""Lines through turning points: triangles, wedges, channels and bases between two of them, and trend lines along one.

A line runs through the newest turning point of its kind and an earlier one. It stands while no close between its first turning point and now
lies beyond it by more than the touch distance, and every turning point that close to it touches it.
"""

import numpy as np
from numba import njit

from wickcore.bars.bars import Floats, Ints
from wickcore.measures.frame import kernel
from wickcore.patterns.objects import (
    HEIGHT,
    POINTS,
    QUALITY,
    TRIGGER,
    TRIGGER_GAIN,
    Look,
    begin,
    lower,
    most,
    point,
    upper,
)  # fmt: skip

MOST_LINES = 12  # through the newest turning point
# Shares of a pattern's length, at most: before its second line begins, and after the last touch of either line.
LATE, TAIL = 1 / 3, 0.4
VISIT = 5  # bars between two touches of a trend line: nearer ones are one visit
CROSSING = 1 / 5  # bars of the shortest way from line to line against those of the longest
INTO = 2 / 5  # of the width: how far price comes into the first touch from the other side
LEAP = 1 / 2  # of the width: the most from one close to the next
# So many closes in a row beyond a line, by this share of the touch distance, break it; so does a bar that reaches so many of them beyond.
STRAY, BEYOND, REACH = 3, 0.1, 2.0
TRIANGLE_UP, TRIANGLE, WEDGE, CHANNEL, BASE = range(5)
# Of each shape: touches of both lines, at least; shares of its length, at most: between two touches, and between two of the same line.
TOUCHES, SPARSE, ALONE = (4, 4, 5, 5, 5), (0.5, 0.5, 0.5, 0.5, 0.4), (0.7, 0.7, 0.7, 0.7, 0.6)
SPARSE_LINE = 0.5  # of a trend line's length, between two touches, at most


@njit(nogil=True, cache=True, inline="always", _nrt=False)
def _since(row: int, j: int, newest: int, price: float, close: Floats, slack: float, shares: Floats) -> float:
    """The least gain of a line through the newest turning point that the closes after it leave standing; of a line below with the other
    sign."""
    sign = 1.0 if row == 0 else -1.0
    least = -np.inf
    for t in range(newest + 1, j + 1):
        least = max(least, (sign * (close[t] - price) - slack) * shares[t - newest])
    return least


@njit(nogil=True, cache=True, inline="always", _nrt=False)
def standing(
    row: int, j: int, slack: float, within: float, latest: float, floor: float, ceiling: float, into: int, look: Look
) -> int:
    """The lines through the newest high (row 0) or low (row 1) that no close breaks: their gains a bar into row `into` of work, and into the
    next the number of the turning point each begins at.

    latest: the last bar one may begin at. floor, ceiling: of its gain, that of a line below with the other sign. Divisions are looked up in
    `shares`: one a bar would cost more than all else. Returns how many.
    """
    bars, prices, count, close, shares, work = look.bars, look.prices, look.counts, look.close, look.shares, look.work
    if count[row] < 2:
        return 0
    sign = 1.0 if row == 0 else -1.0
    newest, price = bars[row, 0], sign * prices[row, 0]
    least = max(floor, _since(row, j, newest, sign * price, close, slack, shares))
    # The closes passed over on the way back bound the gain from above, so that each is looked at once for all the lines.
    greatest, back, found = np.inf, 1, 0
    for m in range(1, count[row]):
        start = bars[row, m]
        if newest - start > within:
            break
        gain = (price - sign * prices[row, m]) * shares[newest - start]
        if start > latest or not least <= gain <= min(greatest, ceiling):
            continue
        while back <= newest - start:
            bound = (price + slack - sign * close[newest - back]) * shares[back]
            if bound < greatest:
                greatest = bound
            back += 1
        if greatest < least:
            break
        if gain <= greatest:
            work[into, found], work[into + 1, found] = sign * gain, m
            found += 1
            if found == MOST_LINES:
                break
    return found


@kernel
def _touches(
    bars: Ints, prices: Floats, count: Ints, start0: int, start1: int, gain0: float, gain1: float, slack0: float, slack1: float,
    counted: Floats,
) -> None:  # fmt: skip
    """Into counted: the touches of the upper and of the lower line, how often they change sides, their distances added up in shares of the
    touch distance, the longest stretch between two of them, the shortest and the longest way from a touch of one line to the next of the
    other, and the longest stretch between two of one line."""
    counted[:8] = 0.0
    counted[5] = np.inf
    x, y, side, before = 0, 0, -1, -1
    own = (-1, -1)
    while True:
        at0 = bars[0, x] if x < count[0] and bars[0, x] >= start0 else -1
        at1 = bars[1, y] if y < count[1] and bars[1, y] >= start1 else -1
        if at0 < 0 and at1 < 0:
            return
        row = 0 if at0 >= at1 else 1
        if row == 0:
            away = abs(prices[0, x] - prices[0, 0] - gain0 * (at0 - bars[0, 0])) / slack0
            x += 1
        else:
            away = abs(prices[1, y] - prices[1, 0] - gain1 * (at1 - bars[1, 0])) / slack1
            y += 1
        if away <= 1.0:
            counted[row] += 1
            counted[3] += away
            at = max(at0, at1)
            counted[4] = max(counted[4], before - at)
            if side != row:
                counted[2] += 1
                if side >= 0:
                    counted[5], counted[6] = min(counted[5], before - at), max(counted[6], before - at)
            alone = own[row] - at if own[row] >= 0 else 0
            counted[7] = max(counted[7], alone)
            own = (at, own[1]) if row == 0 else (own[0], at)
            before, side = at, row


@kernel
def _crossed(row: int, start: int, end: int, at: int, price: float, gain: float, slack: float, close: Floats) -> bool:
    """Whether a close from start to before end lies beyond the upper (row 0) or lower line by more than slack."""
    sign = 1.0 if row == 0 else -1.0
    furthest = -np.inf
    for t in range(start, end):
        furthest = max(furthest, sign * (close[t] - price - gain * (t - at)))
    return furthest > slack


@kernel
def _broken(row: int, start: int, end: int, gain: float, slack: float, look: Look) -> bool:
    """Whether, from start to before end, several closes in a row lie beyond the line through the newest high (row 0) or low, or a bar reaches
    far beyond it."""
    sign = 1.0 if row == 0 else -1.0
    at, price = look.bars[row, 0], look.prices[row, 0]
    furthest = look.high if row == 0 else look.neg_low
    many = 0
    for t in range(start, end):
        line = sign * (price + gain * (t - at))
        many = many + 1 if sign * look.close[t] - line > BEYOND * slack else 0
        if many == STRAY or furthest[t] - line > REACH * slack:
            return True
    return False


@kernel
def _leapt(close: Floats, start: int, end: int, limit: float) -> bool:
    """Whether price leaps further than the limit on its way, from one close to the next."""
    furthest = 0.0
    for t in range(start + 1, end + 1):
        furthest = max(furthest, abs(close[t] - close[t - 1]))
    return furthest > limit


@kernel
def _entered(row: int, start: int, last: int, width: float, slack: float, first: int, look: Look) -> bool:
    """Whether price came into the first touch, on the upper (row 0) or lower line, from the other side, in as many bars before as the pattern
    takes at most: else the line begins in the run before."""
    towards, away = (look.high, look.neg_low) if row == 0 else (look.neg_low, look.high)
    for t in range(start - 1, max(first, 2 * start - last) - 1, -1):
        if towards[t] > towards[start] + slack:
            return False
        if towards[start] + away[t] >= INTO * width:
            return True
    return False


@kernel
def _shaped(shape: int, rise0: float, rise1: float, width0: float, width1: float, flat: float, ratio: float) -> bool:
    """rise: of the upper and the lower line over the pattern. width: between them at its first and last bar."""
    level = flat * width0
    if shape == BASE:
        return max(abs(rise0), abs(rise1), abs(rise0 - rise1)) <= level and max(width0, width1) <= ratio
    if shape == CHANNEL:
        return rise0 > level and rise1 > level and abs(width1 - width0) <= ratio * width0
    if width1 > ratio * width0:
        return False
    if shape == TRIANGLE_UP:
        return abs(rise0) <= level and rise1 > level
    if shape == TRIANGLE:
        return rise0 < -level and rise1 > level
    return rise0 < -level and rise1 < -level


@kernel
def _gains(row: int, shape: int, gentle: float) -> tuple[float, float]:
    """What the shape asks of the gain of the line through the highs (row 0) or lows (row 1), which ends most searches early: the least and
    the most, of a line below with the other sign. gentle: the most that a line of a base gains or loses, flat as it is."""
    if shape == BASE:
        return -gentle, gentle
    if row == 0:
        return 0.0 if shape == CHANNEL else -np.inf, 0.0 if shape in (TRIANGLE, WEDGE) else np.inf
    return 0.0 if shape == WEDGE else -np.inf, np.inf if shape == WEDGE else 0.0


@kernel
def two_lines(shape: int, fresh: int, j: int, first: int, look: Look) -> bool:
    """given: touch, flat, length, within, the ratio or depth that the shape asks for, and leg.

    work: the lines through the newest high and low, kept from the bar on that confirms it: in the rows 2 * row and 2 * row + 1 as `standing`
    leaves them, in the last row how many and the touch distance.
    """
    bars, prices, count, close, given = look.bars, look.prices, look.counts, look.close, look.given
    shares, work, pattern = look.shares, look.work, look.pattern
    flat, length, ratio, leg = given[1], given[2], given[4], given[5] * look.range_[j]
    for row in range(2):
        if fresh & (1 + row):
            slack = given[0] * look.range_[j]
            work[5, row], work[5, 2 + row] = 0, slack
            if slack > 0:
                floor, ceiling = _gains(row, shape, flat * ratio / length)
                work[5, row] = standing(row, j, slack, given[3], np.inf, floor, ceiling, 2 * row, look)
    above, below, slack0, slack1 = int(work[5, 0]), int(work[5, 1]), work[5, 2], work[5, 3]
    if above == 0 or below == 0 or j - min(bars[0, 0], bars[1, 0]) >= len(shares):
        return False
    last, best, counted = max(bars[0, 0], bars[1, 0]), 0.0, work[4]
    least = _since(0, j, bars[0, 0], prices[0, 0], close, slack0, shares)
    most_ = -_since(1, j, bars[1, 0], prices[1, 0], close, slack1, shares)
    for x in range(above):
        m, gain0 = int(work[1, x]), work[0, x]
        if gain0 < least:
            continue
        for y in range(below):
            n, gain1 = int(work[3, y]), work[2, y]
            start0, start1 = bars[0, m], bars[1, n]
            both = max(start0, start1)
            start = min(start0, start1)
            if gain1 > most_ or last - both < length or both - start > LATE * (last - start):
                continue
            if last - min(bars[0, 0], bars[1, 0]) > TAIL * (last - start):
                continue
            width0 = prices[0, 0] + gain0 * (both - bars[0, 0]) - prices[1, 0] - gain1 * (both - bars[1, 0])
            width1 = prices[0, 0] + gain0 * (last - bars[0, 0]) - prices[1, 0] - gain1 * (last - bars[1, 0])
            if min(width0, width1) < leg or width0 <= 0 or width1 <= 0:
                continue
            if not _shaped(shape, gain0 * (last - both), gain1 * (last - both), width0, width1, flat, ratio):
                continue
            later = 0 if start0 > start1 else 1  # the line that begins later holds from the beginning of the other
            if _crossed(
                later,
                start,
                both,
                bars[later, 0],
                prices[later, 0],
                gain0 if later == 0 else gain1,
                slack0 if later == 0 else slack1,
                close,
            ):
                continue
            _touches(bars, prices, count, start0, start1, gain0, gain1, slack0, slack1, counted)
            # Two and two at least, by turns; of several the one touched most often, then the longest.
            score = counted[0] + counted[1] + (last - start) / 10_000.0
            if counted[2] < 4 or counted[0] + counted[1] < TOUCHES[shape] or score <= best:
                continue
            if counted[4] > SPARSE[shape] * (last - start) or counted[7] > ALONE[shape] * (last - start):
                continue
            if counted[5] < CROSSING * counted[6]:
                continue
            if _broken(0, start, j + 1, gain0, slack0, look) or _broken(1, start, j + 1, gain1, slack1, look):
                continue
            width = prices[0, 0] + gain0 * (start - bars[0, 0]) - prices[1, 0] - gain1 * (start - bars[1, 0])
            slack = slack1 if later == 0 else slack0
            if _leapt(close, start, last, LEAP * width0) or not _entered(1 - later, start, last, width, slack, first, look):
                continue
            best = score
            begin(pattern, start, last)
            upper(pattern, prices[0, 0] + gain0 * (last - bars[0, 0]), gain0, int(counted[0]))
            lower(pattern, prices[1, 0] + gain1 * (last - bars[1, 0]), gain1, int(counted[1]))
            pattern[HEIGHT] = width0
            touched = counted[0] + counted[1]
            many = min(1.0, (touched - 4.0) / 4.0)
            evenly = min(counted[0], counted[1]) / max(counted[0], counted[1])
            pattern[QUALITY] = 100.0 * (1.0 - counted[3] / touched + many + evenly) / 3.0
            point(pattern, 0, start0, prices[0, m])
            point(pattern, 1, bars[0, 0], prices[0, 0])
            point(pattern, 2, start1, prices[1, n])
            point(pattern, 3, bars[1, 0], prices[1, 0])
    return best > 0


@kernel
def trend_line(j: int, look: Look) -> bool:
    """A rising line under the lows. given: touch, touches, length, within, leg: how far it rises at least, from its first touch to its last."""
    bars, prices, given, work, pattern = look.bars, look.prices, look.given, look.work, look.pattern
    slack, asked, length, within, leg = given[0] * look.range_[j], given[1], given[2], given[3], given[4] * look.range_[j]
    if not slack > 0:
        return False
    newest, price, best = bars[1, 0], prices[1, 0], 0.0
    for x in range(standing(1, j, slack, within, newest - length, -np.inf, 0.0, 2, look)):
        m, gain = int(work[3, x]), work[2, x]
        if gain * (newest - bars[1, m]) < leg or newest - bars[1, m] < length:
            continue
        touched, away, before, last, stretch = 0, 0.0, newest, newest, 0
        for i in range(m + 1):
            off = abs(prices[1, i] - price - gain * (bars[1, i] - newest))
            if off <= slack and (touched == 0 or last - bars[1, i] >= VISIT):
                touched, away = touched + 1, away + off
                stretch, last = max(stretch, last - bars[1, i]), bars[1, i]
                if touched == 2:
                    before = bars[1, i]
        score = touched + (newest - bars[1, m]) / 10_000.0
        if touched < asked or last != bars[1, m] or stretch > SPARSE_LINE * (newest - bars[1, m]) or score <= best:
            continue
        if _broken(1, bars[1, m], j + 1, gain, slack, look):
            continue
        best = score
        begin(pattern, bars[1, m], newest)
        upper(pattern, price, gain, touched)
        lower(pattern, price, gain, touched)
        # What confirms that the line holds: a close above all since the touch before the last.
        pattern[TRIGGER], pattern[TRIGGER_GAIN] = look.high[most(look.high, before, j + 1)], 0.0
        pattern[HEIGHT] = pattern[TRIGGER] - price
        pattern[QUALITY] = 50.0 * (1.0 - away / touched / slack + min(1.0, (touched - 2.0) / 4.0))
        number, last = 0, newest + VISIT
        for i in range(m + 1):
            off = abs(prices[1, i] - price - gain * (bars[1, i] - newest))
            if off <= slack and last - bars[1, i] >= VISIT and number < POINTS:
                point(pattern, number, bars[1, i], prices[1, i])
                number, last = number + 1, bars[1, i]
    return best > 0
