"""Coarser frames over daily bars: which bars end a week or month, and the bar so far."""

from typing import Any

import numpy as np
from numba import njit
from numpy.typing import NDArray

from wickcore.bars.bars import Bools, Days, Floats, Ints

FRAME_DAYS = {"day": 1, "week": 5, "month": 21}


def period(days: Days, frame: str) -> NDArray[np.int64]:
    """The number of the week or month each day lies in. Weeks begin on Monday (ISO 8601); day 0 is 1970-01-01."""
    wide = days.astype(np.int64)
    if frame == "day":
        return wide
    if frame == "week":
        return (wide + 3) // 7
    return wide.astype("datetime64[D]").astype("datetime64[M]").astype(np.int64)


def commits(days: Days, offsets: Ints, frame: str) -> Bools:
    """True on each bar that ends its frame's bar: the instrument's next bar lies in another period, or there is none.

    The mask changes values on later bars only, so the last bar's own mark can never be seen from it.
    """
    marks = np.ones(len(days), np.bool_)
    if frame == "day" or not len(days):
        return marks
    number = period(days, frame)
    marks[:-1] = number[1:] != number[:-1]
    ends = offsets[1:][np.diff(offsets) > 0] - 1
    marks[ends] = True
    return marks


def finished(days: Days, offsets: Ints, frame: str) -> Bools:
    """True on the last bar of each finished week or month.

    As `commits`, but the instrument's latest bar counts only when the next weekday lies in another period: an unfinished
    week at the end of the data is no bar to study.
    """
    marks = commits(days, offsets, frame)
    if frame == "day" or not len(days):
        return marks
    ends = offsets[1:][np.diff(offsets) > 0] - 1
    last = days[ends].astype("datetime64[D]")
    following = np.busday_offset(last + 1, 0, roll="forward").astype(np.int32)
    newest = days.max()
    marks[ends] = (period(following, frame) != period(days[ends], frame)) | (
        period(np.full(len(ends), newest, np.int32), frame) != period(days[ends], frame)
    )
    return marks


@njit(nogil=True, cache=True)  # type: ignore[untyped-decorator, unused-ignore]
def _so_far(x: Floats, offsets: Ints, number: Any, how: int, out: Floats) -> None:
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
            elif how == 3:
                out[i] = x[i]
            else:
                out[i] = out[i - 1] + x[i]


_HOW = {"open": 0, "high": 1, "low": 2, "close": 3, "volume": 4}


def so_far(x: Floats, field: str, days: Days, offsets: Ints, frame: str) -> Floats:
    """A price field of the frame's bar as it stands on each day: Wednesday's weekly high is that of Monday to Wednesday."""
    if frame == "day" or field == "close":
        return x
    out = np.empty_like(x)
    _so_far(x, offsets, period(days, frame), _HOW[field], out)
    return out
