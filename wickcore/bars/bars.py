"""All instruments' bars of one frame in one ragged table of columns, read-only."""

from collections.abc import Callable, Iterable
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Any

import numpy as np
from numba import njit
from numpy.typing import NDArray

from wickcore.bars.calendar import Calendar
from wickcore.bars.layout import ragged_rows
from wickcore.bars.moment import CLOSE, Moment, keys, moment_of, of_key

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]
Days = NDArray[np.int32]
Bools = NDArray[np.bool_]
Truth = NDArray[np.int8]
FIELDS = ("open", "high", "low", "close", "volume")
COLUMNS = ("days", *FIELDS, "factor")  # one value a bar, of every table
SOME = ("minute", "day_ends")  # one value a bar, where the frame has them
STEP = 5  # minutes of the bars that are stored of a day


@njit(nogil=True, cache=True)
def _ends(values: Any, offsets: Ints, last: Ints, out: Ints) -> None:
    for k in range(len(offsets) - 1):
        low, high = offsets[k], offsets[k + 1]
        while low < high:
            middle = (low + high) // 2
            if values[middle] <= last[k]:
                low = middle + 1
            else:
                high = middle
        out[k] = low


@njit(nogil=True, cache=True)
def _copy_runs(column: Any, begins: Ints, offsets: Ints, out: Any) -> None:
    for k in range(len(begins)):
        for i in range(offsets[k + 1] - offsets[k]):
            out[offsets[k] + i] = column[begins[k] + i]


@dataclass(frozen=True, eq=False)
class Bars:
    """Bars as printed, sorted by instrument, then by moment.

    symbols: one an instrument. offsets: int64, len(symbols) + 1; instrument k's bars are offsets[k]:offsets[k+1].
    days: int32 days since 1970-01-01. open, high, low, close: prices as printed; volume: shares as printed.
    factor: cumulative split and dividend factor, 1.0 on each instrument's first bar; price * factor is continuous.
    minute: int32 minute of the day at which each bar begins, None for daily bars. frame: whose bars these are: `day`, `5min`, or `mixed`,
    in which a day's bar follows its five-minute bars (its minute is CLOSE). calendar: the sessions. day_ends: in a mixed table, true on
    the last row of each instrument's day; None elsewhere. before: how many bars of a frame were left out before each
    instrument's first; None for none.
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
    calendar: Calendar = field(default_factory=Calendar)
    day_ends: Bools | None = None
    before: Callable[[str], Ints] | None = None

    def __post_init__(self) -> None:
        for column in (self.offsets, *(getattr(self, name) for name in COLUMNS)):
            column.setflags(write=False)

    @property
    def names(self) -> tuple[str, ...]:
        """The columns it has, of one value a bar."""
        return (*COLUMNS, *(name for name in SOME if getattr(self, name) is not None))

    @cached_property
    def plain(self) -> bool:
        """Whether no instrument ever split or paid: then printed prices are continuous."""
        return bool((self.factor == 1.0).all())

    def __len__(self) -> int:
        return len(self.days)

    @cached_property
    def sessions(self) -> Days:
        """Every day on which any instrument has a bar, ascending."""
        return _distinct(self.days).astype(np.int32)

    @cached_property
    def session(self) -> Days:
        """The index into `sessions` of each bar."""
        return _places(self.days, self.sessions)

    @cached_property
    def known(self) -> Ints:
        """The key of the moment from which on each bar is known: its end."""
        return self.known_at(slice(None))

    def known_at(self, rows: Any) -> Ints:
        """The key of the moment from which on each of some bars is known."""
        if self.minute is None:
            return keys(self.days[rows], CLOSE)
        minute = self.minute[rows]
        return keys(self.days[rows], np.where(minute == CLOSE, CLOSE, minute + STEP))

    @cached_property
    def moments(self) -> Ints:
        """The key of every moment at which any instrument's bar ends, ascending."""
        if self.minute is None:
            return keys(self.sessions, CLOSE)
        return _distinct(self.known)

    @cached_property
    def step(self) -> Days:
        """The index into `moments` of each bar: what is compared across instruments is compared at one step."""
        return self.session if self.minute is None else _places(self.known, self.moments)

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

    @cached_property
    def last_moment(self) -> Moment:
        """When the latest bar ended: told by the instruments' last bars, without looking at all others."""
        last = self.offsets[1:][np.diff(self.offsets) > 0] - 1
        return of_key(self.known_at(last).max()) if len(last) else Moment(0)

    def ends(self, at: int | Moment) -> Ints:
        """For each instrument the position just after the last bar known at the moment (a day stands for its close)."""
        moment = moment_of(at)
        if not len(self) or moment.key >= self.last_moment.key:
            return self.offsets[1:].copy()
        if self.minute is None:
            return self.ends_of(np.full(len(self.symbols), moment.day if moment.closed else moment.day - 1))
        out = np.empty(len(self.symbols), np.int64)
        _ends(self.known, self.offsets, np.full(len(self.symbols), moment.key), out)
        return out

    def ends_of(self, days: Ints) -> Ints:
        """For each instrument the position just after its last bar up to a day of its own."""
        out = np.empty(len(self.symbols), np.int64)
        _ends(self.days, self.offsets, np.asarray(days, np.int64), out)
        return out

    def on(self, at: int | Moment) -> Ints:
        """For each instrument the position of its latest bar of the moment's day that is known then, or -1 where it has none."""
        moment = moment_of(at)
        last = self.ends(moment) - 1
        ok = last >= self.offsets[:-1]
        ok[ok] = self.days[last[ok]] == moment.day
        return np.where(ok, last, -1)

    def session_on(self, day: int) -> int:
        """The index of the latest session on or before `day`, or -1."""
        return int(np.searchsorted(self.sessions, day, "right")) - 1

    def cut(self, at: int | Moment) -> "Bars":
        """The same table without what is not known at the moment (a day stands for its close)."""
        lengths = self.ends(at) - self.offsets[:-1]
        return self.runs(self.offsets[:-1], np.concatenate([[0], np.cumsum(lengths)]).astype(np.int64))

    def of_some(self, numbers: Ints, many: Callable[..., Iterable[Any]] = map) -> "Bars":
        """The bars of some instruments, none of all others'. many: as `runs` takes it."""
        lengths = np.zeros(len(self.symbols), np.int64)
        lengths[numbers] = np.diff(self.offsets)[numbers]
        offsets = np.concatenate([[0], np.cumsum(lengths)]).astype(np.int64)
        if len(numbers) == 1:
            k = int(numbers[0])
            return self.taken(slice(int(self.offsets[k]), int(self.offsets[k + 1])), offsets)
        return self.runs(self.offsets[:-1], offsets, many)

    def runs(self, begins: Ints, offsets: Ints, many: Callable[..., Iterable[Any]] = map) -> "Bars":
        """A table of one run of rows of each instrument, ragged by new offsets. begins: where they begin. many: a `map` that may work on several
        threads."""

        def run(name: str) -> tuple[str, Any]:
            column = getattr(self, name)[:]
            column.setflags(write=False)
            out = np.empty(offsets[-1], column.dtype)
            _copy_runs(column, begins, offsets, out)
            return name, out

        return replace(self, offsets=offsets, before=None, **dict(many(run, self.names)))

    def taken(self, rows: Any, offsets: Ints) -> "Bars":
        """A table of some of the rows, ragged by new offsets."""
        return replace(self, offsets=offsets, before=None, **{name: getattr(self, name)[rows] for name in self.names})

    def only(self, numbers: Ints) -> "Bars":
        """A table of some instruments, in the order of their numbers, with their bars."""
        offsets, rows = ragged_rows(self.offsets, numbers)
        cut = self.taken(rows, offsets)
        counts = self.before
        before = None if counts is None else lambda frame: counts(frame)[numbers]
        return replace(cut, symbols=tuple(self.symbols[k] for k in numbers), before=before)


