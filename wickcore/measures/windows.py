"""Averages, sums, deviations and extremes over a window.

`x`: float64, one a base bar; `n`: the window, this bar included. A value is unknown (NaN) while the window is short or holds an
unknown; the smoothed averages pass unknown bars over.
"""

from typing import Any

import numpy as np
from numba import njit

from wickcore.bars.bars import Bools, Floats, Ints
from wickcore.measures.frame import Frame


@njit(nogil=True, cache=True)
def _roll_moments(h: Floats, starts: Ints, n: int, deviation: bool, mean: Floats, spread: Floats) -> None:
    """The mean of each n values in a row and, where asked, the population variance; unknown where one of them is.

    Worked out in stretches of known values, afresh on every nth and from the one before in between, as distances from a reference
    inside the window: rounding does not pile up, and a constant series has its own value as mean and exactly 0 as variance.
    """
    for k in range(len(starts) - 1):
        begin, end = starts[k], starts[k + 1]
        while begin < end:
            stop = begin
            while stop < end and h[stop] == h[stop]:
                stop += 1
            full = min(begin + n - 1, stop)
            for m in range(begin, full):
                mean[m] = np.nan
                if deviation:
                    spread[m] = np.nan
            while full < stop:
                reference, total, squares = h[full], 0.0, 0.0
                last = min(full + n, stop)
                if deviation:
                    for m in range(full - n + 1, full + 1):
                        d = h[m] - reference
                        total += d
                        squares += d * d
                    mean[full] = reference + total / n
                    spread[full] = max(0.0, squares / n - (total / n) * (total / n))
                    for m in range(full + 1, last):
                        new, old = h[m] - reference, h[m - n] - reference
                        total += new - old
                        squares += new * new - old * old
                        average = total / n
                        mean[m] = reference + average
                        spread[m] = max(0.0, squares / n - average * average)
                else:
                    # Four sums side by side: one after another each addition would wait for the last.
                    a, b, c, m = 0.0, 0.0, 0.0, full - n + 1
                    while m + 3 < full:
                        total += h[m] - reference
                        a += h[m + 1] - reference
                        b += h[m + 2] - reference
                        c += h[m + 3] - reference
                        m += 4
                    while m < full:
                        total += h[m] - reference
                        m += 1
                    total = (total + a) + (b + c)
                    mean[full] = reference + total / n
                    for m in range(full + 1, last):
                        total += h[m] - h[m - n]
                        mean[m] = reference + total / n
                full = last
            if stop < end:
                mean[stop] = np.nan
                if deviation:
                    spread[stop] = np.nan
            begin = stop + 1


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
def _roll_extreme(h: Floats, starts: Ints, n: int, sign: float, out: Floats) -> None:
    """Highest (sign 1) or lowest (-1) of each n values in a row, unknown where one of them is, by blocks of n: the greatest from each
    place to its block's end, beside the greatest from the next block's begin on (van Herk, Pattern Recognition Letters 13, 1992)."""
    suffix = np.empty(n + 1)
    for k in range(len(starts) - 1):
        begin, end = starts[k], starts[k + 1]
        block = begin
        while block < end:
            stop = min(block + n, end)
            best = -np.inf
            for m in range(block, stop):
                v = h[m] * sign
                # An unknown stays: it is neither below nor above what comes after it.
                if v > best or v != v:
                    best = v
                if block == begin:
                    out[m] = np.nan
                else:
                    left = suffix[m - block + 1]
                    out[m] = sign * (left if left > best or left != left else best)
            if stop == block + n:
                out[stop - 1] = sign * best
                best = -np.inf
                suffix[n] = -np.inf
                for m in range(n - 1, -1, -1):
                    v = h[block + m] * sign
                    if v > best or v != v:
                        best = v
                    suffix[m] = best
            block = stop


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
def _smoothed(x: Floats, offsets: Ints, commit: Any, n: int, weight: float, out: Floats) -> None:
    """Exponential average with the given weight, seeded with the mean of the first n known values."""
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
            if commit is None:
                ends = True
            else:
                ends = commit[i]
            if ends:
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
            if commit is None:
                ends = True
            else:
                ends = commit[i]
            if ends:
                state = now
                started = started or w == w


