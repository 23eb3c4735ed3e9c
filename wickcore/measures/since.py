"""Windows that begin with an event: from the latest bar on which a condition was true up to this one, both included.

Each bar costs one step. Unknown before the first such bar, and while the window holds an unknown value; a bar on which it is unknown whether the
condition holds begins nothing.
"""

from typing import Any

import numpy as np
from numba import njit

from wickcore.bars.bars import Floats, Ints, Truth
from wickcore.measures.frame import FALSE, TRUE, UNKNOWN, Frame, ends

SUM, MEAN, DEVIATION, HIGHEST, LOWEST, SINCE_HIGHEST, SINCE_LOWEST = range(7)


@njit(nogil=True, cache=True)
def _running(x: Floats, begins: Truth, offsets: Ints, commit: Any, kind: int, out: Floats) -> None:
    """What the values of the window come to. Sums are of distances from its first value, so that rounding does not pile up on a price level;
    the deviation is Welford's (Technometrics 4, 1962)."""
    for k in range(len(offsets) - 1):
        size, first, total, mean, spread, best, away = 0, 0.0, 0.0, 0.0, 0.0, 0.0, 0
        for i in range(offsets[k], offsets[k + 1]):
            v = x[i]
            if begins[i] == TRUE:
                size2, first2, total2, mean2, spread2, best2, away2 = 1, v, 0.0, v, 0.0 * v, v, 0
            elif size == 0:
                out[i] = np.nan
                continue
            else:
                size2, first2, total2 = size + 1, first, total + (v - first)
                mean2 = mean + (v - mean) / size2
                spread2 = spread + (v - mean) * (v - mean2)
                best2, away2 = best, away + 1
                # The latest of equals, as in a window of a plain number of bars.
                if v != v or (kind in (HIGHEST, SINCE_HIGHEST) and v >= best) or (kind in (LOWEST, SINCE_LOWEST) and v <= best):
                    best2, away2 = v if best == best else best, 0
            if kind == SUM:
                out[i] = size2 * first2 + total2
            elif kind == MEAN:
                out[i] = first2 + total2 / size2
            elif kind == DEVIATION:
                out[i] = np.sqrt(max(0.0, spread2) / size2) if spread2 == spread2 else np.nan
            elif kind in (HIGHEST, LOWEST):
                out[i] = best2
            else:
                out[i] = away2 if best2 == best2 else np.nan
            if ends(commit, i):
                size, first, total, mean, spread, best, away = size2, first2, total2, mean2, spread2, best2, away2


@njit(nogil=True, cache=True)
def _first_known(known: Any, offsets: Ints, commit: Any, out: Truth) -> None:
    for k in range(len(offsets) - 1):
        seen = False
        for i in range(offsets[k], offsets[k + 1]):
            out[i] = TRUE if known[i] and not seen else FALSE
            if ends(commit, i) and known[i]:
                seen = True


def first_known(x: Any, frame: Frame) -> Truth:
    """Whether this is the first bar on which a number or a truth is known."""
    out = np.empty(len(x), np.int8)
    _first_known(x != UNKNOWN if x.dtype == np.int8 else ~np.isnan(x), frame.offsets, frame.commit, out)
    return out


def _of(x: Floats, begins: Truth, frame: Frame, kind: int) -> Floats:
    out = np.empty(len(x))
    _running(x, begins, frame.offsets, frame.commit, kind, out)
    return out


def sum_(x: Floats, begins: Truth, frame: Frame) -> Floats:
    """Sum of the window's values."""
    return _of(x, begins, frame, SUM)


def sma(x: Floats, begins: Truth, frame: Frame) -> Floats:
    """Mean of the window's values."""
    return _of(x, begins, frame, MEAN)


def stdev(x: Floats, begins: Truth, frame: Frame) -> Floats:
    """Population standard deviation of the window's values."""
    return _of(x, begins, frame, DEVIATION)


def highest(x: Floats, begins: Truth, frame: Frame) -> Floats:
    """Highest of the window's values."""
    return _of(x, begins, frame, HIGHEST)


def lowest(x: Floats, begins: Truth, frame: Frame) -> Floats:
    """Lowest of the window's values."""
    return _of(x, begins, frame, LOWEST)


def bars_since_highest(x: Floats, begins: Truth, frame: Frame) -> Floats:
    """Bars since the highest of the window, the latest of equals."""
    return _of(x, begins, frame, SINCE_HIGHEST)


def bars_since_lowest(x: Floats, begins: Truth, frame: Frame) -> Floats:
    """Bars since the lowest of the window, the latest of equals."""
    return _of(x, begins, frame, SINCE_LOWEST)


def count(condition: Truth, begins: Truth, frame: Frame) -> Floats:
    """On how many bars of the window the condition was true; unknown while any of them is."""
    return _of(np.where(condition == UNKNOWN, np.nan, (condition == TRUE).astype(np.float64)), begins, frame, SUM)
