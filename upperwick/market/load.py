"""The market in memory: loaded once a process for each data version, shared by all requests, read-only."""

from collections import defaultdict, deque
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager
from itertools import groupby, islice
from threading import Lock
from typing import Any, NamedTuple

import numpy as np
import pyarrow as pa
from django.db import connection

from upperwick.market.models import (
    BarBlock,
    CalendarEvent,
    DataVersion,
    Dividend,
    Instrument,
    Member,
    OvernightBar,
    OwnFact,
    Report,
    Split,
)
from upperwick.market.store import DamagedBlock, fits
from wickcore.bars.bars import FIELDS, STEP, Bars
from wickcore.bars.calendar import Calendar, hours_of
from wickcore.bars.factor import factor, factor_by_day
from wickcore.bars.market import Dated, Facts, Market, Membership, dated, nights
from wickcore.bars.moment import to_day
from wickcore.bars.reports import Published, facts_of
from wickcore.scan.evaluate import Evaluator

CHUNK, AHEAD = 1_000, 4  # blocks read at once, and how many such chunks may wait for their place


class Place(NamedTuple):
    """A block, as a person names it."""

    symbol: str
    frame: str
    year: int


class _Damaged(Exception):
    def __init__(self, places: frozenset[Place]) -> None:
        super().__init__()
        self.places = places


_left_out: dict[str, list[Place]] = {}
_lock = Lock()
_held: tuple[str, Evaluator] | None = None


def data_version() -> str:
    """The version of the stored data; "0" when nothing was ever stored."""
    latest = DataVersion.objects.order_by("-id").values_list("id", flat=True).first()
    return str(latest or 0)


def evaluator() -> Evaluator:
    """The evaluator over the present data version, loaded on first use."""
    global _held
    version = data_version()
    with _lock:
        if _held is None or _held[0] != version:
            _held = (version, Evaluator(load_market(version)))
        return _held[1]


def load_market(version: str | None = None) -> Market:
    """Reads the whole market. What is damaged is left out, by instrument and year (see `damage`), and all else is read. Raises DamagedBlock
    where that is not to be told apart."""
    left_out: frozenset[Place] = frozenset()
    while True:
        try:
            with _one_state():
                version = version or data_version()
                found = _load(version, left_out)
        except _Damaged as damaged:
            left_out |= damaged.places
            continue
        _left_out.clear()
        _left_out[version] = sorted(left_out)
        return found


def damage() -> list["Place"]:
    """What the market that is held had to leave out."""
    return _left_out.get(_held[0], []) if _held else []


@contextmanager
def _one_state() -> Iterator[None]:
    """All that is read inside is of one state of the database, whatever is imported meanwhile; nobody who writes has to wait, as they would
    for `atomic`, which here means to write."""
    if connection.in_atomic_block:
        yield
        return
    with connection.cursor() as cursor:
        cursor.execute("BEGIN")
        try:
            yield
        finally:
            cursor.execute("COMMIT")


def _load(version: str, left_out: frozenset[Place]) -> Market:
    stored = BarBlock.objects.order_by("instrument_id", "frame", "year")
    for place in left_out:
        stored = stored.exclude(instrument__symbol=place.symbol, frame=place.frame, year=place.year)
    lengths: dict[str, dict[int, int]] = defaultdict(lambda: defaultdict(int))
    for owner, frame, rows in stored.values_list("instrument_id", "frame", "rows"):
        lengths[frame][owner] += rows
    with_bars = {owner for by_owner in lengths.values() for owner in by_owner}
    instruments = [i for i in Instrument.objects.order_by("symbol") if i.id in with_bars]
    splits, dividends = _by_instrument(Split, "ratio"), _by_instrument(Dividend, "amount")
    tables: list[Bars] = []
    for frame in ("day", "5min"):
        if frame in lengths or (frame == "day" and not lengths):
            counts = [lengths[frame][i.id] for i in instruments]
            offsets = np.concatenate([[0], np.cumsum(counts)]).astype(np.int64)
            columns = _Columns(frame, stored.filter(frame=frame), instruments, offsets)
            tables.append(_bars(frame, instruments, offsets, columns, splits, dividends, tables[0] if tables else None))
    number = {i.id: k for k, i in enumerate(instruments)}
    latest = DataVersion.objects.last()
    return Market(
        tables=tuple(tables),
        texts={"sector": tuple(i.sector for i in instruments), "kind": tuple(i.kind for i in instruments)},
        names=tuple(i.name for i in instruments),
        delisted=_delisted(instruments),
        listed=_listed(instruments, tables),
        optionable=np.array([i.optionable for i in instruments], np.bool_),
        weekly_options=np.array([i.weekly_options for i in instruments], np.bool_),
        facts=_facts(instruments, splits),
        dividends=_ragged([dividends[i.id] for i in instruments]),
        universes=_universes(number),
        benchmark=latest.benchmark or None if latest else None,
        events=_events(),
        own=_own(instruments),
        overnight=_nights(instruments),
        version=version,
    )


