"""Values that look back over a split, a dividend or an adjusted close: nothing but what happened may show in them."""

from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from wickcore.bars.bars import build_bars
from wickcore.bars.factor import factor, factor_of_events, steps_of_ratio, units_of
from wickcore.bars.market import Market
from wickcore.language.check import check_expression
from wickcore.scan.evaluate import Evaluator
from wickcore.scan.explain import values

DAYS = np.arange(19_000, 19_160)


def walk(seed: int) -> np.ndarray:
    return 40.0 * np.exp(np.cumsum(np.random.default_rng(seed).normal(0.0, 0.02, len(DAYS))))


def market(close: np.ndarray, ratio: float = 1.0, at: int = 60) -> Evaluator:
    """One instrument whose shares are split by the ratio on bar `at`: prices as printed, volume in shares."""
    steps = np.ones(len(close))
    steps[at] = ratio
    made = np.cumprod(steps)
    printed = close / made
    volume = 1_000.0 + 10.0 * np.arange(len(close)) % 130
    table = {"days": DAYS, "open": printed * 1.001, "high": printed * 1.02, "low": printed * 0.98, "close": printed}
    return Evaluator(Market((build_bars({"A": {**table, "volume": volume * made, "factor": made}}),)))


def column(engine: Evaluator, text: str) -> np.ndarray:
    return engine.rows([check_expression(text).op], "A")[0].astype(np.float64)


@pytest.mark.parametrize("ratio", [4.0, 0.1])
@pytest.mark.parametrize(
    "text",
    [
        "log(close) - sma(log(close), 20)",
        "slope(log(close), 60)",
        "fit(log(close), 60)",
        "stdev(log(close), 20)",
        "mean_dev(log(close), 20)",
        "zscore(log(close), 20)",
        "percentile(log(close), 30)",
        "corr(log(close), log(volume), 20)",
        "log(volume) - median(log(volume), 10)",
        "2 * log(close) - sum(log(close), 2)",
        "log(high * close) - log(low) - log(close)",
        "log(sqrt(close)) - wma(log(sqrt(close)), 20)",
        "macd(log(close))",
        "bb_upper(log(close)) - log(close)",
        "sqrt(close) / sma(sqrt(close), 20)",
        "percentile(sqrt(close), 30)",
        "stdev(sqrt(volume), 20) / sqrt(volume)",
        "log(close) > highest(log(close), 20) 1 ago",
        "log(close) crosses above sma(log(close), 20)",
        "max(log(close), log(open)) - ema(log(close), 5)",
        "log(close) - (log(close) 5 ago)",
        "value_at(close > close 1 ago, log(close)) - log(close)",
        "bars_since_highest(log(close), 20)",
    ],
)
def test_logarithms_and_roots_of_prices_do_not_jump_at_a_split(text: str, ratio: float) -> None:
    plain, split = (column(market(walk(5), r), text) for r in (1.0, ratio))
    np.testing.assert_allclose(split, plain, rtol=1e-9, atol=1e-9)
    assert np.isfinite(plain).sum() > 50


def beside(ratio: float) -> Evaluator:
    """A and B, of which B's shares are split by the ratio."""
    of_a, of_b = market(walk(5)).bars, market(walk(9), ratio).bars
    fields = ("days", "open", "high", "low", "close", "volume", "factor")
    return Evaluator(
        Market((build_bars({n: {f: getattr(of, f) for f in fields} for n, of in (("A", of_a), ("B", of_b))}),), benchmark="B")
    )


@pytest.mark.parametrize("ratio", [4.0, 0.1])
@pytest.mark.parametrize(
    "text",
    [
        'of("B", close) / sma(of("B", close), 20)',
        'of("B", close) > highest(of("B", close), 20) 1 ago',
        'of("B", volume) > 1.2 * sma(of("B", volume), 20)',
        'close / of("B", close) >= highest(close / of("B", close), 40)',
        "relative_strength(40)",
        "corr(close, benchmark(close), 20)",
        "corr(log(close), log(benchmark(close)), 20)",
        "slope(benchmark(close), 10) / benchmark(close)",
        "zscore(close / benchmark(close), 20)",
        "rsi(close / benchmark(close), 14)",
        "log(close / benchmark(close)) - sma(log(close / benchmark(close)), 20)",
        "exp(log(benchmark(close)) - ema(log(benchmark(close)), 5))",
        "benchmark(log(close)) - (benchmark(log(close)) 5 ago)",
        "2 * log(benchmark(close)) - sum(log(benchmark(close)), 2)",
        "sqrt(benchmark(close)) / sma(sqrt(benchmark(close)), 20)",
        "benchmark(close) ^ 2 / (benchmark(close) 1 ago) ^ 2",
        "max(benchmark(close), benchmark(open)) / benchmark(close)",
        "abs(benchmark(close) - sma(benchmark(close), 9)) / benchmark(atr(9))",
        "benchmark(close) crosses above sma(benchmark(close), 9)",
        "-benchmark(close) / sum(benchmark(close), 5)",
        "benchmark(close) / highest(benchmark(high), since close > highest(close, 20) 1 ago)",
    ],
)
def test_what_is_of_another_instrument_does_not_jump_at_its_split(text: str, ratio: float) -> None:
    plain, split = (column(beside(r), text) for r in (1.0, ratio))
    np.testing.assert_allclose(split, plain, rtol=1e-9, atol=1e-9)
    assert np.isfinite(plain).sum() > 50


