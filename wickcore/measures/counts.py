"""What happened over a window of conditions: earlier values, streaks, counts, and values kept from an earlier bar.

Truth is int8: 0 false, 1 unknown, 2 true.
"""

from typing import Any

import numpy as np
from numba import njit

from wickcore.bars.bars import Bools, Floats, Ints, Truth
from wickcore.measures.frame import FALSE, TRUE, UNKNOWN, Frame, ends, kernel


@njit(nogil=True, cache=True)
def _ago(history: Any, offsets: Ints, starts: Ints, commit: Any, n: int, missing: Any, out: Any) -> None:
    for k in range(len(offsets) - 1):
        if commit is None:
            begin, end = offsets[k], offsets[k + 1]
            full = min(begin + n, end)
            out[begin:full] = missing
            now, earlier = out[full:end], history[begin : begin + end - full]
            for m in range(len(now)):
                now[m] = earlier[m]
        else:
            j = starts[k]
            for i in range(offsets[k], offsets[k + 1]):
                out[i] = history[j - n] if j - starts[k] >= n else missing
                if commit[i]:
                    j += 1


@kernel
def _held_bars(x: Truth, n: int, good: int, a: Truth, b: Truth, out: Truth) -> None:
    """One instrument's: the least of 2, 4, 8 and more truths in a row, each from two of the ones before; at last of n, from two that overlap."""
    size, width, turn = len(x), 1, good == FALSE
    for m in range(size):
        a[m] = TRUE - x[m] if turn else x[m]
    while 2 * width <= n and width < size:
        for m in range(width):
            b[m] = a[m]
        now, before, to = a[width:size], a[: size - width], b[width:size]
        for m in range(len(to)):
            to[m] = min(now[m], before[m])
        a, b = b, a
        width *= 2
    beyond = min(n - width, size)
    for m in range(beyond):
        out[m] = a[m]
    now, before, to = a[beyond:size], a[: size - beyond], out[beyond:]
    for m in range(len(to)):
        to[m] = min(now[m], before[m])
    for m in range(min(n - 1, size)):
        out[m] = min(out[m], UNKNOWN)
    if turn:
        for m in range(size):
            out[m] = TRUE - out[m]


@njit(nogil=True, cache=True)
def _held(x: Truth, offsets: Ints, n: int, good: int, out: Truth) -> None:
    """`good` where each of the last n bars was, its opposite where any was that, unknown in between; what lies before the first bar is
    unknown. With good = TRUE this is `held`, with FALSE it is `once`. On the base frame."""
    longest = 0
    for k in range(len(offsets) - 1):
        longest = max(longest, offsets[k + 1] - offsets[k])
    a, b = np.empty(longest, np.int8), np.empty(longest, np.int8)
    for k in range(len(offsets) - 1):
        part = slice(offsets[k], offsets[k + 1])
        _held_bars(x[part], n, good, a, b, out[part])


@njit(nogil=True, cache=True)
def _peek_held(x: Truth, offsets: Ints, commit: Bools, n: int, good: int, out: Truth) -> None:
    """As `_held`, of the bars that have ended and the one so far."""
    bad = TRUE - good
    for k in range(len(offsets) - 1):
        run, clear = 0, n
        for i in range(offsets[k], offsets[k + 1]):
            v = x[i]
            now, since = run + 1 if v == good else 0, 0 if v == bad else clear + 1
            out[i] = good if now >= n else (bad if since < n else UNKNOWN)
            if commit[i]:
                run, clear = now, since


@njit(nogil=True, cache=True)
def _count(x: Truth, history: Truth, offsets: Ints, starts: Ints, commit: Any, n: int, out: Floats) -> None:
    """How many of the last n bars were true; unknown while one of them is, or lies before the first."""
    for k in range(len(offsets) - 1):
        j = starts[k]
        true, unknown = 0, n - 1
        for i in range(offsets[k], offsets[k + 1]):
            v = x[i]
            out[i] = np.nan if unknown > 0 or v == UNKNOWN else float(true + (v == TRUE))
            if ends(commit, i) and n > 1:
                j += 1
                old = history[j - n] if j - starts[k] >= n else UNKNOWN
                true += (v == TRUE) - (old == TRUE)
                unknown += (v == UNKNOWN) - (old == UNKNOWN)


