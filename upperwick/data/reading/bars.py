"""Prices from CSV and Parquet files, checked row by row, and back into them."""

import re
from collections.abc import Iterable, Iterator
from dataclasses import dataclass, field, replace
from datetime import date, timedelta
from pathlib import Path
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
import pyarrow.csv as pacsv
import pyarrow.parquet as pq

from upperwick.data.reading.answers import Answers
from upperwick.data.reading.endings import PARQUET, PRICE_FILES
from upperwick.data.reading.formats import UNKNOWN
from upperwick.data.reading.grouping import grouped
from upperwick.data.reading.infer import infer
from upperwick.data.reading.inference import Inference, without_questions
from upperwick.data.reading.source import PriceFileError, open_source
from upperwick.data.reading.symbols import wrong_symbol
from wickcore.bars.merge import Table, merge
from wickcore.bars.moment import CLOSE, Moment, iso, keys, of_key, read_moment, to_day

FIRST_DAY = to_day(date(1600, 1, 1))  # shares have been traded since 1602
NUMBERS = ("open", "high", "low", "close", "volume")
_NUMBER = r"^[+-]?(\d+\.?\d*|\.\d+)([eE][+-]?\d+)?$"


@dataclass(frozen=True, slots=True)
class BadRow:
    file: str
    line: int
    reason: str

    def __str__(self) -> str:
        return f"{self.file}, line {self.line}: {self.reason}"


@dataclass(slots=True)
class PriceTables:
    """tables: by frame (`day`, `5min`), then by symbol: columns `days` (int32 since 1970), `minute` (int32, of the day; five-minute bars
    only), prices, volume (NaN where it is unknown), perhaps `ratio` (adjusted close over close), ascending. bad: rows left out. unknown_volumes:
    how many bars come without a volume. repeated: bars that an earlier file of the same layout held too; the later one's are taken."""

    tables: dict[str, dict[str, Table]] = field(default_factory=dict)
    bad: list[BadRow] = field(default_factory=list)
    rows: int = 0
    any_date: bool = False
    unknown_volumes: int = 0
    repeated: int = 0


def read_prices(paths: Path | Iterable[Path], any_date: bool = False, answers: Answers | None = None) -> PriceTables:
    """Reads files, or folders of one file a symbol, in turn; where two hold the same bar, the later one's counts.

    Columns symbol, date, open, high, low, close, volume in any order and case, rows in any order, optionally adj_close; a file without
    `symbol` takes its own name for it. Other headings are inferred (see `infer`). With a column `time` (HH:MM, the bar's
    beginning), or with dates that have one, the bars are of
    five minutes. any_date: also dates before there were markets, or after next week. Raises PriceFileError when there is nothing to read, or
    something can be read two ways that `answers` do not decide.
    """
    asked = [paths] if isinstance(paths, Path) else list(paths)
    found = PriceTables(any_date=any_date)
    for group in grouped(open_source(file) for file in files_in(asked)):
        take_bars(without_questions(infer(group, replace(answers or Answers(), table="bars"))), found)
    if not found.tables and not found.bad:
        raise PriceFileError(f"{' and '.join(map(str, asked))} holds no rows.")
    return found


def files_in(paths: Iterable[Path]) -> list[Path]:
    """The files, and those of the folders. Raises PriceFileError for one that is not there, or a folder that holds none."""
    found = []
    for path in paths:
        if not path.exists():
            raise PriceFileError(f"There is no file or folder {path}.")
        files = sorted(p for p in path.iterdir() if p.suffix.lower() in PRICE_FILES) if path.is_dir() else [path]
        if not files:
            raise PriceFileError(f"The folder {path} holds no .csv, .parquet or .arrow file.")
        found += files
    return found


