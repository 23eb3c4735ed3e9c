"""What looks across instruments: one registry. Each compares instruments at the same moment, never with a later part of the same day.

A column of these needs all instruments at once, so it is computed whole before any block of instruments is.
"""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, Protocol

import numpy as np

from wickcore.bars.bars import Bools, Floats, Ints
from wickcore.bars.frames import number_of
from wickcore.bars.market import Market
from wickcore.bars.moment import PER_DAY
from wickcore.bars.universe import UnknownUniverse
from wickcore.language.operations import Op
from wickcore.measures import cross
from wickcore.measures.frame import FALSE, TRUE, UNKNOWN

Column = Any  # float64 or int8, by the operation's result


class Whole(Protocol):
    """What the registry needs of an evaluator: a market, and columns on the bars of its table."""

    @property
    def market(self) -> Market: ...

    def whole(self, op: Op, table: str) -> Column:
        """The operation on every bar of a table."""

    def of_one(self, op: Op, table: str, instrument: int) -> Column:
        """The operation on the bars of one instrument."""

    def some(self, op: Op, table: str, rows: Ints) -> Column:
        """The operation on some bars of a table."""


@dataclass(frozen=True, slots=True)
class Across:
    """make: the whole column. by_step: it has one value a moment of the table (`Bars.moments`), the same for all instruments; else one
    a bar."""

    make: Callable[[Whole, Op, str], Column]
    by_step: bool = False


def _rank(over: Whole, op: Op, table: str) -> Column:
    return _ranked(over, op, table, slice(None), over.whole(op.args[0], table))


def rank_at(over: Whole, op: Op, table: str, steps: Ints) -> Column:
    """The column of a rank at some moments only (indices into those of the table), NaN at all others."""
    bars = over.market.table(table)
    wanted = np.zeros(len(bars.moments), np.bool_)
    wanted[steps] = True
    rows = np.flatnonzero(wanted[bars.step])
    out = np.full(len(bars), np.nan)
    out[rows] = _ranked(over, op, table, rows, over.some(op.args[0], table, rows))
    return out


def _ranked(over: Whole, op: Op, table: str, rows: Any, values: Column) -> Column:
    market, bars = over.market, over.market.table(table)
    universe, by = (str(p) for p in op.params)
    owner, group = bars.owner[rows], bars.step[rows].astype(np.int64)
    counted = _members(market, universe, table)
    counted = None if counted is None else counted[rows]
    if counted is None:  # shares among shares, not among indices and funds
        kinds = market.kind_codes[owner]
        group = group * (int(kinds.max(initial=0)) + 1) + kinds
    if by == "sector":
        codes = market.sector_codes[owner]
        group = group * (int(codes.max(initial=0)) + 1) + codes
        counted = codes >= 0 if counted is None else counted & (codes >= 0)
    return cross.rank(values, group, counted)


def _members(market: Market, universe: str, table: str) -> Bools | None:
    try:
        return market.members(universe, table)
    except UnknownUniverse:
        return None  # prices from files hold no universes: all symbols are ranked


def _benchmark(over: Whole, op: Op, table: str) -> Column:
    return _of_symbol(over, op, table, over.market.benchmark or "")


def _of(over: Whole, op: Op, table: str) -> Column:
    return _of_symbol(over, op, table, str(op.params[0]))


def named(op: Op, market: Market) -> str | None:
    """The one symbol whose bars the operation looks at, "" for none; None where it looks at all."""
    return (market.benchmark or "") if op.kind == "benchmark" else str(op.params[0]) if op.kind == "of" else None


def _of_symbol(over: Whole, op: Op, table: str, symbol: str) -> Column:
    bars = over.market.table(table)
    condition = op.result == "condition"
    out = np.full(len(bars.moments), UNKNOWN if condition else np.nan, np.int8 if condition else np.float64)
    k = bars.number.get(symbol, -1)
    if k >= 0:
        out[bars.step[bars.offsets[k] : bars.offsets[k + 1]]] = over.of_one(op.args[0], table, k)
    return out


def _group(over: Whole, op: Op, table: str) -> Column:
    """The mean of the members' known values at each step; those outside are told it too."""
    market, bars = over.market, over.market.table(table)
    universe, by = (str(p) for p in op.params)
    group: Ints = bars.step.astype(np.int64)
    counted = counted_in(market, universe, table)
    if by == "sector":
        codes = market.sector_codes[bars.owner]
        group = np.where(codes >= 0, group * (int(codes.max(initial=0)) + 1) + codes, -1)
    return cross.mean(over.whole(op.args[0], table), group, counted)


def counted_in(market: Market, universe: str, table: str) -> Bools:
    """The bars of a table whose instrument belonged to the universe that day; those of shares where none is named, or none is known."""
    counted = _members(market, universe, table)
    if counted is not None:
        return counted
    bars, kinds = market.table(table), market.texts.get("kind", ())
    return np.array([k == "share" for k in kinds], np.bool_)[bars.owner] if any(kinds) else np.ones(len(bars), np.bool_)


def tally_of(over: Whole, op: Op, table: str) -> tuple[Ints, Floats]:
    """Of a breadth at each moment of a table: how many members fail, are unknown and pass (moments × 3), and its value, not yet summed up."""
    market, bars = over.market, over.market.table(table)
    universe, shows, _, told = (str(p) for p in op.params)
    parts = told.split()
    counted, size = counted_in(market, universe, table), len(bars.moments)
    truth = over.whole(op.args[0], table)
    members = cross.tally(truth, bars.step, counted, size)
    of = members.astype(np.float64)
    weight = over.whole(op.args[1 + parts.index("weight")], table) if "weight" in parts else None
    if weight is not None:
        of = cross.weigh(truth, weight, bars.step, counted, size)
    value = of[:, TRUE].copy()
    if "less" in parts:
        less = over.whole(op.args[1 + parts.index("less")], table)
        taken = (
            cross.tally(less, bars.step, counted, size) if weight is None else cross.weigh(less, weight, bars.step, counted, size)
        )
        value -= taken[:, TRUE]
    known = of[:, TRUE] + of[:, FALSE]
    with np.errstate(invalid="ignore", divide="ignore"):
        value = value / known if shows == "share" else value
    return members, np.where(known > 0, value, np.nan)


def _breadth(over: Whole, op: Op, table: str) -> Column:
    _, value = tally_of(over, op, table)
    if op.params[1] != "sum":
        return value
    # The running sum: of each period that is over its last value, and of the one that runs its value so far. What is over is read from the
    # daily bars, however far those within the day reach back.
    frame = str(op.params[2])
    day = over.market.bars
    daily = value if table == "day" else tally_of(over, op, "day")[1]
    before = number_of(day.sessions, frame)
    ends = np.append(before[1:] != before[:-1], True) if len(before) else np.zeros(0, np.bool_)
    periods, sums, known = before[ends], np.cumsum(np.nan_to_num(daily[ends])), np.cumsum(~np.isnan(daily[ends]))
    now = number_of(over.market.table(table).moments // PER_DAY, frame)
    at = np.searchsorted(periods, now, "left")  # so many periods are over
    so_far, ever = (np.concatenate([[0], column])[at] for column in (sums, known))
    return np.where((ever > 0) | ~np.isnan(value), so_far + np.nan_to_num(value), np.nan)


ACROSS: dict[str, Across] = {
    "rank": Across(_rank), "group": Across(_group), "benchmark": Across(_benchmark, by_step=True), "breadth": Across(_breadth, by_step=True),
    "of": Across(_of, by_step=True),
}  # fmt: skip