def _distinct(values: Any) -> Ints:
    """Whole numbers that lie in a narrow range, each once, ascending."""
    if not len(values):
        return np.empty(0, np.int64)
    first = int(values.min())
    seen = np.zeros(int(values.max()) - first + 1, np.bool_)
    seen[values - first] = True
    return np.flatnonzero(seen) + first


def _places(values: Any, among: Any) -> Days:
    """The place of each value among those distinct ones."""
    if not len(values):
        return np.empty(0, np.int32)
    first = int(among[0])
    place = np.zeros(int(among[-1]) - first + 1, np.int32)
    place[among - first] = np.arange(len(among), dtype=np.int32)
    return place[values - first]


def build_bars(
    tables: dict[str, dict[str, Any]], frame: str = "day", calendar: Calendar | None = None, symbols: tuple[str, ...] | None = None
) -> Bars:
    """Bars from one table of columns a symbol: `days` (int), open, high, low, close, volume and optionally `factor`; `minute` of the day
    too where the frame is shorter than a day.

    Instruments come in the order of their symbols (or of those given, who may have no table); moments must ascend within each.
    """
    symbols = tuple(sorted(tables)) if symbols is None else symbols
    lengths = [len(tables[s]["days"]) if s in tables else 0 for s in symbols]
    offsets = np.concatenate([[0], np.cumsum(lengths)]).astype(np.int64)

    def column(name: str, kind: Any) -> Any:
        parts = []
        for symbol in symbols:
            if symbol in tables:
                table = tables[symbol]
                parts.append(np.asarray(table[name] if name in table else np.ones(len(table["days"])), kind))
        return np.concatenate(parts) if parts else np.empty(0, kind)

    days = column("days", np.int32)
    prices = {name: column(name, np.float64) for name in FIELDS}
    minute = None if frame == "day" else column("minute", np.int32)
    return Bars(
        symbols, offsets, days, factor=column("factor", np.float64), minute=minute, frame=frame, calendar=calendar or Calendar(), **prices
    )  # fmt: skip
