"""Exponential averages on the base frame, four instruments at a time: within one each value waits for the one before."""

import numpy as np
from numba import njit

from wickcore.bars.bars import Floats, Ints
from wickcore.measures.frame import kernel

LANES = 4


@kernel
def _step(p: int, lane: int, n: int, weight: float, x: Floats, taken: Ints, state: Floats, out: Floats) -> None:
    """One bar of one instrument. taken: how many known values there were. state: the average; before it, their sum."""
    v = x[p]
    if v != v:
        out[p] = np.nan
        return
    t = taken[lane]
    if t >= n:
        state[lane] += weight * (v - state[lane])
        out[p] = state[lane]
        return
    taken[lane] = t + 1
    state[lane] += v
    if t == n - 1:
        state[lane] /= n
        out[p] = state[lane]
    else:
        out[p] = np.nan


@kernel
def _together(
    i: int, end: int, weight: float, x0: Floats, x1: Floats, x2: Floats, x3: Floats, out0: Floats, out1: Floats, out2: Floats,
    out3: Floats, state: Floats,
) -> int:  # fmt: skip
    """Four averages that have begun, up to the first bar on which a value is unknown. Returns its place."""
    a, b, c, d = state[0], state[1], state[2], state[3]
    while i < end:
        v, w, y, z = x0[i], x1[i], x2[i], x3[i]
        if v != v or w != w or y != y or z != z:
            break
        a += weight * (v - a)
        b += weight * (w - b)
        c += weight * (y - c)
        d += weight * (z - d)
        out0[i], out1[i], out2[i], out3[i] = a, b, c, d
        i += 1
    state[0], state[1], state[2], state[3] = a, b, c, d
    return i


@njit(nogil=True, cache=True)
def smoothed(x: Floats, offsets: Ints, n: int, weight: float, out: Floats) -> None:
    """Exponential average with the given weight, seeded with the mean of the first n known values; unknown bars are passed over."""
    taken, state, count = np.empty(LANES, np.int64), np.empty(LANES), len(offsets) - 1
    for k in range(0, count, LANES):
        taken[:], state[:] = 0, 0.0
        lanes, shared = min(LANES, count - k), offsets[k + 1] - offsets[k]
        for lane in range(lanes):
            shared = min(shared, offsets[k + lane + 1] - offsets[k + lane])
        i = 0
        while i < shared:
            if lanes == LANES and min(min(taken[0], taken[1]), min(taken[2], taken[3])) >= n:
                p, q, r, s = offsets[k], offsets[k + 1], offsets[k + 2], offsets[k + 3]
                i = _together(
                    i, shared, weight, x[p : p + shared], x[q : q + shared], x[r : r + shared], x[s : s + shared],
                    out[p : p + shared], out[q : q + shared], out[r : r + shared], out[s : s + shared], state,
                )  # fmt: skip
                if i == shared:
                    break
            for lane in range(lanes):
                _step(offsets[k + lane] + i, lane, n, weight, x, taken, state, out)
            i += 1
        for lane in range(lanes):
            for p in range(offsets[k + lane] + shared, offsets[k + lane + 1]):
                _step(p, lane, n, weight, x, taken, state, out)
