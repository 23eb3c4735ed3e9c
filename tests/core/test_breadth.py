"""A breadth: counts against pandas and by hand, both laws, circles; passings, what came after them, and luck against direct computations."""

import itertools
import math

import numpy as np
import pandas as pd
import pytest
from scipy import stats

from tests import made
from tests.core.test_laws import cut_market
from wickcore.bars.frames import number_of
from wickcore.bars.market import Market
from wickcore.bars.moment import Moment, moment_of
from wickcore.breadth.passings import after, choices, index_closes, luck_of, once_each, passings, returns_after
from wickcore.breadth.series import BreadthSeries, breadth_series, smoothed
from wickcore.breadth.verdict import often, passing_verdict
from wickcore.language.breadth import CheckedBreadth, check_breadth
from wickcore.language.check import check_expression, check_rule
from wickcore.language.named_texts import key_of, name_of, named_in, those_used
from wickcore.language.problems import RuleError
from wickcore.language.ready_breadths import READY
from wickcore.scan.evaluate import Evaluator
from wickcore.scan.scan import hit_truth


@pytest.fixture(scope="module")
def engine() -> Evaluator:
    return Evaluator(made.market(seed=11, count=7, length=150))


@pytest.fixture(scope="module")
def demo() -> Evaluator:
    return Evaluator(made.demo_market(listed=30, delisted=6))


def wide(market: Market, column: str) -> pd.DataFrame:
    """One column of all instruments on the continuous scale, days × symbols."""
    bars = market.bars
    values = getattr(bars, column) * (bars.factor if column != "volume" else 1 / bars.factor)
    frame = pd.DataFrame({"day": bars.days, "symbol": np.array(bars.symbols)[bars.owner], "value": values})
    return frame.pivot(index="day", columns="symbol", values="value")


def belongs(market: Market, universe: str) -> pd.DataFrame:
    marks = market.members(universe)
    assert marks is not None
    bars = market.bars
    frame = pd.DataFrame({"day": bars.days, "symbol": np.array(bars.symbols)[bars.owner], "value": marks})
    return frame.pivot(index="day", columns="symbol", values="value").fillna(False).astype(bool)


def test_counts_on_the_demo_market_equal_pandas(demo: Evaluator) -> None:
    """pandas, by each instrument's own bars: the members of each day whose close lies over the mean of its last 50."""
    found = breadth_series(demo, check_breadth("universe: Harbour 500\nclose > sma(50)"))
    close, members = wide(demo.market, "close"), belongs(demo.market, "Harbour 500")
    mean = pd.DataFrame({s: close[s].dropna().rolling(50).mean().reindex(close.index) for s in close})
    there = members & close.notna()
    passed, unknown = (close > mean) & there, mean.isna() & there
    assert found.days.tolist() == close.index.tolist()
    # A close that equals its average to the last digit is above it or not by the order of summing, in pandas.
    ties = ((close / mean - 1).abs() < 1e-12) & there
    assert (np.abs(found.passed - passed.sum(axis=1)) <= ties.sum(axis=1)).all()
    assert ties.sum().sum() < 20
    assert found.unknown.tolist() == unknown.sum(axis=1).tolist()
    assert (found.passed + found.failed + found.unknown).tolist() == there.sum(axis=1).tolist()
    known = found.passed + found.failed
    np.testing.assert_allclose(found.value, np.where(known > 0, found.passed / np.maximum(known, 1), np.nan))
    assert known.max() > 10


def test_what_a_breadth_counts_are_the_hits_of_its_rule(demo: Evaluator) -> None:
    text = "universe: Harbour 500\nclose > sma(20)\nany of:\n    volume > 2 * sma(volume, 20)\n    close > open"
    found = breadth_series(demo, check_breadth(text))
    rule = check_rule(text)
    hits = hit_truth(demo, rule, demo.market.members("Harbour 500"))
    assert found.passed.tolist() == np.bincount(demo.bars.session[hits], minlength=len(demo.bars.sessions)).tolist()


