"""A frame's table as memory-mapped files: what the one before it has is copied, and the rest read from the database."""

import json
import os
import shutil
import zlib
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import Any, NamedTuple

import numpy as np
from django.db import connection

from upperwick.market.blocks import CHUNK, Columns
from upperwick.market.load import Events, calendar_of, factor_of, holidays_known
from upperwick.market.models import BarBlock, Instrument
from wickcore.bars.bars import FIELDS, Bars

FORMAT = 1  # of the files; others are made anew
MANY = 0.3  # of a table's bars: where more are new, all are read in one go


class Index(NamedTuple):
    """The blocks of a table in the order of its bars: their ids, instruments' ids, spans, rows, contents and how their checksums begin."""

    id: Any
    owner: Any
    span: Any
    rows: Any
    content: Any
    checksum: Any


def column(place: Path, name: str) -> Any:
    """A column that is kept in a folder."""
    path = place / f"{name}.npy"
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


def stored_index(frame: str) -> Index:
    """The blocks of a frame in the order of their instruments' ids, of their spans and parts."""
    # Nothing may be empty, which would be left out; bytes that are not there are found by who reads them.
    names = ("id", "instrument_id", "year", "rows", "coalesce(content_id, 0)", "part")
    whole = ", ".join(f"group_concat({name})" for name in names)
    with connection.cursor() as cursor:
        # A text a column instead of a row a block: of a hundred thousand rows, making them would take as long as the copying of their bars.
        cursor.execute(
            f"SELECT {whole}, group_concat(substr(checksum || '00000000', 1, 8), '') FROM {BarBlock._meta.db_table} WHERE frame = %s",
            [frame],
        )
        *texts, checksums = cursor.fetchone()
    if checksums is None:
        return Index(*[np.empty(0, np.int64)] * 6)
    *columns, part = (np.fromstring(text, np.int64, sep=",") for text in texts)
    columns.append(np.frombuffer(bytes.fromhex(checksums), ">u4").astype(np.int64))
    order = np.lexsort((part, columns[2], columns[1]))
    return Index(*(column[order] for column in columns))


def make_table(
    folder: Path, frame: str, stored: Index, instruments: list[Instrument], splits: Events, dividends: Events, daily: Bars | None,
    daily_stands: bool, daily_plain: bool, name: str,
) -> str:  # fmt: skip
    """Makes a frame's table. daily: that of days, for shorter bars. daily_stands: whether it is the one it was; daily_plain: whether it has
    no adjusted closes. name: of the version. Returns the name of its folder: that of the one before where nothing changed."""
    symbols = [i.symbol for i in instruments]
    index, place = _in_order(stored, instruments)
    lengths = np.bincount(place, index.rows, len(instruments)) if len(place) else np.zeros(len(instruments))
    offsets = np.concatenate([[0], np.cumsum(lengths)]).astype(np.int64)
    events = np.array([zlib.crc32(repr((splits[i.id], dividends[i.id])).encode()) for i in instruments], np.int64)
    before = _before(folder, frame)
    source = _sources(index, before)
    holidays = holidays_known()
    if before is not None and before.is_still(source, symbols, events, holidays) and (daily is None or daily_stands):
        return before.name
    part = fresh(folder / f"{frame}-{name}.part")

    def room(name: str, length: int, kind: Any) -> Any:
        if not length:
            np.save(part / f"{name}.npy", np.empty(0, kind))
            return np.empty(0, kind)
        return np.lib.format.open_memmap(part / f"{name}.npy", "w+", kind, (length,))

    columns = Columns(frame, {i.id: i.symbol for i in instruments}, int(offsets[-1]), room)
    if before is None or index.rows[source < 0].sum() > MANY * index.rows.sum():
        before, source = None, np.full(len(source), -1, np.int64)
    factors = room("factor", int(offsets[-1]), np.float64)
    if before is not None:
        runs = _runs(index, source)
        pairs = [(before.factor, factors), *((old, columns.column(name)) for name, old in before.columns.items())]
        with ThreadPoolExecutor(2) as pool:
            list(pool.map(lambda pair: _copy_runs(pair[0], pair[1], runs), pairs))
    _read_new(columns, frame, index, source)
    anew = np.ones(len(instruments), np.bool_)
    if before is not None:
        missing = source < 0
        begins = np.cumsum(index.rows) - index.rows
        factors[_positions(begins[missing], index.rows[missing])] = 1.0
        eventful = np.array([bool(splits[i.id] or dividends[i.id]) for i in instruments], np.bool_)
        plain = ~eventful & (columns.ratio is None and "ratio" not in before.columns and daily_plain)
        known, changed = _what_changed(before, symbols, events, offsets, place[missing])
        anew = ~known | (changed & ~plain) | (daily is not None and not daily_stands)
    for k in np.flatnonzero(anew).tolist():
        factor_of(factors, k, offsets, columns, splits[instruments[k].id], dividends[instruments[k].id], daily)
    np.save(part / "offsets.npy", offsets)
    np.savez(part / "blocks.npz", **index._asdict(), events=events)
    calendar = calendar_of(columns, holidays)
    hours = {"holidays": sorted(calendar.holidays), "opens": calendar.opens, "closes": calendar.closes}
    (part / "said.json").write_text(json.dumps({"frame": frame, "symbols": symbols, "calendar": hours}), encoding="utf-8")
    stand(part, folder / f"{frame}-{name}")
    return f"{frame}-{name}"


