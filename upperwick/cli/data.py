"""The commands that bring data in and out: import, imports, undo, export."""

import sys
from argparse import Namespace
from collections.abc import Iterator

from upperwick.cli.shared import BAD_ROWS_SHOWN, Bad, answers_of, emit, engine_of, symbol_of, with_database


def import_files(given: Namespace) -> None:
    """Imports files of any of the open tables: all of them, or nothing. What is stored and not in the files stays as it is."""
    with_database()
    from upperwick.data import vendors
    from upperwick.data.importing.import_service import count, take
    from upperwick.data.reading.answers import FileUnclear
    from upperwick.data.reading.source import PriceFileError
    from upperwick.market.models import BarBlock
    from upperwick.market.staging import AnotherImport

    try:
        read = vendors.read_files(given.files, answers_of(given), any_date=given.any_date)
        for group in read.groups:
            for question in group.questions:
                raise FileUnclear(group.name, question, group.headings)
    except PriceFileError as error:
        raise Bad(str(error)) from None
    if read.bad and not given.skip_bad:
        shown, more = read.bad[:BAD_ROWS_SHOWN], len(read.bad) - BAD_ROWS_SHOWN
        rest = [f"… and {more} more."] if more > 0 else []
        raise Bad(*shown, *rest, f"{len(read.bad)} bad rows; nothing was taken. Fix them, or leave them out with --skip-bad.")
    if read.empty:
        raise Bad(f"{' and '.join(map(str, given.files))} holds no usable row.")
    if given.count:
        try:
            found = count(read)
        except PriceFileError as error:
            raise Bad(str(error)) from None
        return _say_counts(given, found.tables, found.changes, found.notes, found.symbols, len(read.bad), "would be ")
    changed = {"zone": given.zone} if given.zone else {}
    if read.market and not BarBlock.objects.exists():
        changed = {**{k: v for k, v in read.market.items() if k in ("benchmark", "zone", "invented") and v}, **changed}
    try:
        made = take(read, source="command line", universe=given.universe, **changed)
    except (AnotherImport, PriceFileError) as error:
        raise Bad(str(error)) from None
    if not given.forget:
        vendors.remember(read)
    symbols = len({s for by_symbol in read.prices.tables.values() for s in by_symbol})
    _say_counts(given, made.counts, made.changes, made.notes, symbols, len(read.bad), "", made.id)


def _say_counts(
    given: Namespace, tables: dict[str, dict[str, int]], changes: list[dict[str, str]], notes: list[str], symbols: int, bad: int,
    would: str, import_id: int | None = None,
) -> None:  # fmt: skip
    if given.json:
        total = {n: sum(t[n] for t in tables.values()) for n in ("added", "replaced", "same", "left")}
        return emit(
            {
                "symbols": symbols,
                **total,
                "tables": tables,
                "notes": notes,
                "bad_rows": bad,
                "changes": changes,
                "import": import_id,
            }
        )
    from upperwick.data.reading.tables import TABLES

    for table, of in tables.items():
        among = f" of {symbols:,} symbol{'' if symbols == 1 else 's'}" if table == "bars" else ""
        print(
            f"{TABLES[table].title}{among}: {of['added']:,} {would}added, {of['replaced']:,} {would}replaced, "
            f"{of['same']:,} were stored already, {of['left']:,} others left as they {'are' if would else 'were'}."
        )
    if bad:
        print(f"{bad:,} bad rows left out.")
    for c in changes:
        print(f"  {c['key']}: {c['old']} {'would become' if would else 'became'} {c['new']}")
    for note in notes:
        print(note, file=sys.stderr)
    if import_id is not None:
        print(f"It is import {import_id}: `upperwick undo {import_id}` takes it back.")


def imports(given: Namespace) -> None:
    """Lists the latest imports."""
    with_database()
    from upperwick.data.contents import imports as latest

    rows = latest()
    if given.json:
        keys = ("id", "by", "source", "what", "tables", "undoable")
        return emit(
            {
                "imports": [
                    {**{k: row[k] for k in keys}, "at": row["at"].isoformat(), "undone": row["undone"] is not None} for row in rows
                ]
            }
        )
    if not rows:
        print("Nothing was imported yet.")
    for row in rows:
        state = "undone" if row["undone"] else "can be undone" if row["undoable"] else ""
        print(f"{row['id']:>5}  {row['at']:%Y-%m-%d %H:%M}  {row['source']:<12}  {row['what']}" + (f"  ({state})" if state else ""))


