"""Fills from a broker's file: read as strangers write them, shown first, taken once, undone together."""

import json
from pathlib import Path
from typing import Any

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile

from tests.server.conftest import Api
from tests.server.test_position_watch import DAYS, QUIET, bring, day
from upperwick.bench.models import BenchItem, Fill
from upperwick.data.drop_folder import bring_in, folder
from upperwick.data.models import Vendor
from upperwick.data.quality.issues import open_issues
from wickcore.bars.moment import to_date

pytestmark = pytest.mark.usefixtures("empty_market")
HEAD = "Trade Date;Symbol;Side;Quantity;Price;Commission;Execution ID\n"


@pytest.fixture(autouse=True)
def market(empty_market: None) -> None:
    for symbol in ("ZZA", "ZZB"):
        bring(symbol, [QUIET] * 30)


def german(at: int) -> str:
    return f"{to_date(int(DAYS[at])):%d.%m.%Y}"


def rows(*given: tuple[int, str, str, str, str, str]) -> str:
    return HEAD + "".join(f"{german(at)};{s};{a};{q};{p};1,50;{r}\n" for at, s, a, q, p, r in given)


def send(api: Api, text: str, name: str = "fills-2024.csv", **more: Any) -> Any:
    answers = json.dumps(more.pop("answers", {}))
    body = {"file": SimpleUploadedFile(name, text.encode()), "answers": answers, **{k: "true" for k, v in more.items() if v}}
    return api.client.post("/api/bench/imports", body)


BOUGHT = rows(
    (10, "ZZA", "Kauf", "100", "45,90", "a1"),
    (12, "zza", "Verkauf", "40", "46,10", "a2"),
    (13, "ZZB", "Kauf", "1.000", "46,00", "a3"),
)


def test_fills_are_shown_first_and_then_taken(api: Api) -> None:
    look = send(api, BOUGHT).json()
    assert (look["new"], look["known"], look["bad"], look["made"]) == (3, 0, [], None)
    assert [(r["symbol"], r["action"], r["shares"], r["price"]) for r in look["rows"]] == [
        ("ZZA", "buy", 100, 45.9), ("ZZA", "sell", 40, 46.1), ("ZZB", "buy", 1000, 46),
    ]  # fmt: skip
    assert not Fill.objects.exists()
    assert not BenchItem.objects.exists()
    made = send(api, BOUGHT, take=True).json()
    assert made["made"]
    assert [(i["symbol"], i["stage"], i["rail"]["shares"]) for i in sorted(api.get("/bench").json(), key=lambda i: i["symbol"])] == [
        ("ZZA", "holding", 60), ("ZZB", "holding", 1000),
    ]  # fmt: skip
    assert Fill.objects.filter(cost=1.5).count() == 3


def test_none_is_taken_twice_whatever_file_it_comes_in(api: Api) -> None:
    send(api, BOUGHT, take=True)
    again = rows((10, "ZZA", "Kauf", "100", "45,90", "a1"), (14, "ZZA", "Verkauf", "60", "46,20", "a4"))
    assert [r["state"] for r in send(api, again, "next.csv").json()["rows"]] == ["known", "new"]
    assert send(api, again, "next.csv", take=True).status_code == 200
    assert Fill.objects.count() == 4
    assert send(api, BOUGHT, take=True).status_code == 409
    assert BenchItem.objects.get(symbol="ZZA").stage == "closed"


def test_what_was_entered_by_hand_is_not_taken_again(api: Api) -> None:
    item = api.post("/bench", {"symbol": "ZZA"}).json()["id"]
    fill = {"action": "buy", "shares": 100, "price": 45.9, "cost": 0, "day": day(10)}
    assert api.post(f"/bench/{item}/fills", fill).status_code == 200
    twice = rows((10, "ZZA", "Köp", "100", "45,903", "a1"), (10, "ZZA", "Köp", "100", "45,90", "a2"))
    look = send(api, twice).json()
    assert [(r["state"], r["why"]) for r in look["rows"]] == [("known", "entered by hand before"), ("new", "")]
    send(api, twice, take=True)
    assert Fill.objects.count() == 2
    assert send(api, twice).json()["new"] == 0


