"""Which evenings there are to look at, when several came at once, and in whose turn."""

from collections.abc import Iterable, Iterator
from itertools import zip_longest
from typing import Any

import numpy as np
from django.db import transaction

from upperwick.alerts.models import Alert, Schedule
from upperwick.outbox.mail import tell
from wickcore.bars.market import Market
from wickcore.bars.moment import Moment, of_key

MOST_EVENINGS = 250  # that came at once and are each looked at


def due(schedule: Schedule, market: Market, now: Moment, after: int = 0) -> Iterator[Moment]:
    """The moments of the schedule after the one it ran on last, and after another, up to now."""
    since = max(schedule.seen, after)
    bars = market.bars.sessions
    sessions = [int(d) for d in bars[np.searchsorted(bars, of_key(since).day) : np.searchsorted(bars, now.day, "right")]]
    if now.day not in sessions:
        sessions.append(now.day)
    for day in sessions:
        if (day + 3) % 7 not in schedule.weekdays:
            continue
        for said in sorted(schedule.times):
            hour, _, minute = said.partition(":")
            moment = Moment(day) if said == "close" else Moment(day, int(hour) * 60 + int(minute))
            if since < moment.key <= now.key:
                yield moment


def behind_since(watchers: Iterable[Schedule | Alert], market: Market, now: Moment) -> int:
    """The key of the moment after which the first of them has something to look at; of now where none has."""
    first = now.key
    for one in watchers:
        if isinstance(one, Alert):
            first = min(first, one.seen)
        else:
            moment = next(due(one, market, now), None)
            first = first if moment is None else min(first, moment.key - 1)
    return first


def evenings(market: Market, seen: int, now: Moment) -> tuple[list[Moment], list[Moment]]:
    """The closes after a moment and before now: those too far back to be looked at, and those that are."""
    sessions = market.bars.sessions
    days = sessions[np.searchsorted(sessions, of_key(seen).day) :] if seen else sessions[:0]
    closes = [m for m in (Moment(int(d)) for d in days) if seen < m.key < now.key]
    at = max(0, len(closes) - MOST_EVENINGS)
    return closes[:at], closes[at:]


def tell_passed_over(skipped: list[Moment], behind: list[Any]) -> int:
    """Says which evenings are not looked at, to whom that matters. Returns how many messages."""
    first, last = str(skipped[0])[:10], str(skipped[-1])[:10]
    owners = {one.owner_id: one.owner for one in behind}
    text = (
        f"{len(skipped)} evenings, from {first} to {last}, came more than {MOST_EVENINGS} sessions late: your alerts and schedules were not "
        "looked at for them. Orders on paper and positions were."
    )
    for owner in owners.values():
        with transaction.atomic():
            tell(
                owner,
                f"late {first} {last}",
                "data",
                str(skipped[-1]),
                f"{len(skipped)} evenings were passed over",
                [text],
                place="/data",
            )
    return len(owners)


def by_turns(schedules: Iterable[Schedule]) -> list[Schedule]:
    """One of each account, then another of each: many of one account keep nobody else's waiting."""
    of: dict[int, list[Schedule]] = {}
    for schedule in schedules:
        of.setdefault(schedule.owner_id, []).append(schedule)
    return [one for turn in zip_longest(*of.values()) for one in turn if one is not None]