@njit(nogil=True, cache=True)
def _bars_since(x: Truth, offsets: Ints, commit: Any, out: Floats) -> None:
    for k in range(len(offsets) - 1):
        taken, latest = 0, -1
        for i in range(offsets[k], offsets[k + 1]):
            if x[i] == TRUE:
                out[i] = 0.0
            else:
                out[i] = float(taken - latest) if latest >= 0 else np.nan
            if ends(commit, i):
                if x[i] == TRUE:
                    latest = taken
                taken += 1


@njit(nogil=True, cache=True)
def _streak(x: Truth, offsets: Ints, commit: Any, out: Floats) -> None:
    for k in range(len(offsets) - 1):
        length = 0.0
        for i in range(offsets[k], offsets[k + 1]):
            if x[i] == TRUE:
                now = length + 1.0
            elif x[i] == FALSE:
                now = 0.0
            else:
                now = np.nan
            out[i] = now
            if ends(commit, i):
                length = 0.0 if now != now else now


@njit(nogil=True, cache=True)
def _value_at(x: Floats, when: Truth, offsets: Ints, commit: Any, out: Floats) -> None:
    for k in range(len(offsets) - 1):
        kept = np.nan
        for i in range(offsets[k], offsets[k + 1]):
            out[i] = x[i] if when[i] == TRUE else kept
            if ends(commit, i) and when[i] == TRUE:
                kept = x[i]


@njit(nogil=True, cache=True)
def _sum_since(x: Floats, when: Truth, offsets: Ints, commit: Any, out: Floats) -> None:
    """The sum from the latest bar on which `when` was true to this one; unknown before the first, and once a value is unknown."""
    for k in range(len(offsets) - 1):
        total, started = 0.0, False
        for i in range(offsets[k], offsets[k + 1]):
            if when[i] == TRUE:
                now = x[i]
            elif started:
                now = total + x[i]
            else:
                now = np.nan
            out[i] = now
            if ends(commit, i) and (when[i] == TRUE or started):
                total, started = now, True


@njit(nogil=True, cache=True)
def _total(x: Floats, offsets: Ints, commit: Any, out: Floats) -> None:
    for k in range(len(offsets) - 1):
        total = 0.0
        for i in range(offsets[k], offsets[k + 1]):
            v = x[i]
            if v != v:
                out[i] = np.nan
                continue
            out[i] = total + v
            if ends(commit, i):
                total += v


def ago(x: Any, frame: Frame, n: int) -> Any:
    """The value or truth n bars earlier (n at least 1)."""
    out = np.empty(len(x), x.dtype)
    missing = np.int8(UNKNOWN) if x.dtype == np.int8 else np.float64(np.nan)
    _ago(frame.history(x), frame.offsets, frame.starts, frame.commit, n, missing, out)
    return out


def _every(x: Truth, frame: Frame, n: int, good: int) -> Truth:
    out = np.empty(len(x), np.int8)
    if frame.commit is None:
        _held(x, frame.offsets, n, good, out)
    else:
        _peek_held(x, frame.offsets, frame.commit, n, good, out)
    return out


def held(x: Truth, frame: Frame, n: int) -> Truth:
    """True where each of the last n bars was; false where any was false."""
    return _every(x, frame, n, TRUE)


def once(x: Truth, frame: Frame, n: int) -> Truth:
    """True where any of the last n bars was; false where each was false."""
    return _every(x, frame, n, FALSE)


def count(x: Truth, frame: Frame, n: int) -> Floats:
    """On how many of the last n bars; unknown while any of them is."""
    out = np.empty(len(x))
    _count(x, frame.history(x), frame.offsets, frame.starts, frame.commit, n, out)
    return out


def bars_since(x: Truth, frame: Frame) -> Floats:
    """Bars since the truth was last true; 0 where it is now."""
    out = np.empty(len(x))
    _bars_since(x, frame.offsets, frame.commit, out)
    return out


def streak(x: Truth, frame: Frame) -> Floats:
    """For how many bars in a row it has been true."""
    out = np.empty(len(x))
    _streak(x, frame.offsets, frame.commit, out)
    return out


def value_at(when: Truth, x: Floats, frame: Frame) -> Floats:
    """The value on the latest bar on which the condition was true."""
    out = np.empty(len(x))
    _value_at(x, when, frame.offsets, frame.commit, out)
    return out


def sum_since(x: Floats, when: Truth, frame: Frame) -> Floats:
    """The sum since the condition was last true, that bar included."""
    out = np.empty(len(x))
    _sum_since(x, when, frame.offsets, frame.commit, out)
    return out


def total(x: Floats, frame: Frame) -> Floats:
    """The sum of all known values so far."""
    out = np.empty(len(x))
    _total(x, frame.offsets, frame.commit, out)
    return out
