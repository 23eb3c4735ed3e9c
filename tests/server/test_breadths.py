"""Breadths and precedents as they are asked for: kept, named by rules and books, passed, followed; mornings and the sets looked at."""

import csv
import io
import json
from datetime import date
from pathlib import Path

import numpy as np
import pytest

from tests.server.conftest import Api
from upperwick.alerts.models import Alert
from upperwick.breadth.schemas import BreadthOut
from upperwick.cli.main import main
from upperwick.market.load import evaluator
from upperwick.precedents.schemas import PrecedentsOut, SessionChart
from upperwick.rules.models import Breadth
from wickcore.bars.moment import iso
from wickcore.breadth.series import breadth_series
from wickcore.language.breadth import check_breadth
from wickcore.language.ready_breadths import READY
from wickcore.scan.evaluate import Evaluator

pytestmark = pytest.mark.django_db
TEXT = "universe: Harbour 500\n\nclose > sma(50)"
LOOK = {"by": "day", "smooth": 1, "beside": None, "level": 0.4, "way": "below"}


def kept(api: Api, name: str = "Near", text: str = TEXT) -> dict:
    answer = api.post("/breadths", {"name": name, "text": text, "look": LOOK})
    assert answer.status_code == 200, answer.content
    return answer.json()


def counted(api: Api, text: str) -> dict:
    answer = api.post("/scan", {"text": text})
    assert answer.status_code == 200, answer.content
    return answer.json()


def test_a_breadth_is_what_the_core_counts(api: Api) -> None:
    found = api.post("/breadths/look", {"text": TEXT, "level": 0.4}).json()
    BreadthOut.model_validate(found)
    series = breadth_series(evaluator(), check_breadth(TEXT))
    assert found["passed"] == series.passed.tolist()
    assert found["failed"] == series.failed.tolist()
    assert found["days"] == [iso(d) for d in series.days]
    assert found["beside"] == "HARBOUR"
    assert len(found["index"]) == len(found["days"])
    assert found["passings"]["days"] == [row["day"] for row in found["passings"]["rows"]]
    alone = api.post("/breadths/passings", {"text": TEXT, "level": 0.4}).json()
    assert alone == found["passings"]
    assert [a["horizon"] for a in alone["after"]] == [20, 60, 120, 250]
    weekly = api.post("/breadths/look", {"text": TEXT, "level": 0.4, "by": "week"}).json()
    assert [a["horizon"] for a in weekly["passings"]["after"]] == [4, 13, 26, 52]


def test_nothing_after_the_evening_stood_on_is_in_it(api: Api) -> None:
    whole = api.post("/breadths/look", {"text": TEXT}).json()
    early = api.post("/breadths/look", {"text": TEXT, "level": 0.4, "as_of": "2020-03-03"}).json()
    n = len(early["days"])
    assert early["days"][-1] == "2020-03-03"
    assert whole["passed"][:n] == early["passed"]
    assert all(row["returns"][3] is None for row in early["passings"]["rows"] if row["day"] > "2019-06-01")


def test_what_is_wrong_has_its_line_and_nothing_is_lost(api: Api) -> None:
    wrong = api.post("/breadths/look", {"text": "universe: Harbour 500\nshows: shar\n\nclose > sma(50)"})
    assert wrong.status_code == 422
    assert wrong.json()["errors"][0]["line"] == 2
    assert "did you mean “Harbour 500”?" in api.post("/breadths/look", {"text": TEXT, "universe": "Harbor 500"}).json()["detail"]
    assert "There is no instrument HARBOR" in api.post("/breadths/look", {"text": TEXT, "beside": "harbor"}).json()["detail"]
    assert api.post("/breadths/look", {"text": TEXT, "smooth": 0}).status_code == 422
    assert api.post("/breadths/look", {"text": TEXT, "level": "high"}).status_code == 422


def test_the_file_of_a_breadth_holds_its_series(api: Api) -> None:
    answer = api.post("/breadths/csv", {"text": TEXT, "smooth": 5})
    rows = list(csv.DictReader(io.StringIO(answer.content.decode())))
    found = api.post("/breadths/look", {"text": TEXT, "smooth": 5}).json()
    assert [row["day"] for row in rows] == found["days"]
    assert [int(row["pass"]) for row in rows] == found["passed"]
    assert float(rows[-1]["smoothed"]) == found["smoothed"][-1]
    assert float(rows[-1]["HARBOUR"]) == found["index"][-1]


