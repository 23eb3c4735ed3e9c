"""Two windows on one rule, names that change, the rule's own columns, and a list of rules that reads none anew."""

import pytest

from tests.server.conftest import Api
from upperwick.rules import services, summary
from upperwick.rules.models import Rule
from upperwick.rules.summary import read_all_again

pytestmark = pytest.mark.django_db
TABLE = {"columns": [{"text": "close", "label": "", "width": None}], "sort": [{"text": "close", "down": True}]}


def made(api: Api, text: str, name: str = "") -> dict:
    answer = api.post("/rules", {"text": text, "name": name})
    assert answer.status_code == 200, answer.content
    return answer.json()


def test_the_second_of_two_saves_is_told_and_nothing_is_written_over(api: Api) -> None:
    rule = made(api, "close > 1", "Both")
    path, seen = f"/rules/{rule['id']}", rule["mark"]
    first = api.put(path, {"text": "name: Both\n\nclose > 2", "seen": seen}).json()
    refused = api.put(path, {"text": "name: Both\n\nclose > 3", "seen": seen})
    assert refused.status_code == 409
    theirs = refused.json()["theirs"]
    assert (theirs["text"], theirs["version"], theirs["mark"]) == (first["text"], 2, first["mark"])
    assert api.get(path).json()["text"] == first["text"]
    # Having seen it, one may save over it: it stays among the versions.
    mine = api.put(path, {"text": "name: Both\n\nclose > 3", "seen": theirs["mark"]}).json()
    assert mine["version"] == 3
    assert [v["text"][-1] for v in api.get(f"{path}/versions").json()] == ["3", "2", "1"]
    # The same text from both is no conflict.
    assert api.put(path, {"text": mine["text"], "seen": seen}).json()["version"] == 3


def test_a_rule_renamed_elsewhere_is_not_renamed_back(api: Api) -> None:
    rule = made(api, "close > 1", "Before")
    path = f"/rules/{rule['id']}"
    api.patch(path, {"name": "After"})
    refused = api.put(path, {"text": "name: Before\n\nclose > 2", "seen": rule["mark"]})
    assert (refused.status_code, refused.json()["theirs"]["name"]) == (409, "After")


def test_a_new_name_makes_no_version(api: Api) -> None:
    rule = made(api, "close > 1", "First name")
    user = made(api, 'use "First name"\nvolume > 1')
    path = f"/rules/{rule['id']}"
    renamed = api.patch(path, {"name": "Second  name"}).json()
    assert (renamed["version"], renamed["name"]) == (1, "Second name")
    by_text = api.put(path, {"text": renamed["text"].replace("Second", "Third")}).json()
    assert (by_text["version"], by_text["name"]) == (1, "Third name")
    users = api.get(f"/rules/{user['id']}").json()
    assert ('use "Third name"' in users["text"], users["version"], users["valid"]) == (True, 1, True)
    assert [v["name"] for v in api.get(f"{path}/versions").json()] == ["Third name"]


def test_a_name_and_lines_changed_in_one_save_reach_the_rules_that_use_it(api: Api) -> None:
    rule = made(api, "close > 1", "Part")
    user = made(api, 'use "Part"', "Whole")
    saved = api.put(f"/rules/{rule['id']}", {"text": "name: Piece\n\nclose > 2"}).json()
    assert (saved["name"], saved["version"]) == ("Piece", 2)
    assert 'use "Piece"' in api.get(f"/rules/{user['id']}").json()["text"]


@pytest.mark.parametrize("name", ['Quote "inside"', "Two\nlines", "Bell \x07 rings", "  blanks   within "])
def test_names_are_cleaned_however_a_rule_is_made(api: Api, name: str) -> None:
    rule = made(api, "close > 1", name)
    assert rule["name"] in ("Quote 'inside'", "Two lines", "Bell rings", "blanks within")
    assert made(api, f'use "{rule["name"]}"')["valid"]


def test_a_rule_is_wrong_once_what_it_uses_is(api: Api) -> None:
    part = made(api, "close > 1", "Part")
    whole = made(api, 'use "Part"', "Whole")
    above = made(api, 'use "Whole"', "Above")

    def valid() -> list[bool]:
        listed = {row["id"]: row for row in api.get("/rules").json()}
        return [listed[r["id"]]["valid"] for r in (whole, above)]

    assert valid() == [True, True]
    api.put(f"/rules/{part['id']}", {"text": "name: Part\n\nclose >"})
    assert valid() == [False, False]
    api.put(f"/rules/{part['id']}", {"text": "name: Part\n\nclose > 3"})
    assert valid() == [True, True]
    api.delete(f"/rules/{part['id']}")
    assert valid() == [False, False]
    api.post(f"/rules/{part['id']}/restore")
    assert valid() == [True, True]


def test_the_list_reads_no_rule_anew(api: Api, monkeypatch: pytest.MonkeyPatch, django_assert_max_num_queries: object) -> None:
    for n in range(30):
        made(api, f"about: number {n}\nside: short\n\nclose > {n + 1}")
    monkeypatch.setattr(summary, "check_rule", lambda *_: pytest.fail("a rule was checked"))
    with django_assert_max_num_queries(6):  # type: ignore[operator]
        rows = api.get("/rules").json()
    assert {(row["side"], row["version"]) for row in rows if row["about"].startswith("number")} == {("short", 1)}


def test_after_an_update_rules_are_read_anew_once(api: Api) -> None:
    rule = made(api, "close > 1", "Kept")
    before = Rule.objects.get(id=rule["id"])
    Rule.objects.filter(id=rule["id"]).update(read={**before.read, "core": "another", "side": "short"})
    listed = {row["id"]: row for row in api.get("/rules").json()}
    assert listed[rule["id"]]["side"] == "long"  # never what another core has read
    made(api, "close > 2", "As an older version kept it")
    Rule.objects.filter(name="As an older version kept it").update(read={})
    assert read_all_again(services.parts_of) == 2
    assert read_all_again(services.parts_of) == 0
    assert Rule.objects.get(id=rule["id"]).saved == before.saved


def test_columns_and_order_belong_to_a_rule(api: Api, other: Api) -> None:
    rule = made(api, "close > 1")
    path = f"/rules/{rule['id']}"
    assert rule["table"] is None
    assert api.put(f"{path}/table", {"table": TABLE}).json()["table"] == TABLE
    after = api.get(path).json()
    assert (after["table"], after["version"], after["saved"]) == (TABLE, 1, rule["saved"])
    assert other.put(f"{path}/table", {"table": TABLE}).status_code == 404
    assert api.put(f"{path}/table", {"table": None}).json()["table"] is None


def test_broken_lines_keep_the_others_counted(api: Api) -> None:
    whole = api.post("/scan", {"text": "let a = sma(50)\nclose > a\nvolume > 1"}).json()
    found = api.post("/scan", {"text": "let a = smaa(50)\nclose > a\nvolume > 1\nclose > nothing_such"})
    assert found.status_code == 422
    others = found.json()["others"]
    assert others["without"] == [1, 2, 4]  # what uses a broken name means nothing either
    assert [(line["number"], line["true"]) for line in others["scan"]["lines"]] == [(3, whole["lines"][1]["true"])]
    assert others["text"] == "#\n#\nvolume > 1\n#"
    for broken in ("close >", "universe: Nowhere\n\nclose > 1", "side: up\n\nclose > 1\nvolume >"):
        assert api.post("/scan", {"text": broken}).json().get("others") is None
