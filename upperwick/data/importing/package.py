"""The whole market as one data package (the Data Package standard, version 2): every table as an open file, with its schema."""

import json
import zipfile
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.csv as pacsv
import pyarrow.parquet as pq

from upperwick.data.importing.rows import DAYS, stored_rows
from upperwick.data.reading.batch import PACKAGE
from upperwick.data.reading.source import PriceFileError
from upperwick.data.reading.tables import BARS, TABLES, Column, Table
from upperwick.market.models import BarBlock, DataVersion
from upperwick.market.packing import fits, unpack
from wickcore.bars.bars import FIELDS
from wickcore.bars.moment import clock

PROFILE = "https://datapackage.org/profiles/2.0/datapackage.json"
BLOCKS = 400  # put into one group of rows
_ARROW = {
    "text": pa.string(), "choice": pa.string(), "time": pa.string(), "day": pa.date32(), "number": pa.float64(), "above zero": pa.float64(),
    "truth": pa.bool_(),
}  # fmt: skip
_SCHEMA = {"text": "string", "choice": "string", "time": "string", "day": "date", "truth": "boolean"}  # Table Schema's names
Tell = Callable[[str, float], None]


def write_package(path: Path, text: bool = False, tell: Tell = lambda stage, share: None) -> dict[str, int]:
    """Writes everything that is stored of the market into a folder, or a zip by the path's ending. text: bars as CSV instead of Parquet.
    Returns the rows by resource. Raises PriceFileError where there is nothing, or the folder holds something."""
    if path.suffix.lower() == ".zip":
        import tempfile

        with tempfile.TemporaryDirectory(prefix="upperwick-", dir=path.parent) as room:
            counts = _write(Path(room), text, tell)
            part = path.with_name(path.name + ".part")
            with zipfile.ZipFile(part, "w", zipfile.ZIP_DEFLATED) as packed:
                for file in sorted(Path(room).iterdir()):
                    tell(f"Packing {file.name}", 0.95)
                    packed.write(file, file.name, zipfile.ZIP_STORED if file.suffix == ".parquet" else None)
            part.replace(path)
        return counts
    if path.exists() and any(path.iterdir() if path.is_dir() else [path]):
        raise PriceFileError(f"{path} holds something already; choose a new folder, or a name that ends in .zip.")
    path.mkdir(parents=True, exist_ok=True)
    return _write(path, text, tell)


def _write(folder: Path, text: bool, tell: Tell) -> dict[str, int]:
    resources, counts = [], {}
    frames = list(BarBlock.objects.order_by("frame").values_list("frame", flat=True).distinct())
    for frame in sorted(frames, key=["day", "5min"].index):
        name = f"bars-{frame}"
        file = folder / f"{name}.{'csv' if text else 'parquet'}"
        counts[name] = _write_bars(file, frame, lambda share, said=name: tell(f"Writing {said}", 0.8 * share))  # type: ignore[misc]
        resources.append(_resource(name, file, BARS))
    for table in TABLES.values():
        if table is BARS:
            continue
        tell(f"Writing {table.title.lower()}", 0.85)
        rows = stored_rows(table.name)
        if rows:
            file = folder / f"{table.name}.csv"
            pacsv.write_csv(_as_table(table, rows), file)
            counts[table.name] = len(rows)
            resources.append(_resource(table.name, file, table))
    if not resources:
        raise PriceFileError("There is nothing to export yet.")
    latest = DataVersion.objects.last()
    market = {"benchmark": latest.benchmark, "zone": latest.zone, "invented": latest.invented} if latest else {}
    said = {
        "$schema": PROFILE,
        "name": "market",
        "title": "A market, with all that is known of it",
        "market": market,
        "resources": resources,
    }
    (folder / PACKAGE).write_text(json.dumps(said, indent=2, ensure_ascii=False) + "\n", encoding="utf-8")
    return counts


def _resource(name: str, file: Path, table: Table) -> dict[str, Any]:
    schema = {
        "fields": [{"name": c.name, "type": _SCHEMA.get(c.kind, "number"), "description": c.about} for c in table.columns],
        "primaryKey": list(table.key),
    }
    kind = {"mediatype": "text/csv", "format": "csv"} if file.suffix == ".csv" else {
        "mediatype": "application/vnd.apache.parquet", "format": "parquet",
    }  # fmt: skip
    return {
        "name": name.replace("_", "-"),
        "type": "table",
        "path": file.name,
        **kind,
        "description": table.about,
        "schema": schema,
    }


def _as_table(table: Table, rows: list[dict[str, Any]]) -> pa.Table:
    return pa.table({c.name: _column(c, [row.get(c.name) for row in rows]) for c in table.columns})


def _column(column: Column, values: list[Any]) -> pa.Array:
    if column.name in DAYS:
        return pa.array(values, pa.int32()).cast(pa.date32())
    if column.kind == "text":  # what a table of numbers would take for a formula stays a text here: this is for machines
        values = [v if v != "" else None for v in values]
    return pa.array(values, _ARROW[column.kind])


def _write_bars(file: Path, frame: str, tell: Callable[[float], None]) -> int:
    stored = BarBlock.objects.filter(frame=frame).order_by("instrument__symbol", "year", "part")
    names = ["symbol", "date", *(["time"] if frame != "day" else []), *FIELDS, "ratio"]
    schema = pa.schema([(name, _ARROW[BARS.column(name).kind]) for name in names])
    total, rows, done = stored.count(), 0, 0
    part = file.with_name(file.name + ".part")
    writer = (pq.ParquetWriter if file.suffix == ".parquet" else pacsv.CSVWriter)(part, schema)
    with writer:
        for tables in _groups(stored.values_list("instrument__symbol", "checksum", "content__data").iterator(BLOCKS)):
            tell(done / max(total, 1))
            made = pa.concat_tables([_bars(symbol, data, schema) for symbol, data in tables])
            writer.write_table(made)
            rows, done = rows + made.num_rows, done + len(tables)
    part.replace(file)
    return rows


def _groups(blocks: Iterator[tuple[str, str, bytes]]) -> Iterator[list[tuple[str, bytes]]]:
    """The blocks that can be read, some at a time."""
    group: list[tuple[str, bytes]] = []
    for symbol, checksum, data in blocks:
        if fits(checksum, data):
            group.append((symbol, data))
        if len(group) == BLOCKS:
            yield group
            group = []
    if group:
        yield group


def _bars(symbol: str, data: bytes, schema: pa.Schema) -> pa.Table:
    table = unpack(data)
    size = len(table["days"])
    columns: dict[str, Any] = {"symbol": pa.array([symbol] * size), "date": pa.array(table["days"], pa.int32()).cast(pa.date32())}
    if "minute" in table:
        columns["time"] = pa.array([clock(m) for m in table["minute"].tolist()])
    columns |= {name: table[name] for name in FIELDS}
    ratio = table.get("ratio")
    columns["ratio"] = pa.nulls(size, pa.float64()) if ratio is None else pa.array(ratio, mask=np.isnan(ratio))
    return pa.table({name: columns[name] for name in schema.names}, schema)
