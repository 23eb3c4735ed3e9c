"""Plans left to the clock, fills by hand, and how positions stand."""

import pytest

from tests.server.conftest import Api
from tests.server.standing import Stand, bars_of, in_days, messages
from upperwick.alerts import look
from upperwick.bench.models import BenchItem
from upperwick.desk.schemas import DeskOut
from upperwick.positions.schemas import PositionOut
from wickcore.bars.moment import iso

pytestmark = pytest.mark.django_db


def position(api: Api, item: int) -> dict:
    answer = api.get(f"/bench/{item}/position")
    assert answer.status_code == 200, answer.content
    PositionOut.model_validate(answer.json())
    return answer.json()


def stage(item: int) -> str:
    return BenchItem.objects.get(id=item).stage


def planned(api: Api, symbol: str, close: float, until: str, **more: object) -> tuple[int, dict]:
    item = api.post("/bench", {"symbol": symbol}).json()["id"]
    plan = {
        "side": "long", "entry": round(close * 1.001, 2), "stop": round(close * 0.9, 2), "targets": [], "follow": "", "shares": 10,
        "until": until, **more,
    }  # fmt: skip
    assert api.put(f"/bench/{item}/plan", {"plan": plan}).status_code == 204
    return item, plan


def test_a_plan_is_left_to_the_clock_fills_and_is_stopped(api: Api, other: Api, stand: Stand) -> None:
    symbol = in_days()
    of = bars_of(symbol)
    now = stand(30)
    close = float(of["close"][-31])
    item, plan = planned(api, symbol, close, iso(now.day + 60))
    assert other.put(f"/bench/{item}/clock", {}).status_code == 404
    assert api.put(f"/bench/{item}/clock", {"as_of": iso(now.day - 40)}).status_code == 409
    assert api.put(f"/bench/{item}/clock", {}).status_code == 204
    assert stage(item) == "planned"
    assert f"buy 10 at {plan['entry']:.2f} or higher" in position(api, item)["waits"]
    desk = api.get("/desk").json()
    DeskOut.model_validate(desk)
    assert [o["symbol"] for o in desk["orders"]] == [symbol]
    # By hand: the first later bar whose high reaches the entry.
    entry = plan["entry"]
    filled = next(i for i in range(len(of["days"]) - 30, len(of["days"])) if of["high"][i] >= entry)
    back = len(of["days"]) - 1 - filled
    for b in range(29, back - 1, -1):
        stand(b)
        look.look()
    assert stage(item) == "holding"
    held = position(api, item)
    paid = max(entry, float(of["open"][filled]))
    assert (held["holding"]["shares"], held["holding"]["entry"]) == (10, pytest.approx(paid))
    assert held["fills"][0]["moment"][:10] == iso(int(of["days"][filled]))  # the minute, where there are bars within the day
    assert held["holding"]["costs"] == pytest.approx(10 * paid * 0.001)
    assert held["stop"] == pytest.approx(plan["stop"])
    assert held["holding"]["r"] == pytest.approx((float(of["close"][filled]) - paid) / (paid - plan["stop"]))
    desk = api.get("/desk").json()
    assert [h["symbol"] for h in desk["holdings"]] == [symbol]
    assert desk["totals"]["risk_share"] == pytest.approx(10 * (float(of["close"][filled]) - plan["stop"]) / 100_000)
    assert "bought 10 at" in messages()[-1].subject
    # The stop is moved right under the last price: sold there as soon as a low reaches it.
    nearer = round(float(of["close"][filled]) * 0.999, 2)
    assert api.put(f"/bench/{item}/plan", {"plan": {**plan, "stop": round(paid * 2, 2)}}).status_code == 422
    assert api.put(f"/bench/{item}/plan", {"plan": {**plan, "stop": nearer}}).status_code == 204
    assert position(api, item)["stop"] == pytest.approx(nearer)
    for b in range(back - 1, -1, -1):
        stand(b)
        look.look()
    out = next((i for i in range(filled + 1, len(of["days"])) if of["low"][i] <= nearer), None)
    assert out is not None
    assert stage(item) == "closed"
    over = position(api, item)
    assert over["fills"][1]["price"] == pytest.approx(min(nearer, float(of["open"][out])))
    assert over["fills"][1]["reason"] == "stop"
    assert over["holding"]["shares"] == 0
    assert not over["clock"]


