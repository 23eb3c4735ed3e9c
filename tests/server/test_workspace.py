"""Lists and combined universes, columns, charts of frames, facts, drawings, choices, and the library."""

import io
import zipfile

import numpy as np
import pyarrow.parquet as pq
import pytest
from django.core.files.uploadedfile import SimpleUploadedFile

from tests.server.conftest import Api
from upperwick.charts import drawings
from upperwick.charts.series import rounded
from upperwick.market.models import Report
from upperwick.market.services import open_market
from upperwick.rules.scan_api import ChartOut, ScanOut

pytestmark = pytest.mark.django_db
ALL = "close > 0"


def symbols(found: dict) -> list[str]:
    return [hit["symbol"] for hit in found["hits"]]


def scan(api: Api, text: str, **more: object) -> dict:
    answer = api.post("/scan", {"text": text, **more})
    assert answer.status_code == 200, answer.content
    return answer.json()


# -- lists and universes ---------------------------------------------------------------------------------------------


def test_a_list_is_a_universe_of_its_owner_alone(api: Api, other: Api) -> None:
    five = symbols(scan(api, ALL))[:5]
    made = api.post("/lists", {"name": "Five", "symbols": [*five, five[0].lower()]}).json()
    assert (made["symbols"], made["replaced"]) == (five, None)  # once each, in the order given
    found = scan(api, f"universe: Five\n{ALL}")
    assert (symbols(found), found["lists"], found["universe"]) == (sorted(five), ["Five"], "Five")
    refused = other.post("/scan", {"text": f"universe: Five\n{ALL}"})
    assert refused.status_code == 422
    assert "no universe named “Five”" in refused.json()["detail"]
    assert other.delete(f"/lists/{made['id']}").status_code == 404
    # A changed list is another universe: nothing computed over the old one is left.
    assert api.post("/lists", {"name": "Five", "symbols": five[:2]}).json()["replaced"] == five
    assert symbols(scan(api, f"universe: Five\n{ALL}")) == sorted(five[:2])


def test_universes_are_combined(api: Api) -> None:
    index = set(symbols(scan(api, f"universe: Harbour 500\n{ALL}")))
    every = set(symbols(scan(api, ALL)))
    some = sorted(index)[:3] + sorted(every - index)[:2]
    api.post("/lists", {"name": "Some", "symbols": some})
    assert set(symbols(scan(api, f"universe: Harbour 500 and Some\n{ALL}"))) == index & set(some)
    assert set(symbols(scan(api, f"universe: Harbour 500 or Some\n{ALL}"))) == index | set(some)
    assert set(symbols(scan(api, f"universe: Some without Harbour 500\n{ALL}"))) == set(some) - index
    assert "did you mean “Harbour 500”" in api.post("/scan", {"text": f"universe: Some and Harbor 500\n{ALL}"}).json()["detail"]


@pytest.mark.parametrize(
    ("body", "said"),
    [({"name": "Harbour 500", "symbols": []}, "cannot name a list"), ({"name": " ", "symbols": []}, "needs a name"),
     ({"name": "X", "symbols": ["NOSUCH"]}, "no instrument NOSUCH")],
)  # fmt: skip
def test_bad_lists_are_refused_with_a_sentence(api: Api, body: dict, said: str) -> None:
    answer = api.post("/lists", body)
    assert answer.status_code == 422
    assert said in answer.json()["detail"]


def test_a_deleted_list_comes_back(api: Api) -> None:
    made = api.post("/lists", {"name": "Gone", "symbols": symbols(scan(api, ALL))[:1]}).json()
    assert api.delete(f"/lists/{made['id']}").status_code == 204
    assert api.get("/lists").json() == []
    assert api.post(f"/lists/{made['id']}/restore").json()["name"] == "Gone"
    assert [found["name"] for found in api.get("/lists").json()] == ["Gone"]


