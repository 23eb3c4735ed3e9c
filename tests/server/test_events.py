"""What moved is told to every tab that listens: at once, to nobody else, and only while somebody is signed in."""

import asyncio
import json
from collections.abc import Coroutine
from concurrent.futures import Future, ThreadPoolExecutor
from types import SimpleNamespace
from typing import Any

import pytest
from django.contrib.auth import get_user_model
from django.test import Client

from upperwick.alerts.models import Alert, Watched
from upperwick.bench.models import BenchEvent, BenchItem
from upperwick.events import bus, kinds, views, watch
from upperwick.events.models import Told
from upperwick.jobs.models import Job
from upperwick.market.models import DataVersion
from upperwick.outbox.models import Message
from upperwick.rules.models import Rule

pytestmark = pytest.mark.django_db


@pytest.fixture
def told(monkeypatch: pytest.MonkeyPatch) -> list[tuple[str, int | None, dict[str, Any]]]:
    """What was published, in order."""
    found: list[tuple[str, int | None, dict[str, Any]]] = []
    monkeypatch.setattr(watch, "tell_here", lambda what, owner_id=None, **more: found.append((what, owner_id, more)))
    monkeypatch.setattr(watch, "missing", lambda: [])
    return found


@pytest.fixture
def beside():
    """Runs a coroutine in a loop of its own thread: a browser's test before may have left one in this."""
    with ThreadPoolExecutor(1) as pool:
        yield lambda work: pool.submit(asyncio.run, work)


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


def test_each_account_is_told_of_what_it_keeps_and_of_its_bench_alone(told):
    one, two = account("one"), account("two")
    watched = watch.Watch()
    alert = Alert.objects.create(owner=one, kind="price", symbol="BEACON")
    Message.objects.create(owner=two, key="m", kind="alert", moment="2024-06-28", subject="x", raw=b"")
    item = BenchItem.objects.create(owner=two, symbol="BEACON", since="2024-06-28", moved="2024-06-28")
    BenchEvent.objects.bulk_create(
        [BenchEvent(item=item, kind="paper", moment="2024-06-28", text="filled")]
    )  # as by another process
    watched.look()
    watched.look()
    assert told == [("alerts", one.pk, {}), ("alerts", two.pk, {}), ("bench", two.pk, {})]
    told.clear()
    Alert.objects.filter(id=alert.id).update(armed=False)
    rule = Rule.objects.create(owner=two, name="A", text="close > 1")
    Watched.objects.create(rule=rule, since="2024-06-28")
    watched.look()
    assert [(what, owner) for what, owner, _ in told if what == "alerts"] == [("alerts", one.pk), ("alerts", two.pk)]


def test_what_was_told_as_it_was_written_is_not_told_again(told, django_capture_on_commit_callbacks):
    owner = account("one")
    item = BenchItem.objects.create(owner=owner, symbol="BEACON", since="2024-06-28", moved="2024-06-28")
    watched = watch.Watch()
    with django_capture_on_commit_callbacks(execute=True):
        event = BenchEvent.objects.create(item=item, kind="note", moment="2024-06-28", text="x")
    watched.look()
    assert told == []
    assert not bus.heard(event.pk)  # nothing of it is kept


def test_what_one_serving_process_tells_reaches_the_listeners_of_another(told, monkeypatch):
    for module in (bus, watch):
        monkeypatch.setattr(module, "processes", lambda: 2)
    watched = watch.Watch()
    bus.publish("lists", 7)
    Told.objects.create(process="another", what="rules", owner=7, more={"id": 3})
    Told.objects.create(process="another", what="signed out", owner=8)
    watched.look()
    watched.look()
    assert told == [("rules", 7, {"id": 3}), ("signed out", 8, {})]  # its own were told by itself


def test_what_is_kept_for_other_processes_does_not_grow(monkeypatch):
    monkeypatch.setattr(bus, "processes", lambda: 2)
    monkeypatch.setattr(bus, "KEPT", 5)
    for i in range(23):
        bus.publish("rules", 7, id=i)
    assert Told.objects.count() < 10
    assert Told.objects.order_by("-id").values_list("more", flat=True)[0] == {"id": 22}
    monkeypatch.setattr(bus, "processes", lambda: 1)
    bus.publish("rules", 7, id=99)
    assert Told.objects.order_by("-id").values_list("more", flat=True)[0] == {"id": 22}


def test_who_looks_goes_on_after_a_failure_and_ends_only_when_nobody_listens(monkeypatch):
    """Whoever begins to listen as the last one leaves is not left to a thread that ends."""
    told, turns = [], iter([False, True, False, False])
    listening = [{1}]

    class Failing:
        def look(self) -> None:
            if next(turns):
                raise ValueError("anything")
            if len(told) == 1:
                listening[0] = set()

    begun: list[Any] = []
    monkeypatch.setattr(watch, "Watch", Failing)
    monkeypatch.setattr(watch, "LOOK_SECONDS", 0.0)
    monkeypatch.setattr(watch, "tell_here", lambda what: told.append(what))
    monkeypatch.setattr(watch, "owners", lambda: listening[0])
    monkeypatch.setattr(watch, "_thread", None)
    monkeypatch.setattr(
        watch, "Thread", lambda target, **_: SimpleNamespace(start=lambda: begun.append(target), is_alive=lambda: True)
    )
    watch.begin()
    watch.begin()
    assert len(begun) == 1
    begun[0]()
    assert told == ["everything"]
    watch.begin()
    assert len(begun) == 2


