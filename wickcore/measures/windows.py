"""Kernels over a window of bars.

All share one form, *committed state plus a peek*: history is taken in where `commit` is true (a frame's last bar), and the value
on a bar is what it would be if the bar ended now. `x`: float64, one a bar of the base frame; `offsets`: int64, instruments + 1;
`commit`: bool, one a bar; `n`: the window, this bar included. A value is unknown (NaN) while the window holds an unknown.
"""

import numpy as np
from numba import njit

from wickcore.bars.bars import Bools, Floats, Ints, Truth

FALSE, UNKNOWN, TRUE = 0, 1, 2


@njit(nogil=True, cache=True)
def _moments(x: Floats, offsets: Ints, commit: Bools, n: int, how: int, out: Floats) -> None:
    """Mean (how 0), sum (1) or population standard deviation (2).

    Sums are kept of distances from a reference inside the window and rebuilt every n commits, so that rounding does not pile up
    and a constant series has its own value as mean and exactly 0 as deviation.
    """
    size = max(1, n - 1)
    ring = np.empty(size)
    for k in range(len(offsets) - 1):
        taken, unknown, since = 0, 0, 0
        reference, total, squares = 0.0, 0.0, 0.0
        for i in range(offsets[k], offsets[k + 1]):
            v = x[i]
            if taken >= n - 1 and unknown == 0 and not np.isnan(v):
                if n == 1:
                    reference, total, squares = v, 0.0, 0.0
                d = v - reference
                mean = (total + d) / n
                if how == 0:
                    out[i] = reference + mean
                elif how == 1:
                    out[i] = reference * n + (total + d)
                else:
                    out[i] = np.sqrt(max(0.0, (squares + d * d) / n - mean * mean))
            else:
                out[i] = np.nan
            if not commit[i] or n == 1:
                continue
            slot = taken % size
            if taken >= size:
                old = ring[slot]
                if np.isnan(old):
                    unknown -= 1
                else:
                    total -= old - reference
                    squares -= (old - reference) * (old - reference)
            ring[slot] = v
            taken += 1
            since += 1
            if np.isnan(v):
                unknown += 1
            else:
                total += v - reference
                squares += (v - reference) * (v - reference)
            if since >= n or taken <= size:
                since = 0
                reference, total, squares = 0.0, 0.0, 0.0
                found = False
                for j in range(min(taken, size)):
                    w = ring[j]
                    if np.isnan(w):
                        continue
                    if not found:
                        reference, found = w, True
                    total += w - reference
                    squares += (w - reference) * (w - reference)


@njit(nogil=True, cache=True)
def _extreme(x: Floats, offsets: Ints, commit: Bools, n: int, sign: float, out: Floats) -> None:
    """Highest (sign 1) or lowest (sign -1), by a queue of falling candidates over the committed bars."""
    size = max(1, n - 1)
    value = np.empty(size)
    stamp = np.empty(size, np.int64)
    for k in range(len(offsets) - 1):
        head, length, taken, last_unknown = 0, 0, 0, -n
        for i in range(offsets[k], offsets[k + 1]):
            v = x[i] * sign
            if length and stamp[head] <= taken - n:
                head = (head + 1) % size
                length -= 1
            if taken < n - 1 or np.isnan(v) or last_unknown > taken - n:
                out[i] = np.nan
            else:
                out[i] = sign * (max(v, value[head]) if length else v)
            if not commit[i]:
                continue
            if np.isnan(v):
                last_unknown = taken
            elif n > 1:
                while length and value[(head + length - 1) % size] <= v:
                    length -= 1
                if length == size:
                    head = (head + 1) % size
                    length -= 1
                slot = (head + length) % size
                value[slot] = v
                stamp[slot] = taken
                length += 1
            taken += 1


@njit(nogil=True, cache=True)
def _smoothed(x: Floats, offsets: Ints, commit: Bools, n: int, weight: float, out: Floats) -> None:
    """Exponential average with the given weight, seeded with the mean of the first n known values. Unknown bars are passed over."""
    for k in range(len(offsets) - 1):
        taken, state, total = 0, 0.0, 0.0
        for i in range(offsets[k], offsets[k + 1]):
            v = x[i]
            if np.isnan(v):
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
def _weighted(x: Floats, offsets: Ints, commit: Bools, n: int, out: Floats) -> None:
    """Linearly weighted average. Recomputed on each bar: plain, exact, O(n)."""
    ring = np.empty(n)
    scale = n * (n + 1) / 2.0
    for k in range(len(offsets) - 1):
        taken = 0
        for i in range(offsets[k], offsets[k + 1]):
            v = x[i]
            out[i] = np.nan
            if taken >= n - 1:
                total = n * v
                for back in range(1, n):
                    total += (n - back) * ring[(taken - back) % n]
                out[i] = total / scale
            if commit[i]:
                ring[taken % n] = v
                taken += 1


@njit(nogil=True, cache=True)
def _ago(x: Floats, offsets: Ints, commit: Bools, n: int, out: Floats) -> None:
    ring = np.empty(n)
    for k in range(len(offsets) - 1):
        taken = 0
        for i in range(offsets[k], offsets[k + 1]):
            out[i] = ring[taken % n] if taken >= n else np.nan
            if commit[i]:
                ring[taken % n] = x[i]
                taken += 1


@njit(nogil=True, cache=True)
def _ago_truth(x: Truth, offsets: Ints, commit: Bools, n: int, out: Truth) -> None:
    ring = np.empty(n, np.int8)
    for k in range(len(offsets) - 1):
        taken = 0
        for i in range(offsets[k], offsets[k + 1]):
            out[i] = ring[taken % n] if taken >= n else UNKNOWN
            if commit[i]:
                ring[taken % n] = x[i]
                taken += 1


