"""Breakdowns, excursions, the path, line worth and survivorship: by hand, and against pandas over a plain table of events."""

from dataclasses import replace

import numpy as np
import pandas as pd
import pytest
from arch.bootstrap import StationaryBootstrap

from tests import made
from tests.core.test_study import RULE, WORKED, table
from wickcore.bars.bars import build_bars
from wickcore.bars.market import Market
from wickcore.language.check import check_rule
from wickcore.scan.evaluate import Evaluator
from wickcore.study.breakdowns import MONTHS, WEEKDAYS, breakdowns, by_instrument, hits_a_day
from wickcore.study.compare import difference
from wickcore.study.follow import Study, study
from wickcore.study.intervals import day_block_interval, group_intervals, wilson
from wickcore.study.path import path
from wickcore.study.sample import Sample
from wickcore.study.settings import StudySettings
from wickcore.study.stops import with_stop
from wickcore.study.worth import line_worth, survivors_only


def quick(text: str, **settings: object) -> tuple[Evaluator, Study]:
    engine = Evaluator(Market((WORKED,)))
    return engine, study(engine, check_rule(text), StudySettings(**{"cost": 0.0, "draws": 50, **settings}))


@pytest.fixture(scope="module")
def large() -> tuple[Evaluator, Study, pd.DataFrame]:
    """A made market, a study of it, and its events as a table with what the breakdowns group by, worked out anew in plain pandas."""
    engine = Evaluator(made.market(seed=5, count=9, length=420))
    found = study(engine, check_rule("close > open\nrsi(5) > 40"), StudySettings(horizons=(1, 5), draws=200))
    bars, market = engine.market.bars, engine.market
    rows = []
    for e in found.events:
        rows.append(
            {
                "symbol": e.symbol,
                "day": pd.Timestamp(np.datetime64(e.day, "D")),
                "entry": pd.Timestamp(np.datetime64(e.entry_day, "D")) if e.entry_day is not None else None,
                "sector": market.texts["sector"][bars.number[e.symbol]],
                "r": e.returns[5],
            }
        )
    return engine, found, pd.DataFrame(rows).dropna(subset=["r"])


def test_excursions_by_hand() -> None:
    """A is bought at 12 on day 3 (bars 10 to 12 and 10 to 11: high 12, low 10) for two bars; B at 32 on day 4 (24 to 32, then 24 to 24)."""
    _, found = quick(RULE, horizons=(2,))
    sample = found.samples[2]
    assert sample.favourable.tolist() == [0.0, 0.0]  # neither ever traded above its entry
    assert sample.adverse == pytest.approx([10 / 12 - 1, 24 / 32 - 1])
    _, short = quick(f"side: short\n{RULE}", horizons=(2,))
    assert short.samples[2].favourable == pytest.approx([1 - 10 / 12, 1 - 24 / 32])
    assert short.samples[2].adverse.tolist() == [0.0, 0.0]


def test_excursions_are_those_of_a_plain_loop(large: tuple[Evaluator, Study, pd.DataFrame]) -> None:
    engine, found, _ = large
    bars = engine.market.bars
    sample = found.samples[5]
    for i in range(0, len(sample.returns), 7):
        at = int(found.positions[sample.place[i]])
        end = int(bars.offsets[bars.owner[at] + 1])
        held = range(at + 1, min(at + 6, end))
        paid = bars.open[at + 1] * bars.factor[at + 1]
        high = max(bars.high[p] * bars.factor[p] for p in held)
        low = min(bars.low[p] * bars.factor[p] for p in held)
        assert sample.favourable[i] == pytest.approx(max(0, high / paid - 1))
        assert sample.adverse[i] == pytest.approx(min(0, low / paid - 1))


def test_percentiles_expectancy_best_and_worst(large: tuple[Evaluator, Study, pd.DataFrame]) -> None:
    _, found, events = large
    figures = found.horizons[1]
    r = events["r"]
    assert figures.expectancy == pytest.approx(r.mean())  # gains and losses by their shares, nothing for exactly zero
    assert [figures.spread.p5, figures.spread.p25, figures.spread.p50, figures.spread.p75, figures.spread.p95] == pytest.approx(
        r.quantile([0.05, 0.25, 0.5, 0.75, 0.95]).tolist()
    )
    assert (figures.best, figures.best_symbol) == (pytest.approx(r.max()), events.loc[r.idxmax(), "symbol"])
    assert (figures.worst, figures.worst_symbol) == (pytest.approx(r.min()), events.loc[r.idxmin(), "symbol"])


