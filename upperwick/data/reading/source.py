"""A CSV, Parquet or Arrow file as a table, or a sentence that says why it is none."""

import csv
from pathlib import Path
from typing import Any

import pyarrow as pa
import pyarrow.csv as pacsv
import pyarrow.parquet as pq

from upperwick.data.reading.endings import ARROW, PARQUET

LOOKED_AT = 65_536  # bytes of a file by which it is known for a text
_OTHERS = {b"\xff\xfe": "UTF-16", b"\xfe\xff": "UTF-16", b"PK\x03\x04": "a zip", b"\x1f\x8b": "a gzip", b"%PDF": "a PDF"}


class PriceFileError(ValueError):
    """A file that cannot be read as prices at all; the message says which and why."""


def opened(file: Path) -> tuple[pa.Table, list[tuple[int, str]]]:
    """The file's rows, and those that have another number of columns than its head: (line, reason). Raises PriceFileError."""
    try:
        return _read(file)
    except (pa.ArrowException, OSError, UnicodeDecodeError) as error:
        raise PriceFileError(f"{file} cannot be read: {str(error).splitlines()[0]}") from None


def _check_text(file: Path) -> None:
    with file.open("rb") as begin:
        head = begin.read(LOOKED_AT)
    for mark, what in _OTHERS.items():
        if head.startswith(mark):
            raise PriceFileError(f"{file} is {what}, where a text in UTF-8 (or Parquet) is expected; save it as that.")
    # What is cut off at the end may be the beginning of a character.
    try:
        head.decode("utf-8")
        torn = None
    except UnicodeDecodeError as error:
        torn = error.start if error.start < len(head) - 4 else None
    if b"\0" in head:
        raise PriceFileError(f"{file} is no text: it holds bytes that no text has.")
    if torn is not None:
        line = head[:torn].count(b"\n") + 1
        raise PriceFileError(f"{file} is no text in UTF-8 (line {line}); save it in that encoding.")


def _read(file: Path) -> tuple[pa.Table, list[tuple[int, str]]]:
    if file.suffix.lower() in PARQUET:
        return pq.read_table(file), []
    if file.suffix.lower() in ARROW:
        with pa.memory_map(str(file)) as source:
            try:
                return pa.ipc.open_file(source).read_all(), []
            except pa.ArrowInvalid:  # the other of Arrow's two forms
                source.seek(0)
                return pa.ipc.open_stream(source).read_all(), []
    _check_text(file)
    skipped: list[tuple[int, str]] = []

    def invalid(row: Any) -> str:
        skipped.append((row.number or 0, f"{row.actual_columns} columns where {row.expected_columns} are expected"))
        return "skip"

    with file.open("rb") as head:
        header = head.readline().decode("utf-8-sig", "replace").strip()
    if not header:
        raise PriceFileError(f"{file} is empty.")
    delimiter = max(",;\t", key=header.count)
    # The head as RFC 4180 has it: a heading in quotes may hold the sign that separates.
    names = [name.strip() for name in next(csv.reader([header], delimiter=delimiter), [])]
    table = pacsv.read_csv(
        file,
        read_options=pacsv.ReadOptions(column_names=names, skip_rows=1, use_threads=False),
        parse_options=pacsv.ParseOptions(delimiter=delimiter, invalid_row_handler=invalid, newlines_in_values=True),
        convert_options=pacsv.ConvertOptions(column_types=dict.fromkeys(names, pa.string()), strings_can_be_null=False),
    )
    return table, skipped
