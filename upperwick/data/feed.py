"""The simulated feed: a stand-in for a vendor. It goes on with the demo's invented world beyond its last day, from the same seed.

It lays files into the drop folder as a vendor's delivery would: each evening's bars, splits, reports and announcements; and five-minute bars
as a session goes.
"""

import csv
import logging
from datetime import timedelta
from functools import cache
from pathlib import Path
from threading import Event
from typing import Any

from django.db import DatabaseError, connection
from django.utils import timezone

from upperwick.base.errors import Refused
from upperwick.data.drop_folder import folder, laid
from upperwick.data.models import Feed
from upperwick.market.load import evaluator
from upperwick.market.models import DataVersion
from wickcore.bars.market import Market
from wickcore.bars.moment import clock, iso
from wickcore.demo.feed_market import Ahead, Session, make_ahead
from wickcore.demo.intraday import BARS, OPENS, STEP
from wickcore.demo.paths import Grid

WAYS = {
    "close": "To the next close",
    "session": "Through the next session in two minutes",
    "real": "Through the next session in real time",
}
SECONDS = {"session": 120.0, "real": BARS * STEP * 60.0}  # a session takes
LOOK_SECONDS = 0.25
BREATH_SECONDS = 4.0  # between two steps of a session: whoever watches has to have been answered
PREFIX, WITHIN = "feed-", "-within-"  # of the names of its files; those of a running session
_log = logging.getLogger("upperwick")


@cache
def ahead() -> Ahead:
    """The sessions to come, made on first use: some seconds."""
    return make_ahead()


def state() -> dict[str, Any] | None:
    """What the interface shows of the feed; None where the market is nobody's invention, and so has none."""
    latest = DataVersion.objects.last()
    if latest is None or not latest.invented:
        return None
    found = Feed.objects.first() or Feed()
    return {"going": found.going, "said": found.said, "ways": [{"way": way, "said": said} for way, said in WAYS.items()]}


def go(way: str) -> None:
    """Tells the feed what to do: one of WAYS, or "pause". Raises Refused."""
    if state() is None:
        raise Refused("The feed plays the vendor of the demo market; your own prices come through the drop folder.", 409)
    if way not in (*WAYS, "pause"):
        raise Refused(f"The feed cannot go “{way}”.", 422)
    going = "" if way == "pause" else way
    Feed.objects.update_or_create(
        id=1, defaults={"going": going, "begun": None, "said": "Making the sessions to come …" if going else ""}
    )


def mark() -> tuple[Any, ...] | None:
    """Changes whenever what the feed does has; for whoever looks at what moved."""
    return Feed.objects.values_list("going", "said").first()


def keep_feeding(ending: Event) -> None:
    """Does what the feed is told, until told to end. To be called by the one worker of a data folder."""
    try:
        while not ending.wait(LOOK_SECONDS):
            try:
                found = Feed.objects.exclude(going="").first()
                if found is not None:
                    _forward(found)
            except DatabaseError:
                connection.close()
            except Exception:
                _log.exception("The feed stopped.")
                _stop("The feed stopped: something went wrong.")
    finally:
        connection.close()


def _stop(said: str) -> None:
    Feed.objects.filter(id=1).update(going="", begun=None, said=said[:200])


def _forward(feed: Feed) -> None:
    """The next step of what it was told, if it is due."""
    place = folder()
    if any(place.glob(f"{PREFIX}*")) or any((place / ".taking").iterdir()):
        return  # what was laid before is not taken yet
    if feed.begun is not None and _since_last() < BREATH_SECONDS:
        return
    market = evaluator().market
    session, done = following(market)
    if session is None:
        return _stop("The sixty sessions that were ready are over.")
    if feed.going == "close":
        lay_evening(place, session, from_bar=done)
        return _stop(f"The evening of {iso(session.day)} was delivered.")
    seconds = SECONDS[feed.going]
    if feed.begun is None:
        feed.begun = timezone.now() - timedelta(seconds=done * seconds / BARS)
        said = f"{iso(session.day)} runs, {'in two minutes' if feed.going == 'session' else 'in real time'}."
        Feed.objects.filter(id=1, going=feed.going).update(begun=feed.begun, said=said)
    due = min(BARS, int((timezone.now() - feed.begun).total_seconds() / seconds * BARS))
    if done == 0:
        due = max(due, 1)  # the first at once, so that one sees that it goes
    if due <= done:
        return None
    if due < BARS:
        return lay_within(place, session, done, due)
    lay_evening(place, session, from_bar=done)
    return _stop(f"The session of {iso(session.day)} is over.")


