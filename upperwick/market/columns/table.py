"""A frame's table as memory-mapped files: what the one before it has is copied, and the rest read from the database."""

import zlib
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import Any, NamedTuple

import numpy as np
from django.db import connection

from upperwick.market.assembly import Events, calendar_of, factor_of, holidays_known
from upperwick.market.blocks import CHUNK, Columns
from upperwick.market.columns.checksums import checksums_in, write_labels
from upperwick.market.columns.prefetch import copied_ahead
from upperwick.market.columns.previous import Before, Index, copy_runs, runs_of, stand
from upperwick.market.models import BarBlock, Instrument
from wickcore.bars.bars import Bars

_NONE = Index(*[np.empty(0, np.int64)] * len(Index._fields))
MANY = 0.3  # of a table's bars: where more are new, all are read in one go


class Stored(NamedTuple):
    """A frame's bars as they are stored: its blocks, and the table that was made of them last; None where there is none."""

    frame: str
    before: Before | None
    blocks: Index


def stored_bars(frame: str, before: Before | None, of_before: bool) -> Stored:
    """A frame's blocks in the order of their instruments' ids, of their spans and parts. of_before: whether the database goes on from the state
    that the table made last is of; then the blocks that still stand are known: none is ever changed, but taken away, and its number given to
    no other."""
    known = before.index if before is not None and of_before else _NONE
    newest = int(known.id.max(initial=0))
    with connection.cursor() as cursor:
        cursor.execute(
            f"SELECT count(*), total(rows), total(content_id) FROM {BarBlock._meta.db_table} WHERE +frame = %s AND id <= %s",
            [frame, newest],
        )
        if cursor.fetchone() != (len(known.id), known.rows.sum(), known.content.sum()):
            known, newest = _NONE, 0
        # `+frame`: by their ids, not by an index of frames. Nothing may be empty, which would be left out; bytes that are not there are found by
        # who reads them.
        names = ("id", "instrument_id", "year", "rows", "coalesce(content_id, 0)", "part")
        whole = ", ".join(f"group_concat({name})" for name in names)
        # A text a column instead of a row a block: of a hundred thousand rows, making them would take as long as the copying of their bars.
        cursor.execute(
            f"SELECT {whole}, group_concat(substr(checksum || '00000000', 1, 8), '') FROM {BarBlock._meta.db_table} "
            "WHERE +frame = %s AND id > %s",
            [frame, newest],
        )
        *texts, checksums = cursor.fetchone()
    if checksums is not None:
        columns = [np.fromstring(text, np.int64, sep=",") for text in texts]
        columns.append(np.frombuffer(bytes.fromhex(checksums), ">u4").astype(np.int64))
        known = Index(*(np.concatenate(pair) for pair in zip(known, columns, strict=True)))
    order = np.argsort((known.owner << 32) + (known.span << 16) + known.part, kind="stable")  # quick, where most are in order
    return Stored(frame, before, Index(*(column[order] for column in known)))


