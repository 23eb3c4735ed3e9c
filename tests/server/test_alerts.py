"""Alerts, schedules and watched rules: looked at whenever the moment moves, and told once."""

from datetime import date
from typing import Any, get_args

import numpy as np
import pytest
from django.contrib.auth import get_user_model

from tests.server.conftest import Api
from tests.server.standing import RULE, Stand, bars_of, hits_of, in_days, messages
from upperwick.alerts import look
from upperwick.alerts.kinds import KINDS
from upperwick.alerts.models import Alert
from upperwick.desk.schemas import AlertIn
from upperwick.market import load
from wickcore.alerts.crossed import first_crossed, fixed
from wickcore.bars.moment import Moment, iso

pytestmark = pytest.mark.django_db


# -- prices ------------------------------------------------------------------------------------------------------------------


def test_a_price_alert_fires_once_on_the_first_bar_that_meets_it(api: Api, stand: Stand) -> None:
    symbol = in_days()
    of = bars_of(symbol)
    stand(30)
    last = float(of["close"][-31])
    level = round(last * 1.02, 2)
    made = api.post("/alerts", {"kind": "price", "symbol": symbol.lower(), "level": level, "way": "up", "note": "the old high"})
    assert made.status_code == 200, made.content
    assert made.json()["words"] == f"{symbol} rises to {level:g}"
    assert look.look() == 0
    # By hand: the first bar after it whose high reaches the level, the close before it lying under it.
    expected = next((i for i in range(len(of["days"]) - 30, len(of["days"])) if of["close"][i - 1] < level <= of["high"][i]), None)
    told = 0
    for back in range(29, -1, -1):
        now = stand(back)
        told += look.look()
        assert told == (expected is not None and of["days"][expected] <= now.day)
        assert look.look() == 0  # nothing is told twice of one moment
    if expected is not None:
        (message,) = messages()
        assert message.moment[:10] == iso(int(of["days"][expected]))
        assert f"{symbol} rose to your level at {level:.2f}" in message.subject
        assert "the old high" in message.text
        assert not Alert.objects.get().armed


def test_a_kind_that_this_version_does_not_know_is_shown_and_stops_nothing(api: Api, stand: Stand) -> None:
    """As a newer version's database may hold one. What kinds there are is the same for the database, the API and the registry."""
    assert set(KINDS) == {name for name, _ in Alert.KINDS} == set(get_args(AlertIn.model_fields["kind"].annotation))
    symbol = in_days()
    stand(30)
    level = round(float(bars_of(symbol)["close"][-31]) * 0.5, 2)
    sound = api.post("/alerts", {"kind": "price", "symbol": symbol, "level": level}).json()
    strange = Alert.objects.create(owner=get_user_model().objects.get(username="ada"), kind="moon", about={"phase": "full"})
    shown = {one["id"]: one["words"] for one in api.get("/alerts").json()}
    assert shown[strange.id] == "an alert of a kind that this version does not know: moon"
    stand(29)
    look.look()
    strange.refresh_from_db()
    assert "knows no alert of the kind “moon”" in strange.trouble
    assert Alert.objects.get(id=sound["id"]).trouble == ""


def test_prices_are_met_from_the_side_that_was_asked_for_and_through_splits() -> None:
    market = load.evaluator().market
    symbol = in_days()
    of = bars_of(symbol)
    close, high, low = (of[n] * of["factor"] for n in ("close", "high", "low"))
    rng = np.random.default_rng(5)
    for at in rng.integers(60, len(close) - 80, 40).tolist():
        level = float(close[at] * rng.uniform(0.95, 1.05))
        after, until = Moment(int(of["days"][at])).key, Moment(int(of["days"][at + 60])).key
        for way in ("up", "down", "either"):
            found = first_crossed(market, symbol, fixed(level), way, after, until)  # type: ignore[arg-type]
            slow = None
            for i in range(at + 1, at + 61):
                up, down = close[i - 1] < level <= high[i], close[i - 1] > level >= low[i]
                if (way != "down" and up) or (way != "up" and down):
                    slow = int(of["days"][i])
                    break
            assert (found.moment.day if found else None) == slow, (at, way)


