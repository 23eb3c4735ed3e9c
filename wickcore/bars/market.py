"""What a rule is evaluated over: a table of bars a frame, facts as published, texts, and dated membership."""

from collections import OrderedDict
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property
from threading import Lock
from typing import Any
from zlib import crc32

import numpy as np

from wickcore.bars import layout
from wickcore.bars.bars import STEP, Bars, Bools, Days, Floats, Ints, build_bars
from wickcore.bars.calendar import Calendar, hours_of
from wickcore.bars.factor import factor, factor_within
from wickcore.bars.frame_names import within_day
from wickcore.bars.merge import Table
from wickcore.bars.mixed import Mixed, days_of, first_alone, latest_inner, mix
from wickcore.bars.moment import Moment, of_key
from wickcore.bars.universe import combine, read_universe

MOST_LISTED = 2_000_000  # symbols on all lists that are known at a time; the list not asked for longest goes first
FACT_COLUMNS = ("shares", "eps", "revenue_growth", "eps_growth", "eps_surprise")


@dataclass(frozen=True, eq=False)
class Facts:
    """Values published on a day and standing until the next, ragged by instrument.

    offsets: int64, instruments + 1. days: the day each row became known. columns: one float64 a fact.
    is_report: rows that are a report (others restate shares after a split).
    """

    offsets: Ints
    days: Days
    is_report: Bools
    columns: dict[str, Floats]


@dataclass(frozen=True, eq=False)
class Dated:
    """One number about instruments, known from its day until the next: a fact of one's own.

    offsets: int64, instruments + 1. days: ascending within each instrument. values: one a day.
    """

    offsets: Ints
    days: Days
    values: Floats


def dated(rows: Sequence[Sequence[tuple[int, float]]]) -> Dated:
    """Of each instrument, in their order, its (day, value), ascending."""
    flat = [pair for of_one in rows for pair in of_one]
    offsets = np.concatenate([[0], np.cumsum([len(of_one) for of_one in rows])]).astype(np.int64)
    return Dated(offsets, np.array([d for d, _ in flat], np.int32), np.array([v for _, v in flat], np.float64))


NIGHT = ("open", "high", "low", "close", "low_first")


def nights(rows: Sequence[Sequence[tuple[int, float, float, float, float, float]]]) -> dict[str, Dated]:
    """Of each instrument, in their order, its overnight bars as (day, open, high, low, close, low_first), ascending, by column."""
    return {name: dated([[(night[0], night[at]) for night in of_one] for of_one in rows]) for at, name in enumerate(NIGHT, 1)}


@dataclass(frozen=True, eq=False)
class Membership:
    """Dated membership of one universe: instrument numbers with first and last day, both included."""

    instrument: Ints
    first: Days
    last: Days


def _no_days() -> Days:
    return np.empty(0, np.int32)


def _no_marks() -> Bools:
    return np.empty(0, np.bool_)


def _some_lists(lists: OrderedDict[str, Membership], numbers: Ints) -> OrderedDict[str, Membership]:
    return OrderedDict((name, layout.numbered(members, numbers)) for name, members in lists.items())


def _new_lock(lock: Lock, numbers: Ints) -> Lock:
    return Lock()


