"""Follow-through, by hand: entries, horizons, repeats, pending, delisted, costs, baseline and excess."""

import math

import numpy as np
import pytest
from arch.bootstrap import StationaryBootstrap
from scipy.stats import binomtest

from tests import made
from wickcore.bars.bars import Bars, build_bars
from wickcore.bars.market import Market
from wickcore.language.check import check_rule
from wickcore.scan.evaluate import Evaluator
from wickcore.study.follow import Study, study
from wickcore.study.intervals import MEDIAN_DRAWS, day_block_interval, median_interval, wilson
from wickcore.study.sample import HorizonFigures, Spread, histogram
from wickcore.study.settings import StudySettings
from wickcore.study.verdict import verdict


def table(opens: list[float], closes: list[float], length: int | None = None) -> dict[str, np.ndarray]:
    open_, close = np.array(opens, float), np.array(closes, float)
    days = made.weekdays(length or len(close))[: len(close)]
    return {
        "days": days, "open": open_, "close": close, "high": np.maximum(open_, close), "low": np.minimum(open_, close),
        "volume": np.full(len(close), 100.0),
    }  # fmt: skip


def run(bars: Bars, text: str, members: np.ndarray | None = None, **settings: object) -> Study:
    return study(Evaluator(Market((bars,))), check_rule(text), StudySettings(**{"cost": 0.0, "draws": 50, **settings}), members)


# Two instruments over six days. The rule hits A on day 2 (close 12 > 11) and on day 5 (15), B on day 3 (30).
WORKED = build_bars(
    {
        "A": table([10, 11, 12, 10, 13, 16], [10, 12, 10, 11, 15, 16]),
        "B": table([20, 20, 21, 32, 24, 27], [20, 20, 30, 24, 24, 36]),
    }
)
RULE = "close > 11\nclose > close 1 ago\nclose > 1.1 * close 1 ago"


def test_a_worked_example_by_hand() -> None:
    # A: 12 > 1.1 * 10 on day 2 (hit); day 4: 11 is not > 11; day 5: 15 > 1.1 * 11 = 12.1 (hit); day 6: 16 < 16.5 (no).
    # B: 30 > 22 on day 3 (hit); day 6: 36 > 1.1 * 24 = 26.4 (hit, on the last day: pending).
    found = run(WORKED, RULE, horizons=(1, 2))
    assert [(e.symbol, e.entry) for e in found.events] == [("A", 12), ("B", 32), ("A", 16), ("B", None)]
    one, two = found.horizons
    # One bar: entry at the next open, exit at that day's close. A day 3: 10 / 12 - 1. B day 4: 24 / 32 - 1. A day 6: 16 / 16 - 1 = 0.
    first = [10 / 12 - 1, 24 / 32 - 1, 0.0]
    assert (one.count, one.pending, one.delisted, one.days, one.instruments) == (3, 1, 0, 3, 2)
    assert one.mean == pytest.approx(sum(first) / 3)
    assert one.median == pytest.approx(10 / 12 - 1)
    assert one.win_rate == 0  # a return of exactly zero is neither won nor lost
    assert one.average_loss == pytest.approx((first[0] + first[1]) / 2)
    assert one.average_win is None
    # The baseline on each hit's day: both names bought at the next open and sold at its close.
    day2 = (10 / 12 - 1 + 30 / 21 - 1) / 2
    day3 = (11 / 10 - 1 + 24 / 32 - 1) / 2
    day5 = (16 / 16 - 1 + 36 / 27 - 1) / 2
    assert one.baseline == pytest.approx((day2 + day3 + day5) / 3)
    assert one.excess == pytest.approx(sum(r - b for r, b in zip(first, (day2, day3, day5), strict=True)) / 3)
    # Two bars: A day 2 → day 4 close 11 on 12; B day 3 → day 5 close 24 on 32; A day 5 has one bar only: pending, as is B day 6.
    assert (two.count, two.pending) == (2, 2)
    assert two.mean == pytest.approx((11 / 12 - 1 + 24 / 32 - 1) / 2)


def test_costs_come_off_both_sides_and_the_short_side_turns_the_sign() -> None:
    plain = run(WORKED, RULE, horizons=(1,)).horizons[0].mean
    assert plain is not None
    costly = run(WORKED, RULE, horizons=(1,), cost=0.001, slippage=0.0005).horizons[0].mean
    assert costly == pytest.approx(plain - 2 * 0.0015)
    assert run(WORKED, f"side: short\n{RULE}", horizons=(1,)).horizons[0].mean == pytest.approx(-plain)


def test_the_signal_close_can_be_the_entry() -> None:
    found = run(WORKED, RULE, horizons=(1,), entry="signal-close")
    assert [e.entry for e in found.events] == [12, 30, 15, 36]
    assert found.horizons[0].mean == pytest.approx((10 / 12 + 24 / 30 + 16 / 15) / 3 - 1)


