"""All instruments' bars in one ragged table of columns, read-only."""

from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
from numba import njit
from numpy.typing import NDArray

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]
Days = NDArray[np.int32]
Bools = NDArray[np.bool_]
Truth = NDArray[np.int8]
FIELDS = ("open", "high", "low", "close", "volume")


@njit(nogil=True, cache=True)
def _ends(days: Days, offsets: Ints, day: int, out: Ints) -> None:
    for k in range(len(offsets) - 1):
        low, high = offsets[k], offsets[k + 1]
        while low < high:
            middle = (low + high) // 2
            if days[middle] <= day:
                low = middle + 1
            else:
                high = middle
        out[k] = low


@dataclass(frozen=True, eq=False)
class Bars:
    """Bars as printed, sorted by instrument, then by day.

    symbols: one an instrument. offsets: int64, len(symbols) + 1; instrument k's bars are offsets[k]:offsets[k+1].
    days: int32 days since 1970-01-01. open, high, low, close: prices as printed; volume: shares as printed.
    factor: cumulative split and dividend factor, 1.0 on each instrument's first bar; price * factor is continuous.
    minute: int32 minutes from the session's open to each bar's begin, None for daily bars. frame: whose bars these are.
    """

    symbols: tuple[str, ...]
    offsets: Ints
    days: Days
    open: Floats
    high: Floats
    low: Floats
    close: Floats
    volume: Floats
    factor: Floats
    minute: Days | None = None
    frame: str = "day"

    def __post_init__(self) -> None:
        for column in (self.offsets, self.days, self.open, self.high, self.low, self.close, self.volume, self.factor):
            column.setflags(write=False)

    @cached_property
    def plain(self) -> bool:
        """Whether no instrument ever split or paid: then printed prices are continuous."""
        return bool((self.factor == 1.0).all())

    def __len__(self) -> int:
        return len(self.days)

    @cached_property
    def sessions(self) -> Days:
        """Every day on which any instrument has a bar, ascending."""
        if not len(self.days):
            return np.empty(0, np.int32)
        first = int(self.days.min())
        seen = np.zeros(int(self.days.max()) - first + 1, np.bool_)
        seen[self.days - first] = True
        return (np.flatnonzero(seen) + first).astype(np.int32)

    @cached_property
    def session(self) -> Days:
        """The index into `sessions` of each bar."""
        if not len(self.days):
            return np.empty(0, np.int32)
        first = int(self.sessions[0])
        place = np.zeros(int(self.sessions[-1]) - first + 1, np.int32)
        place[self.sessions - first] = np.arange(len(self.sessions), dtype=np.int32)
        return place[self.days - first]

    @cached_property
    def owner(self) -> Days:
        """The instrument's number of each bar."""
        return np.repeat(np.arange(len(self.symbols), dtype=np.int32), np.diff(self.offsets))

    @cached_property
    def number(self) -> dict[str, int]:
        """Instrument number by symbol."""
        return {symbol: k for k, symbol in enumerate(self.symbols)}

    @property
    def last_day(self) -> int:
        return int(self.sessions[-1]) if len(self.sessions) else 0

    def ends(self, day: int) -> Ints:
        """For each instrument the position just after its last bar on or before `day`."""
        if day >= self.last_day:
            return self.offsets[1:].copy()
        out = np.empty(len(self.symbols), np.int64)
        _ends(self.days, self.offsets, day, out)
        return out

    def on(self, day: int) -> Ints:
        """For each instrument the position of its bar on `day`, or -1 where it has none."""
        last = self.ends(day) - 1
        ok = last >= self.offsets[:-1]
        ok[ok] = self.days[last[ok]] == day
        return np.where(ok, last, -1)

    def session_on(self, day: int) -> int:
        """The index of the latest session on or before `day`, or -1."""
        return int(np.searchsorted(self.sessions, day, "right")) - 1

    def cut(self, day: int) -> "Bars":
        """The same table without anything after `day`."""
        keep = self.days <= day
        lengths = self.ends(day) - self.offsets[:-1]
        offsets = np.concatenate([[0], np.cumsum(lengths)]).astype(np.int64)
        columns = {name: getattr(self, name)[keep] for name in ("days", *FIELDS, "factor")}
        minute = None if self.minute is None else self.minute[keep]
        return Bars(self.symbols, offsets, minute=minute, frame=self.frame, **columns)


def build_bars(tables: dict[str, dict[str, Any]], frame: str = "day") -> Bars:
    """Bars from one table of columns a symbol: `days` (int), open, high, low, close, volume and optionally `factor`; `minute` too
    where the frame is shorter than a day.

    Tables are taken in the order of their symbols; days must ascend within each.
    """
    symbols = tuple(sorted(tables))
    lengths = [len(tables[s]["days"]) for s in symbols]
    offsets = np.concatenate([[0], np.cumsum(lengths)]).astype(np.int64)

    def column(name: str, kind: Any) -> Any:
        parts = []
        for symbol in symbols:
            table = tables[symbol]
            parts.append(np.asarray(table[name] if name in table else np.ones(len(table["days"])), kind))
        return np.concatenate(parts) if parts else np.empty(0, kind)

    days = column("days", np.int32)
    prices = {name: column(name, np.float64) for name in FIELDS}
    minute = None if frame == "day" else column("minute", np.int32)
    return Bars(symbols, offsets, days, factor=column("factor", np.float64), minute=minute, frame=frame, **prices)
