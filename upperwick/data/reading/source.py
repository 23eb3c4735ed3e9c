"""Opens a CSV, Parquet or Arrow file as a table of cells, or says in a sentence why it cannot be read.

Of a text, the encoding, the delimiter, the heading row and the notes above and below the table are inferred from its first and last lines.
"""

import csv
import io
import re
from collections import Counter
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any

import pyarrow as pa
import pyarrow.csv as pacsv
import pyarrow.parquet as pq

from upperwick.data.reading.endings import ARROW, COLUMNAR, PARQUET
from upperwick.data.reading.formats import is_day, is_number
from upperwick.data.reading.limits import MAX_COLUMNS, MAX_LINE, Tally, TooMuch, count_columnar, count_text

SAMPLE_BYTES, SAMPLE_LINES = 65_536, 60  # of a text: what its layout is inferred from
MAX_HEADING = 65_536  # bytes of a heading that is compared with another file's
DELIMITERS = "\t;|,"
_SIGNATURES = {b"PK\x03\x04": "a zip or a spreadsheet", b"\x1f\x8b": "a gzip", b"%PDF": "a PDF", b"\xff\xfe\x00\x00": "UTF-32"}
_NOTE = re.compile(
    r"^\W*(total|sum|rows?|records?|count|end|eof|source|copyright|generated|exported|note|disclaimer|all |as of|"
    r"summe|gesamt|ende|quelle|somme|fin|"
    r"suma|totale|totaal)\b|^\s*(#|--|//|©)",
    re.I,
)


class PriceFileError(ValueError):
    """A file that cannot be read at all. The message says which and why."""


@dataclass(frozen=True, slots=True)
class Layout:
    """How a text is laid out. skip: lines before the first row of data. headed: whether `names` are the file's own headings. notes: lines above
    the table that are not part of it."""

    encoding: str
    delimiter: str
    skip: int
    names: tuple[str, ...]
    headed: bool
    notes: tuple[str, ...] = ()


@dataclass(slots=True)
class Source:
    """A file's cells. skipped: lines with another number of cells than the heading, with the reason. notes: lines around the
    table that were left
    out. layout: None for Parquet and Arrow."""

    file: Path
    table: pa.Table
    layout: Layout | None = None
    skipped: list[tuple[int, str]] = field(default_factory=list)
    notes: list[str] = field(default_factory=list)
    _lines: list[int] | None = None

    @property
    def headed(self) -> bool:
        return self.layout is None or self.layout.headed

    def line_of(self, row: int) -> int:
        """The line of a row in the file, for messages; worked out only when a row is bad."""
        if self.layout is None:
            return row + 1
        if self._lines is None:
            left_out = {line for line, _ in self.skipped}
            self._lines = [line for line in _filled_lines(self.file, self.layout) if line not in left_out]
        return self._lines[row] if row < len(self._lines) else row + self.layout.skip + 1


def open_source(file: Path, like: Source | None = None, tally: Tally | None = None) -> Source:
    """Opens a file, counted first. tally: of the files that are read with it. like: a file that was opened before: where both begin with the
    same line, they are laid out alike. Raises PriceFileError."""
    tally = tally or Tally()
    try:
        if file.suffix.lower() in COLUMNAR:
            count_columnar(file, tally)
            return Source(file, _columnar(file))
        layout = (_same_layout(file, like) if like is not None else None) or _layout_of(file)
        counted = count_text(file, len(layout.names), tally)
        source = _read_text(file, layout)
        if not counted:
            tally.add(source.table.num_rows, source.table.num_columns)
        return source
    except TooMuch as error:
        raise PriceFileError(f"{file} {error}.") from None
    except MemoryError:
        raise
    except (pa.ArrowException, OSError, UnicodeError, csv.Error) as error:
        reason = (str(error).splitlines() or [type(error).__name__])[0]
        raise PriceFileError(f"{file} cannot be read: {reason}") from None


def _columnar(file: Path) -> pa.Table:
    if file.suffix.lower() in PARQUET:
        return pq.read_table(file)
    assert file.suffix.lower() in ARROW
    with pa.memory_map(str(file)) as source:
        try:
            return pa.ipc.open_file(source).read_all()
        except pa.ArrowInvalid:  # Arrow's stream form
            source.seek(0)
            return pa.ipc.open_stream(source).read_all()


# -- texts -----------------------------------------------------------------------------------------------------------


