"""The commands that bring prices in and out: import, export."""

import sys
from argparse import Namespace
from collections.abc import Iterator, Mapping
from typing import TYPE_CHECKING

from upperwick.cli.shared import Bad, emit, engine_of, read_price_files, symbol_of, with_database

if TYPE_CHECKING:
    pass


def import_prices(given: Namespace) -> None:
    """Imports prices: all of them, or nothing. What is stored and not in the files stays as it is."""
    with_database()
    from upperwick.market.aside import AnotherImport
    from upperwick.market.store import save_tables
    from wickcore.bars.moment import of_key

    found = read_price_files(given.prices, given.skip_bad, given.any_date)
    what = f"{', '.join(path.name for path in given.prices)}: {_symbols_of(found.tables):,} symbols imported"
    try:
        done = save_tables(found.tables, given.universe, what)
    except AnotherImport as error:
        raise Bad(str(error)) from None
    if given.json:
        changes = [
            {"symbol": symbol, "moment": str(of_key(c.key)), "old": list(c.old), "new": list(c.new)} for symbol, c in done.changes
        ]
        counts = {key: getattr(done, key) for key in ("symbols", "added", "replaced", "same", "left", "notes")}
        return emit({**counts, "bad_rows": len(found.bad), "changes": changes})
    print(
        f"{done.symbols:,} symbol{'' if done.symbols == 1 else 's'}: {done.added:,} bar{'' if done.added == 1 else 's'} added, "
        f"{done.replaced:,} replaced, {done.same:,} were stored already, "
        f"{done.left:,} others left as they were" + (f"; {len(found.bad):,} bad rows left out" if found.bad else "") + "."
    )
    for symbol, c in done.changes:
        print(f"  {symbol} {of_key(c.key)}: {_prices_said(c.old)} became {_prices_said(c.new)}")
    for note in done.notes:
        print(note, file=sys.stderr)


def export_prices(given: Namespace) -> None:
    """Exports the stored bars of a frame as printed, with adjusted closes on the latest bar's scale."""
    engine = engine_of(Namespace(prices=None, skip_bad=False))
    if given.bars not in {table.frame for table in engine.market.tables}:
        raise Bad(f"There are no {given.bars} bars stored.")
    bars = engine.market.table(given.bars)
    import numpy as np
    import pyarrow as pa

    from upperwick.market.files import write_prices
    from upperwick.market.opened import PriceFileError
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


def _symbols_of(tables: Mapping[str, Mapping[str, object]]) -> int:
    return len({symbol for by_symbol in tables.values() for symbol in by_symbol})


def _prices_said(values: tuple[float, ...]) -> str:
    """Open, high, low, close and volume on one line."""
    return " ".join(f"{v:.6g}" for v in values[:4]) + f" volume {values[4]:,.0f}"
