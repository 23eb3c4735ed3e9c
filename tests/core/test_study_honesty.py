"""What keeps a study honest: the seal, the tries, comparisons on the same days, sweeps that prefer a plateau, and single trades."""

import itertools

import numpy as np
import pandas as pd
import pytest
from arch.bootstrap import StationaryBootstrap

from tests import made
from tests.core.test_study import RULE, WORKED, run, table
from wickcore.bars.bars import build_bars
from wickcore.bars.market import Market
from wickcore.language.check import check_rule
from wickcore.scan.evaluate import Evaluator
from wickcore.study.compare import Difference, compare, difference_verdict
from wickcore.study.event import trade
from wickcore.study.follow import Study, study
from wickcore.study.intervals import drawn_days, median_interval
from wickcore.study.multiple_testing import daily_excess, laid_out, superior_ability
from wickcore.study.sample import Sample
from wickcore.study.seal import sealed_from
from wickcore.study.settings import StudySettings
from wickcore.study.sweep import Cell, Sweep, _neighbours, steps_of, sweep, sweep_verdict

DIALS = "dial fast = 5 from 2 to 30 step 1\ndial floor = 50 from 0 to 100 step 1\nclose > sma(close, fast)\nrsi(5) > floor"


@pytest.fixture(scope="module")
def engine() -> Evaluator:
    return Evaluator(made.market(seed=8, count=9, length=420))


def measured(engine: Evaluator, text: str, **settings: object) -> Study:
    return study(engine, check_rule(text), StudySettings(**{"horizons": (1, 5), "draws": 200, **settings}))


# -- the seal --------------------------------------------------------------------------------------------------------


def test_the_last_quarter_of_the_sessions_is_sealed() -> None:
    sessions = np.arange(1000)
    assert sealed_from(sessions) == 750
    assert sealed_from(sessions, 0.1) == 900
    assert sealed_from(np.arange(503)) is None  # under two years there is nothing to spare


def test_a_study_up_to_the_seal_is_that_of_a_market_that_ends_there(engine: Evaluator) -> None:
    """Nothing from the sealed days reaches a figure: cutting them off changes none."""
    bars = engine.market.bars
    end = int(bars.sessions[300])
    trading = np.full(len(bars.symbols), -1, np.int32)  # a name without a bar on the last day is not taken for a delisted one
    kept, cut = (Evaluator(Market((b,), delisted=trading)) for b in (bars, bars.cut(end)))
    text = "close > sma(10)\nclose > close 1 ago"
    whole, alone = measured(kept, text, as_of=end), measured(cut, text)
    assert [e.returns for e in whole.events] == [e.returns for e in alone.events]
    assert [(f.mean, f.excess, f.pending) for f in whole.horizons] == [(f.mean, f.excess, f.pending) for f in alone.horizons]


# -- tries -----------------------------------------------------------------------------------------------------------


def test_the_daily_excess_by_hand() -> None:
    found = run(WORKED, RULE, horizons=(1,))
    sample = found.samples[1]
    days, values = daily_excess(sample)
    assert days.tolist() == [1, 2, 4]
    assert values == pytest.approx(sample.excess[np.argsort(sample.session)])  # one hit a day here
    assert laid_out((days, values), (0, 6)).tolist() == pytest.approx([0, values[0], values[1], 0, values[2], 0])
    assert laid_out((days, values), (2, 2)).tolist() == pytest.approx([values[1], 0])


def test_each_hit_counts_alike_among_the_tries_as_in_its_interval() -> None:
    """Two hits of 3% on one day and one of −3% on another: by days nothing, by hits 1% each."""
    sample = Sample(
        1, np.array([0.03, 0.03, -0.03]), np.zeros(3), np.array([4, 4, 9]), np.arange(3), np.arange(3), np.zeros(3), np.zeros(3)
    )
    days, values = daily_excess(sample)
    assert (days.tolist(), values.tolist()) == ([4, 9], pytest.approx([0.06, -0.03]))