@njit(nogil=True, cache=True)
def _tally(x: Truth, offsets: Ints, commit: Bools, n: int, trues: Ints, unknowns: Ints) -> None:
    """How many of the last n bars were true, and how many unknown; bars before the first count as unknown."""
    size = max(1, n - 1)
    ring = np.empty(size, np.int8)
    for k in range(len(offsets) - 1):
        ring[:] = UNKNOWN
        true, unknown, taken = 0, n - 1, 0
        for i in range(offsets[k], offsets[k + 1]):
            trues[i] = true + (x[i] == TRUE)
            unknowns[i] = unknown + (x[i] == UNKNOWN)
            if commit[i] and n > 1:
                old = ring[taken % size]
                true += (x[i] == TRUE) - (old == TRUE)
                unknown += (x[i] == UNKNOWN) - (old == UNKNOWN)
                ring[taken % size] = x[i]
                taken += 1


@njit(nogil=True, cache=True)
def _bars_since(x: Truth, offsets: Ints, commit: Bools, out: Floats) -> None:
    for k in range(len(offsets) - 1):
        taken, latest = 0, -1
        for i in range(offsets[k], offsets[k + 1]):
            if x[i] == TRUE:
                out[i] = 0.0
            else:
                out[i] = float(taken - latest) if latest >= 0 else np.nan
            if commit[i]:
                if x[i] == TRUE:
                    latest = taken
                taken += 1


def sma(x: Floats, offsets: Ints, commit: Bools, n: int) -> Floats:
    """Simple moving average over n bars."""
    out = np.empty(len(x))
    _moments(x, offsets, commit, n, 0, out)
    return out


def sum_(x: Floats, offsets: Ints, commit: Bools, n: int) -> Floats:
    """Sum over n bars."""
    out = np.empty(len(x))
    _moments(x, offsets, commit, n, 1, out)
    return out


def stdev(x: Floats, offsets: Ints, commit: Bools, n: int) -> Floats:
    """Population standard deviation over n bars."""
    out = np.empty(len(x))
    _moments(x, offsets, commit, n, 2, out)
    return out


def highest(x: Floats, offsets: Ints, commit: Bools, n: int) -> Floats:
    """Highest of n bars."""
    out = np.empty(len(x))
    _extreme(x, offsets, commit, n, 1.0, out)
    return out


def lowest(x: Floats, offsets: Ints, commit: Bools, n: int) -> Floats:
    """Lowest of n bars."""
    out = np.empty(len(x))
    _extreme(x, offsets, commit, n, -1.0, out)
    return out


def ema(x: Floats, offsets: Ints, commit: Bools, n: int) -> Floats:
    """Exponential moving average, weight 2 / (n + 1)."""
    out = np.empty(len(x))
    _smoothed(x, offsets, commit, n, 2.0 / (n + 1.0), out)
    return out


def rma(x: Floats, offsets: Ints, commit: Bools, n: int) -> Floats:
    """Wilder's smoothed average, weight 1 / n."""
    out = np.empty(len(x))
    _smoothed(x, offsets, commit, n, 1.0 / n, out)
    return out


def wma(x: Floats, offsets: Ints, commit: Bools, n: int) -> Floats:
    """Linearly weighted moving average."""
    out = np.empty(len(x))
    _weighted(x, offsets, commit, n, out)
    return out


def ago(x: Floats, offsets: Ints, commit: Bools, n: int) -> Floats:
    """The value n bars earlier (n at least 1)."""
    out = np.empty(len(x))
    _ago(x, offsets, commit, n, out)
    return out


def ago_truth(x: Truth, offsets: Ints, commit: Bools, n: int) -> Truth:
    """The truth n bars earlier (n at least 1)."""
    out = np.empty(len(x), np.int8)
    _ago_truth(x, offsets, commit, n, out)
    return out


def _tallied(x: Truth, offsets: Ints, commit: Bools, n: int) -> tuple[Ints, Ints]:
    trues, unknowns = np.empty(len(x), np.int64), np.empty(len(x), np.int64)
    _tally(x, offsets, commit, n, trues, unknowns)
    return trues, unknowns


def held(x: Truth, offsets: Ints, commit: Bools, n: int) -> Truth:
    """True where each of the last n bars was; false where any was false."""
    trues, unknowns = _tallied(x, offsets, commit, n)
    out = np.where(trues == n, TRUE, UNKNOWN).astype(np.int8)
    out[trues + unknowns < n] = FALSE
    return out


def once(x: Truth, offsets: Ints, commit: Bools, n: int) -> Truth:
    """True where any of the last n bars was; false where each was false."""
    trues, unknowns = _tallied(x, offsets, commit, n)
    out = np.where(unknowns > 0, UNKNOWN, FALSE).astype(np.int8)
    out[trues > 0] = TRUE
    return out


def count(x: Truth, offsets: Ints, commit: Bools, n: int) -> Floats:
    """On how many of the last n bars; unknown while any of them is."""
    trues, unknowns = _tallied(x, offsets, commit, n)
    return np.where(unknowns > 0, np.nan, trues.astype(np.float64))


def bars_since(x: Truth, offsets: Ints, commit: Bools) -> Floats:
    """Bars since the truth was last true; 0 where it is now."""
    out = np.empty(len(x))
    _bars_since(x, offsets, commit, out)
    return out
