"""The simulated feed: what it lays into the drop folder is taken, a session step by step is the session at once, and the market goes on."""

import time
from datetime import timedelta
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from django.utils import timezone

from tests.server.conftest import Api
from upperwick.data import feed
from upperwick.data.drop_folder import bring_in, folder
from upperwick.data.models import Before, Feed, Import
from upperwick.market import load
from upperwick.market.load import evaluator, load_market
from upperwick.market.models import DataVersion
from wickcore.bars.moment import Moment, iso
from wickcore.demo.feed_market import Ahead, make_ahead
from wickcore.demo.market import make_world

pytestmark = pytest.mark.django_db


@pytest.fixture(scope="module")
def to_come() -> Ahead:
    return make_ahead(make_world(listed=70, delisted=10))  # as the market of these tests was made


@pytest.fixture
def place(tmp_path: Path, settings: Any, monkeypatch: pytest.MonkeyPatch, to_come: Ahead) -> Path:
    settings.DATA_DIR = tmp_path
    monkeypatch.setattr(feed, "ahead", lambda: to_come)
    feed._made.cache_clear()
    monkeypatch.setattr(load, "_held", None)  # what is rolled back leaves the number of its version to another
    return folder()


def taken(place: Path) -> list[str]:
    """Brings in what lies there. Returns the names."""
    files = sorted(p for p in place.iterdir() if p.is_file())
    bring_in(place, files)
    assert not list((place / "refused").iterdir()), [p.read_text() for p in (place / "refused").glob("*.txt")]
    return [p.name for p in files]


def test_an_evening_is_laid_and_taken(place: Path, to_come: Ahead) -> None:
    session, done = feed.following(evaluator().market)
    assert session is not None
    assert (session.day, done) == (to_come.sessions[0].day, 0)
    feed.lay_evening(place, session)
    names = taken(place)
    assert {n.split("-")[4].split(".")[0] for n in names} >= {"bars", "5min", "overnight"}
    market = evaluator().market
    assert market.latest == Moment(session.day)
    on = market.bars.on(session.day)
    for symbol, bar in session.bars.items():
        assert market.bars.close[on[market.bars.number[symbol]]] == bar[3]
    assert Import.objects.count() == 1
    assert feed.following(market)[0] is to_come.sessions[1]


def test_a_session_step_by_step_is_the_session_at_once(place: Path, to_come: Ahead) -> None:
    session = to_come.sessions[0]
    for begin, end in ((0, 1), (1, 30), (30, 77)):
        feed.lay_within(place, session, begin, end)
        taken(place)
        market = evaluator().market
        assert market.latest == Moment(session.day, 570 + 5 * end)
        assert feed.following(market) == (session, end)
    assert not Before.objects.exists()  # steps of a session are nothing to be taken back
    (one,) = Import.objects.all()  # and stand as one
    assert one.counts["bars"]["added"] == 77 * len(session.bars)
    feed.lay_evening(place, session, from_bar=77)
    taken(place)
    market = load_market()
    inner, made = market.table("5min"), to_come.within(session)
    for symbol in ("HARBOUR", *list(session.bars)[:5]):
        k = inner.number[symbol]
        rows = np.arange(inner.offsets[k], inner.offsets[k + 1])
        here = rows[inner.days[rows] == session.day]
        assert inner.close[here].tolist() == made[symbol]["close"].tolist()
        assert inner.minute[here].tolist() == made[symbol]["minute"].tolist()
    assert feed.following(market)[0] is to_come.sessions[1]


def test_it_goes_to_the_close_and_stands(place: Path, to_come: Ahead) -> None:
    feed.go("close")
    feed._forward(Feed.objects.get())
    assert any(place.glob("feed-*-bars.csv"))
    assert Feed.objects.get().going == ""
    taken(place)
    assert "was delivered" in Feed.objects.get().said


