"""What is measured on a session as it goes: its first minutes, and its volume against what is usual by that time."""

import numpy as np
from numba import njit

from wickcore.bars.bars import Days, Floats, Ints

PARTS = ("open", "high", "low", "close")


@njit(nogil=True, cache=True)
def _first_minutes(
    offsets: Ints,
    days: Days,
    begins: Ints,
    step: int,
    n: int,
    fields: tuple[Floats, ...],
    part: int,
    out: Floats,
) -> None:
    first, top, bottom, last = fields
    for k in range(len(offsets) - 1):
        day, some = -1, False
        opened = high = low = closed = np.nan
        for i in range(offsets[k], offsets[k + 1]):
            if days[i] != day:
                day, some = days[i], False
            if 0 <= begins[i] < n:
                if not some:
                    opened, high, low, some = first[i], top[i], bottom[i], True
                high, low, closed = max(high, top[i]), min(low, bottom[i]), last[i]
            if some and begins[i] + step >= n:
                out[i] = opened if part == 0 else high if part == 1 else low if part == 2 else closed
            else:
                out[i] = np.nan


def first_minutes(fields: tuple[Floats, ...], part: str, n: int, offsets: Ints, days: Days, begins: Ints, step: int) -> Floats:
    """The open, high, low or close of each session's bars that begin within its first n minutes; NaN until those are over.

    fields: open, high, low, close, one scale. begins: minutes from the session's open to each bar's beginning. step: a bar's minutes.
    """
    out = np.empty(len(days))
    _first_minutes(offsets, days, begins, step, n, fields, PARTS.index(part), out)
    return out


@njit(nogil=True, cache=True)
def _pace(offsets: Ints, days: Days, slot: Ints, slots: int, volume: Floats, n: int, out: Floats) -> None:
    by_then = np.zeros((n, slots))  # of each of the last n sessions, the volume up to each time of day
    for k in range(len(offsets) - 1):
        day, sessions, so_far, reached = -1, -1, 0.0, 0
        for i in range(offsets[k], offsets[k + 1]):
            if days[i] != day:
                if sessions >= 0:
                    for s in range(reached, slots):
                        by_then[sessions % n, s] = so_far
                day, so_far, reached = days[i], 0.0, 0
                sessions += 1
            at = min(max(slot[i], 0), slots - 1)
            usual = 0.0
            if sessions >= n:
                for j in range(n):
                    # The row of the oldest session is that which today's will take; it is written only from here on.
                    usual += by_then[j, at]
            for s in range(reached, at):
                by_then[sessions % n, s] = so_far
            so_far += volume[i]
            reached = max(reached, at)
            out[i] = so_far / (usual / n) if sessions >= n and usual > 0 else np.nan


def pace(volume: Floats, n: int, offsets: Ints, days: Days, slot: Ints, slots: int) -> Floats:
    """The session's volume so far over the mean of what the n sessions before it had by the end of the same slot; NaN before there are n.

    slot: which of the session's `slots` steps each bar is, from 0. A session without a bar in a slot has by then what it had before.
    """
    out = np.empty(len(days))
    _pace(offsets, days, slot, slots, volume, n, out)
    return out
