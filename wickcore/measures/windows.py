"""Averages, sums, deviations and extremes over a window.

`x`: float64, one a base bar; `n`: the window, this bar included. A value is unknown (NaN) while the window is short or holds an
unknown; the smoothed averages pass unknown bars over.
"""

from typing import Any

import numpy as np
from numba import njit

from wickcore.bars.bars import Bools, Floats, Ints
from wickcore.measures.frame import Frame, ends
from wickcore.measures.rolling import HIGHEST, LOWEST, MEAN, VARIANCE, roll
from wickcore.measures.smoothing import smoothed


@njit(nogil=True, cache=True)
def _peek_moments(
    x: Floats, rolled: Floats, spread: Floats, offsets: Ints, starts: Ints, commit: Bools, n: int, deviation: bool, out: Floats
) -> None:
    """The mean (or the variance) of n - 1 ended bars and the one so far."""
    for k in range(len(offsets) - 1):
        j = starts[k]
        for i in range(offsets[k], offsets[k + 1]):
            v = x[i]
            if n == 1:
                out[i] = 0.0 * v if deviation else v
            elif j - starts[k] < n - 1:
                out[i] = np.nan
            else:
                away = v - rolled[j - 1]
                if deviation:
                    out[i] = (spread[j - 1] + away * away / n) * (n - 1) / n
                else:
                    out[i] = rolled[j - 1] + away / n
            if commit[i]:
                j += 1


@njit(nogil=True, cache=True)
def _peek_extreme(x: Floats, rolled: Floats, offsets: Ints, starts: Ints, commit: Bools, n: int, sign: float, out: Floats) -> None:
    """The extreme of n - 1 ended bars and the one so far."""
    for k in range(len(offsets) - 1):
        j = starts[k]
        for i in range(offsets[k], offsets[k + 1]):
            v = x[i]
            if n == 1:
                out[i] = v
            elif j - starts[k] < n - 1 or v != v:
                out[i] = np.nan
            else:
                best = rolled[j - 1]
                out[i] = best if best != best or best * sign > v * sign else v
            if commit[i]:
                j += 1


@njit(nogil=True, cache=True)
def _peek_smoothed(x: Floats, offsets: Ints, commit: Bools, n: int, weight: float, out: Floats) -> None:
    """As smoothing.smoothed, of the bars that have ended and the one so far."""
    for k in range(len(offsets) - 1):
        taken, state, total = 0, 0.0, 0.0
        for i in range(offsets[k], offsets[k + 1]):
            v = x[i]
            if v != v:
                out[i] = np.nan
                continue
            if taken >= n:
                now = state + weight * (v - state)
            elif taken == n - 1:
                now = (total + v) / n
            else:
                now = np.nan
            out[i] = now
            if commit[i]:
                total += v
                state = now
                taken += 1


@njit(nogil=True, cache=True)
def _smoothed_by(x: Floats, weight: Floats, offsets: Ints, commit: Any, out: Floats) -> None:
    """Exponential average whose weight is a column of its own; started from the last value before the first known weight."""
    for k in range(len(offsets) - 1):
        state, started = np.nan, False
        for i in range(offsets[k], offsets[k + 1]):
            v, w = x[i], weight[i]
            if v != v or (w != w and started):
                out[i] = np.nan
                continue
            if w != w or state != state:
                now = v
                out[i] = np.nan
            else:
                now = state + w * (v - state)
                out[i] = now
            if ends(commit, i):
                state = now
                started = started or w == w


@njit(nogil=True, cache=True)
def _weighted(x: Floats, history: Floats, offsets: Ints, starts: Ints, before: Ints, commit: Any, n: int, out: Floats) -> None:
    """Linearly weighted average: the newest value weighs n, the oldest 1. Sums are made afresh where rolling.py makes them."""
    scale = n * (n + 1) / 2.0
    for k in range(len(offsets) - 1):
        first = starts[k]
        j, unknown = first, 0
        reference, total, weighted = 0.0, 0.0, 0.0
        for i in range(offsets[k], offsets[k + 1]):
            v = x[i]
            if j - first >= n - 1 and unknown == 0 and v == v:
                if n == 1:
                    reference = v
                out[i] = reference + (weighted + n * (v - reference)) / scale
            else:
                out[i] = np.nan
            if not ends(commit, i) or n == 1:
                continue
            j += 1
            rebuild = False
            if v != v:
                unknown += 1
            if j - first >= n:
                old = history[j - n]
                if old != old:
                    unknown -= 1
                    rebuild = unknown == 0
                elif unknown == 0:
                    weighted += (n - 1) * (v - reference) - total
                    total += v - old
            if unknown == 0 and (rebuild or j - first == n - 1 or (before[k] + j - first + 1) % n == 0):
                reference, total, weighted = history[j - 1], 0.0, 0.0
                for m in range(j - n + 1, j):
                    d = history[m] - reference
                    total += d
                    weighted += (m - (j - n)) * d