def test_what_waits_is_taken_back_ends_or_is_closed_at_the_open(api: Api, stand: Stand) -> None:
    symbol = in_days()
    of = bars_of(symbol)
    now = stand(10)
    close = float(of["close"][-11])
    item, _ = planned(api, symbol, close, iso(now.day + 6), entry=round(close * 3, 2), stop=round(close * 2.9, 2))
    assert api.put(f"/bench/{item}/clock", {"on": False}).status_code == 409
    api.put(f"/bench/{item}/clock", {})
    assert api.put(f"/bench/{item}/plan", {"plan": None}).status_code == 409
    assert api.patch(f"/bench/{item}", {"stage": "closed"}).status_code == 409
    assert api.delete(f"/bench/{item}").status_code == 409
    assert api.post(f"/bench/{item}/fills", {"action": "buy", "shares": 1, "price": 5, "day": iso(now.day)}).status_code == 409
    assert api.put(f"/bench/{item}/clock", {"on": False}).status_code == 204
    assert not position(api, item)["clock"]
    api.put(f"/bench/{item}/clock", {})
    for b in range(9, -1, -1):
        stand(b)
        look.look()
    assert "was not filled" in messages()[-1].subject
    assert position(api, item)["clock"] is False
    texts = [e["text"] for e in api.get(f"/bench/{item}/history").json()]
    assert any(t.startswith("the plan ended on") for t in texts)
    assert api.put(f"/bench/{item}/clock", {}).json()["detail"] == "The plan has ended; give it another day."


def test_what_is_held_is_closed_at_the_next_open(api: Api, stand: Stand) -> None:
    symbol = in_days()
    of = bars_of(symbol)
    now = stand(10)
    middle = round(float(of["low"][-10] + of["high"][-10]) / 2, 2)  # surely met by the next bar
    item, _ = planned(api, symbol, float(of["close"][-11]), iso(now.day + 60), entry=middle)
    api.put(f"/bench/{item}/clock", {})
    stand(9)
    look.look()
    assert stage(item) == "holding"
    assert api.put(f"/bench/{item}/clock", {"leaves": True}).status_code == 204
    assert position(api, item)["leaves"]
    (order,) = api.get("/desk").json()["orders"]
    assert order["words"] == "sell 10 at the next open"
    stand(8)
    look.look()
    fills = position(api, item)["fills"]
    assert (fills[1]["reason"], fills[1]["price"]) == ("exit", pytest.approx(float(of["open"][-9])))
    assert stage(item) == "closed"


