"""The starter rules: each checks, explains itself, and has hits in the demo market's history."""

from pathlib import Path

import pytest
from django.contrib.auth import get_user_model

from tests.server.conftest import Api
from upperwick.market.load import load_market
from upperwick.rules.services import STARTERS, add_starters
from wickcore.language.check import check_rule
from wickcore.language.layout import format_rule
from wickcore.scan.evaluate import Evaluator
from wickcore.scan.scan import hit_truth

PATHS = sorted(STARTERS.rglob("*.rule"))


@pytest.fixture
def engine(db: None) -> Evaluator:
    return Evaluator(load_market("starters"))


def test_there_are_enough() -> None:
    assert len(PATHS) >= 24


@pytest.mark.parametrize("path", PATHS, ids=[p.stem for p in PATHS])
def test_it_says_what_why_how_it_fails_and_what_to_tighten(path: Path) -> None:
    text = path.read_text()
    rule = check_rule(text, base="5min")
    assert rule.name
    assert len(rule.about) > 80
    for word in (" fail", "Tighten:") if "helper" not in rule.about else ("Tighten:",):
        assert word in rule.about
    assert not rule.advice
    assert format_rule(text) == text


def test_each_had_hits(engine: Evaluator) -> None:
    for path in PATHS:
        rule = check_rule(path.read_text(), base="5min")
        on = engine.stepping(rule.frame)
        assert hit_truth(on, rule, engine.market.members(rule.universe or "", on.table)).sum() > 0, rule.name


@pytest.mark.django_db
def test_all_of_them_are_valid_in_the_list_and_have_a_mirror(api: Api) -> None:
    add_starters(get_user_model().objects.first())
    rows = api.get("/rules?limit=100").json()
    assert len(rows) == len(PATHS)
    assert all(row["valid"] for row in rows), [row["name"] for row in rows if not row["valid"]]
    assert {row["bars"] for row in rows} == {"day", "5min", "65min"}
    text = next(p for p in PATHS if p.stem.startswith("37-")).read_text()
    mirrored = api.post("/language/mirror", {"text": text}).json()
    assert "crosses below opening_range(minutes).low" in mirrored["text"]