class _Columns:
    """All bars of a frame as columns, instrument by instrument in the order of their symbols.

    A thousand blocks at a time are read as one Arrow stream and put in their places on other threads, while the database hands out the next
    thousand. minute: None for daily bars. ratio: None where no block has one, unknown (NaN) in blocks without.
    """

    def __init__(self, frame: str, stored: Any, instruments: list[Instrument], offsets: Any) -> None:
        self._frame, self._symbols = frame, {i.id: i.symbol for i in instruments}
        self._damaged: set[Place] = set()
        total = int(offsets[-1])
        self.days = np.empty(total, np.int32)
        self.prices = {name: np.empty(total) for name in FIELDS}
        self.ratio: Any = None
        self.minute: Any = None
        self._lock = Lock()
        place = {i.id: int(begin) for i, begin in zip(instruments, offsets[:-1], strict=True)}
        rows = stored.values_list("instrument_id", "year", "checksum", "content__data", "rows").iterator(CHUNK)
        waiting: deque[Any] = deque()
        with ThreadPoolExecutor(2) as pool:
            while chunk := list(islice(rows, CHUNK)):
                places = []
                for owner, _, _, _, count in chunk:
                    places.append(place[owner])
                    place[owner] += count
                waiting.append(pool.submit(self._take, chunk, places))
                if len(waiting) > AHEAD:
                    waiting.popleft().result()
            while waiting:
                waiting.popleft().result()
        if self._damaged:
            raise _Damaged(frozenset(self._damaged))

    def _take(self, chunk: list[tuple[int, int, str, bytes, int]], places: list[int]) -> None:
        """Puts the blocks where they belong; those whose bytes do not fit their checksum, or their rows, are noted instead."""
        whole = []
        for block, at in zip(chunk, places, strict=True):
            if fits(block[2], block[3]):
                whole.append((block, at))
            else:
                self._note(block)
        for _, part in groupby(whole, lambda one: _schema(one[0][3])):
            alike = list(part)
            try:
                self._put([(block[3], block[4], at) for block, at in alike])
            except DamagedBlock:
                # One by one, to find which.
                for block, _ in alike:
                    if not _as_it_should_be(block[3], block[4]):
                        self._note(block)
                if not self._damaged:
                    raise

    def _note(self, block: tuple[int, int, str, bytes, int]) -> None:
        with self._lock:
            self._damaged.add(Place(self._symbols[block[0]], self._frame, block[1]))

    def _put(self, blocks: list[tuple[bytes, int, int]]) -> None:
        """Blocks of the same columns: (stream, rows, place)."""
        table = _read([data for data, _, _ in blocks]).combine_chunks()
        if table.num_rows != sum(rows for _, rows, _ in blocks):
            raise DamagedBlock("Some of the stored bars hold more or fewer rows than they should; import the prices again.")
        runs: list[list[int]] = []  # first row, place, rows: neighbours in the table that are neighbours in the columns
        row = 0
        for _, rows, at in blocks:
            if runs and runs[-1][1] + runs[-1][2] == at:
                runs[-1][2] += rows
            else:
                runs.append([row, at, rows])
            row += rows
        for name in table.column_names:
            column, values = self._column(name), table[name].to_numpy()
            for begin, at, rows in runs:
                column[at : at + rows] = values[begin : begin + rows]

    def _column(self, name: str) -> Any:
        if name == "days":
            return self.days
        if name in self.prices:
            return self.prices[name]
        with self._lock:
            if getattr(self, name) is None:
                setattr(self, name, np.zeros(len(self.days), np.int32) if name == "minute" else np.full(len(self.days), np.nan))
        return getattr(self, name)


def _schema(data: bytes) -> bytes:
    """The first message of an Arrow stream, which says its columns (Arrow columnar format, “Encapsulated message format”)."""
    return data[: 8 + int.from_bytes(data[4:8], "little")]


def _read(streams: list[bytes]) -> pa.Table:
    """Streams of the same columns as one: one schema, all batches, one end. Raises DamagedBlock where that is no stream."""
    head, end = _schema(streams[0]), streams[0][-8:]
    try:
        with pa.ipc.open_stream(b"".join([head, *(s[len(head) : -8] for s in streams), end])) as reader:
            return reader.read_all()
    except (pa.ArrowException, OSError) as error:
        raise DamagedBlock(f"Some of the stored bars cannot be read ({error}); import the prices again.") from None


def _as_it_should_be(data: bytes, rows: int) -> bool:
    try:
        return bool(_read([data]).num_rows == rows)
    except DamagedBlock:
        return False