@layout.laid_out
@dataclass(frozen=True, eq=False)
class Market:
    """Bars with everything else known about their instruments.

    tables: one a frame (`day`, `5min`), of the same instruments. Where there is none of days, it is made of the five-minute bars.
    texts: by name (`sector`, `kind`), one an instrument, "" where unknown. delisted: the last day an instrument traded, or
    -1 while it trades. listed: its listing day, or -1 where unknown. dividends: offsets, days and money a share as printed.
    events: the days of each kind of announcement, ascending. own: facts of one's own, by the name that `own.` goes before in rules.
    overnight: the night before each session of the instruments that trade then: `open`, `high`, `low`, `close` as printed that day, and
    `low_first`, 1 or 0; each of the same days.
    version: changes whenever anything in it does; caches hang on it. benchmark: the symbol studies hold regimes against.
    """

    tables: tuple[Bars, ...] = field(metadata=layout.of(layout.tables))
    texts: dict[str, tuple[str, ...]] = field(default_factory=dict, metadata=layout.of(layout.by_name(layout.per_instrument)))
    names: tuple[str, ...] = field(default=(), metadata=layout.of(layout.per_instrument))
    delisted: Days = field(default_factory=_no_days, metadata=layout.of(layout.per_instrument))
    listed: Days = field(default_factory=_no_days, metadata=layout.of(layout.per_instrument))
    optionable: Bools = field(default_factory=_no_marks, metadata=layout.of(layout.per_instrument))
    weekly_options: Bools = field(default_factory=_no_marks, metadata=layout.of(layout.per_instrument))
    facts: Facts | None = field(default=None, metadata=layout.of(layout.ragged))
    dividends: tuple[Ints, Days, Floats] | None = field(default=None, metadata=layout.of(layout.ragged))
    universes: dict[str, Membership] = field(default_factory=dict, metadata=layout.of(layout.by_name(layout.numbered)))
    benchmark: str | None = field(default=None, metadata=layout.of(layout.shared))
    events: dict[str, Days] = field(default_factory=dict, metadata=layout.of(layout.shared))
    own: dict[str, Dated] = field(default_factory=dict, metadata=layout.of(layout.by_name(layout.ragged)))
    overnight: dict[str, Dated] = field(default_factory=dict, metadata=layout.of(layout.by_name(layout.ragged)))
    version: str = field(default="files", metadata=layout.of(layout.shared))
    _lists: OrderedDict[str, Membership] = field(default_factory=OrderedDict, repr=False, metadata=layout.of(_some_lists))
    _lists_lock: Lock = field(default_factory=Lock, repr=False, metadata=layout.of(_new_lock))

    def __post_init__(self) -> None:
        if not self.tables or any(t.symbols != self.tables[0].symbols for t in self.tables):
            raise ValueError("The tables of a market hold the same instruments.")

    def table(self, name: str) -> Bars:
        """`day`, `5min`, or `mixed`: both in one. Raises KeyError for a frame the market has no bars of."""
        if name == "day":
            return self.bars
        return self.mixed.bars if name == "mixed" else next(t for t in self.tables if t.frame == name)

    @cached_property
    def bars(self) -> Bars:
        """The daily bars."""
        found = next((t for t in self.tables if t.frame == "day"), None)
        return days_of(self.tables[0]) if found is None else found

    @cached_property
    def finest(self) -> str:
        """The shortest frame there are bars of."""
        return "5min" if any(t.frame == "5min" for t in self.tables) else "day"

    @cached_property
    def mixed(self) -> Mixed:
        """Daily and five-minute bars in the order in which they are known."""
        return mix(self.bars, self.table("5min"))

    @cached_property
    def first_alone(self) -> Ints:
        """For each instrument the first day that has five-minute bars and none of its own."""
        return first_alone(self.bars, self.table("5min"))

    @cached_property
    def inner_of_day(self) -> Ints:
        """For each daily bar the position of its day's latest five-minute bar, -1 where there is none."""
        return latest_inner(self.bars, self.table("5min"))

    def of_some(self, numbers: Sequence[int] | Ints, many: Callable[..., Iterable[Any]] = map) -> "Market":
        """The same instruments, of which only those of these numbers have bars: what is looked up for a few alone. many: as `Bars.runs` takes
        it."""
        kept = np.asarray(numbers, np.int64)
        inner = (t.of_some(kept, many) for t in self.tables if t.frame != "day")
        return replace(
            self, tables=(self.bars.of_some(kept, many), *inner), version=f"{self.version} of {crc32(kept.tobytes()):08x}"
        )

    def only(self, numbers: Sequence[int] | Ints) -> "Market":
        """A market of some instruments alone, in the order of their numbers, with all that is known of them."""
        chosen = np.asarray(numbers, np.int64)
        cut = layout.cut_fields(self, chosen)
        return replace(self, **{**cut, "version": f"{self.version} only {crc32(chosen.tobytes()):08x}"})

    @cached_property
    def latest(self) -> Moment:
        """When the newest bar of any frame ended."""
        return max(t.last_moment for t in self.tables)

    def standing(self, at: Moment) -> Moment:
        """The latest moment up to `at` at which the market had a bar: a session's close, or a minute in it where that is all there is yet.

        Raises ValueError with a sentence where `at` lies before the first.
        """
        inner = next((t for t in self.tables if t.frame != "day"), None)
        if at == self.latest and (at.closed or inner is None or at.minute < inner.calendar.closes):
            return at  # what is stood on most, and moves with every step: the moments before it need not be put in order
        found = []
        for table in self.tables:
            place = int(np.searchsorted(table.moments, at.key, "right")) - 1
            if place >= 0:
                found.append(of_key(table.moments[place]))
        if not found:
            first = min((of_key(t.moments[0]) for t in self.tables if len(t.moments)), default=None)
            raise ValueError(f"The prices begin on {first}; {at} lies before that." if first else "There are no prices.")
        latest = max(found)
        # The close is only stood on where nothing of that day was to come: the hours are those of the first session, and others run longer.
        if latest.closed or inner is None or at.minute < inner.calendar.closes or self.bars.session_on(latest.day) < 0:
            return latest
        over = int(inner.moments[np.searchsorted(inner.moments, Moment(latest.day).key, "right") - 1]) == latest.key
        has_day = int(self.bars.sessions[self.bars.session_on(latest.day)]) == latest.day
        return Moment(latest.day) if over and has_day else latest

    def stepping(self, frame: str, at: Moment | None = None) -> str:
        """The table on whose bars a rule of this frame stands at a moment: inside a session the five-minute bars, if there are any."""
        inside = at is not None and not at.closed
        return "5min" if self.finest == "5min" and (within_day(frame) or inside) else "day"

    @cached_property
    def stopped(self) -> Days:
        """The last day each instrument traded when it trades no more, else a day beyond all others.

        Where the listing does not say, an instrument whose last bar lies before the market's last session has stopped.
        """
        bars = self.bars
        never = np.int32(np.iinfo(np.int32).max)
        lengths = np.diff(bars.offsets)
        last = np.full(len(bars.symbols), bars.last_day, np.int32)
        last[lengths > 0] = bars.days[bars.offsets[1:][lengths > 0] - 1]
        if len(self.delisted):
            return np.where(self.delisted >= 0, last, never).astype(np.int32)
        return np.where(last < bars.last_day, last, never).astype(np.int32)

    @cached_property
    def sector_codes(self) -> Ints:
        """A number for each instrument's sector; -1 where it has none."""
        sectors = self.texts.get("sector", ("",) * len(self.bars.symbols))
        number = {text: code for code, text in enumerate(sorted(set(sectors) - {""}))}
        return np.array([number.get(text, -1) for text in sectors], np.int64)

    @cached_property
    def kind_codes(self) -> Ints:
        """A number for each instrument's kind; 0 where none is told."""
        kinds = self.texts.get("kind", ("",) * len(self.bars.symbols))
        number = {text: code for code, text in enumerate(sorted(set(kinds)))}
        return np.array([number[text] for text in kinds], np.int64)

    def members(self, universe: str | None, table: str = "day") -> Bools | None:
        """For each bar of a table whether its instrument belonged to the universe that day; None where every instrument does.

        universe: a name, or names put together with `and`, `or` and `without`. Raises UnknownUniverse for one the market does not hold.
        """
        if not universe:
            return None
        known = {**self.universes, **self._lists}
        bars = self.table(table)
        return combine(read_universe(universe, known), lambda name: self._dated(known[name], bars))

    def _dated(self, dated: Membership, bars: Bars) -> Bools:
        marks = np.zeros(len(bars), np.bool_)
        days, offsets = bars.days, bars.offsets
        for k, first, last in zip(dated.instrument, dated.first, dated.last, strict=True):
            begin, end = offsets[k], offsets[k + 1]
            low, high = np.searchsorted(days[begin:end], [first, last + 1])
            marks[begin + low : begin + high] = True
        return marks

    def add_list(self, key: str, symbols: Iterable[str]) -> None:
        """Lets `members` know a list of symbols, each belonging on every day. A key always stands for the same symbols: what is computed
        over it is kept. It must be no universe's name."""
        with self._lists_lock:
            if key in self._lists:
                self._lists.move_to_end(key)
                return
        numbers = [self.bars.number[s] for s in symbols if s in self.bars.number]
        ever = np.iinfo(np.int32)
        size = len(numbers)
        first, last = np.full(size, ever.min, np.int32), np.full(size, ever.max - 1, np.int32)
        with self._lists_lock:
            self._lists[key] = Membership(np.array(numbers, np.int64), first, last)
            while sum(len(one.first) for one in self._lists.values()) > MOST_LISTED and len(self._lists) > 1:
                self._lists.popitem(last=False)