def _encoding_of(file: Path, head: bytes) -> str:
    """The encoding of a text: by its byte-order mark, UTF-8, or the one of older spreadsheets. Raises PriceFileError."""
    for signature, what in _SIGNATURES.items():
        if head.startswith(signature):
            raise PriceFileError(f"{file} is {what}, where a CSV text or Parquet is expected; save it as that.")
    if head.startswith((b"\xff\xfe", b"\xfe\xff")):
        return "utf-16"
    if b"\0" in head:
        raise PriceFileError(f"{file} is not a text: it holds bytes that no text has.")
    decoder = "utf-8-sig" if head.startswith(b"\xef\xbb\xbf") else "utf-8"
    try:
        # A character may be cut in two at the end of the sample.
        head[: head.rfind(b"\n") + 1 or len(head)].decode(decoder)
        return decoder
    except UnicodeDecodeError:
        return "cp1252"


def _same_layout(file: Path, like: Source) -> Layout | None:
    """The layout of another file, where both are texts whose heading is their first line, and the same."""
    layout = like.layout
    if layout is None or not layout.headed or layout.skip != 1 or layout.encoding != "utf-8":
        return None
    with file.open("rb") as mine, like.file.open("rb") as theirs:
        lines = mine.readline(MAX_HEADING), theirs.readline(MAX_HEADING)
    return layout if lines[0] == lines[1] and lines[0].endswith(b"\n") and b"\r" not in lines[0].rstrip(b"\r\n") else None


def _layout_of(file: Path) -> Layout:
    with file.open("rb") as begin:
        head = begin.read(SAMPLE_BYTES)
        if len(head) == SAMPLE_BYTES and not re.search(rb"[\r\n]", head):
            head += begin.read(MAX_LINE - SAMPLE_BYTES)
            if len(head) == MAX_LINE and not re.search(rb"[\r\n]", head):
                raise PriceFileError(f"{file} is no table: its first line is over a megabyte long.")
    if not head.strip(b"\r\n\t \0\xef\xbb\xbf\xff\xfe"):
        raise PriceFileError(f"{file} is empty.")
    encoding = _encoding_of(file, head)
    text = head.decode(encoding, "replace" if len(head) >= SAMPLE_BYTES or encoding == "utf-16" else "strict")
    return layout_of_text(text, encoding, str(file))


def layout_of_text(text: str, encoding: str = "utf-8", name: str = "The text") -> Layout:
    """The layout of a text, from its first lines. Raises PriceFileError."""
    text = text.replace("\r\n", "\n").replace("\r", "\n")
    declared = re.match(r"sep=([,;|\t])\n", text, re.I)  # a line that spreadsheets read
    body = text[declared.end() :] if declared else text
    rows_by_delimiter = {d: _rows(body, d) for d in (declared[1] if declared else DELIMITERS)}
    delimiter = max(rows_by_delimiter, key=lambda d: (_regularity(rows_by_delimiter[d]), -DELIMITERS.index(d)))
    rows = rows_by_delimiter[delimiter]
    filled = [(line, cells) for line, cells in rows if any(c.strip() for c in cells)]
    if not filled:
        raise PriceFileError(f"{name} is empty, or no table.")
    width = _width(filled)
    if width > MAX_COLUMNS:
        raise PriceFileError(f"{name} has {width:,} columns; at most {MAX_COLUMNS:,} are read.")
    data_at = next((i for i, (_, cells) in enumerate(filled) if len(cells) == width and _is_data(cells)), None)
    heading = _heading_index(filled, width, data_at)
    above = [_joined(cells) for _, cells in filled[: heading if heading is not None else data_at]]
    before = 1 if declared else 0
    if heading is None:
        assert data_at is not None
        skip = filled[data_at - 1][0] if data_at else 0
        return Layout(encoding, delimiter, skip + before, tuple(f"Column {i + 1}" for i in range(width)), False, tuple(above))
    line, cells = filled[heading]
    names = [c.strip().strip("\ufeff") for c in cells]
    names = [*names, *[""] * (width - len(names))] if len(names) < width else names[: max(width, _last_named(names))]
    return Layout(encoding, delimiter, line + before, tuple(names), True, tuple(above))


def _last_named(names: list[str]) -> int:
    return max((i + 1 for i, n in enumerate(names) if n), default=0)


def _rows(text: str, delimiter: str) -> list[tuple[int, list[str]]]:
    """The first rows, each with the number of its last line."""
    reader = csv.reader(io.StringIO(text, newline=""), delimiter=delimiter)
    rows = []
    try:
        for cells in reader:
            rows.append((reader.line_num, cells))
            if len(rows) == SAMPLE_LINES:
                break
    except csv.Error:  # by this delimiter it is no table
        return rows
    return rows


def _regularity(rows: list[tuple[int, list[str]]]) -> tuple[float, int]:
    """How regular the rows are under a delimiter: the share that has the most usual number of cells, more than one; and that number."""
    counts = Counter(len(cells) for _, cells in rows if any(c.strip() for c in cells))
    several = {n: times for n, times in counts.items() if n > 1}
    if not several:
        return 0.0, 0
    width = max(several, key=lambda n: (several[n], n))
    return several[width] / counts.total(), width


