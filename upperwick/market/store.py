"""Bars and facts into the database and out of it. What one import brings is there at once, or not at all."""

import hashlib
import zlib
from collections import defaultdict
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass, field, replace
from datetime import date
from typing import Any

import numpy as np
import pyarrow as pa
from django.db import transaction
from django.db.models import Sum

from upperwick.market.aside import Stage, clear, importing, staged
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
    Universe,
)
from upperwick.market.spans import spans, year_of
from wickcore.bars.bars import FIELDS
from wickcore.bars.merge import CHANGES_KEPT, Change, Merged, Table, merge, touched, without
from wickcore.bars.moment import to_date, to_day
from wickcore.demo.market import DemoInstrument, DemoMarket

FAR = date(9999, 12, 31)
CHUNK = 500  # blocks fetched from the database at once


class DamagedBlock(RuntimeError):
    """A stored block whose checksum does not fit its bytes."""


def digest(data: bytes) -> str:
    """The checksum kept beside a block: CRC-32 (ISO 3309), eight hexadecimal digits. It is there to notice damage, not deceit."""
    return f"{zlib.crc32(data):08x}"


def fits(checksum: str, data: bytes | None) -> bool:
    """Whether a block's bytes are there, and are those its checksum was made of; older blocks have a BLAKE2b digest."""
    return data is not None and checksum == (
        digest(data) if len(checksum) == 8 else hashlib.blake2b(data, digest_size=16).hexdigest()
    )


def pack(table: Table) -> bytes:
    """Columns to an Arrow IPC stream."""
    names = [name for name in ("days", "minute", *FIELDS, "ratio") if name in table]
    batch = pa.record_batch([pa.array(table[name]) for name in names], names=names)
    sink = pa.BufferOutputStream()
    with pa.ipc.new_stream(sink, batch.schema) as writer:
        writer.write_batch(batch)
    return sink.getvalue().to_pybytes()


def unpack(data: bytes) -> Table:
    """An Arrow IPC stream to columns."""
    with pa.ipc.open_stream(data) as reader:
        table = reader.read_all()
    return {name: table[name].to_numpy() for name in table.column_names}


def blocks(table: Table, only: set[int] | None = None) -> Iterator[tuple[int, int, bytes]]:
    """One block a span of the table, or of some spans: (span, rows, bytes)."""
    years = spans(table)
    for year in np.unique(years):
        if only is not None and int(year) not in only:
            continue
        rows = years == year
        yield int(year), int(rows.sum()), pack({name: np.ascontiguousarray(column[rows]) for name, column in table.items()})


@dataclass(slots=True)
class Imported:
    """What an import did, in bars: new ones, stored ones that it changed, those that said what was stored already, and those of the same
    symbols and frame that it did not hold. changes: some of the changed ones, by symbol. notes: sentences that a person should read."""

    symbols: int = 0
    added: int = 0
    replaced: int = 0
    same: int = 0
    left: int = 0
    changes: list[tuple[str, Change]] = field(default_factory=list)
    notes: list[str] = field(default_factory=list)


Record = Callable[[str, str, Table], None]  # told symbol, frame, and what stood at the bars that an import touched (see `touched`)


def save_tables(
    tables: dict[str, dict[str, Table]], universe: str | None, what: str, record: Record | None = None,
    more: Callable[[Imported], None] | None = None, tell: Callable[[float], None] = lambda share: None, **changed: Any,
) -> Imported:  # fmt: skip
    """Merges imported bars into the stored ones: by instrument, frame and moment, the imported ones winning; nothing else is touched.

    The merged bars are put aside in portions, each in a short transaction, and then stand in place of the old ones in one, so that nobody
    who reads or saves meanwhile has to wait. tables: by frame, then by symbol. universe: a name the symbols become members of, from their
    first bar on. more: called inside that last transaction with what was done, for what is to be true together with the bars. tell: told
    the share done; what it raises ends the import, which has then taken nothing. changed: what else the new version says. Raises AnotherImport.
    """
    done = Imported(symbols=len({symbol for by_symbol in tables.values() for symbol in by_symbol}))
    firsts: dict[str, date] = {}
    with importing(), staged() as stage:
        for symbol, first in _firsts(tables):
            firsts[symbol] = min(firsts.get(symbol, FAR), first)
        _merge_all(tables, done, stage, record, tell)
        stage.flush()
        with transaction.atomic():
            known = _instruments(firsts)
            stage.stand({symbol: instrument.id for symbol, instrument in known.items()})
            if universe:
                group = Universe.objects.get_or_create(name=universe)[0]
                _join(group, known, firsts)
            if more is not None:
                more(done)
            another_version(what, **changed)
    return done


