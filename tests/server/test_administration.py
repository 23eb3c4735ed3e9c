"""Accounts on the command line, and Django's administration for people who run a server."""

from pathlib import Path

import pytest
from django.contrib.auth import get_user_model
from django.db import IntegrityError, transaction
from django.test import Client

from tests.commands import run
from tests.server.conftest import Api, enters
from upperwick.market.models import Instrument, Member, Universe


def test_accounts_from_the_command_line(tmp_path: Path) -> None:
    data = tmp_path / "data"
    assert run("account", "list", data=data).stdout == ""
    made = run("account", "add", "ada", text="a long password\n", data=data)
    assert (made.returncode, made.stdout) == (0, "The account ada is made.\n"), made.stderr
    assert "39 rules, last signed in never" in run("account", "list", data=data).stdout
    for arguments, text, words in (
        (("add", "ada"), "a long password\n", "already"),
        (("add", "brom"), "short\n", "too short"),
        (("add", "no spaces"), "a long password\n", "valid username"),
        (("add",), "", "needs a name"),
        (("password", "cleo"), "a long password\n", "no account cleo; there are: ada"),
        (("password", "ada"), "password\n", "too common"),
        (("remove", "ada"), "", "--yes"),
    ):
        done = run("account", *arguments, text=text, data=data)
        assert (done.returncode, words in done.stderr) == (2, True), done.stderr
    assert run("account", "password", "ada", text="another long one\n", data=data).returncode == 0
    assert "may use the administration" in run("account", "add", "dora", "--staff", text="a long password\n", data=data).stdout
    assert run("account", "remove", "ada", "--yes", data=data).returncode == 0
    assert run("account", "list", data=data).stdout.startswith("dora")


@pytest.mark.django_db
def test_the_administration_is_for_staff_and_has_no_door_of_its_own(api: Api) -> None:
    assert Client().get("/admin/", follow=True).redirect_chain[-1][0] == "/"
    assert api.client.get("/admin/", follow=True).status_code == 403
    staff = get_user_model().objects.create_user("dora", password="a long password", is_staff=True, is_superuser=True)
    client = Client()
    client.force_login(staff)
    for page in ("", "market/instrument/", "market/universe/", "market/dataversion/", "jobs/job/", "auth/user/", "auth/user/add/"):
        answer = client.get(f"/admin/{page}")
        assert answer.status_code == 200, page
        assert "Content-Security-Policy" in answer
    assert client.get("/admin/market/instrument/add/").status_code == 403  # instruments come with imports
    assert client.get("/static/admin/css/base.css").status_code == 200
    # A second person, made in the interface.
    body = {"username": "erin", "password1": "a long password", "password2": "a long password", "usable_password": "true"}
    assert client.post("/admin/auth/user/add/", body).status_code == 302
    assert enters(Client(), "erin", "a long password")


@pytest.mark.django_db
def test_the_database_holds_to_what_must_hold() -> None:
    universe, instrument = Universe.objects.create(name="Mine"), Instrument.objects.first()
    with pytest.raises(IntegrityError), transaction.atomic():
        Member.objects.create(universe=universe, instrument=instrument, first="2024-01-02", last="2024-01-01")
    Member.objects.create(universe=universe, instrument=instrument, first="2024-01-02", last="2024-02-01")
    with pytest.raises(IntegrityError), transaction.atomic():
        Member.objects.create(universe=universe, instrument=instrument, first="2024-01-02", last="2024-03-01")


def test_kernels_are_compiled_ahead_by_part(tmp_path: Path) -> None:
    assert run("warm", "starters", data=tmp_path).returncode == 0
    wrong = run("warm", "everything", data=tmp_path)
    assert (wrong.returncode, "there are: starters, books, patterns, measures" in wrong.stderr) == (2, True)
