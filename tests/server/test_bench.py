"""The bench: instruments put on it, moved, noted on, dropped and brought back; stages as universes; how each stands."""

from bisect import bisect_left

import pytest

from tests.server.conftest import Api
from upperwick.market.load import evaluator
from upperwick.market.models import Split
from upperwick.market.services import open_market
from upperwick.positions.schemas import BenchItemOut, PlanOut, StateOut
from wickcore.bars.moment import iso
from wickcore.language.check import check_expression
from wickcore.scan.scan import values_at

pytestmark = pytest.mark.django_db


def symbols(count: int) -> list[str]:
    market = evaluator().market
    kinds, last = market.texts["kind"], market.bars.last_day
    ends = market.bars.offsets[1:] - 1
    return [s for k, s in enumerate(market.bars.symbols) if kinds[k] == "share" and market.bars.days[ends[k]] == last][:count]


def put(api: Api, symbol: str, **more: object) -> dict:
    answer = api.post("/bench", {"symbol": symbol, **more})
    assert answer.status_code == 200, answer.content
    return answer.json()


def test_an_instrument_goes_through_the_stages_and_all_is_written_down(api: Api, other: Api) -> None:
    one, two = symbols(2)
    rule = {"id": 7, "name": "Two-day dip", "version": 3}
    made = put(api, one.lower(), rule=rule, as_of="2024-05-20")
    assert made == {"id": made["id"], "symbol": one, "stage": "shortlisted", "new": True}
    assert not put(api, one)["new"]
    put(api, two)
    assert other.get("/bench").json() == []
    assert other.patch(f"/bench/{made['id']}", {"stage": "planned"}).status_code == 404
    for stage in ("planned", "holding", "closed"):
        assert api.patch(f"/bench/{made['id']}", {"stage": stage, "as_of": "2024-05-21"}).status_code == 204
    assert api.post(f"/bench/{made['id']}/notes", {"text": " gap held "}).status_code == 204
    assert api.post(f"/bench/{made['id']}/notes", {"text": "  "}).status_code == 422
    listed = api.get("/bench").json()
    BenchItemOut.model_validate(listed[0])
    item = next(i for i in listed if i["symbol"] == one)
    assert (item["stage"], item["rule_name"], item["version"], item["since"], item["moved"]) == (
        "closed", "Two-day dip", 3, "2024-05-20", "2024-05-21",
    )  # fmt: skip
    history = api.get(f"/bench/{made['id']}/history").json()
    assert [e["kind"] for e in history] == ["note", "moved", "moved", "moved", "added"]
    assert history[0]["text"] == "gap held"
    assert "version 3" in history[-1]["text"]
    # Closed, it may be put on the bench again; then the old one cannot come back beside it.
    assert put(api, one)["new"]
    again = api.patch(f"/bench/{made['id']}", {"stage": "planned"})
    assert again.status_code == 409


def test_what_is_dropped_comes_back_unless_it_is_there_again(api: Api) -> None:
    (one,) = symbols(1)
    made = put(api, one)
    assert api.delete(f"/bench/{made['id']}").status_code == 204
    assert api.get("/bench").json() == []
    assert api.post(f"/bench/{made['id']}/restore").status_code == 204
    assert [e["kind"] for e in api.get(f"/bench/{made['id']}/history").json()] == ["restored", "dropped", "added"]
    api.delete(f"/bench/{made['id']}")
    put(api, one)
    assert api.post(f"/bench/{made['id']}/restore").status_code == 409
    assert "There is no instrument" in api.post("/bench", {"symbol": "NONE"}).json()["detail"]


def test_stages_are_universes(api: Api) -> None:
    chosen = symbols(4)
    for symbol in chosen[:3]:
        put(api, symbol)
    found = api.post("/scan", {"text": "universe: shortlisted\nclose > 0"}).json()
    assert sorted(hit["symbol"] for hit in found["hits"]) == sorted(chosen[:3])
    assert found["lists"] == ["shortlisted"]
    assert api.post("/scan", {"text": "universe: holding\nclose > 0"}).json()["hits"] == []
    assert "a stage of the bench" in api.post("/lists", {"name": "planned", "symbols": chosen}).json()["detail"]
    put(api, chosen[3])
    assert len(api.post("/scan", {"text": "universe: shortlisted\nclose > 0"}).json()["hits"]) == 4


def test_the_technical_state_is_what_the_language_says(api: Api) -> None:
    (symbol,) = symbols(1)
    found = api.get(f"/bench/state/{symbol}?as_of=2024-05-20").json()
    StateOut.model_validate(found)
    engine = evaluator()
    import numpy as np

    k = np.array([engine.bars.number[symbol]])
    day = int(np.datetime64("2024-05-20", "D").astype(int))
    words = {"close": "close", "off_high": "off_high(52w)", "strength": "rank(change(63))", "sma50": "sma(50)"}
    values = values_at(engine, {n: check_expression(t) for n, t in words.items()}, k, day)
    for name, column in values.items():
        assert found[name] == pytest.approx(float(column[0]))
    assert found["trend"].startswith("It closed ")
    assert ("under its" in found["trend"]) == any(
        found[f"sma{n}"] is not None and found["close"] <= found[f"sma{n}"] for n in (20, 50, 200)
    )
    assert api.get("/bench/state/NONE").status_code == 404