def take_bars(read: Inference, found: PriceTables, refuse_files: bool = False) -> None:
    """Adds the bars of files of one layout, each row checked. refuse_files: of a file with a bad row nothing is taken."""
    table, names = read.rows, read.rows.column_names
    for name in names:
        _check_kind(read.file, name, table[name].type)
    bad = [BadRow(s.file.name, line, reason) for s in read.sources for line, reason in s.skipped if reason]
    found.rows += table.num_rows
    if table.num_rows:
        bad += _take_rows(read, found, {row.file for row in bad} if refuse_files else None)
    found.bad += bad


def _take_rows(read: Inference, found: PriceTables, refused: set[str] | None) -> list[BadRow]:
    """Takes the rows that are good. refused: the names of files with a bad row, of which nothing is taken; None where all good rows are. Returns
    the bad ones."""
    table, names = read.rows, read.rows.column_names
    symbols = _texts(table["symbol"])
    problems: dict[int, str] = {}
    day, minute = _moments(table["date"], table["time"] if "time" in names else None, problems)
    if not found.any_date:
        _check_dates(day, problems)
    if minute is not None:
        _check_minutes(day, minute, problems)
    wanted = [*NUMBERS[:-1], *(name for name in ("volume", "adj_close", "ratio") if name in names)]
    numbers = {name: _numbers(table[name], name, problems) for name in wanted}
    numbers.setdefault("volume", np.full(table.num_rows, np.nan))
    if read.adjusted and "adj_close" not in numbers and "ratio" not in numbers:
        numbers["ratio"] = np.ones(table.num_rows)
    _check_values(numbers, problems)
    coded = symbols.dictionary_encode()
    codes = coded.indices.to_numpy(zero_copy_only=False)
    labels = coded.dictionary.to_pylist()
    for code, label in enumerate(labels):
        wrong = wrong_symbol(label)
        if wrong:
            problems.update(dict.fromkeys(np.flatnonzero(codes == code).tolist(), wrong))
    order = np.argsort(codes, kind="stable")
    edges = np.searchsorted(codes[order], np.arange(len(labels) + 1))
    moments = keys(day, CLOSE if minute is None else minute)
    starts = read.starts
    chosen = []
    good = np.ones(table.num_rows, np.bool_)
    good[list(problems)] = False
    for code in range(len(labels)):
        rows = order[edges[code] : edges[code + 1]]
        rows, again = _ascending(rows[good[rows]], moments, starts, problems)
        found.repeated += again
        chosen.append(rows)
    if refused is not None:
        names_of_files = [s.file.name for s in read.sources]
        refused |= {names_of_files[int(np.searchsorted(starts, row, "right")) - 1] for row in problems}
        if refused:
            keep = np.repeat([name not in refused for name in names_of_files], np.diff(starts))
            chosen = [rows[keep[rows]] for rows in chosen]
    columns = {"days": day, **({} if minute is None else {"minute": minute}), **numbers}
    for label, rows in zip(labels, chosen, strict=True):
        if len(rows):
            added = {name: column[rows] for name, column in columns.items()}
            if read.adjusted and len(rows) == 1:
                added.pop("ratio", None)  # the latest bar of adjusted prices is as printed: a split after it is still to come
            found.unknown_volumes += int(np.isnan(added["volume"]).sum())
            _add(found, label, added)
    bad = []
    for row, reason in sorted(problems.items()):
        source, line = read.place_of(row)
        bad.append(BadRow(source.file.name, line, reason))
    return bad


def _check_kind(file: Path, name: str, kind: pa.DataType) -> None:
    """Raises PriceFileError for a column whose values cannot be what its name says."""
    types = pa.types
    if types.is_dictionary(kind):
        kind = kind.value_type
    text = types.is_string(kind) or types.is_large_string(kind)
    if name in (*NUMBERS, "adj_close", "ratio"):
        fits = text or types.is_integer(kind) or types.is_floating(kind) or types.is_decimal(kind)
        wanted = "numbers"
    elif name == "date":
        fits, wanted = text or types.is_date(kind) or types.is_timestamp(kind), "dates"
    else:
        fits, wanted = text or types.is_binary(kind), "text"
    if not fits and not types.is_null(kind):
        raise PriceFileError(f"{file}: the column {name} holds {kind}, where {wanted} are expected.")


