"""Vendors: answers about a sender's files, kept and used for every later file like them; and reading files with them."""

import math
from collections.abc import Callable
from dataclasses import asdict, fields, replace
from fnmatch import fnmatchcase
from pathlib import Path
from typing import Any

import numpy as np
from django.db import transaction
from django.utils import timezone

from upperwick.base.errors import Refused
from upperwick.data.models import Vendor
from upperwick.data.reading.answers import ADJUSTMENTS, Answers, Known, Question
from upperwick.data.reading.bars import PriceTables
from upperwick.data.reading.batch import GroupRead, Read, read_all
from upperwick.data.reading.formats import FORMS
from upperwick.data.reading.tables import BARS, FILLS, TABLES
from upperwick.market.load import evaluator
from upperwick.market.models import DataVersion, Instrument
from wickcore.bars.moment import iso, to_date

PLAIN_DATES = ("", "year first", "digits")  # read one way only
BREAK = 1.9  # a price that many times another is not the next price of the same share, but for a split
NEAR_DAYS = 15  # between two prices that are compared
ENOUGH_SESSIONS = 20  # that tell on which weekdays the market rests
MAX_VENDORS = 500
Tell = Callable[[str, float], None]


def read_files(
    paths: list[Path], answers: Answers | None = None, *, any_date: bool = False, by_group: dict[str, Answers] | None = None,
    one_by_one: bool = False, lenient: bool = False, tell: Tell = lambda stage, share: None,
) -> Read:  # fmt: skip
    """Reads files for the stored market, with what is remembered of their vendors. Arguments as of `read_all`. Raises PriceFileError."""
    latest = DataVersion.objects.last()
    answers = answers or Answers()
    zone = answers.zone or (latest.zone if latest else "")
    groups = {name: replace(one, zone=one.zone or zone) for name, one in (by_group or {}).items()}
    return read_all(
        paths, replace(answers, zone=zone), any_date, tell, groups, remembered, known_market(), one_by_one, price_break, lenient
    )  # fmt: skip


def with_table(answers: Answers, table: str) -> Answers:
    """The answers for files that are known to hold a table."""
    return replace(answers, table=table)


def known_market() -> Known:
    """What is known of the stored market, the sessions only once they are asked for."""
    return Known(frozenset(Instrument.objects.values_list("symbol", flat=True)), _sessions)


def _sessions() -> tuple[frozenset[int], str]:
    market = evaluator().market
    if not len(market.bars):
        return frozenset(), ""
    recent = market.bars.sessions[-60:]
    weekdays = frozenset(to_date(int(day)).weekday() for day in recent)
    if len(recent) < ENOUGH_SESSIONS:  # too few sessions to tell which weekdays the market rests
        weekdays |= frozenset(range(5))
    return weekdays, iso(int(market.bars.calendar.following([market.bars.last_day])[0]))


def price_break(prices: PriceTables) -> Question | None:
    """What speaks against prices of a remembered vendor: most of them do not go on from those that are stored."""
    market = evaluator().market
    bars = market.bars
    compared, broken = 0, []
    for symbol, table in prices.tables.get("day", {}).items():
        k = bars.number.get(symbol)
        if k is None or not len(table["days"]):
            continue
        part = slice(int(bars.offsets[k]), int(bars.offsets[k + 1]))
        day = int(table["days"][0])
        at = int(np.searchsorted(bars.days[part], day, "right")) - 1
        if at < 0 or day - int(bars.days[part][at]) > NEAR_DAYS:
            continue
        compared += 1
        before, now = float(bars.close[part][at]), float(table["close"][0])
        if before > 0 and abs(math.log(now / before)) > math.log(BREAK):
            broken.append(f"{symbol} {before:g} and now {now:g}")
    if not compared or 2 * len(broken) <= compared:
        return None
    ask = (
        f"Its prices do not go on from those stored: {'; '.join(broken[:3])}"
        f"{f' and {len(broken) - 3} more' if len(broken) > 3 else ''} of {compared} compared. Take them all the same?"
    )
    return Question("checked", ask, [("yes", "yes, they are right")])


# -- what is remembered ----------------------------------------------------------------------------------------------


def remembered(heading: str, pattern: str, given: Answers) -> tuple[str, Answers]:
    """What was answered about files like these before, under what is answered now; with the vendor's name, "" where there is none."""
    vendor = _vendor_of(heading, pattern, given.table == FILLS.name)
    if vendor is None:
        return "", given
    own = {name: value for name, value in asdict(given).items() if value}
    kept = answers_of(vendor)
    if own.get("table", kept.table) != kept.table:
        return "", given
    columns = {**kept.columns, **given.columns}
    return vendor.name, replace(kept, **{**own, "columns": columns})


def _vendor_of(heading: str, pattern: str, fills: bool) -> Vendor | None:
    """The vendor of files like these. fills: a broker's fills are imported; no other file is ever read as them, nor they as another."""
    alike = [v for v in Vendor.objects.filter(heading=heading) if (v.answers.get("table") == FILLS.name) == fills]
    exact = [v for v in alike if v.pattern == pattern]
    wild = [v for v in alike if fnmatchcase(pattern.lower(), v.pattern.lower())]
    return (exact or sorted(wild, key=lambda v: -len(v.pattern)) or [None])[0]


def answers_of(vendor: Vendor) -> Answers:
    """A vendor's answers, without what is no longer known."""
    names = {f.name for f in fields(Answers)}
    return Answers(**{name: value for name, value in vendor.answers.items() if name in names})


