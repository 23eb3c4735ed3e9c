"""One's own password, and the accounts of others for staff."""

from typing import Any

import pytest
from django.contrib.auth import get_user_model
from django.test import Client

from tests.server.conftest import Api, account, enters

pytestmark = pytest.mark.django_db


def staff() -> Api:
    user = get_user_model().objects.create_user("dora", password="a long password", is_staff=True)
    client = Client()
    client.force_login(user)
    return Api(client)


def names(answer: Any) -> list[str]:
    assert answer.status_code == 200, answer.content
    return [one["name"] for one in answer.json()]


def test_one_s_own_password_takes_the_old_one_and_keeps_this_browser_in(api: Api) -> None:
    name = api.get("/session").json()["name"]
    other = Client()
    assert enters(other, name, "a long password")
    for now, then, status, said in (
        ("wrong", "quite another one", 403, "as it is now is not right"),
        ("a long password", "short", 422, "too short"),
    ):
        answer = api.put("/session/password", {"now": now, "then": then})
        assert (answer.status_code, said in answer.json()["detail"]) == (status, True), answer.content
    assert api.put("/session/password", {"now": "a long password", "then": "quite another one"}).status_code == 200
    assert api.get("/rules").status_code == 200
    assert other.get("/api/rules").status_code == 401
    assert enters(Client(), name, "quite another one")


def test_guessing_the_old_password_is_slowed_down(api: Api) -> None:
    answers = [api.put("/session/password", {"now": f"guess {i}", "then": "quite another one"}).status_code for i in range(12)]
    assert answers == [403] * 9 + [429] * 3


def test_staff_adds_renews_and_removes_accounts(api: Api) -> None:
    boss = staff()
    assert boss.get("/session").json() == {"name": "dora", "staff": True}
    before = names(boss.get("/people"))
    assert names(boss.post("/people", {"name": "erin", "password": "a long password"})) == sorted([*before, "erin"])
    found = next(one for one in boss.get("/people").json() if one["name"] == "erin")
    assert (found["staff"], found["seen"], found["rules"] > 10) == (False, None, True)
    erin = Client()
    assert enters(erin, "erin", "a long password")
    assert boss.put("/people/erin/password", {"password": "a newer password"}).status_code == 200
    assert erin.get("/api/rules").status_code == 401
    for path, body, said in (
        ("/people", {"name": "erin", "password": "a long password"}, "There is an account erin already."),
        ("/people", {"name": "a b/c", "password": "a long password"}, "valid username"),
        ("/people", {"name": "frank", "password": "12345678"}, "too common"),
    ):
        answer = boss.post(path, body)
        assert (answer.status_code, said in answer.json()["detail"]) == (422, True), answer.content
    assert names(boss.delete("/people/erin")) == before
    assert boss.delete("/people/erin").status_code == 422
    assert "another member of staff" in boss.delete("/people/dora").json()["detail"]


def test_nobody_else_sees_or_changes_accounts(api: Api) -> None:
    account("erin")
    for answer in (
        api.get("/people"),
        api.post("/people", {"name": "frank", "password": "a long password"}),
        api.put("/people/erin/password", {"password": "a newer password"}),
        api.delete("/people/erin"),
    ):
        assert (answer.status_code, answer.json()["detail"]) == (403, "Only staff may see and change the accounts.")
    assert Client().get("/api/people").status_code == 401
    assert get_user_model().objects.filter(username="erin").exists()
