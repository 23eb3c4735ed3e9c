"""Coarser frames over the base bars: which bars end one, and the bar so far."""

from typing import Any

import numpy as np
from numba import njit

from wickcore.bars.bars import Bars, Bools, Floats, Ints

FRAMES = ("5min", "15min", "30min", "65min", "day", "week", "month")
MINUTES = {"5min": 5, "15min": 15, "30min": 30, "65min": 65}
DAYS = {"day": 1, "week": 7, "month": 31}
PER_DAY = 2_000  # more than the minutes of a day: period numbers of one day never reach the next


def finer(frame: str, than: str) -> bool:
    """Whether bars of `frame` are shorter than those of `than`."""
    return FRAMES.index(frame) < FRAMES.index(than)


def period(bars: Bars, frame: str, part: slice = slice(None)) -> Ints:
    """The number of the frame's bar that each base bar lies in.

    Weeks begin on Monday (ISO 8601); day 0 is 1970-01-01. Frames within a day are counted from the session's open.
    """
    wide = bars.days[part].astype(np.int64)
    if frame in MINUTES:
        if bars.minute is None:
            raise ValueError(f"These bars know no {frame} frame.")
        return wide * PER_DAY + bars.minute[part] // MINUTES[frame]
    if frame == "day":
        return wide
    if frame == "week":
        return (wide + 3) // 7
    return wide.astype("datetime64[D]").astype("datetime64[M]").astype(np.int64)


def commits(bars: Bars, frame: str, first: int, last: int) -> Bools | None:
    """For instruments first:last, true on each bar that ends its frame's bar: the next bar lies in another period, or there is none.

    None on the base frame, where every bar ends its own. The mark changes values on later bars only, so the last bar's own mark can
    never be seen from it.
    """
    if frame == bars.frame:
        return None
    begin, end = int(bars.offsets[first]), int(bars.offsets[last])
    number = period(bars, frame, slice(begin, end))
    marks = np.ones(end - begin, np.bool_)
    marks[:-1] = number[1:] != number[:-1]
    lengths = np.diff(bars.offsets[first : last + 1])
    marks[bars.offsets[first + 1 : last + 1][lengths > 0] - begin - 1] = True
    return marks


def finished(bars: Bars, frame: str) -> Bools:
    """True on the last bar of each finished bar of the frame.

    As `commits`, but an instrument's latest bar counts only when the next weekday lies in another period: an unfinished week at the
    end of the data is no bar to study.
    """
    marks = commits(bars, frame, 0, len(bars.symbols))
    if marks is None or not len(bars):
        return np.ones(len(bars), np.bool_)
    if frame == "day" or frame in MINUTES:
        return marks  # the last session's bars are taken as whole
    ends = bars.offsets[1:][np.diff(bars.offsets) > 0] - 1
    own = period(bars, frame)[ends]
    following = np.busday_offset(bars.days[ends].astype("datetime64[D]") + 1, 0, roll="forward")
    newest = np.full(len(ends), int(bars.days.max())).astype("datetime64[D]")
    marks[ends] = (_number(following, frame) != own) | (_number(newest, frame) != own)
    return marks


def _number(days: Any, frame: str) -> Ints:
    """The week's or month's number of dates."""
    if frame == "week":
        return (days.astype(np.int64) + 3) // 7
    return np.asarray(days.astype("datetime64[M]").astype(np.int64))


@njit(nogil=True, cache=True)
def _so_far(x: Floats, offsets: Ints, number: Ints, how: int, out: Floats) -> None:
    for k in range(len(offsets) - 1):
        for i in range(offsets[k], offsets[k + 1]):
            if i == offsets[k] or number[i] != number[i - 1]:
                out[i] = x[i]
            elif how == 0:
                out[i] = out[i - 1]
            elif how == 1:
                out[i] = max(out[i - 1], x[i])
            elif how == 2:
                out[i] = min(out[i - 1], x[i])
            else:
                out[i] = out[i - 1] + x[i]


_HOW = {"open": 0, "high": 1, "low": 2, "volume": 3}


def so_far(x: Floats, field: str, offsets: Ints, number: Ints) -> Floats:
    """A price field of the frame's bar as it stands on each base bar: Wednesday's weekly high is that of Monday to Wednesday.

    number: the period of each bar.
    """
    if field == "close":
        return x
    out = np.empty_like(x)
    _so_far(x, offsets, number, _HOW[field], out)
    return out
