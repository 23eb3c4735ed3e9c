"""The API: who may, whose it is, what it answers, and how it says no."""

import gzip

import pytest
from django.contrib.auth import get_user_model
from django.test import Client

from tests.server.conftest import Api
from wickcore.language.catalogue import CATALOGUE

RULE = "name: Tall\n\nclose > 10\nclose > sma(50)\nrsi(14) between 20 and 80"
pytestmark = pytest.mark.django_db


def make(api: Api, text: str = RULE) -> dict:
    answer = api.post("/rules", {"text": text})
    assert answer.status_code == 200, answer.content
    return answer.json()


def test_nothing_is_told_to_who_is_not_signed_in() -> None:
    client = Client()
    for path in ("/api/rules", "/api/market", "/api/catalogue", "/api/rules/1"):
        answer = client.get(path)
        assert answer.status_code == 401
        assert answer["Content-Type"] == "application/problem+json"
        assert answer.json()["detail"]


def test_the_catalogue_is_the_same_squeezed_and_not(client: Client) -> None:
    client.force_login(get_user_model().objects.create_user("cora"))
    plain, squeezed = (client.get("/api/catalogue", HTTP_ACCEPT_ENCODING=how) for how in ("identity", "br, gzip"))
    assert {entry["name"] for entry in plain.json()["entries"]} == set(CATALOGUE.entries)
    assert (plain.has_header("Content-Encoding"), squeezed["Content-Encoding"]) == (False, "gzip")
    assert gzip.decompress(squeezed.content) == plain.content
    assert "Accept-Encoding" in plain["Vary"]


def test_signing_in_and_out() -> None:
    get_user_model().objects.create_user("cora", password="a long password")
    client = Client()
    wrong = client.post("/api/session", {"name": "cora", "password": "x"}, content_type="application/json")
    assert (wrong.status_code, wrong.json()["detail"]) == (401, "The name or the password is wrong.")
    right = client.post("/api/session", {"name": "cora", "password": "a long password"}, content_type="application/json")
    assert right.json() == {"name": "cora", "staff": False}
    assert len(client.get("/api/rules").json()) >= 10  # a new account begins with the starter rules
    assert client.delete("/api/session").json() == {"name": None, "staff": False}
    assert client.get("/api/rules").status_code == 401


def test_writing_needs_the_csrf_token() -> None:
    user = get_user_model().objects.create_user("dora", password="a long password")
    client = Client(enforce_csrf_checks=True)
    client.force_login(user)
    assert client.post("/api/rules", {"text": RULE}, content_type="application/json").status_code == 403


def test_pages_carry_a_policy_that_loads_nothing_from_elsewhere() -> None:
    assert "default-src 'self'" in Client().get("/api/session")["Content-Security-Policy"]


def test_rules_belong_to_their_owner(api: Api, other: Api) -> None:
    rule = make(api)
    path = f"/rules/{rule['id']}"
    for answer in (
        other.get(path), other.put(path, {"text": "close > 1"}), other.patch(path, {"name": "Mine"}), other.delete(path),
        other.post(f"{path}/duplicate"), other.post(f"{path}/restore"), other.get(f"{path}/versions"),
    ):  # fmt: skip
        assert answer.status_code == 404
    assert api.get(path).json()["text"] == RULE
    # Nor can another's rule be used as a part.
    assert other.post("/scan", {"text": 'use "Tall"'}).status_code == 422


def test_a_rule_is_saved_with_all_its_versions(api: Api) -> None:
    rule = make(api)
    path = f"/rules/{rule['id']}"
    assert api.put(path, {"text": RULE + "\nvolume > 1k"}).json()["version"] == 2
    assert api.put(path, {"text": RULE + "\nvolume > 1k"}).json()["version"] == 2  # the same text makes no version
    broken = api.put(path, {"text": "name: Tall\nclos > 5"}).json()
    assert (broken["version"], broken["valid"]) == (3, False)  # nothing a person wrote is refused
    assert [v["number"] for v in api.get(f"{path}/versions").json()] == [3, 2, 1]


def test_rename_duplicate_delete_and_undo(api: Api) -> None:
    rule = make(api)
    user = make(api, 'name: Uses it\n\nuse "Tall"\nclose > 1')
    assert api.patch(f"/rules/{rule['id']}", {"name": "  Tall   names "}).json()["name"] == "Tall names"
    assert 'use "Tall names"' in api.get(f"/rules/{user['id']}").json()["text"]
    copy = api.post(f"/rules/{rule['id']}/duplicate").json()
    assert copy["name"] == "Tall names copy"
    assert api.patch(f"/rules/{copy['id']}", {"name": "Tall names"}).status_code == 409
    assert api.delete(f"/rules/{rule['id']}").status_code == 204
    assert api.get(f"/rules/{rule['id']}").status_code == 404
    assert api.post(f"/rules/{rule['id']}/restore").json()["text"].endswith("between 20 and 80")


