"""Guessing passwords, signing in from elsewhere, leaving everywhere, and who may read the data folder."""

import os
from datetime import timedelta
from pathlib import Path
from typing import Any

import pytest
from axes.models import AccessAttempt
from django.conf import settings
from django.contrib.auth import get_user_model
from django.contrib.auth.hashers import PBKDF2PasswordHasher, identify_hasher
from django.core.cache import cache
from django.db.models import F
from django.test import Client
from django.utils import timezone

from tests.commands import run
from tests.server.conftest import Api
from upperwick.accounts import tries

pytestmark = pytest.mark.django_db
PASSWORD = "a long password"


def sign_in(client: Client, name: str, password: str, address: str = "10.0.0.1", **headers: str) -> Any:
    body = {"name": name, "password": password}
    return client.post("/api/session", body, content_type="application/json", REMOTE_ADDR=address, headers=headers)


def test_ten_wrong_passwords_of_a_name_are_enough_from_wherever_they_come() -> None:
    get_user_model().objects.create_user("cora", password=PASSWORD)
    answers = [sign_in(Client(), "cora", "x", f"10.0.1.{n}").status_code for n in range(12)]
    assert answers == [401] * 9 + [429] * 3  # the tenth is told at once that it was the last
    cache.clear()  # nothing that can be pushed out of memory holds the count
    right = sign_in(Client(), "cora", PASSWORD, "10.0.2.1")
    assert (right.status_code, "wait five minutes" in right.json()["detail"]) == (429, True)


def test_an_address_that_tries_many_names_waits_too() -> None:
    get_user_model().objects.create_user("cora", password=PASSWORD)
    for n in range(10):
        sign_in(Client(), f"name{n}", "x", "10.0.3.1")
    assert sign_in(Client(), "cora", PASSWORD, "10.0.3.1").status_code == 429
    assert sign_in(Client(), "cora", PASSWORD, "10.0.3.2").status_code == 200


def test_the_right_password_takes_back_the_wrong_ones_before_it() -> None:
    get_user_model().objects.create_user("cora", password=PASSWORD)
    for _ in range(3):
        assert [sign_in(Client(), "cora", "x", "10.0.4.1").status_code for _ in range(6)] == [401] * 6
        assert sign_in(Client(), "cora", PASSWORD, "10.0.4.1").status_code == 200


def test_no_password_is_hashed_for_who_has_to_wait(monkeypatch: pytest.MonkeyPatch) -> None:
    user = get_user_model().objects.create_user("cora", password=PASSWORD)
    for _ in range(10):
        sign_in(Client(), "cora", "x")
    monkeypatch.setattr(type(user), "check_password", lambda *_: pytest.fail("hashed"))
    assert sign_in(Client(), "cora", PASSWORD).status_code == 429


def test_guessing_on_does_not_make_anybody_wait_longer() -> None:
    get_user_model().objects.create_user("cora", password=PASSWORD)
    for _ in range(10):
        sign_in(Client(), "cora", "x", "10.0.5.1")
    earlier = timezone.now() - timedelta(minutes=4, seconds=50)
    AccessAttempt.objects.update(attempt_time=earlier)
    assert sign_in(Client(), "cora", "x", "10.0.5.1").status_code == 429
    AccessAttempt.objects.update(attempt_time=F("attempt_time") - timedelta(seconds=15))
    assert sign_in(Client(), "cora", PASSWORD, "10.0.5.1").status_code == 200


def test_a_crowd_is_refused_and_not_queued_without_end(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(tries, "_waiting", [None] * tries.MOST_WAITING)
    refused = sign_in(Client(), "cora", PASSWORD)
    assert (refused.status_code, refused.json()["detail"]) == (429, tries.CROWDED)


def test_another_site_cannot_sign_anybody_in() -> None:
    get_user_model().objects.create_user("cora", password=PASSWORD)
    client = Client(enforce_csrf_checks=True)
    refused = sign_in(client, "cora", PASSWORD)
    assert (refused.status_code, "CSRF" in refused.json()["detail"]) == (403, True)
    client.get("/api/session")
    token = client.cookies["csrftoken"].value
    elsewhere = sign_in(client, "cora", PASSWORD, **{"X-CSRFToken": token, "Origin": "http://elsewhere.test"})
    assert elsewhere.status_code == 403
    assert sign_in(client, "cora", PASSWORD, **{"X-CSRFToken": token}).status_code == 200


def test_signing_out_everywhere_ends_every_session_and_nobody_else_s(api: Api, other: Api) -> None:
    name = api.get("/session").json()["name"]
    second = Client()
    assert sign_in(second, name, PASSWORD).status_code == 200
    assert api.delete("/session/everywhere").json()["name"] is None
    assert [second.get("/api/rules").status_code, api.get("/rules").status_code] == [401, 401]
    assert other.get("/rules").status_code == 200


def test_passwords_are_hashed_anew_as_they_are_used(settings: Any) -> None:
    settings.PASSWORD_HASHERS = [
        "django.contrib.auth.hashers.Argon2PasswordHasher",
        "django.contrib.auth.hashers.PBKDF2PasswordHasher",
    ]
    user = get_user_model().objects.create_user("cora")
    user.password = PBKDF2PasswordHasher().encode(PASSWORD, "salt", 1000)
    user.save()
    assert sign_in(Client(), "cora", PASSWORD).status_code == 200
    user.refresh_from_db()
    assert identify_hasher(user.password).algorithm == "argon2"


def test_only_its_own_hosts_are_served() -> None:
    from upperwick.settings import ALLOWED_HOSTS

    assert sorted(ALLOWED_HOSTS) == ["127.0.0.1", "[::1]", "localhost"]
    assert "axes.backends.AxesStandaloneBackend" in settings.AUTHENTICATION_BACKENDS


def test_the_database_is_for_its_owner_alone_and_one_s_own_data_has_no_demo_account(tmp_path: Path) -> None:
    data = tmp_path / "data"
    prices = tmp_path / "prices.csv"
    prices.write_text("symbol,date,open,high,low,close,volume\nZZA,2024-01-02,10,11,9,10.5,1000\n")
    before = os.umask(0)
    try:
        assert run("import", str(prices), data=data).returncode == 0
        assert run("demo", data=data).returncode == 0
    finally:
        os.umask(before)
    for file in data.iterdir():
        if file.name.startswith(("upperwick.sqlite3", "secret-key")):
            assert file.stat().st_mode & 0o077 == 0, file
    assert run("account", "list", data=data).stdout == ""
