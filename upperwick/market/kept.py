"""The market's columns as plain memory-mapped files beside the database, made from it, shared by all processes and thrown away freely.

A folder holds one frame's table, or one version's facts; a version names the tables it is made of. What an import did not touch is copied from
the table before, so that a new evening is not twelve years read again.
"""

import fcntl
import json
import os
import shutil
import zlib
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager
from pathlib import Path
from threading import Thread
from typing import Any, NamedTuple

import numpy as np
from django.conf import settings
from django.db import connection

from upperwick.market.blocks import CHUNK, Columns
from upperwick.market.load import Events, by_instrument, calendar_of, factor_of, holidays_known, market_with, one_state
from upperwick.market.models import BarBlock, DataVersion, Dividend, Instrument, Split
from upperwick.market.version import data_version
from wickcore.bars.bars import FIELDS, Bars
from wickcore.bars.calendar import Calendar
from wickcore.bars.market import Dated, Facts, Market, Membership

FORMAT = 1  # of the files; others are made anew
KEPT = 2  # versions: the present one, and the one that answers under way began with
MANY = 0.3  # of a table's blocks: where more are new, all are read in one go
DATED = ("own", "overnight")
GONE = "gone-"  # how the names of folders begin that are to be thrown away


class Index(NamedTuple):
    """The blocks of a table in the order of its bars: instruments' ids, spans, rows, contents and their checksums."""

    owner: Any
    span: Any
    rows: Any
    content: Any
    checksum: Any


def kept_market(version: str) -> Market:
    """The market of a version, or of a newer one, from its files; they are made where there are none. Raises Damaged and OSError."""
    folder = Path(settings.DATA_DIR) / "columns"
    found = _opened(folder, version)
    if found is not None:
        return found
    folder.mkdir(parents=True, exist_ok=True)
    with _alone(folder):
        with one_state():
            version = data_version()  # of what is read here, whatever was imported since it was asked for
            found = _opened(folder, version)  # another process was faster
            if found is None:
                _make(folder, version)
        found = found or _opened(folder, version)
        if found is None:
            raise OSError("The kept columns cannot be read.")
        gone = _set_aside(folder)
    # A gigabyte of files takes a second to give back, for which nobody has to wait.
    Thread(target=_throw_away, args=(gone,), daemon=True).start()
    return found


@contextmanager
def _alone(folder: Path) -> Iterator[None]:
    with (folder / "lock").open("w") as held:
        fcntl.flock(held, fcntl.LOCK_EX)
        yield


def _name(version: str) -> str:
    """A version's name: with its time, since a database that is restored may count on from an earlier number."""
    at = DataVersion.objects.filter(id=int(version)).values_list("at", flat=True).first()
    return f"v{FORMAT}-{version}-{int(at.timestamp() * 1e6) if at else 0}"


# -- opening ---------------------------------------------------------------------------------------------------------------


def _opened(folder: Path, version: str) -> Market | None:
    try:
        place = folder / _name(version)
        said = json.loads((place / "said.json").read_text(encoding="utf-8"))
        tables = tuple(_open_table(folder / name) for name in said["tables"])
        with np.load(place / "arrays.npz") as stored:
            arrays = {name: stored[name] for name in stored.files}
        return _unflat(tables, said, arrays, version)
    except (OSError, ValueError, KeyError):
        return None  # not made yet, half thrown away, or of another time: made anew


def _open_table(place: Path) -> Bars:
    said = json.loads((place / "said.json").read_text(encoding="utf-8"))
    hours = said["calendar"]
    columns = {name: _column(place, name) for name in ("offsets", "days", *FIELDS, "factor")}
    minute = _column(place, "minute") if (place / "minute.npy").exists() else None
    calendar = Calendar(frozenset(hours["holidays"]), hours["opens"], hours["closes"])
    return Bars(tuple(said["symbols"]), minute=minute, frame=said["frame"], calendar=calendar, **columns)


def _column(place: Path, name: str) -> Any:
    path = place / f"{name}.npy"
    # An empty file cannot be mapped.
    return np.asarray(np.load(path, mmap_mode="r" if path.stat().st_size > 1_000 else None))


# -- making ----------------------------------------------------------------------------------------------------------------


