"""What moved is told to every tab that listens: at once, to nobody else, and only while somebody is signed in."""

import json
from typing import Any

import pytest
from asgiref.sync import async_to_sync, sync_to_async
from django.contrib.auth import get_user_model
from django.test import AsyncClient, Client

from upperwick.events import bus, views, watch
from upperwick.jobs.models import Job
from upperwick.market.models import DataVersion

pytestmark = pytest.mark.django_db


@pytest.fixture
def told(monkeypatch: pytest.MonkeyPatch) -> list[tuple[str, int | None, dict[str, Any]]]:
    """What was published, in order."""
    found: list[tuple[str, int | None, dict[str, Any]]] = []
    monkeypatch.setattr(watch, "publish", lambda what, owner_id=None, **more: found.append((what, owner_id, more)))
    monkeypatch.setattr(watch, "missing", lambda: [])
    return found


def account(name: str) -> Any:
    return get_user_model().objects.create_user(name, password="a-long-secret")


def job_of(owner: Any, **more: Any) -> Job:
    return Job.objects.create(
        owner=owner, kind="study", name="x", question={}, digest=str(Job.objects.count()), data_version="1", **more
    )


def test_a_job_is_told_when_it_moves_and_not_when_it_does_not(told):
    watched = watch.Watch()
    job = job_of(account("one"))
    watched.look()
    watched.look()
    assert [(what, owner, more["state"]) for what, owner, more in told] == [("job", job.owner_id, "waiting")]
    Job.objects.filter(id=job.id).update(state="running", share=0.5, stage="Measuring")
    watched.look()
    assert told[-1][2] | {"share": 0.5, "stage": "Measuring", "state": "running"} == told[-1][2]
    Job.objects.filter(id=job.id).update(state="done")
    watched.look()
    watched.look()
    assert [more["state"] for _, _, more in told] == ["waiting", "running", "done"]


def test_a_job_that_began_and_ended_between_two_looks_is_told(told):
    watched = watch.Watch()
    job_of(account("one"), state="done")
    watched.look()
    watched.look()
    assert [more["state"] for _, _, more in told] == ["done"]


def test_an_import_is_told_to_everybody(told):
    watched = watch.Watch()
    DataVersion.objects.create()
    watched.look()
    watched.look()
    assert told == [("market", None, {})]


def test_nobody_else_is_told_of_an_account_s_rules():
    async def listen() -> list[Any]:
        with bus.Listener(1) as mine, bus.Listener(2) as other:
            bus.publish("rules", 1, id=3)
            return [await mine.next(1.0), await other.next(0.05)]

    assert async_to_sync(listen)() == [{"what": "rules", "id": 3}, None]


def test_one_who_falls_behind_is_told_that_everything_moved():
    async def fall_behind() -> list[Any]:
        with bus.Listener(1) as mine:
            for i in range(bus.MOST_WAITING + 3):
                mine._put({"what": "rules", "id": i})
            return [await mine.next(1.0) for _ in range(3)]

    assert async_to_sync(fall_behind)() == [bus.EVERYTHING, {"what": "rules", "id": 201}, {"what": "rules", "id": 202}]


@pytest.mark.django_db(transaction=True)
def test_a_change_of_a_rule_reaches_the_other_tab_over_the_stream(client_of):
    client, owner = client_of("one")

    async def other_tab() -> list[str]:
        stream = views._stream(owner.pk, client.session.session_key)
        first = await anext(stream)
        made = await sync_to_async(client.post)("/api/rules", {"text": "close > 5", "name": "New"}, content_type="application/json")
        assert made.status_code == 200, made.content
        then = await anext(stream)
        await stream.aclose()
        return [first, then]

    first, then = async_to_sync(other_tab)()
    assert json.loads(first.split("data: ")[1]) == {"what": "everything"}
    assert json.loads(then.removeprefix("data: "))["what"] == "rules"


def test_the_stream_ends_with_the_session(client_of, monkeypatch):
    client, owner = client_of("one")
    monkeypatch.setattr(views, "ALIVE_SECONDS", 0.05)
    key = client.session.session_key

    async def listen() -> list[str]:
        stream = views._stream(owner.pk, key)
        found = [await anext(stream), await anext(stream)]
        await sync_to_async(client.delete)("/api/session")
        found += [said async for said in stream]
        return found

    said = async_to_sync(listen)()
    assert said[1] == ": still here\n\n"
    assert all(line.startswith(":") for line in said[1:]), "an event was sent to one who has left"


def test_a_stranger_and_one_with_too_many_pages_get_no_stream(client_of, monkeypatch):
    stranger = async_to_sync(AsyncClient().get)("/api/events")
    assert (stranger.status_code, stranger.json()["title"]) == (401, "Not signed in")
    client, _ = client_of("one")
    monkeypatch.setattr(views, "listening", lambda owner_id: views.MOST_STREAMS)
    browser = AsyncClient()
    browser.cookies = client.cookies
    refused = async_to_sync(browser.get)("/api/events")
    assert refused.status_code == 429
    assert "close some" in refused.json()["detail"]


@pytest.fixture
def client_of(monkeypatch):
    monkeypatch.setattr(views, "begin", lambda: None)  # what other processes change is another test's

    def make(name: str) -> tuple[Client, Any]:
        owner = account(name)
        client = Client()
        client.force_login(owner)
        return client, owner

    return make
