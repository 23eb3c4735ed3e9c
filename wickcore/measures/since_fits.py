"""Lines and pairs over windows that begin with an event (wickcore.measures.since), one step a bar."""

from typing import Any

import numpy as np
from numba import njit

from wickcore.bars.bars import Floats, Ints, Truth
from wickcore.measures.fits import STILL
from wickcore.measures.frame import TRUE, Frame, ends

SLOPE, FIT, WEIGHTED = range(3)


@njit(nogil=True, cache=True)
def _line(x: Floats, begins: Truth, offsets: Ints, commit: Any, how: int, out: Floats) -> None:
    """Least squares of the window's values over 0, 1, 2 …, and their average weighted by 1, 2, 3 …. Sums are of distances from the first."""
    for k in range(len(offsets) - 1):
        size, first, total, squares, timed = 0, 0.0, 0.0, 0.0, 0.0
        for i in range(offsets[k], offsets[k + 1]):
            v = x[i]
            if begins[i] == TRUE:
                size2, first2, total2, squares2, timed2 = 1, v, 0.0 * v, 0.0 * v, 0.0 * v
            elif size == 0:
                out[i] = np.nan
                continue
            else:
                d = v - first
                size2, first2, total2, squares2, timed2 = size + 1, first, total + d, squares + d * d, timed + size * d
            n = float(size2)
            middle, across = (n - 1.0) / 2.0, n * (n * n - 1.0) / 12.0
            together = timed2 - middle * total2
            if how == WEIGHTED:
                out[i] = first2 + (timed2 + total2) / (n * (n + 1.0) / 2.0)
            elif size2 < 2 + how:
                out[i] = np.nan
            elif how == SLOPE:
                out[i] = together / across
            else:
                spread = squares2 - total2 * total2 / n
                out[i] = min(1.0, together * together / (across * spread)) if spread > 1e-12 * squares2 else np.nan
            if ends(commit, i):
                size, first, total, squares, timed = size2, first2, total2, squares2, timed2


@njit(nogil=True, cache=True)
def _together(x: Floats, y: Floats, begins: Truth, offsets: Ints, commit: Any, out: Floats) -> None:
    """Pearson's correlation, its sums kept as Welford's (Technometrics 4, 1962); unknown where one of the two stands still."""
    for k in range(len(offsets) - 1):
        size, mx, my, xx, yy, xy = 0, 0.0, 0.0, 0.0, 0.0, 0.0
        for i in range(offsets[k], offsets[k + 1]):
            v, w = x[i], y[i]
            if begins[i] == TRUE:
                size2, mx2, my2, xx2, yy2, xy2 = 1, v, w, 0.0 * v, 0.0 * w, 0.0 * v * w
            elif size == 0:
                out[i] = np.nan
                continue
            else:
                size2, dx, dy = size + 1, v - mx, w - my
                mx2, my2 = mx + dx / size2, my + dy / size2
                xx2, yy2, xy2 = xx + dx * (v - mx2), yy + dy * (w - my2), xy + dx * (w - my2)
            known = size2 >= 3 and xx2 > STILL * size2 * mx2 * mx2 and yy2 > STILL * size2 * my2 * my2 and xy2 == xy2
            out[i] = min(1.0, max(-1.0, xy2 / np.sqrt(xx2 * yy2))) if known else np.nan
            if ends(commit, i):
                size, mx, my, xx, yy, xy = size2, mx2, my2, xx2, yy2, xy2


def _of(x: Floats, begins: Truth, frame: Frame, how: int) -> Floats:
    out = np.empty(len(x))
    _line(x, begins, frame.offsets, frame.commit, how, out)
    return out


def slope(x: Floats, begins: Truth, frame: Frame) -> Floats:
    """Least-squares slope a bar; unknown on the window's first bar."""
    return _of(x, begins, frame, SLOPE)


def fit(x: Floats, begins: Truth, frame: Frame) -> Floats:
    """R² of the least-squares line; unknown on the window's first two bars and where nothing moved."""
    return _of(x, begins, frame, FIT)


def wma(x: Floats, begins: Truth, frame: Frame) -> Floats:
    """Linearly weighted average: the newest value weighs as much as there are values, the first one 1."""
    return _of(x, begins, frame, WEIGHTED)


def corr(x: Floats, y: Floats, begins: Truth, frame: Frame) -> Floats:
    """Correlation of two columns; unknown on the window's first two bars."""
    out = np.empty(len(x))
    _together(x, y, begins, frame.offsets, frame.commit, out)
    return out
