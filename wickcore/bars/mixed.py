"""A day's five-minute bars and its daily bar in one table: what day frames are computed on when a rule steps within the day."""

from dataclasses import dataclass
from typing import Any

import numpy as np
from numba import njit

from wickcore.bars.bars import COLUMNS, Bars, Bools, Days, Ints
from wickcore.bars.moment import CLOSE

NOWHERE = -1
FAR = 1_000_000  # more days than there are
NEVER = np.iinfo(np.int32).max


@dataclass(frozen=True, eq=False)
class Mixed:
    """bars: for each instrument all daily bars and all five-minute bars in the order in which they are known: a day's own bar comes after
    its five-minute bars and ends the day; where there is none yet, the latest five-minute bar does. rows: for each five-minute bar its
    row. latest: for each row the position of the day's latest five-minute bar, NOWHERE where the day has none."""

    bars: Bars
    rows: Ints
    latest: Ints


@njit(nogil=True, cache=True)
def _order(
    days: Days, offsets: Ints, inner_days: Days, inner_offsets: Ints, source: Ints, rows: Ints, latest: Ints, ends: Bools
) -> None:
    """Both tables in the order in which their bars are known. source: for each row the inner bar it is, or -1 less the daily bar."""
    at = 0
    for k in range(len(offsets) - 1):
        j = inner_offsets[k]
        begin = at
        for i in range(offsets[k], offsets[k + 1] + 1):
            # A bar that ends with the session is known before the day is.
            while j < inner_offsets[k + 1] and (i == offsets[k + 1] or inner_days[j] <= days[i]):
                source[at], rows[j], latest[at] = j, at, j
                j, at = j + 1, at + 1
            if i < offsets[k + 1]:
                source[at] = -1 - i
                some = j > inner_offsets[k] and inner_days[j - 1] == days[i]
                latest[at] = j - 1 if some else NOWHERE
                at += 1
        for row in range(begin, at):
            here = inner_days[source[row]] if source[row] >= 0 else days[-1 - source[row]]
            if row + 1 == at:
                ends[row] = True
            else:
                following = inner_days[source[row + 1]] if source[row + 1] >= 0 else days[-1 - source[row + 1]]
                ends[row] = following != here


@njit(nogil=True, cache=True)
def _woven(source: Ints, day: Any, within: Any, out: Any) -> None:
    for row in range(len(source)):
        at = source[row]
        out[row] = within[at] if at >= 0 else day[-1 - at]


def mix(daily: Bars, inner: Bars) -> Mixed:
    """Both tables as one. They must hold the same instruments."""
    assert inner.minute is not None
    size = len(daily) + len(inner)
    source, latest, rows = np.empty(size, np.int64), np.empty(size, np.int64), np.empty(len(inner), np.int64)
    ends = np.empty(size, np.bool_)
    _order(daily.days, daily.offsets, inner.days, inner.offsets, source, rows, latest, ends)

    def woven(day: Any, within: Any) -> Any:
        found = np.empty(size, within.dtype)
        _woven(source, day, within, found)
        return found

    columns = {name: woven(getattr(daily, name), getattr(inner, name)) for name in COLUMNS}
    minute = woven(np.full(len(daily), CLOSE, np.int32), inner.minute)
    bars = Bars(
        daily.symbols,
        daily.offsets + inner.offsets,
        minute=minute,
        frame="mixed",
        calendar=inner.calendar,
        day_ends=ends,
        before=daily.before,
        **columns,
    )
    return Mixed(bars, rows, latest)


def latest_inner(daily: Bars, inner: Bars) -> Ints:
    """For each daily bar the position of its day's latest five-minute bar, NOWHERE where the day has none."""
    ours, theirs = (b.owner.astype(np.int64) * FAR + b.days for b in (daily, inner))
    at = np.searchsorted(theirs, ours, "right") - 1
    there = at >= 0
    there &= theirs[np.maximum(at, 0)] == ours if len(theirs) else False
    return np.where(there, at, NOWHERE).astype(np.int64)


@njit(nogil=True, cache=True)
def _first_alone(inner_days: Days, inner_offsets: Ints, days: Days, offsets: Ints, out: Ints) -> None:
    for k in range(len(offsets) - 1):
        i = offsets[k]
        for j in range(inner_offsets[k], inner_offsets[k + 1]):
            while i < offsets[k + 1] and days[i] < inner_days[j]:
                i += 1
            if i == offsets[k + 1] or days[i] != inner_days[j]:
                out[k] = inner_days[j]
                break


def first_alone(daily: Bars, inner: Bars) -> Ints:
    """For each instrument the first day that five-minute bars alone tell, which has no bar of its own; NEVER where there is none."""
    out = np.full(len(daily.symbols), NEVER, np.int64)
    _first_alone(inner.days, inner.offsets, daily.days, daily.offsets, out)
    return out


def days_of(inner: Bars) -> Bars:
    """Daily bars made of five-minute bars, of the sessions that are over."""
    assert inner.minute is not None
    ends = (
        np.flatnonzero(np.append((np.diff(inner.days) != 0) | (np.diff(inner.owner) != 0), True))
        if len(inner)
        else np.empty(0, np.int64)
    )
    newest = inner.last_moment
    if newest.minute < inner.calendar.closes:
        ends = ends[inner.days[ends] != newest.day]
    day = inner.owner.astype(np.int64) * FAR + inner.days
    begins = np.searchsorted(day, day[ends])
    columns: dict[str, Any] = {"open": inner.open[begins], "close": inner.close[ends]}
    for name, reduce in (("high", np.maximum), ("low", np.minimum), ("volume", np.add)):
        pieces = np.column_stack([begins, ends + 1]).ravel()
        padded = np.append(getattr(inner, name), 0.0)
        columns[name] = reduce.reduceat(padded, pieces)[::2] if len(ends) else np.empty(0)
    lengths = np.bincount(inner.owner[ends], minlength=len(inner.symbols))
    offsets = np.concatenate([[0], np.cumsum(lengths)]).astype(np.int64)
    return Bars(inner.symbols, offsets, inner.days[ends], factor=inner.factor[ends], calendar=inner.calendar, **columns)
