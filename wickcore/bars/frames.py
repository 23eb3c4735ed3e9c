"""Coarser frames over the bars of a table: which bars end one, and the bar so far."""

from typing import Any

import numpy as np
from numba import njit

from wickcore.bars.bars import Bars, Bools, Floats, Ints
from wickcore.bars.frame_names import MINUTES
from wickcore.bars.moment import CLOSE, PER_DAY, Moment


def period(bars: Bars, frame: str, part: slice = slice(None)) -> Ints:
    """The number of the frame's bar that each bar of the table lies in.

    Weeks begin on Monday (ISO 8601); day 0 is 1970-01-01. Frames within a day are counted from the session's open. Raises ValueError for
    a frame shorter than the table's bars.
    """
    if frame in MINUTES:
        if bars.minute is None:
            raise ValueError(f"These bars know no {frame} frame.")
        return bars.days[part].astype(np.int64) * PER_DAY + (bars.minute[part] - bars.calendar.opens) // MINUTES[frame]
    return number_of(bars.days[part], frame)


def number_of(days: Any, frame: str) -> Ints:
    """The number of the day, week, month, quarter or year of each day; quarters are those of the calendar."""
    wide = np.asarray(days).astype(np.int64)
    if frame == "day":
        return wide
    if frame == "week":
        return (wide + 3) // 7
    unit = "Y" if frame == "year" else "M"
    found = np.asarray(wide.astype("datetime64[D]").astype(f"datetime64[{unit}]").astype(np.int64))
    return found // 3 if frame == "quarter" else found


def commits(bars: Bars, frame: str, first: int, last: int) -> Bools | None:
    """For instruments first:last, true on each bar that ends its frame's bar: the next bar lies in another period, or there is none.

    None on the table's own frame, where every bar ends its own. In a mixed table only the last row of a day can end anything. The mark
    changes values on later bars only, so the last bar's own mark can never be seen from it.
    """
    if frame == bars.frame:
        return None
    begin, end = int(bars.offsets[first]), int(bars.offsets[last])
    number = period(bars, frame, slice(begin, end))
    if bars.day_ends is None:
        return _last_of_each(number, bars.offsets[first : last + 1] - begin)
    whole = bars.day_ends[begin:end]
    if frame == "day":
        return whole
    rows = np.flatnonzero(whole)
    marks = np.zeros(end - begin, np.bool_)
    marks[rows[_last_of_each(number[rows], np.searchsorted(rows, bars.offsets[first : last + 1] - begin))]] = True
    return marks


def _last_of_each(number: Ints, offsets: Any) -> Bools:
    """True where the next number differs, or the instrument ends."""
    marks = np.ones(len(number), np.bool_)
    marks[:-1] = number[1:] != number[:-1]
    marks[offsets[1:][np.diff(offsets) > 0] - 1] = True
    return marks


def finished(bars: Bars, frame: str) -> Bools:
    """True on the last bar of each finished bar of the frame: as `commits`, but an instrument's latest bar counts only when nothing more can
    come into its period."""
    marks = commits(bars, frame, 0, len(bars.symbols))
    if marks is None or not len(bars):
        return np.ones(len(bars), np.bool_)
    ends = bars.offsets[1:][np.diff(bars.offsets) > 0] - 1
    marks[ends] = ~goes_on(bars, frame, ends, bars.last_moment)
    return marks


def goes_on(bars: Bars, frame: str, at: Ints, now: Moment) -> Bools:
    """Whether the frame's bar in which each of the bars `at` lies can get further bars after `now`.

    It cannot when the calendar's next session lies in another period, or `now` itself does. A bar within a day is over when it has run its
    minutes, or the session has.
    """
    days = bars.days[at].astype(np.int64)
    if frame in MINUTES:
        length, opens = MINUTES[frame], bars.calendar.opens
        assert bars.minute is not None
        due = np.minimum((bars.minute[at] - opens) // length * length + length + opens, bars.calendar.closes)
        return np.asarray(days * PER_DAY + due > now.key)
    following = bars.calendar.following(days)
    if bars.minute is not None and now.minute < bars.calendar.closes:
        following = np.where(days == now.day, days, following)  # the session is still running
    own = number_of(days, frame)
    return np.asarray((number_of(following, frame) == own) & (number_of([now.day], frame)[0] == own))


@njit(nogil=True, cache=True)
def _so_far(
    x: Floats, offsets: Ints, number: Ints, whole: Bools | None, days: Any, day_ends: Bools | None, how: int, out: Floats
) -> None:
    for k in range(len(offsets) - 1):
        ended, some, period_ = 0.0, False, 0  # what the period's ended days (or bars) come to
        today = 0.0
        for i in range(offsets[k], offsets[k + 1]):
            if i == offsets[k] or number[i] != period_:
                some, period_ = False, number[i]
            if whole is not None and not whole[i] and i > offsets[k] and days[i] == days[i - 1]:
                if how == 1:
                    today = max(today, x[i])
                elif how == 2:
                    today = min(today, x[i])
                elif how == 3:
                    today = today + x[i]
            else:
                today = x[i]
            if not some:
                value = today
            elif how == 0:
                value = ended
            elif how == 1:
                value = max(ended, today)
            elif how == 2:
                value = min(ended, today)
            else:
                value = ended + today
            out[i] = value
            if day_ends is None or day_ends[i]:
                ended, some = value, True


_HOW = {"open": 0, "high": 1, "low": 2, "volume": 3}


def so_far(x: Floats, field: str, bars: Bars, number: Ints, first: int, last: int) -> Floats:
    """A price field of the frame's bar as it stands on each bar of instruments first:last: Wednesday's weekly high is that of Monday to
    Wednesday.

    x: the field on the continuous scale. number: the period of each bar. In a mixed table a day is what its five-minute bars make it, until its
    own bar says.
    """
    if field == "close":
        return x
    begin, end = int(bars.offsets[first]), int(bars.offsets[last])
    out = np.empty_like(x)
    whole = None if bars.day_ends is None or bars.minute is None else bars.minute[begin:end] == CLOSE
    day_ends = None if bars.day_ends is None else bars.day_ends[begin:end]
    _so_far(x, bars.offsets[first : last + 1] - begin, number, whole, bars.days[begin:end], day_ends, _HOW[field], out)
    return out


@njit(nogil=True, cache=True)
def _count_before(days: Any, offsets: Ints, rows: Ints, first: int, number: Ints, out: Ints) -> None:
    for k in range(len(rows)):
        for i in range(offsets[k], min(rows[k], offsets[k + 1] - 1)):
            out[k] += number[days[i + 1] - first] != number[days[i] - first]


def count_before(bars: Bars, frame: str, rows: Ints) -> Ints:
    """How many bars of the frame ended before the one in which each instrument's row lies."""
    out = np.zeros(len(rows), np.int64)
    if frame == bars.frame:
        return rows - bars.offsets[:-1]
    if frame in MINUTES:
        numbers = period(bars, frame)
        changes = np.append(0, np.cumsum(numbers[1:] != numbers[:-1]))
        there = rows < bars.offsets[1:]
        out[there] = changes[rows[there]] - changes[bars.offsets[:-1][there]]
    elif len(bars):
        first, last = int(bars.days[bars.offsets[:-1][np.diff(bars.offsets) > 0]].min()), bars.last_moment.day
        _count_before(bars.days, bars.offsets, rows, first, number_of(np.arange(first, last + 1), frame), out)
    return out
