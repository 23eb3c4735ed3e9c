"""Books as they are kept and asked for: versions, runs, what is looked up in one, seals, tries, files, and whose they are."""

import json
from typing import Any

import pytest

from tests.server.conftest import Api
from upperwick.accounts.services import add_account
from upperwick.books.models import Book, BookTry
from upperwick.books.run_schemas import (
    BookLuckRun,
    BookRunWhole,
    BookSweepRun,
    BookWalkRun,
    BookWhatIfRun,
    SignalsOut,
    TodayOut,
    TradePath,
)
from upperwick.jobs import services as jobs

pytestmark = pytest.mark.django_db
RULE = "name: Over its average\nuniverse: Harbour 500\nclose crosses above sma(20)"
BOOK = """name: Tens
universe: Harbour 500
start: 50k
slots: 5
rank: change(20)
cost: 0.1%
dial far = 3 from 2 to 4 step 1
enter "Over its average" at next open
stop: entry - 2 * atr(14)
follow: best - far * atr(14)
exit when bars_held >= 20
"""


@pytest.fixture
def book(api: Api) -> dict[str, Any]:
    api.post("/rules", {"text": RULE})
    return api.post("/books", {"text": BOOK}).json()


def ran(api: Api, book: dict[str, Any], **more: Any) -> dict[str, Any]:
    answer = api.post("/books/runs", {"text": book["text"], "book_id": book["id"], **more})
    assert answer.status_code == 200, answer.content
    run = answer.json()
    assert run["state"] == "done", run
    return run


def asked(api: Api, run: dict[str, Any], what: str, body: Any = None) -> dict[str, Any]:
    answer = api.post(f"/books/runs/{run['id']}/{what}", body if body is not None else {})
    assert answer.status_code == 200, answer.content
    jobs.carry_out(answer.json()["id"])
    found = api.get(f"/books/asked/{what}/{answer.json()['id']}").json()
    assert found["state"] == "done", found
    return found


def test_a_book_is_kept_with_its_versions_and_seen_by_its_owner_alone(api: Api, other: Api, book: dict[str, Any]) -> None:
    assert (book["name"], book["version"], book["rules"], book["valid"]) == ("Tens", 1, ["Over its average"], True)
    saved = api.put(f"/books/{book['id']}", {"text": BOOK.replace("slots: 5", "slots: 6"), "seen": book["mark"]}).json()
    assert saved["version"] == 2
    # What was saved elsewhere meanwhile is not written over by habit.
    refused = api.put(f"/books/{book['id']}", {"text": BOOK.replace("slots: 5", "slots: 9"), "seen": book["mark"]})
    assert refused.status_code == 409
    assert refused.json()["theirs"]["mark"] == saved["mark"]
    renamed = api.patch(f"/books/{book['id']}", {"name": "Fives"}).json()
    assert (renamed["name"], renamed["version"]) == ("Fives", 2)
    assert "name: Fives" in renamed["text"]
    assert [v["number"] for v in api.get(f"/books/{book['id']}/versions").json()] == [2, 1]
    for path in ("", "/versions", "/seal", "/tries"):
        assert other.get(f"/books/{book['id']}{path}").status_code == 404
    assert api.delete(f"/books/{book['id']}").status_code == 204
    assert api.get(f"/books/{book['id']}").status_code == 404
    assert api.post(f"/books/{book['id']}/restore").json()["version"] == 2


def test_a_rule_s_new_name_is_that_of_its_books(api: Api, book: dict[str, Any]) -> None:
    rule = next(r for r in api.get("/rules").json() if r["name"] == "Over its average")
    api.patch(f"/rules/{rule['id']}", {"name": "Above twenty"})
    found = api.get(f"/books/{book['id']}").json()
    assert 'enter "Above twenty"' in found["text"]
    assert (found["valid"], found["version"]) == (True, 1)


