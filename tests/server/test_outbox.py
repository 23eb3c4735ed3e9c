"""The outbox: real mail with its charts, sent where a mail server is set, and a calendar."""

import email
import email.policy
import socket
from typing import Any

import icalendar
import pytest
from aiosmtpd.controller import Controller

from tests.server.conftest import Api
from tests.server.standing import RULE, Stand, messages
from upperwick.alerts import look
from upperwick.market import load
from upperwick.outbox import mail
from upperwick.outbox.models import Message

pytestmark = pytest.mark.django_db


@pytest.fixture
def told(api: Api, stand: Stand) -> Message:
    stand(12)
    rule = api.post("/rules", {"text": RULE}).json()["id"]
    api.post("/alerts", {"kind": "rule", "rule": rule})
    for back in range(11, -1, -1):
        stand(back)
        if look.look():
            break
    return messages()[0]


def test_a_message_is_real_mail_with_its_charts(api: Api, other: Api, told: Message) -> None:
    answer = api.get(f"/outbox/{told.id}/eml")
    assert answer["Content-Type"] == "message/rfc822"
    parsed = email.message_from_bytes(answer.content, policy=email.policy.default)
    assert parsed["Subject"] == told.subject
    assert parsed["To"] == "ada@upperwick.invalid"
    assert parsed["Message-ID"].endswith("@upperwick.invalid>")
    assert parsed["Date"].datetime is not None
    text, html = parsed.get_body(("plain",)), parsed.get_body(("html",))
    assert text is not None
    assert html is not None
    assert told.symbols[0] in text.get_content()
    pictures = [p for p in parsed.walk() if p.get_content_type() == "image/png"]
    assert len(pictures) == min(mail.CHARTS, len(told.symbols))
    for picture in pictures:
        assert picture["Content-ID"].strip("<>") in html.get_content()
        assert picture.get_payload(decode=True)[:8] == b"\x89PNG\r\n\x1a\n"  # type: ignore[index]
    whole = api.get(f"/outbox/{told.id}").json()
    assert whole["charts"] == [f"{s}.png" for s in told.symbols[: mail.CHARTS]]
    assert api.get(f"/outbox/{told.id}/chart/0").content[:4] == b"\x89PNG"
    assert api.get(f"/outbox/{told.id}/chart/99").status_code == 404
    assert other.get(f"/outbox/{told.id}").status_code == 404


def test_the_outbox_is_searched_read_deleted_and_brought_back(api: Api, told: Message) -> None:
    found = api.get("/outbox").json()
    assert (found["total"], found["unread"]) == (1, 1)
    assert api.get("/outbox?search=Over average").json()["total"] == 1
    assert api.get("/outbox?search=nothing like it").json()["total"] == 0
    assert api.patch(f"/outbox/{told.id}", {"read": True}).status_code == 204
    assert api.get("/outbox").json()["unread"] == 0
    assert api.delete(f"/outbox/{told.id}").status_code == 204
    assert api.get("/outbox").json()["total"] == 0
    assert api.post(f"/outbox/{told.id}/restore").status_code == 204
    assert api.post("/outbox/read").status_code == 204
    assert api.get("/outbox").json()["total"] == 1


def test_with_a_mail_server_set_messages_are_sent(told: Message, settings: Any) -> None:
    class Taking:
        def __init__(self) -> None:
            self.taken: list[Any] = []

        async def handle_DATA(self, server: Any, session: Any, envelope: Any) -> str:
            self.taken.append(envelope)
            return "250 OK"

    taking = Taking()
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        port = probe.getsockname()[1]
    server = Controller(taking, hostname="127.0.0.1", port=port)
    server.start()
    try:
        told.owner.email = "ada@upperwick.example"
        told.owner.save()
        settings.SMTP_HOST = settings.EMAIL_HOST = "127.0.0.1"
        settings.EMAIL_PORT = port
        assert mail.send_waiting() == 1
        assert mail.send_waiting() == 0
        (envelope,) = taking.taken
        assert envelope.rcpt_tos == ["ada@upperwick.example"]
        sent = email.message_from_bytes(envelope.content, policy=email.policy.default)
        assert sent["Subject"] == told.subject
    finally:
        server.stop()
    assert Message.objects.get().sent is not None


def test_the_calendar_is_read_by_another_library(api: Api, stand: Stand, client: Any) -> None:
    stand(0)
    address = api.get("/calendar").json()["address"]
    path = address[address.index("/api") :]
    symbols = [s for s in load.evaluator().bars.symbols][:40]
    api.post("/lists", {"name": "Mine", "symbols": symbols})
    answer = client.get(path)
    assert answer["Content-Type"].startswith("text/calendar")
    parsed = icalendar.Calendar.from_ical(answer.content)
    events = [c for c in parsed.walk() if c.name == "VEVENT"]
    assert events
    assert all(e["UID"] and e["DTSTART"].dt for e in events)
    assert len({str(e["UID"]) for e in events}) == len(events)
    assert client.get(path[:-8] + "x.ics").status_code == 404
    assert answer["Cache-Control"] == "no-store"
    # It ends by a button, with all sessions, and with the account.
    ended = api.delete("/calendar").json()["address"]
    assert (client.get(path).status_code, client.get(ended[ended.index("/api") :]).status_code) == (404, 200)
    api.delete("/session/everywhere")
    assert client.get(ended[ended.index("/api") :]).status_code == 404


def test_a_message_of_an_undeclared_kind_is_refused_and_a_stored_one_is_shown(api: Api, told: Message) -> None:
    with pytest.raises(ValueError, match="no kind of message 'telegram'"):
        mail.tell(told.owner, "x", "telegram", told.moment, "Subject", ["Line"])
    Message.objects.filter(id=told.id).update(kind="telegram")
    assert api.get("/outbox").json()["messages"][0]["label"] == "telegram"