@dataclass(slots=True)
class Beside:
    """What is known of instruments besides their bars, by symbol; all of it may be left out.

    texts: by name (`sector`, `kind`). names: what they are called. listed, delisted: days. optionable, weekly_options: symbols. splits,
    dividends: (day, ratio or money a share), ascending. members: by universe, (symbol, first, last day). events: days by name. holidays: days.
    own: by name and symbol, values by day, ascending. overnight: by symbol, rows of day, open, high, low, close, low_first, ascending.
    facts: as of `reports.facts_of`, made for the symbols in their order.
    """

    texts: dict[str, dict[str, str]] = field(default_factory=dict)
    names: dict[str, str] = field(default_factory=dict)
    listed: dict[str, int] = field(default_factory=dict)
    delisted: dict[str, int] = field(default_factory=dict)
    optionable: set[str] | None = None
    weekly_options: set[str] | None = None
    splits: dict[str, list[tuple[int, float]]] = field(default_factory=dict)
    dividends: dict[str, list[tuple[int, float]]] = field(default_factory=dict)
    members: dict[str, list[tuple[str, int, int]]] = field(default_factory=dict)
    events: dict[str, list[int]] = field(default_factory=dict)
    holidays: set[int] = field(default_factory=set)
    own: dict[str, dict[str, dict[int, float]]] = field(default_factory=dict)
    overnight: dict[str, list[tuple[int, float, float, float, float, float]]] = field(default_factory=dict)
    facts: Callable[[tuple[str, ...]], Facts] | None = None
    benchmark: str | None = None


