"""Means, deviations and extremes of each n values in a row, over columns of instruments one after another.

All are unknown while the window is short or holds an unknown: they are worked out in stretches of known values. Sums are made afresh on every
nth bar of the instrument, counted from its first one of all, so that the last bars alone come out as they do behind the whole history. Where
one result needs the one before, four are made at a time, so that the next four wait for one addition or comparison instead of four; windows are
reached through slices, since Numba looks at each index for being negative.
"""

import numpy as np
from numba import njit

from wickcore.bars.bars import Floats, Ints
from wickcore.measures.frame import kernel

MEAN, VARIANCE, HIGHEST, LOWEST = range(4)


@kernel
def _means(history: Floats, place: int, n: int, out: Floats) -> None:
    """Afresh on the first, and on every nth of the instrument, and from the one before in between, as distances from a value inside the window:
    rounding does not pile up, and a constant series has its own value as mean. place: the first one's among all of the instrument."""
    full = n - 1
    while full < len(history):
        last, reference = min(full + n - (place + full + 1) % n, len(history)), history[full]
        window, four = history[full - n + 1 : full + 1], n - n % 4
        a, b, c, d = 0.0, 0.0, 0.0, 0.0
        for m in range(0, four, 4):
            a += window[m] - reference
            b += window[m + 1] - reference
            c += window[m + 2] - reference
            d += window[m + 3] - reference
        for m in range(four, n):
            a += window[m] - reference
        total = (a + b) + (c + d)
        out[full] = reference + total / n
        new, old, to = history[full + 1 : last], history[full + 1 - n : last - n], out[full + 1 : last]
        four = len(to) - len(to) % 4
        for m in range(0, four, 4):
            a, b, c, d = new[m] - old[m], new[m + 1] - old[m + 1], new[m + 2] - old[m + 2], new[m + 3] - old[m + 3]
            b += a
            to[m] = reference + (total + a) / n
            to[m + 1] = reference + (total + b) / n
            to[m + 2] = reference + (total + (b + c)) / n
            total += b + (c + d)
            to[m + 3] = reference + total / n
        # The last few as if more came after them: what is added first decides the last digit, and no later bar may change that.
        before, left = 0.0, len(to) - four
        if left > 0:
            before = new[four] - old[four]
            to[four] = reference + (total + before) / n
        if left > 1:
            before += new[four + 1] - old[four + 1]
            to[four + 1] = reference + (total + before) / n
        if left > 2:
            to[four + 2] = reference + (total + (before + (new[four + 2] - old[four + 2]))) / n
        full = last


@kernel
def _variances(history: Floats, place: int, n: int, out: Floats) -> None:
    """The population variance, as `_means`; that of a constant series is exactly 0."""
    full, share = n - 1, 1.0 / n
    while full < len(history):
        last, reference, total, squares = min(full + n - (place + full + 1) % n, len(history)), history[full], 0.0, 0.0
        window = history[full - n + 1 : full + 1]
        for m in range(n):
            a = window[m] - reference
            total += a
            squares += a * a
        average = total * share
        out[full] = max(0.0, squares * share - average * average)
        new, old, to = history[full + 1 : last], history[full + 1 - n : last - n], out[full + 1 : last]
        pairs = len(to) - len(to) % 2
        for m in range(0, pairs, 2):
            a, b = new[m] - reference, old[m] - reference
            c, d = new[m + 1] - reference, old[m + 1] - reference
            one, two = a - b, c - d
            first, second = a * a - b * b, c * c - d * d
            average = (total + one) * share
            to[m] = max(0.0, (squares + first) * share - average * average)
            total += one + two
            squares += first + second
            average = total * share
            to[m + 1] = max(0.0, squares * share - average * average)
        if pairs < len(to):
            a, b = new[pairs] - reference, old[pairs] - reference
            average = (total + (a - b)) * share
            to[pairs] = max(0.0, (squares + (a * a - b * b)) * share - average * average)
        full = last


@kernel
def _greater(x: Floats, y: Floats, to: Floats) -> None:
    """The greater of two columns, place by place."""
    for m in range(len(to)):
        to[m] = x[m] if x[m] > y[m] else y[m]


@kernel
def _extremes(history: Floats, n: int, sign: float, a: Floats, b: Floats, out: Floats) -> None:
    """The greatest of 2, 4, 8 and more values in a row, each from two of the ones before; at last of n, from two that overlap."""
    size, width = len(history), 1
    for m in range(size):
        a[m] = sign * history[m]
    while 2 * width <= n:
        _greater(a[width:size], a[: size - width], b[width:size])  # places before a full window hold what is never looked at
        a, b = b, a
        width *= 2
    beyond = n - width
    now, before, to = a[n - 1 : size], a[n - 1 - beyond : size - beyond], out[n - 1 :]
    for m in range(len(to)):
        to[m] = sign * (now[m] if now[m] > before[m] else before[m])


@njit(nogil=True, cache=True)
def roll(history: Floats, starts: Ints, left_out: Ints, n: int, kind: int, out: Floats) -> None:
    """The MEAN, population VARIANCE, HIGHEST or LOWEST of each n values in a row. starts: where each instrument's values begin, and the end.
    left_out: how many came before those."""
    longest = 0
    for k in range(len(starts) - 1):
        longest = max(longest, starts[k + 1] - starts[k])
    room = np.empty((2, longest if kind in (HIGHEST, LOWEST) else 0))
    for k in range(len(starts) - 1):
        begin, end, first = starts[k], starts[k + 1], starts[k] - left_out[k]
        while begin < end:
            stop = begin
            while stop < end and history[stop] == history[stop]:
                stop += 1
            out[begin : min(begin + n - 1, stop)] = np.nan
            if stop - begin >= n:
                known, to = history[begin:stop], out[begin:stop]
                if kind == MEAN:
                    _means(known, begin - first, n, to)
                elif kind == VARIANCE:
                    _variances(known, begin - first, n, to)
                else:
                    _extremes(known, n, 1.0 if kind == HIGHEST else -1.0, room[0], room[1], to)
            if stop < end:
                out[stop] = np.nan
            begin = stop + 1
