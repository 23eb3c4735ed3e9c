"""Turning points known on the bar that confirms them, Heikin-Ashi's open, and the first bar of a period."""

from typing import Any

import numpy as np
from numba import njit

from wickcore.bars.bars import Floats, Ints, Truth
from wickcore.measures.frame import FALSE, TRUE, UNKNOWN, Frame


@njit(nogil=True, cache=True)
def _turns(
    x: Floats, h: Floats, offsets: Ints, starts: Ints, commit: Any, side: int, nth: int, sign: float, price: Floats, turn: Truth
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
                top = h[at] * sign
                state = TRUE if v < top else (FALSE if v == v and top == top else UNKNOWN)
                if state == TRUE:
                    for m in range(1, side + 1):
                        if not h[at - m] * sign < top or (m < side and not h[at + m] * sign < top):
                            state = FALSE
                            break
            turn[i] = state
            if state == TRUE:
                if nth == 1:
                    price[i] = h[at]
                else:
                    price[i] = kept[(found - nth + 1) % nth] if found >= nth - 1 else np.nan
            else:
                price[i] = kept[(found - nth) % nth] if found >= nth else np.nan
            if commit is None:
                ends = True
            else:
                ends = commit[i]
            if ends:
                if state == TRUE:
                    kept[found % nth] = h[at]
                    found += 1
                j += 1


@njit(nogil=True, cache=True)
def _ha_open(open_: Floats, middle: Floats, offsets: Ints, commit: Any, out: Floats) -> None:
    for k in range(len(offsets) - 1):
        before, close = np.nan, np.nan
        for i in range(offsets[k], offsets[k + 1]):
            out[i] = open_[i] if before != before else (before + close) / 2.0
            if commit is None:
                ends = True
            else:
                ends = commit[i]
            if ends:
                before, close = out[i], middle[i]


@njit(nogil=True, cache=True)
def _opens(period: Ints, offsets: Ints, commit: Any, out: Truth) -> None:
    """True where the bar ended before this one lies in another period."""
    for k in range(len(offsets) - 1):
        known, before = False, np.int64(0)
        for i in range(offsets[k], offsets[k + 1]):
            out[i] = (TRUE if period[i] != before else FALSE) if known else UNKNOWN
            if commit is None:
                ends = True
            else:
                ends = commit[i]
            if ends:
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