def _width(filled: list[tuple[int, list[str]]]) -> int:
    # The last row of the sample may be cut off.
    counts = Counter(len(cells) for _, cells in (filled[:-1] if len(filled) > 2 else filled))
    several = {n: times for n, times in counts.items() if n > 1} or counts
    return max(several, key=lambda n: (several[n], n))


def _is_data(cells: list[str]) -> bool:
    """Whether a row holds values: at least a third of its cells are numbers or dates."""
    values = sum(is_number(c) or is_day(c) for c in cells)
    return values >= max(1, len([c for c in cells if c.strip()]) / 3)


def _heading_index(filled: list[tuple[int, list[str]]], width: int, data_at: int | None) -> int | None:
    """Which of the filled rows is the heading; None where the text has none."""
    if data_at is None:
        return next((i for i, (_, cells) in enumerate(filled) if len(cells) == width), 0)
    if data_at == 0:
        return None
    cells = filled[data_at - 1][1]
    while len(cells) > width and not cells[-1].strip():
        cells = cells[:-1]
    near = len(cells) in (width, width - 1) and len([c for c in cells if c.strip()]) >= min(2, width)
    return data_at - 1 if near and not _is_data(cells) else None


def _joined(cells: list[str]) -> str:
    return " ".join(c.strip() for c in cells if c.strip())[:200]


def _read_text(file: Path, layout: Layout) -> Source:
    width = len(layout.names)
    bad: list[tuple[int, int, str]] = []

    def invalid(row: Any) -> str:
        bad.append((row.number or 0, row.actual_columns, row.text or ""))
        return "skip"

    keys = [str(i) for i in range(width)]
    try:
        table = pacsv.read_csv(
            file,
            read_options=pacsv.ReadOptions(
                column_names=keys, skip_rows=layout.skip, use_threads=False, encoding=layout.encoding.removesuffix("-sig")
            ),
            parse_options=pacsv.ParseOptions(delimiter=layout.delimiter, invalid_row_handler=invalid, newlines_in_values=True),
            convert_options=pacsv.ConvertOptions(column_types=dict.fromkeys(keys, pa.string()), strings_can_be_null=False),
        )
    except pa.ArrowInvalid as error:
        if "UTF8" in str(error) and layout.encoding in ("utf-8", "utf-8-sig"):  # further down than the sample
            return _read_text(file, replace(layout, encoding="cp1252"))
        if "Empty CSV file" in str(error):
            table = pa.table({key: pa.array([], pa.string()) for key in keys})
        else:
            raise
    source = Source(file, table.rename_columns(list(layout.names)), layout, notes=list(layout.notes))
    if bad:
        _sort_out(source, bad, width)
    return source


def _sort_out(source: Source, bad: list[tuple[int, int, str]], width: int) -> None:
    """Rows of another width: notes where they stand below the table, else bad rows."""
    assert source.layout is not None
    lines = _filled_lines(source.file, source.layout)
    total = source.table.num_rows + len(bad)
    numbers = {number for number, _, _ in bad}
    last_good = max(
        (n for n in range(layout_first(source.layout), layout_first(source.layout) + total) if n not in numbers), default=0
    )
    torn = _is_torn(source.file)
    for number, cells, text in bad:
        at = number - layout_first(source.layout)
        line = lines[at] if at < len(lines) else number
        is_last = at == total - 1
        if number > last_good and _is_note(text, source.layout.delimiter) and not (torn and is_last):
            source.notes.append(text.strip()[:200])
            source.skipped.append((line, ""))
        else:
            cut = "; the file seems to be cut off here" if torn and is_last else ""
            source.skipped.append((line, f"{cells} columns where {width} are expected{cut}"))


def layout_first(layout: Layout) -> int:
    """The number that the reader gives to the first row of data."""
    return layout.skip + 1


def _is_note(text: str, delimiter: str) -> bool:
    filled = [c for c in text.split(delimiter) if c.strip()]
    return bool(_NOTE.match(text)) or (len(filled) == 1 and bool(re.search(r"[A-Za-z]{2,}[ :]", text)))


def _is_torn(file: Path) -> bool:
    """Whether the file ends in the middle of a line."""
    with file.open("rb") as end:
        end.seek(-1, io.SEEK_END)
        return end.read(1) not in (b"\n", b"\r", b"\0")


def _filled_lines(file: Path, layout: Layout) -> list[int]:
    """The numbers of the lines of data that are not empty."""
    with file.open(encoding=layout.encoding, errors="replace") as lines:
        return [i for i, line in enumerate(lines, 1) if i > layout.skip and line.strip()]