def test_inside_a_session_the_minute_is_told(api: Api) -> None:
    market = load.evaluator().market
    inner, symbol = market.table("5min"), "HARBOUR"
    k = inner.number[symbol]
    day = int(inner.sessions[-1])
    rows = [i for i in range(int(inner.offsets[k]), int(inner.offsets[k + 1])) if inner.days[i] == day]
    before, level = Moment(day, 9 * 60 + 35).key, float(inner.high[rows[5:60]].max()) * float(inner.factor[rows[0]])
    found = first_crossed(market, symbol, fixed(level * 0.99999), "up", before, Moment(day).key)
    if found is not None:
        assert not found.moment.closed
        met = next(i for i in rows[1:] if inner.close[i - 1] < level * 0.99999 <= inner.high[i])
        assert inner.minute is not None
        assert found.moment.minute == int(inner.minute[met]) + 5


def test_an_alert_can_end_be_cancelled_armed_again_deleted_and_brought_back(api: Api, other: Api, stand: Stand) -> None:
    symbol = in_days()
    now = stand(20)
    low = float(bars_of(symbol)["low"][-20:].min()) * 0.5
    one = api.post(
        "/alerts", {"kind": "price", "symbol": symbol, "level": round(low, 2), "way": "down", "until": iso(now.day)}
    ).json()
    assert other.get("/alerts").json() == []
    assert other.patch(f"/alerts/{one['id']}", {"armed": False}).status_code == 404
    stand(18)
    look.look()
    ended = api.get("/alerts").json()[0]
    assert not ended["armed"]
    assert "ended on" in ended["said"]
    again = api.patch(f"/alerts/{one['id']}", {"armed": True}).json()
    assert again["armed"]
    assert again["until"] is None
    assert not api.patch(f"/alerts/{one['id']}", {"armed": False}).json()["armed"]
    assert api.delete(f"/alerts/{one['id']}").status_code == 204
    assert api.get("/alerts").json() == []
    assert api.post(f"/alerts/{one['id']}/restore").json()["id"] == one["id"]
    assert "did you mean HARBOUR?" in api.post("/alerts", {"kind": "price", "symbol": "HARBOR", "level": 5}).json()["detail"]
    assert api.post("/alerts", {"kind": "price", "symbol": symbol, "level": -1}).status_code == 422
    assert (
        "before it began"
        in api.post("/alerts", {"kind": "price", "symbol": symbol, "level": 5, "until": "2001-01-01"}).json()["detail"]
    )


def test_one_alert_that_fails_leaves_the_others_looked_at(api: Api, stand: Stand, monkeypatch: pytest.MonkeyPatch) -> None:
    symbol = in_days()
    stand(5)
    close = float(bars_of(symbol)["close"][-6])
    for level in (close * 0.9, close * 1.1):
        api.post("/alerts", {"kind": "price", "symbol": symbol, "level": round(level, 2), "way": "either"})
    first = Alert.objects.order_by("id")[0]
    sound = look.looked_at

    def failing(alert: Alert, *more: Any) -> Any:
        if alert.id == first.id:
            raise ZeroDivisionError
        return sound(alert, *more)

    monkeypatch.setattr(look, "looked_at", failing)
    now = stand(4)
    look.look()
    told = {a["id"]: a for a in api.get("/alerts").json()}
    assert "an error of its own" in told[first.id]["trouble"]
    assert [a.seen for a in Alert.objects.order_by("id")] == [now.key, now.key]


