"""Turning points known on the bar that confirms them, Heikin-Ashi's open, and the first bar of a period."""

from typing import Any

import numpy as np
from numba import njit

from wickcore.bars.bars import Floats, Ints, Truth
from wickcore.measures.frame import FALSE, TRUE, UNKNOWN, Frame, ends


@njit(nogil=True, cache=True)
def _turns(
    x: Floats,
    history: Floats,
    offsets: Ints,
    starts: Ints,
    commit: Any,
    side: int,
    nth: int,
    sign: float,
    price: Floats,
    turn: Truth,
) -> None:
    """A bar with `side` lower values on both sides (higher ones where sign is -1) is a turning point from the last of them on.

    price: that of the nth latest, this bar's own confirmation included. turn: whether this bar confirms one.
    """
    kept = np.empty(nth)
    for k in range(len(offsets) - 1):
        first = starts[k]
        j, found = first, 0
        for i in range(offsets[k], offsets[k + 1]):
            v = x[i] * sign
            # The candidate lies `side` bars back; with this bar its right side is complete.
            at = j - side
            if at - side < first:
                state = UNKNOWN
            else:
                top = history[at] * sign
                state = TRUE if v < top else (FALSE if v == v and top == top else UNKNOWN)
                if state == TRUE:
                    for m in range(1, side + 1):
                        if not history[at - m] * sign < top or (m < side and not history[at + m] * sign < top):
                            state = FALSE
                            break
            turn[i] = state
            if state == TRUE:
                if nth == 1:
                    price[i] = history[at]
                else:
                    price[i] = kept[(found - nth + 1) % nth] if found >= nth - 1 else np.nan
            else:
                price[i] = kept[(found - nth) % nth] if found >= nth else np.nan
            if ends(commit, i):
                if state == TRUE:
                    kept[found % nth] = history[at]
                    found += 1
                j += 1


@njit(nogil=True, cache=True)
def _zigzag(
    high: Floats, low: Floats, by: Floats, share: bool, offsets: Ints, commit: Any, side: int, nth: int, price: Floats, turn: Truth,
    age: Floats,
) -> None:  # fmt: skip
    """A high is a turning point once a later low lies `by` below it (a low once a high lies `by` above): a share of the turning point, or an
    amount. They take turns; the furthest price since the last one is the next.

    side: 1 where highs are asked for, -1 where lows. price: that of the nth latest. turn: whether this bar confirms one. age: bars since the
    nth latest itself.
    """
    kept, places = np.empty(nth), np.empty(nth, np.int64)
    for k in range(len(offsets) - 1):
        way, found, j = 0, 0, 0  # 0 while neither has been confirmed
        top, bottom, top_at, bottom_at = -np.inf, np.inf, 0, 0
        for i in range(offsets[k], offsets[k + 1]):
            # Against the furthest price of the bars before: a bar's own high and low have no order that is known.
            fall = top * (1.0 - by[i]) if share else top - by[i]
            rise = bottom * (1.0 + by[i]) if share else bottom + by[i]
            way2, top2, bottom2, turned = way, max(top, high[i]), min(bottom, low[i]), 0
            top_at2, bottom_at2 = (j if high[i] > top else top_at), (j if low[i] < bottom else bottom_at)
            if way >= 0 and low[i] <= fall:
                way2, bottom2, bottom_at2, turned = -1, low[i], j, 1
            elif way <= 0 and high[i] >= rise:
                way2, top2, top_at2, turned = 1, high[i], j, -1
            confirmed = turned == side
            turn[i] = TRUE if confirmed else (FALSE if by[i] == by[i] else UNKNOWN)
            pivot, pivot_at = (top, top_at) if side > 0 else (bottom, bottom_at)
            before = nth - 1 if confirmed else nth  # of those kept, counted from the latest
            if before == 0:
                price[i], age[i] = pivot, j - pivot_at
            elif found >= before:
                price[i], age[i] = kept[(found - before) % nth], j - places[(found - before) % nth]
            else:
                price[i] = age[i] = np.nan
            if ends(commit, i):
                way, top, bottom, top_at, bottom_at = way2, top2, bottom2, top_at2, bottom_at2
                if confirmed:
                    kept[found % nth], places[found % nth] = pivot, pivot_at
                    found += 1
                j += 1


@njit(nogil=True, cache=True)
def _ha_open(open_: Floats, middle: Floats, offsets: Ints, commit: Any, out: Floats) -> None:
    for k in range(len(offsets) - 1):
        before, close = np.nan, np.nan
        for i in range(offsets[k], offsets[k + 1]):
            out[i] = open_[i] if before != before else (before + close) / 2.0
            if ends(commit, i):
                before, close = out[i], middle[i]


@njit(nogil=True, cache=True)
def _opens(period: Ints, offsets: Ints, commit: Any, out: Truth) -> None:
    """True where the bar ended before this one lies in another period."""
    for k in range(len(offsets) - 1):
        known, before = False, np.int64(0)
        for i in range(offsets[k], offsets[k + 1]):
            out[i] = (TRUE if period[i] != before else FALSE) if known else UNKNOWN
            if ends(commit, i):
                known, before = True, period[i]


