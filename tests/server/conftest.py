"""A small invented market in a database of the tests' own, and two accounts."""

import json
from collections.abc import Callable
from typing import Any

import pytest
from django.conf import settings
from django.contrib.auth import get_user_model
from django.test import Client

from tests.made import market
from tests.server.standing import stand  # noqa: F401
from upperwick.market import load
from upperwick.market.demo import save_demo
from upperwick.market.models import CalendarEvent, DataVersion, Instrument, OwnFact, Universe
from wickcore.demo.market import make_market
from wickcore.language.check import check_expression
from wickcore.scan.evaluate import Evaluator
from wickcore.scan.patterns import drawn, of_all


@pytest.fixture(scope="session")
def django_db_setup(django_db_setup: None, django_db_blocker: Any, tmp_path_factory: pytest.TempPathFactory) -> None:
    """The stored market is made once for all tests; what they write is rolled back."""
    settings.DATA_DIR = tmp_path_factory.mktemp("data")  # each process imports into a database of its own
    with django_db_blocker.unblock():
        save_demo(make_market(listed=70, delisted=10, index_within=250))


@pytest.fixture(scope="session", autouse=True)
def compiled() -> None:
    """The patterns' kernels take longer to compile than a request may take; an installed application has compiled them before it serves."""
    engine = Evaluator(market(seed=1, count=1, length=60))
    engine.column(check_expression("base").op)
    list(drawn(engine, of_all("day"), engine.market.bars.symbols[0], 20))


@pytest.fixture(autouse=True)
def quick_passwords(settings: Any) -> None:
    """Hashing as slow as it should be would take most of the tests' time."""
    settings.PASSWORD_HASHERS = ["django.contrib.auth.hashers.MD5PasswordHasher"]


class Api:
    """A signed-in browser's calls, with bodies as JSON."""

    def __init__(self, client: Client) -> None:
        self.client = client

    def __getattr__(self, method: str) -> Callable[..., Any]:
        def call(path: str, body: Any = None) -> Any:
            data = {} if body is None else {"data": json.dumps(body), "content_type": "application/json"}
            return getattr(self.client, method)(f"/api{path}", **data)

        return call


def enters(client: Client, name: str, password: str) -> bool:
    """Whether a name and its password sign a browser in."""
    body = {"name": name, "password": password}
    return bool(client.post("/api/session", body, content_type="application/json").status_code == 200)


def account(name: str) -> Api:
    user = get_user_model().objects.create_user(name, password="a long password")
    client = Client()
    client.force_login(user)
    return Api(client)


@pytest.fixture
def empty_market(db: None, monkeypatch: pytest.MonkeyPatch) -> None:
    """Nothing of the market is stored; all is back after the test. What was read of another test's market, whose versions are numbered alike, is
    not held."""
    monkeypatch.setattr(load, "_held", None)
    for model in (CalendarEvent, OwnFact, Universe, Instrument, DataVersion):
        model.objects.all().delete()


@pytest.fixture
def api(db: None) -> Api:
    return account("ada")


@pytest.fixture
def other(db: None) -> Api:
    return account("brom")
