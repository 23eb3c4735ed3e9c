"""The desk: watched rules as they are counted, days ahead, and the schedules that mail them."""

from datetime import timedelta

import pytest
from django.contrib.auth import get_user_model

from tests.server.conftest import Api
from tests.server.standing import RULE, Stand, hits_of, messages
from upperwick.alerts import look, scheduled_scans
from upperwick.alerts.models import Watched
from upperwick.desk.schemas import DeskOut
from upperwick.market import load
from upperwick.market.models import CalendarEvent
from wickcore.bars.moment import to_date, to_day
from wickcore.scan.evaluate import Evaluator
from wickcore.scan.limits import Stopped
from wickcore.scan.many import Asked, Found

pytestmark = pytest.mark.django_db


def test_a_watched_rule_over_a_list_is_scanned_again_when_the_list_changes(api: Api, stand: Stand) -> None:
    now = stand(3)
    hits = [h.symbol for h in hits_of(now)]
    api.post("/lists", {"name": "Mine", "symbols": hits[:2]})
    text = RULE if "universe:" not in RULE else "\n".join(line for line in RULE.split("\n") if "universe:" not in line)
    rule = api.post("/rules", {"text": f"universe: Mine\n{text}"}).json()["id"]
    api.put(f"/watched/{rule}", {"on": True})
    look.look()
    before = look.mark()
    assert api.get("/desk").json()["watched"][0]["hits"] == 2
    api.post("/lists", {"name": "Mine", "symbols": hits[:1]})
    assert look.mark() != before
    assert api.get("/desk").json()["watched"][0]["pending"]
    look.look()
    found = api.get("/desk").json()["watched"][0]
    assert (found["hits"], found["pending"]) == (1, False)


def test_the_desk_shows_watched_rules_and_says_what_is_still_computed(api: Api, stand: Stand) -> None:
    now = stand(3)
    rule = api.post("/rules", {"text": RULE}).json()["id"]
    broken = api.post("/rules", {"text": "name: Broken\nclos > 1"}).json()["id"]
    assert api.put(f"/watched/{rule}", {"on": True}).status_code == 204
    api.put(f"/watched/{broken}", {"on": True})
    found = api.get("/desk").json()
    DeskOut.model_validate(found)
    assert all(one["pending"] for one in found["watched"])
    look.look()
    found = api.get("/desk").json()
    assert [one["pending"] for one in found["watched"]] == [False, False]
    assert "Line 2" in found["watched"][0]["trouble"]
    hits = hits_of(now)
    assert found["watched"][1]["hits"] == len(hits)
    assert found["watched"][1]["fresh"] == [h.symbol for h in hits if h.fresh]
    assert found["sentence"].startswith("Harbour 500 closed ")
    assert len(found["breadth"]) == 126
    stand(2)
    assert all(one["pending"] for one in api.get("/desk").json()["watched"])
    api.put(f"/watched/{rule}", {"on": False})
    assert len(api.get("/desk").json()["watched"]) == 1
    assert Watched.on_desk.count() == 1
    # Put back while nothing has moved, it was watched all along; later it begins anew.
    since = Watched.objects.get(rule=rule).since
    api.put(f"/watched/{rule}", {"on": True})
    assert Watched.on_desk.get(rule=rule).since == since
    api.put(f"/watched/{rule}", {"on": False})
    now = stand(1)
    api.put(f"/watched/{rule}", {"on": True})
    assert Watched.on_desk.get(rule=rule).since == str(now) != since


def test_rules_that_are_too_much_at_once_are_looked_at_in_parts(stand: Stand, api: Api, monkeypatch: pytest.MonkeyPatch) -> None:
    now, owner = stand(0), get_user_model().objects.get(username="ada")
    texts = [f"close > sma({n})" for n in range(3, 14)]
    expected = {text: scheduled_scans.found_alone(owner, text, None, now) for text in texts}
    sizes: list[int] = []
    together = scheduled_scans.scan_many

    def few(engine: Evaluator, asked: list[Asked], *rest: object) -> list[Found]:
        sizes.append(len(asked))
        if len(asked) > 3:
            raise Stopped("too much")
        return together(engine, asked, *rest)

    monkeypatch.setattr(scheduled_scans, "scan_many", few)
    monkeypatch.setattr(scheduled_scans, "found_alone", lambda *_: pytest.fail("it was to be found together with others"))
    monkeypatch.setattr(scheduled_scans, "LEAST", 2)
    of = scheduled_scans.Scans(now)
    of.expect((owner, text, None) for text in texts)
    assert {text: of.hits(owner, text, None) for text in texts} == expected
    assert sizes[0] > 3
    assert max(size for size in sizes if size <= 3) == 3


def test_the_first_mail_of_a_schedule_calls_no_old_hit_new_and_later_ones_come_when_something_is_new(
    api: Api, stand: Stand
) -> None:
    stand(5)
    rule = api.post("/rules", {"text": "name: Always\nclose > 0"}).json()["id"]
    api.post("/schedules", {"rule": rule, "puts": "All of them"})
    every = api.post("/schedules", {"rule": rule, "only_new": False}).json()
    stand(4)
    look.look()
    (mail,) = [m for m in messages() if m.kind == "schedule"]  # nothing is new: only the one that always mails
    assert mail.subject.startswith("Always: 0 new, ")
    assert every["only_new"] is False
    assert (
        len(next(x for x in api.get("/lists").json() if x["name"] == "All of them")["symbols"]) > 10
    )  # the list begins with all that hits


def test_a_day_of_a_kind_that_this_version_does_not_know_is_shown_and_stops_nothing(api: Api, stand: Stand) -> None:
    """As a newer version's database may hold one."""
    now = stand(10)
    first = to_date(now.day)
    for ahead, kind, name in ((1, "announcement", "Rate"), (2, "half day", "Eve"), (3, "holiday", "Feast")):
        CalendarEvent.objects.create(day=first + timedelta(ahead), kind=kind, name=name)
    shown = [day["what"] for day in api.get("/desk").json()["ahead"]]
    assert [words for words in shown if words in ("Rate announced", "Eve (half day)", "Feast")] == [
        "Rate announced",
        "Eve (half day)",
        "Feast",
    ]
    market = load.load_market()
    assert to_day(first + timedelta(1)) in market.events["Rate"]
    assert "Eve" not in market.events
    assert to_day(first + timedelta(2)) not in market.bars.calendar.holidays