def _check_dates(day: Any, problems: dict[int, str]) -> None:
    last = to_day(date.today() + timedelta(days=7))
    for row in np.flatnonzero((day < FIRST_DAY) | (day > last)).tolist():
        where = "after next week" if day[row] > last else "before there were any markets"
        problems.setdefault(row, f"the date {iso(int(day[row]))} lies {where}; if it is meant, import with --any-date")


def _texts(column: pa.ChunkedArray) -> pa.Array:
    text = pc.utf8_trim_whitespace(pc.cast(column, pa.string()))
    filled = pc.fill_null(text, "").combine_chunks()
    return pa.concat_arrays(filled.chunks) if isinstance(filled, pa.ChunkedArray) else filled


def _moments(dates: pa.ChunkedArray, times: pa.ChunkedArray | None, problems: dict[int, str]) -> tuple[Any, Any]:
    """The day of each row, and its minute; None for the minutes where no row has one."""
    coded = _moment_texts(dates).dictionary_encode()
    read: list[Moment] = []
    for i, text in enumerate(coded.dictionary.to_pylist()):
        try:
            read.append(_moment(text))
        except ValueError as error:
            read.append(Moment(0))
            for row in np.flatnonzero(coded.indices.to_numpy(zero_copy_only=False) == i).tolist():
                problems[row] = str(error)
    codes = coded.indices.to_numpy(zero_copy_only=False)
    days = np.array([m.day for m in read], np.int32)[codes]
    minutes = np.array([m.minute for m in read], np.int32)[codes]
    if times is not None:
        minutes = _times(times, problems)
    else:
        good = np.ones(len(days), np.bool_)
        good[list(problems)] = False
        marks = np.unique(minutes[good])
        # Midnight is how some files write a day; others put the same hour to each, the close's mostly.
        if np.isin(marks, (0, CLOSE)).all() or (len(marks) == 1 and len(np.unique(days[good])) > 1):
            return days, None
    return days, minutes


def _moment_texts(column: pa.ChunkedArray) -> pa.Array:
    if pa.types.is_timestamp(column.type):
        return pc.strftime(column.combine_chunks(), format="%Y-%m-%dT%H:%M")
    if not pa.types.is_string(column.type):
        column = pc.cast(pc.cast(column, pa.date32()), pa.string())
    return _texts(column)


def _moment(text: str) -> Moment:
    if not text:
        raise ValueError("the date is missing")
    if re.search(r"(Z|[+-]\d\d:?\d\d)$", text[10:]):
        raise ValueError(f"the date `{text}` has an offset; times are to be the exchange's own, without one")
    try:
        return read_moment(text)
    except ValueError:
        raise ValueError(f"the date `{text}` is not of the form 2024-06-28") from None


def _times(column: pa.ChunkedArray, problems: dict[int, str]) -> Any:
    coded = _texts(column).dictionary_encode()
    known = np.zeros(len(coded.dictionary), np.int32)
    codes = coded.indices.to_numpy(zero_copy_only=False)
    for i, text in enumerate(coded.dictionary.to_pylist()):
        found = re.match(r"(\d{1,2}):(\d\d)(:00(\.0+)?)?$", text)
        if found and int(found[1]) < 24 and int(found[2]) < 60:
            known[i] = int(found[1]) * 60 + int(found[2])
        else:
            reason = f"the time `{text}` is not of the form 09:35" if text else "the time is missing"
            problems.update(dict.fromkeys(np.flatnonzero(codes == i).tolist(), reason))
    return known[codes]