def test_columns_are_any_expression_and_a_wrong_one_spoils_nothing(api: Api) -> None:
    asked = ["range / atr(14)", "closs", "sector", "close > sma(50)", "floor * 2", "change"]
    found = scan(api, f"dial floor = 3\n{ALL}", columns=asked)
    assert [(c["text"], c["shown"], bool(c["error"])) for c in found["columns"]] == [
        ("range / atr(14)", "number", False), ("closs", "number", True), ("sector", "text", False), ("close > sma(50)", "truth", False),
        ("floor * 2", "number", False), ("change", "percent", False),
    ]  # fmt: skip
    assert "did you mean `close`" in found["columns"][1]["error"]
    first = found["hits"][0]["values"]
    assert first["floor * 2"] == 6
    assert isinstance(first["close > sma(50)"], bool)
    assert first["sector"] == found["hits"][0]["sector"]
    bars = open_market().market.bars
    at = bars.ends(bars.last_day)[bars.number[found["hits"][0]["symbol"]]] - 1
    high, low, close = (getattr(bars, f)[: at + 1] * bars.factor[: at + 1] for f in ("high", "low", "close"))
    begin = bars.offsets[bars.number[found["hits"][0]["symbol"]]]
    true_range = np.maximum(high[1:], close[:-1]) - np.minimum(low[1:], close[:-1])
    ranges = np.concatenate([[high[begin] - low[begin]], true_range[begin:]])
    average = ranges[:14].mean()
    for value in ranges[14:]:
        average += (value - average) / 14
    assert first["range / atr(14)"] == pytest.approx((high[at] - low[at]) / average, rel=1e-6)


def test_a_rank_means_the_same_in_a_column_a_value_and_a_pane_as_in_the_rule(api: Api) -> None:
    """Among ten names a rank is a tenth, whoever else the market holds."""
    ten = symbols(scan(api, 'kind == "share"'))[:10]
    api.post("/lists", {"name": "Ten", "symbols": ten})
    text = f"universe: Ten\n{ALL}"
    found = scan(api, text, columns=["rank(close)", "close"])
    by_close = sorted(found["hits"], key=lambda hit: hit["values"]["close"])
    assert [hit["values"]["rank(close)"] for hit in by_close] == pytest.approx([100 * i / 9 for i in range(10)])
    top = by_close[-1]["symbol"]
    value = api.post("/value", {"text": text, "expression": "rank(close)", "symbol": top}).json()
    chart = api.post("/chart", {"text": text, "symbol": top, "panes": [["rank(close)"]]}).json()
    assert (value["value"], chart["panes"][0][0]["values"][-1]) == (100, 100)


def test_hits_are_compared_with_the_session_before(api: Api) -> None:
    text = "close > highest(high, 20) 1 ago"
    now = set(symbols(scan(api, text)))
    found = api.post("/since", {"text": text}).json()
    before = set(symbols(scan(api, text, as_of=found["before"])))
    assert set(found["new"]) == now - before
    assert set(found["stayed"]) == now & before
    assert {g["symbol"] for g in found["gone"]} == before - now


def test_hits_as_parquet_in_the_order_asked(api: Api) -> None:
    wanted = symbols(scan(api, ALL))[:3][::-1]
    answer = api.post("/hits.parquet", {"text": ALL, "columns": ["close", "nonsense", "close > 5"], "symbols": wanted})
    table = pq.read_table(io.BytesIO(answer.content))
    assert table.column_names == ["day", "symbol", "name", "sector", "days", "close", "close > 5"]
    assert table["symbol"].to_pylist() == wanted


def test_the_value_of_a_name_in_the_rule(api: Api) -> None:
    text = "let middle = sma(20)\ndial n = 5\nclose > middle"
    symbol = symbols(scan(api, ALL))[0]
    expected = scan(api, ALL, columns=["sma(20)", "close > sma(5)"])["hits"][0]["values"]
    for expression, value, shown in (
        ("middle", expected["sma(20)"], "price"), ("n", 5, "number"), ("close > sma(n)", expected["close > sma(5)"], "truth"),
        ("symbol", symbol, "text"),
    ):  # fmt: skip
        found = api.post("/value", {"text": text, "expression": expression, "symbol": symbol}).json()
        assert found == {"value": pytest.approx(value) if isinstance(value, float) else value, "shown": shown}
    # What is wrong elsewhere in the rule is no reason not to say it.
    assert api.post("/value", {"text": text + "\nclosee >", "expression": "middle", "symbol": symbol}).status_code == 200
    assert api.post("/value", {"text": text, "expression": "midle", "symbol": symbol}).status_code == 422