def make_table(
    folder: Path, stored: Stored, instruments: list[Instrument], splits: Events, dividends: Events, daily: Bars | None,
    daily_stands: bool, daily_plain: bool, name: str,
) -> str:  # fmt: skip
    """Makes a frame's table. daily: that of days, for shorter bars. daily_stands: whether it is the one it was; daily_plain: whether it has
    no adjusted closes. name: of the version. Returns the name of its folder: that of the one before where nothing changed."""
    frame, before = stored.frame, stored.before
    symbols = [i.symbol for i in instruments]
    index, place = _in_order(stored.blocks, instruments)
    lengths = np.bincount(place, index.rows, len(instruments)) if len(place) else np.zeros(len(instruments))
    offsets = np.concatenate([[0], np.cumsum(lengths)]).astype(np.int64)
    events = np.array([zlib.crc32(repr((splits[i.id], dividends[i.id])).encode()) for i in instruments], np.int64)
    source = _sources(index, before)
    holidays = holidays_known()
    if before is not None and before.is_still(source, symbols, events, holidays) and (daily is None or daily_stands):
        return before.name
    if before is None or index.rows[source < 0].sum() > MANY * index.rows.sum():
        before, source = None, np.full(len(source), -1, np.int64)
    missing = source < 0
    by_id = {i.id: i.symbol for i in instruments}
    new = None
    if before is not None:  # while columns may still be on their way (copied_ahead waits for them)
        some = Index(*(column[missing] for column in index))
        new = Columns(frame, by_id, int(some.rows.sum()))
        _read(new, frame, some, whole=False)
    runs = runs_of(index.rows, source)
    part = folder / f"{frame}-{name}.part"
    there = copied_ahead(folder, frame, part, before, runs, int(offsets[-1]))

    def room(name: str, length: int, kind: Any) -> Any:
        path = part / f"{name}.npy"
        if not length:
            np.save(path, np.empty(0, kind))
            return np.empty(0, kind)
        if name in there:
            return np.lib.format.open_memmap(path, "r+")
        return np.lib.format.open_memmap(path, "w+", kind, (length,))

    columns = Columns(frame, by_id, int(offsets[-1]), room)
    factors = room("factor", int(offsets[-1]), np.float64)
    if before is None or new is None:
        _read(columns, frame, index, whole=True)
    else:
        into = {one: columns.column(one) for one in before.names} | {"factor": factors}
        with ThreadPoolExecutor(2) as pool:
            list(pool.map(lambda one: copy_runs(before.column(one), into[one], runs), into.keys() - there))
        rows = _positions((np.cumsum(index.rows) - index.rows)[missing], index.rows[missing])
        factors[rows] = 1.0
        for one in new.names:
            columns.column(one)[rows] = new.column(one)
    anew = np.ones(len(instruments), np.bool_)
    if before is not None:
        eventful = np.array([bool(splits[i.id] or dividends[i.id]) for i in instruments], np.bool_)
        plain = ~eventful & (columns.ratio is None and "ratio" not in before.names and daily_plain)
        known, changed = _what_changed(before, symbols, events, offsets, place[missing])
        anew = ~known | (changed & ~plain) | (daily is not None and not daily_stands)
    for k in np.flatnonzero(anew).tolist():
        factor_of(factors, k, offsets, columns, splits[instruments[k].id], dividends[instruments[k].id], daily)
    np.save(part / "offsets.npy", offsets)
    np.savez(part / "blocks.npz", **index._asdict(), events=events)
    calendar = calendar_of(columns, holidays)
    hours = {"holidays": sorted(calendar.holidays), "opens": calendar.opens, "closes": calendar.closes}
    checksums = checksums_in(part, ["offsets", "factor", *columns.names])
    write_labels(part, {"frame": frame, "symbols": symbols, "calendar": hours, "checksums": checksums})
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


def _what_changed(before: Before, symbols: list[str], events: Any, offsets: Any, touched: Any) -> tuple[Any, Any]:
    """By instrument: whether the table before has it with the splits and dividends of now, and whether its bars are others than there. touched:
    the instruments of new blocks."""
    old = {symbol: k for k, symbol in enumerate(before.symbols)}
    was = np.array([old.get(symbol, -1) for symbol in symbols], np.int64)
    known = (was >= 0) & (before.events[was] == events)
    changed = np.diff(offsets) != np.diff(before.offsets)[was]
    changed[touched] = True
    return known, changed


def _sources(index: Index, before: Before | None) -> Any:
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


def _read(columns: Columns, frame: str, blocks: Index, whole: bool) -> None:
    """Reads blocks, one after another. whole: whether they are all that there are of the frame."""
    place = dict(zip(blocks.content.tolist(), (np.cumsum(blocks.rows) - blocks.rows).tolist(), strict=True))
    ids = blocks.id.tolist()
    parts = (BarBlock.objects.filter(id__in=ids[at : at + CHUNK]) for at in range(0, len(ids), CHUNK))
    for part in (BarBlock.objects.filter(frame=frame).order_by("instrument_id", "year", "part"),) if whole else parts:
        columns.read(part, lambda owner, content, rows: place[content or 0])