def test_breakdowns_are_those_of_pandas(large: tuple[Evaluator, Study, pd.DataFrame]) -> None:
    engine, found, events = large
    groups = breakdowns(engine, found, 5)
    # Hits still pending at this horizon were hits of their day all the same.
    a_day = pd.Series([pd.Timestamp(np.datetime64(e.day, "D")) for e in found.events]).value_counts()
    assert a_day.sum() > len(events)
    keys = {
        "year": events["day"].dt.year.astype(str),
        "month": events["day"].dt.month.map(lambda m: MONTHS[m - 1]),
        "weekday": events["entry"].dt.day_of_week.map(lambda d: WEEKDAYS[d]),
        "sector": events["sector"],
        "crowd": events["day"].map(a_day).map(
            lambda n: "1 hit that day" if n == 1 else "2 to 5" if n <= 5 else "6 to 20" if n <= 20 else "more than 20"
        ),
    }  # fmt: skip
    for kind, key in keys.items():
        expected = events.groupby(key)["r"].agg(["size", "mean", "median", lambda r: (r > 0).mean()])
        assert {g.label for g in groups[kind]} == set(expected.index)
        for group in groups[kind]:
            size, mean, median, won = expected.loc[group.label]
            assert group.figures.count == size
            assert (group.figures.mean, group.figures.median, group.figures.win_rate) == pytest.approx((mean, median, won))
            assert group.small == (size < 20)
    for kind in ("size", "market"):
        assert sum(g.figures.count for g in groups[kind]) == len(events)


def test_the_market_of_a_group_is_the_benchmarks_on_that_day(large: tuple[Evaluator, Study, pd.DataFrame]) -> None:
    engine, found, events = large
    bars = engine.market.bars
    k = bars.number[str(engine.market.benchmark)]
    part = slice(int(bars.offsets[k]), int(bars.offsets[k + 1]))
    close = pd.Series(bars.close[part] * bars.factor[part], index=bars.days[part].astype("datetime64[D]"))
    average = close.rolling(200).mean()
    above, rising = close > average, average > average.shift(20)
    known = average.shift(20).notna()
    counted = {
        "above, rising": 0,
        "above, falling": 0,
        "below, rising": 0,
        "below, falling": 0,
        "market unknown": 0,
    }
    for day in events["day"]:
        at = np.datetime64(day, "D")
        if at not in close.index or not known[at]:
            counted["market unknown"] += 1
        elif above[at]:
            counted["above, rising" if rising[at] else "above, falling"] += 1
        else:
            counted["below, rising" if rising[at] else "below, falling"] += 1
    groups = {g.label: g.figures.count for g in breakdowns(engine, found, 5)["market"]}
    assert groups == {label: n for label, n in counted.items() if n}


def test_by_instrument_and_by_day(large: tuple[Evaluator, Study, pd.DataFrame]) -> None:
    engine, found, events = large
    rows = by_instrument(engine, found, (5, 1))
    expected = events.groupby("symbol")["r"].agg(["size", "mean"])
    assert {r.symbol: r.times for r in rows} == expected["size"].to_dict()
    assert {r.symbol: r.means[0] for r in rows} == pytest.approx(expected["mean"].to_dict())
    assert [r.times for r in rows] == sorted((r.times for r in rows), reverse=True)
    won = events[events["r"] > 0].groupby("symbol")["r"].mean()
    lost = events[events["r"] < 0].groupby("symbol")["r"].mean()
    assert {r.symbol: r.won for r in rows if r.won is not None} == pytest.approx(won.to_dict())
    assert {r.symbol: r.lost for r in rows if r.lost is not None} == pytest.approx(lost.to_dict())
    days = dict(hits_a_day(engine, found))
    assert sum(days.values()) == found.hits
    assert days == pd.Series([e.day for e in found.events]).value_counts().to_dict()


def test_nine_of_twelve_says_little() -> None:
    """Common practice: 9 wins of 12 are 75%, and the 95% interval runs from 47% to 91%."""
    low, high = wilson(9, 12)
    assert (round(low, 2), round(high, 2)) == (0.47, 0.91)


def test_the_interval_is_that_of_the_librarys_own_loop() -> None:
    """Counting how often each day is drawn and multiplying gives what gathering the drawn days one by one gives."""
    rng = np.random.default_rng(6)
    excess, day = rng.normal(0.01, 0.05, 300), np.sort(rng.integers(0, 120, 300))
    day -= day[0]
    total, count = np.bincount(day, excess), np.bincount(day).astype(float)
    resampler = StationaryBootstrap(5, np.arange(len(total)), seed=np.random.default_rng(9))
    means = []
    for _ in range(300):
        drawn = resampler.update_indices()
        means.append(total[drawn].sum() / count[drawn].sum())
    assert day_block_interval(excess, day + 40, 5, 9, 300) == pytest.approx(tuple(np.percentile(means, [2.5, 97.5])))


def test_a_groups_interval_knows_only_its_own_hits() -> None:
    rng = np.random.default_rng(2)
    day = np.sort(rng.integers(0, 200, 800))
    odd = np.arange(800) % 2 == 1
    excess = np.where(odd, 0.03, -0.03) + rng.normal(0, 0.01, 800)
    (a, b, none) = group_intervals(excess, day, [odd, ~odd, np.arange(800) < 1], 5, 1, 400)
    assert a[0] > 0.02
    assert b[1] < -0.02
    assert np.isnan(none[0])


