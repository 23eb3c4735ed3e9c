"""A day's five-minute bars and its daily bar in one table: what day frames are computed on when a rule steps within the day."""

from dataclasses import dataclass
from typing import Any

import numpy as np

from wickcore.bars.bars import FIELDS, Bars, Bools, Ints
from wickcore.bars.moment import CLOSE, PER_DAY

NOWHERE = -1
FAR = 1_000_000  # more days than there are
AFTER = FAR * PER_DAY  # and more moments


@dataclass(frozen=True, eq=False)
class Mixed:
    """bars: for each instrument all daily bars and all five-minute bars in the order in which they are known: a day's own bar comes after
    its five-minute bars and ends the day; where there is none yet, the latest five-minute bar does. rows: for each five-minute bar its
    row. latest: for each row the position of the day's latest five-minute bar, NOWHERE where the day has none."""

    bars: Bars
    rows: Ints
    latest: Ints


def mix(daily: Bars, inner: Bars) -> Mixed:
    """Both tables as one. They must hold the same instruments."""
    assert inner.minute is not None
    # Both are in order already. A bar that ends with the session is known before the day is.
    ours, theirs = (b.owner.astype(np.int64) * AFTER + b.known for b in (daily, inner))
    whole = np.zeros(len(daily) + len(inner), np.bool_)
    whole[np.arange(len(daily)) + np.searchsorted(theirs, ours, "right")] = True
    offsets = daily.offsets + inner.offsets

    def woven(day: Any, within: Any) -> Any:
        found = np.empty(len(whole), within.dtype)
        found[whole], found[~whole] = day, within
        return found

    columns = {name: woven(getattr(daily, name), getattr(inner, name)) for name in ("days", *FIELDS, "factor")}
    minute = woven(np.int32(CLOSE), inner.minute)
    following = np.append(columns["days"][1:], -1)
    last = np.zeros(len(whole), np.bool_)
    last[offsets[1:][np.diff(offsets) > 0] - 1] = True
    day_ends: Bools = last | (following != columns["days"])
    bars = Bars(daily.symbols, offsets, minute=minute, frame="mixed", calendar=inner.calendar, day_ends=day_ends, **columns)
    rows = np.flatnonzero(~whole)
    latest = np.cumsum(~whole) - 1
    there = latest >= 0
    at = rows[np.maximum(latest, 0)]
    own = bars.owner
    there &= (own[at] == own) & (columns["days"][at] == columns["days"]) if len(rows) else False
    return Mixed(bars, rows, np.where(there, latest, NOWHERE).astype(np.int64))


def latest_inner(daily: Bars, inner: Bars) -> Ints:
    """For each daily bar the position of its day's latest five-minute bar, NOWHERE where the day has none."""
    ours, theirs = (b.owner.astype(np.int64) * FAR + b.days for b in (daily, inner))
    at = np.searchsorted(theirs, ours, "right") - 1
    there = at >= 0
    there &= theirs[np.maximum(at, 0)] == ours if len(theirs) else False
    return np.where(there, at, NOWHERE).astype(np.int64)


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