@pytest.mark.parametrize(
    "text",
    ["benchmark(close) > {}", "benchmark(close) + 1 > {} + 1", "max(benchmark(close), {}) > {}", "round(benchmark(close)) > {}"],
)
def test_what_is_of_another_instrument_meets_money_as_printed(text: str) -> None:
    engine = beside(4.0)
    bars = engine.bars
    theirs = bars.close[bars.offsets[1] :]
    assert np.array_equal(
        column(engine, text.replace("{}", "15.5")) == 2, theirs > 15.5 if "round" not in text else np.round(theirs) > 15.5
    )


@pytest.mark.parametrize(
    "text",
    [
        "carry(1, (prior * 0 + 1) * benchmark(close))",
        "carry(1, 1 / ((prior * 0 + 1) / benchmark(close)))",
        "carry(1, prior * 0 + benchmark(close))",
    ],
)
def test_what_is_carried_meets_another_instrument_as_printed(text: str) -> None:
    engine = beside(4.0)
    bars = engine.bars
    np.testing.assert_allclose(column(engine, text)[1:], bars.close[bars.offsets[1] + 1 :], rtol=1e-12)


def test_a_line_of_another_instrument_is_drawn_on_the_scale_of_its_latest_bar() -> None:
    engine = beside(4.0)
    bars = engine.bars
    theirs, made = bars.close[bars.offsets[1] :], bars.factor[bars.offsets[1] :]
    for text, power in (('of("B", close)', 1), ('close / of("B", close)', -1)):
        _, _, found = values(engine, check_expression(text, lent=True), "A", "day", engine.market.latest)
        ours = bars.close[: bars.offsets[1]] if power < 0 else 1.0
        np.testing.assert_allclose(found, ours * (theirs * made / 4.0) ** power)


def test_a_logarithm_is_that_of_the_price_as_printed() -> None:
    engine = market(walk(5), 4.0)
    printed = engine.market.bars.close
    # On its own day in a condition, on the latest bar's scale in a column of values.
    assert np.flatnonzero(column(engine, "log(close) > 3") == 2).tolist() == np.flatnonzero(np.log(printed) > 3).tolist()
    _, _, found = values(engine, check_expression("log(close)"), "A", "day", engine.market.latest)
    np.testing.assert_allclose(found, np.log(printed * engine.market.bars.factor / 4.0))


@pytest.mark.parametrize("ratio", [0.1, 10.0])
@pytest.mark.parametrize("level", [2.0, 5.0, 40.0])
@pytest.mark.parametrize("source", ["close", "sma(close, 3)", "log(close)", "volume / 100", "sqrt(close)"])
def test_a_crossing_is_what_it_is_written_out_across_a_split(ratio: float, level: float, source: str) -> None:
    engine = market(walk(7), ratio)
    for way, now, before in (("above", ">", "<="), ("below", "<", ">=")):
        short = column(engine, f"{source} crosses {way} {level}")
        written = column(engine, f"{source} {now} {level} and (({source}) 1 ago) {before} {level}")
        assert short.tolist() == written.tolist()
    # By hand: shares at 0.4 become a tenth as many at 4, which is no rise over 2 or 3.
    quiet = market(np.full(len(DAYS), 4.0), 0.1)
    assert not (column(quiet, "close crosses above 20") == 2).any()


def adjusted(close: np.ndarray, made: np.ndarray, decimals: int | None) -> np.ndarray:
    found = close * made / made[-1]
    return found if decimals is None else np.round(found, decimals)


