"""Positions one really holds: a stop or a target that is met, gapped through or near is said once, and stands first until it is dealt with."""

from typing import Any

import numpy as np
import pytest
from django.contrib.auth import get_user_model

from tests.made import weekdays
from tests.server.conftest import Api
from upperwick.alerts.look import look, tell_issues
from upperwick.bench.models import BenchItem, PositionNotice
from upperwick.books.services import text_from_rule
from upperwick.data.importing.import_service import take
from upperwick.data.importing.nights import check_nights
from upperwick.data.models import DataIssue, Import
from upperwick.data.reading.bars import PriceTables
from upperwick.data.reading.batch import Read
from upperwick.market.models import Instrument, Split
from upperwick.market.store import another_version
from upperwick.outbox.models import Message
from wickcore.bars.moment import iso, to_date

pytestmark = pytest.mark.usefixtures("empty_market")
DAYS = weekdays(60, int(np.datetime64("2024-04-01", "D").astype(int)))
Bar = tuple[float, float, float, float]
QUIET: Bar = (46.0, 46.5, 45.5, 46.0)


def bring(symbol: str, bars: list[Bar], first: int = 0, minutes: list[int] | None = None) -> None:
    """Adds bars of one instrument from a session on."""
    columns: dict[str, Any] = {n: np.array([b[i] for b in bars], float) for i, n in enumerate(("open", "high", "low", "close"))}
    days = np.full(len(bars), DAYS[first]) if minutes else DAYS[first : first + len(bars)]
    table = {"days": days.astype(np.int32), **columns, "volume": np.full(len(bars), 1e5)}
    if minutes:
        table["minute"] = np.array(minutes, np.int32)
    take(Read(prices=PriceTables({"5min" if minutes else "day": {symbol: table}})), source="test")


def day(at: int) -> str:
    return iso(int(DAYS[at]))


def hold(api: Api, symbol: str = "ZZA", at: int = 29, side: str = "long", shares: int = 222, price: float = 46.0) -> int:
    item = api.post("/bench", {"symbol": symbol}).json()["id"]
    body = {"action": "buy" if side == "long" else "short", "shares": shares, "price": price, "cost": 0, "day": day(at)}
    assert api.post(f"/bench/{item}/fills", body).status_code == 200
    return int(item)


def plan(api: Api, item: int, stop: float, targets: tuple[float, ...] = (), side: str = "long") -> None:
    body = {
        "side": side, "entry": 46.0, "stop": stop, "targets": [{"price": t, "part": 1 / len(targets)} for t in targets], "follow": "",
        "shares": None, "until": day(45),
    }  # fmt: skip
    assert api.client.put(f"/api/bench/{item}/plan", {"plan": body}, "application/json").status_code == 204


@pytest.fixture
def held(api: Api) -> int:
    bring("ZZA", [QUIET] * 30)
    item = hold(api)
    plan(api, item, 44.65, (50.0,))
    look()
    assert Message.objects.count() == 0
    return item


def said(api: Api) -> list[tuple[str, str]]:
    return [(n["kind"], n["event"]) for n in api.get("/desk").json()["notices"]]


def test_a_broken_stop_is_a_message_and_first_on_the_desk_and_stands_until_the_fill(api: Api, held: int) -> None:
    bring("ZZA", [(45.0, 45.2, 44.54, 44.57)], 30)
    assert look() == 1
    message = Message.objects.get()
    assert message.subject == "ZZA traded at 44.54, under its stop of 44.65"
    assert "222 shares are held, entered by hand" in message.text
    desk = api.get("/desk").json()
    assert [(n["kind"], n["event"], n["item"]) for n in desk["notices"]] == [("stop", "met", held)]
    assert "0.08 beyond its stop" in desk["holdings"][0]["look_at"]
    assert [n["event"] for n in api.get(f"/bench/{held}/position").json()["notices"]] == ["met"]
    bring("ZZA", [(44.0, 44.2, 43.5, 44.0)], 31)
    assert look() == 0  # it was said
    assert len(said(api)) == 1
    api.post(f"/bench/{held}/fills", {"action": "sell", "shares": 222, "price": 44.0, "cost": 1, "day": day(31)})
    assert said(api) == []


