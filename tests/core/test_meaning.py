"""What expressions mean: the engine against the slow, obvious evaluation, on every bar, with splits, gaps and late listings."""

import zlib
from functools import lru_cache
from typing import Any

import numpy as np
import pytest

from tests import made
from tests.core.slow import Slow
from tests.core.slow_entries import UNSURE
from wickcore.bars.market import Market
from wickcore.language.catalogue import CATALOGUE
from wickcore.language.check import check_expression
from wickcore.language.shapes import SHAPES
from wickcore.measures.frame import FALSE, TRUE
from wickcore.scan.evaluate import Evaluator

FRAMES = ("day", "week", "month")
SELDOM = 20  # changes of a column, in a hundred bars


@pytest.fixture(scope="module")
def market() -> Market:
    return made.market(seed=12, count=3, length=105)


@pytest.fixture(scope="module")
def engine(market: Market) -> Evaluator:
    return Evaluator(market)


def some_of(column: Any, text: str) -> list[int]:
    """The first bars, the last one, and each third between them, others for each text; of a column that seldom changes also where it does: what
    is wrong there is wrong on one bar."""
    turn, size = zlib.crc32(text.encode()) % 3, len(column)
    changes = np.flatnonzero((column[1:] != column[:-1]) & ~(np.isnan(column[1:]) & np.isnan(column[:-1])))
    edges = {int(i) + by for i in changes for by in (0, 1)} if len(changes) <= SELDOM else set()
    return [i for i in range(size) if i < 8 or i == size - 1 or i % 3 == turn or i in edges]


@lru_cache(8)
def slow_of(engine: Evaluator, symbol: str, family: str) -> Slow:
    """The slow evaluation of one instrument, which remembers what expressions of a family share."""
    return Slow(engine.market, symbol, engine.table)


def same(engine: Evaluator, text: str, frame: str = "day", rel: float = 1e-9, every: bool = True) -> int:
    """Compares every bar of every instrument, or some of each; returns how many values were known."""
    value = check_expression(text, frame, engine.market.finest)
    known = 0
    for symbol in engine.bars.symbols:
        column = engine.rows([value.op], symbol)[0]
        at = range(len(column)) if every or value.type == "condition" else some_of(column, f"{symbol} {text}")
        column = column[list(at)]
        slow = slow_of(engine, symbol, text.partition("(")[0]).expression(text, frame, at)
        if value.type == "condition":
            said = [True if v == TRUE else False if v == FALSE else None for v in column]
            slow = [v if v != UNSURE or b is True else b for v, b in zip(slow, said, strict=True)]
            assert said == slow, (symbol, text, [(i, a, b) for i, (a, b) in enumerate(zip(said, slow, strict=True)) if a != b][:5])
        else:
            expected = np.array([np.nan if v is None else float(v) for v in slow])
            small = 1e-9 * min(1.0, np.nanmax(np.abs(expected), initial=0.0))  # of slopes and the like, which are far below one
            np.testing.assert_allclose(column, expected, rtol=rel, atol=small, err_msg=f"{symbol}: {text} on {frame}")
        known += sum(v is not None for v in slow)
    return known


SPECIAL = {
    "kama": "kama(4)", "vwap": "vwap(is_swing_low(1))", "beta": "beta(6)", "corr": "corr(change, volume, 6)", "ema_by": "ema_by(close, 20%)",
    "swing_high": "swing_high(1, 2)", "swing_low": "swing_low(2)", "is_swing_high": "is_swing_high(2)", "is_swing_low": "is_swing_low(1)",
    "value_at": "value_at(close > open, high)", "sum_since": "sum_since(volume, close > open)", "pick": "pick(close > open, high, 5)",
    "ha_open": "ha_open", "bb_place": "bb_place(5, 2, upper=2.5, lower=1)", "stacked": "stacked(sma, 3, 5, 8)",
    "first_of": "on(week, first_of(month))",
    "event": 'event("Lending rate")', "rank": "rank(change(3))", "benchmark": "benchmark(sma(3))", 
    "at_report": "at_report(shares_outstanding, 1)",
    "carry": "carry(high, 0.9 * prior + 0.1 * high)", "parabolic": "parabolic(high, low, 0.05, 0.2)",
    "of": 'of("S01", sma(3))', "group": "group(change(3), by=sector)",
    "breadth": "breadth(close > sma(3))",
    "last_of": "last_of(week)",
    "on": "on(month, sma(2))",
    "zigzag_high.age": "zigzag_high(3%).age", "zigzag_low.age": "zigzag_low(atr(3), 2).age", "swing_high.age": "swing_high(2).age",
    "swing_low.age": "swing_low(1, 2).age",
    "zigzag_high": "zigzag_high(3%, 2)", "zigzag_low": "zigzag_low(1.5 * atr(3))", "is_zigzag_high": "is_zigzag_high(atr(3))",
    "is_zigzag_low": "is_zigzag_low(4%)",
    "triggered": "triggered(double_bottom(1, 10%, 3, 1%), 5)", "failed": "failed(head_shoulders(1, 10%, 2, 1%), 5)",
    "total": "total(change)", "max": "max(close, 20)", "min": "min(close, open)",
}  # fmt: skip
WINDOWS = {"slow": 7, "fast": 3, "signal": 3, "smooth": 2, "trend": 5, "k": 2, "nth": 1}


