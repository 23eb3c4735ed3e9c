"""What can be done with alerts, schedules, watched rules and the outbox."""

import email
import email.policy
from datetime import date
from typing import Any

from django.db import transaction
from django.db.models import Q
from django.utils import timezone

from upperwick.alerts import kinds
from upperwick.alerts.models import Alert, Schedule, Watched
from upperwick.base.errors import Refused
from upperwick.bench.lists import keep as keep_list
from upperwick.bench.lists import lists_of, universe_key
from upperwick.market.services import open_market
from upperwick.outbox.kinds import words_of
from upperwick.outbox.models import Message
from upperwick.rules.services import find as find_rule
from wickcore.bars.moment import clock

MOST_ALERTS, MOST_SCHEDULES, MOST_WATCHED, MOST_MESSAGES = 1_000, 200, 300, 5_000


def _now() -> Any:
    market = open_market().market
    return market, market.standing(market.latest)


# -- alerts ------------------------------------------------------------------------------------------------------------------


def alerts_of(owner: Any) -> Any:
    return Alert.objects.filter(owner=owner, deleted__isnull=True)


def find_alert(owner: Any, alert_id: int, deleted: bool = False) -> Alert:
    """Raises Refused (404) for another's or none."""
    found = Alert.objects.filter(owner=owner, id=alert_id, deleted__isnull=not deleted).first()
    if found is None:
        raise Refused("There is no such alert.", 404)
    return found


def set_alert(owner: Any, asked: dict[str, Any]) -> Alert:
    """Sets an alert: it is looked at from the next moment on. Raises Refused and RuleError."""
    market, now = _now()
    if alerts_of(owner).count() >= MOST_ALERTS:
        raise Refused(f"An account keeps at most {MOST_ALERTS:,} alerts; delete some first.")
    symbol, about = kinds.checked(owner, market, asked)
    until = _until(asked.get("until"), str(now)[:10])
    return Alert.objects.create(owner=owner, kind=asked["kind"], symbol=symbol, about=about, seen=now.key, until=until)


def _until(said: str | None, today: str) -> date | None:
    if not said:
        return None
    try:
        day = date.fromisoformat(said)
    except ValueError:
        raise Refused(f"`{said}` is not a date of the form 2024-06-28.", 422) from None
    if said < today:
        raise Refused(f"The alert would have ended before it began: it is {today} already.", 422)
    return day


def arm(found: Alert, armed: bool) -> Alert:
    """Arms an alert anew, from the present moment on, or disarms it."""
    _, now = _now()
    with transaction.atomic():
        found = Alert.objects.select_for_update().get(id=found.id)
        if armed and not found.armed:
            found.armings, found.seen, found.fired, found.said, found.trouble = found.armings + 1, now.key, "", "", ""
            if found.until is not None and str(found.until) < str(now)[:10]:
                found.until = None
        found.armed = armed
        found.save()
    return found


def put_away(found: Any) -> None:
    """An alert, a schedule or a message; brought back by `bring_back`."""
    found.deleted = timezone.now()
    found.save(update_fields=["deleted"])


def bring_back(found: Any) -> Any:
    """Undoes a deletion. What an alert or a schedule would have told meanwhile stays untold."""
    found.deleted = None
    if isinstance(found, Alert | Schedule):
        found.seen = max(found.seen, _now()[1].key)
    found.save()
    return found


# -- schedules ---------------------------------------------------------------------------------------------------------------


def schedules_of(owner: Any) -> Any:
    return Schedule.objects.filter(owner=owner, deleted__isnull=True, rule__deleted__isnull=True).select_related("rule")


def find_schedule(owner: Any, schedule_id: int, deleted: bool = False) -> Schedule:
    """Raises Refused (404) for another's or none."""
    found = Schedule.objects.filter(owner=owner, id=schedule_id, deleted__isnull=not deleted).select_related("rule").first()
    if found is None:
        raise Refused("There is no such schedule.", 404)
    return found