def market_of(tables: dict[str, dict[str, Table]], beside: Beside | None = None) -> Market:
    """A market of bars by frame (`day`, `5min`) and symbol, columns as of `merge`, with what is known beside them. Its sessions run as the
    first one tells."""
    beside = beside or Beside()
    symbols = tuple(sorted({symbol for by_symbol in tables.values() for symbol in by_symbol}))
    daily, inner = tables.get("day", {}), tables.get("5min", {})

    def own_factor(symbol: str, table: Table) -> Floats:
        splits, dividends = beside.splits.get(symbol, []), beside.dividends.get(symbol, [])
        return np.asarray(factor(table["days"], table["close"], table.get("ratio"), splits, dividends))

    made = {s: {**t, "factor": own_factor(s, t)} for s, t in daily.items()}
    day = build_bars(made, calendar=Calendar(frozenset(beside.holidays)), symbols=symbols)
    if not inner:
        return _with(beside, (day,), symbols)
    columns = [np.concatenate([t[name] for t in inner.values()]) for name in ("days", "minute")]
    calendar = Calendar(frozenset(beside.holidays), *hours_of(columns[0], columns[1], STEP))
    within = {}
    for symbol, table in inner.items():
        days = made.get(symbol)
        known = days is not None and len(days["days"])
        if days is not None and known:
            of_days = days["days"], days["factor"], days["close"]
            own = factor_within(of_days, table["days"], beside.splits.get(symbol, []), beside.dividends.get(symbol, []))
        else:
            own = own_factor(symbol, table)
        within[symbol] = {**table, "factor": own}
    five = build_bars(within, "5min", calendar, symbols)
    return _with(beside, (day, five) if daily else (five,), symbols)


def _with(beside: Beside, tables: tuple[Bars, ...], symbols: tuple[str, ...]) -> Market:
    """The market of those tables with all that is known beside them."""
    number = {symbol: k for k, symbol in enumerate(symbols)}

    def marks(chosen: set[str] | None) -> Bools:
        return np.empty(0, np.bool_) if chosen is None else np.array([s in chosen for s in symbols], np.bool_)

    def days(of: dict[str, int]) -> Days:
        return np.array([of.get(s, -1) for s in symbols], np.int32) if of else np.empty(0, np.int32)

    paid = [beside.dividends.get(s, []) for s in symbols]
    members = {name: [m for m in rows if m[0] in number] for name, rows in beside.members.items()}
    return Market(
        tables,
        texts={name: tuple(of.get(s, "") for s in symbols) for name, of in beside.texts.items()},
        names=tuple(beside.names.get(s, "") for s in symbols) if beside.names else (),
        delisted=days(beside.delisted),
        listed=days(beside.listed),
        optionable=marks(beside.optionable),
        weekly_options=marks(beside.weekly_options),
        facts=beside.facts(symbols) if beside.facts is not None else None,
        dividends=(
            np.concatenate([[0], np.cumsum([len(rows) for rows in paid])]).astype(np.int64),
            np.array([d for rows in paid for d, _ in rows], np.int32),
            np.array([v for rows in paid for _, v in rows], np.float64),
        )
        if beside.dividends
        else None,
        universes={
            name: Membership(
                np.array([number[s] for s, _, _ in rows], np.int64),
                np.array([first for _, first, _ in rows], np.int32),
                np.array([last for _, _, last in rows], np.int32),
            )
            for name, rows in members.items()
        },
        benchmark=beside.benchmark,
        events={name: np.array(sorted(set(of)), np.int32) for name, of in beside.events.items()},
        own={name: dated([list(of.get(s, {}).items()) for s in symbols]) for name, of in beside.own.items()},
        overnight=nights([beside.overnight.get(s, []) for s in symbols]) if beside.overnight else {},
    )