def test_a_drawn_line_counts(api: Api, stand: Stand) -> None:
    symbol = in_days()
    of = bars_of(symbol)
    stand(25)
    days = [iso(int(d)) for d in of["days"][[-60, -30]]]
    # A level under everything that is to come, but over its lowest low by a hair: it must be met from above.
    level = float(of["low"][-25:].min()) * 1.001
    drawn = api.post(
        f"/drawings/{symbol}?frame=day", {"kind": "level", "text": "", "points": [{"day": days[0], "price": level}]}
    ).json()
    made = api.post("/alerts", {"kind": "line", "symbol": symbol, "drawing": drawn["id"], "way": "down"})
    assert made.status_code == 200, made.content
    # Erased and brought back it is the line that the alert waits at.
    assert api.delete(f"/drawings/{symbol}/{drawn['id']}").status_code == 204
    assert api.post("/alerts", {"kind": "line", "symbol": symbol, "drawing": drawn["id"]}).status_code == 422
    assert api.post(f"/drawings/{symbol}/{drawn['id']}/restore").status_code == 204
    stand(0)
    told = look.look()
    close, low = of["close"], of["low"]
    n = len(close)
    assert told == any(close[i - 1] > level >= low[i] for i in range(n - 25, n))
    assert api.post("/alerts", {"kind": "line", "symbol": symbol, "drawing": 10_000}).status_code == 422


def test_a_line_is_met_where_the_chart_draws_it(api: Api, stand: Stand) -> None:
    """Straight on a logarithmic scale, as it is drawn: between its points and beyond them it lies elsewhere than on a plain one."""
    symbol = in_days()
    of = bars_of(symbol)
    stand(25)
    n, close, high, low = len(of["close"]), of["close"], of["high"], of["low"]
    growth, meets = (
        1.6 ** (1 / 30),
        n - 6,
    )  # a line that rises by 60% in 30 sessions and is at the close six sessions before the end
    line = float(close[meets]) * growth ** (np.arange(n) - meets)
    first, second = n - 60, n - 30
    points = [{"day": iso(int(of["days"][i])), "price": float(line[i])} for i in (first, second)]
    drawn = api.post(f"/drawings/{symbol}?frame=day", {"kind": "line", "text": "", "points": points}).json()
    api.post("/alerts", {"kind": "line", "symbol": symbol, "drawing": drawn["id"], "way": "either"})
    plain = line[first] + (line[second] - line[first]) * (np.arange(n) - first) / (second - first)

    def met(at: np.ndarray) -> int:
        falls, rises = (close[:-1] > at[:-1]) & (low[1:] <= at[1:]), (close[:-1] < at[:-1]) & (high[1:] >= at[1:])
        return min((int(i) + 1 for i in np.flatnonzero(falls | rises) if i + 1 >= n - 25), default=0)

    assert met(line) != met(plain)
    for back in range(24, -1, -1):
        stand(back)
        assert look.look() == (back == n - 1 - met(line))
        if messages():
            break
    assert f"at {line[met(line)]:.2f}" in messages()[0].subject


# -- rules, reports, breadths ------------------------------------------------------------------------------------------------


def test_a_rule_that_becomes_true_is_told_with_its_names(api: Api, stand: Stand) -> None:
    now = stand(12)
    rule = api.post("/rules", {"text": RULE}).json()["id"]
    api.post("/alerts", {"kind": "rule", "rule": rule})
    assert api.patch(f"/rules/{rule}", {"name": "Over it"}).status_code == 200
    assert "Over it" in api.get("/alerts").json()[0]["words"]
    expected, day = [], None
    for back in range(11, -1, -1):
        now = stand(back)
        hits = hits_of(now)
        expected = [h.symbol for h in hits if h.fresh]
        day = now
        told = look.look()
        assert told == bool(expected)
        if expected:
            break
    (message,) = messages()
    assert (message.moment, message.symbols) == (str(day), expected)
    assert message.place == f"/rules/{rule}"
    assert all(symbol in message.text for symbol in expected)


def test_a_rule_for_a_stage_of_the_bench_is_told_for_who_stands_there(api: Api, stand: Stand) -> None:
    days = {back: [h.symbol for h in hits_of(stand(back)) if h.fresh] for back in range(12)}
    last, fresh = next((back, names) for back, names in days.items() if len(names) > 1)
    mine = fresh[-1]
    first = max(back for back in range(last, 12) if all(mine not in days[b] for b in range(last + 1, back + 1)))
    stand(first)
    api.post("/bench", {"symbol": mine})
    rule = api.post("/rules", {"text": RULE, "name": "Over it"}).json()["id"]
    made = api.post("/alerts", {"kind": "rule", "rule": rule, "scope": "planned or shortlisted"}).json()
    assert made["words"].endswith("becomes true for one of bench: planned or shortlisted")
    for back in range(first - 1, last - 1, -1):
        stand(back)
        look.look()
    (message,) = messages()
    assert message.symbols == [mine]