def test_anything_is_found_by_its_name_or_letters_that_come_near(api: Api) -> None:
    market = evaluator().market
    (symbol,) = symbols(1)
    name = market.names[market.bars.number[symbol]]
    assert api.get(f"/find?q={symbol.lower()}").json()[0] == {
        "kind": "instrument",
        "name": symbol,
        "more": name,
        "place": f"/symbol/{symbol}",
    }
    misspelt = name[0] + name[2] + name[1] + name[3:]
    assert symbol in [f["name"] for f in api.get(f"/find?q={misspelt}").json()]
    rule = api.post("/rules", {"text": "name: Tight coil before the break\nclose > 1"}).json()["id"]
    assert {"kind": "rule", "name": "Tight coil before the break", "more": "", "place": f"/rules/{rule}"} in api.get(
        "/find?q=break coil"
    ).json()
    assert api.get("/find?q=squeeze").json()[0]["kind"] == "word"
    assert api.get("/find?q=").json() == []
    assert api.get("/find?q=%C2%A7%C2%A7").json() == []


# -- plans -------------------------------------------------------------------------------------------------------------------


def planned(api: Api, item: int, **more: object) -> dict:
    answer = api.post(f"/bench/{item}/plan", more)
    assert answer.status_code == 200, answer.content
    PlanOut.model_validate(answer.json())
    return answer.json()


def test_a_plan_is_proposed_tried_kept_and_taken_away(api: Api, other: Api) -> None:
    (symbol,) = symbols(1)
    item = put(api, symbol)["id"]
    found = planned(api, item, as_of="2024-05-20")
    proposal, size = found["proposal"], found["size"]
    assert not found["kept"]
    assert found["plan"]["entry"] == proposal["entry"]
    assert size["shares"] == found["computed"] > 0
    assert size["lost"] == pytest.approx(size["shares"] * (proposal["entry"] - proposal["stop"]))
    assert size["lost_share"] <= 0.01
    tried = {**found["plan"], "shares": 7, "stop": round(proposal["entry"] * 0.9, 2)}
    shown = planned(api, item, as_of="2024-05-20", plan=tried)
    assert (shown["size"]["shares"], shown["size"]["limit"], shown["kept"]) == (7, "hand", False)
    assert shown["computed"] != 7
    wrong = api.post(f"/bench/{item}/plan", {"plan": {**tried, "stop": proposal["entry"] + 1}})
    assert wrong.status_code == 422
    assert "lies under its entry" in wrong.json()["detail"]
    assert other.post(f"/bench/{item}/plan", {}).status_code == 404
    assert api.put(f"/bench/{item}/plan", {"plan": tried, "as_of": "2024-05-20"}).status_code == 204
    kept = planned(api, item, as_of="2024-05-20")
    assert kept["kept"]
    assert kept["plan"] == tried
    assert any("stop" in e["text"] for e in api.get(f"/bench/{item}/history").json() if e["kind"] == "planned")
    assert api.put(f"/bench/{item}/plan", {"plan": None}).status_code == 204
    assert not planned(api, item)["kept"]
    short = planned(api, item, side="short")
    assert short["proposal"]["stop"] > short["proposal"]["entry"]


def test_a_split_multiplies_the_shares_chosen_by_hand(api: Api) -> None:
    split = Split.objects.filter(day__gt="2018-01-01", ratio__gte=2, instrument__kind="share").order_by("day").last()
    assert split is not None
    sessions = [iso(int(d)) for d in open_market().market.bars.sessions]
    at = bisect_left(sessions, split.day.isoformat())
    before, after = sessions[at - 2], sessions[at + 1]
    item = put(api, split.instrument.symbol)["id"]
    plan = {**planned(api, item, as_of=before)["plan"], "shares": 7}
    assert api.put(f"/bench/{item}/plan", {"plan": plan, "as_of": before}).status_code == 204
    assert planned(api, item, as_of=before)["plan"] == plan
    moved = planned(api, item, as_of=after)
    assert moved["plan"]["shares"] == moved["size"]["shares"] == int(7 * split.ratio)
    assert moved["plan"]["entry"] == pytest.approx(plan["entry"] / split.ratio, rel=0.02)
    assert planned(api, item, as_of=sessions[at - 3])["plan"]["shares"] == 7
    # Kept anew after the split, it is of the new shares; looked back at from before, of the old.
    assert api.put(f"/bench/{item}/plan", {"plan": {**moved["plan"], "shares": 9}, "as_of": after}).status_code == 204
    assert planned(api, item, as_of=after)["plan"]["shares"] == 9
    assert planned(api, item, as_of=before)["plan"]["shares"] == int(9 / split.ratio)


def test_all_plans_together_and_what_speaks_against_one(api: Api) -> None:
    one, two, three = symbols(3)
    ids = [put(api, s)["id"] for s in (one, two, three)]
    api.put("/preferences", {"account": {"size": 50_000}})
    plans = []
    for item in ids[:2]:
        found = planned(api, item)
        api.put(f"/bench/{item}/plan", {"plan": found["plan"]})
        api.patch(f"/bench/{item}", {"stage": "planned"})
        plans.append(planned(api, item))
    assert plans[1]["account"] == 50_000
    third = planned(api, ids[2])
    together = third["together"]
    assert together["positions"] == 3
    own = [planned(api, i)["size"] for i in ids]
    assert together["risk"] == pytest.approx(sum(size["lost"] for size in own) / 50_000)
    assert together["invested"] == pytest.approx(sum(size["money"] for size in own) / 50_000)
    late = planned(api, ids[0], plan={**plans[0]["plan"], "until": "2024-01-01"})
    assert "The plan has ended; give it another day, or drop it." in late["warnings"]
    far = planned(api, ids[0], plan={**plans[0]["plan"], "stop": round(plans[0]["plan"]["entry"] * 0.5, 2)})
    assert any("ATR away: far" in w for w in far["warnings"])
