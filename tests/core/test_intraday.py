"""Frames shorter than a day, on made bars of five minutes: the same kernels, the same words."""

import numpy as np
import pytest

from tests import made
from tests.core.test_meaning import same
from wickcore.bars.bars import build_bars
from wickcore.bars.market import Market
from wickcore.language.check import check_expression, check_rule
from wickcore.language.problems import RuleError
from wickcore.scan.evaluate import Evaluator


@pytest.fixture(scope="module")
def engine() -> Evaluator:
    """Two names over nine sessions of 78 five-minute bars, a few bars missing."""
    rng = np.random.default_rng(4)
    tables = {}
    for symbol in ("A", "B"):
        day = np.repeat(made.weekdays(9), 78)
        minute = np.tile(np.arange(78, dtype=np.int32) * 5, 9)
        traded = rng.random(len(day)) > 0.05
        tables[symbol] = {**made.walk(day[traded], rng, spread=0.003), "minute": minute[traded]}
    bars = build_bars(tables, "5min")
    return Evaluator(Market(bars, texts={"sector": ("Power", "Power")}, benchmark="B"))


@pytest.mark.parametrize(
    "text",
    [
        "sma(20)",
        "on(15min, sma(5))",
        "on(65min, rsi(5)) > 50",
        "on(day, sma(3))",
        "close > on(day, high 1 ago)",
        "on(30min, high) - on(30min, low)",
        "close > bb_upper(20, 2)",
        "close > sma(2d)",
        "on(week, close 1 ago)",
        "vwap(first_of(day))",
        "pivot",
        "on(65min, close crosses above sma(3))",
    ],
)
def test_expressions_on_five_minute_bars(engine: Evaluator, text: str) -> None:
    assert same(engine, text, "5min") > 0


def test_a_daily_market_has_no_shorter_bars() -> None:
    with pytest.raises(RuleError, match="no 15min bars in this market"):
        check_rule("on(15min, close) > 5")
    with pytest.raises(RuleError, match="no 5min bars in this market"):
        check_rule("bars: 5min\nclose > 5")
    assert check_expression("on(15min, close)", "5min", "5min").type == "number"
    assert check_rule("bars: 65min\nclose > sma(5)", base="5min").frame == "65min"