def test_a_stop_that_is_broken_as_the_fill_is_entered_is_told(api: Api) -> None:
    bring("ZZA", [QUIET] * 29)
    item = api.post("/bench", {"symbol": "ZZA"}).json()["id"]
    plan(api, item, 44.65)
    bring("ZZA", [(45.0, 46.2, 44.5, 44.57)], 29)
    hold(api)
    assert look() == 1
    assert Message.objects.get().subject == "ZZA traded at 44.57, under its stop of 44.65"
    bring("ZZA", [(44.5, 44.6, 44.0, 44.3)], 30)
    assert look() == 0  # it was said


def test_a_gap_through_it_a_close_far_under_and_one_near(api: Api, held: int) -> None:
    bring("ZZA", [(45.6, 45.9, 45.0, 45.05)], 30)
    look()
    assert said(api) == [("stop", "near")]
    assert Message.objects.first().subject == "ZZA closed at 45.05, 0.40 above its stop of 44.65"
    bring("ZZA", [(40.0, 41.0, 39.0, 40.5)], 31)
    look()
    assert said(api) == [("stop", "gapped")]
    assert api.get("/desk").json()["totals"]["risk"] == pytest.approx(222 * 40.5)  # beyond its stop nothing protects it
    assert Message.objects.first().subject == "ZZA opened at 40.00, under its stop of 44.65"
    assert "4.15 beyond its stop" in api.get("/desk").json()["holdings"][0]["look_at"]


def test_how_near_is_near_is_a_setting(api: Api, held: int) -> None:
    api.put("/preferences", {"account": {"near": 0}})
    bring("ZZA", [(45.6, 45.9, 45.0, 45.05)], 30)
    assert look() == 0
    assert said(api) == []


def test_moving_the_stop_deals_with_it_and_watches_the_new_one(api: Api, held: int) -> None:
    bring("ZZA", [(45.0, 45.2, 44.54, 44.8)], 30)
    look()
    plan(api, held, 43.0, (50.0,))
    assert said(api) == []
    bring("ZZA", [(44.0, 44.2, 42.9, 44.0)], 31)
    look()
    assert said(api) == [("stop", "met")]
    assert Message.objects.count() == 2


def test_a_target_is_reached_and_part_of_it_sold(api: Api, held: int) -> None:
    bring("ZZA", [(49.0, 50.4, 48.8, 50.1)], 30)
    look()
    assert said(api) == [("target", "met")]
    api.post(f"/bench/{held}/fills", {"action": "sell", "shares": 100, "price": 50.0, "cost": 0, "day": day(30)})
    assert said(api) == []


def test_a_short_is_the_mirror(api: Api) -> None:
    bring("ZZA", [QUIET] * 30)
    item = hold(api, side="short")
    plan(api, item, 48.0, (44.0,), "short")
    look()
    bring("ZZA", [(46.5, 48.2, 46.0, 47.9)], 30)
    look()
    assert Message.objects.get().subject == "ZZA traded at 48.20, over its stop of 48.00"
    assert "shares are sold short" in Message.objects.get().text


def test_a_split_meets_no_stop(api: Api, held: int) -> None:
    Split.objects.create(instrument=Instrument.objects.get(symbol="ZZA"), day=to_date(int(DAYS[30])), ratio=2.0)
    bring("ZZA", [(23.0, 23.2, 22.9, 23.1)], 30)
    assert look() == 0
    bring("ZZA", [(22.9, 23.0, 22.2, 22.5)], 31)
    look()
    assert Message.objects.get().subject == "ZZA traded at 22.20, under its stop of 22.32"


def test_within_a_session_it_is_told_at_that_minute(api: Api, held: int) -> None:
    bring("ZZA", [(45.9, 46.0, 45.5, 45.6), (45.6, 45.6, 44.6, 44.9)], 30, [570, 575])
    look()
    message = Message.objects.get()
    assert message.subject == "ZZA traded at 44.60, under its stop of 44.65, 09:40"
    assert message.moment.endswith("T09:40")
    bring("ZZA", [(45.9, 46.0, 44.6, 45.2)], 30)  # the day's own bar says nothing new
    assert look() == 0


