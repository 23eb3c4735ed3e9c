"""Inside a session: what stands on days shows the day so far, and nothing later."""

import numpy as np
import pytest

from tests.server.conftest import Api
from tests.server.standing import in_days
from upperwick.market import load
from upperwick.outbox.mail import last_days
from wickcore.bars.moment import read_moment

AT, DAY, MINUTE = "2024-06-28T10:35", "2024-06-28", 10 * 60 + 35
RULE = "universe: Harbour 500\nclose > open\nclose > sma(20)"


def so_far(symbol: str) -> dict[str, float]:
    """The day's bar of the bars of five minutes that ended by then."""
    table = load.evaluator().market.table("5min")
    k = table.number[symbol]
    part = slice(int(table.offsets[k]), int(table.offsets[k + 1]))
    assert table.minute is not None
    here = (table.days[part] == np.datetime64(DAY, "D").astype(int)) & (table.minute[part] + 5 <= MINUTE)
    of = {name: getattr(table, name)[part][here] for name in ("open", "high", "low", "close", "volume")}
    assert here.sum() == 13
    return {
        "open": of["open"][0],
        "high": of["high"].max(),
        "low": of["low"].min(),
        "close": of["close"][-1],
        "volume": of["volume"].sum(),
    }


@pytest.mark.django_db
def test_a_chart_of_days_ends_on_the_day_so_far(api: Api) -> None:
    symbol = in_days()
    chart = api.post(
        "/chart", {"symbol": symbol, "frame": "day", "bars": 30, "as_of": AT, "panes": [["rank(change(20))", "sma(3)"]]}
    )
    found = chart.json()
    assert (found["days"][-1], found["so_far"]) == (DAY, True)
    assert {name: found[name][-1] for name in so_far(symbol)} == pytest.approx(so_far(symbol), rel=1e-5)
    evening = api.post("/chart", {"symbol": symbol, "frame": "day", "bars": 29, "as_of": "2024-06-27"}).json()
    assert not evening["so_far"]
    for name in ("days", "open", "high", "low", "close", "volume"):
        assert found[name][:-1] == evening[name]
    closes = [*evening["close"][-2:], so_far(symbol)["close"]]
    assert found["panes"][0][1]["values"][-1] == pytest.approx(np.mean(closes), rel=1e-4)
    assert found["panes"][0][0]["values"][-1] is not None
    assert found["facts"]["change"] == pytest.approx(closes[-1] / closes[-2] - 1, rel=1e-3)


@pytest.mark.django_db
def test_a_week_so_far_holds_the_day_so_far(api: Api) -> None:
    symbol = in_days()
    week = api.post("/chart", {"symbol": symbol, "frame": "week", "bars": 2, "as_of": AT}).json()
    days = api.post("/chart", {"symbol": symbol, "frame": "day", "bars": 5, "as_of": AT}).json()
    assert (week["days"][-1], week["so_far"]) == (DAY, True)
    assert not api.post("/chart", {"symbol": symbol, "frame": "week", "bars": 2, "as_of": DAY}).json()["so_far"]  # a Friday's close
    assert week["high"][-1] == max(days["high"])
    assert week["close"][-1] == days["close"][-1]


@pytest.mark.django_db
def test_the_hits_of_a_chart_are_those_of_the_scans(api: Api) -> None:
    inside = {h["symbol"]: h["values"] for h in api.post("/scan", {"text": RULE, "as_of": AT}).json()["hits"]}
    others = [s for s in load.evaluator().market.bars.symbols if s not in inside]
    for symbol in (*list(inside)[:3], in_days(), *others[-3:]):
        chart = api.post("/chart", {"symbol": symbol, "text": RULE, "frame": "day", "bars": 60, "as_of": AT}).json()
        whole = api.post("/chart", {"symbol": symbol, "text": RULE, "frame": "day", "bars": 60, "as_of": "2024-06-27"}).json()
        assert (DAY in chart["past"]) == (symbol in inside)
        assert [d for d in chart["past"] if d != DAY] == whole["past"]
        assert [d for d in chart["fresh"] if d != DAY] == whole["fresh"]
        assert ((len(chart["days"]) - 1) in chart["hits"]) == (symbol in inside)
        if symbol in inside:
            assert inside[symbol]["close"] == pytest.approx(chart["close"][-1], rel=1e-5)


@pytest.mark.django_db
def test_figures_and_drawings_stand_on_the_day_so_far(api: Api) -> None:
    symbol = in_days()
    before = api.get(f"/facts/{symbol}?as_of=2024-06-27").json()["figures"]
    now = api.get(f"/facts/{symbol}?as_of={AT}").json()["figures"]
    cap = next(i for i, f in enumerate(now) if f["label"] == "Off the 52-week high")
    value = api.post("/value", {"text": "close > 0", "expression": "off_high(52w)", "symbol": symbol, "as_of": AT}).json()
    assert now[cap]["value"] == pytest.approx(value["value"])
    assert now[cap]["value"] != before[cap]["value"]
    chart = api.post("/chart", {"symbol": symbol, "frame": "day", "bars": 40, "as_of": AT}).json()
    points = [{"day": chart["days"][i], "price": chart["low"][i]} for i in (0, 10)]
    drawn = api.post(f"/drawings/{symbol}?as_of={AT}", {"kind": "line", "points": points, "text": ""}).json()
    assert len(drawn["values"]) == 40
    assert drawn["today"] == pytest.approx(chart["low"][0] * (chart["low"][10] / chart["low"][0]) ** 3.9, rel=1e-4)
    quarter = api.get(f"/drawings/{symbol}?as_of={AT}&frame=15min").json()[0]
    assert quarter["values"][-1] == drawn["today"]


@pytest.mark.django_db
def test_the_chart_of_a_message_ends_on_the_day_so_far() -> None:
    symbol, market = in_days(), load.evaluator().market
    evening = last_days(market, symbol, read_moment("2024-06-27"))
    inside = last_days(market, symbol, read_moment(AT))
    for name, before, now in zip(("open", "high", "low", "close"), evening, inside, strict=True):
        assert now[-1] == pytest.approx(so_far(symbol)[name])
        assert now[:-1] == pytest.approx(before[1:])