def test_shares_by_weight_differences_and_running_sums_equal_pandas(demo: Evaluator) -> None:
    close, volume = wide(demo.market, "close"), wide(demo.market, "volume")
    before = pd.DataFrame({s: close[s].dropna().shift(1).reindex(close.index) for s in close})
    kinds = dict(zip(demo.bars.symbols, demo.market.texts["kind"], strict=True))
    shares = [s for s in close if kinds[s] == "share"]
    same = (close - before).abs() <= 1e-12 * before  # printed alike, but for the rounding of a split by three
    up, down = (close > before)[shares] & ~same[shares], (close < before)[shares] & ~same[shares]
    known = before[shares].notna() & close[shares].notna()
    net = up.sum(axis=1) - down.sum(axis=1)

    def value(name: str) -> np.ndarray:
        return breadth_series(demo, check_breadth(READY[name])).value

    some = known.any(axis=1)
    np.testing.assert_allclose(value("Advances less declines")[some], net[some])
    np.testing.assert_allclose(value("Advances less declines, running sum")[some], net[some].cumsum())
    printed = pd.DataFrame({s: volume[s] for s in shares})
    # Shares are added as they were printed that day.
    bars = demo.bars
    frame = pd.DataFrame({"day": bars.days, "symbol": np.array(bars.symbols)[bars.owner], "value": bars.volume})
    printed = frame.pivot(index="day", columns="symbol", values="value")[shares]
    share = (printed.where(up, 0).sum(axis=1) / printed.where(known).sum(axis=1))[some]
    np.testing.assert_allclose(value("Up volume")[some], share, rtol=1e-12)


def test_a_running_sum_of_weeks_counts_each_week_once() -> None:
    engine = Evaluator(made.market(seed=2, count=5, length=60))
    plain = breadth_series(engine, check_breadth("bars: week\nshows: count\nclose > open"))
    sums = breadth_series(engine, check_breadth("bars: week\nshows: sum\nclose > open"))
    weeks = number_of(plain.days, "week")
    total, over = 0.0, 0.0
    for i, week in enumerate(weeks.tolist()):
        if i and week != weeks[i - 1]:
            over += plain.value[i - 1]
        total = over + plain.value[i]
        assert sums.value[i] == total


@pytest.mark.parametrize(
    "text",
    [
        "close > sma(5)",
        "bars: week\nclose > sma(2)",
        "shows: sum\nless: close < open\nclose > open",
        "weight: volume\nclose > open",
    ],
)
def test_nothing_after_a_session_changes_what_it_counted(engine: Evaluator, text: str) -> None:
    breadth = check_breadth(text)
    whole = breadth_series(engine, breadth)
    for at in range(3, len(whole.days), 17):
        day = int(whole.days[at])
        cut = breadth_series(Evaluator(cut_market(engine.market, day)), breadth)
        looked = breadth_series(engine, breadth, day)
        for one in (cut, looked):
            assert one.days.tolist() == whole.days[: at + 1].tolist()
            np.testing.assert_array_equal(one.value, whole.value[: at + 1])
            assert one.passed.tolist() == whole.passed[: at + 1].tolist()


def test_inside_a_session_the_value_is_that_of_the_minute() -> None:
    market = made.inner_market(count=4)
    engine = Evaluator(market)
    breadth = check_breadth("close > sma(3)", base="5min")
    inner = market.table("5min")
    for key in inner.moments[20:60:7].tolist():
        moment = Moment(*divmod(key, 2_000))
        found = breadth_series(engine, breadth, moment)
        assert found.running
        assert found.days[-1] == moment.day
        cut = breadth_series(Evaluator(cut_market(market, moment)), breadth, moment)
        np.testing.assert_array_equal(found.value, cut.value)
        assert found.over().days.tolist() == found.days[:-1].tolist()