def test_a_halt_and_a_delisting_are_said(api: Api, held: int) -> None:
    bring("ZZB", [QUIET] * 34)
    look()
    assert said(api) == [("halt", "silent")]
    assert "its stop cannot be watched" in Message.objects.get().text
    Instrument.objects.filter(symbol="ZZA").update(delisted=to_date(int(DAYS[32])))
    another_version("delisted")
    bring("ZZB", [QUIET], 34)
    look()
    assert said(api) == [("delisted", "over"), ("halt", "silent")]


def test_what_is_put_away_is_not_told_again_and_can_be_had_back(api: Api, other: Api, held: int) -> None:
    bring("ZZA", [(45.0, 45.2, 44.54, 44.57)], 30)
    look()
    notice = PositionNotice.objects.get()
    assert other.delete(f"/bench/notices/{notice.id}").status_code == 404
    assert api.delete(f"/bench/notices/{notice.id}").status_code == 204
    assert said(api) == []
    bring("ZZA", [(44.6, 45.2, 44.5, 44.6)], 31)
    assert look() == 0
    api.post(f"/bench/notices/{notice.id}/restore")
    assert said(api) == [("stop", "met")]


def test_a_stop_saved_today_is_not_broken_by_the_days_before(api: Api) -> None:
    bring("ZZA", [*[QUIET] * 20, (45.0, 45.1, 40.0, 45.0), *[QUIET] * 9])
    item = hold(api, at=10)
    plan(api, item, 44.0)
    assert look() == 0
    assert said(api) == []


def test_a_holding_without_a_stop_is_warned_of_and_at_risk_with_its_full_value(api: Api) -> None:
    bring("ZZA", [QUIET] * 30)
    hold(api, shares=100)
    desk = api.get("/desk").json()
    assert desk["holdings"][0]["look_at"] == "no stop is saved"
    assert (desk["totals"]["risk"], desk["totals"]["unstopped"]) == (4600.0, 1)


def test_totals_leave_out_what_is_in_another_currency_and_say_so(api: Api) -> None:
    for symbol in ("ZZA", "ZZB"):
        bring(symbol, [QUIET] * 30)
        hold(api, symbol, shares=100, price=45.0)
    Instrument.objects.filter(symbol="ZZB").update(currency="SEK")
    api.put("/preferences", {"account": {"currency": "EUR", "size": 50_000}})
    totals = api.get("/desk").json()["totals"]
    assert (totals["profit"], totals["foreign"]) == (100.0, ["ZZB"])
    assert totals["gain"] == pytest.approx(1 / 45)
    assert totals["risk_share"] == pytest.approx(4600 / 50_000)


def test_a_plan_after_the_position_is_over_is_refused_whatever_day_is_stood_on(api: Api, held: int) -> None:
    bring("ZZA", [QUIET], 30)
    api.post(f"/bench/{held}/fills", {"action": "sell", "shares": 222, "price": 46.0, "cost": 0, "day": day(30)})
    body = {"side": "long", "entry": 46.0, "stop": 44.0, "targets": [], "follow": "", "shares": None, "until": day(45)}
    refused = api.client.put(f"/api/bench/{held}/plan", {"plan": body, "as_of": day(29)}, "application/json")
    assert refused.status_code == 409
    assert "position is over" in refused.json()["detail"]


def test_the_watch_of_many_killed_anywhere_says_each_once(api: Api, held: int, monkeypatch: pytest.MonkeyPatch) -> None:
    """The message is written in the transaction of what was watched: where that fails, neither stands."""
    bring("ZZA", [(45.0, 45.2, 44.54, 44.57)], 30)
    monkeypatch.setattr(BenchItem, "save", lambda *a, **k: (_ for _ in ()).throw(RuntimeError("killed")))
    look()
    assert (Message.objects.count(), PositionNotice.objects.count()) == (0, 0)
    monkeypatch.undo()
    assert look() == 1
    assert look() == 0


# -- nights that failed ----------------------------------------------------------------------------------------------