def _check_minutes(day: Any, minute: Any, problems: dict[int, str]) -> None:
    """Bars within a day are of five minutes: each begins on such a mark, and they are not all further apart."""
    for row in np.flatnonzero((minute % 5 != 0) | (minute == CLOSE)).tolist():
        problems.setdefault(row, "the time is not on a five-minute mark" if minute[row] != CLOSE else "the time is missing")
    marks = np.unique(keys(day, minute))
    apart = np.diff(marks)[np.diff(marks) < CLOSE // 2]
    if len(apart) >= 3 and not problems and apart.min() > 5:
        raise PriceFileError(f"The bars are {int(apart.min())} minutes apart; bars of five minutes are needed.")


def _numbers(column: pa.ChunkedArray, name: str, problems: dict[int, str]) -> Any:
    if not pa.types.is_string(column.type):
        values = pc.fill_null(pc.cast(column, pa.float64(), safe=False), np.nan).to_numpy()
        bad = ~np.isfinite(values)
        texts = None
    else:
        texts = _texts(column)
        fits = pc.match_substring_regex(texts, _NUMBER)
        values = pc.cast(pc.if_else(fits, texts, "nan"), pa.float64()).to_numpy(zero_copy_only=False)
        bad = ~np.isfinite(values)
    for row in np.flatnonzero(bad).tolist():
        said = texts[row].as_py() if texts is not None else ""
        if name == "ratio" and not said:
            continue  # a market's own export leaves it out where it is unknown
        if name == "volume" and said.lower() in UNKNOWN:
            continue
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


def _ascending(rows: Any, key: Any, starts: Any, problems: dict[int, str]) -> tuple[Any, int]:
    """The rows in the order of their moments, and how many gave way. Of those with the same moment in one file the first is taken and the others
    are named; of those in several files the last file's is taken. starts: the first row of each file."""
    if len(rows) == 1:
        return rows, 0
    rows = rows[np.argsort(key[rows], kind="stable")]
    again = np.flatnonzero(np.diff(key[rows]) == 0) if len(rows) else np.empty(0, np.int64)
    if not len(again):
        return rows, 0
    files = np.searchsorted(starts, rows, "right")
    dropped = np.zeros(len(rows), np.bool_)
    replaced = 0
    for at in again.tolist():
        if files[at] == files[at + 1]:
            row = int(rows[at + 1])
            moment = of_key(key[row])
            problems[row] = f"the {'day' if moment.closed else 'moment'} {moment} stands twice"
            dropped[at + 1] = True
            files[at + 1] = files[at]
        else:
            dropped[at] = True
            replaced += 1
    return rows[~dropped], replaced


def _add(found: PriceTables, symbol: str, table: Table) -> None:
    if "adj_close" in table:
        table["ratio"] = table.pop("adj_close") / table["close"]
    if "ratio" in table and np.isnan(table["ratio"]).all():
        del table["ratio"]
    frame = "5min" if "minute" in table else "day"
    by_symbol = found.tables.setdefault(frame, {})
    by_symbol[symbol] = merge(by_symbol.get(symbol), table).table


def add_tables(into: PriceTables, more: PriceTables) -> None:
    """Adds bars that were read by themselves; where both hold the same bar, those that are added count."""
    for frame, by_symbol in more.tables.items():
        known = into.tables.setdefault(frame, {})
        for symbol, table in by_symbol.items():
            known[symbol] = merge(known.get(symbol), table).table
    into.bad += more.bad
    into.rows += more.rows
    into.unknown_volumes += more.unknown_volumes
    into.repeated += more.repeated


def write_prices(path: Path, rows: Iterator[pa.Table]) -> int:
    """Writes tables one after another as Parquet or, by the file's ending, CSV; returns the number of rows."""
    total, writer = 0, None
    temporary = path.with_name(path.name + ".part")
    try:
        for table in rows:
            if writer is None:
                make = pq.ParquetWriter if path.suffix.lower() in PARQUET else pacsv.CSVWriter
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
