"""The table of a frame that was made last, as it lies in its files, and copying from it."""

import os
import shutil
from pathlib import Path
from typing import Any, NamedTuple

import numpy as np

from upperwick.market.columns.checksums import UNREADABLE, ensure_intact, read_labels
from wickcore.bars.bars import FIELDS

FORMAT = 2  # of the files; others are made anew
AT_ONCE = 1_000  # parts that are written in one call: the system takes 1,024
FAR = 1_000  # bars between two runs that are not written in between


class Index(NamedTuple):
    """The blocks of a table in the order of its bars: ids, instruments' ids, spans, rows, contents, parts, and how their checksums begin."""

    id: Any
    owner: Any
    span: Any
    rows: Any
    content: Any
    part: Any
    checksum: Any


def intact_column(place: Path, name: str, labels: dict[str, Any]) -> Any:
    """A column that is kept in a folder. Raises ColumnDamaged, or one of UNREADABLE where it is not there."""
    path = place / f"{name}.npy"
    ensure_intact(path, labels["checksums"][name])
    # An empty file cannot be mapped.
    return np.asarray(np.load(path, mmap_mode="r" if path.stat().st_size > 1_000 else None))


def fresh(part: Path) -> Path:
    """An empty folder, whatever was there."""
    shutil.rmtree(part, ignore_errors=True)
    part.mkdir()
    return part


def stand(part: Path, place: Path) -> None:
    """Puts a folder in its place."""
    shutil.rmtree(place, ignore_errors=True)
    part.rename(place)


class Before:
    """The table that was made last of a frame. Its columns are opened, and compared with their checksums, as they are asked for."""

    def __init__(self, place: Path) -> None:
        self._place, self._labels = place, read_labels(place)
        self.name = place.name
        self.symbols: list[str] = self._labels["symbols"]
        self.holidays: list[int] = self._labels["calendar"]["holidays"]
        with np.load(place / "blocks.npz") as stored:
            self.index = Index(*(stored[name] for name in Index._fields))
            self.events = stored["events"]
        self.offsets = intact_column(place, "offsets", self._labels)
        self.begins = np.cumsum(self.index.rows) - self.index.rows
        self.names = ["days", *FIELDS, *(n for n in ("minute", "ratio") if n in self._labels["checksums"])]

    def column(self, name: str) -> Any:
        """One of `names`, or factor. Raises ColumnDamaged."""
        return intact_column(self._place, name, self._labels)

    @property
    def size(self) -> int:
        """Of all its columns, in bytes."""
        return sum((self._place / f"{name}.npy").stat().st_size for name in (*self.names, "factor"))

    def is_still(self, source: Any, symbols: list[str], events: Any, holidays: frozenset[int]) -> bool:
        """Whether a table of those blocks, instruments, splits, dividends and holidays is this one."""
        same = self.symbols == symbols and np.array_equal(self.events, events) and self.holidays == sorted(holidays)
        return same and len(source) == len(self.index.rows) and bool((source == self.begins).all())


def before_of(folder: Path, frame: str) -> Before | None:
    made = [p for p in folder.glob(f"{frame}-v{FORMAT}-*") if p.suffix != ".part"]
    made.sort(key=lambda p: p.stat().st_mtime_ns)
    while made:
        try:
            return Before(made.pop())
        except UNREADABLE:
            continue
    return None


def runs_of(rows: Any, source: Any) -> list[list[int]]:
    """What of blocks of so many rows the table before has, in as long runs as there are: (place, place there, rows). source: where they begin
    there; -1 for those it has not."""
    if not len(rows):
        return []
    begins = np.cumsum(rows) - rows
    goes_on = np.zeros(len(source), np.bool_)
    goes_on[1:] = (source[1:] >= 0) & (source[:-1] >= 0) & (source[1:] == source[:-1] + rows[:-1])
    first = np.flatnonzero(~goes_on)
    last = np.append(first[1:], len(source)) - 1
    lengths = begins[last] + rows[last] - begins[first]
    there = source[first] >= 0
    found: list[list[int]] = np.column_stack([begins[first], source[first], lengths])[there].tolist()
    return found


def copy_runs(old: Any, new: Any, runs: list[list[int]]) -> None:
    """Copies runs of (place, where in the old column, rows), in the order of their places. Written to the file, hundreds in one call, with
    nothing between them where bars are new: through its pages as they come into memory, each would be cleared first, by one thread at a time."""
    if not isinstance(new, np.memmap) or new.filename is None:
        for to, at, rows in runs:
            new[to : to + rows] = old[at : at + rows]
        return
    size, bytes_of = new.itemsize, np.ascontiguousarray(old, new.dtype).view(np.uint8).data
    file = os.open(new.filename, os.O_WRONLY)
    try:
        parts: list[Any] = []
        place = end = 0
        for to, at, rows in runs:
            if len(parts) >= AT_ONCE or to - end > FAR:
                _write(file, parts, new.offset + place * size)
                parts = []
            if parts:
                parts.append(bytes((to - end) * size))
            else:
                place = to
            parts.append(bytes_of[at * size : (at + rows) * size])
            end = to + rows
        _write(file, parts, new.offset + place * size)
    finally:
        os.close(file)


def _write(file: int, parts: list[Any], place: int) -> None:
    while parts:
        written = os.pwritev(file, parts, place)
        place += written
        while parts and written >= len(parts[0]):
            written -= len(parts.pop(0))
        if parts:
            parts[0] = memoryview(parts[0])[written:]