def test_what_is_wrong_is_said_at_its_place(api: Api, book: dict[str, Any]) -> None:
    said = api.post("/books/check", {"text": BOOK}).json()
    assert (said["slots"], said["ranked"], said["frame"]) == (5, True, "day")
    wrong = api.post("/books/check", {"text": BOOK.replace("stop: entry - 2 * atr(14)", "stop: 8%")})
    assert wrong.status_code == 422
    assert wrong.json()["errors"][0] | {"message": ""} == {
        "line": 9,
        "column": 7,
        "length": 2,
        "mend": "entry * 92%",
        "message": "",
    }
    assert api.post("/books/runs", {"text": 'enter "Nobody"'}).status_code == 422
    assert api.post("/books/runs", {"text": BOOK.replace("Harbour 500", "Nowhere")}).status_code in (404, 422)
    assert api.post("/books/format", {"text": BOOK.replace("slots: 5", "slots:5")}).json()["text"] == BOOK
    assert api.post("/books/mirror", {"text": BOOK}).json()["notes"]
    assert len(api.post("/books/aloud", {"text": BOOK}).json()) == 11


def test_a_run_says_everything_and_ends_at_the_seal_until_that_is_broken(api: Api, other: Api, book: dict[str, Any]) -> None:
    run = ran(api, book)
    BookRunWhole.model_validate(run)
    result, seal = run["result"], api.get(f"/books/{book['id']}/seal").json()
    assert result["end"] < seal["sealed_from"]
    assert run["headline"] == result["verdict"]
    assert (run["version"], run["book_id"]) == (1, book["id"])
    assert sum(x["result"] for x in result["trades"]) + 50_000 == pytest.approx(result["figures"]["end"], rel=1e-6)
    assert sum(result["signals"].values()) > result["signals"]["traded"] > 0
    assert len(result["equity"]) == len(result["falls"]) == len(result["index"])
    assert ran(api, book)["id"] == run["id"]  # the same question is answered from what is kept
    assert other.get(f"/books/runs/{run['id']}").status_code == 404
    api.post(f"/books/{book['id']}/seal")
    opened = ran(api, book)
    assert opened["id"] != run["id"]
    assert opened["result"]["end"] == "2024-06-28"
    assert [r["id"] for r in api.get(f"/books/runs?book_id={book['id']}").json()] == [opened["id"], run["id"]]
    assert api.post(f"/books/runs/{run['id']}/again").status_code == 200


def test_a_trade_is_told_with_its_levels_and_why_it_ended(api: Api, book: dict[str, Any]) -> None:
    run = ran(api, book)
    for trade in run["result"]["trades"][:12]:
        path = api.get(f"/books/runs/{run['id']}/trade?number={trade['number']}").json()
        TradePath.model_validate(path)
        assert path["trade"] | trade == path["trade"]
        assert (path["trade"]["entry_at"], path["frame"]) == (trade["entry_day"], "day")
        assert path["bars"][0]["day"] == trade["entry_day"]
        assert path["bars"][-1]["day"] == trade["exit_day"] or trade["reason"] == "delisted"
        assert path["bars"][0]["stop"] == pytest.approx(trade["stop"])
        assert path["why"].endswith((".", ")."))
    assert api.get(f"/books/runs/{run['id']}/trade?number=99999").status_code == 404
    signals = api.get(f"/books/runs/{run['id']}/signals?outcome=no_slot&limit=5").json()
    SignalsOut.model_validate(signals)
    assert signals["total"] == run["result"]["signals"]["no_slot"]
    assert api.get(f"/books/runs/{run['id']}/signals?outcome=nothing").status_code == 422


def test_files_and_the_report_hold_what_the_run_holds(api: Api, book: dict[str, Any]) -> None:
    import io

    import pyarrow.parquet as parquet

    run = ran(api, book)
    trades = run["result"]["trade_count"]
    assert len(json.loads(api.get(f"/books/runs/{run['id']}/file?what=trades&kind=json").content)) == trades
    assert api.get(f"/books/runs/{run['id']}/file?what=trades").content.decode().count("\n") == trades + 1
    table = parquet.read_table(io.BytesIO(api.get(f"/books/runs/{run['id']}/file?what=equity&kind=parquet").content))
    assert table.num_rows == len(run["result"]["equity"])
    page = api.get(f"/books/runs/{run['id']}/report").content.decode()
    assert run["headline"] in page
    assert page.count("<svg") == 3