def test_the_scan_answers_with_taper_hits_and_dials(api: Api) -> None:
    found = api.post(
        "/scan", {"text": "universe: Harbour 500\ndial floor = 5 from 1 to 50 step 1\nclose > floor\nclose > sma(50)"}
    ).json()
    assert found["as_of"] == "2024-06-28"
    assert [line["left"] for line in found["lines"]] == sorted((line["left"] for line in found["lines"]), reverse=True)
    assert found["hits_total"] == found["lines"][-1]["left"] == len(found["hits"])
    assert found["dials"] == [{"name": "floor", "value": 5, "low": 1, "high": 50, "step": 1, "percent": False, "line": 2}]
    assert {"close", "rel_volume(20)"} <= set(found["hits"][0]["values"])
    earlier = api.post("/scan", {"text": "close > 5", "as_of": "2020-02-02"}).json()
    assert earlier["as_of"] == "2020-01-31"  # a Sunday stands on the Friday before


def test_errors_of_a_rule_come_with_their_places(api: Api) -> None:
    answer = api.post("/scan", {"text": "close > smaa(50)\nsector > 5"})
    assert answer.status_code == 422
    assert answer["Content-Type"] == "application/problem+json"
    first, second = answer.json()["errors"]
    assert (first["line"], first["column"], first["mend"]) == (1, 9, "sma")
    assert second["line"] == 2


@pytest.mark.parametrize(
    ("path", "body", "words"),
    [
        ("/scan", {"text": "close > 5", "as_of": "yesterday"}, "not a date"),
        ("/scan", {"text": "close > 5", "as_of": "1990-01-01"}, "begin on"),
        ("/scan", {"text": "close > 5", "universe": "Nowhere"}, "no universe named"),
        ("/scan", {"text": "x" * 30_000}, "at most"),
        ("/scan", {}, "text"),
        ("/scan", {"text": "close > 5\nclose > y", "dials": {"z": 1}}, "not known"),
        ("/chart", {"symbol": "NOPE"}, "no instrument"),
        ("/chart", {"symbol": "HARBOUR", "bars": 10**9}, "bars"),
        ("/explain", {"text": "close > 5", "symbol": "NOPE", "day": "2024-06-28"}, "no instrument"),
        ("/studies", {"text": "close > 5", "horizons": []}, "horizons"),
        ("/studies", {"text": "close > 5", "horizons": [0]}, "Horizons"),
        ("/studies", {"text": "close > 5", "cost": 2}, "cost"),
    ],
)
def test_bad_requests_get_a_sentence(api: Api, path: str, body: dict, words: str) -> None:
    answer = api.post(path, body)
    assert 400 <= answer.status_code < 500
    assert words in answer.json()["detail"]


def test_the_chart_draws_what_the_rule_talks_about(api: Api) -> None:
    hit = api.post("/scan", {"text": RULE}).json()["hits"][0]["symbol"]
    chart = api.post("/chart", {"symbol": hit, "text": RULE, "bars": 300}).json()
    assert [o["label"] for o in chart["overlays"]] == ["sma(50)"]
    assert len(chart["days"]) == len(chart["close"]) == len(chart["overlays"][0]["values"]) <= 300
    assert chart["days"][-1] == "2024-06-28"
    assert len(chart["days"]) - 1 in chart["hits"]
    # The overlay's last value is the mean of the last fifty closes on the same scale.
    assert chart["overlays"][0]["values"][-1] == pytest.approx(sum(chart["close"][-50:]) / 50, rel=1e-4)
    past = api.post("/chart", {"symbol": hit, "as_of": "2022-03-01", "bars": 50}).json()
    assert past["days"][-1] <= "2022-03-01"


def test_explain_says_which_line_failed(api: Api) -> None:
    lines = api.post("/explain", {"text": "close > 1\nclose > 100000", "symbol": "HARBOUR", "day": "2024-06-28"}).json()
    assert [line["truth"] for line in lines] == [True, False]
    assert lines[1]["margin"] == pytest.approx(lines[1]["left_value"] - 100_000)


def test_an_unknown_address_is_a_problem_document(api: Api) -> None:
    answer = api.get("/nothing/here")
    assert (answer.status_code, answer["Content-Type"]) == (404, "application/problem+json")


def test_around_the_language(api: Api) -> None:
    assert api.post("/language/format", {"text": "close>5"}).json() == {"text": "close > 5\n"}
    assert api.post("/language/mirror", {"text": "close > sma(5)"}).json() == {
        "text": "side: short\n\nclose < sma(5)\n",
        "notes": [],
    }
    assert api.post("/language/aloud", {"text": "close > 5"}).json() == [{"line": 1, "text": "The close is above 5."}]
    phrase = api.post("/language/phrase", {"text": "inside bar"}).json()
    assert phrase == {"lines": ["inside_bar"], "words": ["The bar lies inside the one before."], "unknown": [], "offers": []}
    assert api.post("/language/mirror", {"text": "clos > 5"}).status_code == 422
    assert api.post("/language/phrase", {"text": "x" * 400}).status_code == 422


def test_rank_is_among_the_chosen_universe(api: Api) -> None:
    text = "rank(change(20)) > 90"
    inside = api.post("/scan", {"text": f"universe: Beacon 100\n{text}"}).json()
    outside = api.post("/scan", {"text": text}).json()
    assert 0 < inside["hits_total"] <= 1 + inside["scanned"] / 10
    assert outside["hits_total"] > inside["hits_total"]


def test_events_are_those_of_the_calendar(api: Api) -> None:
    found = api.post("/scan", {"text": 'event("Employment report") once in 30'}).json()
    assert found["hits_total"] == found["scanned"]
