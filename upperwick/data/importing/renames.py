"""Renamed symbols: what is dated before the day of a rename, under the former symbol, is the new one's.

What is stored under the former one moves; what a later file still brings under it does too.
"""

import itertools
from collections import defaultdict
from collections.abc import Iterator
from dataclasses import dataclass, field, replace
from typing import Any

import numpy as np

from upperwick.data.importing.rows import FRESH, STORED, Row, key_of, stored_rows
from upperwick.data.reading.batch import Read
from upperwick.data.reading.source import PriceFileError
from upperwick.market.merging import bars_of
from upperwick.market.packing import DamagedBlock
from wickcore.bars.merge import Table, merge
from wickcore.bars.moment import iso

DATED = {table: "first" if table == "members" else "day" for table, how in STORED.items() if how.owner and table != "instruments"}
Renames = dict[str, list[tuple[int, str]]]  # by the former symbol: day and new symbol, ascending


@dataclass(slots=True)
class Joined:
    """read: what is to be taken, under the new symbols. bars: the stored ones that go from under the former symbol, by frame and former symbol.
    rows: the stored rows that go, by table. renamed: (former, symbol) of which all goes. notes: sentences that a person should read."""

    read: Read
    bars: dict[str, dict[str, Table]] = field(default_factory=dict)
    rows: dict[str, list[Row]] = field(default_factory=dict)
    renamed: list[tuple[str, str]] = field(default_factory=list)
    notes: list[str] = field(default_factory=list)


def join(read: Read) -> Joined:
    """What was read, with the renames that are stored and those that it brings; what is stored of the latter's former symbols is part of it.
    Raises PriceFileError for a rename that cannot be."""
    given = read.rows.get("renames", [])
    stored = {(row["former"], row["day"]): row["symbol"] for row in stored_rows("renames")}
    every = {**stored, **{(row["former"], row["day"]): row["symbol"] for row in given}}
    if not every:
        return Joined(read)
    renames: Renames = defaultdict(list)
    for (former, day), symbol in sorted(every.items(), key=lambda one: one[0][1]):
        if former == symbol:
            raise PriceFileError(f"{symbol} cannot be renamed to itself (on {iso(day)}).")
        renames[former].append((day, symbol))
    fresh = [(key, symbol) for key, symbol in every.items() if stored.get(key) != symbol]
    changed = [key for key, _ in fresh if key in stored]
    if changed:
        former, day = changed[0]
        raise PriceFileError(
            f"{former} was renamed to {stored[former, day]} on {iso(day)} already, not to {every[former, day]}. Undo that import first."
        )
    joined = Joined(replace(read, prices=replace(read.prices, tables=_renamed_bars(read.prices.tables, renames))))
    joined.read.rows = {table: [_renamed_row(table, row, renames) for row in rows] for table, rows in read.rows.items()}
    for (former, day), symbol in sorted(fresh, key=lambda one: one[0][1]):
        _move_stored(joined, former, symbol, day, renames)
    return joined


def symbol_on(symbol: str, day: int, renames: Renames) -> str:
    """Under which symbol what was dated `day` under one is kept now: through all renames after that day, one after another."""
    after = day
    while True:
        later = next(((on, new) for on, new in renames.get(symbol, []) if on > after), None)
        if later is None:
            return symbol
        after, symbol = later


def _renamed_bars(tables: dict[str, dict[str, Table]], renames: Renames) -> dict[str, dict[str, Table]]:
    """Bars under the symbols that they are kept under; where a file has a bar under both, the new symbol's own."""
    result: dict[str, dict[str, Table]] = {}
    for frame, by_symbol in tables.items():
        made = {symbol: table for symbol, table in by_symbol.items() if symbol not in renames}
        for symbol, table in by_symbol.items():
            for new, part in _by_new_symbol(symbol, table, renames) if symbol in renames else ():
                made[new] = merge(part, made[new]).table if new in made else part
        result[frame] = made
    return result


def _by_new_symbol(symbol: str, table: Table, renames: Renames) -> Iterator[tuple[str, Table]]:
    edges = [0, *np.searchsorted(table["days"], [day for day, _ in renames[symbol]]).tolist(), len(table["days"])]
    for begin, end in itertools.pairwise(edges):
        if begin < end:
            yield symbol_on(symbol, int(table["days"][begin]), renames), {n: c[begin:end] for n, c in table.items()}


