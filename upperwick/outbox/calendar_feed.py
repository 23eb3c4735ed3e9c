"""Report dates as a calendar to subscribe to (RFC 5545)."""

import secrets
from datetime import timedelta
from typing import Any

import numpy as np
from icalendar import Calendar, Event

from upperwick.base.errors import Refused
from upperwick.bench.lists import lists_of
from upperwick.market.load import evaluator
from upperwick.market.models import CalendarEvent, Report
from upperwick.outbox.models import CalendarLink
from wickcore.bars.day_kinds import ANNOUNCEMENT

DAYS_BACK, DAYS_AHEAD = 30, 400


def token_of(owner: Any) -> str:
    """What the address of an account's calendar ends with: a calendar program does not sign in."""
    link, _ = CalendarLink.objects.get_or_create(owner=owner, defaults={"token": secrets.token_urlsafe(24)})
    return str(link.token)


def end_link(owner: Any) -> None:
    """The address that was given out leads nowhere any more."""
    CalendarLink.objects.filter(owner=owner).delete()


def owner_of(token: str) -> int:
    """Raises Refused (404)."""
    owner = CalendarLink.objects.filter(token=token).values_list("owner", flat=True).first()
    if owner is None:
        raise Refused("There is no calendar at this address.", 404)
    return int(owner)


def calendar(owner_id: int) -> bytes:
    """Reports of the instruments on the account's lists, and announcements."""
    market = evaluator().market
    now = market.standing(market.latest).day if len(market.bars) else 0
    first = np.datetime64(now, "D").astype(object)
    days = (first - timedelta(days=DAYS_BACK), first + timedelta(days=DAYS_AHEAD))
    mine = {s for symbols in lists_of(owner_id).values_list("symbols", flat=True) for s in symbols}
    made = Calendar()
    made.add("prodid", "-//Upper Wick//")
    made.add("version", "2.0")
    made.add("x-wr-calname", "Upper Wick")

    def add(day: Any, what: str, key: str) -> None:
        event = Event()
        event.add("uid", f"{key}-{day.isoformat()}@upperwick.invalid")
        event.add("dtstamp", np.datetime64(f"{first.isoformat()}T00:00:00").astype(object))
        event.add("dtstart", day)
        event.add("dtend", day + timedelta(days=1))
        event.add("summary", what)
        made.add_component(event)

    for day, symbol, name in Report.objects.filter(day__range=days, instrument__symbol__in=mine).values_list(
        "day", "instrument__symbol", "instrument__name"
    ):
        add(day, f"{symbol} reports{f' ({name})' if name else ''}", f"report-{symbol}")
    for day, name in CalendarEvent.objects.filter(day__range=days, kind=ANNOUNCEMENT.name).values_list("day", "name"):
        add(day, f"{name} announced", f"announced-{name.lower().replace(' ', '-')}")
    return bytes(made.to_ical())
