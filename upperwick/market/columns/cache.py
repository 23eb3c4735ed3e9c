"""The market's columns as plain memory-mapped files beside the database, made from it, shared by all processes and thrown away freely.

A folder holds one frame's table, or one version's facts; a version names the tables it is made of. What an import did not touch is copied from
the table before, so that a new evening is not twelve years read again.
"""

import fcntl
import logging
import shutil
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from functools import partial
from pathlib import Path
from threading import Thread
from typing import Any
from uuid import uuid4

import numpy as np
from django.conf import settings
from django.db import DatabaseError, connection
from django.utils import timezone

from upperwick.base.files import sync, sync_folder
from upperwick.market.assembly import by_instrument, market_with, one_state
from upperwick.market.columns.bars import KeptBars, opened
from upperwick.market.columns.checksums import LABELS, UNREADABLE, ColumnDamaged, damaged_in, read_labels, write_labels
from upperwick.market.columns.prefetch import AHEAD
from upperwick.market.columns.previous import FORMAT, before_of, fresh, stand
from upperwick.market.columns.table import make_table, stored_bars
from upperwick.market.models import DataVersion, Dividend, Instrument, Split
from upperwick.market.version import data_version
from wickcore.bars.bars import Bars
from wickcore.bars.market import Dated, Facts, Market, Membership

KEPT = 2  # versions: the present one, and the one that answers under way began with
DATED = ("own", "overnight")
GONE = "gone-"  # how the names of folders begin that are to be thrown away
on_damage: list[Callable[[str, str], None]] = []  # called for a damaged file of columns: a key, and a sentence
_log = logging.getLogger("upperwick")


class ColumnsReplaced(OSError):
    """Columns that a request had begun to read are gone; asked again, it reads others."""


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
    # A gigabyte of files takes a second to give back, or to be put on the disk, for which nobody has to wait: until it is there, checksums tell
    # what a power cut left of it.
    Thread(target=_settle, args=(gone, folder, version), daemon=True).start()
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


def _is_of_this_data(table: str) -> bool:
    """Whether a table, by its folder's name, was made of an earlier state of this database, and of none that a copy was laid back over."""
    made_of = table.partition("-")[2]
    return made_of == _name(made_of.split("-")[1])


# -- opening ---------------------------------------------------------------------------------------------------------------


def place_of(version: str) -> tuple[Path, int]:
    """The folder of a version, for `stands`. Raises OSError where there is none."""
    place = Path(settings.DATA_DIR) / "columns" / _name(version)
    return place, place.stat().st_ino


def _opened(folder: Path, version: str) -> Market | None:
    try:
        place = folder / _name(version)
        labels = read_labels(place)
        tables = tuple(opened(folder / name, partial(_mended, version)) for name in labels["tables"])
        with np.load(place / "arrays.npz") as stored:
            arrays = {name: stored[name] for name in stored.files}
        return _unflat(tables, labels, arrays, version)
    except FileNotFoundError:
        return None  # not made yet, of another time, or just thrown away
    except UNREADABLE as error:  # nothing half made is ever in its place
        _report(error.path if isinstance(error, ColumnDamaged) else place / LABELS)
        return None


# -- damage ----------------------------------------------------------------------------------------------------------------


def _mended(version: str, bars: KeptBars, name: str, damaged: ColumnDamaged) -> Any:
    """A column in place of a damaged one: the table is made anew from the database. Raises ColumnsReplaced where that has gone on since."""
    drop_damaged(damaged.place)
    market = kept_market(version)
    for table in market.tables if market.version == version else ():
        if table.frame == bars.frame and table.symbols == bars.symbols and np.array_equal(table.offsets, bars.offsets):
            return getattr(table, name)
    raise ColumnsReplaced("Prices kept on disk were damaged, and have been made anew from the database. Ask again.")


def _refused(bars: KeptBars, name: str, damaged: ColumnDamaged) -> Any:
    raise damaged


def drop_damaged(place: Path) -> bool:
    """Drops a folder of columns, and the versions it is part of, where it is damaged. Returns whether it was."""
    with _alone(place.parent):
        damaged = damaged_in(place, lambda: True) if place.exists() else None
        if damaged is not None:  # no other process was faster
            _drop(damaged)
    return damaged is not None


