"""Prices from CSV and Parquet files, checked row by row, and back into them."""

import re
from collections.abc import Iterator
from dataclasses import dataclass, field
from datetime import date
from pathlib import Path
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
import pyarrow.csv as pacsv
import pyarrow.parquet as pq

NUMBERS = ("open", "high", "low", "close", "volume")
_NUMBER = r"^[+-]?(\d+\.?\d*|\.\d+)([eE][+-]?\d+)?$"
_SUFFIXES = (".csv", ".txt", ".parquet", ".pq")


class PriceFileError(ValueError):
    """A file that cannot be read as prices at all; the message says which and why."""


@dataclass(frozen=True, slots=True)
class BadRow:
    file: str
    line: int
    reason: str

    def __str__(self) -> str:
        return f"{self.file}, line {self.line}: {self.reason}"


@dataclass(slots=True)
class PriceTables:
    """tables: columns by symbol (`days` int32 since 1970, prices, volume, perhaps `factor`), days ascending. bad: rows left out."""

    tables: dict[str, dict[str, Any]] = field(default_factory=dict)
    bad: list[BadRow] = field(default_factory=list)
    rows: int = 0


def read_prices(path: Path) -> PriceTables:
    """Reads a file, or a folder of one file a symbol.

    Columns symbol, date, open, high, low, close, volume in any order and case, optionally adj_close; a file without `symbol` takes
    its own name for it. Raises PriceFileError when there is nothing to read.
    """
    if not path.exists():
        raise PriceFileError(f"There is no file or folder {path}.")
    files = sorted(p for p in path.iterdir() if p.suffix.lower() in _SUFFIXES) if path.is_dir() else [path]
    if not files:
        raise PriceFileError(f"The folder {path} holds no .csv or .parquet file.")
    found = PriceTables()
    for file in files:
        _read_file(file, found)
    if not found.tables and not found.bad:
        raise PriceFileError(f"{path} holds no rows.")
    return found


def _read_file(file: Path, found: PriceTables) -> None:
    try:
        table, skipped = _arrow(file)
    except (pa.ArrowException, OSError, UnicodeDecodeError) as error:
        raise PriceFileError(f"{file} cannot be read: {str(error).splitlines()[0]}") from None
    names = [re.sub(r"[^a-z]+", "_", name.strip().strip("\ufeff").lower()).strip("_") for name in table.column_names]
    table = table.rename_columns(names)
    missing = [name for name in ("date", *NUMBERS) if name not in names]
    if missing:
        raise PriceFileError(f"{file} has no column {', '.join(missing)}; its columns are {', '.join(names) or 'none'}.")
    lines = _Lines(file, skipped)
    for number, reason in skipped:
        found.bad.append(BadRow(file.name, number, reason))
    found.rows += table.num_rows
    if not table.num_rows:
        return
    symbols = _texts(table["symbol"]) if "symbol" in names else pa.array([file.stem] * table.num_rows)
    problems: dict[int, str] = {}
    day = _days(table["date"], problems)
    wanted = [*NUMBERS, *(["adj_close"] if "adj_close" in names else [])]
    numbers = {name: _numbers(table[name], name, problems) for name in wanted}
    _check_values(numbers, problems)
    coded = symbols.dictionary_encode()
    codes = coded.indices.to_numpy(zero_copy_only=False)
    labels = coded.dictionary.to_pylist()
    for code, label in enumerate(labels):
        if not label:
            problems.update(dict.fromkeys(np.flatnonzero(codes == code).tolist(), "the symbol is missing"))
    good = np.ones(table.num_rows, np.bool_)
    good[list(problems)] = False
    order = np.argsort(codes, kind="stable")
    edges = np.searchsorted(codes[order], np.arange(len(labels) + 1))
    for code, label in enumerate(labels):
        rows = order[edges[code] : edges[code + 1]]
        rows = rows[good[rows]]
        rows = _ascending(rows, day, problems)
        if len(rows):
            _add(found, label, day[rows], {name: column[rows] for name, column in numbers.items()}, file)
    for row, reason in sorted(problems.items()):
        found.bad.append(BadRow(file.name, lines.of(row), reason))


def _arrow(file: Path) -> tuple[pa.Table, list[tuple[int, str]]]:
    if file.suffix.lower() in (".parquet", ".pq"):
        return pq.read_table(file), []
    skipped: list[tuple[int, str]] = []

    def invalid(row: Any) -> str:
        skipped.append((row.number or 0, f"{row.actual_columns} columns where {row.expected_columns} are expected"))
        return "skip"

    with file.open("rb") as head:
        header = head.readline().decode("utf-8-sig", "replace").strip()
    if not header:
        raise PriceFileError(f"{file} is empty.")
    delimiter = max(",;\t", key=header.count)
    names = [name.strip().strip('"') for name in header.split(delimiter)]
    table = pacsv.read_csv(
        file,
        read_options=pacsv.ReadOptions(column_names=names, skip_rows=1, use_threads=False),
        parse_options=pacsv.ParseOptions(delimiter=delimiter, invalid_row_handler=invalid),
        convert_options=pacsv.ConvertOptions(column_types=dict.fromkeys(names, pa.string()), strings_can_be_null=False),
    )
    return table, skipped


