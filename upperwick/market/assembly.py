"""A market put together from what is stored: its tables with splits and dividends, and all that is known of its instruments."""

from collections import defaultdict
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import replace
from typing import Any

import numpy as np
from django.db import connection

from upperwick.market.blocks import Columns
from upperwick.market.models import (
    CalendarEvent,
    DataVersion,
    Instrument,
    Member,
    OvernightBar,
    OwnFact,
    Report,
)
from upperwick.market.version import data_version as data_version
from wickcore.bars.bars import FIELDS, STEP, Bars
from wickcore.bars.calendar import Calendar, hours_of
from wickcore.bars.day_kinds import ANNOUNCEMENT, HOLIDAY
from wickcore.bars.factor import factor, factor_within
from wickcore.bars.market import Dated, Facts, Market, Membership, dated, nights
from wickcore.bars.moment import to_day
from wickcore.bars.reports import Published, facts_of

Events = dict[int, list[tuple[int, float]]]  # by instrument, day and value


@contextmanager
def one_state() -> Iterator[None]:
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


def market_with(
    tables: tuple[Bars, ...],
    instruments: list[Instrument],
    splits: Events,
    dividends: Events,
    version: str,
    before: Market | None = None,
) -> Market:
    """The market of these tables, with all else that is stored of it. before: an earlier one, from which nothing but bars has changed."""
    if before is not None:
        return replace(before, tables=tables, listed=_listed(instruments, tables), version=version)
    number = {i.id: k for k, i in enumerate(instruments)}
    latest = DataVersion.objects.last()
    return Market(
        tables=tables,
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


def bars_of(
    frame: str, instruments: list[Instrument], offsets: Any, columns: Columns, splits: Events, dividends: Events, daily: Bars | None
) -> Bars:
    """One frame's table. daily: the table of days, from which shorter bars have their factors."""
    factors = np.ones(len(columns.days))
    for k, instrument in enumerate(instruments):
        factor_of(factors, k, offsets, columns, splits[instrument.id], dividends[instrument.id], daily)
    open_, high, low, close, volume = (columns.prices[name] for name in FIELDS)
    symbols = tuple(i.symbol for i in instruments)
    return Bars(
        symbols,
        offsets,
        columns.days,
        open_,
        high,
        low,
        close,
        volume,
        factors,
        columns.minute,
        frame,
        calendar_of(columns, holidays_known()),
    )


def factor_of(
    factors: Any, k: int, offsets: Any, columns: Columns, splits: list[tuple[int, float]], dividends: list[tuple[int, float]],
    daily: Bars | None,
) -> None:  # fmt: skip
    """Puts instrument k's factors in their place."""
    part = slice(int(offsets[k]), int(offsets[k + 1]))
    ratio = None if columns.ratio is None else columns.ratio[part]
    own = slice(int(daily.offsets[k]), int(daily.offsets[k + 1])) if daily is not None else slice(0, 0)
    if daily is not None and own.stop > own.start:
        of_days = daily.days[own], daily.factor[own], daily.close[own]
        factors[part] = factor_within(of_days, columns.days[part], splits, dividends)
    elif ratio is not None or splits or dividends:
        factors[part] = factor(columns.days[part], columns.prices["close"][part], ratio, splits, dividends)
    else:
        factors[part] = 1.0


def holidays_known() -> frozenset[int]:
    """The stored days without a session."""
    return frozenset(to_day(d) for d in CalendarEvent.objects.filter(kind=HOLIDAY.name).values_list("day", flat=True))


def calendar_of(columns: Columns, holidays: frozenset[int]) -> Calendar:
    """The holidays, and the hours that bars within the day tell."""
    hours = hours_of(columns.days, columns.minute, STEP) if columns.minute is not None else ()
    return Calendar(holidays, *hours)


def by_instrument(model: Any, column: str) -> Events:
    """Its dated rows by instrument, ascending."""
    result: dict[int, list[tuple[int, float]]] = defaultdict(list)
    for owner, day, value in model.objects.order_by("instrument_id", "day").values_list("instrument_id", "day", column):
        result[owner].append((to_day(day), value))
    return result


def _listed(instruments: list[Instrument], tables: tuple[Bars, ...]) -> Any:
    """The day each was listed: as it was said, and by its first bar at the latest."""
    result = np.array([to_day(i.listed) if i.listed else np.iinfo(np.int32).max for i in instruments], np.int32)
    for bars in tables:
        some = np.flatnonzero(np.diff(bars.offsets) > 0)
        result[some] = np.minimum(result[some], bars.days[bars.offsets[:-1][some]])
    return result


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
    result: dict[str, list[tuple[int, int, int]]] = defaultdict(list)
    rows = Member.objects.order_by("universe__name", "instrument__symbol", "first")
    for name, owner, first, last in rows.values_list("universe__name", "instrument_id", "first", "last"):
        if owner in number:
            result[name].append((number[owner], to_day(first), to_day(last)))
    return {
        name: Membership(
            *(np.array(column, kind) for column, kind in zip(zip(*rows, strict=True), (np.int64, np.int32, np.int32), strict=True))
        )
        for name, rows in result.items()
    }


def _events() -> dict[str, Any]:
    result: dict[str, list[int]] = defaultdict(list)
    for name, day in CalendarEvent.objects.filter(kind=ANNOUNCEMENT.name).order_by("day").values_list("name", "day"):
        result[name].append(to_day(day))
    return {name: np.array(days, np.int32) for name, days in result.items()}


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