def _renamed_row(table: str, row: Row, renames: Renames) -> Row:
    if table not in DATED or row["symbol"] not in renames:
        return row
    return {**row, "symbol": symbol_on(row["symbol"], row[DATED[table]], renames)}


# -- what is stored --------------------------------------------------------------------------------------------------


def _stored_bars(symbol: str, frame: str) -> Table:
    try:
        return bars_of(symbol, frame)
    except DamagedBlock as error:
        raise PriceFileError(str(error)) from None


def _move_stored(joined: Joined, former: str, symbol: str, day: int, renames: Renames) -> None:
    """Adds what is stored of a former symbol before the day, under the symbol that it is kept under from now on."""
    now = symbol_on(former, day - 1, renames)
    tables = joined.read.prices.tables
    moved, stays = 0, 0
    for frame in ("day", "5min"):
        stored = _stored_bars(former, frame)
        before = {n: c[: int(np.searchsorted(stored["days"], day))] for n, c in stored.items()} if stored else {}
        if not before or not len(before["days"]):
            continue
        own = _stored_bars(now, frame)
        if own and int(own["days"][0]) <= int(before["days"][-1]):
            raise PriceFileError(
                f"{former} cannot be what {now} was until {iso(day)}: {now} has stored bars of its own from {iso(int(own['days'][0]))} on, and "
                f"{former}'s go on to {iso(int(before['days'][-1]))}. Give another day, or take the one's bars out first (Undo)."
            )
        joined.bars.setdefault(frame, {})[former] = before
        by_symbol = tables.setdefault(frame, {})
        by_symbol[now] = merge(before, by_symbol[now]).table if now in by_symbol else before
        moved += len(before["days"])
        stays += len(stored["days"]) - len(before["days"])
    for table, dated in DATED.items():
        _move_rows(joined, table, [row for row in stored_rows(table, [former]) if row[dated] < day], now)
    if known := _what_it_was(former, now):
        joined.read.rows["instruments"] = [*known, *joined.read.rows.get("instruments", [])]
    if moved:
        joined.notes.append(f"{former} is {symbol} from {iso(day)} on: {moved:,} stored bars of {former} become {now}'s.")
    if stays:
        joined.notes.append(f"{former} has {stays:,} bars from {iso(day)} on; they stay its own, as of another instrument.")
    else:
        joined.renamed.append((former, now))


def _move_rows(joined: Joined, table: str, rows: list[Row], now: str) -> None:
    """Adds stored rows under their new symbol, beneath what stands under it, and what is given."""
    if not rows:
        return
    own = [*stored_rows(table, [now]), *(row for row in joined.read.rows.get(table, []) if row["symbol"] == now)]
    there = {key_of(table, row) for row in own}
    moved = [{**row, "symbol": now} for row in rows]
    if table == "members":
        moved = [_until_its_own(row, own) for row in moved]
    joined.rows[table] = [*joined.rows.get(table, []), *rows]
    joined.read.rows[table] = [*(row for row in moved if key_of(table, row) not in there), *joined.read.rows.get(table, [])]


def _until_its_own(row: Row, own: list[Row]) -> Row:
    """A membership that ends before the one of the new symbol begins."""
    begins = [one["first"] for one in own if one["universe"] == row["universe"] and row["first"] < one["first"] <= row["last"]]
    return {**row, "last": min(begins) - 1} if begins else row


def _what_it_was(former: str, now: str) -> list[Row]:
    """What was known of the former symbol and is not of the new one."""
    known = {row["symbol"]: row for row in stored_rows("instruments", [former, now])}
    if former not in known:
        return []
    own = known.get(now, {**FRESH, "symbol": now})
    names: dict[str, Any] = {"name": {"", now}, "kind": {"share"}}
    taken = {n: v for n, v in known[former].items() if n in FRESH and own[n] in names.get(n, {FRESH[n]}) and v != own[n]}
    if taken.get("name") == former:
        del taken["name"]
    for ended in ("delisted", "reason"):  # it goes on
        taken.pop(ended, None)
    return [{"symbol": now, **taken}] if taken else []


def bars_that_stood(table: Table) -> Table:
    """As `wickcore.bars.merge.touched`, of bars that were taken away: putting it back adds them."""
    rows = len(table["days"])
    return {**table, "had": np.ones(rows, np.bool_), "same": np.zeros(rows, np.bool_)}
