"""Measures against TA-Lib (package `TA-Lib`, a general-purpose indicator library), whose default seeding equals ours."""

from collections.abc import Callable

import numpy as np
import pytest
import talib

from tests import made
from wickcore.bars.bars import build_bars
from wickcore.bars.market import Market
from wickcore.language.check import check_expression
from wickcore.scan.evaluate import Evaluator


@pytest.fixture(scope="module")
def engine() -> Evaluator:
    rng = np.random.default_rng(21)
    return Evaluator(Market(build_bars({"A": made.walk(made.weekdays(600), rng)})))


def columns(engine: Evaluator) -> tuple[np.ndarray, ...]:
    b = engine.market.bars
    return b.open, b.high, b.low, b.close, b.volume


CASES: list[tuple[str, Callable[..., np.ndarray]]] = [
    ("sma(20)", lambda o, h, lo, c, v: talib.SMA(c, 20)),
    ("ema(20)", lambda o, h, lo, c, v: talib.EMA(c, 20)),
    ("wma(20)", lambda o, h, lo, c, v: talib.WMA(c, 20)),
    ("rsi(14)", lambda o, h, lo, c, v: talib.RSI(c, 14)),
    ("atr(14)", lambda o, h, lo, c, v: talib.ATR(h, lo, c, 14)),
    ("natr(14) * 100", lambda o, h, lo, c, v: talib.NATR(h, lo, c, 14)),
    ("true_range", lambda o, h, lo, c, v: talib.TRANGE(h, lo, c)),
    ("highest(high, 30)", lambda o, h, lo, c, v: talib.MAX(h, 30)),
    ("lowest(low, 30)", lambda o, h, lo, c, v: talib.MIN(lo, 30)),
    ("stdev(close, 20)", lambda o, h, lo, c, v: talib.STDDEV(c, 20)),
    ("sum(volume, 10)", lambda o, h, lo, c, v: talib.SUM(v, 10)),
    ("bb_upper(20, 2)", lambda o, h, lo, c, v: talib.BBANDS(c, 20, 2, 2)[0]),
    ("bb_mid(20)", lambda o, h, lo, c, v: talib.BBANDS(c, 20, 2, 2)[1]),
    ("bb_lower(20, 2)", lambda o, h, lo, c, v: talib.BBANDS(c, 20, 2, 2)[2]),
    ("roc(close, 10) * 100", lambda o, h, lo, c, v: talib.ROC(c, 10)),
    ("typical", lambda o, h, lo, c, v: talib.TYPPRICE(h, lo, c)),
]


@pytest.mark.parametrize(("text", "reference"), CASES, ids=[c[0] for c in CASES])
def test_equals_the_library(engine: Evaluator, text: str, reference: Callable[..., np.ndarray]) -> None:
    ours = engine.rows([check_expression(text).op], "A")[0]
    np.testing.assert_allclose(ours, reference(*columns(engine)), rtol=1e-7, atol=1e-7)


def test_macd_equals_the_library_once_its_start_is_forgotten(engine: Evaluator) -> None:
    # The library starts its fast average at the slow one's first bar; ours at its own. After 200 bars nothing is left of that.
    ours = engine.rows([check_expression("macd").op], "A")[0]
    theirs = talib.MACD(engine.market.bars.close, 12, 26, 9)[0]
    np.testing.assert_allclose(ours[250:], theirs[250:], rtol=1e-6, atol=1e-7)
