"""Routes of the desk, alerts, schedules, watched rules and the outbox."""

from dataclasses import asdict
from typing import Annotated, Any

from django.http import HttpRequest, HttpResponse
from django.utils.http import content_disposition_header
from ninja import Router, Status
from pydantic import Field

from upperwick.alerts import services
from upperwick.alerts.kinds import words_of
from upperwick.alerts.models import Alert, Schedule
from upperwick.base.errors import Refused
from upperwick.desk.desk import desk
from upperwick.desk.schemas import (
    AlertChange,
    AlertIn,
    AlertOut,
    CalendarOut,
    DeskOut,
    FoundOut,
    MessageChange,
    MessageWhole,
    OutboxOut,
    ScheduleIn,
    ScheduleOut,
    WatchIn,
)
from upperwick.desk.search import find as find_anything
from upperwick.desk.technical_state import state as state_of
from upperwick.outbox.calendar_feed import calendar, end_link, owner_of, token_of
from upperwick.outbox.models import Message
from upperwick.positions.schemas import StateOut

router = Router(tags=["desk"])
Offset = Annotated[int, Field(ge=0, le=100_000)]


@router.get("/desk", response=DeskOut, operation_id="desk")
def the_desk(request: HttpRequest):
    """The evening in one look."""
    return desk(request.user)


@router.put("/watched/{rule_id}", response={204: None}, operation_id="watch_rule")
def watch(request: HttpRequest, rule_id: int, body: WatchIn):
    """Puts a rule on the desk, or takes it off."""
    services.watch(request.user, rule_id, body.on)
    return Status(204, None)


# -- alerts ------------------------------------------------------------------------------------------------------------------


def _alert(found: Alert) -> dict[str, Any]:
    return {
        "id": found.id, "kind": found.kind, "symbol": found.symbol, "words": words_of(found), "armed": found.armed,
        "until": found.until.isoformat() if found.until else None, "fired": found.fired, "said": found.said, "trouble": found.trouble,
        "level": found.about.get("shown"), "made": found.made, "rule": found.about["rule"] if found.kind == "rule" else None,
    }  # fmt: skip


@router.get("/alerts", response=list[AlertOut], operation_id="alerts")
def all_alerts(request: HttpRequest, symbol: str | None = None):
    """The account's alerts, the armed first. symbol: those of one instrument."""
    found = services.alerts_of(request.user)
    return [_alert(one) for one in (found.filter(symbol=symbol) if symbol else found)]


@router.post("/alerts", response=AlertOut, operation_id="set_alert")
def set_alert(request: HttpRequest, body: AlertIn):
    """Sets an alert: it is looked at from the next moment on, fires once, and then stands disarmed."""
    return _alert(services.set_alert(request.user, body.dict()))


@router.patch("/alerts/{alert_id}", response=AlertOut, operation_id="arm_alert")
def arm_alert(request: HttpRequest, alert_id: int, body: AlertChange):
    return _alert(services.arm(services.find_alert(request.user, alert_id), body.armed))


@router.delete("/alerts/{alert_id}", response={204: None}, operation_id="delete_alert")
def delete_alert(request: HttpRequest, alert_id: int):
    services.put_away(services.find_alert(request.user, alert_id))
    return Status(204, None)


@router.post("/alerts/{alert_id}/restore", response=AlertOut, operation_id="restore_alert")
def restore_alert(request: HttpRequest, alert_id: int):
    """Undoes a deletion."""
    return _alert(services.bring_back(services.find_alert(request.user, alert_id, deleted=True)))


# -- schedules ---------------------------------------------------------------------------------------------------------------


def _schedule(found: Schedule, everything: list[Schedule]) -> dict[str, Any]:
    """chain: the rules that run on the list that this one fills."""
    chain = [one.rule.name for one in everything if found.puts and one.universe == found.puts]
    return {
        "id": found.id, "rule": found.rule_id, "rule_name": found.rule.name, "universe": found.universe, "weekdays": found.weekdays,
        "times": found.times, "mails": found.mails, "only_new": found.only_new,
        "puts": found.puts, "on": found.on, "ran": found.ran, "hits": len(found.hits),
        "trouble": found.trouble, "chain": chain,
    }  # fmt: skip


@router.get("/schedules", response=list[ScheduleOut], operation_id="schedules")
def schedules(request: HttpRequest):
    found = list(services.schedules_of(request.user))
    return [_schedule(one, found) for one in found]


@router.post("/schedules", response=ScheduleOut, operation_id="set_schedule")
def set_schedule(request: HttpRequest, body: ScheduleIn):
    """A rule that runs by itself, from the next moment on."""
    return _schedule(services.set_schedule(request.user, body.dict()), [])


