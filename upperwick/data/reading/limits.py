"""How much is read at once, counted before it is read: a small file may unpack to more than any machine has."""

from dataclasses import dataclass
from pathlib import Path, PurePosixPath
from typing import Any
from zipfile import ZipFile

import pyarrow as pa
import pyarrow.parquet as pq

from upperwick.data.reading.endings import PARQUET

MAX_ROWS, MAX_CELLS = 30_000_000, 400_000_000
MAX_COLUMNS, MAX_ROW_GROUPS = 5_000, 100_000
MAX_FILES, MAX_UNPACKED = 20_000, 4_000_000_000
MAX_LINE = 1 << 20  # bytes of the first line
COUNTED_FROM = 16 << 20  # bytes of a text; a shorter one cannot hold too much
PIECE = 1 << 22


class TooMuch(ValueError):
    """More than is read at once. The message goes on after the file's name."""


@dataclass(slots=True)
class Tally:
    """What the files of one reading hold so far."""

    rows: int = 0
    cells: int = 0

    def add(self, rows: int, columns: int) -> None:
        """Raises TooMuch."""
        if columns > MAX_COLUMNS:
            raise TooMuch(f"has {columns:,} columns; at most {MAX_COLUMNS:,} are read")
        if rows > MAX_ROWS or rows * columns > MAX_CELLS:
            raise TooMuch(f"holds {rows:,} rows of {columns:,} columns; at most {MAX_ROWS:,} rows are read at once, so split it")
        if self.rows + rows > MAX_ROWS or self.cells + rows * columns > MAX_CELLS:
            raise TooMuch(f"is one too many: the files hold over {MAX_ROWS:,} rows together; read them in several goes")
        self.rows += rows
        self.cells += rows * columns


def count_columnar(file: Path, tally: Tally) -> None:
    """Counts a Parquet file by its footer, or an Arrow file batch by batch. Raises TooMuch, and what the file's own errors are."""
    if file.suffix.lower() in PARQUET:
        metadata = pq.read_metadata(file)
        if metadata.num_row_groups > MAX_ROW_GROUPS:
            raise TooMuch(f"has {metadata.num_row_groups:,} row groups; at most {MAX_ROW_GROUPS:,} are read")
        tally.add(metadata.num_rows, metadata.num_columns)
        return
    rows = 0
    with pa.memory_map(str(file)) as source:
        for batch in _batches(source):
            rows += batch.num_rows
            Tally().add(rows, batch.num_columns)
            columns = batch.num_columns
    if rows:
        tally.add(rows, columns)


def _batches(source: Any) -> Any:
    try:
        reader = pa.ipc.open_file(source)
    except pa.ArrowInvalid:  # Arrow's stream form
        source.seek(0)
        yield from pa.ipc.open_stream(source)
        return
    for at in range(reader.num_record_batches):
        yield reader.get_batch(at)


def count_text(file: Path, columns: int, tally: Tally) -> bool:
    """Counts the lines of a text that is long. Returns whether it was; a short one is counted when it is read. Raises TooMuch."""
    if file.stat().st_size < COUNTED_FROM:
        tally.add(0, columns)
        return False
    lines = returns = 0
    with file.open("rb") as text:
        while piece := text.read(PIECE):
            lines += piece.count(b"\n")
            returns += piece.count(b"\r")
    tally.add(max(lines, returns), columns)
    return True


def unpack(packed: ZipFile, room: Path) -> None:
    """Unpacks a zip, counting what really comes out of it. Raises TooMuch."""
    parts = packed.infolist()
    size = sum(part.file_size for part in parts)
    if len(parts) > MAX_FILES or size > MAX_UNPACKED:
        raise TooMuch(
            f"unpacks to {len(parts):,} files of {size / 1e9:.1f} GB; at most {MAX_FILES:,} and {MAX_UNPACKED / 1e9:.0f} GB are taken at once"
        )
    left = MAX_UNPACKED
    for part in parts:
        if part.is_dir():
            packed.extract(part, room)
        else:
            left -= _extract(packed, part, room, left)


def _extract(packed: ZipFile, part: Any, room: Path, left: int) -> int:
    """Writes one of its files where `ZipFile.extract` would. Returns its bytes."""
    inside = PurePosixPath(part.filename.replace("\\", "/"))
    if inside.is_absolute() or ".." in inside.parts:
        raise TooMuch(f"holds a file outside its own folder: {part.filename[:80]}")
    target = room / inside
    target.parent.mkdir(parents=True, exist_ok=True)
    written = 0
    with packed.open(part) as source, target.open("wb") as sink:
        while piece := source.read(PIECE):
            written += len(piece)
            if written > left:
                raise TooMuch(f"unpacks to more than {MAX_UNPACKED / 1e9:.0f} GB")
            sink.write(piece)
    return written
