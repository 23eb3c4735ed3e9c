"""Guessing passwords, signing in from elsewhere, leaving everywhere, and who may read the data folder."""

import os
from datetime import timedelta
from pathlib import Path
from typing import Any

import pytest
from django.contrib.auth import get_user_model
from django.contrib.auth.hashers import PBKDF2PasswordHasher, identify_hasher
from django.core.cache import cache
from django.db.models import F
from django.test import Client
from django.utils import timezone

from tests.commands import run
from tests.server.conftest import Api
from upperwick.accounts import sign_in_limits
from upperwick.accounts.models import WrongTries
from upperwick.accounts.services import Unfit, add_account
from upperwick.base.files import keep_from_others, temporary_folder

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
    assert (right.status_code, "wait 5 minutes" in right.json()["detail"]) == (429, True)


def test_an_address_that_tries_many_names_waits_too() -> None:
    get_user_model().objects.create_user("cora", password=PASSWORD)
    for n in range(10):
        sign_in(Client(), f"name{n}", "x", "10.0.3.1")
    assert sign_in(Client(), "cora", PASSWORD, "10.0.3.1").status_code == 429
    assert sign_in(Client(), "cora", PASSWORD, "10.0.3.2").status_code == 200


def test_a_right_sign_in_between_buys_no_further_guesses() -> None:
    for name in ("cora", "mallory"):
        get_user_model().objects.create_user(name, password=PASSWORD)
    guesser, answers = Client(), []
    for n in range(20):
        answers.append(sign_in(Client(), "cora" if n % 2 else f"name{n}", "x", "10.0.4.1").status_code)
        if n % 3 == 0:
            sign_in(guesser, "mallory", PASSWORD, "10.0.4.1")
    assert answers == [401] * 9 + [429] * 11
    assert sign_in(guesser, "mallory", PASSWORD, "10.0.4.1").status_code == 200  # from a device that mallory has used


def test_nobody_is_locked_out_at_a_device_of_their_own_by_others_guesses() -> None:
    get_user_model().objects.create_user("cora", password=PASSWORD)
    own = Client()
    assert sign_in(own, "cora", PASSWORD, "10.0.6.1").status_code == 200
    for _ in range(12):
        sign_in(Client(), "cora", "x", "10.0.6.1")
    assert sign_in(Client(), "cora", PASSWORD, "10.0.6.1").status_code == 429
    assert sign_in(own, "cora", PASSWORD, "10.0.6.1").status_code == 200
    # A device is known for its own names only, and what it says has to be signed.
    forged = Client()
    forged.cookies[sign_in_limits.COOKIE] = own.cookies[sign_in_limits.COOKIE].value[:-2] + "xx"
    assert sign_in(forged, "cora", PASSWORD, "10.0.6.2").status_code == 429


def test_a_known_device_waits_a_little_longer_after_each_wrong_password() -> None:
    get_user_model().objects.create_user("cora", password=PASSWORD)
    own = Client()
    sign_in(own, "cora", PASSWORD, "10.0.7.1")
    waits = []
    for _ in range(10):
        answer = sign_in(own, "cora", "x", "10.0.7.1")
        waits.append(answer.json().get("wait", 0))
        WrongTries.objects.update(last=F("last") - timedelta(seconds=waits[-1] + 1))
    assert waits == [0, 0, 1, 2, 4, 8, 16, 32, 60, 60]
    assert sign_in(own, "cora", PASSWORD, "10.0.7.1").status_code == 200
    assert sign_in(own, "cora", "x", "10.0.7.1").status_code == 401  # begins anew
    WrongTries.objects.update(count=sign_in_limits.DEVICE_LIMIT)
    for _ in range(10):
        sign_in(own, "cora", "x", "10.0.7.1")
    assert sign_in(own, "cora", PASSWORD, "10.0.7.1").status_code == 429  # as any other


def test_a_header_does_not_say_where_a_try_comes_from() -> None:
    for n in range(10):
        sign_in(Client(), f"name{n}", "x", "10.0.8.1", **{"X-Forwarded-For": f"10.9.9.{n}"})
    assert sign_in(Client(), "other", "x", "10.0.8.1", **{"X-Forwarded-For": "10.9.9.99"}).status_code == 429


@pytest.mark.parametrize(
    "password", ["short-word", "coralinecoraline", "CoralineCoraline1!", "enilaroc-2024-!!", "aaaaaaaaaaaaaaaa", "password1234"]
)
def test_a_password_is_long_and_not_the_name(password: str) -> None:
    with pytest.raises(Unfit):
        add_account("coraline", password)
    add_account("coraline", "three-wet-lanterns")


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
    WrongTries.objects.update(last=earlier)
    assert sign_in(Client(), "cora", "x", "10.0.5.1").status_code == 429
    WrongTries.objects.update(last=F("last") - timedelta(seconds=15))
    assert sign_in(Client(), "cora", PASSWORD, "10.0.5.1").status_code == 200


def test_a_crowd_is_refused_and_not_queued_without_end(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(sign_in_limits, "_waiting", [None] * sign_in_limits.MOST_WAITING)
    refused = sign_in(Client(), "cora", PASSWORD)
    assert (refused.status_code, refused.json()["detail"]) == (429, sign_in_limits.CROWDED)


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
    for place in ("incoming", "incoming/done", "exports", "uploads"):
        (data / place).mkdir(parents=True, exist_ok=True)
        (data / place).chmod(0o755)
        assert keep_from_others(data / place).stat().st_mode & 0o007 == 0
    (data / "secret-key").write_text("")  # as a power cut may leave it
    assert run("account", "list", data=data).returncode == 0
    assert len((data / "secret-key").read_text()) > 40
    for left in data.glob("upperwick.sqlite3-*"):
        left.unlink()
    (data / "upperwick.sqlite3").write_bytes(os.urandom(5_000))
    damaged = run("account", "list", data=data)
    assert damaged.returncode == 2
    assert "is damaged" in damaged.stderr
    assert ".recover" in damaged.stderr


def test_drop_folders_of_processes_that_were_killed_are_cleared(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("upperwick.base.files.gettempdir", lambda: str(tmp_path))
    monkeypatch.setattr("tempfile.tempdir", str(tmp_path))
    gone, own, other = (tmp_path / f"upperwick-{name}" for name in ("4194305-a", f"{os.getpid()}-b", "notes"))
    for folder in (gone, own, other):
        folder.mkdir()
    with temporary_folder() as made:
        assert Path(made).is_dir()
    assert (gone.exists(), own.exists(), other.exists(), Path(made).exists()) == (False, True, True, False)
