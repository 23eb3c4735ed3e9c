"""Frames shorter than a day: the same kernels and words, days and five-minute bars in one rule, one moment across instruments."""

from dataclasses import replace

import numpy as np
import pytest

from tests import made
from tests.core.test_meaning import same
from wickcore.bars.frames import period
from wickcore.bars.market import Market
from wickcore.bars.moment import Moment, of_key
from wickcore.language.check import check_expression, check_rule
from wickcore.language.problems import RuleError
from wickcore.scan.evaluate import Evaluator
from wickcore.scan.scan import scan
from wickcore.study.follow import study
from wickcore.study.returns import RuleBars
from wickcore.study.settings import StudySettings


@pytest.fixture(scope="module")
def market() -> Market:
    return made.inner_market()


@pytest.fixture(scope="module")
def engine(market: Market) -> Evaluator:
    return Evaluator(market).on("5min")


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
        "on(day, sma(20)) > on(day, close 1 ago)",
        "volume > on(day, sma(volume, 10)) / 26",
        "on(day, volume) > on(day, volume 1 ago)",
        "on(week, high) - on(week, open)",
        "on(month, volume)",
        "on(day, sma(on(15min, close), 4))",
        "on(day, rsi(5) > 50) and on(30min, close > open)",
        "benchmark(close)",
        "rank(close 1 ago)",
        "rank(on(day, change))",
        "on(day, rank(change(3)) 1 ago)",
        "on(day, benchmark(change))",
        "relative_strength(5)",
        "on(day, close > 25 held 3)",
        "market_cap",
        "close > 30",
        "opening_range(15).high",
        "close > opening_range(20).low",
        "opening_range(30).range / opening_range(30).open",
        "first_hour.close > first_hour.open",
        "first_hour.place",
        "on(15min, opening_range(15).close) > close",
        "overnight.high > high",
        "overnight.close - on(day, close 1 ago)",
        "overnight.place",
        "overnight.low_first",
        "overnight.high 1 ago",
        "since_open > 0.5%",
        "minute <= 60",
        "on(15min, minute)",
        "pace(2)",
        "pace(5) > 1",
        "vwap",
    ],
)
def test_expressions_on_five_minute_bars(engine: Evaluator, text: str) -> None:
    assert same(engine, text, "5min") > 0


@pytest.mark.parametrize(
    "text",
    [
        "on(5min, close)",
        "on(5min, rsi(5) > 50)",
        "on(15min, high) / close",
        "sma(on(5min, close), 4)",
        "on(65min, close > on(day, sma(5)))",
        "on(5min, close) 1 ago",
        "rank(on(5min, change(3)))",
        "on(week, highest(on(5min, high), 2))",
        "benchmark(on(30min, close))",
        "opening_range(30).high",
        "close > first_hour.high",
        "first_hour.high 1 ago",
        "pace(3)",
        "minute",
        "on(5min, vwap)",
        "overnight.low < low 1 ago",
        "overnight.range > 0.5 * atr(5)",
    ],
)
def test_five_minute_values_in_a_daily_rule(market: Market, text: str) -> None:
    """The value at the day's latest five-minute bar; unknown on days without any."""
    assert same(Evaluator(market), text, "day") > 0


def test_the_day_so_far_takes_its_history_from_the_daily_bars(market: Market) -> None:
    """By hand: the daily average on a five-minute bar is the mean of the last finished days' closes and this bar's."""
    engine = Evaluator(market)
    inner, daily = market.table("5min"), market.bars
    k = inner.number["S01"]
    column = engine.on("5min").rows([check_expression("on(day, sma(close, 5))", "5min", "5min").op], "S01")[0]
    at = int(inner.offsets[k + 1]) - 30  # a bar of the last day that has a daily bar or of the one after
    day = inner.days[at]
    own = slice(int(daily.offsets[k]), int(daily.offsets[k + 1]))
    before = (daily.close * daily.factor)[own][daily.days[own] < day][-4:]
    assert column[at - int(inner.offsets[k])] == pytest.approx((before.sum() + inner.close[at] * inner.factor[at]) / 5)


def test_inside_a_session_a_daily_rule_sees_the_day_so_far(market: Market) -> None:
    engine, rule = Evaluator(market), check_rule("close > open")
    inner = market.table("5min")
    day = int(market.bars.sessions[-1])
    found = scan(engine, rule, Moment(day, 600))
    assert found.partial
    assert str(found.as_of) == f"{np.datetime64(day, 'D')}T10:00"
    expected = set()
    for k, symbol in enumerate(inner.symbols):
        rows = slice(int(inner.offsets[k]), int(inner.offsets[k + 1]))
        seen = (inner.days[rows] == day) & (inner.minute[rows] + 5 <= 600)  # bars that have ended by ten
        if seen.any() and inner.close[rows][seen][-1] > inner.open[rows][seen][0]:
            expected.add(symbol)
    assert {h.symbol for h in found.hits} == expected
    bare = replace(
        market, tables=(market.bars, inner.taken(np.arange(int(inner.offsets[1])), np.minimum(inner.offsets, inner.offsets[1])))
    )
    assert scan(Evaluator(bare), rule, Moment(day, 600)).no_bar == len(inner.symbols) - 1  # they have days, and no shorter bars
    closed = scan(engine, rule, day)
    assert not closed.partial
    assert closed.scanned == int((market.bars.on(day) >= 0).sum())