def undo_import(given: Namespace) -> None:
    """Takes one import back, whatever was imported since."""
    with_database()
    from upperwick.base.errors import Refused
    from upperwick.data.importing.undo import undo, undoable
    from upperwick.market.staging import AnotherImport

    wanted = given.number
    if wanted is None:
        can = undoable()
        if not can:
            raise Bad("There is no import that can be undone.")
        wanted = can[0]
    try:
        one = undo(wanted)
    except (Refused, AnotherImport) as error:
        raise Bad(getattr(error, "detail", None) or str(error)) from None
    if given.json:
        return emit({"import": one.id, "what": one.what})
    print(f"Undone: {one.what}.")


def export(given: Namespace) -> None:
    """Exports the stored bars of a frame, or everything."""
    return _export_all(given) if given.all else _export_prices(given)


def _export_all(given: Namespace) -> None:
    with_database()
    from upperwick.data.importing.package import write_package
    from upperwick.data.reading.source import PriceFileError

    try:
        counts = write_package(given.file, given.text)
    except (PriceFileError, OSError) as error:
        raise Bad(f"{given.file} cannot be written: {error}" if isinstance(error, OSError) else str(error)) from None
    print(f"Everything written to {given.file}: " + ", ".join(f"{rows:,} {name}" for name, rows in counts.items()) + ".")


def _export_prices(given: Namespace) -> None:
    """The stored bars of a frame as printed, with adjusted closes on the latest bar's scale."""
    engine = engine_of(Namespace(prices=None, skip_bad=False))
    if given.bars not in {table.frame for table in engine.market.tables}:
        raise Bad(f"There are no {given.bars} bars stored.")
    bars = engine.market.table(given.bars)
    import numpy as np
    import pyarrow as pa

    from upperwick.data.reading.bars import write_prices
    from upperwick.data.reading.source import PriceFileError
    from wickcore.bars.moment import clock

    wanted = [s.strip() for s in given.symbols.split(",")] if given.symbols else list(bars.symbols)
    for symbol in wanted:
        symbol_of(engine, symbol)

    def tables() -> Iterator[pa.Table]:
        for symbol in wanted:
            k = bars.number[symbol]
            part = slice(int(bars.offsets[k]), int(bars.offsets[k + 1]))
            if part.start == part.stop:
                continue
            scale = bars.factor[part] / bars.factor[part][-1]
            times = {} if bars.minute is None else {"time": [clock(m) for m in bars.minute[part].tolist()]}
            yield pa.table(
                {
                    "symbol": pa.array([symbol] * (part.stop - part.start)),
                    "date": pa.array(bars.days[part].astype(np.int32), pa.date32()),
                    **times,
                    **{name: getattr(bars, name)[part] for name in ("open", "high", "low", "close", "volume")},
                    "adj_close": bars.close[part] * scale,
                }
            )

    try:
        total = write_prices(given.file, tables())
    except (PriceFileError, OSError) as error:
        raise Bad(f"{given.file} cannot be written: {error}") from None
    print(f"{total:,} bars of {len(wanted):,} symbols written to {given.file}.")


def feed(given: Namespace) -> None:
    """Lays the demo market's next evenings where they are taken from: the drop folder, while the application is served."""
    with_database()
    from upperwick.data import feed as vendor
    from upperwick.data.drop_folder import folder
    from upperwick.market.load import evaluator
    from wickcore.bars.moment import iso

    if vendor.state() is None:
        raise Bad(
            "The feed goes on with the demo market, which is not what is stored here; your own files go into the drop folder."
        )
    if given.sessions < 1:
        raise Bad("--sessions is a number of evenings, 1 or more.")
    place = given.to or folder()
    try:
        place.mkdir(parents=True, exist_ok=True)
        session, done = vendor.following(evaluator().market)
        days = [s for s in vendor.ahead().sessions if session is not None and s.day >= session.day][: given.sessions]
        for one in days:
            files = vendor.lay_evening(place, one, done if one is session else 0, not given.days_only)
            print(f"{iso(one.day)}: {len(files)} files laid into {place}.")
    except OSError as error:
        raise Bad(f"{place} cannot be written: {error}") from None
    if len(days) < given.sessions:
        print("The sessions that were ready are over.")