def example_of(name: str) -> str:
    """The entry with short windows, so that a few months of bars are enough."""
    entry = CATALOGUE[name]
    if name in SPECIAL:
        return SPECIAL[name]
    if name.startswith("opening_range."):
        return f"opening_range(15).{name.partition('.')[2]}"
    if entry.kind == "pattern":  # loose enough for a walk of a few months to hold some
        pattern, _, part = name.partition(".")
        loose = {
            "tolerance": "3%" if "shoulders" in pattern else "8%", "apart": "2" if "shoulders" in pattern else "3",
            "depth": "30%" if pattern == "base" else "1%", "touch": "0.7", "length": "3", "strength": "0.5", "least": "3", "back": "90%",
            "narrows": "80%", "fit": "0.3", "broad": "30%", "rise": "2%", "touches": "3", "parallel": "60%", "most": "12",
            "leg": "0.3", "even": "5%",
        }  # fmt: skip
        given = "".join(f", {p}={loose[p]}" for p in SHAPES[pattern].given if p in loose)
        return f"{pattern}(k=1{given}, lasts=9){'.' if part else ''}{part}"
    chosen = {"number": "close", "condition": "close > open", "bars": "5"}
    given = []
    for p in entry.parameters:
        if p.takes == "bars":
            given.append(f"{p.name}={WINDOWS.get(p.name, 5)}")
        elif p.default is None:
            given.append(f"{p.name}={ {'lower': 'low', 'upper': 'high'}.get(p.name) or chosen[p.takes] }")
    return f"{name}({', '.join(given)})" if given else name


@pytest.mark.parametrize("frame", FRAMES)
@pytest.mark.parametrize("name", sorted(n for n, entry in CATALOGUE.entries.items() if not entry.inner))
def test_every_entry_equals_its_formula_on_every_frame(engine: Evaluator, name: str, frame: str) -> None:
    entry = CATALOGUE[name]
    text = f'{name} != "Power"' if entry.result == "text" else example_of(name)
    known = same(engine, text, frame, every=False)
    assert (
        known > 0 or frame == "month" or entry.family == "overnight" or entry.kind == "pattern"
    )  # a few months of weeks hold few patterns


EXPRESSIONS = [
    "close > sma(10)",
    "sma(5) > sma(10) > sma(20)",
    "close 3 ago",
    "close 1w ago > close 2w ago",
    "highest(high, 3w) 1 ago",
    "on(week, sma(3)) > on(month, close 1 ago)",
    "on(month, on(week, close > sma(4)))",
    "on(week, close > sma(4)) held 3",
    "close > open held 2",
    "close > open once in 3",
    "not (close > sma(30)) or close > 20",
    "close > 20 and close < 1000",
    "close crosses above sma(5)",
    "on(week, close crosses below sma(3))",
    "close between sma(10) and 30",
    "close near sma(10) by 2%",
    "close near 20 by 3",
    "volume > 50k",
    "volume > 1.5 * volume 1 ago",
    "turnover > 1m",
    "max(close, 20) == close",
    "count(close > close 1 ago, 5) >= 3",
    "bars_since(close > highest(high, 10) 1 ago) < 4",
    "sqrt(close) > 4 or log(volume) > 11",
    "atr(5) > 1",
    "market_cap > 20 or pe < 15",
    'sector in ("Power", "Fittings")',
    'sector == "Power" and kind != "fund"',
    "days_to_report > 5",
    "(close > open) 2 ago",
    "-body > 10% * range",
    "rsi(on(week, close), 5) > 50",
    "ema(volume, 5) > 40k",
    "change(3) > 2% held 2 or gap < -1%",
]


@pytest.mark.parametrize("text", EXPRESSIONS)
def test_expressions_mean_what_they_say(engine: Evaluator, text: str) -> None:
    assert same(engine, text) > 0


FORMS = [
    "rank(close)",
    "rank(volume, in=sector)",
    "on(week, rank(change(2)))",
    "rank(change(5)) > 40 held 2",
    "benchmark(close > sma(5))",
    "close > benchmark(close)",
    "on(week, benchmark(change(2)))",
    "stacked(ema, 2w, 4w)",
    "close > vwap(is_swing_low(1))",
    "percentile(bb_width(5), 10) < 30",
    "swing_low(1) > swing_low(1, nth=2)",
    'event("Lending rate") once in 5',
    "hammer once in 10 and close > swing_high",
    "median(volume, 6) < 60k",
    "highest(high, round(9 / 2)) > 10",
]