@njit(nogil=True, cache=True)
def _weighted(x: Floats, h: Floats, offsets: Ints, starts: Ints, commit: Any, n: int, out: Floats) -> None:
    """Linearly weighted average: the newest value weighs n, the oldest 1. Sums as in `_moments`."""
    scale = n * (n + 1) / 2.0
    for k in range(len(offsets) - 1):
        first = starts[k]
        j, unknown, since = first, 0, 0
        reference, total, weighted = 0.0, 0.0, 0.0
        for i in range(offsets[k], offsets[k + 1]):
            v = x[i]
            if j - first >= n - 1 and unknown == 0 and v == v:
                if n == 1:
                    reference = v
                out[i] = reference + (weighted + n * (v - reference)) / scale
            else:
                out[i] = np.nan
            if commit is None:
                ends = True
            else:
                ends = commit[i]
            if not ends or n == 1:
                continue
            j += 1
            rebuild = False
            if v != v:
                unknown += 1
            if j - first >= n:
                old = h[j - n]
                if old != old:
                    unknown -= 1
                    rebuild = unknown == 0
                elif unknown == 0:
                    weighted += (n - 1) * (v - reference) - total
                    total += v - old
            since += 1
            if unknown == 0 and (rebuild or j - first == n - 1 or since >= n):
                since = 0
                reference, total, weighted = h[j - 1], 0.0, 0.0
                for m in range(j - n + 1, j):
                    d = h[m] - reference
                    total += d
                    weighted += (m - (j - n)) * d


@njit(nogil=True, cache=True)
def _mean_deviation(x: Floats, h: Floats, offsets: Ints, starts: Ints, commit: Any, n: int, mean: Floats, out: Floats) -> None:
    """The mean distance of the window's values from their mean."""
    for k in range(len(offsets) - 1):
        j = starts[k]
        for i in range(offsets[k], offsets[k + 1]):
            middle = mean[i]
            if middle == middle:
                total = abs(x[i] - middle)
                for m in range(j - n + 1, j):
                    total += abs(h[m] - middle)
                out[i] = total / n
            else:
                out[i] = np.nan
            if commit is None:
                ends = True
            else:
                ends = commit[i]
            if ends:
                j += 1


def _moments(x: Floats, frame: Frame, n: int, deviation: bool) -> Floats:
    """The mean, or the variance, over n bars."""
    mean, spread = np.empty(len(x)), np.empty(len(x) if deviation else 0)
    if frame.commit is None:
        _roll_moments(x, frame.offsets, n, deviation, mean, spread)
        return spread if deviation else mean
    h = frame.history(x)
    rolled, rolled_spread = np.empty(len(h)), np.empty(len(h) if deviation else 0)
    _roll_moments(h, np.append(frame.starts, len(h)), max(1, n - 1), deviation, rolled, rolled_spread)
    _peek_moments(x, rolled, rolled_spread, frame.offsets, frame.starts, frame.commit, n, deviation, mean)
    return mean


def sma(x: Floats, frame: Frame, n: int) -> Floats:
    """Simple moving average over n bars."""
    return _moments(x, frame, n, False)


def sum_(x: Floats, frame: Frame, n: int) -> Floats:
    """Sum over n bars."""
    return _moments(x, frame, n, False) * n


def stdev(x: Floats, frame: Frame, n: int) -> Floats:
    """Population standard deviation over n bars."""
    return np.sqrt(_moments(x, frame, n, True))


def mean_dev(x: Floats, frame: Frame, n: int) -> Floats:
    """Mean absolute deviation from the mean of n bars."""
    out = np.empty(len(x))
    _mean_deviation(x, frame.history(x), frame.offsets, frame.starts, frame.commit, n, sma(x, frame, n), out)
    return out


def _extreme(x: Floats, frame: Frame, n: int, sign: float) -> Floats:
    out = np.empty(len(x))
    if frame.commit is None:
        _roll_extreme(x, frame.offsets, n, sign, out)
        return out
    h = frame.history(x)
    rolled = np.empty(len(h))
    _roll_extreme(h, np.append(frame.starts, len(h)), max(1, n - 1), sign, rolled)
    _peek_extreme(x, rolled, frame.offsets, frame.starts, frame.commit, n, sign, out)
    return out


def highest(x: Floats, frame: Frame, n: int) -> Floats:
    """Highest of n bars."""
    return _extreme(x, frame, n, 1.0)


def lowest(x: Floats, frame: Frame, n: int) -> Floats:
    """Lowest of n bars."""
    return _extreme(x, frame, n, -1.0)


def ema(x: Floats, frame: Frame, n: int) -> Floats:
    """Exponential moving average, weight 2 / (n + 1)."""
    out = np.empty(len(x))
    _smoothed(x, frame.offsets, frame.commit, n, 2.0 / (n + 1.0), out)
    return out


def rma(x: Floats, frame: Frame, n: int) -> Floats:
    """Wilder's smoothed average, weight 1 / n."""
    out = np.empty(len(x))
    _smoothed(x, frame.offsets, frame.commit, n, 1.0 / n, out)
    return out


def ema_by(x: Floats, weight: Floats, frame: Frame) -> Floats:
    """Exponential average whose weight changes from bar to bar."""
    out = np.empty(len(x))
    _smoothed_by(x, weight, frame.offsets, frame.commit, out)
    return out


def wma(x: Floats, frame: Frame, n: int) -> Floats:
    """Linearly weighted moving average."""
    out = np.empty(len(x))
    _weighted(x, frame.history(x), frame.offsets, frame.starts, frame.commit, n, out)
    return out