@transaction.atomic
def remember(read: Read) -> list[Vendor]:
    """Keeps how files that were taken were read, where that could be asked again: what was answered, dates that are written in one of several
    forms, a decimal comma. Returns the vendors."""
    kept = []
    for group in read.groups:
        answers = _worth_keeping(group)
        vendor = _vendor_of(group.heading_key, group.pattern, group.table == FILLS.name)
        if not answers and vendor is None:
            continue
        if vendor is None:
            taken = Vendor.objects.filter(heading=group.heading_key, pattern=group.pattern).exists()  # for files of the other kind
            if taken or Vendor.objects.count() >= MAX_VENDORS:
                continue
            vendor = Vendor(name=_free_name(group.pattern), heading=group.heading_key, pattern=group.pattern)
        vendor.answers = answers or vendor.answers
        vendor.used = timezone.now()
        vendor.save()
        kept.append(vendor)
    return kept


def _worth_keeping(group: GroupRead) -> dict[str, Any]:
    answers = {name: value for name, value in asdict(group.answers).items() if value and name not in ("checked", "zone")}
    if group.dates not in PLAIN_DATES:
        answers["dates"] = group.dates
    if group.decimal == "comma":
        answers["decimal"] = "comma"
    if answers.get("confirmed"):
        answers["columns"] = {heading: name for heading, name in group.headings}
    plainly = answers.keys() <= {"table"} and not group.vendor
    return {} if plainly else {**answers, "table": group.table}


def _free_name(pattern: str) -> str:
    stem = pattern.rpartition(".")[0].strip("*-_. ") or pattern.strip("*.") or "files"
    name, again = stem[:70], 1
    while Vendor.objects.filter(name=name).exists():
        again += 1
        name = f"{stem[:70]} {again}"
    return name


def find(vendor_id: int) -> Vendor:
    """Raises Refused."""
    vendor = Vendor.objects.filter(id=vendor_id).first()
    if vendor is None:
        raise Refused("There is no such vendor; it may have been deleted in another window.", 404)
    return vendor


def by_name(name: str) -> Vendor:
    """Raises Refused naming those there are."""
    vendor = Vendor.objects.filter(name=name).first()
    if vendor is None:
        known = ", ".join(Vendor.objects.values_list("name", flat=True)) or "none"
        raise Refused(f"There is no vendor {name}; there are: {known}.", 404)
    return vendor


@transaction.atomic
def change(vendor: Vendor, *, name: str | None = None, pattern: str | None = None, answers: dict[str, Any] | None = None) -> Vendor:
    """Changes what is remembered. Raises Refused with what is wrong."""
    if name is not None:
        name = name.strip()[:80]
        if not name:
            raise Refused("A vendor has a name.", 422)
        if Vendor.objects.filter(name=name).exclude(id=vendor.id).exists():
            raise Refused(f"There is a vendor {name} already.", 409)
        vendor.name = name
    if pattern is not None:
        pattern = pattern.strip()[:300] or "*"
        if Vendor.objects.filter(heading=vendor.heading, pattern=pattern).exclude(id=vendor.id).exists():
            raise Refused(f"Another vendor has files called {pattern} with these headings.", 409)
        vendor.pattern = pattern
    if answers is not None:
        vendor.answers = checked_answers({**vendor.answers, **answers})
    vendor.save()
    return vendor


def checked_answers(answers: dict[str, Any]) -> dict[str, Any]:
    """Answers as they are kept. Raises Refused for what is none."""
    known = {f.name for f in fields(Answers)}
    wrong = sorted(set(answers) - known)
    if wrong:
        raise Refused(f"There is no answer called {wrong[0]}; there are: {', '.join(sorted(known))}.", 422)
    choices = {
        "dates": ("", *FORMS), "decimal": ("", "point", "comma"), "table": ("", *TABLES, FILLS.name), "adjusted": tuple(ADJUSTMENTS),
        "suffix": ("", "keep", "remove"), "names": ("", "yes", "no"),
    }  # fmt: skip
    for name, allowed in choices.items():
        if answers.get(name, "") not in allowed:
            raise Refused(f"`{answers[name]}` is no answer for {name}; answers are {', '.join(a for a in allowed if a)}.", 422)
    columns = answers.get("columns") or {}
    if not isinstance(columns, dict):
        raise Refused("columns names what each heading means.", 422)
    names = {c.name for c in {**TABLES, FILLS.name: FILLS}[answers.get("table") or BARS.name].columns}
    for heading, name in columns.items():
        if name and name not in names:
            raise Refused(f"There is no column {name} for {heading}; columns are {', '.join(sorted(names))}.", 422)
    return {name: value for name, value in answers.items() if value}


def as_record(vendor: Vendor) -> dict[str, Any]:
    """A vendor as it is exported."""
    return {"name": vendor.name, "heading": vendor.heading, "pattern": vendor.pattern, "answers": vendor.answers}


@transaction.atomic
def bring_in_records(records: Any) -> list[Vendor]:
    """Vendors that were exported, in place of those of the same layout. Raises Refused."""
    if not isinstance(records, list):
        raise Refused("A file of vendors holds a list of them, as `upperwick vendors --export` writes it.", 422)
    kept = []
    for record in records:
        try:
            name, heading, pattern = (str(record[key]) for key in ("name", "heading", "pattern"))
            answers = checked_answers(dict(record["answers"]))
        except (KeyError, TypeError, ValueError) as error:
            raise Refused(f"A vendor is not whole: {error}.", 422) from None
        vendor = Vendor.objects.filter(heading=heading, pattern=pattern).first() or Vendor(heading=heading, pattern=pattern[:300])
        taken = Vendor.objects.filter(name=name).exclude(id=vendor.id).exists()
        vendor.name = _free_name(name) if taken else name[:80]
        vendor.answers = answers
        vendor.save()
        kept.append(vendor)
    return kept