# Windows that begin with an event, and what counts and raises: on every frame, and in the laws.
LATER = [
    "lowest(low, since close > close 3 ago)",
    "highest(high, all)",
    "sma(all)",
    "stdev(change, all)",
    "count(change > 0, all) > 3",
    "highest(sma(4), all)",
    "sum(volume, since is_swing_low(1))",
    "stdev(close, since close crosses above sma(4))",
    "count(close > open, since close < close 2 ago) >= 2",
    "bars_since_highest(high, since close > sma(5))",
    "bars_since_lowest(all)",
    "vwap(since close > highest(high, 4) 1 ago)",
    "zscore(log(close), since close > close 5 ago)",
    "off_high(since close > sma(9))",
    "median(since close > close 3 ago) > close",
    "median(volume, all)",
    "percentile(since is_swing_low(1))",
    "percentile(round(close), since close > sma(9)) > 40",
    "mean_dev(since close > close 3 ago)",
    "cci(since close crosses above sma(4))",
    "slope(since close > close 3 ago)",
    "fit(log(close), since is_swing_low(1))",
    "wma(high, since close > sma(5))",
    "corr(close, volume, since close crosses above sma(4))",
    "corr(change, sma(change, 4), all)",
    "count of (close > sma(3), close > sma(6), volume > 60k) >= 2",
    "(close / open) ^ 3 > 1.01",
    "close ^ 2 > sma(4) ^ 2",
    "-2 ^ 2 < close ^ 0.5",
    "slope(log(close), 5)",
    "stdev(log(close), 6)",
    "log(close) - sma(log(close), 5)",
    "log(close) > 3",
    "percentile(sqrt(close), 6)",
    "close near round(close / 10) * 10 by 2%",
    "round(close) == sma(round(close), 2)",
    "close crosses above 20",
    "exp(sma(log(close), 5)) < sma(5)",
    "floor(close / 10) * 10 < close",
    "ceil(close) - close < 0.5",
    "mod(close, 10) < 5",
    "mod(close, sma(3)) > 1",
    "sign(change) != sign(change 1 ago)",
    "exp(change) > 1",
    'weekday in ("Monday", "Friday") and month >= 2',
    'weekday == "Wednesday" or day_of_month <= 3',
    "last_of(month) or last_of(quarter)",
    "on(year, close / open) > 1.01",
    "on(quarter, high) > on(quarter, high) 1 ago",
    'of("S01", close > sma(4)) and close > of("S01", close)',
    "group(change(2)) > 0",
    "change(3) > group(change(3), by=sector) once in 3",
    "rank(group(change(3), by=sector)) >= 50",
    "carry(low, max(prior, low)) > 10",
    "at_report(shares_outstanding, 0) == shares_outstanding",
    "at_report(eps, 1) < eps or at_report(eps, 1) >= eps",
    "carry(close, 0.7 * prior + 0.3 * close) < close",
    "close > carry(low, pick(close < prior, low, max(prior, lowest(low, 3)))) 1 ago",
    "carry(1, pick(close > sma(4), prior + 1, 0)) >= 2",
    "carry(20, prior * (1 + change)) > 20",
    "carry(close, pick(close > 1.1 * prior or close < 0.9 * prior, close, prior)) == close",
    "carry(volume, sqrt(prior * volume)) > 60k",
]


@pytest.mark.parametrize("frame", FRAMES)
@pytest.mark.parametrize("text", LATER)
def test_windows_since_an_event_and_arithmetic(engine: Evaluator, text: str, frame: str) -> None:
    assert same(engine, text, frame) > 0 or frame == "month"


@pytest.mark.parametrize("text", FORMS)
def test_forms_across_instruments_and_frames(engine: Evaluator, text: str) -> None:
    assert same(engine, text) > 0


def test_division_by_zero_is_unknown(engine: Evaluator) -> None:
    assert same(engine, "close / (close - close) > 1") == 0


def test_values_on_an_unfinished_week_are_those_of_the_week_so_far(engine: Evaluator) -> None:
    # Monday 6 January 2020 to Wednesday 8 January: the week's high is the highest of three days, its close Wednesday's.
    bars = made.one([10, 11, 12, 13, 14, 15, 16, 17], high=[10.5, 11.5, 12.5, 13.5, 19, 15.5, 16.5, 17.5])
    small = Evaluator(Market((bars,)))
    high = small.rows([check_expression("on(week, high)").op], "A")[0]
    close = small.rows([check_expression("on(week, close 1 ago)").op], "A")[0]
    # Days: Wed 1, Thu 2, Fri 3 | Mon 6, Tue 7, Wed 8, Thu 9, Fri 10 January 2020.
    assert high.tolist() == [10.5, 11.5, 12.5, 13.5, 19, 19, 19, 19]
    assert np.isnan(close[:3]).all()
    assert close[3:].tolist() == [12, 12, 12, 12, 12]


def test_a_plain_number_is_money_of_its_day() -> None:
    # A two-for-one split on the third bar: people saw 20, 21, then 10.5, 11.
    bars = made.one([20, 21, 10.5, 11], factor=[1, 1, 2, 2])
    engine = Evaluator(Market((bars,)))
    assert engine.rows([check_expression("close > 15").op], "A")[0].tolist() == [TRUE, TRUE, FALSE, FALSE]
    # Among themselves prices know no split: the close of the third bar equals that of the second.
    assert engine.rows([check_expression("close >= close 1 ago").op], "A")[0].tolist() == [1, TRUE, TRUE, TRUE]