def test_fills_by_hand_in_parts_with_costs(api: Api, other: Api, stand: Stand) -> None:
    symbol = in_days()
    of = bars_of(symbol)
    stand(5)
    day, close = iso(int(of["days"][-8])), float(of["close"][-6])
    item, plan = planned(api, symbol, float(of["close"][-8]), iso(int(of["days"][-1]) + 30))

    def fill(action: str, shares: float, price: float, on: str = day, cost: float = 0.0) -> dict:
        answer = api.post(f"/bench/{item}/fills", {"action": action, "shares": shares, "price": price, "day": on, "cost": cost})
        return {"status": answer.status_code, **answer.json()}

    price = round(float(of["close"][-8]), 2)
    first = fill("buy", 100, price, cost=2)
    assert (first["status"], first["warning"]) == (200, "")
    assert stage(item) == "holding"
    # Its only fill taken away, it never was a position: it waits again where it did, and comes back with the fill.
    assert api.delete(f"/bench/{item}/fills/{first['id']}").status_code == 204
    assert (stage(item), position(api, item)["holding"]) == ("planned", None)
    api.put(f"/bench/{item}/plan", {"plan": plan | {"stop": plan["stop"] * 0.99}})
    assert api.post(f"/bench/{item}/fills/{first['id']}/restore").status_code == 204
    assert stage(item) == "holding"
    assert BenchItem.objects.get(id=item).first_stop == pytest.approx(plan["stop"] * 0.99)
    assert api.delete(f"/bench/{item}/fills/{first['id']}").status_code == 204
    api.put(f"/bench/{item}/plan", {"plan": plan})
    assert api.post(f"/bench/{item}/fills/{first['id']}/restore").status_code == 204
    assert "outside that day’s range" in fill("buy", 100, price * 2)["warning"]
    assert fill("sell", 500, price)["detail"] == "500 shares cannot be left: 200 were held then."
    assert "a short does not belong" in fill("short", 5, price)["detail"]
    assert "lies ahead" in fill("sell", 5, price, "2999-01-01")["detail"]
    assert "is not a date" in fill("sell", 5, price, "soon")["detail"]
    found = position(api, item)
    assert found["holding"]["entry"] == pytest.approx(price * 1.5)
    assert found["rail"]["result"] == pytest.approx(200 * (close - price * 1.5) - 2)
    assert found["stop"] == pytest.approx(plan["stop"])
    second = found["fills"][1]["id"]
    assert other.delete(f"/bench/{item}/fills/{second}").status_code == 404
    assert api.delete(f"/bench/{item}/fills/{second}").status_code == 204
    assert position(api, item)["holding"]["shares"] == 100
    assert api.post(f"/bench/{item}/fills/{second}/restore").status_code == 204
    assert api.delete(f"/bench/{item}/fills/{second}").status_code == 204
    assert fill("sell", 100, close, iso(int(of["days"][-6])))["status"] == 200
    assert stage(item) == "closed"
    assert "Its position is over" in fill("buy", 10, close)["detail"]
    api.patch(f"/bench/{item}", {"stage": "planned"})
    assert "Its position is over" in api.put(f"/bench/{item}/clock", {}).json()["detail"]
    api.patch(f"/bench/{item}", {"stage": "closed"})
    assert api.delete(f"/bench/{item}/fills/{first['id']}").status_code == 422  # nothing would have been held to sell
    (listed,) = [i for i in api.get("/bench").json() if i["id"] == item]
    assert listed["rail"]["result"] == pytest.approx(100 * (close - price) - 2)


def test_targets_and_what_follows_are_checked(api: Api, stand: Stand) -> None:
    symbol = in_days()
    now = stand(5)
    close = float(bars_of(symbol)["close"][-6])
    item, plan = planned(api, symbol, close, iso(now.day + 10))
    two = [{"price": round(close * 1.1, 2), "part": 0.5}, {"price": round(close * 1.2, 2), "part": 0.5}]
    tried = api.post(f"/bench/{item}/plan", {"plan": {**plan, "targets": two, "follow": "best - 3 * atr(14)"}})
    assert tried.status_code == 200, tried.content
    risk = plan["entry"] - plan["stop"]
    assert tried.json()["size"]["rs"] == pytest.approx([(t["price"] - plan["entry"]) / risk for t in two])
    assert {c["level"] for c in tried.json()["choices"]} >= {"stop"}
    for change, words in (
        ({"follow": "best - "}, "What the stop follows"), ({"follow": "rsi(14)"}, "is a price"),
        ({"targets": [{"price": 1.0, "part": 1.0}]}, "lies over its entry"),
    ):  # fmt: skip
        answer = api.post(f"/bench/{item}/plan", {"plan": {**plan, **change}})
        assert (answer.status_code, words in answer.json()["detail"]) == (422, True), answer.content
    over = api.put(f"/bench/{item}/plan", {"plan": {**plan, "targets": [*two, {"price": round(close * 1.3, 2), "part": 0.5}]}})
    assert "take more than there is" in over.json()["detail"]