def test_nobody_else_is_told_of_an_account_s_rules(beside):
    async def listen() -> list[Any]:
        with bus.Listener(1) as mine, bus.Listener(2) as other:
            bus.publish("rules", 1, id=3)
            return [await mine.next(1.0), await other.next(0.05)]

    assert beside(listen()).result() == [{"what": "rules", "id": 3}, None]


def test_a_kind_of_event_that_is_not_declared_is_refused_where_it_is_told() -> None:
    with pytest.raises(ValueError, match="`ranks` is no kind of event"):
        bus.publish("ranks", 1)


def test_one_who_falls_behind_is_told_that_everything_moved(beside):
    async def fall_behind() -> list[Any]:
        with bus.Listener(1) as mine:
            for i in range(bus.MOST_WAITING + 3):
                mine._put({"what": "rules", "id": i})
            return [await mine.next(1.0) for _ in range(3)]

    assert beside(fall_behind()).result() == [
        {"what": kinds.EVERYTHING},
        {"what": "rules", "id": 201},
        {"what": "rules", "id": 202},
    ]


@pytest.mark.parametrize(
    ("method", "path", "body", "what"),
    [
        ("post", "/api/rules", {"text": "close > 5", "name": "New"}, "rules"),
        ("post", "/api/lists", {"name": "Mine", "symbols": []}, "lists"),
    ],
)
def test_a_change_reaches_the_other_tab_once_it_can_be_read(
    method, path, body, what, beside, monkeypatch, django_capture_on_commit_callbacks
):
    owner, client = account("one"), Client()
    client.force_login(owner)
    listens: Future[None] = Future()

    async def other_tab() -> list[str]:
        monkeypatch.setattr(views, "begin", lambda: listens.set_result(None))
        stream = views._stream(owner.pk, "")
        first = await anext(stream)
        then = await asyncio.wait_for(anext(stream), 20)
        await stream.aclose()
        return [first, then]

    tab = beside(other_tab())
    listens.result(20)
    with django_capture_on_commit_callbacks(execute=True):
        made = getattr(client, method)(path, body, content_type="application/json")
        assert made.status_code == 200, made.content
        assert not tab.done(), "it was told before it could be read"
    first, then = tab.result(30)
    assert json.loads(first.split("data: ")[1]) == {"what": "everything"}
    assert json.loads(then.removeprefix("data: "))["what"] == what
    assert not bus.listening(owner.pk)


def test_a_session_that_has_ended_is_known_to_have():
    client = Client()
    client.force_login(account("one"))
    key = client.session.session_key
    assert views._signed_in.func(key)
    client.delete("/api/session")
    assert not views._signed_in.func(key)


def test_the_stream_ends_with_its_session_and_stays_with_another(beside, monkeypatch):
    monkeypatch.setattr(views, "begin", lambda: None)
    monkeypatch.setattr(views, "LEAVING_SECONDS", 0.0)

    async def listen(still: bool) -> list[str]:
        async def signed_in(key: str) -> bool:
            return still

        monkeypatch.setattr(views, "_signed_in", signed_in)
        stream = views._stream(7, "key")
        found = [await anext(stream)]
        bus.publish(kinds.SIGNED_OUT, 7)
        bus.publish("rules", 7)
        async for said in stream:
            found.append(said)
            if "rules" in said:
                break
        return found[1:]

    assert beside(listen(False)).result(20) == []
    assert beside(listen(True)).result(20) == [": still here\n\n", 'data: {"what": "rules"}\n\n']


@pytest.mark.parametrize(
    ("method", "known", "open_", "status", "said"),
    [
        ("GET", False, 0, 401, "Sign in first."),
        ("POST", True, 0, 405, "only be read"),
        ("GET", True, views.MOST_STREAMS, 429, "close some"),
        ("GET", True, views.MOST_STREAMS - 1, 200, ""),
    ],
)
def test_who_gets_a_stream(method, known, open_, status, said, beside, monkeypatch):
    async def user() -> Any:
        return SimpleNamespace(is_authenticated=known, pk=1)

    async def ask() -> Coroutine[Any, Any, Any]:
        return await views.events(SimpleNamespace(method=method, auser=user, session=SimpleNamespace(session_key="key")))

    monkeypatch.setattr(views, "listening", lambda owner_id: open_)
    answer = beside(ask()).result(20)
    assert answer.status_code == status
    if said:
        assert said in json.loads(answer.content)["detail"]
    else:
        assert answer.headers["Content-Type"] == "text/event-stream"