def _since_last() -> float:
    """Seconds since the market changed."""
    latest = DataVersion.objects.last()
    return (timezone.now() - latest.at).total_seconds() if latest else BREATH_SECONDS


def following(market: Market) -> tuple[Session | None, int]:
    """The session that comes next or runs, and how many of its five-minute bars there are."""
    bars = market.bars
    k = bars.number.get(str(market.benchmark), -1)
    last = int(bars.days[bars.offsets[k + 1] - 1]) if k >= 0 else bars.last_day
    session = next((s for s in ahead().sessions if s.day > last), None)
    latest = market.latest
    if session is None or latest.closed or latest.day != session.day:
        return session, 0
    return session, (latest.minute - OPENS) // STEP


# -- files -----------------------------------------------------------------------------------------------------------------


def lay_within(place: Path, session: Session, begin: int, end: int) -> None:
    """Lays the session's five-minute bars number begin to end (from 0, the last not included); before its first what is known before the open:
    the nights, splits and dividends."""
    if begin == 0:
        for table, known in (("overnight", session.nights), *((t, session.tables.get(t, [])) for t in ("splits", "dividends"))):
            if known:
                _lay(place, f"{PREFIX}{iso(session.day)}-{table}.csv", _dated(known), step=True)
    rows = _inner_rows(_made(session.day), session.day, begin, end)
    _lay(place, f"{PREFIX}{iso(session.day)}{WITHIN}{clock(OPENS + STEP * end).replace(':', '')}.csv", rows, step=True)


def lay_evening(place: Path, session: Session, from_bar: int = 0, within: bool = True) -> list[Path]:
    """Lays all that a session's evening brings: its bars, those within the day that are still missing, and the other tables. Returns the
    files."""
    said = iso(session.day)
    laid = []
    if within and from_bar < BARS:
        laid.append(_lay(place, f"{PREFIX}{said}-5min.csv", _inner_rows(_made(session.day), session.day, from_bar, BARS)))
    if from_bar == 0 and session.nights:
        laid.append(_lay(place, f"{PREFIX}{said}-overnight.csv", _dated(session.nights)))
    for table, rows in session.tables.items():
        if rows:
            laid.append(_lay(place, f"{PREFIX}{said}-{table}.csv", _dated(rows)))
    head = ("open", "high", "low", "close", "volume")
    bars = [{"symbol": s, "date": said, **dict(zip(head, bar, strict=True))} for s, bar in session.bars.items()]
    return [*laid, _lay(place, f"{PREFIX}{said}-bars.csv", bars)]


@cache
def _made(day: int) -> dict[str, dict[str, Grid]]:
    session = next(s for s in ahead().sessions if s.day == day)
    return ahead().within(session)


def _inner_rows(made: dict[str, dict[str, Grid]], day: int, begin: int, end: int) -> list[dict[str, Any]]:
    said = iso(day)
    times = [clock(OPENS + STEP * at) for at in range(BARS)]
    names = ("open", "high", "low", "close", "volume")
    return [
        {"symbol": symbol, "date": said, "time": times[at], **{name: float(columns[name][at]) for name in names}}
        for symbol, columns in made.items()
        for at in range(begin, end)
    ]


def _dated(rows: list[dict[str, Any]]) -> list[dict[str, Any]]:
    dates = ("day", "first", "last", "listed", "delisted")
    return [{name: iso(value) if name in dates else value for name, value in row.items()} for row in rows]


def _lay(place: Path, name: str, rows: list[dict[str, Any]], step: bool = False) -> Path:
    """Writes a file beside, and then puts it there whole. step: it belongs to a session that runs."""
    part = place / f".{name}.part"
    heads = list(dict.fromkeys(head for row in rows for head in row))
    with part.open("w", newline="", encoding="utf-8") as file:
        writer = csv.DictWriter(file, heads)
        writer.writeheader()
        writer.writerows(rows)
    laid[name] = step
    return part.rename(place / name)