# -- charts ----------------------------------------------------------------------------------------------------------


def test_a_weekly_chart_holds_whole_weeks_of_the_daily_one(api: Api) -> None:
    symbol = symbols(scan(api, ALL))[0]
    day = api.post("/chart", {"symbol": symbol, "bars": 400}).json()
    week = api.post("/chart", {"symbol": symbol, "bars": 60, "frame": "week"}).json()
    assert len(week["days"]) == 60
    at = day["days"].index(week["days"][40]) + 1
    begin = day["days"].index(week["days"][39]) + 1
    assert week["open"][40] == day["open"][begin]
    assert week["close"][40] == day["close"][at - 1]
    assert week["high"][40] == max(day["high"][begin:at])
    assert week["low"][40] == min(day["low"][begin:at])
    assert week["volume"][40] == pytest.approx(sum(day["volume"][begin:at]), rel=1e-9, abs=3)


def test_a_chart_carries_panes_past_hits_and_the_last_bar_is_the_week_so_far(api: Api) -> None:
    symbol = symbols(scan(api, ALL))[0]
    body = {"symbol": symbol, "text": "close > sma(50)\nrsi(14) > 60", "as_of": "2024-06-26", "bars": 100,
            "panes": [["rsi(14)"], ["macd", "macd_signal"], ["nonsense"], ["squeeze"]]}  # fmt: skip
    found = api.post("/chart", body).json()
    assert [[line["text"] for line in pane] for pane in found["panes"]] == body["panes"]
    assert all(0 <= v <= 100 for v in found["panes"][0][0]["values"])
    assert "not known" in found["panes"][2][0]["error"]
    assert {v for v in found["panes"][3][0]["values"]} <= {0, 1}
    assert found["days"][-1] == "2024-06-26"
    assert {found["days"][i] for i in found["hits"]} == {d for d in found["past"] if d >= found["days"][0]}
    whole = api.post("/chart", {**body, "bars": 4000}).json()
    position = {d: i for i, d in enumerate(whole["days"])}
    past = [position[d] for d in found["past"]]
    assert [position[d] for d in found["fresh"]] == [i for i in past if i - 1 not in past]
    week = api.post("/chart", {**body, "frame": "week"}).json()
    assert week["days"][-1] == "2024-06-26"  # a Wednesday: the week so far
    for i in week["hits"]:
        before = week["days"][i - 1] if i else ""
        assert any(before < d <= week["days"][i] for d in found["past"])


def test_parts_of_patterns_are_columns_and_their_lines_are_drawn(api: Api) -> None:
    text = "side: long\nany of:\n    trend_line_up\n    base\n    flag_bull"
    found = scan(api, text, columns=["trend_line_up.now", "flag_bull.pole", "base.upper.slope", "level.touches"])
    assert [(c["text"], c["shown"]) for c in found["columns"]] == [
        ("trend_line_up.now", "price"), ("flag_bull.pole", "percent"), ("base.upper.slope", "percent"), ("level.touches", "number"),
    ]  # fmt: skip
    one = next(hit for hit in found["hits"] if hit["values"]["trend_line_up.now"] is not None)
    chart = api.post("/chart", {"symbol": one["symbol"], "text": text, "bars": 300}).json()
    line = next(p for p in chart["patterns"] if p["name"] == "rising trend line")
    told = {part["name"]: part["value"] for part in line["parts"]}
    assert told["now"] == pytest.approx(one["values"]["trend_line_up.now"], rel=1e-4)
    (stroke,) = line["strokes"]
    assert stroke["points"][0]["day"] == line["points"][0]["day"]
    assert len(line["points"]) == min(told["touches"], 6)
    assert not line["joined"]
    every = api.post("/chart", {"symbol": one["symbol"], "bars": 300, "all_patterns": True}).json()["patterns"]
    assert line in every
    assert len({p["name"] for p in every}) > 5


