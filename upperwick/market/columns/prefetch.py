"""Columns copied ahead: while an import is written, those of the table before are copied to where they will lie if it brings what it seems to
bring, bars that follow. Whether it did is looked at by whoever makes the table; if not, the copies are thrown away."""

import fcntl
import logging
import shutil
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager
from pathlib import Path
from threading import Event, Thread
from typing import Any

import numpy as np
from django.conf import settings

from upperwick.market.columns.checksums import UNREADABLE, checksums_in, ensure_intact, read_labels, write_labels
from upperwick.market.columns.previous import Before, before_of, copy_runs, fresh, runs_of
from wickcore.bars.bars import FIELDS
from wickcore.bars.merge import Table, table_keys

AHEAD = "ahead"  # the folder of what is copied
AT_LEAST = 1_000_000  # bars of a table; fewer are copied in no time
ROOM = 3  # times what is copied: as much has to be free
COPIED = ("factor", "days", *FIELDS)
_log = logging.getLogger("upperwick")


@contextmanager
def copying(tables: dict[str, dict[str, Table]]) -> Iterator[None]:
    """To be held while an import is taken. tables: its bars, by frame, then by symbol."""
    folder, written = Path(settings.DATA_DIR) / "columns", Event()
    for frame, given in tables.items():
        before = before_of(folder, frame) if given else None
        try:
            if before is None or before.offsets[-1] < AT_LEAST or not (rows := _rows_after(before, given)):
                continue
        except UNREADABLE:  # damaged: whoever makes the table finds that too, and reads all of it from the database
            continue
        # Never what an import itself may need the room for.
        if shutil.disk_usage(folder).free < ROOM * before.size:
            continue
        (folder / AHEAD).mkdir(exist_ok=True)
        held = (folder / AHEAD / f"{frame}.lock").open("w")
        try:
            fcntl.flock(held, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError:  # what the import before this one wanted is still being copied
            held.close()
            continue
        # Not for this import to wait for: whoever makes the table does.
        Thread(target=_copy, args=(held, folder / AHEAD / frame, before, rows, written), daemon=True).start()
    try:
        yield
    finally:
        written.set()


def copied_ahead(folder: Path, frame: str, part: Path, before: Before | None, runs: list[list[int]], bars: int) -> frozenset[str]:
    """Makes the folder of a new table, with the columns that were copied ahead for it. before, runs: what it is to be copied from, and which.
    bars: how many it will have. Returns the names of those columns."""
    shutil.rmtree(part, ignore_errors=True)
    if (folder / AHEAD).exists():
        with (folder / AHEAD / f"{frame}.lock").open("w") as held:
            fcntl.flock(held, fcntl.LOCK_EX)
            place = folder / AHEAD / frame
            if before is not None and _is_of(place, before, runs, bars):
                (place / "runs.npy").unlink()
                place.rename(part)
                return frozenset(COPIED)
            shutil.rmtree(place, ignore_errors=True)
    fresh(part)
    return frozenset()


def _rows_after(before: Before, given: dict[str, Table]) -> dict[int, int]:
    """How many bars of an import follow those of each instrument, by its number; none where not all do."""
    number = {symbol: k for k, symbol in enumerate(before.symbols)}
    if any(symbol not in number or "ratio" in table for symbol, table in given.items()) or "ratio" in before.names:
        return {}
    numbers = np.array([number[symbol] for symbol in given], np.int64)
    marks: list[str] = [name for name in ("days", "minute") if name in before.names]
    had = np.diff(before.offsets)[numbers] > 0
    last = {name: before.column(name)[before.offsets[1:][numbers[had]] - 1] for name in marks}
    first = {name: np.array([table[name][0] for table in given.values()])[had] for name in marks}
    if (table_keys(first) <= table_keys(last)).any():
        return {}
    return dict(zip(numbers.tolist(), (len(table["days"]) for table in given.values()), strict=True))


def _copy(held: Any, place: Path, before: Before, rows: dict[int, int], written: Event) -> None:
    """written: set once the import is, and leaves its processor to the copying."""
    with held:
        try:
            fresh(place)
            more = np.zeros(len(before.symbols), np.int64)
            more[list(rows)] = list(rows.values())
            # Each instrument as a block that is there and one that is not.
            blocks = np.column_stack([np.diff(before.offsets), more]).ravel()
            source = np.column_stack([before.offsets[:-1], np.full(len(more), -1)]).ravel()
            runs = runs_of(blocks[blocks > 0], source[blocks > 0])
            names = iter(COPIED)  # which both take from

            def work(_: bool) -> None:
                for name in names:
                    old = before.column(name)
                    copy_runs(old, np.lib.format.open_memmap(place / f"{name}.npy", "w+", old.dtype, (int(blocks.sum()),)), runs)

            with ThreadPoolExecutor(2) as pool:
                done = [pool.submit(work, True), pool.submit(lambda: work(written.wait()))]
                for one in done:
                    one.result()
            np.save(place / "runs.npy", np.array(runs, np.int64))
            checksums = checksums_in(place, [*COPIED, "runs"])
            write_labels(place, {"before": before.name, "bars": int(blocks.sum()), "checksums": checksums})
        except (*UNREADABLE, RuntimeError):  # a command may end meanwhile: then it is copied when the table is made
            _log.info("Columns could not be copied ahead.", exc_info=True)
            shutil.rmtree(place, ignore_errors=True)


def _is_of(place: Path, before: Before, runs: list[list[int]], bars: int) -> bool:
    try:
        labels = read_labels(place)
        if labels["before"] != before.name or labels["bars"] != bars:
            return False
        for name, checksums in labels["checksums"].items():
            ensure_intact(place / f"{name}.npy", checksums)
        return np.array_equal(np.load(place / "runs.npy"), np.array(runs, np.int64))
    except UNREADABLE:
        return False
