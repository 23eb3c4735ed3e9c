"""The rows of every table but bars: merged by their keys, and put back as they were."""

import json
from collections.abc import Iterable
from dataclasses import dataclass, field
from datetime import date
from typing import Any

from django.db.models import Q

from upperwick.data.reading.tables import TABLES
from upperwick.market.models import (
    CalendarEvent,
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
from upperwick.market.store import FAR
from wickcore.bars.day_kinds import USUAL
from wickcore.bars.moment import to_date, to_day

Row = dict[str, Any]
Key = tuple[Any, ...]
DAYS = {"day", "first", "last", "listed", "delisted"}
PART = 400  # rows a question to the database names at most


@dataclass(slots=True)
class Counted:
    """Rows that are new, that changed stored ones, that said what was stored, and that stand untouched. before: what stood at all that was
    said, by key; None where nothing did."""

    added: int = 0
    replaced: int = 0
    same: int = 0
    left: int = 0
    before: dict[str, Row | None] = field(default_factory=dict)
    changes: list[dict[str, Any]] = field(default_factory=list)


@dataclass(frozen=True, slots=True)
class _Stored:
    """How a table is stored: its model, and our column by its field."""

    model: Any
    fields: dict[str, str]

    @property
    def owner(self) -> str:
        """The field that leads to the instrument, "" where none does."""
        field_ = self.fields.get("symbol", "")
        return field_ if field_.startswith("instrument__") or self.model is Instrument else ""


_INSTRUMENT = {"symbol": "instrument__symbol"}
STORED: dict[str, _Stored] = {
    "instruments": _Stored(
        Instrument,
        {
            **{
                n: n for n in ("symbol", "name", "kind", "sector", "listed", "delisted", "optionable", "weekly_options", "currency")
            },
            "reason": "delisted_reason",
        },
    ),
    "renames": _Stored(Rename, {n: n for n in ("symbol", "former", "day")}),
    "splits": _Stored(Split, {**_INSTRUMENT, "day": "day", "ratio": "ratio"}),
    "dividends": _Stored(Dividend, {**_INSTRUMENT, "day": "day", "amount": "amount"}),
    "members": _Stored(Member, {"universe": "universe__name", **_INSTRUMENT, "first": "first", "last": "last"}),
    "reports": _Stored(Report, {**_INSTRUMENT, **{n: n for n in ("day", "shares", "revenue", "earnings", "expected")}}),
    "overnight": _Stored(OvernightBar, {**_INSTRUMENT, **{n: n for n in ("day", "open", "high", "low", "close", "low_first")}}),
    "calendar": _Stored(CalendarEvent, {n: n for n in ("day", "kind", "name")}),
    "own": _Stored(OwnFact, {**_INSTRUMENT, **{n: n for n in ("name", "day", "value")}}),
}
SAID = "said"  # beside what stood before: which columns the import spoke of, be it that they were so already
_DEFAULTS: dict[str, Row] = {"calendar": {"kind": USUAL.name}, "members": {"last": to_day(FAR)}}
FRESH: dict[str, Any] = {
    "name": "", "kind": "share", "sector": "", "listed": None, "delisted": None, "reason": "", "optionable": False, "weekly_options": False,
    "currency": "",
}  # fmt: skip


def key_of(table: str, row: Row) -> str:
    """What makes a row the same row, as one text."""
    return json.dumps([row.get(name) for name in TABLES[table].key], ensure_ascii=False)


def stored_rows(table: str, symbols: Iterable[str] | None = None) -> list[Row]:
    """What is stored of a table, under our names, days as numbers; of some symbols only where they are given (of tables that have any)."""
    how = STORED[table]
    rows = how.model.objects.order_by("id")
    owner = how.owner
    if symbols is None or not owner:
        return _read(how, rows)
    wanted, found = list(symbols), []
    for begin in range(0, len(wanted), PART):
        found += _read(how, rows.filter(**{f"{owner}__in": wanted[begin : begin + PART]}))
    return found


def _read(how: _Stored, rows: Any) -> list[Row]:
    names = list(how.fields)
    return [
        {n: to_day(v) if isinstance(v, date) else v for n, v in zip(names, values, strict=True)}
        for values in rows.values_list(*how.fields.values()).iterator()
    ]


def merged(table: str, given: list[Row]) -> tuple[Counted, list[Row]]:
    """What rows would do to a table, and the rows as they are to be stored; nothing is. Of rows with one key the later counts."""
    wanted: dict[str, Row] = {}
    for row in given:
        whole = {**_DEFAULTS.get(table, {}), **row}
        key = key_of(table, whole)
        wanted[key] = {**wanted.get(key, {}), **whole}
    symbols = {row["symbol"] for row in wanted.values()} if STORED[table].owner else None
    stored = {key_of(table, row): row for row in stored_rows(table, symbols)}
    done = Counted(left=max(STORED[table].model.objects.count() - len(stored), 0))
    fresh = []
    for key, row in wanted.items():
        old = stored.pop(key, None)
        if old is None:
            done.added += 1
            fresh.append({**(FRESH if table == "instruments" else {}), **row})
            done.before[key] = None
        elif any(old.get(n) != v for n, v in row.items()):
            done.replaced += 1
            fresh.append({**old, **row})
            done.before[key] = {**old, SAID: sorted(row)}
            if len(done.changes) < 5:
                done.changes.append({"table": table, "key": _said(old, TABLES[table].key), **_difference(old, row)})
        else:
            done.same += 1
            done.before[key] = {**old, SAID: sorted(row)}
    done.left += len(stored)
    return done, fresh


def _said(row: Row, names: Iterable[str]) -> str:
    return " ".join(_plain(name, row[name]) for name in names if row.get(name) not in (None, ""))


def _plain(name: str, value: Any) -> str:
    if value is None:
        return "nothing"
    return to_date(value).isoformat() if name in DAYS else f"{value:g}" if isinstance(value, float) else str(value)


def _difference(old: Row, new: Row) -> Row:
    names = [n for n, v in new.items() if old.get(n) != v]
    return {side: ", ".join(f"{n} {_plain(n, row.get(n))}" for n in names) for side, row in (("old", old), ("new", new))}


def write(table: str, rows: list[Row]) -> None:
    """Stores rows, in place of those with their keys. To be called inside the transaction that makes the import true."""
    how = STORED[table]
    remove(table, rows, quietly=True) if table != "instruments" else None
    if table == "instruments":
        return _write_instruments(rows)
    owners = _owners({row["symbol"] for row in rows}) if how.owner else {}
    groups = (
        {name: Universe.objects.get_or_create(name=name)[0] for name in {r["universe"] for r in rows}} if table == "members" else {}
    )
    made = []
    for row in rows:
        values = {n: _value(n, row.get(n)) for n, field_ in how.fields.items() if "__" not in field_}
        if how.owner:
            values["instrument_id"] = owners[row["symbol"]]
        if table == "members":
            values["universe"] = groups[row["universe"]]
        made.append(how.model(**values))
    how.model.objects.bulk_create(made, batch_size=PART)


def _value(name: str, value: Any) -> Any:
    return to_date(value) if name in DAYS and value is not None else value


def _owners(symbols: set[str]) -> dict[str, int]:
    """The instruments of symbols, those that are not known yet made: what is said of them waits for their bars."""
    known = dict(Instrument.objects.values_list("symbol", "id"))
    fresh = sorted(symbols - known.keys())
    made = Instrument.objects.bulk_create([Instrument(symbol=s, name=s) for s in fresh], batch_size=PART)
    return {**known, **{i.symbol: i.id for i in made}}


def _write_instruments(rows: list[Row]) -> None:
    known = {i.symbol: i for i in Instrument.objects.all()}
    fresh: list[Instrument] = []
    changed: list[Instrument] = []
    for row in rows:
        one = known.get(row["symbol"]) or Instrument(symbol=row["symbol"])
        for name, field_ in STORED["instruments"].fields.items():
            if name in row:
                setattr(one, field_, _value(name, row[name]))
        one.name = one.name or one.symbol
        (changed if one.pk else fresh).append(one)
    Instrument.objects.bulk_create(fresh, batch_size=PART)
    fields = [f for f in STORED["instruments"].fields.values() if f != "symbol"]
    Instrument.objects.bulk_update(changed, fields, batch_size=100)


def remove(table: str, rows: list[Row], quietly: bool = False) -> None:
    """Takes rows away, by their keys. An instrument goes only where nothing at all hangs on it any more."""
    how = STORED[table]
    if table == "instruments":
        for row in rows:
            one = Instrument.objects.filter(symbol=row["symbol"]).first()
            if one is not None and not _used(one):
                one.delete()
        return
    names = TABLES[table].key
    for begin in range(0, len(rows), 100):
        any_of = Q()
        for row in rows[begin : begin + 100]:
            any_of |= Q(**{how.fields[name]: _value(name, row[name]) for name in names})
        if rows[begin : begin + 100]:
            how.model.objects.filter(any_of).delete()
    if table == "members" and not quietly:
        Universe.objects.filter(name__in={row["universe"] for row in rows}, members__isnull=True).delete()


def _used(one: Instrument) -> bool:
    related = [f.get_accessor_name() for f in Instrument._meta.related_objects]
    return any(getattr(one, name).exists() for name in related)