def slow_luck(table: np.ndarray, block: int, reps: int, seed: int) -> float:
    """The consistent p-value written from Hansen (2005), section 3: studentised by each series' own bootstrap spread, recentred where the
    mean lies above -sqrt(2 log log n / n) times it."""
    size = len(table)
    mean = table.mean(axis=0)
    resampler = StationaryBootstrap(block, np.arange(size), seed=np.random.default_rng(seed))
    draws = np.array([table[resampler.update_indices()].mean(axis=0) for _ in range(reps)])
    spread = np.sqrt(size) * draws.std(axis=0)
    keep = mean >= -np.sqrt(2 * np.log(np.log(size)) / size) * spread
    own = max((np.sqrt(size) * mean / spread).max(), 0)
    others = np.maximum((np.sqrt(size) * (draws - np.where(keep, mean, 0)) / spread).max(axis=1), 0)
    return float((others > own).mean())


@pytest.mark.parametrize("edge", [0.0, 0.0015, 0.004])
def test_the_best_of_many_is_judged_as_the_paper_says(edge: float) -> None:
    rng = np.random.default_rng(4)
    noise = rng.normal(0, 0.02, (600, 8))
    noise[:, 3] += edge
    found = superior_ability(list(noise.T), 5, 1, 800)
    assert found.tried == 8
    assert found.best == int(np.argmax(noise.mean(axis=0)))
    assert found.p == pytest.approx(slow_luck(noise, 5, 800, 7), abs=0.06)


def test_noise_tried_often_enough_does_not_pass_for_an_edge() -> None:
    """Forty sets of twenty tries of pure noise: the best of each looks good alone, and is called luck nineteen times of twenty."""
    rng = np.random.default_rng(11)
    found = [superior_ability(list(rng.normal(0, 0.02, (20, 300))), 1, k, 200) for k in range(40)]
    alone = [one.mean / (0.02 / np.sqrt(300)) for one in found]
    assert np.mean(np.array(alone) > 1.645) > 0.5
    assert sum((one.p or 0) < 0.05 for one in found) <= 6


def test_too_few_days_are_not_judged() -> None:
    series = np.zeros(200)
    series[:5] = 0.01
    assert superior_ability([series], 1, 1).p is None


# -- comparisons -----------------------------------------------------------------------------------------------------


def test_two_studies_by_hand() -> None:
    """The second leaves B out. At one bar, A made 10/12-1 and 0; B 24/32-1."""
    engine = Evaluator(Market((WORKED,)))
    first, second = (
        study(engine, check_rule(text), StudySettings(horizons=(1,), cost=0.0, draws=50))
        for text in (RULE, f'{RULE}\nsymbol == "A"')
    )
    found = compare(first, second, 1, WORKED.symbols)
    assert [len(found.both), len(found.only_first), len(found.only_second)] == [2, 2, 0]
    assert found.shared.mean == pytest.approx((10 / 12 - 1) / 2)
    assert found.lost.mean == pytest.approx(24 / 32 - 1)
    assert found.gained.count == 0
    excess = [study.samples[1].excess.mean() for study in (first, second)]
    assert found.differences[0].excess == pytest.approx(excess[1] - excess[0])


def test_what_two_studies_share_cancels_out(engine: Evaluator) -> None:
    text = "close > sma(10)"
    first, second = measured(engine, text), measured(engine, f"{text}\nvolume > 0")
    (one, five) = compare(first, second, 5, engine.market.bars.symbols).differences
    assert (one.excess, one.low, one.high) == (0, 0, 0)
    apart = compare(first, measured(engine, "rsi(5) > 60"), 5, engine.market.bars.symbols).differences[1]
    assert apart.low is not None
    assert apart.low < apart.excess < apart.high
    assert five.high == 0


def test_the_interval_of_a_difference_is_that_of_a_plain_loop(engine: Evaluator) -> None:
    first, second = measured(engine, "close > sma(10)"), measured(engine, "rsi(5) > 60")
    a, b = first.samples[5], second.samples[5]
    span, seed = first.span, second.settings.seed + 5
    assert span is not None
    apart = []
    for row in drawn_days(span[1], 5, seed, 2_000)[:400]:
        means = []
        for sample in (a, b):
            weights = row[sample.session - span[0]]
            means.append(np.average(sample.excess, weights=weights))
        apart.append(means[1] - means[0])
    found = compare(first, second, 5, engine.market.bars.symbols).differences[1]
    low, high = np.percentile(apart, [2.5, 97.5])
    width = high - low
    assert (found.low, found.high) == pytest.approx((low, high), abs=width / 6)