def test_breadths_are_kept_renamed_deleted_and_brought_back_with_the_rules_that_name_them(api: Api, other: Api) -> None:
    one = kept(api)
    rule = api.post("/rules", {"text": 'name: Uses it\nbreadth("Near") > 10%'}).json()
    spaced = api.post("/rules", {"text": 'name: Spaced\nbreadth ( "Near" ) > 10%  # "Near"'}).json()
    book = api.post("/books", {"text": 'enter "Uses it"\nonly while: breadth("Near") > 10%'}).json()
    level = {"kind": "breadth", "breadth": "Near", "scope": "Harbour 500", "level": 0.1, "way": "above"}
    alert = api.post("/alerts", level).json()
    assert rule["valid"]
    assert spaced["valid"]
    assert other.get("/breadths").json()[0]["id"] is None
    assert other.patch(f"/breadths/{one['id']}", {"name": "X"}).status_code == 404
    assert "always there" in api.post("/breadths", {"name": "Up volume", "text": TEXT, "look": LOOK}).json()["detail"]
    assert api.post("/breadths", {"name": "Near", "text": TEXT, "look": LOOK}).status_code == 409
    assert api.get("/breadths").json()[0]["named_by"] == ["Spaced", "Uses it"]
    renamed = api.patch(f"/breadths/{one['id']}", {"name": 'Near "it"'}).json()
    assert renamed["name"] == "Near 'it'"
    assert "breadth(\"Near 'it'\") > 10%" in api.get(f"/rules/{rule['id']}").json()["text"]
    assert api.get(f"/rules/{spaced['id']}").json()["text"].endswith('breadth ( "Near \'it\'" ) > 10%  # "Near"')
    assert "breadth(\"Near 'it'\")" in api.get(f"/books/{book['id']}").json()["text"]
    assert Alert.objects.get(id=alert["id"]).about["name"] == "Near 'it'"
    assert api.delete(f"/breadths/{one['id']}").status_code == 204
    assert not api.get(f"/rules/{rule['id']}").json()["valid"]
    assert api.post(f"/breadths/{one['id']}/restore").json()["name"] == "Near 'it'"
    assert api.get(f"/rules/{rule['id']}").json()["valid"]
    # Another window's text is not written over unseen.
    api.patch(f"/breadths/{one['id']}", {"text": TEXT + "\nvolume > 1"})
    late = api.patch(f"/breadths/{one['id']}", {"text": TEXT + "\nvolume > 2", "seen": one["mark"]})
    assert late.status_code == 409
    assert len(api.get("/breadths").json()) == 1 + len(READY)


def test_a_rule_counts_with_the_breadth_as_it_is_now(api: Api) -> None:
    one = kept(api)
    rule = 'universe: Harbour 500\nbreadth("Near") > 0%\nclose > 0'
    before = counted(api, rule)
    assert before["lines"][0]["left"] > 0
    api.patch(f"/breadths/{one['id']}", {"text": "universe: Harbour 500\n\nclose > 1000000"})
    assert counted(api, rule)["lines"][0]["left"] == 0
    assert (
        "There is no breadth named “Neer”: did you mean “Near”?"
        in api.post("/scan", {"text": 'breadth("Neer") > 1'}).json()["errors"][0]["message"]
    )


def test_a_breadth_over_a_list_of_ones_own(api: Api) -> None:
    engine = evaluator()
    symbols = [s for s in engine.bars.symbols if s not in ("HARBOUR", "BEACON")][:7]
    api.post("/lists", {"name": "Seven", "symbols": symbols})
    found = api.post("/breadths/look", {"text": "universe: Seven\n\nclose > sma(20)"}).json()
    assert found["lists"] == ["Seven"]
    assert max(np.array(found["passed"]) + found["failed"]) <= 7
    kept(api, "Of seven", "universe: Seven\n\nclose > sma(20)")
    named = counted(api, 'breadth("Of seven") > 50%')
    said = counted(api, 'breadth(close > sma(20), for="Seven") > 50%')
    assert [line["true"] for line in named["lines"]] == [line["true"] for line in said["lines"]]
    share = found["value"][-1]
    assert (named["lines"][0]["true"] > 0) == (share > 0.5)
    assert (
        "There is no universe named “Eight”" in api.post("/scan", {"text": 'breadth(close > 1, for="Eight") > 1'}).json()["detail"]
    )


def test_a_breadth_whose_list_is_gone_stops_only_what_names_it(api: Api) -> None:
    symbols = list(evaluator().bars.symbols[:3])
    made = api.post("/lists", {"name": "Three", "symbols": symbols}).json()
    kept(api, "Of three", "universe: Three\n\nclose > sma(20)")
    kept(api, "Sound")
    api.post("/rules", {"text": "name: Base\nclose > 1"})
    api.delete(f"/lists/{made['id']}")
    assert counted(api, 'use "Base"\nbreadth("Sound") > 0%')["lines"]
    assert "There is no universe named “Three”" in api.post("/scan", {"text": 'breadth("Of three") > 0%'}).json()["detail"]
    found = api.post("/value", {"text": "close > 1", "expression": 'breadth(close > 1, for="Nowhere")', "symbol": "HARBOUR"})
    assert found.status_code < 500


