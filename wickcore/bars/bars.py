"""All instruments' bars in one ragged table of columns, read-only."""

from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]
Days = NDArray[np.int32]
Bools = NDArray[np.bool_]
Truth = NDArray[np.int8]
FIELDS = ("open", "high", "low", "close", "volume")


@dataclass(frozen=True, eq=False)
class Bars:
    """Bars as printed, sorted by instrument, then by day.

    symbols: one an instrument. offsets: int64, len(symbols) + 1; instrument k's bars are offsets[k]:offsets[k+1].
    days: int32 days since 1970-01-01. open, high, low, close: prices as printed; volume: shares as printed.
    factor: cumulative split and dividend factor, 1.0 on each instrument's first bar; price * factor is continuous.
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

    def __post_init__(self) -> None:
        for column in (self.offsets, self.days, self.open, self.high, self.low, self.close, self.volume, self.factor):
            column.setflags(write=False)

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
        counted = np.add.reduceat(np.append(self.days <= day, False), self.offsets[:-1]) if len(self.symbols) else 0
        lengths = np.where(np.diff(self.offsets) > 0, counted, 0)
        return (self.offsets[:-1] + lengths).astype(np.int64)

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
        columns = [getattr(self, name)[keep] for name in ("days", *FIELDS, "factor")]
        return Bars(self.symbols, offsets, *columns)


def build_bars(tables: dict[str, dict[str, Any]]) -> Bars:
    """Bars from one table of columns a symbol: `days` (int), open, high, low, close, volume and optionally `factor`.

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
    return Bars(symbols, offsets, days, factor=column("factor", np.float64), **prices)