def test_a_session_without_bars_and_instruments_that_fell_silent_are_said_once_and_settle_by_themselves(api: Api) -> None:
    for symbol in ("ZZA", "ZZB", "ZZC"):
        bring(symbol, [QUIET] * 10)
    assert check_nights() == []
    for symbol in ("ZZA", "ZZB"):
        bring(symbol, [QUIET], 11)
    missing, silent = check_nights()
    assert f"No bars of {to_date(int(DAYS[10])):%A %-d %B %Y}" in missing
    assert silent == f"ZZC has no bar of {to_date(int(DAYS[11])):%A %-d %B %Y}, after one on each session before."
    tell_issues()
    assert Message.objects.count() == 2
    for symbol in ("ZZA", "ZZB"):
        bring(symbol, [QUIET], 10)
    check_nights()
    tell_issues()
    bring("ZZC", [QUIET] * 2, 10)
    assert check_nights() == []
    assert not DataIssue.objects.filter(settled__isnull=True).exists()
    before = Message.objects.count()
    check_nights()
    tell_issues()
    assert Message.objects.count() == before


def test_an_evening_that_does_not_come_is_said(api: Api) -> None:
    from datetime import UTC, datetime, timedelta

    bring("ZZA", [QUIET] * 10)
    last = to_date(int(DAYS[9]))
    following = to_date(int(DAYS[10]))
    noon = datetime(following.year, following.month, following.day, 12, tzinfo=UTC)
    for back in range(4):
        one = Import.objects.create(source="drop folder", what="evening")
        Import.objects.filter(id=one.id).update(at=noon - timedelta(days=back))
    assert check_nights(noon) == []
    (late,) = check_nights(noon + timedelta(days=1))
    assert f"The prices of {following:%A %-d %B %Y} have not come" in late
    assert f"{last:%A %-d %B %Y}" in late
    tell_issues()
    assert [m.kind for m in Message.objects.filter(owner=get_user_model().objects.get(username="ada"))] == ["data"]
    assert api.get("/desk").json()["issues"][0]["kind"] == "late"


def test_a_new_book_and_a_plan_begin_with_the_account_s_size_risk_and_costs(api: Api) -> None:
    """They are written into a book when it is made, and not read when it runs."""
    bring("ZZA", [QUIET] * 30)
    api.put("/preferences", {"account": {"size": 40_000, "risk": 0.02, "most": 0.5, "cost": 0.0025}})
    rule = api.post("/rules", {"text": "name: Up\nclose > 1"}).json()["id"]
    text = text_from_rule(get_user_model().objects.get(username="ada"), rule)
    assert {"start: 40000", "size: risk 2%, at most 50%", "cost: 0.25%"} <= set(text.splitlines())
    item = api.post("/bench", {"symbol": "ZZA"}).json()["id"]
    plan(api, item, 44.0)
    size = api.post(f"/bench/{item}/plan", {}).json()
    assert "size" in size, size
    assert (size["account"], size["size"]["shares"], size["size"]["limit"]) == (
        40_000,
        400,
        "risk",
    )  # 2% of 40,000 over 2.00 a share


@pytest.mark.parametrize(("until", "status"), [("", 204), ("x", 422), ("2024-02-31", 422), ("20240701", 422), (None, 422)])
def test_the_end_of_a_plan_is_a_day_or_none(api: Api, until: Any, status: int) -> None:
    bring("ZZA", [QUIET] * 30)
    item = api.post("/bench", {"symbol": "ZZA"}).json()["id"]
    levels = {"side": "long", "entry": 47.0, "stop": 44.0, "targets": [], "follow": "", "shares": 10, "until": until}
    tried = api.post(f"/bench/{item}/plan", {"plan": levels})
    assert (tried.status_code == 200) == (status == 204), tried.content
    kept = api.client.put(f"/api/bench/{item}/plan", {"plan": levels}, "application/json")
    assert kept.status_code == status, kept.content
    if until == "":  # it waits on paper for as long as it takes
        left = api.client.put(f"/api/bench/{item}/clock", {"on": True}, "application/json")
        assert left.status_code == 204, left.content
        bring("ZZA", [QUIET] * 25, first=30)
        look()
        (row,) = api.get("/bench").json()
        assert (row["stage"], row["paper"]) == ("planned", "waiting")
        bring("ZZA", [(46.0, 48.0, 45.5, 47.5)], first=55)
        look()
        assert api.get("/bench").json()[0]["stage"] == "holding"
