"""Values carried from bar to bar: each worked out of the one before by a short program of the rule's own (wickcore.language.recurrence)."""

from typing import Any

import numpy as np
from numba import njit

from wickcore.bars.bars import Floats, Ints
from wickcore.measures.frame import Frame, ends
from wickcore.measures.program import read_program, work_out_here

NONE = np.empty((0, 0), np.int8)


@njit(nogil=True, cache=True)
def _run(
    first: Floats, columns: Any, truths: Any, codes: Ints, numbers: Floats, most: int, offsets: Ints, commit: Any, out: Floats
) -> None:  # fmt: skip
    """first: where there is no value before. columns: a row each. Unknown where the program comes to no finite number: it begins anew then."""
    stack, own = np.empty(most), np.empty(1)
    for k in range(len(offsets) - 1):
        own[0] = np.nan
        for i in range(offsets[k], offsets[k + 1]):
            if own[0] != own[0]:
                now = first[i]
            else:
                now = work_out_here(codes, numbers, 0, len(codes), columns, truths, i, own, stack)
                if not abs(now) < np.inf:
                    now = np.nan
            out[i] = now
            if ends(commit, i):
                own[0] = now


def carry(first: Floats, columns: list[Any], program: str, frame: Frame) -> Floats:
    """The carried value on each bar.

    first: where there is none before, one value a bar. columns: numbers, or truths as int8, that the program names by their places.
    """
    codes, numbers, most = read_program(program)
    given = np.empty((len(columns), len(first)))
    for row, column in zip(given, columns, strict=True):
        row[:] = column
    out = np.empty(len(first))
    _run(first, given, NONE, codes, numbers, most, frame.offsets, frame.commit, out)
    return out


@njit(nogil=True, cache=True)
def _parabolic(high: Floats, low: Floats, step: Floats, most: Floats, offsets: Ints, commit: Any, out: Floats) -> None:
    for k in range(len(offsets) - 1):
        taken, way = 0, 1.0
        stop, extreme, pace = np.nan, np.nan, 0.0
        high1, low1, high2, low2 = np.nan, np.nan, np.nan, np.nan  # of the bar before, and of the one before that
        for i in range(offsets[k], offsets[k + 1]):
            top, bottom = high[i], low[i]
            if taken == 0:
                out[i] = np.nan
                way2, stop2, extreme2, pace2 = way, np.nan, np.nan, 0.0
            else:
                if taken == 1:  # the direction of the first two bars; it begins at the far end of the first
                    way2 = 1.0 if top + bottom >= high1 + low1 else -1.0
                    stop2 = low1 if way2 > 0 else high1
                    extreme2, pace2 = (max(high1, top) if way2 > 0 else min(low1, bottom)), step[i]
                else:
                    way2, extreme2, pace2 = way, extreme, pace
                    stop2 = stop + pace * (extreme - stop)
                    # It never enters the range of the two bars before.
                    if way > 0:
                        stop2 = min(stop2, low1, low2)
                    else:
                        stop2 = max(stop2, high1, high2)
                    if (way > 0 and bottom < stop2) or (way < 0 and top > stop2):
                        way2, stop2, pace2 = -way, (max(extreme, top) if way > 0 else min(extreme, bottom)), step[i]
                        extreme2 = bottom if way > 0 else top
                    elif (way > 0 and top > extreme) or (way < 0 and bottom < extreme):
                        extreme2, pace2 = (top if way > 0 else bottom), min(pace + step[i], most[i])
                out[i] = stop2
            if ends(commit, i):
                way, stop, extreme, pace = way2, stop2, extreme2, pace2
                high2, low2, high1, low1 = high1, low1, top, bottom
                taken += 1


def parabolic(high: Floats, low: Floats, step: Floats, most: Floats, frame: Frame) -> Floats:
    """The stop of J. W. Wilder's parabolic time/price system ("New Concepts in Technical Trading Systems", 1978) for this bar; on the bar that
    touches it, the one of the other side."""
    out = np.empty(len(high))
    _parabolic(high, low, step, most, frame.offsets, frame.commit, out)
    return out