def _make(folder: Path, version: str) -> None:
    by_frame: dict[str, list[tuple[Any, ...]]] = {"day": []}
    with connection.cursor() as cursor:
        # Straight from the table: of a hundred thousand blocks, objects would take longer than the copying of their bars.
        cursor.execute(f"SELECT frame, instrument_id, year, rows, content_id, checksum, part FROM {BarBlock._meta.db_table}")
        for frame, owner, span, count, content, checksum, of_span in cursor:
            by_frame.setdefault(frame, []).append((owner, span, count, content, zlib.crc32(checksum.encode()), of_span))
    with_bars = {row[0] for of_frame in by_frame.values() for row in of_frame}
    instruments = [i for i in Instrument.objects.order_by("symbol") if i.id in with_bars]
    if len(by_frame) > 1 and not by_frame["day"]:
        del by_frame["day"]
    splits, dividends = by_instrument(Split, "ratio"), by_instrument(Dividend, "amount")
    names: list[str] = []
    tables: list[Bars] = []
    for frame in sorted(by_frame, key=["day", "5min"].index):
        daily = tables[0] if tables else None
        stands = bool(names) and not names[0].endswith(_name(version))
        name = _make_table(folder, frame, by_frame[frame], instruments, splits, dividends, daily, stands, version)
        names.append(name)
        tables.append(_open_table(folder / name))
    before = _same_facts(folder, version, instruments)
    market = market_with(tuple(tables), instruments, splits, dividends, version, before)
    said, arrays = _flat(market)
    part = _fresh(folder / f"{_name(version)}.part")
    np.savez(part / "arrays.npz", **arrays)
    (part / "said.json").write_text(json.dumps({**said, "tables": names}), encoding="utf-8")
    _stand(part, folder / _name(version))


def _same_facts(folder: Path, version: str, instruments: list[Instrument]) -> Market | None:
    """The market of an earlier version, where nothing but bars has changed since."""
    made = sorted(folder.glob(f"v{FORMAT}-*-*"), key=lambda p: p.stat().st_mtime_ns)
    for place in reversed([p for p in made if not p.name.endswith(".part")]):
        number = place.name.split("-")[1]
        since = DataVersion.objects.filter(id__gt=int(number), id__lte=int(version)).values_list("touched", flat=True)
        if set(since) != {"bars"} or place.name != _name(number):
            continue
        found = _opened(folder, number)
        if found is not None and found.bars.symbols == tuple(i.symbol for i in instruments):
            return found
    return None


def _fresh(part: Path) -> Path:
    shutil.rmtree(part, ignore_errors=True)
    part.mkdir()
    return part


def _stand(part: Path, place: Path) -> None:
    shutil.rmtree(place, ignore_errors=True)
    part.rename(place)


def _make_table(
    folder: Path, frame: str, rows: list[tuple[Any, ...]], instruments: list[Instrument], splits: Events, dividends: Events,
    daily: Bars | None, daily_stands: bool, version: str,
) -> str:  # fmt: skip
    """Makes a frame's table; what the one before has is copied. Returns the name of its folder: that of the one before where nothing changed."""
    number = {i.id: k for k, i in enumerate(instruments)}
    index = _ordered(rows, number)
    lengths = (
        np.bincount([number[o] for o in index.owner.tolist()], index.rows, len(instruments))
        if len(rows)
        else np.zeros(len(instruments))
    )
    offsets = np.concatenate([[0], np.cumsum(lengths)]).astype(np.int64)
    events = np.array([zlib.crc32(repr((splits[i.id], dividends[i.id])).encode()) for i in instruments], np.int64)
    before = _before(folder, frame)
    symbols = [i.symbol for i in instruments]
    source = _sources(index, before)
    holidays = holidays_known()
    if before is not None and before.is_still(source, symbols, events, holidays) and (daily is None or daily_stands):
        return before.name
    part = _fresh(folder / f"{frame}-{version}.part")

    def room(name: str, length: int, kind: Any) -> Any:
        if not length:
            np.save(part / f"{name}.npy", np.empty(0, kind))
            return np.empty(0, kind)
        return np.lib.format.open_memmap(part / f"{name}.npy", "w+", kind, (length,))

    columns = Columns(frame, {i.id: i.symbol for i in instruments}, int(offsets[-1]), room)
    copied = _copy(columns, index, source, before)
    _read_new(columns, frame, index, source, instruments, offsets)
    factors = room("factor", int(offsets[-1]), np.float64)
    same = np.full(len(instruments), -1, np.int64)
    if before is not None and copied and daily is None:  # factors of shorter bars are those of days
        same = _untouched(index, source, before, symbols, events, offsets, number)
    for k, instrument in enumerate(instruments):
        begin = int(same[k])
        if before is not None and begin >= 0:
            factors[offsets[k] : offsets[k + 1]] = before.factor[begin : begin + int(offsets[k + 1] - offsets[k])]
        else:
            factor_of(factors, k, offsets, columns, splits[instrument.id], dividends[instrument.id], daily)
    np.save(part / "offsets.npy", offsets)
    np.savez(part / "blocks.npz", **index._asdict(), events=events)
    calendar = calendar_of(columns, holidays)
    hours = {"holidays": sorted(calendar.holidays), "opens": calendar.opens, "closes": calendar.closes}
    (part / "said.json").write_text(json.dumps({"frame": frame, "symbols": symbols, "calendar": hours}), encoding="utf-8")
    name = f"{frame}-{_name(version)}"
    _stand(part, folder / name)
    return name