def test_hours_of_a_short_first_session_show_nothing_of_a_longer_day(market: Market) -> None:
    """The hours are read off the first session; a moment after them on a day that runs on must not become that day's close."""
    inner = market.table("5min")
    short = replace(inner, calendar=replace(inner.calendar, closes=600))
    told = replace(market, tables=(market.bars, short))
    day = int(market.bars.sessions[-1])
    at = told.standing(Moment(day, 640))
    assert not at.closed
    assert at.minute <= 640
    assert told.standing(Moment(day, 1_000)) == Moment(day)


def test_the_first_bar_of_a_day_knows_no_later_one_of_the_index(engine: Evaluator) -> None:
    """What once was the index's last close of the day stands at the index's own first bar; ranks compare one moment."""
    bars = engine.bars
    k = bars.number[str(engine.market.benchmark)]
    ours = engine.column(check_expression("benchmark(close)", "5min", "5min").op)
    for i in range(len(bars)):
        same_moment = [j for j in range(bars.offsets[k], bars.offsets[k + 1]) if bars.known[j] == bars.known[i]]
        assert (np.isnan(ours[i]) and not same_moment) or ours[i] == bars.close[same_moment[0]]


@pytest.mark.parametrize("frame", ["5min", "15min", "65min"])
def test_a_scan_at_every_moment_is_what_the_study_counts(market: Market, frame: str) -> None:
    engine = Evaluator(market)
    rule = check_rule(f"bars: {frame}\nclose > sma(3)\nclose > on(day, sma(4))\nrank(change(2)) > 40", base="5min")
    bars = market.table("5min")
    found = study(engine, rule, StudySettings(horizons=(1, 3), repeats="every", draws=2))
    studied = {(int(bars.known[e.position]), e.symbol) for e in found.events}
    assert studied
    steps = RuleBars.of(bars, frame, bars.last_day).positions
    for key in np.unique(bars.known[steps]):
        hits = {h.symbol for h in scan(engine, rule, of_key(key)).hits}
        ending = {bars.symbols[bars.owner[p]] for p in steps if bars.known[p] == key}
        assert hits & ending == {symbol for moment, symbol in studied if moment == key}


@pytest.mark.parametrize("frame", ["5min", "15min", "65min", "week"])
def test_baselines_are_of_the_same_bar(frame: str) -> None:
    """Against a plain loop: the mean of what every instrument with that bar of the frame did next, its last piece there or not."""
    base, market = "day" if frame == "week" else "5min", made.inner_market(count=8)
    bars = market.table(base)
    rule = check_rule(f"bars: {frame}\nclose > sma(3)", base="5min")
    found = study(Evaluator(market), rule, StudySettings(horizons=(2,), cost=0, draws=2))
    sample, number = found.samples[2], period(bars, frame) if frame != "5min" else bars.known
    steps: list[dict[int, int]] = []  # of each instrument: the last row of each bar of the frame
    for k in range(len(bars.symbols)):
        steps.append({int(number[p]): p for p in range(bars.offsets[k], bars.offsets[k + 1])})
    torn = 0
    for i in range(len(sample.returns)):
        position = int(found.positions[sample.place[i]])
        gains = []
        for own in steps:
            p, following = own.get(int(number[position])), [n for n in own if n > number[position]]
            if p is not None and len(following) >= 2:
                to, into = own[sorted(following)[1]], p + 1
                gains.append(bars.close[to] * bars.factor[to] / (bars.open[into] * bars.factor[into]) - 1)
                torn += bars.known[p] != bars.known[position]
        assert sample.baseline[i] == pytest.approx(np.mean(gains))
    assert torn or frame == "5min"  # there were such members


def test_a_market_of_five_minute_bars_alone_has_days(market: Market) -> None:
    inner = market.table("5min")
    alone = Market((inner,))
    assert alone.bars.frame == "day"
    k, day = 0, int(alone.bars.days[3])
    rows = slice(int(inner.offsets[k]), int(inner.offsets[k + 1]))
    here = inner.days[rows] == day
    assert alone.bars.high[3] == inner.high[rows][here].max()
    assert alone.bars.volume[3] == inner.volume[rows][here].sum()
    running = Market((inner.cut(Moment(day, 600)),))
    assert day not in running.bars.sessions  # the session is not over: it is no day yet
    assert running.latest == Moment(day, 600)


def test_a_daily_market_has_no_shorter_bars() -> None:
    with pytest.raises(RuleError, match="no 15min bars in this market"):
        check_rule("on(15min, close) > 5")
    with pytest.raises(RuleError, match="no 5min bars in this market"):
        check_rule("bars: 5min\nclose > 5")
    assert check_expression("on(15min, close)", "5min", "5min").type == "number"
    assert check_rule("bars: 65min\nclose > sma(5)", base="5min").frame == "65min"
