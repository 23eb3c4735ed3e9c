"""The invented market, stored."""

from collections.abc import Iterable
from dataclasses import replace

from django.db import transaction

from upperwick.market.models import (
    BarBlock,
    CalendarEvent,
    DataVersion,
    Dividend,
    Instrument,
    Member,
    OvernightBar,
    OwnFact,
    Rename,
    Report,
    Split,
    Universe,
)
from upperwick.market.packing import blocks
from upperwick.market.staging import Stage, clear, importing, staged
from upperwick.market.store import FAR, another_version
from wickcore.bars.day_kinds import ANNOUNCEMENT, HOLIDAY
from wickcore.bars.moment import to_date, to_day
from wickcore.demo.market import DemoInstrument, DemoMarket


def save_demo(market: DemoMarket) -> int:
    """Stores the invented market in place of whatever market was there. Returns the number of bars."""
    with importing(), staged() as stage:
        for instrument in market.instruments:
            for block in blocks({"days": instrument.days, **instrument.columns}):
                stage.add(instrument.symbol, "day", block)
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
        for block in blocks({"days": inner.days, "minute": inner.minute, **inner.columns}):
            stage.add(instrument.symbol, "5min", block)


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
    for model in (Rename, CalendarEvent, OwnFact, OvernightBar, Member, Universe, Report, Split, Dividend, BarBlock, Instrument):
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
        *(CalendarEvent(day=to_date(d), kind=ANNOUNCEMENT.name, name=n) for d, n in market.events),
        *(CalendarEvent(day=to_date(d), kind=HOLIDAY.name, name=n) for d, n in market.holidays),
    ]
    CalendarEvent.objects.bulk_create(events)
    DataVersion.objects.create(what="The demo market was made and loaded.", invented=True, benchmark=market.benchmark)