def _turning(x: Floats, frame: Frame, k: int, nth: int, sign: float) -> tuple[Floats, Truth]:
    price, turn = np.empty(len(x)), np.empty(len(x), np.int8)
    _turns(x, frame.history(x), frame.offsets, frame.starts, frame.commit, k, nth, sign, price, turn)
    return price, turn


def swing_high(high: Floats, frame: Frame, k: int, nth: int) -> Floats:
    """The high of the nth latest confirmed turning point upwards."""
    return _turning(high, frame, k, nth, 1.0)[0]


def swing_low(low: Floats, frame: Frame, k: int, nth: int) -> Floats:
    """The low of the nth latest confirmed turning point downwards."""
    return _turning(low, frame, k, nth, -1.0)[0]


def is_swing_high(high: Floats, frame: Frame, k: int) -> Truth:
    """Whether this bar confirms a turning point k bars back."""
    return _turning(high, frame, k, 1, 1.0)[1]


def is_swing_low(low: Floats, frame: Frame, k: int) -> Truth:
    """Whether this bar confirms a turning point k bars back."""
    return _turning(low, frame, k, 1, -1.0)[1]


def _zigzags(high: Floats, low: Floats, by: Floats, frame: Frame, nth: int, share: int, side: int) -> tuple[Floats, Truth, Floats]:
    price, turn, age = np.empty(len(high)), np.empty(len(high), np.int8), np.empty(len(high))
    _zigzag(high, low, by, bool(share), frame.offsets, frame.commit, side, nth, price, turn, age)
    return price, turn, age


def zigzag_high_age(high: Floats, low: Floats, by: Floats, frame: Frame, nth: int, share: int) -> Floats:
    """Bars since the nth latest high from which price has turned down by `by`."""
    return _zigzags(high, low, by, frame, nth, share, 1)[2]


def zigzag_low_age(high: Floats, low: Floats, by: Floats, frame: Frame, nth: int, share: int) -> Floats:
    """Bars since the nth latest low from which price has turned up by `by`."""
    return _zigzags(high, low, by, frame, nth, share, -1)[2]


@njit(nogil=True, cache=True)
def _since_nth(turn: Truth, offsets: Ints, commit: Any, nth: int, more: int, out: Floats) -> None:
    """Bars since the nth latest true one, and so many more."""
    places = np.empty(nth, np.int64)
    for k in range(len(offsets) - 1):
        j, found = 0, 0
        for i in range(offsets[k], offsets[k + 1]):
            now = turn[i] == TRUE
            before = nth - 1 if now else nth
            if before == 0:
                out[i] = more
            else:
                out[i] = j - places[(found - before) % nth] + more if found >= before else np.nan
            if ends(commit, i):
                if now:
                    places[found % nth] = j
                    found += 1
                j += 1


def _age(x: Floats, frame: Frame, k: int, nth: int, sign: float) -> Floats:
    turn, out = _turning(x, frame, k, 1, sign)[1], np.empty(len(x))
    _since_nth(turn, frame.offsets, frame.commit, nth, k, out)
    return out


def swing_high_age(high: Floats, frame: Frame, k: int, nth: int) -> Floats:
    """Bars since the nth latest turning point upwards."""
    return _age(high, frame, k, nth, 1.0)


def swing_low_age(low: Floats, frame: Frame, k: int, nth: int) -> Floats:
    """Bars since the nth latest turning point downwards."""
    return _age(low, frame, k, nth, -1.0)


def zigzag_high(high: Floats, low: Floats, by: Floats, frame: Frame, nth: int, share: int) -> Floats:
    """The nth latest high from which price has turned down by `by`: a share of it where share is 1, an amount where 0."""
    return _zigzags(high, low, by, frame, nth, share, 1)[0]


def zigzag_low(high: Floats, low: Floats, by: Floats, frame: Frame, nth: int, share: int) -> Floats:
    """The nth latest low from which price has turned up by `by`: a share of it where share is 1, an amount where 0."""
    return _zigzags(high, low, by, frame, nth, share, -1)[0]


def is_zigzag_high(high: Floats, low: Floats, by: Floats, frame: Frame, share: int) -> Truth:
    """Whether this bar is the first to lie `by` below the high since the last turning point."""
    return _zigzags(high, low, by, frame, 1, share, 1)[1]


def is_zigzag_low(high: Floats, low: Floats, by: Floats, frame: Frame, share: int) -> Truth:
    """Whether this bar is the first to lie `by` above the low since the last turning point."""
    return _zigzags(high, low, by, frame, 1, share, -1)[1]


def ha_open(open_: Floats, middle: Floats, frame: Frame) -> Floats:
    """Heikin-Ashi's open: the middle of the last such bar's open and close; the first is the bar's own open."""
    out = np.empty(len(open_))
    _ha_open(open_, middle, frame.offsets, frame.commit, out)
    return out


def opens(period: Ints, frame: Frame) -> Truth:
    """Whether a bar is the first of its period."""
    out = np.empty(len(period), np.int8)
    _opens(period, frame.offsets, frame.commit, out)
    return out