@pytest.mark.parametrize(
    ("figures", "words"),
    [
        ((0.004, 0.001, 0.007), "better by 0.40% a hit at 5 bars (0.10% to 0.70%)"),
        ((-0.004, -0.007, -0.001), "worse by 0.40% a hit at 5 bars"),
        ((0.004, -0.001, 0.009), "No difference shown at 5 bars"),
        ((None, None, None), "nothing to say"),
    ],
)
def test_the_verdict_of_a_comparison(figures: tuple[float, float, float], words: str) -> None:
    assert words in difference_verdict(Difference(5, *figures))


def test_the_medians_interval_is_that_of_the_librarys_own_loop() -> None:
    rng = np.random.default_rng(3)
    values, day = rng.normal(0.01, 0.05, 201), np.sort(rng.integers(0, 60, 201))
    day -= day[0]
    medians = []
    for row in drawn_days(int(day[-1]) + 1, 5, 9, 300):
        medians.append(np.median(np.repeat(values, row[day])))
    assert median_interval(values, day, 5, 9, 300) == pytest.approx(tuple(np.percentile(medians, [2.5, 97.5])))


# -- sweeps ----------------------------------------------------------------------------------------------------------


def swept(engine: Evaluator, grid: dict[str, tuple[float, ...]], **settings: object) -> Sweep:
    chosen = StudySettings(**{"draws": 200, **settings})
    return sweep(engine, lambda dials: check_rule(DIALS, dials=dials), grid, chosen, 5)[0]


def test_each_cell_is_the_study_of_its_setting(engine: Evaluator) -> None:
    grid = {"fast": (5.0, 10.0, 20.0), "floor": (40.0, 60.0)}
    found = swept(engine, grid, draws=700)
    assert [c.values for c in found.cells] == list(itertools.product(*grid.values()))
    for cell in found.cells:
        rule = check_rule(DIALS, dials=dict(zip(grid, cell.values, strict=True)))
        alone = study(engine, rule, StudySettings(horizons=(5,), draws=700)).horizons[0]
        assert (cell.count, cell.days, cell.win_rate) == (alone.count, alone.days, alone.win_rate)
        assert (cell.mean, cell.excess) == pytest.approx((alone.mean, alone.excess))
        assert (cell.low, cell.high) == pytest.approx((alone.excess_low, alone.excess_high))


@pytest.mark.parametrize("repeats", ["every", "apart"])
def test_a_cell_counts_repeats_as_its_study_does(engine: Evaluator, repeats: str) -> None:
    (cell, *_) = swept(engine, {"fast": (5.0, 10.0)}, repeats=repeats).cells
    alone = study(engine, check_rule(DIALS), StudySettings(horizons=(5,), draws=200, repeats=repeats)).horizons[0]
    assert (cell.count, cell.excess) == (alone.count, pytest.approx(alone.excess))


def cells(excess: list[float], shape: tuple[int, ...] | None = None, count: int = 100) -> list[Cell]:
    made = [Cell((float(i),), count, 50, 0.5, e, e, e - 0.01, e + 0.01) for i, e in enumerate(excess)]
    return _neighbours(made, shape or (len(excess),))


def test_a_plateau_is_preferred_to_a_peak() -> None:
    """0, 0, 5%, 0, 1%, 1.2%, 1%, 0: the five stands alone, the middle one has neighbours that hold."""
    found = cells([0, 0, 0.05, 0, 0.01, 0.012, 0.01, 0])
    assert [c.holds for c in found] == [False, False, False, False, False, True, False, False]
    assert found[5].floor == 0.01
    assert (found[0].floor, found[7].floor) == (None, None)  # an edge: nobody knows what lies beside it
    whole = Sweep(("fast",), (tuple(range(8)),), 5, tuple(found), 2, 5, 0.4)
    said = sweep_verdict(whole)
    assert "The widest ground is fast 5: 1.20% against the baseline, and no setting beside it brings less than 1.00%." in said
    assert "The highest peak is fast 2 with 5.00%, and it stands alone." in said
    assert "with a chance of 40.0%" in said


def test_neighbours_lie_along_both_dials() -> None:
    found = cells([0.01, 0.01, 0.01, 0.01, 0.02, 0.01, 0.01, 0.01, -0.01], (3, 3))
    assert found[4].floor == -0.01
    assert not found[4].holds
    assert sum(c.floor is not None for c in found) == 1


def test_a_setting_with_few_hits_upholds_nothing() -> None:
    found = _neighbours([Cell((float(i),), n, 9, 0.5, 0.01, 0.01, 0.0, 0.02) for i, n in enumerate((100, 100, 19))], (3,))
    assert found[1].floor is None