def test_reports_are_told_once_each_and_the_alert_stays_armed(api: Api, stand: Stand) -> None:
    stand(40)
    api.post("/alerts", {"kind": "report", "days": 2, "scope": "Harbour 500"})
    for back in range(39, 19, -1):
        stand(back)
        look.look()
    told = [line for m in messages() for line in m.text.split("\n")]
    assert len(told) == len(set(told)) > 3
    assert Alert.objects.get().armed
    named = set()
    for m in messages():
        for line in m.text.split("\n"):
            on = line.rsplit(" ", 1)[1].rstrip(".")
            assert 0 <= (date.fromisoformat(on) - date.fromisoformat(m.moment[:10])).days <= 2
            named.add((line.split()[0], on))
    assert len(named) == len(told)  # each report once, however many days before it


def test_a_breadth_past_its_level_is_told(api: Api, stand: Stand) -> None:
    from wickcore.breadth.passings import passings
    from wickcore.breadth.series import breadth_series
    from wickcore.language.breadth import check_breadth

    stand(200)
    asked = {"kind": "breadth", "breadth": "Above the 20-day average", "scope": "Harbour 500", "level": 0.5, "way": "below"}
    assert api.post("/alerts", asked).status_code == 200
    series = breadth_series(load.evaluator(), check_breadth("universe: Harbour 500\nclose > sma(20)"))
    begin = len(series.days) - 200
    first = next(p for p in passings(series, 0.5, "below") if p.place >= begin)
    for back in range(199, -1, -1):
        now = stand(back)
        look.look()
        assert len(messages()) == (now.day >= first.day)
        if messages():
            break
    assert messages()[0].moment == iso(first.day)


# -- schedules and watched rules ---------------------------------------------------------------------------------------------


def test_a_finder_fills_a_list_and_a_trigger_watches_it(api: Api, stand: Stand) -> None:
    stand(12)
    finder = api.post("/rules", {"text": RULE}).json()["id"]
    trigger = api.post("/rules", {"text": "name: Then higher\nclose > highest(close, 3) 1 ago"}).json()["id"]
    one = api.post("/schedules", {"rule": finder, "puts": "Waiting", "mails": False})
    assert one.status_code == 200, one.content
    two = api.post("/schedules", {"rule": trigger, "universe": "Waiting", "weekdays": [0, 2, 4]})
    assert two.status_code == 200, two.content
    assert api.get("/schedules").json()[0]["chain"] == ["Then higher"]
    listed: list[str] = []
    for back in range(11, -1, -1):
        now = stand(back)
        look.look()
        listed += [h.symbol for h in hits_of(now) if h.symbol not in listed]
    assert sorted(api.get("/lists").json()[0]["symbols"]) == sorted(listed)
    told = messages()
    assert {m.kind for m in told} == {"schedule"}
    weekdays = {date.fromisoformat(m.moment[:10]).weekday() for m in told}
    assert weekdays <= {0, 2, 4}
    assert len(told) == len({m.moment for m in told}) > 3
    assert all("new," in m.subject for m in told)


def test_what_cannot_be_scheduled_is_said(api: Api) -> None:
    rule = api.post("/rules", {"text": RULE}).json()["id"]
    for body, said in (
        ({"weekdays": []}, "On which weekdays"), ({"mails": False}, "mails what it finds"), ({"times": ["08:00"]}, "lies outside"),
        ({"puts": "Harbour 500"}, "universe's name"), ({"puts": 'a "b"'}, "cannot name a list"), ({"universe": "Harbor 500"}, "did you mean"),
    ):  # fmt: skip
        answer = api.post("/schedules", {"rule": rule, **body})
        assert answer.status_code == 422, body
        assert said in answer.json()["detail"]
