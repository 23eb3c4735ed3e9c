"""Nights that failed: sessions without bars, sessions that only some instruments have, instruments that fell silent, evenings that did not come.

Looked for once the data have stood for some minutes, since an evening comes in several files. What is found is an issue
(`issues`), told once and
settled by itself once the bars are there.
"""

import itertools
from datetime import datetime, timedelta
from typing import Any
from zoneinfo import ZoneInfo

import numpy as np
from django.utils import timezone

from upperwick.data.models import Import
from upperwick.data.quality import issues
from upperwick.market.load import evaluator
from upperwick.market.models import DataVersion, Instrument
from wickcore.bars.market import Market
from wickcore.bars.moment import iso, to_date, to_day

RECENT = 5  # sessions back in which a session without bars is looked for
REGULAR = 5  # sessions on each of which an instrument had a bar before its silence is one
MOST_OF = 0.5  # of the instruments of the session before that a whole session has
NAMED = 8
FED_DAYS, FED_TIMES = 10, 3  # an installation is fed regularly where prices came on so many of the last days
MORNING = 6  # hour of the day after a session by which its bars should be there
KINDS = ("session", "silent", "late")


def check_nights(now: datetime | None = None) -> list[str]:
    """Looks for nights that failed. now: the wall clock. Returns the texts of what is open."""
    market = evaluator().market
    found: dict[str, tuple[str, str]] = {}
    if len(market.bars):
        found = {**_missing_sessions(market), **_silent(market), **_late(market, now or timezone.now())}
    for key, (kind, text) in found.items():
        issues.raise_issue(kind, key, text)
    for issue in issues.open_issues().filter(kind__in=KINDS).exclude(key__in=list(found)):
        issues.settle(issue.key)
    return [text for _, text in found.values()]


def _long(day: int) -> str:
    return f"{to_date(day):%A %-d %B %Y}"


def _missing_sessions(market: Market) -> dict[str, tuple[str, str]]:
    """Days of the last sessions on which there should have been one by the calendar, and no instrument has a bar."""
    sessions = market.bars.sessions[-RECENT - 1 :]
    found = {}
    for before, after in itertools.pairwise(sessions.tolist()):
        day = int(market.bars.calendar.following([int(before)])[0])
        while day < int(after):
            text = f"No bars of {_long(day)} are here: a file did not come, or it was a holiday that the calendar does not know."
            found[f"session {iso(day)}"] = ("session", text)
            day = int(market.bars.calendar.following([day])[0])
    return found


def _days_of(market: Market, k: int) -> Any:
    bars = market.bars
    return bars.days[int(bars.offsets[k]) : int(bars.offsets[k + 1])]


def _silent(market: Market) -> dict[str, tuple[str, str]]:
    """Instruments that traded regularly and have no bar of the last session; or that session, where it is they who have one."""
    sessions = market.bars.sessions
    if len(sessions) < REGULAR + 1:
        return {}
    last, before = int(sessions[-1]), sessions[-REGULAR - 1 : -1]
    gone = {s: to_day(d) for s, d in Instrument.objects.filter(delisted__isnull=False).values_list("symbol", "delisted")}
    regular, silent = 0, []
    for k, symbol in enumerate(market.bars.symbols):
        days = _days_of(market, k)[-REGULAR - 1 :]
        if gone.get(symbol, last + 1) < last or not np.isin(before, days).all():
            continue
        regular += 1
        if not len(days) or int(days[-1]) != last:
            silent.append(symbol)
    if not silent:
        return {}
    if regular - len(silent) < MOST_OF * regular:
        text = f"Only {regular - len(silent):,} of {regular:,} instruments have a bar of {_long(last)}: a file seems to be missing."
        return {f"partial {iso(last)}": ("session", text)}
    named = ", ".join(silent[:NAMED]) + (f" and {len(silent) - NAMED} more" if len(silent) > NAMED else "")
    have = "has no bar" if len(silent) == 1 else "have no bars"
    return {f"silent {iso(last)}": ("silent", f"{named} {have} of {_long(last)}, after one on each session before.")}


def _late(market: Market, now: datetime) -> dict[str, tuple[str, str]]:
    """The next session, where its bars should be there by the wall clock; only of prices that come regularly, and never of an
    invented market."""
    version = DataVersion.objects.last()
    if version is None or version.invented:
        return {}
    came = (
        Import.objects.filter(undone__isnull=True, at__gte=now - timedelta(days=FED_DAYS))
        .exclude(source="feed")
        .values_list("at", flat=True)
    )
    if len({at.date() for at in came}) < FED_TIMES:
        return {}
    local = now.astimezone(ZoneInfo(version.zone)) if version.zone else timezone.localtime(now)
    expected = int(market.bars.calendar.following([int(market.bars.sessions[-1])])[0])
    if (local - timedelta(hours=MORNING)).date() <= to_date(expected):
        return {}
    text = f"The prices of {_long(expected)} have not come, nor any since; the last are of {_long(int(market.bars.sessions[-1]))}."
    return {f"late {iso(expected)}": ("late", text)}
