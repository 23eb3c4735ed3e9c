"""Lanes of work and turns of accounts; evenings that came at once."""

import time
from dataclasses import replace
from threading import Event, Thread
from typing import Any

import pytest
from django.contrib.auth import get_user_model

from tests.server.conftest import Api
from tests.server.standing import Stand, bars_of
from upperwick.alerts import look, missed_evenings
from upperwick.alerts.models import Alert, Schedule
from upperwick.jobs import lanes as jobs_lanes
from upperwick.jobs.lanes import Lane
from upperwick.jobs.models import Job
from upperwick.jobs.registry import KINDS, LANES, register
from upperwick.jobs.services import NO_MEMORY, carry_out
from upperwick.market import load
from upperwick.outbox.models import Message
from wickcore.bars.moment import iso

pytestmark = pytest.mark.django_db


def waiting(owner: str, kind: str, count: int) -> list[int]:
    user = get_user_model().objects.get_or_create(username=owner)[0]
    made = [
        Job.objects.create(owner=user, kind=kind, name=f"{kind} {n}", question={}, digest=f"{owner}{kind}{n}", data_version="1")
        for n in range(count)
    ]
    return [job.id for job in made]


def test_every_kind_has_a_lane_and_an_unknown_one_is_refused() -> None:
    assert {kind.lane for kind in KINDS.values()} == set(LANES)
    with pytest.raises(ValueError, match="no lane"):
        register("x", lambda: "1", "x", lane="x")


def test_accounts_take_turns_and_lanes_do_not_wait_for_each_other() -> None:
    many, few = waiting("ada", "sweep", 12), waiting("brom", "sweep", 2)
    (study,) = waiting("cora", "study", 1)
    served = []
    long = Lane("long")
    while (job := long.next()) is not None:
        served.append(job)
        Job.objects.filter(id=job).update(state="done")
    assert served == [many[0], few[0], many[1], few[1], *many[2:]]
    assert (Lane("asked").next(), Lane("data").next()) == (study, None)


def test_a_job_that_fails_ends_no_lane(monkeypatch: pytest.MonkeyPatch) -> None:
    carried: list[int] = []
    turns = iter([1, 2, None, None])
    monkeypatch.setattr(Lane, "next", lambda self: next(turns, None))
    monkeypatch.setattr(jobs_lanes, "REST_SECONDS", 0.01)

    def carry(job: int, watched: bool) -> None:
        carried.append(job)
        raise ZeroDivisionError

    ending = Event()
    thread = Thread(target=jobs_lanes._work, args=(Lane("asked"), ending, carry))
    thread.start()
    while len(carried) < 2 and thread.is_alive():
        time.sleep(0.01)
    ending.set()
    thread.join(10)
    assert carried == [1, 2]


# -- evenings --------------------------------------------------------------------------------------------------------


def looked(api: Api, stand: Stand, steps: list[int]) -> list[tuple[str, str, str]]:
    """The messages of alerts and a schedule, set at the first of some evenings, when those after it come in these steps."""
    for model in (Message, Alert, Schedule):
        model.objects.all().delete()
    stand(steps[0])
    name = "Over its average"
    if not any(r["name"] == name for r in api.get("/rules").json()):
        assert api.post("/rules", {"text": f"name: {name}\n\nclose crosses above sma(10)"}).status_code == 200
    rule = next(r["id"] for r in api.get("/rules").json() if r["name"] == name)
    made = api.post("/schedules", {"rule": rule, "universe": "", "weekdays": [0, 1, 2, 3, 4], "times": ["close"], "mails": True,
                                   "only_new": False, "puts": ""})  # fmt: skip
    assert made.status_code == 200, made.content
    symbols = load.evaluator().bars.symbols
    for symbol in symbols[:6]:
        assert api.post("/alerts", {"kind": "rule", "symbol": symbol, "rule": rule}).status_code == 200
    look.look()
    for back in steps[1:]:
        stand(back)
        look.look()
    return sorted(Message.objects.values_list("moment", "kind", "subject"))


def test_forty_evenings_at_once_are_each_looked_at_in_their_order(api: Api, stand: Stand) -> None:
    one_by_one = looked(api, stand, list(range(40, -1, -1)))
    at_once = looked(api, stand, [40, 0])
    assert at_once == one_by_one
    assert len([m for m in at_once if m[1] == "schedule"]) >= 40
    assert any(m[1] == "alert" for m in at_once)
    ids = list(Message.objects.filter(kind="schedule").order_by("id").values_list("moment", flat=True))
    assert ids == sorted(ids)


def test_evenings_that_are_passed_over_are_said(api: Api, stand: Stand, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(missed_evenings, "MOST_EVENINGS", 5)
    messages = looked(api, stand, [40, 0])
    assert len([m for m in messages if m[1] == "schedule"]) <= 6
    (said,) = (m for m in messages if m[1] == "data")
    assert said[2] == "34 evenings were passed over"
    look.look()
    assert sorted(Message.objects.values_list("moment", "kind", "subject")) == messages  # once


def test_a_schedule_that_has_no_day_is_behind_of_nothing(api: Api, stand: Stand, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(missed_evenings, "MOST_EVENINGS", 2)
    looked(api, stand, [9])
    Alert.objects.all().delete()
    Message.objects.all().delete()
    Schedule.objects.update(weekdays=[5, 6])
    market: Any = load.evaluator().market
    stand(0)
    look.look()
    assert len(market.bars)
    assert not Message.objects.exists()


def test_an_alert_that_ended_among_evenings_that_came_at_once_is_looked_at_up_to_its_end(api: Api, stand: Stand) -> None:
    sessions = load.evaluator().bars.sessions
    symbol = load.evaluator().bars.symbols[0]
    bars, low = bars_of(symbol), {}
    for back in (6, 2):
        low[back] = float(bars["low"][(bars["days"] > sessions[-11]) & (bars["days"] <= sessions[-1 - back])].min())
    for level, until in ((low[6], 6), (low[6] * 0.5, 6)):
        stand(10)
        body = {
            "kind": "price",
            "symbol": symbol,
            "level": round(level + 0.01, 2),
            "way": "down",
            "until": iso(int(sessions[-1 - until])),
        }
        assert api.post("/alerts", body).status_code == 200
    stand(0)
    look.look()
    reached, ended = api.get("/alerts").json()[::-1]
    assert Message.objects.filter(kind="alert").count() == 1
    assert (reached["armed"], reached["fired"][:10] <= iso(int(sessions[-7]))) == (False, True)
    assert "ended on" in ended["said"]


def test_a_job_without_memory_has_failed(api: Api, monkeypatch: pytest.MonkeyPatch) -> None:
    def starved(*_: object) -> None:
        raise MemoryError

    monkeypatch.setitem(KINDS, "study", replace(KINDS["study"], work=starved))
    (job,) = waiting("ada", "study", 1)
    carry_out(job)
    assert Job.objects.values_list("state", "detail").get(id=job) == ("failed", NO_MEMORY)