def test_studies_and_books_take_a_breadth_and_keep_its_text(api: Api) -> None:
    kept(api)
    text = 'universe: Harbour 500\nclose crosses above sma(20)\nbreadth("Near") > 30%'
    run = api.post("/studies", {"text": text, "horizons": [5]}).json()
    assert run["state"] == "done", run
    plain = api.post("/studies", {"text": "universe: Harbour 500\nclose crosses above sma(20)", "horizons": [5]}).json()
    assert 0 < run["result"]["hits"] < plain["result"]["hits"]
    api.post("/rules", {"text": "name: Cross\nuniverse: Harbour 500\nclose crosses above sma(20)"})
    book = 'universe: Harbour 500\nslots: 5\nonly while: {}\nenter "Cross" at next open\nexit when bars_held >= 10'

    def trades(condition: str) -> int:
        answer = api.post("/books/runs", {"text": book.format(condition)}).json()
        assert answer["state"] == "done", answer
        return len(answer["result"]["trades"]) if "trades" in answer["result"] else answer["result"]["figures"]["trades"]

    assert trades('breadth("Near") > 101%') == 0
    assert trades('breadth("Near") >= 0%') > 0


def test_a_shared_rule_brings_the_breadth_it_names(api: Api, other: Api) -> None:
    kept(api)
    rule = api.post("/rules", {"text": 'name: Given\nbreadth("Near") > 10%'}).json()
    token = api.post(f"/rules/{rule['id']}/share").json()["share"]
    copied = other.post(f"/rules/shared/{token}/copy")
    assert copied.status_code == 200, copied.content
    assert other.get("/breadths").json()[0]["name"] == "Near"
    assert all(r["valid"] for r in other.get("/rules").json() if r["name"] == "Given")


def test_a_pane_of_a_chart_draws_a_breadth(api: Api) -> None:
    kept(api)
    found = api.post("/chart", {"symbol": "HARBOUR", "panes": [['breadth("Near")'], ['breadth("Nowhere")']]}).json()
    assert found["panes"][0][0]["error"] is None
    assert found["panes"][0][0]["shown"] == "percent"
    assert "There is no breadth named" in found["panes"][1][0]["error"]


# -- precedents --------------------------------------------------------------------------------------------------------------


def looked(api: Api, **more: object) -> dict:
    answer = api.post("/precedents", {"as_of": "2024-05-20", **more})
    assert answer.status_code == 200, answer.content
    found = answer.json()
    PrecedentsOut.model_validate(found)
    return found


def test_a_morning_shows_what_is_true_and_how_such_sessions_went(api: Api) -> None:
    found = looked(api)
    assert (found["evening"], found["session"], found["stage"]) == ("2024-05-20", "2024-05-21", "night")
    assert found["stages"] == ["evening", "night", "bell"]
    assert {one["symbol"] for one in found["indices"]} == {"HARBOUR", "BEACON", "SHOALS", "TIDEMK"}
    assert found["index"] == "HARBOUR"
    assert found["sets"] == 0
    for group in found["groups"]:
        told = [s["share"] for s in group["statements"] if s["true"]]
        assert told == sorted(told)
    lines = [s["line"] for g in found["groups"] for s in g["statements"] if s["true"]][:2]
    ticked = looked(api, lines=lines)
    assert [line["this"] for line in ticked["lines"]] == [True, True]
    left = [line["left"] for line in ticked["lines"]]
    assert ticked["sessions"] >= left[0] >= left[1] == ticked["results"][0]["panels"][0]["count"]
    assert len(ticked["results"][0]["each"]) == min(400, left[1])
    assert all(one["day"] < "2024-05-21" for one in ticked["results"][0]["each"])


def test_each_set_of_lines_is_counted_once_a_morning(api: Api, other: Api) -> None:
    first = ["close 1 ago > close 2 ago"]
    assert looked(api, lines=first)["sets"] == 1
    assert looked(api, lines=first, closes=5)["sets"] == 1
    both = [*first, 'weekday == "Tuesday"']
    assert looked(api, lines=both)["sets"] == 2
    assert looked(api, lines=both[::-1])["sets"] == 2  # the same lines in another order
    assert looked(other, lines=first)["sets"] == 1
    assert api.post("/precedents", {"as_of": "2024-05-21", "lines": first}).json()["sets"] == 1