def test_a_rule_that_decides_at_the_open_enters_and_leaves_that_session() -> None:
    found = run(WORKED, "decide: open\nopen > 1.2 * close 1 ago", horizons=(1, 2))
    # Only B's day 6 open of 27 on 24 is 12% up; no open is over 20% up. With 10%: day 6 of B (27 / 24) and day 5 of A (13 / 11).
    assert found.hits == 0
    found = run(WORKED, "decide: open\nopen > 1.1 * close 1 ago", horizons=(1, 2))
    assert [(e.symbol, e.entry, e.day == e.entry_day) for e in found.events] == [("A", 13, True), ("B", 27, True)]
    assert found.horizons[0].mean == pytest.approx((15 / 13 + 36 / 27) / 2 - 1)
    assert (found.horizons[1].count, found.horizons[1].mean) == (1, pytest.approx(16 / 13 - 1))


def test_repeats_count_fresh_every_or_apart() -> None:
    bars = made.one([10, 12, 12, 12, 10, 12, 12, 12, 12, 12])
    hits = {repeats: run(bars, "close > 11", horizons=(2,), repeats=repeats) for repeats in ("fresh", "every", "apart")}
    days = {repeats: [bars.days.tolist().index(e.day) for e in found.events] for repeats, found in hits.items()}
    assert days == {"fresh": [1, 5], "every": [1, 2, 3, 5, 6, 7, 8, 9], "apart": [1, 3, 5, 7, 9]}


def test_a_delisted_name_leaves_at_its_last_price_and_is_counted_apart() -> None:
    bars = build_bars({"A": table([10, 11, 12, 13, 14, 15], [10, 11, 12, 13, 14, 15]), "Z": table([5, 5, 6], [5, 6, 3], 6)})
    found = run(bars, 'symbol == "Z"\nclose > 5.5', horizons=(1, 3))
    one, three = found.horizons
    assert (one.count, one.delisted) == (1, 0)
    assert one.mean == pytest.approx(3 / 6 - 1)
    # Three bars ahead there is no bar any more: the last close, 3, is the exit.
    assert (three.count, three.delisted, three.pending) == (1, 1, 0)
    assert three.mean == pytest.approx(3 / 6 - 1)
    # On its very last bar there is no next open: no entry, in no figure.
    last = run(bars, 'symbol == "Z"\nclose < 4', horizons=(1,))
    assert (last.hits, last.no_entry, last.horizons[0].count) == (1, 1, 0)


def test_splits_between_entry_and_exit_do_not_count_as_losses() -> None:
    bars = made.one([10, 12, 12, 6, 6], factor=[1, 1, 1, 2, 2])
    found = run(bars, "close > 11\nclose > close 1 ago", horizons=(2,))
    assert found.horizons[0].mean == pytest.approx(0)


def test_hits_of_non_members_do_not_count_and_do_not_enter_the_baseline() -> None:
    members = np.array([True] * 6 + [False] * 6)
    found = run(WORKED, RULE, members, horizons=(1,))
    assert {e.symbol for e in found.events} == {"A"}
    assert found.horizons[0].excess == pytest.approx(0)  # alone, it is its own baseline


def test_a_weekly_rule_steps_on_finished_weeks() -> None:
    bars = made.one([10, 10, 20, 10, 10, 10, 10, 30, 10, 10, 10, 10, 10])  # Wed 1 Jan 2020 to Fri 17
    found = run(bars, "bars: week\nclose > 15", horizons=(1,), repeats="every")
    # Fri 3 January closes at 20 and is a finished week; the 30 of Fri 10 too. The entry is the next day's open.
    assert [str(np.datetime64(e.day, "D")) for e in found.events] == ["2020-01-03", "2020-01-10"]
    assert [e.entry for e in found.events] == [10, 10]


def test_horizons_and_costs_out_of_range_are_refused() -> None:
    for wrong in (
        {"horizons": ()},
        {"horizons": (0,)},
        {"horizons": (501,)},
        {"cost": 1.5},
        {"entry": "later"},
        {"repeats": "some"},
    ):
        with pytest.raises(ValueError):
            run(WORKED, RULE, **wrong)


@pytest.mark.parametrize(("wins", "count"), [(0, 10), (9, 12), (50, 100), (412, 713), (10, 10)])
def test_wilson_equals_scipy(wins: int, count: int) -> None:
    # scipy.stats.binomtest(...).proportion_ci(method="wilson"), an independent implementation.
    expected = binomtest(wins, count).proportion_ci(method="wilson")
    assert wilson(wins, count) == pytest.approx((expected.low, expected.high), abs=1e-12)


def test_the_win_rates_interval_knows_that_hits_of_a_day_move_together() -> None:
    """Sixty days of twenty hits that all win or all lose with their day: there are sixty throws, not twelve hundred. Held against drawing the
    days one by one with the library's own loop."""
    rng = np.random.default_rng(3)
    day = np.repeat(np.arange(60), 20)
    won = np.repeat((rng.random(60) < 0.55).astype(float), 20)
    low, high = day_block_interval(won, day, 1, 4, 500)
    apart = wilson(int(won.sum()), len(won))
    assert high - low > 3 * (apart[1] - apart[0])
    resampler = StationaryBootstrap(1, np.arange(60), seed=np.random.default_rng(4))
    slow = [won.reshape(60, 20)[resampler.update_indices()].mean() for _ in range(500)]
    assert (low, high) == pytest.approx(tuple(np.percentile(slow, [2.5, 97.5])))