def test_the_path_by_hand() -> None:
    """From A's hit on day 2 (close 12): a bar before 10, then 10, 11. From B's on day 3 (30): 20 before, 24, 24 after; A's second on day 5
    (15): 11 before, 16 after; B's second on day 6 (36) has nothing after it."""
    engine, found = quick(RULE, horizons=(1,))
    points = {p.offset: p for p in path(engine, found, None, before=1, after=2, draws=50)}
    assert points[0].mean == 0
    assert points[-1].count == 4
    assert points[-1].mean == pytest.approx(np.mean([10 / 12, 20 / 30, 11 / 15, 24 / 36]) - 1)
    assert points[1].count == 3
    assert points[1].mean == pytest.approx(np.mean([10 / 12, 24 / 30, 16 / 15]) - 1)
    assert points[1].median == pytest.approx(10 / 12 - 1)
    assert points[2].mean == pytest.approx(np.mean([11 / 12, 24 / 30]) - 1)
    # The universe one bar on: on day 2 A 10/12 and B 30/20, on day 3 A 11/10 and B 24/30, on day 5 A 16/15 and B 36/24.
    base = [np.mean([10 / 12, 30 / 20]), np.mean([11 / 10, 24 / 30]), np.mean([16 / 15, 36 / 24])]
    assert points[1].baseline == pytest.approx(np.mean(base) - 1)


def test_the_path_sees_nothing_after_the_as_of_day(large: tuple[Evaluator, Study, pd.DataFrame]) -> None:
    engine, _, _ = large
    bars = engine.market.bars
    day = int(bars.sessions[250])
    settings = StudySettings(horizons=(5,), draws=20, as_of=day)
    rule = check_rule("close > open\nrsi(5) > 40")
    cut = Evaluator(made.dress(bars.cut(day)))
    full = path(engine, study(engine, rule, settings), None, draws=20)
    known = path(cut, study(cut, rule, settings), None, draws=20)
    assert [(p.offset, p.count, p.mean) for p in full] == [(p.offset, p.count, p.mean) for p in known]


def test_what_each_line_is_worth_is_the_study_without_it(large: tuple[Evaluator, Study, pd.DataFrame]) -> None:
    engine, _, _ = large
    lines = ["close > open", "rsi(5) > 40", "volume > 1"]
    rule = check_rule("\n".join(lines))
    settings = StudySettings(horizons=(5,), draws=100)
    whole = study(engine, rule, settings)
    for i, worth in enumerate(line_worth(engine, rule, whole, 5)):
        other = study(engine, check_rule("\n".join(lines[:i] + lines[i + 1 :])), settings).horizons[0]
        unshown = dict.fromkeys(("median_low", "median_high", "win_rate_low", "win_rate_high"))
        assert worth.without == replace(other, **unshown)
        assert worth.more == other.count - whole.horizons[0].count
        assert worth.gain == pytest.approx(whole.horizons[0].excess - other.excess)  # type: ignore[operator]
        alone = study(engine, check_rule("\n".join(lines[:i] + lines[i + 1 :])), settings)
        paired = difference(alone, whole, 5, 500)
        assert (worth.gain_low, worth.gain_high) == (paired.low, paired.high)
        assert worth.clutter == (worth.more > 0 and worth.gain < 5e-5)  # type: ignore[operator]
    assert line_worth(engine, check_rule("close > open"), study(engine, check_rule("close > open"), settings), 5)[0].without is None


def test_survivors_only_are_those_of_the_last_day_on_every_day() -> None:
    bars = build_bars({"A": table([1, 2, 3, 4], [1, 2, 3, 4]), "B": table([1, 2], [1, 2], 4)})
    engine = Evaluator(Market((bars,)))
    assert survivors_only(engine, None, bars.last_day).tolist() == [True] * 4 + [False] * 2
    members = np.array([False, False, True, True, True, True])  # A joined on the third day
    assert survivors_only(engine, members, bars.last_day).tolist() == [True] * 4 + [False] * 2


def test_a_stop_by_hand() -> None:
    """Four hits: one falls 8% on the way and ends 5% up, one falls 10% and ends 12% down, one falls 2% and ends 3% up, one never falls."""
    sample = Sample(
        5, np.array([0.05, -0.12, 0.03, 0.02]), np.full(4, 0.01), np.arange(4), np.arange(4), np.arange(4), np.full(4, 0.1),
        np.array([-0.08, -0.10, -0.02, 0.0]),
    )  # fmt: skip
    found = with_stop(sample, 0.06, 0.002)
    # Both that fell 6% are out at 6.2% below, costs included; the others are as they were.
    assert found.mean == pytest.approx((-0.062 - 0.062 + 0.03 + 0.02) / 4)
    assert found.excess == pytest.approx((-0.062 - 0.062 + 0.03 + 0.02) / 4 - 0.01)
    assert (found.stopped, found.win_rate, found.saved, found.lost) == (0.5, 0.5, 1, 1)
    assert with_stop(sample, 0.5, 0.002).mean == pytest.approx(sample.returns.mean())
    with pytest.raises(ValueError, match="above 0%"):
        with_stop(sample, 0.0, 0.0)
