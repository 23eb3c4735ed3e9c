"""An import, counted before it is confirmed and taken after: all of it, or nothing, and kept so that it can be undone."""

import json
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

import pyarrow as pa
from django.db import connection

from upperwick.data.importing.renames import bars_that_stood, join
from upperwick.data.importing.rows import Counted, Row, key_of, merged, remove, stored_rows, write
from upperwick.data.models import Before, Import
from upperwick.data.reading.batch import Read
from upperwick.data.reading.tables import TABLES
from upperwick.market.merging import Imported
from upperwick.market.models import BarBlock, DataVersion, Instrument
from upperwick.market.packing import pack_each
from upperwick.market.staging import AnotherImport
from upperwick.market.store import count_tables, save_tables
from upperwick.market.symbol_references import Place, rename
from upperwick.market.version import data_version
from wickcore.bars.merge import Table
from wickcore.bars.moment import of_key

KEPT = 10  # imports that can be undone
RENAMED = "renamed"  # among what is kept of an import: where a former symbol was named
BENCHMARK: Place = {"model": "market.DataVersion", "field": "benchmark", "ids": []}  # a place of the market as a whole
FEW = 16  # rows that are not worth compressing
Share = Callable[[float], None]


@dataclass(slots=True)
class Counts:
    """What an import does, by table: added, replaced, same, left. symbols: how many have bars in it."""

    tables: dict[str, dict[str, int]] = field(default_factory=dict)
    changes: list[dict[str, Any]] = field(default_factory=list)
    notes: list[str] = field(default_factory=list)
    symbols: int = 0


def count(read: Read, tell: Share = lambda share: None) -> Counts:
    """What taking it would do. Nothing is taken. Raises PriceFileError for a rename that cannot be."""
    joined = join(read)
    read = joined.read
    bars = count_tables(read.prices.tables, tell)
    counts = _counts(bars, {table: merged(table, rows)[0] for table, rows in read.rows.items()})
    counts.notes = [*read.notes, *joined.notes, *counts.notes]
    return counts


def take(
    read: Read, *, source: str, by: Any = None, universe: str | None = None, digests: list[str] | None = None,
    tell: Share = lambda share: None, undoable: bool = True, **changed: Any,
) -> Import:  # fmt: skip
    """Takes all that was read, in one step.

    universe: a name that the symbols with bars become members of. changed: what else the data's version says from now on (benchmark, zone,
    invented). undoable: whether what stood before is kept. Raises AnotherImport, and PriceFileError for a rename that cannot be; what `tell`
    raises ends it, and then nothing was taken.
    """
    version = data_version()
    joined = join(read)
    read = joined.read
    names = read.files
    made: list[Import] = []
    touched_bars: list[tuple[str, str, bytes]] = []
    few: list[tuple[str, str, Table]] = []
    symbols = sorted({s for by_symbol in read.prices.tables.values() for s in by_symbol})
    every = sorted({*symbols, *(row["symbol"] for rows in read.rows.values() for row in rows if "symbol" in row)})
    if not read.rows:  # then those that are there stay as they are
        there = set(Instrument.objects.order_by().values_list("symbol", flat=True))
        every = [symbol for symbol in every if symbol not in there]
    was = _by_symbol(stored_rows("instruments", every))
    was_member = _membership(universe, symbols)

    def rest(bars: Imported) -> None:
        """What is to be true together with the bars."""
        if (joined.bars or joined.rows) and data_version() != version:  # what is to move may not be all of it any more
            raise AnotherImport("Another import ended meanwhile; this one has taken nothing. Begin it again.")
        by_table: dict[str, Counted] = {}
        for table in TABLES:
            if read.rows.get(table):
                by_table[table], rows = merged(table, read.rows[table])
                write(table, rows)
        for table, gone in joined.rows.items():
            remove(table, gone, quietly=True)
        counts = _counts(bars, by_table)
        one = Import.objects.create(
            by=by, source=source, what=_what(names, counts), files=names[:200], digests=digests or [], counts=counts.tables,
            changes=counts.changes, notes=[*read.notes, *joined.notes, *counts.notes, *_without_bars(read)][:50],
        )  # fmt: skip
        made.append(one)
        before = {table: dict(counted.before) for table, counted in by_table.items()}
        for table, rows_now, rows_was in (
            ("instruments", _by_symbol(stored_rows("instruments", every)), was),
            ("members", _membership(universe, symbols), was_member),
        ):
            for symbol, row in rows_now.items():
                old = rows_was.get(symbol)
                if old != row:  # made for its bars, or a membership that begins earlier now
                    before.setdefault(table, {}).setdefault(key_of(table, row), None)
                    if old is not None:
                        before[table][key_of(table, old)] = old
        for table, gone in joined.rows.items():
            for row in gone:
                before.setdefault(table, {})[key_of(table, row)] = row
        for frame, by_symbol in joined.bars.items():
            for symbol, bars_gone in by_symbol.items():
                record(symbol, frame, bars_that_stood(bars_gone))
        small = zip(few, pack_each([table for _, _, table in few]), strict=True)
        bars_were = [*touched_bars, *((symbol, frame, data) for (symbol, frame, _), data in small)]
        kept = [(one.id, "bars", symbol, frame, data) for symbol, frame, data in bars_were]
        kept += [(one.id, table, "", "", packed_rows(rows)) for table, rows in before.items() if rows]
        for former, symbol in joined.renamed:
            places = [
                *rename(former, symbol),
                *([BENCHMARK] if changed.get("benchmark") == symbol and was_benchmark == former else []),
            ]
            kept.append((one.id, RENAMED, former, "", packed_places(symbol, places)))
        if undoable:
            _keep(kept)
        old_ones = Import.objects.filter(undone__isnull=True).values_list("id", flat=True)[KEPT:]
        Before.objects.filter(of__in=list(old_ones)).delete()

    def record(symbol: str, frame: str, table: Table) -> None:
        if len(table["days"]) > FEW:
            touched_bars.append((symbol, frame, packed(table)))
        else:
            few.append((symbol, frame, table))

    tables = {t for t in TABLES if read.rows.get(t)} | ({"bars"} if symbols else set()) | ({"members"} if universe else set())
    latest = DataVersion.objects.last()
    followed, was_benchmark = dict(joined.renamed), latest.benchmark if latest else ""
    if was_benchmark in followed:
        changed.setdefault("benchmark", followed[was_benchmark])
    changed["touched"] = ",".join(sorted(tables))
    save_tables(
        read.prices.tables, universe, _version_said(names), record if undoable else None, rest, tell, joined.bars, **changed
    )
    return made[0]