def test_what_is_open_until_the_bell_is_shown_both_ways(api: Api) -> None:
    found = looked(api, lines=["close 1 ago > close 2 ago"], both=0)
    assert [r["line"] for r in found["results"]] == ["open > close 1 ago", "open < close 1 ago"]
    up, down = (r["panels"][0]["count"] for r in found["results"])
    assert up + down <= found["lines"][0]["left"]
    opens = [s for g in found["groups"] for s in g["statements"] if s["true"] is None]
    assert opens
    assert not [s for g in looked(api, stage="bell")["groups"] for s in g["statements"] if s["true"] is None]


def test_a_rule_by_hand_has_the_same_view(api: Api) -> None:
    text = 'decide: open\nbreadth("Above the 50-day average") 1 ago > 50%\nlet b = overnight.close\nb > close 1 ago'
    found = looked(api, text=text)
    assert len(found["lines"]) == 2
    assert found["results"][0]["panels"][0]["count"] == found["lines"][-1]["left"] > 0
    late = api.post("/precedents", {"text": "close > sma(50)"})
    assert late.status_code == 422
    assert "decide at the open" in late.json()["detail"]
    assert api.post("/precedents", {"text": "decide: open\nclose > sma(50)"}).json()["errors"][0]["line"] == 2
    assert "There is no instrument NONE" in api.post("/precedents", {"indices": ["NONE"]}).json()["detail"]


def test_the_session_after_the_latest_is_looked_at_on_its_evening(api: Api) -> None:
    found = api.post("/precedents", {"lines": ["close 1 ago > close 2 ago"]}).json()
    assert found["stage"] == "evening"
    assert found["stages"] == ["evening"]
    assert date.fromisoformat(found["session"]) > date.fromisoformat(found["evening"])


def test_a_session_is_shown_with_the_night_before(api: Api) -> None:
    found = api.get("/precedents/session?symbol=HARBOUR&day=2024-05-21").json()
    SessionChart.model_validate(found)
    assert len(found["bars"]) == 78
    assert found["bars"][0]["open"] == found["daily"]["open"]
    assert found["night"]["low"] <= min(found["night"]["open"], found["night"]["close"])
    assert api.get("/precedents/session?symbol=NONE&day=2024-05-21").status_code == 404
    assert api.get("/precedents/session?symbol=HARBOUR&day=soon").status_code == 422
    nothing = api.get("/precedents/session?symbol=HARBOUR&day=1999-01-01").json()
    assert (nothing["bars"], nothing["daily"], nothing["night"]) == ([], None, None)


def test_with_no_market_both_places_say_so(api: Api, empty_market: None, monkeypatch: pytest.MonkeyPatch) -> None:
    from upperwick.market import load

    monkeypatch.setattr(load, "_held", None)
    for path in ("/breadths/look", "/precedents"):
        answer = api.post(path, {"text": TEXT} if "breadth" in path else {})
        assert answer.status_code == 409
        assert "There are no prices yet" in answer.json()["detail"]
    assert json.loads(api.get("/breadths").content)
    assert Breadth.objects.count() == 0
    assert isinstance(evaluator(), Evaluator)


def test_a_day_that_is_in_no_calendar_is_said_so(api: Api) -> None:
    said = api.post("/precedents", {"as_of": "2024-05-20", "lines": [], "first": "2024-02-31"})
    assert said.status_code == 422
    assert "2024-02-31" in str(said.json())


def test_the_same_question_by_option_header_and_api_has_the_same_answer(
    api: Api, tmp_path: Path, capsys: pytest.CaptureFixture[str], monkeypatch: pytest.MonkeyPatch
) -> None:
    """With ranks, a dial and a let, so that the universe is more than who is looked at."""
    monkeypatch.setattr("upperwick.cli.shared.with_database", lambda: None)
    body = "dial n = 20 from 5 to 40 step 5\nlet strength = change(n)\nrank(strength) > 50\nclose > sma(n)\n"
    rules = {"plain": f"# any\n{body}", "headed": f"universe: Harbour 500\n{body}"}
    for name, text in rules.items():
        (tmp_path / name).write_text(text)
    said = []
    for words in (["headed"], ["plain", "--universe", "Harbour 500"], ["plain"]):
        assert main(["scan", str(tmp_path / words[0]), *words[1:], "--json"]) == 0
        said.append(json.loads(capsys.readouterr().out))
    by_header, by_option, by_none = said
    assert by_option == by_header
    assert by_option["scanned"] != by_none["scanned"]
    asked = counted(api, rules["headed"])
    assert [hit["symbol"] for hit in asked["hits"]] == [hit["symbol"] for hit in by_header["hits"]]
    known = ("number", "text", "true", "false", "unknown", "left")
    assert [[line[key] for key in known] for line in asked["lines"]] == [
        [line[key] for key in known] for line in by_header["lines"]
    ]
    for hit, same in zip(asked["hits"], by_header["hits"], strict=True):
        assert {key: hit["values"][key] for key in same["values"] if key in hit["values"]} == same["values"]