def another_version(what: str, **changed: Any) -> None:
    """Says that the data changed: everything computed from them is of before."""
    latest = DataVersion.objects.last()
    stands = {name: getattr(latest, name) for name in ("invented", "benchmark", "zone")} if latest else {}
    DataVersion.objects.create(what=what[:200], **{**stands, **changed})


def count_tables(tables: dict[str, dict[str, Table]], tell: Callable[[float], None] = lambda share: None) -> Imported:
    """What `save_tables` would do, and nothing done."""
    done = Imported(symbols=len({symbol for by_symbol in tables.values() for symbol in by_symbol}))
    _merge_all(tables, done, None, None, tell)
    return done


def _firsts(tables: dict[str, dict[str, Table]]) -> Iterator[tuple[str, date]]:
    for by_symbol in tables.values():
        for symbol, table in by_symbol.items():
            yield symbol, to_date(table["days"][0])


AT_ONCE = 200  # instruments whose stored bars are looked up together


def _merge_all(
    tables: dict[str, dict[str, Table]], done: Imported, stage: Stage | None, record: Record | None, tell: Callable[[float], None]
) -> None:
    total = sum(map(len, tables.values())) or 1
    merged = 0
    for frame, by_symbol in tables.items():
        for part in _batched(list(by_symbol), AT_ONCE):
            tell(merged / total)
            kept = _Stored(frame, {symbol: by_symbol[symbol] for symbol in part})
            for symbol in part:
                _merge_aside(kept, symbol, by_symbol[symbol], done, stage, record)
            merged += len(part)


def _batched(items: list[str], size: int) -> Iterator[list[str]]:
    for begin in range(0, len(items), size):
        yield items[begin : begin + size]


class _Stored:
    """The stored blocks of some instruments around the years that files touch, read in one go. rows: how many bars each has in all."""

    def __init__(self, frame: str, given: dict[str, Table]) -> None:
        self.frame = frame
        stored = BarBlock.objects.filter(frame=frame, instrument__symbol__in=list(given)).order_by("year")
        self.rows: dict[str, int] = dict(
            stored.order_by()
            .values_list("instrument__symbol")
            .annotate(total=Sum("rows"))
            .values_list("instrument__symbol", "total")
        )
        # With adjusted closes, the spans beside those a file touches are where it meets what is stored.
        beside = (-1, 0, 1) if any("ratio" in table for table in given.values()) else (0,)
        years = sorted({int(y) + by for table in given.values() for y in np.unique(spans(table)) for by in beside})
        self._blocks: dict[str, list[tuple[int, int, str, bytes]]] = defaultdict(list)
        found = stored.filter(year__in=years).values_list("instrument__symbol", "year", "rows", "checksum", "content__data")
        for symbol, *block in found.iterator(CHUNK):
            self._blocks[symbol].append(tuple(block))

    def around(self, symbol: str) -> list[tuple[int, int, str, bytes]]:
        """An instrument's blocks in those years: (year, rows, checksum, bytes)."""
        return self._blocks.get(symbol, [])

    def all_of(self, symbol: str) -> list[tuple[int, int, str, bytes]]:
        """All of an instrument's blocks."""
        stored = BarBlock.objects.filter(instrument__symbol=symbol, frame=self.frame).order_by("year")
        return list(stored.values_list("year", "rows", "checksum", "content__data"))


def _instruments(symbols: Iterable[str]) -> dict[str, Instrument]:
    """The instruments of these symbols, those that are new made."""
    wanted = list(symbols)
    asked = set(wanted)
    known = {s: i for s, i in ((i.symbol, i) for i in Instrument.objects.all()) if s in asked}
    fresh = [Instrument(symbol=s, name=s) for s in wanted if s not in known]
    Instrument.objects.bulk_create(fresh)
    return {**known, **{i.symbol: i for i in fresh}}