def test_a_price_outside_the_day_is_pointed_out(api: Api) -> None:
    (row,) = send(api, rows((10, "ZZA", "Kauf", "100", "4590", "a1"))).json()["rows"]
    assert row["state"] == "new"
    assert row["why"].startswith("4590.00 lies outside that day")


def test_two_fills_that_say_the_same_in_one_file_are_two(api: Api) -> None:
    text = "date,symbol,action,shares,price\n" + f"{day(10)},ZZA,buy,50,46\n" * 2
    assert send(api, text, take=True).json()["new"] == 2
    assert send(api, text).json()["known"] == 2


def test_they_are_undone_together_and_what_they_put_on_the_bench_goes(api: Api, other: Api) -> None:
    api.post("/bench", {"symbol": "ZZB"})
    made = send(api, BOUGHT, take=True).json()["made"]
    assert other.delete(f"/bench/imports/{made}").status_code == 404
    assert api.delete(f"/bench/imports/{made}").status_code == 204
    assert [(i["symbol"], i["stage"]) for i in api.get("/bench").json()] == [("ZZB", "shortlisted")]
    assert send(api, BOUGHT).json()["new"] == 3  # they can come again
    assert api.delete(f"/bench/imports/{made}").status_code == 404


def test_what_cannot_be_is_said_and_nothing_is_taken_unless_it_is_left_out(api: Api) -> None:
    text = rows(
        (10, "ZZA", "Kauf", "10", "45,9", "b1"),
        (11, "ZZA", "Verkauf", "90", "46", "b2"),
        (11, "NOBODY", "Kauf", "1", "5", "b3"),
        (12, "ZZB", "Umbuchung", "1", "46", "b4"),
    )
    look = send(api, text).json()
    assert {(r["symbol"], r["why"]) for r in look["rows"] if r["state"] == "bad"} == {
        ("ZZA", "90 shares cannot be left: 10 were held then."), ("NOBODY", "the market holds no NOBODY"),
        ("ZZB", "`Umbuchung` is none of buy, sell, short, cover"),
    }  # fmt: skip
    refused = send(api, text, take=True)
    assert (refused.status_code, Fill.objects.count()) == (422, 0)
    assert send(api, text, take=True, skip_bad=True).status_code == 200
    assert Fill.objects.count() == 1


def test_a_sale_of_what_is_not_held_is_a_short_sale_only_where_that_is_said(api: Api) -> None:
    text = "date,symbol,shares,price\n" + f"{day(10)},ZZA,-100,46\n{day(12)},ZZA,100,45\n"
    look = send(api, text).json()
    assert "if it was sold short, say so" in look["rows"][0]["why"]
    made = send(api, text, take=True, shorts=True).json()
    assert [r["action"] for r in made["rows"]] == ["short", "cover"]
    assert BenchItem.objects.get().stage == "closed"


def test_how_it_was_read_is_remembered(api: Api) -> None:
    text = "date,symbol,action,shares,price\n03/05/2024,ZZA,buy,50,46\n"
    look = send(api, text, "broker-1.csv").json()
    assert [q["key"] for q in look["questions"]] == ["dates"]
    send(api, text, "broker-1.csv", answers={"dates": "day first"}, take=True)
    assert Vendor.objects.get().answers == {"dates": "day first", "table": "fills"}
    later = send(api, text.replace("03/05", "06/05"), "broker-2.csv").json()
    assert (later["questions"], later["vendor"], later["new"]) == ([], "broker", 1)


def test_a_remembered_brokers_file_in_the_drop_folder_is_refused_aloud(api: Api, tmp_path: Path, settings: Any) -> None:
    settings.DATA_DIR = tmp_path
    send(api, BOUGHT, take=True)
    file = folder() / "fills-2025.csv"
    file.write_text(BOUGHT)
    bring_in(folder(), [file])
    (issue,) = open_issues()
    assert issue.kind == "refused"
    assert "fills-2025.csv has no column open, high, low, close" in issue.text
