"""Bars and facts into the database and out of it. One import is one transaction."""

import hashlib
import zlib
from collections.abc import Iterable, Iterator
from dataclasses import dataclass, field
from datetime import date
from typing import Any

import numpy as np
import pyarrow as pa
from django.db import transaction

from upperwick.market.models import BarBlock, CalendarEvent, DataVersion, Dividend, Instrument, Member, Report, Split, Universe
from wickcore.bars.bars import FIELDS
from wickcore.bars.merge import CHANGES_KEPT, Change, Table, merge
from wickcore.bars.moment import to_date, to_day
from wickcore.demo.market import DemoMarket

FAR = date(9999, 12, 31)


def digest(data: bytes) -> str:
    """The checksum kept beside a block: CRC-32 (ISO 3309), eight hexadecimal digits. It is there to notice damage, not deceit."""
    return f"{zlib.crc32(data):08x}"


def fits(checksum: str, data: bytes) -> bool:
    """Whether a block's bytes are those its checksum was made of; older blocks have a BLAKE2b digest."""
    return checksum == (digest(data) if len(checksum) == 8 else hashlib.blake2b(data, digest_size=16).hexdigest())


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


def blocks(instrument: Instrument, table: Table, frame: str = "day") -> Iterator[BarBlock]:
    """One block a year of the table."""
    years = _years(table)
    for year in np.unique(years):
        rows = years == year
        data = pack({name: np.ascontiguousarray(column[rows]) for name, column in table.items()})
        yield BarBlock(instrument=instrument, frame=frame, year=int(year), rows=int(rows.sum()), checksum=digest(data), data=data)


def _years(table: Table) -> Any:
    return table["days"].astype("datetime64[D]").astype("datetime64[Y]").astype(int) + 1970


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


@transaction.atomic
def save_tables(tables: dict[str, dict[str, Table]], universe: str | None, what: str) -> Imported:
    """Merges imported bars into the stored ones: by instrument, frame and moment, the imported ones winning; nothing else is touched.

    tables: by frame, then by symbol. universe: a name the symbols become members of, from their first bar on.
    """
    done = Imported(symbols=len({symbol for by_symbol in tables.values() for symbol in by_symbol}))
    group = Universe.objects.get_or_create(name=universe)[0] if universe else None
    for frame, by_symbol in tables.items():
        for symbol, table in by_symbol.items():
            first = to_date(table["days"][0])
            instrument, _ = Instrument.objects.get_or_create(symbol=symbol, defaults={"name": symbol, "listed": first})
            if instrument.listed is None or first < instrument.listed:
                instrument.listed = first
                instrument.save(update_fields=["listed"])
            _merge_into(instrument, frame, table, done)
            if group:
                _join(group, instrument, first)
    latest = DataVersion.objects.last()
    DataVersion.objects.create(
        what=what[:200], invented=bool(latest and latest.invented), benchmark=latest.benchmark if latest else ""
    )
    return done


def _merge_into(instrument: Instrument, frame: str, table: Table, done: Imported) -> None:
    stored = BarBlock.objects.filter(instrument=instrument, frame=frame).order_by("year")
    years = np.unique(_years(table))
    total = sum(stored.values_list("rows", flat=True))
    # Adjusted closes may move all that is stored; without them only the years the file touches are looked at.
    old = list(stored if "ratio" in table else stored.filter(year__in=years.tolist()))
    merged = merge(_joined([unpack(block.data) for block in old]), table)
    touched = set(years.tolist()) if not merged.rescaled else {int(block.year) for block in old} | set(years.tolist())
    stored.filter(year__in=touched).delete()
    BarBlock.objects.bulk_create(b for b in blocks(instrument, merged.table, frame) if b.year in touched)
    done.added += merged.added
    done.replaced += merged.replaced
    done.same += merged.same
    done.left += total - merged.replaced - merged.same
    done.changes += [(instrument.symbol, change) for change in merged.changes][: CHANGES_KEPT - len(done.changes)]
    if merged.seam:
        done.notes.append(
            f"{instrument.symbol}: its adjusted closes jump by {merged.seam:+.0%} where the file meets the stored bars, and its closes "
            "do not: the two were adjusted on different days. Import the file again with a day of the stored bars in it."
        )


def _joined(tables: list[Table]) -> Table | None:
    """Tables one after another; where only some have ratios, the others' are unknown."""
    if not tables:
        return None
    names = [n for n in ("days", "minute", *FIELDS, "ratio") if any(n in t for t in tables)]
    return {n: np.concatenate([t[n] if n in t else np.full(len(t["days"]), np.nan) for t in tables]) for n in names}


def _join(group: Universe, instrument: Instrument, first: date) -> None:
    """Membership from the first bar on; one that began later and has no end begins earlier then."""
    mine = list(Member.objects.filter(universe=group, instrument=instrument))
    if not mine:
        Member.objects.create(universe=group, instrument=instrument, first=first, last=FAR)
    elif len(mine) == 1 and mine[0].last == FAR and first < mine[0].first:
        mine[0].first = first
        mine[0].save(update_fields=["first"])


@transaction.atomic
def save_demo(market: DemoMarket) -> int:
    """Stores the invented market in place of whatever market was there. Returns the number of bars."""
    for model in (CalendarEvent, Member, Universe, Report, Split, Dividend, BarBlock, Instrument):
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
    total = 0
    fresh: list[BarBlock] = []
    for instrument in market.instruments:
        fresh += blocks(stored[instrument.symbol], {"days": instrument.days, **instrument.columns})
        total += len(instrument.days)
    BarBlock.objects.bulk_create(fresh, batch_size=400)
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
    return total