def test_in_a_rule_it_is_the_same_number_on_every_instrument(engine: Evaluator) -> None:
    parts = {key_of("Mine"): "universe: Turning\nclose > sma(10)"}
    value = check_expression('breadth("Mine")', parts=parts)
    found = breadth_series(engine, check_breadth(parts[key_of("Mine")]))
    of_day = dict(zip(found.days.tolist(), found.value.tolist(), strict=True))
    for symbol in engine.bars.symbols:
        k = engine.bars.number[symbol]
        days = engine.bars.days[engine.bars.offsets[k] : engine.bars.offsets[k + 1]]
        np.testing.assert_array_equal(engine.rows([value.op], symbol)[0], [of_day[d] for d in days.tolist()])
    told = check_expression('breadth(close > sma(10), for="Turning")')
    assert told.op == value.op
    assert (value.bounds, value.fraction) == ((0.0, 1.0), True)


def test_a_passing_in_a_rule_is_one_on_the_page(demo: Evaluator) -> None:
    symbol = demo.market.benchmark
    assert symbol is not None
    series = breadth_series(demo, check_breadth("universe: Harbour 500\nclose > sma(50)"))
    for way, word in (("below", "above"), ("above", "below")):
        line = check_expression(f'breadth(close > sma(50), for="Harbour 500") crosses {word} 40%')
        (column,) = demo.rows([line.op], symbol)
        assert np.diff(demo.bars.days[demo.bars.owner == demo.bars.number[symbol]]).min() > 0
        days = demo.bars.days[demo.bars.owner == demo.bars.number[symbol]]
        assert days[column == 2].tolist() == [p.day for p in passings(series, 0.4, way)]


CIRCLE = {key_of("A"): 'breadth("B") > 3', key_of("B"): 'use "R"', "R": 'breadth("A") > 3'}


@pytest.mark.parametrize(
    ("text", "parts", "said"),
    [
        ('breadth("A") > 3', CIRCLE, "The breadth “A” needs itself (“A” → “B” → “A”); break the circle."),
        ('breadth("Abov the 50-day average") > 3', {}, "did you mean “Above the 50-day average”?"),
        ('breadth("N") > 3', {key_of("N"): "clos > 3"}, "In the breadth “N”, line 1:"),
        ("breadth(close) > 3", {}, "A condition is needed here"),
        ("breadth() > 3", {}, "`breadth` takes the name of a breadth in quotes or a condition"),
        ("breadth(close > 1, for=day) > 3", {}, "The universe of `breadth` stands in quotes"),
        ('decide: open\nbreadth("In a squeeze") > 3', {}, "At the open, today's `breadth` is not known yet"),
    ],
)
def test_what_is_wrong_is_said_where_it_is(text: str, parts: dict[str, str], said: str) -> None:
    with pytest.raises(RuleError) as error:
        check_rule(text, parts)
    assert said in error.value.problems[0].message


def test_a_breadth_cannot_need_itself_through_its_own_condition() -> None:
    with pytest.raises(RuleError, match="needs itself"):
        check_breadth('breadth("Own") > 50%', {key_of("Own"): 'breadth("Own") > 50%'}, opened=("Own",))


@pytest.mark.parametrize(
    ("text", "line", "said"),
    [
        ("shows: shares\nclose > 1", 1, "`shows` is one of share, count, sum; this says `shares`."),
        ("shows: sum\nshows: sum\nclose > 1", 2, "`shows` is given twice"),
        ("less: close\nclose > 1", 1, "`less` is a condition; `close` is a number."),
        ("universe: U\nweight: volum\nclose > 1", 2, "In `weight`:"),
        ("bars: 5min\nclose > 1", 1, "A breadth has a value a session"),
    ],
)
def test_the_head_of_a_breadth_is_checked(text: str, line: int, said: str) -> None:
    with pytest.raises(RuleError) as error:
        check_breadth(text, base="5min")
    assert error.value.problems[0].line == line
    assert said in error.value.problems[0].message