def _ordered(rows: list[tuple[Any, ...]], number: dict[int, int]) -> Index:
    columns = [np.array(column, np.int64) for column in zip(*rows, strict=True)] if rows else [np.empty(0, np.int64)] * 6
    *columns, parts = columns
    place = np.array([number[o] for o in columns[0].tolist()], np.int64)
    order = np.lexsort((parts, columns[1], place))
    return Index(*(column[order] for column in columns))


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
        self.columns = {name: _column(place, name) for name in names}
        self.factor = _column(place, "factor")

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


def _copy(columns: Columns, index: Index, source: Any, before: _Before | None) -> bool:
    """Copies what the table before has, in as long runs as there are. False where it has too little of it."""
    if before is None or (source < 0).mean() > MANY:
        source[:] = -1
        return False
    begins = np.cumsum(index.rows) - index.rows
    goes_on = np.zeros(len(source), np.bool_)
    goes_on[1:] = (source[1:] >= 0) & (source[:-1] >= 0) & (source[1:] == source[:-1] + index.rows[:-1])
    first = np.flatnonzero(~goes_on)
    last = np.append(first[1:], len(source)) - 1
    lengths = begins[last] + index.rows[last] - begins[first]
    there = source[first] >= 0
    runs = np.column_stack([begins[first], source[first], lengths])[there].tolist()

    with ThreadPoolExecutor(2) as pool:
        list(pool.map(lambda name: _copy_runs(before.columns[name], columns.column(name), runs), before.columns))
    return True


def _copy_runs(old: Any, new: Any, runs: list[list[int]]) -> None:
    """Copies runs of (place, where in the old column, rows). Written to the file: through its pages as they come into memory, each would be
    cleared first, by one thread at a time."""
    if not isinstance(new, np.memmap) or new.filename is None:
        for to, at, rows in runs:
            new[to : to + rows] = old[at : at + rows]
        return
    size, bytes_of = new.itemsize, memoryview(np.ascontiguousarray(old, new.dtype)).cast("B")
    file = os.open(new.filename, os.O_WRONLY)
    try:
        for to, at, rows in runs:
            part, place = bytes_of[at * size : (at + rows) * size], new.offset + to * size
            while part:
                written = os.pwrite(file, part, place)
                part, place = part[written:], place + written
    finally:
        os.close(file)


def _read_new(columns: Columns, frame: str, index: Index, source: Any, instruments: list[Instrument], offsets: Any) -> None:
    missing = np.flatnonzero(source < 0)
    begins = np.cumsum(index.rows) - index.rows
    place = dict(zip(index.content[missing].tolist(), begins[missing].tolist(), strict=True))
    stored = BarBlock.objects.filter(frame=frame)
    if len(missing) == len(source):
        columns.read(stored.order_by("instrument_id", "year", "part"), lambda owner, content, rows: place[content])
        return
    wanted = index.content[missing].tolist()
    for at in range(0, len(wanted), CHUNK):
        some = stored.filter(content_id__in=wanted[at : at + CHUNK])
        columns.read(some, lambda owner, content, rows: place[content])