def test_what_else_is_asked_of_a_run(api: Api, book: dict[str, Any]) -> None:
    run = ran(api, book)
    luck = asked(api, run, "luck", {"picks": 20})
    BookLuckRun.model_validate(luck)
    assert len(luck["result"]["annual"]) == 20
    BookWhatIfRun.model_validate(asked(api, run, "what-if"))
    dials = {"dials": [{"name": "far", "low": 2, "high": 4, "step": 1}, {"name": "slots", "low": 3, "high": 5, "step": 2}]}
    swept = asked(api, run, "sweep", dials)
    BookSweepRun.model_validate(swept)
    assert len(swept["result"]["cells"]) == 6
    walked = asked(api, run, "walk", {**dials, "train": 3, "traded": 2})
    BookWalkRun.model_validate(walked)
    assert walked["result"]["stretches"]
    # Each setting counts once: the run itself is one of the sweep's.
    assert BookTry.objects.count() == 6
    tries = api.get(f"/books/{book['id']}/tries").json()
    assert tries["tried"] == 6
    assert tries["luck_sharpe"] > 0
    refused = api.post(f"/books/runs/{run['id']}/sweep", {"dials": [{"name": "nothing", "low": 1, "high": 2, "step": 1}]})
    assert (refused.status_code, "no dial named nothing" in refused.json()["detail"]) == (422, True)
    whole = {"dials": [{"name": "slots", "low": 0.5, "high": 2, "step": 0.5}]}
    assert api.post(f"/books/runs/{run['id']}/sweep", whole).status_code == 422


def test_today_tells_what_to_order_and_nothing_of_sealed_results(api: Api, book: dict[str, Any]) -> None:
    body = {"text": book["text"], "book_id": book["id"]}
    today = api.post("/books/today", body).json()
    TodayOut.model_validate(today)
    assert (today["as_of"], today["equity"]) == ("2024-06-28", None)
    larger = api.post("/books/today", {**body, "account": 5_000_000}).json()
    for own, other_size in zip(today["orders"], larger["orders"], strict=False):
        assert own["symbol"] == other_size["symbol"]
    api.post(f"/books/{book['id']}/seal")
    assert api.post("/books/today", body).json()["equity"] > 0
    assert api.post("/books/today", {**body, "account": -1}).status_code == 422


def test_a_book_is_begun_from_a_rule_in_one_step(api: Api, book: dict[str, Any]) -> None:
    for text in (RULE.replace("Over its", "Under its"), "name: Falling\nside: short\nclose < sma(20)"):
        rule = api.post("/rules", {"text": text}).json()
        made = api.post(f"/books/from-rule/{rule['id']}").json()
        assert made["valid"]
        assert made["rules"] == [rule["name"]]
        said = api.post("/books/check", {"text": made["text"]}).json()
        assert said["advice"] == []


def test_an_account_begins_with_the_starter_books(api: Api) -> None:
    user = add_account("newcomer", "a long password for it")
    assert Book.objects.filter(owner=user).count() == 6


def test_books_that_come_to_nothing_say_why(api: Api, book: dict[str, Any]) -> None:
    for change, said in (
        (("rank: change(20)", "only while: benchmark(close < 0)"), "Bought nothing: the market filter was shut on "),
        (("start: 50k", "start: 1"), "Bought nothing: no share could be paid for on nearly all of"),
        (("at next open", "at 100000 for 1 bars"), "Bought nothing: the orders of nearly all of"),
    ):
        text = BOOK.replace(*change)
        run = api.post("/books/runs", {"text": text}).json()
        assert run["headline"].startswith(said), run["headline"]
        BookRunWhole.model_validate(run)
    beyond = api.post("/books/runs", {"text": BOOK, "first": "2031-01-01"}).json()
    assert (beyond["state"], beyond["detail"]) == ("failed", "No session lies between these days.")


def test_two_runs_stand_side_by_side(api: Api, other: Api, book: dict[str, Any]) -> None:
    one, two = ran(api, book), ran(api, {**book, "text": BOOK.replace("slots: 5", "slots: 8")})
    found = api.get(f"/books/compare?first={one['id']}&second={two['id']}").json()
    assert found["first"] == one["result"]["figures"]
    assert found["difference"] == pytest.approx(found["second"]["annual"] - found["first"]["annual"], abs=2e-3)
    assert found["low"] < found["high"]
    assert found["both"] + found["only_first"] == len({(x["symbol"], x["entry_day"]) for x in one["result"]["trades"]})
    same = api.get(f"/books/compare?first={one['id']}&second={one['id']}").json()
    assert (same["difference"], same["low"], same["only_first"]) == (0, 0, 0)
    assert other.get(f"/books/compare?first={one['id']}&second={two['id']}").status_code == 404