class _Lines:
    """Row numbers of a file to its line numbers, worked out only when a row is bad."""

    def __init__(self, file: Path, skipped: list[tuple[int, str]]) -> None:
        self.file, self.skipped = file, {number for number, _ in skipped}
        self._numbers: list[int] | None = None

    def of(self, row: int) -> int:
        if self.file.suffix.lower() in (".parquet", ".pq"):
            return row + 1
        if self._numbers is None:
            with self.file.open("rb") as lines:
                next(lines)
                self._numbers = [i for i, line in enumerate(lines, 2) if line.strip() and i not in self.skipped]
        return self._numbers[row]


def _texts(column: pa.ChunkedArray) -> pa.Array:
    text = pc.utf8_trim_whitespace(pc.cast(column, pa.string()))
    return pc.fill_null(text, "").combine_chunks()


def _days(column: pa.ChunkedArray, problems: dict[int, str]) -> Any:
    if not pa.types.is_string(column.type):
        column = pc.cast(pc.cast(column, pa.date32()), pa.string())
    coded = _texts(column).dictionary_encode()
    known = np.zeros(len(coded.dictionary), np.int64)
    wrong = {}
    for i, text in enumerate(coded.dictionary.to_pylist()):
        try:
            known[i] = date.fromisoformat(text[:10]).toordinal() - 719_163
        except ValueError:
            wrong[i] = f"the date `{text}` is not of the form 2024-06-28" if text else "the date is missing"
    codes = coded.indices.to_numpy(zero_copy_only=False)
    for i, reason in wrong.items():
        problems.update(dict.fromkeys(np.flatnonzero(codes == i).tolist(), reason))
    return known[codes].astype(np.int32)


def _numbers(column: pa.ChunkedArray, name: str, problems: dict[int, str]) -> Any:
    if not pa.types.is_string(column.type):
        values = pc.fill_null(pc.cast(column, pa.float64()), np.nan).to_numpy()
        bad = ~np.isfinite(values)
        texts = None
    else:
        texts = _texts(column)
        fits = pc.match_substring_regex(texts, _NUMBER)
        values = pc.cast(pc.if_else(fits, texts, "nan"), pa.float64()).to_numpy(zero_copy_only=False)
        bad = ~np.isfinite(values)
    for row in np.flatnonzero(bad).tolist():
        said = texts[row].as_py() if texts is not None else ""
        problems.setdefault(row, f"{name} `{said}` is not a number" if said else f"{name} is missing")
    return values


def _check_values(numbers: dict[str, Any], problems: dict[int, str]) -> None:
    with np.errstate(invalid="ignore"):
        checks = [
            (numbers["high"] < numbers["low"], "high is below low"),
            (numbers["volume"] < 0, "volume is negative"),
            *((numbers[n] < numbers["low"], f"{n} lies outside low and high") for n in ("open", "close")),
            *((numbers[n] > numbers["high"], f"{n} lies outside low and high") for n in ("open", "close")),
            *((numbers[n] <= 0, f"{n} is not above zero") for n in numbers if n != "volume"),
        ]
    for wrong, reason in checks:
        for row in np.flatnonzero(wrong).tolist():
            problems.setdefault(row, reason)


def _ascending(rows: Any, day: Any, problems: dict[int, str]) -> Any:
    """The rows whose day is later than every one before; the others are named."""
    if len(rows) < 2:
        return rows
    days = day[rows]
    latest = np.maximum.accumulate(days)
    late = np.concatenate([[False], days[1:] <= latest[:-1]])
    seen = set(days[~late].tolist()) if late.any() else set()
    for row in rows[late].tolist():
        when = date.fromordinal(int(day[row]) + 719_163)
        problems[row] = f"the day {when} stands twice" if int(day[row]) in seen else f"the day {when} comes after a later one"
        seen.add(int(day[row]))
    return rows[~late]


def _add(found: PriceTables, symbol: str, days: Any, numbers: dict[str, Any], file: Path) -> None:
    if symbol in found.tables:
        raise PriceFileError(f"{symbol} stands in two files; the second is {file}.")
    table = {"days": days, **{name: numbers[name] for name in NUMBERS}}
    if "adj_close" in numbers:
        ratio = numbers["adj_close"] / numbers["close"]
        table["factor"] = ratio / ratio[0]
    found.tables[symbol] = table


def iso(day: int) -> str:
    """A day since 1970 as 2024-06-28."""
    return str(np.datetime64(int(day), "D"))


def write_prices(path: Path, rows: Iterator[pa.Table]) -> int:
    """Writes tables one after another as Parquet or, by the file's ending, CSV; returns the number of rows."""
    total, writer = 0, None
    temporary = path.with_name(path.name + ".part")
    try:
        for table in rows:
            if writer is None:
                make = pq.ParquetWriter if path.suffix.lower() in (".parquet", ".pq") else pacsv.CSVWriter
                writer = make(temporary, table.schema)
            writer.write_table(table)
            total += table.num_rows
        if writer is None:
            raise PriceFileError("There are no bars to export.")
    finally:
        if writer is not None:
            writer.close()
    temporary.replace(path)
    return total