def _merge_aside(
    kept: _Stored, symbol: str, table: Table, done: Imported, stage: Stage | None, record: Record | None
) -> None:  # fmt: skip
    read = kept.around(symbol)
    merged, years, table = _merged(symbol, kept.frame, table, read, done)
    if merged is not None and (merged.moved or merged.rescaled) and len(read) < len(everything := kept.all_of(symbol)):
        read = everything  # its adjusted closes move those of every year
        merged, years, table = _merged(symbol, kept.frame, table, read, done)
    if merged is None:
        return
    sound = [(year, data) for year, _, checksum, data in read if fits(checksum, data)]
    changed = set(years) if not merged.rescaled else {year for year, _ in sound} | set(years)
    if stage is not None:
        for year, count, data in blocks(merged.table, changed):
            stage.add(symbol, kept.frame, year, count, digest(data), data)
    if record is not None:
        new = merged.added == len(table["days"]) and not merged.rescaled  # then nothing stood where it touches
        record(
            symbol,
            kept.frame,
            touched(None if new else _joined([unpack(data) for _, data in sound]), table, table if new else merged.table),
        )
    done.added += merged.added
    done.replaced += merged.replaced
    done.same += merged.same
    done.left += kept.rows.get(symbol, 0) - merged.replaced - merged.same
    done.changes += [(symbol, change) for change in merged.changes][: CHANGES_KEPT - len(done.changes)]
    if merged.seam:
        done.notes.append(
            f"{symbol}: its adjusted closes jump by {merged.seam:+.0%} where the file meets the stored bars, and its closes "
            "do not: the two were adjusted on different days. Import the file again with a day of the stored bars in it."
        )


def _merged(
    symbol: str, frame: str, table: Table, read: list[tuple[int, int, str, bytes]], done: Imported
) -> tuple[Merged | None, list[int], Table]:
    """A file's bars merged with stored blocks, the years the file touches, and what of the file is taken; None where nothing can be."""
    years = np.unique(spans(table))
    # What is damaged is restored by a file that has all of it, and by none that has less: the rest would be gone for good.
    damaged = {year: rows for year, rows, checksum, data in read if not fits(checksum, data)}
    short = {year for year, rows in damaged.items() if year in years and int(np.sum(spans(table) == year)) < rows}
    if short:
        said = [
            f"{symbol}: its stored bars of {year_of(frame, year)} are damaged, and the file has fewer than there were ({damaged[year]:,}). "
            "Nothing of them was taken; import the whole of that year."
            for year in sorted(short)
        ]
        done.notes += [note for note in said if note not in done.notes]
        kept = ~np.isin(spans(table), list(short))
        table = {name: column[kept] for name, column in table.items()}
        years = np.unique(spans(table))
        if not len(years):
            return None, [], table
    old = [unpack(data) for _, _, checksum, data in read if fits(checksum, data)]
    return merge(_joined(old), table), years.tolist(), table


def put_back(symbol: str, frame: str, before: Table, stage: Stage) -> list[int]:
    """Puts aside the blocks of an instrument as they were before an import touched the bars of `before` (see `touched`). Returns the years
    that then have no bars at all. Raises DamagedBlock where what is stored cannot be read."""
    years = np.unique(spans(before)).tolist()
    stored = BarBlock.objects.filter(instrument__symbol=symbol, frame=frame, year__in=years).order_by("year")
    read = list(stored.values_list("checksum", "content__data"))
    if not all(fits(checksum, data) for checksum, data in read):
        raise DamagedBlock(f"The stored bars of {symbol} are damaged; import them again first.")
    whole = without(_joined([unpack(data) for _, data in read]), before)
    left = set(years)
    for year, count, data in blocks(whole) if whole is not None and len(whole["days"]) else ():
        stage.add(symbol, frame, year, count, digest(data), data)
        left.discard(year)
    return sorted(left)


def _joined(tables: list[Table]) -> Table | None:
    """Tables one after another; where only some have ratios, the others' are unknown."""
    if not tables:
        return None
    names = [n for n in ("days", "minute", *FIELDS, "ratio") if any(n in t for t in tables)]
    return {n: np.concatenate([t[n] if n in t else np.full(len(t["days"]), np.nan) for t in tables]) for n in names}


def _join(group: Universe, known: dict[str, Instrument], firsts: dict[str, date]) -> None:
    """Membership from the first bar on; one that began later and has no end begins earlier then."""
    members: dict[int, list[Member]] = defaultdict(list)
    for member in Member.objects.filter(universe=group):
        members[member.instrument_id].append(member)
    fresh, earlier = [], []
    for symbol, first in firsts.items():
        mine = members[known[symbol].id]
        if not mine:
            fresh.append(Member(universe=group, instrument=known[symbol], first=first, last=FAR))
        elif len(mine) == 1 and mine[0].last == FAR and first < mine[0].first:
            mine[0].first = first
            earlier.append(mine[0])
    Member.objects.bulk_create(fresh)
    Member.objects.bulk_update(earlier, ["first"], batch_size=400)


