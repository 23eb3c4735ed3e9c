"""Lines and pairs over a window: least-squares slope, its fit, and correlation.

Sums over a window of distances from a reference inside it, rebuilt on every nth bar of the instrument, as in rolling.py.
"""

from typing import Any

import numpy as np
from numba import njit

from wickcore.bars.bars import Floats, Ints
from wickcore.measures.frame import Frame, ends

SLOPE, FIT = 0, 1
STILL = 1e-14  # values that differ by a tenth of a millionth of their mean, squared, differ by rounding alone


@njit(nogil=True, cache=True)
def _line(
    x: Floats, history: Floats, offsets: Ints, starts: Ints, before: Ints, commit: Any, n: int, how: int, out: Floats
) -> None:
    """Least squares of the window's values over 0 … n - 1: slope a bar (how 0) or R² (how 1; unknown where nothing moved)."""
    middle = (n - 1) / 2.0
    across = n * (n * n - 1.0) / 12.0
    for k in range(len(offsets) - 1):
        first = starts[k]
        j, unknown = first, 0
        reference, total, squares, timed = 0.0, 0.0, 0.0, 0.0
        for i in range(offsets[k], offsets[k + 1]):
            v = x[i]
            if j - first >= n - 1 and unknown == 0 and v == v:
                d = v - reference
                mean = (total + d) / n
                # timed holds the sum of place * distance with this bar's place n - 1.
                together = timed + (n - 1) * d - middle * (total + d)
                if how == 0:
                    out[i] = together / across
                else:
                    spread = squares + d * d - n * mean * mean
                    if spread <= 1e-12 * (squares + d * d):
                        out[i] = np.nan
                    else:
                        out[i] = min(1.0, together * together / (across * spread))
            else:
                out[i] = np.nan
            if not ends(commit, i):
                continue
            j += 1
            if v != v:
                unknown += 1
            rebuild = False
            if j - first >= n:
                old = history[j - n]
                if old != old:
                    unknown -= 1
                    rebuild = unknown == 0
                elif unknown == 0:
                    o, d = old - reference, v - reference
                    timed += (n - 1) * d - (total + d - o)
                    total += d - o
                    squares += d * d - o * o
            if unknown == 0 and (rebuild or j - first == n - 1 or (before[k] + j - first + 1) % n == 0):
                reference, total, squares, timed = history[j - 1], 0.0, 0.0, 0.0
                for m in range(j - n + 1, j):
                    d = history[m] - reference
                    total += d
                    squares += d * d
                    timed += (m - (j - n + 1)) * d


@njit(nogil=True, cache=True)
def _together(
    x: Floats, y: Floats, history_x: Floats, history_y: Floats, offsets: Ints, starts: Ints, commit: Any, n: int, out: Floats
) -> None:
    """Pearson's correlation of two windows; unknown where one of them stands still."""
    for k in range(len(offsets) - 1):
        j = starts[k]
        for i in range(offsets[k], offsets[k + 1]):
            out[i] = np.nan
            if j - starts[k] >= n - 1:
                mx, my = x[i], y[i]
                for m in range(j - n + 1, j):
                    mx += history_x[m]
                    my += history_y[m]
                mx, my = mx / n, my / n
                dx, dy = x[i] - mx, y[i] - my
                xx, yy, xy = dx * dx, dy * dy, dx * dy
                for m in range(j - n + 1, j):
                    dx, dy = history_x[m] - mx, history_y[m] - my
                    xx += dx * dx
                    yy += dy * dy
                    xy += dx * dy
                if xx > STILL * n * mx * mx and yy > STILL * n * my * my:
                    out[i] = min(1.0, max(-1.0, xy / np.sqrt(xx * yy)))
            if ends(commit, i):
                j += 1


def _fitted(x: Floats, frame: Frame, n: int, how: int) -> Floats:
    out = np.empty(len(x))
    _line(x, frame.history(x), frame.offsets, frame.starts, frame.before, frame.commit, n, how, out)
    return out


def slope(x: Floats, frame: Frame, n: int) -> Floats:
    """Least-squares slope a bar over n bars (n at least 2)."""
    return _fitted(x, frame, n, SLOPE)


def fit(x: Floats, frame: Frame, n: int) -> Floats:
    """R² of the least-squares line over n bars (n at least 3)."""
    return _fitted(x, frame, n, FIT)


def corr(x: Floats, y: Floats, frame: Frame, n: int) -> Floats:
    """Correlation of two columns over n bars (n at least 3)."""
    out = np.empty(len(x))
    _together(x, y, frame.history(x), frame.history(y), frame.offsets, frame.starts, frame.commit, n, out)
    return out