def test_facts_tell_nothing_of_later_days(api: Api) -> None:
    symbol = symbols(scan(api, 'kind == "share"\nlisted_days > 1000'))[0]
    found = api.get(f"/facts/{symbol}?as_of=2022-03-01").json()
    assert len(found["reports"]) == 8
    assert all(r["day"] <= "2022-03-01" for r in found["reports"])
    latest = Report.objects.filter(instrument__symbol=symbol, day=found["reports"][0]["day"]).get()
    year = Report.objects.filter(instrument__symbol=symbol, day__lt=latest.day).order_by("-day")[
        3
    ]  # the same quarter a year before
    assert found["reports"][0]["revenue_growth"] == pytest.approx(latest.revenue / year.revenue - 1)
    assert found["reports"][0]["eps_surprise"] == pytest.approx((latest.earnings - latest.expected) / abs(latest.expected))
    assert {f["label"] for f in found["figures"]} >= {"Market cap", "ADR", "Days to report"}
    assert found["delisted"] is None
    assert api.get("/facts/NOSUCH").status_code == 404
    market = open_market().market
    gone = next(k for k, d in enumerate(market.delisted) if d >= 0)
    last = str(np.datetime64(int(market.delisted[gone]), "D"))
    earlier = str(np.datetime64(int(market.delisted[gone]) - 30, "D"))
    assert api.get(f"/facts/{market.bars.symbols[gone]}?as_of={earlier}").json()["delisted"] is None
    assert api.get(f"/facts/{market.bars.symbols[gone]}").json()["delisted"] == last


def test_answers_written_straight_away_are_what_their_schemas_say(api: Api) -> None:
    text = "dial floor = 1 from 0 to 9 step 1\nclose > floor\nvolume > sma(volume, 20)\nany of:\n    close > 1\n    rsi(14) > 90"
    found = scan(api, text, columns=["close > sma(50)", "sector", "nonsense", "market_cap"])
    ScanOut.model_validate(found)
    symbol = symbols(found)[0]
    ChartOut.model_validate(api.post("/chart", {"symbol": symbol, "text": text, "panes": [["rsi(14)"], ["nonsense"]]}).json())
    for one in api.post("/charts", {"symbols": [symbol], "text": text}).json():
        ChartOut.model_validate(one)


# -- drawings --------------------------------------------------------------------------------------------------------


def test_drawings_are_kept_moved_and_erased_by_their_owner(api: Api, other: Api) -> None:
    symbol = symbols(scan(api, ALL))[0]
    chart = api.post("/chart", {"symbol": symbol, "bars": 200}).json()
    first, second = ({"day": chart["days"][i], "price": chart["low"][i]} for i in (40, 120))
    line = api.post(f"/drawings/{symbol}", {"kind": "line", "points": [first, second]}).json()
    days = 199 - 40
    assert line["today"] == pytest.approx(first["price"] * (second["price"] / first["price"]) ** (days / 80), rel=1e-5)
    assert {chart["days"][40]} <= set(line["touches"])
    assert len(line["values"]) == days + 1
    (weekly,) = api.get(f"/drawings/{symbol}?frame=week").json()
    assert (len(weekly["values"]) - 1) * 5 == pytest.approx(days, abs=12)
    assert weekly["values"][-1] == pytest.approx(line["today"], rel=1e-5)
    box = api.post(f"/drawings/{symbol}", {"kind": "range", "points": [first, second]}).json()
    assert (box["bars"], box["change"]) == (80, pytest.approx(second["price"] / first["price"] - 1))
    api.delete(f"/drawings/{symbol}/{box['id']}")
    level = api.post(f"/drawings/{symbol}", {"kind": "level", "points": [first], "text": "the old low"}).json()
    assert (level["today"], level["text"]) == (pytest.approx(first["price"]), "the old low")
    moved = api.put(f"/drawings/{symbol}/{level['id']}", {"kind": "level", "points": [second], "text": "moved"}).json()
    assert moved["today"] == pytest.approx(second["price"])
    assert [d["id"] for d in api.get(f"/drawings/{symbol}").json()] == [line["id"], level["id"]]
    assert other.get(f"/drawings/{symbol}").json() == []
    assert other.delete(f"/drawings/{symbol}/{line['id']}").status_code == 404
    assert api.delete(f"/drawings/{symbol}/{line['id']}").status_code == 204
    assert len(api.get(f"/drawings/{symbol}").json()) == 1
    assert api.put(f"/drawings/{symbol}/{line['id']}", {"kind": "line", "points": [first, second]}).status_code == 404
    assert other.post(f"/drawings/{symbol}/{line['id']}/restore").status_code == 404
    assert api.post(f"/drawings/{symbol}/{line['id']}/restore").status_code == 204
    assert api.get(f"/drawings/{symbol}").json()[0] == line
    assert api.post(f"/drawings/{symbol}/{line['id']}/restore").status_code == 404  # it is there