def _untouched(
    index: Index, source: Any, before: _Before, symbols: list[str], events: Any, offsets: Any, number: dict[int, int]
) -> Any:
    """For each instrument where its factors begin in the table before, or -1: its bars, splits and dividends are what they were."""
    old = {symbol: k for k, symbol in enumerate(before.symbols)}
    found = np.full(len(symbols), -1, np.int64)
    touched = np.zeros(len(symbols), np.bool_)
    touched[[number[o] for o in index.owner[source < 0].tolist()]] = True
    for k, symbol in enumerate(symbols):
        was = old.get(symbol)
        if was is None or touched[k] or events[k] != before.events[was]:
            continue
        if offsets[k + 1] - offsets[k] == before.offsets[was + 1] - before.offsets[was]:
            found[k] = before.offsets[was]
    return found


def _set_aside(folder: Path) -> list[Path]:
    """Puts aside what is older than the versions that are kept, and what was never finished. Returns all that lies aside, to be thrown away;
    whoever has it open still reads it."""
    versions = sorted(folder.glob(f"v{FORMAT}-*"), key=lambda p: p.stat().st_mtime_ns)[-KEPT:]
    used = {p.name for p in versions} | {"lock"}
    for place in versions:
        try:
            used |= set(json.loads((place / "said.json").read_text(encoding="utf-8"))["tables"])
        except (OSError, ValueError, KeyError):
            continue
    gone = []
    for place in folder.iterdir():
        if place.name not in used:
            gone.append(place if place.name.startswith(GONE) else place.rename(folder / f"{GONE}{place.name}"))
    return gone


def _throw_away(places: list[Path]) -> None:
    for place in places:
        shutil.rmtree(place, ignore_errors=True)


# -- all but the tables, as arrays and words ---------------------------------------------------------------------------------


def _flat(market: Market) -> tuple[dict[str, Any], dict[str, Any]]:
    arrays: dict[str, Any] = {name: getattr(market, name) for name in ("delisted", "listed", "optionable", "weekly_options")}
    said: dict[str, Any] = {"texts": market.texts, "names": market.names, "benchmark": market.benchmark}
    if market.facts is not None:
        arrays |= {f"facts/{name}": getattr(market.facts, name) for name in ("offsets", "days", "is_report")}
        arrays |= {f"fact/{name}": column for name, column in market.facts.columns.items()}
    if market.dividends is not None:
        arrays |= {f"dividends/{at}": column for at, column in enumerate(market.dividends)}
    said["universes"], said["events"] = list(market.universes), list(market.events)
    for at, member in enumerate(market.universes.values()):
        arrays |= {f"members/{at}/{name}": getattr(member, name) for name in ("instrument", "first", "last")}
    for at, days in enumerate(market.events.values()):
        arrays[f"events/{at}"] = days
    for of in DATED:
        rows: dict[str, Dated] = getattr(market, of)
        said[of] = list(rows)
        for at, dated in enumerate(rows.values()):
            arrays |= {f"{of}/{at}/{name}": getattr(dated, name) for name in ("offsets", "days", "values")}
    return said, arrays


def _unflat(tables: tuple[Bars, ...], said: dict[str, Any], arrays: dict[str, Any], version: str) -> Market:
    facts = None
    if "facts/offsets" in arrays:
        columns = {name.partition("/")[2]: column for name, column in arrays.items() if name.startswith("fact/")}
        facts = Facts(arrays["facts/offsets"], arrays["facts/days"], arrays["facts/is_report"], columns)
    dividends = (arrays["dividends/0"], arrays["dividends/1"], arrays["dividends/2"]) if "dividends/0" in arrays else None
    members = {
        name: Membership(*(arrays[f"members/{at}/{part}"] for part in ("instrument", "first", "last")))
        for at, name in enumerate(said["universes"])
    }
    dated = {
        of: {
            name: Dated(*(arrays[f"{of}/{at}/{part}"] for part in ("offsets", "days", "values")))
            for at, name in enumerate(said[of])
        }
        for of in DATED
    }
    return Market(
        tables,
        texts={name: tuple(column) for name, column in said["texts"].items()},
        names=tuple(said["names"]),
        **{name: arrays[name] for name in ("delisted", "listed", "optionable", "weekly_options")},
        facts=facts,
        dividends=dividends,
        universes=members,
        benchmark=said["benchmark"],
        events={name: arrays[f"events/{at}"] for at, name in enumerate(said["events"])},
        own=dated["own"],
        overnight=dated["overnight"],
        version=version,
    )