def set_schedule(owner: Any, asked: dict[str, Any], found: Schedule | None = None) -> Schedule:
    """A new schedule, or another setting of one. Raises Refused."""
    market, now = _now()
    asked = {**asked, "puts": " ".join(asked["puts"].split())}  # as a list is named
    if found is None and schedules_of(owner).count() >= MOST_SCHEDULES:
        raise Refused(f"An account keeps at most {MOST_SCHEDULES} schedules; delete some first.")
    rule = find_rule(owner, asked["rule"])
    days, times = sorted(set(asked["weekdays"])), sorted(set(asked["times"]))
    if not days or not times:
        raise Refused("On which weekdays, and when: after the close, or at a minute of the session?", 422)
    if not asked["mails"] and not asked["puts"]:
        raise Refused("A schedule mails what it finds, or puts it on a list, or both.", 422)
    opens, closes = market.table(market.finest).calendar.opens, market.table(market.finest).calendar.closes
    for said in times:
        if said == "close":
            continue
        minute = int(said[:2]) * 60 + int(said[3:])
        if market.finest == "day":
            raise Refused("This market has no bars within the day, so a schedule runs after the close.", 422)
        if not opens < minute <= closes:
            raise Refused(f"The session runs from {clock(opens)} to {clock(closes)}; {said} lies outside.", 422)
    if asked["puts"] in market.universes:
        raise Refused(f"“{asked['puts']}” is a universe's name; choose another for the list.", 422)
    if asked["universe"]:
        universe_key(owner, market, asked["universe"])
    if asked["puts"] and not lists_of(owner).filter(name=asked["puts"]).exists():
        keep_list(owner, market, asked["puts"], [])  # so that another rule can be asked over it before the first run
    made = found or Schedule(owner=owner, seen=now.key)
    made.rule, made.weekdays, made.times = rule, days, times
    made.universe, made.mails, made.puts, made.on = asked["universe"], asked["mails"], asked["puts"], asked["on"]
    made.only_new = asked["only_new"]
    if found is not None and asked["on"]:
        made.seen = max(made.seen, now.key)
    made.save()
    return made


# -- watched rules -----------------------------------------------------------------------------------------------------------


def watch(owner: Any, rule_id: int, on: bool) -> None:
    """Puts a rule on the desk, or takes it off. Put back within the same moment it was watched all along. Raises Refused."""
    rule = find_rule(owner, rule_id)
    now = str(_now()[1])
    if not on:
        Watched.on_desk.filter(rule=rule).update(ended=now)
        return
    if Watched.on_desk.filter(rule__owner=owner).exclude(rule=rule).count() >= MOST_WATCHED:
        raise Refused(f"The desk watches at most {MOST_WATCHED} rules; take one off first.")
    made, _ = Watched.objects.get_or_create(rule=rule, defaults={"since": now})
    if made.ended:
        made.since, made.ended = made.since if made.ended == now else now, ""
        made.save(update_fields=["since", "ended"])


# -- the outbox --------------------------------------------------------------------------------------------------------------


def messages_of(owner: Any, search: str = "") -> Any:
    """The owner's messages, the latest first. search: words that each stand in the subject or the text."""
    found = Message.objects.filter(owner=owner, deleted__isnull=True)
    for word in search.split()[:8]:
        found = found.filter(Q(subject__icontains=word) | Q(text__icontains=word))
    return found.defer("raw")


def find_message(owner: Any, message_id: int, deleted: bool = False) -> Message:
    """Raises Refused (404) for another's or none."""
    found = Message.objects.filter(owner=owner, id=message_id, deleted__isnull=not deleted).first()
    if found is None:
        raise Refused("There is no such message.", 404)
    return found


def row_of(m: Message) -> dict[str, Any]:
    """A message as lists show it."""
    return {
        "id": m.id, "kind": m.kind, "label": words_of(m.kind), "moment": m.moment, "subject": m.subject, "read": m.read, "place": m.place,
        "symbols": m.symbols,
    }  # fmt: skip


def charts_of(found: Message) -> list[tuple[str, bytes]]:
    """The pictures in a message: their file names and PNG."""
    parsed = email.message_from_bytes(bytes(found.raw), policy=email.policy.default)
    return [
        (part.get_filename() or "chart.png", part.get_payload(decode=True))  # type: ignore[misc]
        for part in parsed.walk()
        if part.get_content_type() == "image/png"
    ]
