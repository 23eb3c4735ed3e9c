"""The whole application on an evening of the past: what the tests of the evening look at session by session."""

from collections.abc import Callable

import numpy as np
import pytest
from django.contrib.auth import get_user_model

from tests.core.test_laws import cut_market
from upperwick.alerts import look
from upperwick.market import load, services
from upperwick.outbox.models import Message
from upperwick.rules.checking import prepared
from wickcore.bars.moment import Moment
from wickcore.scan.evaluate import Evaluator
from wickcore.scan.scan import Hit, scan

RULE = "name: Over its short average\nuniverse: Harbour 500\nclose crosses above sma(10)"
Stand = Callable[[int], Moment]


@pytest.fixture
def stand(monkeypatch: pytest.MonkeyPatch, db: None) -> Stand:
    """Puts the whole application on an evening so many sessions before the last: nothing later is in its data."""
    whole = load.evaluator().market
    made: dict[int, Evaluator] = {}

    def to(back: int) -> Moment:
        day = int(whole.bars.sessions[-1 - back])
        if back not in made:
            made[back] = Evaluator(cut_market(whole, day))
        for module in (look, services):
            monkeypatch.setattr(module, "evaluator", lambda: made[back])
        monkeypatch.setattr("upperwick.desk.desk.evaluator", lambda: made[back])
        return Moment(day)

    return to


def bars_of(symbol: str) -> dict[str, np.ndarray]:
    bars = load.evaluator().market.bars
    k = bars.number[symbol]
    part = slice(int(bars.offsets[k]), int(bars.offsets[k + 1]))
    return {n: getattr(bars, n)[part] for n in ("days", "open", "high", "low", "close", "factor")}


def in_days() -> str:
    """A share that trades to the end without a split in the last sessions."""
    market = load.evaluator().market
    for symbol in market.bars.symbols:
        of = bars_of(symbol)
        if (
            len(of["days"]) > 400
            and of["days"][-1] == market.bars.last_day
            and np.ptp(of["factor"][-60:]) == 0
            and of["high"][-1] < 900
        ):
            return symbol
    raise AssertionError


def messages() -> list[Message]:
    return list(Message.objects.order_by("id"))


def hits_of(now: Moment) -> tuple[Hit, ...]:
    """Who hits RULE at a moment, by a scan of its own."""
    of = prepared(get_user_model().objects.get(username="ada"), RULE, as_of=str(now))
    return scan(of.engine, of.rule, now, of.members).hits