def test_parts_are_told_apart_by_their_keys() -> None:
    assert name_of(key_of("A b")) == "A b"
    assert name_of("A b") is None
    text = 'use "R"\nbreadth("A") > breadth( "B" , for="U")'
    assert named_in(text) == ["R", key_of("A"), key_of("B")]
    parts = {"R": 'use "S"', "S": "close > 1", key_of("A"): 'use "S"', "T": "close > 2"}
    assert set(those_used(text, parts)) == {"R", "S", key_of("A")}
    assert set(those_used(text, parts, ["R"])) == {key_of("A"), "S"}


@pytest.mark.parametrize("name", READY)
def test_those_that_are_always_there_can_be_computed_and_named(demo: Evaluator, name: str) -> None:
    found = breadth_series(demo, check_breadth(READY[name]))
    known = found.value[~np.isnan(found.value)]
    assert len(known) > 1_000
    shows = check_breadth(READY[name]).shows
    if shows == "share":
        assert known.min() >= 0
        assert known.max() <= 1
        assert known.max() > known.min()
    assert check_rule(f'breadth("{name}") > 1').lines


# -- passings ----------------------------------------------------------------------------------------------------------------


def of_values(*values: float) -> BreadthSeries:
    zeros = np.zeros(len(values), np.int64)
    column = np.array(values, np.float64)
    days = np.arange(100, 100 + len(values), dtype=np.int32)
    return BreadthSeries(days, zeros, zeros, zeros, column, column, "day", False)


def test_passings_by_hand() -> None:
    series = of_values(0.5, 0.2, 0.1, 0.15, 0.3, 0.2, math.nan, 0.1, 0.4, 0.2)
    up = passings(series, 0.2, "below")
    assert [(p.day, p.extreme) for p in up] == [(104, 0.1), (108, 0.1)]
    down = passings(series, 0.2, "above")
    assert [(p.day, p.extreme) for p in down] == [(102, 0.1)]  # at the level is not beyond it, nor across what is unknown
    with pytest.raises(ValueError, match="from below or from above"):
        passings(series, 0.2, "left")


def test_a_passing_while_one_is_running_does_not_count_again() -> None:
    assert once_each(np.array([0, 3, 5, 9, 10]), 5).tolist() == [True, False, True, False, True]
    assert once_each(np.array([], np.int64), 5).tolist() == []


def test_what_came_after_equals_pandas(demo: Evaluator) -> None:
    series = breadth_series(demo, check_breadth("universe: Harbour 500\nclose > sma(20)"))
    found = passings(series, 0.4, "below")
    symbol = demo.market.benchmark
    assert symbol is not None
    close = pd.Series(index_closes(demo.market, symbol, series.days))
    np.testing.assert_allclose(close, wide(demo.market, "close")[symbol].ffill())
    for horizon in (20, 60):
        got = after(found, close.to_numpy(), horizon)
        ahead = close.shift(-horizon) / close - 1
        mine = ahead[[p.place for p in found]].to_numpy()
        np.testing.assert_allclose(got.returns, mine)
        free, kept = -1, []
        for p, value in zip(found, mine, strict=True):
            if p.place >= free:
                free = p.place + horizon
                if not math.isnan(value):
                    kept.append(value)
        assert got.count == len(kept) > 3
        assert got.mean == pytest.approx(np.mean(kept))
        assert got.median == pytest.approx(np.median(kept))
        assert (got.any_mean, got.any_median) == (pytest.approx(ahead.mean()), pytest.approx(ahead.median()))
        low, high = stats.t.interval(0.95, len(kept) - 1, np.mean(kept), stats.sem(kept))
        assert (got.low, got.high) == (pytest.approx(low), pytest.approx(high))


def test_nothing_to_measure_is_said() -> None:
    close = np.arange(1.0, 6.0)
    none = after([], close, 2)
    assert (none.count, none.mean, none.luck) == (0, None, None)
    assert passing_verdict(none, "day") == "No crossing has 2 sessions behind it yet: nothing to measure."
    assert np.isnan(returns_after(close, 9)).all()


