"""The page that a study leaves: of every starter rule, and of rules of no line, one and forty, with no hit, one and many."""

import re

import pytest

from tests.server.conftest import Api
from tests.server.test_studies import measured
from upperwick.rules.naming import name_in
from upperwick.rules.services import STARTERS

pytestmark = pytest.mark.django_db
STARTER_TEXTS = {name_in(p.read_text()): p.read_text() for p in sorted(STARTERS.rglob("*.rule"))}
LINES = "\n".join(f"close > {n / 100}" for n in range(1, 40))
ODD = {
    "one line": "close crosses above sma(20)",
    "forty lines": f"close crosses above sma(20)\n{LINES}",
    "no hit": "close > 1m",
    "one hit": "listed_days == 100 and rank(close) > 99",
    "every day": "close > 0",
    "only lines that are skipped beside one": "skip close > 5\nclose crosses above sma(20)",
    "a group": "any of:\n  close crosses above sma(20)\n  close crosses above sma(50)",
    "short": "side: short\n\nclose crosses below sma(20)",
    "an awkward name": 'name: <b>"&"</b> 5%\n\nclose crosses above sma(20)',
}


@pytest.mark.parametrize("name", [*STARTER_TEXTS, *ODD])
def test_a_report_of_every_rule(api: Api, name: str) -> None:
    text = {**STARTER_TEXTS, **ODD}[name]
    run = measured(api, text, horizons=[5])
    parts = api.post(f"/studies/{run['id']}/parts?horizon=5").json()
    assert parts["state"] == "done", parts["detail"]
    answer = api.get(f"/studies/{run['id']}/report?horizon=5")
    assert answer.status_code == 200, answer.content[:300]
    page = answer.content.decode()
    assert "<b>&quot;" not in page
    assert page.rstrip().endswith("</html>")
    assert not re.search(r"[^a-z](nan|inf|None)[^a-z]", re.sub(r"<svg.*?</svg>", "", page, flags=re.DOTALL)), name
