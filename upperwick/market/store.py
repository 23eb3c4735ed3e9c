"""Bars and facts into the database and out of it. One import is one transaction."""

import hashlib
import zlib
from collections.abc import Iterable, Iterator
from datetime import date
from typing import Any

import numpy as np
import pyarrow as pa
from django.db import transaction

from upperwick.market.models import BarBlock, CalendarEvent, DataVersion, Dividend, Instrument, Member, Report, Split, Universe
from wickcore.bars.bars import FIELDS
from wickcore.demo.market import DemoMarket

EPOCH = date(1970, 1, 1).toordinal()
FAR = date(9999, 12, 31)


def to_date(day: int) -> date:
    """A day since 1970 as a date."""
    return date.fromordinal(int(day) + EPOCH)


def to_day(when: date) -> int:
    """A date as days since 1970."""
    return when.toordinal() - EPOCH


def digest(data: bytes) -> str:
    """The checksum kept beside a block: CRC-32 (ISO 3309), eight hexadecimal digits. It is there to notice damage, not deceit."""
    return f"{zlib.crc32(data):08x}"


def fits(checksum: str, data: bytes) -> bool:
    """Whether a block's bytes are those its checksum was made of; older blocks have a BLAKE2b digest."""
    return checksum == (digest(data) if len(checksum) == 8 else hashlib.blake2b(data, digest_size=16).hexdigest())


def pack(table: dict[str, Any]) -> bytes:
    """Columns to an Arrow IPC stream."""
    names = [name for name in ("days", *FIELDS, "factor") if name in table]
    batch = pa.record_batch([pa.array(table[name]) for name in names], names=names)
    sink = pa.BufferOutputStream()
    with pa.ipc.new_stream(sink, batch.schema) as writer:
        writer.write_batch(batch)
    return sink.getvalue().to_pybytes()


def unpack(data: bytes) -> dict[str, Any]:
    """An Arrow IPC stream to columns."""
    with pa.ipc.open_stream(data) as reader:
        table = reader.read_all()
    return {name: table[name].to_numpy() for name in table.column_names}


def blocks(instrument: Instrument, table: dict[str, Any]) -> Iterator[BarBlock]:
    """One block a year of the table."""
    years = table["days"].astype("datetime64[D]").astype("datetime64[Y]").astype(int) + 1970
    for year in np.unique(years):
        rows = years == year
        data = pack({name: np.ascontiguousarray(column[rows]) for name, column in table.items()})
        yield BarBlock(instrument=instrument, frame="day", year=int(year), rows=int(rows.sum()), checksum=digest(data), data=data)


@transaction.atomic
def save_tables(tables: dict[str, dict[str, Any]], universe: str | None, what: str) -> int:
    """Stores imported bars; years that the tables touch are replaced whole, others stay. Returns the number of bars.

    universe: a name the symbols become members of, from their first bar on.
    """
    total = 0
    group = Universe.objects.get_or_create(name=universe)[0] if universe else None
    for symbol, table in tables.items():
        first = to_date(table["days"][0])
        instrument, _ = Instrument.objects.get_or_create(symbol=symbol, defaults={"name": symbol, "listed": first})
        if instrument.listed is None or first < instrument.listed:
            instrument.listed = first
            instrument.save(update_fields=["listed"])
        if "factor" in table:
            table = {**table, "factor": table["factor"] * _factor_before(instrument, int(table["days"][0]))}
        fresh = list(blocks(instrument, table))
        BarBlock.objects.filter(instrument=instrument, frame="day", year__in=[b.year for b in fresh]).delete()
        BarBlock.objects.bulk_create(fresh)
        total += sum(b.rows for b in fresh)
        if group and not Member.objects.filter(universe=group, instrument=instrument).exists():
            Member.objects.create(universe=group, instrument=instrument, first=first, last=FAR)
    latest = DataVersion.objects.last()
    DataVersion.objects.create(
        what=what[:200], invented=bool(latest and latest.invented), benchmark=latest.benchmark if latest else ""
    )
    return total


def _factor_before(instrument: Instrument, day: int) -> float:
    """The stored factor on `day`, or on the last stored bar before it, so that a later import continues the scale; 1 for the first."""
    for block in BarBlock.objects.filter(instrument=instrument, frame="day", year__lte=to_date(day).year).order_by("-year"):
        table = unpack(block.data)
        if "factor" in table and table["days"][0] <= day:
            return float(table["factor"][np.searchsorted(table["days"], day, "right") - 1])
    return 1.0


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