def test_erased_drawings_are_kept_within_bounds(api: Api, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(drawings, "MOST", 2)
    symbol = symbols(scan(api, ALL))[0]
    body = {"kind": "level", "points": [{"day": "2024-01-10", "price": 5}]}
    erased = [api.post(f"/drawings/{symbol}", body).json()["id"] for _ in range(2)]
    assert api.post(f"/drawings/{symbol}", body).status_code == 422
    for one in erased:
        api.delete(f"/drawings/{symbol}/{one}")
    third = api.post(f"/drawings/{symbol}", body).json()["id"]
    api.delete(f"/drawings/{symbol}/{third}")
    assert [api.post(f"/drawings/{symbol}/{one}/restore").status_code for one in (*erased, third)] == [404, 204, 204]


def test_a_drawing_follows_splits_and_is_not_seen_before_its_day(api: Api) -> None:
    market = open_market().market
    factor = market.bars.factor
    k = next(k for k in range(len(market.bars.symbols)) if factor[market.bars.offsets[k + 1] - 1] > factor[market.bars.offsets[k]])
    symbol, begin, end = market.bars.symbols[k], market.bars.offsets[k], market.bars.offsets[k + 1]
    split = begin + int(np.flatnonzero(np.diff(factor[begin:end]) > 0)[0]) + 1
    before, after = (str(market.bars.days[i].astype("datetime64[D]")) for i in (split - 1, split + 1))
    price = float(market.bars.close[split - 1])
    made = api.post(f"/drawings/{symbol}?as_of={before}", {"kind": "level", "points": [{"day": before, "price": price}]}).json()
    assert made["today"] == pytest.approx(price)
    (later,) = api.get(f"/drawings/{symbol}?as_of={after}").json()
    assert later["today"] == pytest.approx(price / (factor[split + 1] / factor[split - 1]))
    much_earlier = str(market.bars.days[split - 5].astype("datetime64[D]"))
    assert api.get(f"/drawings/{symbol}?as_of={much_earlier}").json() == []


def test_bad_drawings_are_refused(api: Api) -> None:
    symbol = symbols(scan(api, ALL))[0]
    point = {"day": "2024-01-10", "price": 5}
    for body, said in (
        ({"kind": "line", "points": [point]}, "2 points"), ({"kind": "level", "points": [{**point, "price": -1}]}, "above zero"),
        ({"kind": "line", "points": [point, point]}, "two different bars"),
        ({"kind": "level", "points": [{**point, "day": "2099-01-01"}]}, "up to the as-of day"),
    ):  # fmt: skip
        answer = api.post(f"/drawings/{symbol}", body)
        assert answer.status_code == 422
        assert said in answer.json()["detail"]


def test_a_drawing_is_moved_on_its_own_instrument_only(api: Api) -> None:
    one, two = symbols(scan(api, ALL))[:2]
    point = {"day": "2024-01-10", "price": 5}
    made = api.post(f"/drawings/{one}", {"kind": "level", "points": [point]}).json()
    assert api.put(f"/drawings/{two}/{made['id']}", {"kind": "level", "points": [point]}).status_code == 404
    assert api.delete(f"/drawings/{two}/{made['id']}").status_code == 404


def test_six_figures_are_sent() -> None:
    values = [1234.56789, 0.000123456789, 98765432.1, 0.0, -2.5, float("nan"), float("inf")]
    assert rounded(values) == [1234.57, 0.000123457, 98765400.0, 0.0, -2.5, None, None]


# -- choices ---------------------------------------------------------------------------------------------------------


def test_choices_are_kept_for_the_account(api: Api, other: Api) -> None:
    usual = api.get("/preferences").json()
    assert (usual["account"]["size"], usual["chart"]["frame"]) == (None, "day")
    mine = {
        **usual,
        "account": {**usual["account"], "size": 50_000},
        "tables": {"Momentum": {"columns": [{"text": "change(63)", "label": "3 months"}]}},
    }
    assert api.put("/preferences", mine).status_code == 200
    kept = api.get("/preferences").json()
    assert (kept["account"]["size"], kept["tables"]["Momentum"]["columns"][0]["label"]) == (50_000, "3 months")
    assert other.get("/preferences").json() == usual
    assert api.put("/preferences", {**usual, "account": {"size": -1}}).status_code == 422
    found = api.get("/preferences/liquidity?account=50000&positions=10&percent=0.5").json()
    assert found == {"position": 5_000, "floor": 1_000_000}
    assert api.get("/preferences/liquidity?account=-1").status_code == 422


# -- library ---------------------------------------------------------------------------------------------------------


def test_drop_folders_and_tags(api: Api) -> None:
    rule = api.post("/rules", {"text": "name: A\nclose > 1"}).json()
    changed = api.patch(f"/rules/{rule['id']}", {"folder": " Long  term ", "tags": ["Trend", "trend", ""]}).json()
    assert (changed["folder"], changed["tags"], changed["version"]) == ("Long term", ["trend"], 1)
    assert api.post(f"/rules/{rule['id']}/duplicate").json()["folder"] == "Long term"


def test_all_rules_go_out_as_a_zip_and_come_back(api: Api, other: Api) -> None:
    for folder, name in (("Trend", "Up: steep"), ("Trend", "Down"), ("", "Up")):
        rule = api.post("/rules", {"text": f"name: {name}\nclose > 1"}).json()
        api.patch(f"/rules/{rule['id']}", {"folder": folder})
    content = api.get("/rules/zip").content
    with zipfile.ZipFile(io.BytesIO(content)) as archive:
        assert sorted(archive.namelist()) == ["Trend/Down.rule", "Trend/Up- steep.rule", "Up.rule"]
    files = [SimpleUploadedFile("rules.zip", content), SimpleUploadedFile("own.rule", b"close > 2"),
             SimpleUploadedFile("bad.rule", b"\xff\xfe\x00"), SimpleUploadedFile("bad.zip", b"no zip")]  # fmt: skip
    found = other.client.post("/api/rules/files", {"files": files}).json()
    assert sorted(found["added"]) == ["Down", "Up", "Up: steep", "own"]
    assert len(found["problems"]) == 2
    kept = {r["name"]: r for r in other.get("/rules").json()}
    assert (kept["Down"]["folder"], kept["Up"]["folder"]) == ("Trend", "")


def test_a_shared_rule_is_read_and_copied_but_not_changed(api: Api, other: Api) -> None:
    api.post("/rules", {"text": "name: Base\nclose > 1"})
    api.post("/rules", {"text": "name: Secret\nclose > 3"})
    rule = api.post("/rules", {"text": 'name: Mine\nabout: an idea\nuse "Base"\nclose > 2'}).json()
    token = api.post(f"/rules/{rule['id']}/share").json()["share"]
    assert api.post(f"/rules/{rule['id']}/share").json()["share"] == token
    seen = other.get(f"/rules/shared/{token}").json()
    assert (seen["name"], seen["about"], list(seen["parts"])) == ("Mine", "an idea", ["Base"])
    copied = other.post(f"/rules/shared/{token}/copy").json()
    assert copied["valid"]
    assert copied["kept"] == []
    own = next(r for r in other.get("/rules").json() if r["name"] == "Base")
    other.put(f"/rules/{own['id']}", {"text": "name: Base\nclose > 7"})
    assert other.post(f"/rules/shared/{token}/copy").json()["kept"] == ["Base"]
    assert {"Base", "Mine"} <= {r["name"] for r in other.get("/rules").json()}
    assert other.put(f"/rules/{rule['id']}", {"text": "close > 9"}).status_code == 404
    api.delete(f"/rules/{rule['id']}/share")
    assert other.get(f"/rules/shared/{token}").status_code == 404


def test_the_weekday_is_a_column_of_the_day_stood_on(api: Api) -> None:
    found = api.post("/scan", {"text": "close > 0", "as_of": "2024-06-27", "columns": ["weekday", "sector"]}).json()
    assert {hit["values"]["weekday"] for hit in found["hits"]} == {"Thursday"}
    assert len({hit["values"]["sector"] for hit in found["hits"]}) > 2