def _bars(
    frame: str, instruments: list[Instrument], offsets: Any, columns: _Columns, splits: dict[int, list[tuple[int, float]]],
    dividends: dict[int, list[tuple[int, float]]], daily: Bars | None,
) -> Bars:  # fmt: skip
    """One frame's table. daily: the table of days, from which shorter bars have their factors."""
    close = columns.prices["close"]
    factors = np.ones(len(columns.days))
    for k, instrument in enumerate(instruments):
        part = slice(int(offsets[k]), int(offsets[k + 1]))
        ratio = None if columns.ratio is None else columns.ratio[part]
        own = slice(int(daily.offsets[k]), int(daily.offsets[k + 1])) if daily is not None else slice(0, 0)
        if daily is not None and own.stop > own.start:
            factors[part] = factor_by_day(daily.days[own], daily.factor[own], columns.days[part])
        elif ratio is not None or splits[instrument.id] or dividends[instrument.id]:
            factors[part] = factor(columns.days[part], close[part], ratio, splits[instrument.id], dividends[instrument.id])
    holidays = frozenset(to_day(d) for d in CalendarEvent.objects.filter(kind="holiday").values_list("day", flat=True))
    hours = hours_of(columns.days, columns.minute, STEP) if columns.minute is not None else ()
    open_, high, low, close, volume = (columns.prices[name] for name in FIELDS)
    symbols = tuple(i.symbol for i in instruments)
    calendar = Calendar(holidays, *hours)
    return Bars(symbols, offsets, columns.days, open_, high, low, close, volume, factors, columns.minute, frame, calendar)


def _by_instrument(model: Any, column: str) -> dict[int, list[tuple[int, float]]]:
    found: dict[int, list[tuple[int, float]]] = defaultdict(list)
    for owner, day, value in model.objects.order_by("instrument_id", "day").values_list("instrument_id", "day", column):
        found[owner].append((to_day(day), value))
    return found


def _listed(instruments: list[Instrument], tables: list[Bars]) -> Any:
    """The day each was listed: as it was said, and by its first bar at the latest."""
    found = np.array([to_day(i.listed) if i.listed else np.iinfo(np.int32).max for i in instruments], np.int32)
    for bars in tables:
        some = np.flatnonzero(np.diff(bars.offsets) > 0)
        found[some] = np.minimum(found[some], bars.days[bars.offsets[:-1][some]])
    return found


def _delisted(instruments: list[Instrument]) -> Any:
    """The last day each delisted instrument traded, -1 while it trades; empty where no listing was ever given, so that the bars decide."""
    if not any(i.delisted for i in instruments):
        return np.empty(0, np.int32)
    return np.array([to_day(i.delisted) if i.delisted else -1 for i in instruments], np.int32)


def _ragged(rows: list[list[tuple[int, float]]]) -> tuple[Any, Any, Any]:
    offsets = np.concatenate([[0], np.cumsum([len(r) for r in rows])]).astype(np.int64)
    flat = [pair for row in rows for pair in row]
    return offsets, np.array([d for d, _ in flat], np.int32), np.array([v for _, v in flat], np.float64)


def _universes(number: dict[int, int]) -> dict[str, Membership]:
    found: dict[str, list[tuple[int, int, int]]] = defaultdict(list)
    rows = Member.objects.order_by("universe__name", "instrument__symbol", "first")
    for name, owner, first, last in rows.values_list("universe__name", "instrument_id", "first", "last"):
        if owner in number:
            found[name].append((number[owner], to_day(first), to_day(last)))
    return {
        name: Membership(
            *(np.array(column, kind) for column, kind in zip(zip(*rows, strict=True), (np.int64, np.int32, np.int32), strict=True))
        )
        for name, rows in found.items()
    }


def _events() -> dict[str, Any]:
    found: dict[str, list[int]] = defaultdict(list)
    for name, day in CalendarEvent.objects.filter(kind="announcement").order_by("day").values_list("name", "day"):
        found[name].append(to_day(day))
    return {name: np.array(days, np.int32) for name, days in found.items()}


def _own(instruments: list[Instrument]) -> dict[str, Dated]:
    rows: dict[str, dict[int, list[tuple[int, float]]]] = defaultdict(lambda: defaultdict(list))
    for owner, name, day, value in OwnFact.objects.order_by("instrument_id", "name", "day").values_list(
        "instrument_id", "name", "day", "value"
    ):
        rows[name][owner].append((to_day(day), value))
    return {name: dated([of.get(i.id, []) for i in instruments]) for name, of in sorted(rows.items())}


def _nights(instruments: list[Instrument]) -> dict[str, Dated]:
    rows: dict[int, list[tuple[int, float, float, float, float, float]]] = defaultdict(list)
    stored = OvernightBar.objects.order_by("instrument_id", "day")
    for owner, day, *prices, low_first in stored.values_list("instrument_id", "day", "open", "high", "low", "close", "low_first"):
        rows[owner].append((to_day(day), *prices, float(low_first)))
    return nights([rows[i.id] for i in instruments]) if rows else {}


def _facts(instruments: list[Instrument], splits: dict[int, list[tuple[int, float]]]) -> Facts:
    reports: dict[int, list[Published]] = defaultdict(list)
    rows = Report.objects.order_by("instrument_id", "day")
    for owner, day, *values in rows.values_list("instrument_id", "day", "shares", "revenue", "earnings", "expected"):
        reports[owner].append(Published(to_day(day), *values))
    return facts_of([(reports[i.id], splits[i.id]) for i in instruments])