def save_demo(market: DemoMarket) -> int:
    """Stores the invented market in place of whatever market was there. Returns the number of bars."""
    with importing(), staged() as stage:
        for instrument in market.instruments:
            for year, rows, data in blocks({"days": instrument.days, **instrument.columns}):
                stage.add(instrument.symbol, "day", year, rows, digest(data), data)
            _stage_inner(instrument, stage)
        stage.flush()
        with transaction.atomic():
            _put_demo(market, stage)
        clear()
    return sum(len(i.days) + (len(i.inner.days) if i.inner is not None else 0) for i in market.instruments)


def complete_demo(market: DemoMarket) -> int:
    """Gives a stored demo market of daily bars the five-minute and overnight bars that came later; nothing else is touched. Returns how many."""
    with importing(), staged() as stage:
        there = set(Instrument.objects.values_list("symbol", flat=True))
        market = replace(market, instruments=[i for i in market.instruments if i.symbol in there])
        made = [i for i in market.instruments if i.inner is not None]
        for instrument in made:
            _stage_inner(instrument, stage)
        stage.flush()
        with transaction.atomic():
            stored = {i.symbol: i for i in Instrument.objects.all()}
            stage.stand({symbol: instrument.id for symbol, instrument in stored.items()})
            OvernightBar.objects.all().delete()
            _put_nights(market, stored)
            another_version("The demo market was given bars within the day.")
    return sum(len(i.inner.days) for i in made if i.inner is not None)


def _stage_inner(instrument: DemoInstrument, stage: Stage) -> None:
    inner = instrument.inner
    if inner is not None:
        for year, rows, data in blocks({"days": inner.days, "minute": inner.minute, **inner.columns}):
            stage.add(instrument.symbol, "5min", year, rows, digest(data), data)


def _put_nights(market: DemoMarket, stored: dict[str, Instrument]) -> None:
    OvernightBar.objects.bulk_create(
        OvernightBar(
            instrument=stored[i.symbol], day=to_date(int(day)), open=float(open_), high=float(high), low=float(low), close=float(close),
            low_first=first > 0,
        )
        for i in market.instruments
        if i.nights is not None
        for day, open_, high, low, close, first in zip(i.nights.days, *i.nights.columns.values(), strict=True)
    )  # fmt: skip


def _put_demo(market: DemoMarket, stage: Stage) -> None:
    for model in (CalendarEvent, OwnFact, OvernightBar, Member, Universe, Report, Split, Dividend, BarBlock, Instrument):
        model.objects.all().delete()
    Instrument.objects.bulk_create(
        Instrument(
            symbol=i.symbol, name=i.name, kind=i.kind, sector=i.sector, listed=to_date(i.listed),
            delisted=None if i.delisted is None else to_date(i.delisted), delisted_reason=i.reason, optionable=i.optionable,
            weekly_options=i.weekly_options,
        )
        for i in market.instruments
    )  # fmt: skip
    stored = {i.symbol: i for i in Instrument.objects.all()}
    stage.stand({symbol: instrument.id for symbol, instrument in stored.items()})
    Split.objects.bulk_create(
        Split(instrument=stored[i.symbol], day=to_date(d), ratio=r) for i in market.instruments for d, r in i.splits
    )
    Dividend.objects.bulk_create(
        Dividend(instrument=stored[i.symbol], day=to_date(d), amount=a) for i in market.instruments for d, a in i.dividends
    )
    Report.objects.bulk_create(
        Report(
            instrument=stored[i.symbol], day=to_date(r.day), shares=r.shares, revenue=r.revenue, earnings=r.earnings,
            expected=r.expected,
        )
        for i in market.instruments
        for r in i.reports
    )  # fmt: skip
    _put_nights(market, stored)
    for name, rows in market.universes.items():
        universe = Universe.objects.create(name=name)
        Member.objects.bulk_create(
            Member(universe=universe, instrument=stored[s], first=to_date(a), last=to_date(min(b, to_day(FAR)))) for s, a, b in rows
        )
    events: Iterable[CalendarEvent] = [
        *(CalendarEvent(day=to_date(d), kind="announcement", name=n) for d, n in market.events),
        *(CalendarEvent(day=to_date(d), kind="holiday", name=n) for d, n in market.holidays),
    ]
    CalendarEvent.objects.bulk_create(events)
    DataVersion.objects.create(what="The demo market was made and loaded.", invented=True, benchmark=market.benchmark)