def test_it_goes_through_a_session_as_the_clock_does(place: Path, to_come: Ahead, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(feed, "BREATH_SECONDS", 0.0)
    feed.go("session")
    feed._forward(Feed.objects.get())
    assert any("-within-0935" in name for name in taken(place))  # the first bar at once
    feed._forward(Feed.objects.get())
    assert not list(place.glob("feed-*"))  # the next is not due yet
    Feed.objects.update(begun=timezone.now() - timedelta(seconds=61))
    feed._forward(Feed.objects.get())
    feed._forward(Feed.objects.get())  # what was laid is not taken yet, so nothing more is
    (name,) = taken(place)
    assert name.startswith("feed-2024-07-01-within-12")  # half of two minutes: about half past twelve
    feed.go("pause")
    assert Feed.objects.get().going == ""
    feed.go("session")  # goes on where it stood
    feed._forward(Feed.objects.get())
    assert not list(place.glob("feed-*"))
    Feed.objects.update(begun=timezone.now() - timedelta(seconds=130))
    feed._forward(Feed.objects.get())
    taken(place)
    assert evaluator().market.latest == Moment(to_come.sessions[0].day)
    assert "is over" in Feed.objects.get().said


def test_it_breathes_between_steps(place: Path) -> None:
    feed.go("session")
    feed._forward(Feed.objects.get())
    taken(place)
    Feed.objects.update(begun=timezone.now() - timedelta(seconds=30))
    feed._forward(Feed.objects.get())
    assert not list(place.glob("feed-*"))
    assert feed._since_last() < 60


def test_all_sixty_evenings_can_be_taken(place: Path, to_come: Ahead) -> None:
    for session in to_come.sessions:
        feed.lay_evening(place, session, within=False)
    taken(place)
    market = load_market()
    assert market.latest == Moment(to_come.sessions[-1].day)
    fresh = [row["symbol"] for s in to_come.sessions for row in s.tables.get("instruments", []) if "listed" in row]
    assert set(fresh) <= set(market.bars.symbols)
    assert feed.following(market) == (None, 0)
    feed.go("close")
    feed._forward(Feed.objects.get())
    assert "are over" in Feed.objects.get().said
    # No price jumps where a split or a dividend was told with it.
    scaled = market.bars.close * market.bars.factor
    for k in range(len(market.bars.symbols)):
        part = slice(int(market.bars.offsets[k]), int(market.bars.offsets[k + 1]))
        later = market.bars.days[part] > to_come.sessions[0].day
        moves = np.abs(np.diff(np.log(scaled[part])))[later[1:]]
        assert moves.max(initial=0.0) < 0.5, market.bars.symbols[k]


def test_the_interface_tells_it_what_to_do(api: Api, place: Path) -> None:
    found = api.get("/data/feed").json()
    assert (found["going"], found["may"]) == ("", True)
    assert [w["way"] for w in found["ways"]] == ["close", "session", "real"]
    assert api.post("/data/feed", {"way": "session"}).json()["going"] == "session"
    assert api.post("/data/feed", {"way": "pause"}).json()["going"] == ""
    assert api.post("/data/feed", {"way": "backwards"}).status_code == 422
    latest = DataVersion.objects.last()
    latest.invented = False
    latest.save()
    assert api.get("/data/feed").json() is None
    refused = api.post("/data/feed", {"way": "close"})
    assert (refused.status_code, "your own prices" in refused.json()["detail"]) == (409, True)


def test_what_is_shown_of_the_market_stands_on_the_running_minute(api: Api, place: Path, to_come: Ahead) -> None:
    session = to_come.sessions[0]
    feed.lay_within(place, session, 0, 12)
    taken(place)
    found = api.get("/market").json()
    assert found["latest"] == f"{iso(session.day)}T10:30"
    assert found["sessions"][-1] == iso(session.day)
    assert (found["hours"]["opens"], found["hours"]["closes"]) == (570, 960)
    chart = api.post("/chart", {"symbol": "HARBOUR", "frame": "5min", "bars": 20}).json()
    assert chart["days"][-1] == f"{iso(session.day)}T10:25"
    assert len(chart["days"]) == len(chart["close"]) == 20
    quarter = api.post("/chart", {"symbol": "HARBOUR", "frame": "15min", "bars": 4, "as_of": f"{iso(session.day)}T10:20"}).json()
    assert quarter["days"][-1] == f"{iso(session.day)}T10:15"
    begun = time.monotonic()
    counted = api.post("/scan", {"text": "bars: 5min\nclose > opening_range(30).high\npace(20) > 0"}).json()
    assert counted["as_of"] == f"{iso(session.day)}T10:30"
    assert time.monotonic() - begun < 60


def test_inside_a_session_hits_are_compared_with_the_evening_before_and_values_are_of_the_minute(
    api: Api, place: Path, to_come: Ahead
) -> None:
    evening = str(load_market().latest)
    session = to_come.sessions[0]
    feed.lay_within(place, session, 0, 30)
    taken(place)
    text = "close > open"
    now = {h["symbol"] for h in api.post("/scan", {"text": text}).json()["hits"]}
    then = {h["symbol"] for h in api.post("/scan", {"text": text, "as_of": evening}).json()["hits"]}
    found = api.post("/since", {"text": text}).json()
    assert found["before"] == evening
    assert set(found["new"]) == now - then
    assert set(found["stayed"]) == now & then
    symbol = sorted(session.bars)[0]
    value = api.post("/value", {"text": text, "expression": "close", "symbol": symbol}).json()["value"]
    assert value == pytest.approx(float(to_come.within(session)[symbol]["close"][29]))