def test_the_bound_of_rounding_by_hand() -> None:
    # 10.01 in cents, closes exact: spans of 0.005 / 10.01 = 0.04995% about quotients 0.08% apart touch; 0.4% apart they do not.
    assert steps_of_ratio(np.array([20.02, 20.04 / 1.0008]), np.array([0.5, 0.5 * 1.0008]))[1] == 1.0
    close = np.array([20.02, 20.02, 20.02, 20.02])
    moved = steps_of_ratio(close, np.array([10.01, 10.01, 10.05, 10.05]) / close)
    assert moved.tolist() == [1.0, 1.0, pytest.approx(10.05 / 10.01), 1.0]
    assert units_of(np.array([10.0, 3.0])).tolist() == [0.01, 0.01]
    assert units_of(np.array([10.25, 3.125, 10.25])).tolist() == [0.01, 0.005, 0.005]
    assert units_of(np.array([10.25, 10.005, 10.002, 10.0])).tolist() == [0.01, 0.005, 0.001, 0.001]
    assert units_of(np.array([10.25, 1.0 / 3.0, 3.125])).tolist() == [0.01, 0.0, 0.0]


@settings(deadline=None)
@given(st.integers(0, 10_000), st.sampled_from([2, 4, None]), st.sampled_from([2, 3, None]), st.booleans())
def test_what_comes_later_in_a_file_changes_no_factor_before(
    seed: int, first: int | None, then: int | None, worked_out: bool
) -> None:
    """Decimals that grow, closes that turn out to be rounded, a quotient that stands still from some day on."""
    rng = np.random.default_rng(seed)
    close = walk(seed) if worked_out else np.round(walk(seed), 2)
    made = factor_of_events(DAYS, close, [(int(DAYS[90]), 2.0)], [(int(DAYS[i]), close[i - 1] * 0.01) for i in (40, 120)])
    printed = np.round(close, 2)
    at = int(rng.integers(3, len(DAYS) - 3))
    ratio = np.concatenate([adjusted(close, made, first)[:at], adjusted(close, made, then)[at:]]) / printed
    whole = factor(DAYS, printed, ratio, [], [])
    for cut in sorted({at - 1, at, at + 1, 2, 7, 30, 60, 91, 130}):
        assert factor(DAYS[:cut], printed[:cut], ratio[:cut], [], []).tolist() == whole[:cut].tolist()


@settings(deadline=None)
@given(st.integers(0, 10_000), st.sampled_from([0.2, 0.5, 0.1, 0.25, 3517 / 4013, 1.01 / 1.13]))
def test_a_quotient_without_units_of_its_own_stands_still_once_its_wandering_is_known(seed: int, scale: float) -> None:
    """Adjusted closes in cents, brought to another file's scale: no cents are left to see."""
    close = np.round(walk(seed), 2)
    made = factor_of_events(DAYS, close, [], [(int(DAYS[120]), float(close[119]) * 0.02)])
    found = factor(DAYS, close, adjusted(close, made, 2) / close * scale, [], [])
    steps = np.flatnonzero(np.abs(np.diff(np.log(found))[30:]) > 0) + 31
    assert 120 in steps
    assert len(steps) <= 3


@settings(deadline=None)
@given(st.integers(0, 10_000), st.sampled_from([None, 6, 4, 2]), st.booleans())
def test_the_factor_moves_where_something_happened_and_stands_still_between(seed: int, decimals: int | None, split: bool) -> None:
    close = np.round(walk(seed), 2)
    dividends = [(int(DAYS[i]), float(close[i - 1]) * 0.01) for i in (40, 80, 120)]
    splits = [(int(DAYS[100]), 2.0)] if split else []
    if split:
        close[100:] = np.round(close[100:] / 2.0, 2)
        dividends[2] = (dividends[2][0], float(close[119]) * 0.01)
    true = factor_of_events(DAYS, close, splits, dividends)
    found = factor(DAYS, close, adjusted(close, true, decimals) / close, [], [])
    assert np.flatnonzero(np.diff(found)).tolist() == np.flatnonzero(np.diff(true)).tolist()
    # A change over a day is right to the rounding of the two days, and exactly that of the prices where nothing happened.
    bound = 1e-6 if decimals is None else 1.1 * 10.0**-decimals / adjusted(close, true, None).min() + 1e-6
    ours, theirs = (np.diff(np.log(close * f)) for f in (found, true))
    assert np.abs(ours - theirs).max() <= bound
    # What comes later changes nothing before.
    cut = factor(DAYS[:90], close[:90], (adjusted(close, true, decimals) / close)[:90], [], [])
    assert cut.tolist() == found[:90].tolist()