def _drop(damaged: Path) -> None:
    """Puts a table aside with the versions it is part of, and tells of it."""
    place, folder = damaged.parent, damaged.parent.parent
    for of in (place, *(p for p in folder.glob(f"v{FORMAT}-*") if _is_part(place.name, p))):
        with suppress(OSError):
            of.rename(folder / f"{GONE}{uuid4().hex}")
    _report(damaged)


def _report(damaged: Path) -> None:
    name = f"{damaged.parent.name}/{damaged.name}"
    text = f"Prices kept on disk were damaged ({name}), and have been made anew from the database. Check this machine's disk."
    _log.error(text)
    # Not within what is being read from the database here. Not more often than each hour, whatever the disk does.
    Thread(target=_tell, args=(f"columns {timezone.now():%Y-%m-%d %H} {name}", text)).start()


def _tell(key: str, text: str) -> None:
    try:
        for tell in on_damage:
            tell(key, text)
    except DatabaseError:
        _log.exception("It could not be written down.")
    finally:
        connection.close()


def _is_part(table: str, version: Path) -> bool:
    try:
        return table in read_labels(version)["tables"]
    except UNREADABLE:
        return True


# -- making ----------------------------------------------------------------------------------------------------------------


def _make(folder: Path, version: str) -> None:
    while True:
        try:
            return _make_of(folder, version)
        except ColumnDamaged as damaged:  # a table before, that was to be copied from
            if not damaged.place.exists():
                raise
            _drop(damaged.path)


def _make_of(folder: Path, version: str) -> None:
    before = {frame: before_of(folder, frame) for frame in ("day", "5min")}
    stored = {frame: stored_bars(frame, made, made is not None and _is_of_this_data(made.name)) for frame, made in before.items()}
    with_bars = set(np.unique(np.concatenate([one.blocks.owner for one in stored.values()])).tolist())
    instruments = [i for i in Instrument.objects.order_by("symbol") if i.id in with_bars]
    frames = [frame for frame, one in stored.items() if len(one.blocks.owner)] or ["day"]
    splits, dividends = by_instrument(Split, "ratio"), by_instrument(Dividend, "amount")
    own = _name(version)
    names: list[str] = []
    tables: list[Bars] = []
    for frame in frames:
        daily = tables[0] if tables else None
        stands = bool(names) and not names[0].endswith(own)
        plain = not names or not (folder / names[0] / "ratio.npy").exists()
        names.append(make_table(folder, stored[frame], instruments, splits, dividends, daily, stands, plain, own))
        tables.append(opened(folder / names[-1], _refused))
    market = market_with(tuple(tables), instruments, splits, dividends, version, _same_facts(folder, version, instruments))
    said, arrays = _flat(market)
    part = fresh(folder / f"{_name(version)}.part")
    np.savez(part / "arrays.npz", **arrays)
    sync(part / "arrays.npz")
    write_labels(part, {**said, "tables": names})
    stand(part, folder / _name(version))


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


def _set_aside(folder: Path) -> list[Path]:
    """Puts aside what is older than the versions that are kept, and what was never finished. Returns all that lies aside, to be thrown away;
    whoever has it open still reads it."""
    versions = sorted(folder.glob(f"v{FORMAT}-*"), key=lambda p: p.stat().st_mtime_ns)[-KEPT:]
    used = {p.name for p in versions} | {"lock", AHEAD}
    for place in versions:
        try:
            used |= set(read_labels(place)["tables"])
        except UNREADABLE:
            continue
    gone = []
    for place in folder.iterdir():
        if place.name in used:
            continue
        if not place.name.startswith(GONE):
            with suppress(OSError):  # one of that name lies there still: then this one goes with the next
                place = place.rename(folder / f"{GONE}{place.name.replace('.', '-')}")
        if place.name.startswith(GONE):
            gone.append(place)
    return gone


def _settle(gone: list[Path], folder: Path, version: str) -> None:
    """Throws away what is to go, and puts on the disk what was made."""
    for place in gone:
        shutil.rmtree(place, ignore_errors=True)
    with suppress(*UNREADABLE):
        place = folder / _name(version)
        for table in read_labels(place)["tables"]:
            for file in (folder / table).iterdir():
                sync(file)
            sync_folder(folder / table)
        sync_folder(place)
        sync_folder(folder)
    connection.close()


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