def _in_order(stored: Index, instruments: list[Instrument]) -> tuple[Index, Any]:
    """The blocks in the order of their instruments, and each one's instrument's place among them."""
    ids = np.array([i.id for i in instruments], np.int64)
    by_id = np.argsort(ids)
    place = by_id[np.searchsorted(ids, stored.owner, sorter=by_id)]
    order = np.argsort(place, kind="stable")
    return Index(*(column[order] for column in stored)), place[order]


def _positions(begins: Any, rows: Any) -> Any:
    """All positions of runs."""
    ends = np.cumsum(rows)
    return np.repeat(begins - (ends - rows), rows) + np.arange(ends[-1] if len(ends) else 0)


def _what_changed(before: "_Before", symbols: list[str], events: Any, offsets: Any, touched: Any) -> tuple[Any, Any]:
    """By instrument: whether the table before has it with the splits and dividends of now, and whether its bars are others than there. touched:
    the instruments of new blocks."""
    old = {symbol: k for k, symbol in enumerate(before.symbols)}
    was = np.array([old.get(symbol, -1) for symbol in symbols], np.int64)
    known = (was >= 0) & (before.events[was] == events)
    changed = np.diff(offsets) != np.diff(before.offsets)[was]
    changed[touched] = True
    return known, changed


class _Before:
    """The table that was made last of a frame."""

    def __init__(self, place: Path) -> None:
        said = json.loads((place / "said.json").read_text(encoding="utf-8"))
        self.name = place.name
        self.symbols: list[str] = said["symbols"]
        self.holidays: list[int] = said["calendar"]["holidays"]
        with np.load(place / "blocks.npz") as stored:
            self.index = Index(*(stored[name] for name in Index._fields))
            self.events = stored["events"]
        self.offsets = np.load(place / "offsets.npy")
        self.begins = np.cumsum(self.index.rows) - self.index.rows
        names = ["days", *FIELDS, *(n for n in ("minute", "ratio") if (place / f"{n}.npy").exists())]
        self.columns = {name: column(place, name) for name in names}
        self.factor = column(place, "factor")

    def is_still(self, source: Any, symbols: list[str], events: Any, holidays: frozenset[int]) -> bool:
        """Whether a table of those blocks, instruments, splits, dividends and holidays is this one."""
        same = self.symbols == symbols and np.array_equal(self.events, events) and self.holidays == sorted(holidays)
        return same and len(source) == len(self.index.rows) and bool((source == self.begins).all())


def _before(folder: Path, frame: str) -> _Before | None:
    made = sorted(folder.glob(f"{frame}-v{FORMAT}-*"), key=lambda p: p.stat().st_mtime_ns)
    while made:
        try:
            return _Before(made.pop())
        except (OSError, ValueError, KeyError):
            continue
    return None


def _sources(index: Index, before: _Before | None) -> Any:
    """Where in the table before each block's bars begin; -1 for those it has not."""
    found = np.full(len(index.rows), -1, np.int64)
    if before is None or not len(before.index.rows):
        return found
    order = np.argsort(before.index.content, kind="stable")
    old = before.index.content[order]
    at = order[np.minimum(np.searchsorted(old, index.content), len(old) - 1)]
    there = np.ones(len(found), np.bool_)
    for mine, theirs in zip(index, before.index, strict=True):  # a number of contents may have been used again
        there &= mine == theirs[at]
    return np.where(there, before.begins[at], -1)


def _runs(index: Index, source: Any) -> list[list[int]]:
    """What the table before has, in as long runs as there are: (place, place there, rows)."""
    begins = np.cumsum(index.rows) - index.rows
    goes_on = np.zeros(len(source), np.bool_)
    goes_on[1:] = (source[1:] >= 0) & (source[:-1] >= 0) & (source[1:] == source[:-1] + index.rows[:-1])
    first = np.flatnonzero(~goes_on)
    last = np.append(first[1:], len(source)) - 1
    lengths = begins[last] + index.rows[last] - begins[first]
    there = source[first] >= 0
    found: list[list[int]] = np.column_stack([begins[first], source[first], lengths])[there].tolist()
    return found


def _copy_runs(old: Any, new: Any, runs: list[list[int]]) -> None:
    """Copies runs of (place, where in the old column, rows). Written to the file: through its pages as they come into memory, each would be
    cleared first, by one thread at a time."""
    if not isinstance(new, np.memmap) or new.filename is None:
        for to, at, rows in runs:
            new[to : to + rows] = old[at : at + rows]
        return
    size, bytes_of = new.itemsize, np.ascontiguousarray(old, new.dtype).view(np.uint8).data
    file = os.open(new.filename, os.O_WRONLY)
    try:
        for to, at, rows in runs:
            part, place = bytes_of[at * size : (at + rows) * size], new.offset + to * size
            while part:
                written = os.pwrite(file, part, place)
                part, place = part[written:], place + written
    finally:
        os.close(file)


def _read_new(columns: Columns, frame: str, index: Index, source: Any) -> None:
    missing = np.flatnonzero(source < 0)
    begins = np.cumsum(index.rows) - index.rows
    place = dict(zip(index.content[missing].tolist(), begins[missing].tolist(), strict=True))
    stored = BarBlock.objects.filter(frame=frame)
    if len(missing) == len(source):
        columns.read(stored.order_by("instrument_id", "year", "part"), lambda owner, content, rows: place[content or 0])
        return
    wanted = index.id[missing].tolist()
    for at in range(0, len(wanted), CHUNK):
        some = stored.filter(id__in=wanted[at : at + CHUNK])
        columns.read(some, lambda owner, content, rows: place[content or 0])
