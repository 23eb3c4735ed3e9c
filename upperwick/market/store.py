"""Bars and facts into the database and out of it. What one import brings is there at once, or not at all."""

import hashlib
import zlib
from collections import defaultdict
from collections.abc import Iterable, Iterator
from dataclasses import dataclass, field
from datetime import date
from typing import Any

import numpy as np
import pyarrow as pa
from django.db import transaction

from upperwick.market.aside import Stage, importing, staged
from upperwick.market.models import BarBlock, CalendarEvent, DataVersion, Dividend, Instrument, Member, Report, Split, Universe
from wickcore.bars.bars import FIELDS
from wickcore.bars.merge import CHANGES_KEPT, Change, Table, merge
from wickcore.bars.moment import to_date, to_day
from wickcore.demo.market import DemoMarket

FAR = date(9999, 12, 31)


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


def blocks(table: Table) -> Iterator[tuple[int, int, bytes]]:
    """One block a year of the table: (year, rows, bytes)."""
    years = _years(table)
    for year in np.unique(years):
        rows = years == year
        yield int(year), int(rows.sum()), pack({name: np.ascontiguousarray(column[rows]) for name, column in table.items()})


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


def save_tables(tables: dict[str, dict[str, Table]], universe: str | None, what: str) -> Imported:
    """Merges imported bars into the stored ones: by instrument, frame and moment, the imported ones winning; nothing else is touched.

    The merged bars are put aside in portions, each in a short transaction, and then stand in place of the old ones in one, so that nobody
    who reads or saves meanwhile has to wait. tables: by frame, then by symbol. universe: a name the symbols become members of, from their
    first bar on. Raises AnotherImport.
    """
    done = Imported(symbols=len({symbol for by_symbol in tables.values() for symbol in by_symbol}))
    firsts: dict[str, date] = {}
    with importing(), staged() as stage:
        for frame, by_symbol in tables.items():
            for symbol, table in by_symbol.items():
                firsts[symbol] = min(firsts.get(symbol, FAR), to_date(table["days"][0]))
                _merge_aside(symbol, frame, table, done, stage)
        stage.flush()
        with transaction.atomic():
            known = _instruments(firsts)
            stage.stand({symbol: instrument.id for symbol, instrument in known.items()})
            if universe:
                group = Universe.objects.get_or_create(name=universe)[0]
                _join(group, known, firsts)
            latest = DataVersion.objects.last()
            DataVersion.objects.create(
                what=what[:200], invented=bool(latest and latest.invented), benchmark=latest.benchmark if latest else ""
            )
    return done


def _instruments(firsts: dict[str, date]) -> dict[str, Instrument]:
    """The instruments of these symbols, those that are new made; one with bars before its listing was listed by then."""
    symbols = list(firsts)
    known = {i.symbol: i for i in Instrument.objects.all() if i.symbol in firsts}
    fresh = [Instrument(symbol=s, name=s, listed=firsts[s]) for s in symbols if s not in known]
    Instrument.objects.bulk_create(fresh)
    earlier = [i for s, i in known.items() if i.listed is None or firsts[s] < i.listed]
    for instrument in earlier:
        instrument.listed = firsts[instrument.symbol]
    Instrument.objects.bulk_update(earlier, ["listed"], batch_size=400)
    return {**known, **{i.symbol: i for i in fresh}}


def _merge_aside(symbol: str, frame: str, table: Table, done: Imported, stage: Stage) -> None:
    stored = BarBlock.objects.filter(instrument__symbol=symbol, frame=frame).order_by("year")
    years = np.unique(_years(table))
    total = sum(stored.values_list("rows", flat=True))
    # Adjusted closes may move all that is stored; without them only the years the file touches are looked at.
    wanted = stored if "ratio" in table else stored.filter(year__in=years.tolist())
    read = list(wanted.values_list("year", "rows", "checksum", "content__data"))
    old = [(year, unpack(data)) for year, _, checksum, data in read if fits(checksum, data)]
    # What is damaged is restored by a file that has all of it, and by none that has less: the rest would be gone for good.
    damaged = {year: rows for year, rows, checksum, data in read if not fits(checksum, data)}
    short = {year for year, rows in damaged.items() if year in years and int(np.sum(_years(table) == year)) < rows}
    if short:
        done.notes += [
            f"{symbol}: its stored bars of {year} are damaged, and the file has fewer of that year than there were ({damaged[year]:,}). "
            "Nothing of that year was taken; import the whole of it."
            for year in sorted(short)
        ]
        kept = ~np.isin(_years(table), list(short))
        table = {name: column[kept] for name, column in table.items()}
        years = np.unique(_years(table))
        if not len(years):
            return
    merged = merge(_joined([part for _, part in old]), table)
    touched = set(years.tolist()) if not merged.rescaled else {year for year, _ in old} | set(years.tolist())
    for year, count, data in blocks(merged.table):
        if year in touched:
            stage.add(symbol, frame, year, count, digest(data), data)
    done.added += merged.added
    done.replaced += merged.replaced
    done.same += merged.same
    done.left += total - merged.replaced - merged.same
    done.changes += [(symbol, change) for change in merged.changes][: CHANGES_KEPT - len(done.changes)]
    if merged.seam:
        done.notes.append(
            f"{symbol}: its adjusted closes jump by {merged.seam:+.0%} where the file meets the stored bars, and its closes "
            "do not: the two were adjusted on different days. Import the file again with a day of the stored bars in it."
        )


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
        stage.flush()
        with transaction.atomic():
            _put_demo(market, stage)
    return sum(len(i.days) for i in market.instruments)


def _put_demo(market: DemoMarket, stage: Stage) -> None:
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