@settings(deadline=None)
@given(st.integers(0, 10_000), st.sampled_from([None, 4, 2]))
def test_prices_that_are_equal_as_printed_stay_equal(seed: int, decimals: int | None) -> None:
    rng = np.random.default_rng(seed)
    n = len(DAYS)
    # Few distinct prices, so that ties abound; in quarters, whose sums are exact.
    base = 40.0 + np.cumsum(rng.integers(-1, 2, n)) * 0.25
    close = np.round(np.maximum(base + rng.integers(-1, 2, n) * 0.25, 1.0), 2)
    open_ = np.round(np.maximum(base, 1.0), 2)
    high, low = np.maximum(open_, close) + 0.25 * rng.integers(0, 2, n), np.minimum(open_, close) - 0.25 * rng.integers(0, 2, n)
    made = factor_of_events(DAYS, close, [(int(DAYS[70]), 3.0)], [(int(DAYS[30]), 0.3), (int(DAYS[110]), 0.2)])
    found = factor(DAYS, close, adjusted(close, made, decimals) / close, [], [])
    printed = {
        "days": DAYS,
        "open": open_,
        "high": np.round(high, 2),
        "low": np.round(low, 2),
        "close": close,
        "volume": np.full(n, 1e3),
    }
    ours, plain = (Evaluator(Market((build_bars({"A": {**printed, "factor": f}}),))) for f in (found, np.ones(n)))
    edges = [0, *(np.flatnonzero(np.diff(found)) + 1).tolist(), n]
    texts = {
        "gap == 0": 1, "change == 0": 1, "inside_bar": 1, "engulfing_up": 1, "close == close 1 ago": 1, "close > highest(high, 5) 1 ago": 5,
        "(high + low + close) / 3 > ((high + low + close) / 3 1 ago)": 1, "mfi(5)": 5, "high - low == ((high - low) 1 ago)": 1,
        "bars_since_highest(close, 8)": 7, "percentile(close, 10)": 9,
    }  # fmt: skip
    for text, reach in texts.items():
        a, b = column(ours, text), column(plain, text)
        for first, last in pairwise(edges):
            part = slice(min(first + reach, last), last)
            np.testing.assert_allclose(a[part], b[part], rtol=1e-9, err_msg=text)


def test_a_halt_makes_no_strength_of_its_own() -> None:
    """A moves exactly with the index B and is not traded for thirty sessions: it is neither stronger nor anything but one with it."""
    index = walk(9)
    there = np.ones(len(DAYS), np.bool_)
    there[60:90] = False

    def table(close: np.ndarray, days: np.ndarray) -> dict[str, np.ndarray]:
        return {"days": days, "open": close, "high": close, "low": close, "close": close, "volume": np.ones(len(days))}

    bars = build_bars({"A": table(3 * index[there], DAYS[there]), "B": table(index, DAYS)})
    engine = Evaluator(Market((bars,), benchmark="B"))
    for text, value in (("relative_strength(40)", 0.0), ("beta(40)", 1.0)):
        found = column(engine, text)
        assert np.isfinite(found).sum() == there.sum() - 40
        np.testing.assert_allclose(found[40:], value, atol=1e-9)


def test_the_beta_to_an_index_that_grows_evenly_is_unknown() -> None:
    even = 10 * 1.01 ** np.arange(len(DAYS))
    tables = {
        name: {"days": DAYS, "open": x, "high": x, "low": x, "close": x, "volume": np.ones(len(DAYS))}
        for name, x in (("A", walk(5)), ("B", even))
    }
    engine = Evaluator(Market((build_bars(tables),), benchmark="B"))
    assert not np.isfinite(column(engine, "beta(20)")).any()
    assert not np.isfinite(column(engine, "corr(change, benchmark(change), since close > 0)")).any()


TIES = (
    "close / close 1 ago >= 1.05",
    "close / close 1 ago - 1 > 5%",
    "close - close 1 ago >= 2 * (close 1 ago - close 2 ago)",
    "highest(high, 5) / lowest(low, 5) > 1.2",
    "(high - low 1 ago) / (high 1 ago - low 1 ago) == 1.5",
    "place(close, lowest(low, 5), highest(high, 5)) < 50%",
    "close != 1.05 * close 1 ago",
)


@pytest.mark.parametrize("text", TIES)
def test_what_ties_as_printed_ties_after_a_dividend_too(text: str) -> None:
    """Prices in halves, of which many ratios are the same number: 1.5 and not 1.5000000000000002 where a dividend long ago moved the scale."""
    rng = np.random.default_rng(1)
    count = 2_000
    close = 20 + np.cumsum(rng.choice([-0.5, 0.5, 0.0, 1.0, -1.0], count)).clip(-15, 30)
    table = {"days": 10_000 + np.arange(count), "open": close, "close": close, "high": close + 0.5, "low": close - 0.5}
    seen = []
    for dividend in (1.0, 1 / 0.9713):
        factors = np.where(np.arange(count) < 3, 1.0, dividend)
        seen.append(
            column(Evaluator(Market((build_bars({"A": {**table, "volume": np.ones(count), "factor": factors}}),))), text)[20:]
        )
    np.testing.assert_array_equal(*seen)
    assert {0.0, 2.0} <= set(seen[0])
