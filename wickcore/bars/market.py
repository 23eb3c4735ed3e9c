"""What a rule is evaluated over: bars, facts as published, texts, and dated membership."""

from collections.abc import Iterable
from dataclasses import dataclass, field
from functools import cached_property

import numpy as np

from wickcore.bars.bars import Bars, Bools, Days, Floats, Ints, build_bars
from wickcore.bars.merge import Table, factor
from wickcore.bars.universe import combine, read_universe

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
class Membership:
    """Dated membership of one universe: instrument numbers with first and last day, both included."""

    instrument: Ints
    first: Days
    last: Days


@dataclass(frozen=True, eq=False)
class Market:
    """Bars with everything else known about their instruments.

    texts: by name (`sector`, `kind`), one an instrument, "" where unknown. delisted: the last day an instrument traded, or
    -1 while it trades. listed: its listing day, or -1 where unknown. dividends: offsets, days and money a share as printed.
    events: the days of each kind of announcement, ascending.
    version: changes whenever anything in it does; caches hang on it. benchmark: the symbol studies hold regimes against.
    """

    bars: Bars
    texts: dict[str, tuple[str, ...]] = field(default_factory=dict)
    names: tuple[str, ...] = ()
    delisted: Days = field(default_factory=lambda: np.empty(0, np.int32))
    listed: Days = field(default_factory=lambda: np.empty(0, np.int32))
    optionable: Bools = field(default_factory=lambda: np.empty(0, np.bool_))
    weekly_options: Bools = field(default_factory=lambda: np.empty(0, np.bool_))
    facts: Facts | None = None
    dividends: tuple[Ints, Days, Floats] | None = None
    universes: dict[str, Membership] = field(default_factory=dict)
    benchmark: str | None = None
    events: dict[str, Days] = field(default_factory=dict)
    version: str = "files"
    _lists: dict[str, Membership] = field(default_factory=dict, repr=False)

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

    def members(self, universe: str | None) -> Bools | None:
        """For each bar whether its instrument belonged to the universe that day; None where every instrument does.

        universe: a name, or names put together with `and`, `or` and `without`. Raises UnknownUniverse for one the market does not hold.
        """
        if not universe:
            return None
        known = {**self.universes, **self._lists}
        return combine(read_universe(universe, known), lambda name: self._dated(known[name]))

    def _dated(self, dated: Membership) -> Bools:
        marks = np.zeros(len(self.bars), np.bool_)
        days, offsets = self.bars.days, self.bars.offsets
        for k, first, last in zip(dated.instrument, dated.first, dated.last, strict=True):
            begin, end = offsets[k], offsets[k + 1]
            low, high = np.searchsorted(days[begin:end], [first, last + 1])
            marks[begin + low : begin + high] = True
        return marks

    def add_list(self, key: str, symbols: Iterable[str]) -> None:
        """Lets `members` know a list of symbols, each belonging on every day. A key always stands for the same symbols: what is computed
        over it is kept. It must be no universe's name."""
        numbers = [self.bars.number[s] for s in symbols if s in self.bars.number]
        ever = np.iinfo(np.int32)
        size = len(numbers)
        first, last = np.full(size, ever.min, np.int32), np.full(size, ever.max - 1, np.int32)
        self._lists.setdefault(key, Membership(np.array(numbers, np.int64), first, last))


def market_of(tables: dict[str, dict[str, Table]]) -> Market:
    """A market of nothing but bars, by frame and symbol: columns as of `merge`."""
    made = {
        symbol: {**t, "factor": factor(t["days"], t["close"], t.get("ratio"), [], [])}
        for symbol, t in tables.get("day", {}).items()
    }
    return Market(build_bars(made))