@pytest.mark.parametrize("seed", range(8))
def test_win_rate_and_median_do_not_contradict_each_other(seed: int) -> None:
    """Both from the same draws: where the median is surely above zero, surely more than half have won, and the other way round."""
    rng = np.random.default_rng(seed)
    values = rng.normal(rng.normal(0, 0.004), 0.04, 700)
    day = np.sort(rng.integers(0, 250, 700))
    low, high = median_interval(values, day, 5, 1)
    won_low, won_high = day_block_interval((values > 0).astype(float), day, 5, 1, MEDIAN_DRAWS)
    hair = 1 / 700
    assert not (low > 0 and won_low < 0.5 - hair)
    assert not (won_low > 0.5 + hair and low <= 0)
    assert not (high < 0 and won_high > 0.5 + hair)
    assert not (won_high < 0.5 - hair and high >= 0)


def test_nine_wins_of_twelve_say_little() -> None:
    # Common practice: 75% of twelve trades could be anything from under a half to over nine tenths.
    low, high = wilson(9, 12)
    assert (round(low, 2), round(high, 2)) == (0.47, 0.91)


def test_the_interval_of_independent_days_is_near_the_classic_one() -> None:
    rng = np.random.default_rng(5)
    excess = rng.normal(0.01, 0.05, 900)
    low, high = day_block_interval(excess, np.arange(900), 1, 1)
    half = 1.96 * excess.std() / math.sqrt(900)
    assert low == pytest.approx(excess.mean() - half, abs=half / 4)
    assert high == pytest.approx(excess.mean() + half, abs=half / 4)


def test_hits_of_one_day_are_not_independent() -> None:
    # Thirty days of ten hits that all share their day's luck: the interval must be that of thirty, not of three hundred.
    rng = np.random.default_rng(6)
    luck = np.repeat(rng.normal(0, 0.05, 30), 10)
    low, high = day_block_interval(luck, np.repeat(np.arange(30), 10), 1, 1)
    naive = 2 * 1.96 * luck.std() / math.sqrt(300)
    assert high - low > 2 * naive


def test_the_same_seed_gives_the_same_interval() -> None:
    rng = np.random.default_rng(7)
    excess, day = rng.normal(0, 0.05, 200), np.sort(rng.integers(0, 90, 200))
    assert day_block_interval(excess, day, 5, 3) == day_block_interval(excess, day, 5, 3)
    assert day_block_interval(excess, day, 5, 3) != day_block_interval(excess, day, 5, 4)


def test_a_histogram_never_mixes_gains_and_losses_in_one_bin() -> None:
    found = histogram(np.random.default_rng(8).normal(0.004, 0.05, 500))
    assert any(abs(edge) < 1e-12 for edge in found["edges"])
    assert sum(found["counts"]) == 500


def figures(**changed: object) -> HorizonFigures:
    numbers: dict[str, object] = dict.fromkeys(
        ("win_rate", "win_rate_low", "win_rate_high", "wilson_low", "wilson_high",
         "mean", "median", "stdev", "average_win", "average_loss", "payoff",
         "profit_factor", "baseline"), 0.1,
    )  # fmt: skip
    nothing = Spread(None, None, None, None, None, None)
    numbers |= dict.fromkeys(("median_low", "median_high", "expectancy", "best", "best_symbol", "worst", "worst_symbol"))
    numbers |= dict.fromkeys(("spread", "favourable", "adverse"), nothing)
    base = {"bars": 5, "count": 212, "pending": 0, "delisted": 0, "instruments": 90, "days": 97, "small_sample": False, **numbers}
    return HorizonFigures(**{**base, "excess": 0.009, "excess_low": 0.003, "excess_high": 0.015, **changed})  # type: ignore[arg-type]


@pytest.mark.parametrize(
    ("changed", "words"),
    [
        ({}, "Beats the baseline by 0.90% at 5 bars (0.30% to 1.50%), 212 hits on 97 days."),
        (
            {"excess_low": -0.002},
            "No edge shown at 5 bars: 0.90% against the baseline, and the interval holds zero (−0.20% to 1.50%)",
        ),
        ({"excess": -0.01, "excess_low": -0.02, "excess_high": -0.001}, "Falls behind the baseline by 1.00% at 5 bars"),
        ({"days": 12, "small_sample": True}, "Under 30 days: too few to lean on."),
        ({"excess": None, "count": 0}, "nothing to measure at this horizon"),
        ({"excess_low": None, "excess_high": None, "days": 1}, "All hits fell on one day"),
    ],
)
def test_the_verdict_says_no_more_than_its_interval(changed: dict[str, object], words: str) -> None:
    assert words in verdict(Study(StudySettings(), 212, 0, (figures(**changed),), ()), 5)