def _keep(rows: list[tuple[int, str, str, str, bytes]]) -> None:
    """Keeps what stood before. Straight into the table: of thousands of instruments, objects take longer than all else of an evening."""
    with connection.cursor() as cursor:
        cursor.executemany(
            f'INSERT INTO {Before._meta.db_table} (of_id, "table", symbol, frame, data) VALUES (%s, %s, %s, %s, %s)', rows
        )


def _version_said(names: list[str]) -> str:
    return f"{', '.join(names[:3])}{' …' if len(names) > 3 else ''} imported"


def _by_symbol(rows: list[Row]) -> dict[str, Row]:
    return {row["symbol"]: row for row in rows}


def _membership(universe: str | None, symbols: list[str]) -> dict[str, Row]:
    """The members of a universe among some symbols, by symbol."""
    if not universe:
        return {}
    return _by_symbol([row for row in stored_rows("members", symbols) if row["universe"] == universe])


def _counts(bars: Imported, by_table: dict[str, Counted]) -> Counts:
    found = Counts(symbols=bars.symbols, notes=list(bars.notes))
    if bars.symbols:
        found.tables["bars"] = {n: getattr(bars, n) for n in ("added", "replaced", "same", "left")}
    found.changes = [
        {"table": "bars", "key": f"{symbol} {of_key(c.key)}", "old": _prices(c.old), "new": _prices(c.new)}
        for symbol, c in bars.changes
    ]
    for table, counted in by_table.items():
        found.tables[table] = {n: getattr(counted, n) for n in ("added", "replaced", "same", "left")}
        found.changes += counted.changes
    return found


def _prices(values: tuple[float, ...]) -> str:
    return " ".join(f"{v:.6g}" for v in values[:4]) + f", volume {values[4]:,.0f}"


def _what(names: list[str], counts: Counts) -> str:
    """An import in a sentence."""
    parts = []
    for table, of in counts.tables.items():
        touched = of["added"] + of["replaced"]
        title = TABLES[table].title.lower()
        among = f" of {counts.symbols:,} symbol{'' if counts.symbols == 1 else 's'}" if table == "bars" else ""
        changed = f", {of['replaced']:,} of them changed" if of["replaced"] else ""
        parts.append(f"{touched:,} {title}{among}{changed}")
    return f"{', '.join(names[:3])}{f' and {len(names) - 3} more files' if len(names) > 3 else ''}: {'; '.join(parts) or 'nothing new'}"[
        :300
    ]


def _without_bars(read: Read) -> list[str]:
    """What is said of symbols that have no bars yet: it is kept and waits for them."""
    said = {row["symbol"] for table, rows in read.rows.items() if table != "instruments" for row in rows if "symbol" in row}
    given = {s for by_symbol in read.prices.tables.values() for s in by_symbol}
    if not said - given:
        return []
    with_bars = given | set(BarBlock.objects.values_list("instrument__symbol", flat=True).distinct())
    alone = sorted(said - with_bars)
    if not alone:
        return []
    more = f" and {len(alone) - 5} more" if len(alone) > 5 else ""
    return [f"There are no prices yet of {', '.join(alone[:5])}{more}; what was said of them is kept until there are."]


# -- what stood before -----------------------------------------------------------------------------------------------


def packed(table: Table) -> bytes:
    """Columns to an Arrow stream, compressed where that is worth its while."""
    batch = pa.record_batch({name: pa.array(column) for name, column in table.items()})
    sink = pa.BufferOutputStream()
    options = pa.ipc.IpcWriteOptions(compression="zstd" if batch.num_rows > FEW else None)
    with pa.ipc.new_stream(sink, batch.schema, options=options) as writer:
        writer.write_batch(batch)
    return sink.getvalue().to_pybytes()


def unpacked(data: bytes) -> Table:
    """The columns of such a stream."""
    with pa.ipc.open_stream(data) as reader:
        table = reader.read_all()
    return {name: table[name].to_numpy() for name in table.column_names}


def packed_rows(rows: dict[str, Row | None]) -> bytes:
    """Rows by their key to a compressed Arrow stream."""
    return packed({"key": list(rows), "row": [json.dumps(row, ensure_ascii=False) for row in rows.values()]})


def packed_places(symbol: str, places: list[Place]) -> bytes:
    """Where a former symbol was named, and by which it is now, as an Arrow stream."""
    return packed({"symbol": [symbol], "places": [json.dumps(places)]})


def unpacked_places(data: bytes) -> tuple[str, list[Place]]:
    """The symbol, and where."""
    table = unpacked(data)
    return str(table["symbol"][0]), json.loads(table["places"][0])


def unpacked_rows(data: bytes) -> dict[str, Row | None]:
    """The rows by their key."""
    table = unpacked(data)
    return {str(k): json.loads(r) for k, r in zip(table["key"], table["row"], strict=True)}