def test_ranges_that_cannot_be_turned_are_refused(engine: Evaluator) -> None:
    assert steps_of(0.1, 0.3, 0.1) == (0.1, 0.2, 0.3)
    assert steps_of(5, 14, 5) == (5, 10)
    for wrong in ((1, 0, 1), (0, 1, 0), (0, 1, -1), (0, float("nan"), 1), (0, 1000, 1), (0, 1, 1e-308), (0, 1e308, 1e-308)):
        with pytest.raises(ValueError):
            steps_of(*wrong)
    for grid in ({}, {"fast": ()}, {"a": (1.0,), "b": (1.0,), "c": (1.0,)}, {"fast": tuple(range(30)), "floor": tuple(range(30))}):
        with pytest.raises(ValueError):
            swept(engine, grid)


# -- one trade -------------------------------------------------------------------------------------------------------


def test_trades_are_the_events_of_the_study(engine: Evaluator) -> None:
    rule, settings = check_rule("close > sma(10)"), StudySettings(horizons=(1, 5), draws=50)
    found = study(engine, rule, settings)
    sample = found.samples[5]
    by_place = {int(found.positions[p]): i for i, p in enumerate(sample.place)}
    bars = engine.market.bars
    for e in found.events[::9]:
        one = trade(engine.market, rule, settings, e.symbol, e.day, 5)
        assert (one.entry_day, one.entry) == (e.entry_day, e.entry)
        assert one.value == (None if e.returns[5] is None else pytest.approx(e.returns[5]))
        if e.position in by_place:
            i = by_place[e.position]
            assert (one.baseline, one.favourable, one.adverse) == pytest.approx(
                (sample.baseline[i], sample.favourable[i], sample.adverse[i])
            )
            assert one.exit_day == (bars.days[e.position + 5] if one.state == "counted" else one.exit_day)
    with pytest.raises(LookupError):
        trade(engine.market, rule, settings, found.events[0].symbol, 1, 5)


def test_a_trade_by_hand() -> None:
    rule = check_rule(RULE)
    market = Market((WORKED,))
    day = int(WORKED.days[1])
    one = trade(market, rule, StudySettings(horizons=(2,), cost=0.001), "A", day, 2)
    # Bought at 12 at the open of day 3, sold at 11 at the close of day 4; both sides cost a tenth of a percent.
    assert (one.entry, one.exit, one.state) == (12, 11, "counted")
    assert one.value == pytest.approx(11 / 12 - 1 - 0.002)
    assert trade(market, rule, StudySettings(horizons=(60,)), "A", day, 60).state == "pending"
    last = trade(market, rule, StudySettings(horizons=(1,)), "B", int(WORKED.days[-1]), 1)
    assert (last.state, last.entry, last.value) == ("pending", None, None)


def test_a_session_from_open_to_close_by_hand() -> None:
    """Decided at the open of days 3 and 5 (after closes of 12 and 9): bought at 12.5 and 9.5, sold at that day's close, 13 and 9."""
    bars = build_bars({"X": table([10, 11, 12.5, 13, 9.5, 9], [10, 12, 13, 9, 9, 9.5])})
    text = "decide: open\nopen > 1.03 * close 1 ago"
    found = study(Evaluator(Market((bars,))), check_rule(text), StudySettings(horizons=(1,), cost=0.0, repeats="every", draws=50))
    assert [e.entry for e in found.events] == [11, 12.5, 9.5]
    figures = found.horizons[0]
    returns = [12 / 11 - 1, 13 / 12.5 - 1, 9 / 9.5 - 1]
    assert figures.mean == pytest.approx(sum(returns) / 3)
    assert figures.win_rate == pytest.approx(2 / 3)
    assert figures.average_win == pytest.approx((returns[0] + returns[1]) / 2)
    assert figures.average_loss == pytest.approx(returns[2])
    assert figures.small_sample


def test_a_200_day_average_and_a_40_week_average_stay_close() -> None:
    """Common practice: forty weeks are two hundred days; the two averages of one name differ little."""
    engine = Evaluator(made.market(seed=3, count=4, length=900))
    check = check_rule("sma(200) near on(week, sma(40)) by 3%").lines[0].op
    truth = pd.Series(engine.column(check))
    assert (truth[truth != 1] == 2).mean() > 0.9