@router.put("/schedules/{schedule_id}", response=ScheduleOut, operation_id="change_schedule")
def change_schedule(request: HttpRequest, schedule_id: int, body: ScheduleIn):
    found = services.find_schedule(request.user, schedule_id)
    return _schedule(services.set_schedule(request.user, body.dict(), found), [])


@router.delete("/schedules/{schedule_id}", response={204: None}, operation_id="delete_schedule")
def delete_schedule(request: HttpRequest, schedule_id: int):
    services.put_away(services.find_schedule(request.user, schedule_id))
    return Status(204, None)


@router.post("/schedules/{schedule_id}/restore", response=ScheduleOut, operation_id="restore_schedule")
def restore_schedule(request: HttpRequest, schedule_id: int):
    """Undoes a deletion."""
    return _schedule(services.bring_back(services.find_schedule(request.user, schedule_id, deleted=True)), [])


# -- the outbox --------------------------------------------------------------------------------------------------------------


@router.get("/outbox", response=OutboxOut, operation_id="outbox")
def outbox(request: HttpRequest, search: str = "", offset: Offset = 0):
    """Messages, the latest first, a hundred at a time."""
    found = services.messages_of(request.user, search)
    unread = services.messages_of(request.user).filter(read=False).count()
    return {"messages": [services.row_of(m) for m in found[offset : offset + 100]], "total": found.count(), "unread": unread}


@router.post("/outbox/read", response={204: None}, operation_id="read_all")
def read_all(request: HttpRequest):
    """Marks every message as read."""
    services.messages_of(request.user).filter(read=False).update(read=True)
    return Status(204, None)


@router.get("/outbox/{message_id}", response=MessageWhole, operation_id="message")
def message(request: HttpRequest, message_id: int):
    m = services.find_message(request.user, message_id)
    charts = [name for name, _ in services.charts_of(m)]
    return {**services.row_of(m), "text": m.text, "charts": charts, "made": m.made, "sent": m.sent}


@router.patch("/outbox/{message_id}", response={204: None}, operation_id="mark_message")
def mark(request: HttpRequest, message_id: int, body: MessageChange):
    """Marks a message as read, or not."""
    m = services.find_message(request.user, message_id)
    Message.objects.filter(id=m.id).update(read=body.read)
    return Status(204, None)


@router.delete("/outbox/{message_id}", response={204: None}, operation_id="delete_message")
def delete_message(request: HttpRequest, message_id: int):
    services.put_away(services.find_message(request.user, message_id))
    return Status(204, None)


@router.post("/outbox/{message_id}/restore", response={204: None}, operation_id="restore_message")
def restore_message(request: HttpRequest, message_id: int):
    """Undoes a deletion."""
    services.bring_back(services.find_message(request.user, message_id, deleted=True))
    return Status(204, None)


@router.get("/outbox/{message_id}/eml", operation_id="message_file")
def eml(request: HttpRequest, message_id: int):
    """The message as it was written."""
    m = services.find_message(request.user, message_id)
    headers = {"Content-Disposition": content_disposition_header(True, f"{m.subject[:80]}.eml")}
    return HttpResponse(bytes(m.raw), content_type="message/rfc822", headers=headers)


@router.get("/outbox/{message_id}/chart/{number}", operation_id="message_chart")
def chart(request: HttpRequest, message_id: int, number: int):
    """One of the pictures in a message."""
    found = services.charts_of(services.find_message(request.user, message_id))
    if not 0 <= number < len(found):
        raise Refused("There is no such picture.", 404)
    return HttpResponse(found[number][1], content_type="image/png", headers={"Cache-Control": "private, max-age=86400"})


@router.get("/calendar", response=CalendarOut, operation_id="calendar_address")
def calendar_address(request: HttpRequest):
    """Where a calendar program finds the account's calendar."""
    return {"address": request.build_absolute_uri(f"/api/calendar/{token_of(request.user)}.ics")}


@router.delete("/calendar", response=CalendarOut, operation_id="end_calendar_address")
def end_calendar_address(request: HttpRequest):
    """Ends the address that was given out, and gives another."""
    end_link(request.user)
    return calendar_address(request)


@router.get("/calendar/{token}.ics", auth=None, operation_id="calendar_file")
def calendar_file(request: HttpRequest, token: str):
    """Report dates of what is on the account's lists, and announcements (RFC 5545)."""
    return HttpResponse(calendar(owner_of(token)), content_type="text/calendar; charset=utf-8")


@router.get("/find", response=list[FoundOut], operation_id="find")
def find(request: HttpRequest, q: Annotated[str, Field(max_length=120)]):
    """Anything by its name or by letters that come near."""
    return [asdict(one) for one in find_anything(request.user, q)]


@router.get("/bench/state/{symbol}", response=StateOut, operation_id="technical_state", tags=["bench"])
def technical_state(request: HttpRequest, symbol: str, as_of: str | None = None):
    """An instrument's technical state, and what the watched rules say of it."""
    return state_of(request.user, symbol, as_of)