@njit(nogil=True, cache=True)
def _mean_deviation(
    x: Floats, history: Floats, offsets: Ints, starts: Ints, commit: Any, n: int, mean: Floats, out: Floats
) -> None:
    """The mean distance of the window's values from their mean."""
    for k in range(len(offsets) - 1):
        j = starts[k]
        for i in range(offsets[k], offsets[k + 1]):
            middle = mean[i]
            if middle == middle:
                total = abs(x[i] - middle)
                for m in range(j - n + 1, j):
                    total += abs(history[m] - middle)
                out[i] = total / n
            else:
                out[i] = np.nan
            if ends(commit, i):
                j += 1


def _rolled(x: Floats, frame: Frame, n: int, kind: int) -> Floats:
    """What the bars that have ended come to: on the base frame of n of them, in a coarser one of those beside the bar so far."""
    history, base = frame.history(x), frame.commit is None
    out = np.empty(len(history))
    starts = frame.offsets if base else np.append(frame.starts, len(history))
    before = frame.before if kind in (MEAN, VARIANCE) else np.zeros(len(starts) - 1, np.int64)
    roll(history, starts, before, n if base else max(1, n - 1), kind, out)
    return out


def sma(x: Floats, frame: Frame, n: int) -> Floats:
    """Simple moving average over n bars."""
    mean = _rolled(x, frame, n, MEAN)
    if frame.commit is None:
        return mean
    out = np.empty(len(x))
    _peek_moments(x, mean, mean, frame.offsets, frame.starts, frame.commit, n, False, out)
    return out


def _variance(x: Floats, frame: Frame, n: int) -> Floats:
    spread = _rolled(x, frame, n, VARIANCE)
    if frame.commit is None:
        return spread
    mean, out = _rolled(x, frame, n, MEAN), np.empty(len(x))
    _peek_moments(x, mean, spread, frame.offsets, frame.starts, frame.commit, n, True, out)
    return out


def sum_(x: Floats, frame: Frame, n: int) -> Floats:
    """Sum over n bars."""
    return sma(x, frame, n) * n


def stdev(x: Floats, frame: Frame, n: int) -> Floats:
    """Population standard deviation over n bars."""
    variance = _variance(x, frame, n)
    return np.sqrt(variance, out=variance)


def mean_dev(x: Floats, frame: Frame, n: int) -> Floats:
    """Mean absolute deviation from the mean of n bars."""
    out = np.empty(len(x))
    _mean_deviation(x, frame.history(x), frame.offsets, frame.starts, frame.commit, n, sma(x, frame, n), out)
    return out


def _extreme(x: Floats, frame: Frame, n: int, kind: int) -> Floats:
    rolled = _rolled(x, frame, n, kind)
    if frame.commit is None:
        return rolled
    out = np.empty(len(x))
    _peek_extreme(x, rolled, frame.offsets, frame.starts, frame.commit, n, 1.0 if kind == HIGHEST else -1.0, out)
    return out


def highest(x: Floats, frame: Frame, n: int) -> Floats:
    """Highest of n bars."""
    return _extreme(x, frame, n, HIGHEST)


def lowest(x: Floats, frame: Frame, n: int) -> Floats:
    """Lowest of n bars."""
    return _extreme(x, frame, n, LOWEST)


def _smoothed(x: Floats, frame: Frame, n: int, weight: float) -> Floats:
    out = np.empty(len(x))
    if frame.commit is None:
        smoothed(x, frame.offsets, n, weight, out)
    else:
        _peek_smoothed(x, frame.offsets, frame.commit, n, weight, out)
    return out


def ema(x: Floats, frame: Frame, n: int) -> Floats:
    """Exponential moving average, weight 2 / (n + 1)."""
    return _smoothed(x, frame, n, 2.0 / (n + 1.0))


def rma(x: Floats, frame: Frame, n: int) -> Floats:
    """Wilder's smoothed average, weight 1 / n."""
    return _smoothed(x, frame, n, 1.0 / n)


def ema_by(x: Floats, weight: Floats, frame: Frame) -> Floats:
    """Exponential average whose weight changes from bar to bar."""
    out = np.empty(len(x))
    _smoothed_by(x, weight, frame.offsets, frame.commit, out)
    return out


def wma(x: Floats, frame: Frame, n: int) -> Floats:
    """Linearly weighted moving average."""
    out = np.empty(len(x))
    _weighted(x, frame.history(x), frame.offsets, frame.starts, frame.before, frame.commit, n, out)
    return out
