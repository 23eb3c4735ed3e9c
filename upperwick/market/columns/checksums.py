"""Checksums of the files that columns are kept in: one a piece, compared when a process first reads a file, and in the background later."""

import json
from collections.abc import Callable, Iterable
from concurrent.futures import ThreadPoolExecutor
from mmap import ACCESS_READ, mmap
from pathlib import Path
from threading import Lock
from typing import Any
from zipfile import BadZipFile

import xxhash

from upperwick.base.files import write_whole

PIECE = 1 << 20  # bytes of one checksum
LABELS = "said.json"
# What reading a file that was cut, zeroed or written over may raise (numpy, zipfile, json).
UNREADABLE = (OSError, ValueError, KeyError, TypeError, EOFError, BadZipFile)
_intact: set[tuple[int, ...]] = set()  # files that this process has compared, as they were then
_lock = Lock()


class ColumnDamaged(OSError):
    """A file is not what was written."""

    def __init__(self, path: Path) -> None:
        super().__init__(f"{path.parent.name}/{path.name} on disk is not what was written there.")
        self.path, self.place = path, path.parent


def checksums_of(path: Path) -> list[int]:
    """The checksum of each piece of a file (XXH3, 64 bits)."""
    if not path.stat().st_size:
        return []
    with path.open("rb") as file, mmap(file.fileno(), 0, access=ACCESS_READ) as mapped, memoryview(mapped) as data:
        return [xxhash.xxh3_64_intdigest(data[at : at + PIECE]) for at in range(0, len(data), PIECE)]


def checksums_in(place: Path, names: Iterable[str]) -> dict[str, list[int]]:
    """Those of columns in a folder that this process has just written; it need not compare them again."""
    paths = [place / f"{name}.npy" for name in sorted(names)]
    with ThreadPoolExecutor(2) as pool:
        checksums = dict(zip((path.stem for path in paths), pool.map(checksums_of, paths), strict=True))
    with _lock:
        _intact.update(_state(path) for path in paths)
    return checksums


def ensure_intact(path: Path, checksums: list[int]) -> None:
    """Compares a file with its checksums, once a process. Raises ColumnDamaged."""
    state = _state(path)
    with _lock:
        if state in _intact:
            return
    if checksums_of(path) != checksums:
        raise ColumnDamaged(path)
    with _lock:
        _intact.add(state)


def _state(path: Path) -> tuple[int, ...]:
    """Tells a file, and whether it was written since; not its name, which changes with its folder's."""
    stat = path.stat()
    return stat.st_dev, stat.st_ino, stat.st_size, stat.st_mtime_ns


def write_labels(place: Path, labels: dict[str, Any]) -> None:
    """Writes what a folder of columns is of, with a checksum of its own."""
    write_whole(place / LABELS, json.dumps({"checksum": _of_labels(labels), "labels": labels}).encode())


def read_labels(place: Path) -> dict[str, Any]:
    """Raises one of UNREADABLE."""
    both = json.loads((place / LABELS).read_bytes())
    labels: dict[str, Any] = both["labels"]
    if both["checksum"] != _of_labels(labels):
        raise ColumnDamaged(place / LABELS)
    return labels


def _of_labels(labels: dict[str, Any]) -> int:
    return xxhash.xxh3_64_intdigest(json.dumps(labels).encode())


def damaged_in(place: Path, going_on: Callable[[], bool]) -> Path | None:
    """The first file of a folder of columns that is not what was written, whatever was compared before; None where all are, or it is not to go
    on."""
    try:
        labels = read_labels(place)
        for name, checksums in labels["checksums"].items():
            if not going_on():
                return None
            path = place / f"{name}.npy"
            if checksums_of(path) != checksums:
                return path
    except UNREADABLE:
        return place / LABELS if place.exists() else None
    return None
