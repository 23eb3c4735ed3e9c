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
    return Evaluator(Market((build_bars({"A": made.walk(made.weekdays(600), rng)}),)))


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
    ("dema(20)", lambda o, h, lo, c, v: talib.DEMA(c, 20)),
    ("tema(20)", lambda o, h, lo, c, v: talib.TEMA(c, 20)),
    ("kama(10)", lambda o, h, lo, c, v: talib.KAMA(c, 10)),
    ("stoch_k(14, 3) + 0 * stoch_d(14, 3, 3)", lambda o, h, lo, c, v: talib.STOCH(h, lo, c, 14, 3, 0, 3, 0)[0]),
    ("stoch_d(14, 3, 3)", lambda o, h, lo, c, v: talib.STOCH(h, lo, c, 14, 3, 0, 3, 0)[1]),
    ("cci(20)", lambda o, h, lo, c, v: talib.CCI(h, lo, c, 20)),
    ("mfi(14)", lambda o, h, lo, c, v: talib.MFI(h, lo, c, v, 14)),
    ("willr(14)", lambda o, h, lo, c, v: talib.WILLR(h, lo, c, 14)),
    ("aroon_up(25)", lambda o, h, lo, c, v: talib.AROON(h, lo, 25)[1]),
    ("aroon_down(25)", lambda o, h, lo, c, v: talib.AROON(h, lo, 25)[0]),
    ("trix(15) * 100", lambda o, h, lo, c, v: talib.TRIX(c, 15)),
    ("ad_line", lambda o, h, lo, c, v: talib.AD(h, lo, c, v)),
    ("slope(close, 14)", lambda o, h, lo, c, v: talib.LINEARREG_SLOPE(c, 14)),
    ("corr(high, low, 30)", lambda o, h, lo, c, v: talib.CORREL(h, lo, 30)),
    ("obv - (obv 5 ago)", lambda o, h, lo, c, v: np.append(np.full(6, np.nan), (talib.OBV(c, v)[5:] - talib.OBV(c, v)[:-5])[1:])),
]
# Where the library starts a smoothing elsewhere, both agree once the start is forgotten: after 200 bars to seven digits.
LATER: list[tuple[str, Callable[..., np.ndarray]]] = [
    ("macd", lambda o, h, lo, c, v: talib.MACD(c, 12, 26, 9)[0]),
    ("macd_signal", lambda o, h, lo, c, v: talib.MACD(c, 12, 26, 9)[1]),
    ("macd_hist", lambda o, h, lo, c, v: talib.MACD(c, 12, 26, 9)[2]),
    ("plus_di(14)", lambda o, h, lo, c, v: talib.PLUS_DI(h, lo, c, 14)),
    ("minus_di(14)", lambda o, h, lo, c, v: talib.MINUS_DI(h, lo, c, 14)),
    ("adx(14)", lambda o, h, lo, c, v: talib.ADX(h, lo, c, 14)),
    ("ppo(close, 12, 26) * 100", lambda o, h, lo, c, v: talib.PPO(c, 12, 26, 1)),
]


@pytest.mark.parametrize(("text", "reference"), CASES, ids=[c[0] for c in CASES])
def test_equals_the_library(engine: Evaluator, text: str, reference: Callable[..., np.ndarray]) -> None:
    ours = engine.rows([check_expression(text).op], "A")[0]
    np.testing.assert_allclose(ours, reference(*columns(engine)), rtol=1e-7, atol=1e-7)


@pytest.mark.parametrize(("text", "reference"), LATER, ids=[c[0] for c in LATER])
def test_equals_the_library_once_the_start_is_forgotten(engine: Evaluator, text: str, reference: Callable[..., np.ndarray]) -> None:
    ours = engine.rows([check_expression(text).op], "A")[0]
    np.testing.assert_allclose(ours[400:], reference(*columns(engine))[400:], rtol=1e-6, atol=1e-6)


# The library's candles differ in their limits (it compares with averages of earlier bodies); a bar we name it names too, or the
# shape alone is compared. Engulfing is the same definition in both but for equal bodies.
def test_engulfing_equals_the_library(engine: Evaluator) -> None:
    theirs = talib.CDLENGULFING(*columns(engine)[:4])
    up, down = (engine.rows([check_expression(t).op], "A")[0] for t in ("engulfing_up", "engulfing_down"))
    assert set(np.flatnonzero(up == 2)) <= set(np.flatnonzero(theirs > 0))
    assert set(np.flatnonzero(down == 2)) <= set(np.flatnonzero(theirs < 0))
    assert np.sum(theirs != 0) - np.sum(up == 2) - np.sum(down == 2) <= 0.1 * np.sum(theirs != 0)