def test_random_choices_are_spaced_and_all_equally_likely() -> None:
    """All choices of 2 of 6 places at least 3 apart are six; each comes up as often, by a chi-square test (handbook, 0.1%)."""
    for size, n, apart in ((6, 2, 3), (9, 3, 2), (40, 3, 4)):
        drawn = choices(size, n, apart, 6_000, seed=3)
        assert (np.diff(drawn, axis=1) >= apart).all()
        assert drawn.min() >= 0
        assert drawn.max() < size
        every = [c for c in itertools.combinations(range(size), n) if all(b - a >= apart for a, b in itertools.pairwise(c))]
        counts = {c: 0 for c in every}
        for row in drawn.tolist():
            counts[tuple(row)] += 1
        if len(every) < 200:
            assert stats.chisquare(list(counts.values())).pvalue > 0.001
    assert choices(5, 4, 100, 50, 0).max() < 5  # so many do not fit so far apart


def test_luck_is_the_share_of_choices_that_did_as_well() -> None:
    """Against all choices, one by one."""
    rng = np.random.default_rng(8)
    returns = rng.normal(0, 0.05, 14)
    every = [c for c in itertools.combinations(range(14), 3) if all(b - a >= 3 for a, b in itertools.pairwise(c))]
    means = np.array([returns[list(c)].mean() for c in every])
    overall = float(returns.mean())
    for mean in np.quantile(means, [0.02, 0.3, 0.7, 0.97]).tolist():
        exact = (means >= mean).mean() if mean >= overall else (means <= mean).mean()
        assert luck_of(returns, mean, overall, 3, 3) == pytest.approx(exact, abs=0.04)


def test_smoothing_is_the_mean_of_the_last_values() -> None:
    x = np.array([1.0, 2.0, 4.0, math.nan, 3.0, 5.0])
    expected = pd.Series(x).rolling(2).mean()
    np.testing.assert_allclose(smoothed(x, 2), expected)
    assert smoothed(x, 1) is x
    assert np.isnan(smoothed(x, 9)).all()


def test_weeks_are_their_last_sessions_and_the_running_one_is_marked(engine: Evaluator) -> None:
    breadth = check_breadth("bars: week\nclose > sma(2)")
    whole = breadth_series(engine, breadth, by="week")
    daily = breadth_series(engine, breadth)
    weeks = number_of(daily.days, "week")
    last = [i for i in range(len(weeks)) if i == len(weeks) - 1 or weeks[i + 1] != weeks[i]]
    assert whole.days.tolist() == daily.days[last].tolist()
    np.testing.assert_array_equal(whole.value, daily.value[last])
    for at in range(20, 60):
        day = int(daily.days[at])
        found = breadth_series(engine, breadth, day, by="week")
        following = int(engine.bars.calendar.following([day])[0])
        assert found.running == (number_of([following], "week")[0] == number_of([day], "week")[0])
        assert found.over().days.tolist() == (found.days[:-1] if found.running else found.days).tolist()


def test_the_sentence_says_no_more_than_luck_allows() -> None:
    base = after(passings(of_values(*[0.1, 0.3] * 9), 0.2, "below"), np.exp(np.linspace(0, 1, 18)), 2)
    assert base.luck is not None
    said = passing_verdict(base, "day")
    assert said.startswith("After such sessions the index did ")
    assert "cannot tell it from luck" in said
    assert [often(x) for x in (0.2, 0.5, 0.7, 0.97, 0.017, 1 / 2_001)] == [
        "one in five", "one in two", "seven of ten", "nearly all", "one in 59", "one in 2,001",
    ]  # fmt: skip


def test_the_moment_of_a_day_is_its_close(engine: Evaluator) -> None:
    breadth: CheckedBreadth = check_breadth("close > open")
    day = int(engine.bars.sessions[40])
    a, b = breadth_series(engine, breadth, day), breadth_series(engine, breadth, moment_of(day))
    assert a.passed.tolist() == b.passed.tolist()
