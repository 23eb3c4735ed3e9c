"""What must hold of every book: no look-ahead, accounts that balance, a study's return, and figures by their definitions."""

import math
import re
from dataclasses import replace
from datetime import date

import numpy as np
import pytest

from tests.core.books import RULES, checked, cut, random_book, ready, small_market
from tests.made import inner_market
from tests.made import market as made_market
from upperwick.books.services import STARTERS as BOOKS
from upperwick.rules.naming import name_in
from upperwick.rules.services import STARTERS as RULE_FILES
from wickcore.bars.bars import build_bars
from wickcore.book.figures import curve_of, falls_of, figures, months, wholes, worst_falls
from wickcore.book.loss_sizes import sizes
from wickcore.book.luck import luck
from wickcore.book.overfit import deflated, expected_best, overfitting
from wickcore.book.paths import annual, path_ends
from wickcore.book.prepare import Span, prepare
from wickcore.book.run import Trade, called, run
from wickcore.book.settings import BookChoice
from wickcore.book.simulation import Trial
from wickcore.book.sweep import turn, walk
from wickcore.book.trade_levels import levels, why
from wickcore.book.whatif import what_if
from wickcore.language.book_check import check_book
from wickcore.scan.evaluate import Evaluator
from wickcore.study.event import trade as study_trade
from wickcore.study.settings import StudySettings

STARTER_RULES = {name_in(p.read_text()): p.read_text() for p in RULE_FILES.rglob("*.rule")}
STARTER_BOOKS = {p.stem: p.read_text() for p in sorted(BOOKS.glob("*.book"))}


# -- no look-ahead --------------------------------------------------------------------------------------------------------


@pytest.mark.parametrize("seed", range(60))
def test_what_comes_later_changes_nothing_before(seed: int) -> None:
    market, book = small_market(seed), checked(random_book(seed))
    whole = run(ready(market, book))
    for place in (12, 25, 38):
        day = int(market.bars.sessions[place])
        part = run(ready(cut(market, day), book))
        size = min(len(part.equity), place + 1)
        np.testing.assert_array_equal(part.equity[:size], whole.equity[:size])
        ended, known = ([_anywhere(x) for x in found.trades if not x.open and x.exit_day <= day] for found in (part, whole))
        assert ended == known, random_book(seed)


@pytest.mark.parametrize("seed", range(0, 240, 4))
def test_the_order_of_lines_and_of_instruments_changes_nothing(seed: int) -> None:
    """Exits, stops and targets are known by what they say: moved about in the text they trade the same, and name the same exits."""
    market, text = small_market(seed), random_book(seed)
    statements = re.split(r"\n(?! )", text)
    ways = [s for s in statements if re.match(r"exit|stop|follow|target", s)]
    other = "\n".join([*(s for s in statements if s not in ways), *reversed(ways)])
    bars = market.bars
    fields = ("days", "open", "high", "low", "close", "volume", "factor")
    tables = {s: {f: getattr(bars, f)[bars.offsets[k] : bars.offsets[k + 1]] for f in fields} for k, s in enumerate(bars.symbols)}
    laid = replace(market, tables=(build_bars(dict(reversed(tables.items()))),))
    first, second = run(ready(market, checked(text))), run(ready(laid, checked(other)))
    assert [replace(x, lines=()) for x in first.trades] == [replace(x, lines=()) for x in second.trades]
    assert [why(first.prepared, x) for x in first.trades] == [why(second.prepared, x) for x in second.trades]


@pytest.mark.parametrize("seed", range(1, 240, 4))
def test_the_figures_of_a_trade_follow_from_its_fills_and_bars(seed: int) -> None:
    found = run(ready(small_market(seed), checked(random_book(seed))))
    bars = found.prepared.bars
    for x in found.trades:
        side, split = (1 if x.side == "long" else -1), bars.factor
        rows = range(x.entry_row, x.exit_row + 1)
        met = [p * split[r] for r in rows for p in (bars.low[r], bars.high[r])] + [
            x.entry * split[x.entry_row],
            x.exit * split[x.exit_row],
        ]
        ways = [side * (p / (x.entry * split[x.entry_row]) - 1) for p in met]
        out = side * (x.exit * split[x.exit_row] / (x.entry * split[x.entry_row]) - 1)
        assert min(ways) - 1e-9 <= x.worst <= min(out, 0) + 1e-9
        assert max(out, 0) - 1e-9 <= x.best <= max(ways) + 0.02  # a market price beside the fill that slipped from it
        assert x.gain == pytest.approx(x.result / (x.shares * x.entry))
        assert x.bars_held == x.exit_row - x.entry_row
        if x.gain_r is not None and x.stop is not None:
            assert x.gain_r == pytest.approx(x.result / (x.shares * side * (x.entry - x.stop)))
        if x.reason in ("stop", "follow"):
            assert x.worst <= out + 1e-9


def _anywhere(x: Trade) -> Trade:
    """A trade without the numbers of its bars, which are others in a shorter table."""
    return replace(x, signal_row=0, entry_row=0, exit_row=0)


# -- accounts -------------------------------------------------------------------------------------------------------------


@pytest.fixture(scope="module")
def wide() -> Evaluator:
    return Evaluator(made_market(3, count=24, length=700), threads=2)


@pytest.mark.parametrize("name", STARTER_BOOKS)
def test_the_accounts_of_a_starter_book_balance_every_day(name: str, wide: Evaluator) -> None:
    text = "\n".join(line for line in STARTER_BOOKS[name].split("\n") if not line.startswith("universe:"))
    book = check_book(text, STARTER_RULES, universe="")
    assert not book.advice
    assert book.about
    market = wide.market
    found = run(prepare(wide, book, Span(), lambda universe: None))
    bars, tape = market.bars, found.prepared.tape
    # Each day's positions by hand, from the trades alone: shares as bought, grown by what came between, at that day's last close.
    value = np.zeros(len(found.equity))
    for x in found.trades:
        side, k = (1 if x.side == "long" else -1), bars.number[x.symbol]
        rows = np.arange(bars.offsets[k], bars.offsets[k + 1])
        mult = np.ones(len(rows))
        for row, shares in zip(tape.act_row.tolist(), tape.act_shares.tolist(), strict=True):
            if x.entry_row < row < bars.offsets[k + 1]:
                mult[row - bars.offsets[k] :] *= shares
        begin = int(np.searchsorted(found.days, x.entry_day))
        end = int(np.searchsorted(found.days, x.exit_day)) + (1 if x.open else 0)
        for t in range(begin, end):
            at = int(np.searchsorted(bars.days[rows], found.days[t], "right")) - 1
            value[t] += side * x.shares * mult[at] * bars.close[rows[at]]
    np.testing.assert_allclose(found.cash + value, found.equity, rtol=1e-9)
    total = book.start + sum(x.result for x in found.trades) + found.interest - found.borrow
    assert total == pytest.approx(found.equity[-1], rel=1e-9)
    for x in found.trades[:40]:
        bars_of = levels(found.prepared, x)
        assert why(found.prepared, x)
        for bar in bars_of[:-1]:  # until its last bar nothing that rests was met
            low, high = float(bars.low[bar.row]), float(bars.high[bar.row])
            resting = [level for level in (bar.stop, bar.follow) if level is not None]
            if resting and x.side == "long":
                assert low > max(resting) or bar.row == x.entry_row
            elif resting:
                assert high < min(resting) or bar.row == x.entry_row


def test_a_study_and_a_book_of_the_same_hit_agree() -> None:
    market = made_market(5, count=6, length=200)
    evaluator = Evaluator(market, threads=1)
    text = 'fractions: yes\nslots: 500\ngross: 1000%\ncost: 0.1%\nslip: 0%\nenter "Up"\nexit at close when bars_held >= 4'
    book = check_book(text, RULES)
    found = run(prepare(evaluator, book, Span(), market.members))
    rule, settings_ = book.enters[0].rule, StudySettings(cost=0.0, horizons=(5,))
    compared = 0
    for x in found.trades:
        if x.reason != "exit" or x.dividends:
            continue
        hit = study_trade(market, rule, settings_, x.symbol, x.signal_day, 5)
        assert hit.value is not None
        gross = x.gain + x.costs / (x.shares * x.entry)
        assert gross == pytest.approx(hit.value, rel=1e-12, abs=1e-12)
        assert (hit.entry_day, hit.exit_day) == (x.entry_day, x.exit_day)
        compared += 1
    assert compared > 100


# -- figures by their definitions -----------------------------------------------------------------------------------------


def test_figures_of_a_curve_worked_by_hand() -> None:
    days = np.array([date(2020, m, 1).toordinal() - date(1970, 1, 1).toordinal() for m in (1, 2, 3, 4)], np.int32)
    money = np.array([110.0, 99.0, 108.9, 121.0])
    curve = curve_of(days, money, 100.0)
    assert curve.total == pytest.approx(0.21)
    # 1 January to 1 April of a leap year are 91 days: less than a year is not annualised (common practice).
    assert (curve.annual, curve.sharpe, curve.sortino, curve.mar, curve.rate) == (None, None, None, None, curve.total)
    short, epoch = days, date(1970, 1, 1).toordinal()
    months_of = ((2020, 1), (2020, 7), (2021, 1), (2021, 7))
    days = np.array([date(y, m, 1).toordinal() - epoch for y, m in months_of], np.int32)
    curve = curve_of(days, money, 100.0)
    assert curve.annual == pytest.approx(1.21 ** (365.25 / 547) - 1)  # 1 January 2020 to 1 July 2021: 547 days
    assert curve.worst_fall == pytest.approx(-0.1)
    r = np.array([0.1, -0.1, 0.1, 121 / 108.9 - 1])
    assert curve.sharpe == pytest.approx(r.mean() / r.std(ddof=1) * math.sqrt(252))
    assert curve.sortino == pytest.approx(r.mean() / math.sqrt(0.1**2 / 4) * math.sqrt(252))
    assert curve.mar == pytest.approx(curve.annual / 0.1)
    (fall,) = worst_falls(days, money, 100.0)
    assert (fall.began, fall.bottom, fall.recovered, fall.days) == ("2020-01-01", "2020-07-01", "2021-07-01", 547)
    np.testing.assert_allclose(falls_of(days, money, 100.0), [0, -0.1, -0.01, 0])
    (year,) = months(short, money, 100.0)
    assert year["months"][:4] == pytest.approx([0.1, -0.1, 0.1, 121 / 108.9 - 1])
    assert year["whole"] == pytest.approx(0.21)


def test_a_position_is_all_its_parts() -> None:
    market, book = (
        small_market(11),
        checked('slots: 2\nenter "Up"\nstop: entry - 1\ntarget: entry + 0.5, half\nexit when bars_held >= 3'),
    )
    found = run(ready(market, book))
    made, _ = figures(found)
    parts = [x for x in found.trades if not x.open]
    assert made.trades == len({x.number for x in parts} - {x.number for x in found.trades if x.open})
    by_number: dict[int, float] = {}
    for x in found.trades:
        by_number[x.number] = by_number.get(x.number, 0.0) + x.result
    ended = wholes(found.trades)
    assert all(w.result == pytest.approx(by_number[w.number]) for w in ended)
    won = [w for w in ended if w.result > 0]
    assert made.win_rate == pytest.approx(len(won) / len(ended))
    assert made.win_rate_low is not None
    assert made.win_rate_low <= made.win_rate <= (made.win_rate_high or 0)


def test_a_stop_of_30_percent_costs_six_or_three_of_the_account() -> None:
    (row,) = sizes((0.3,), (5, 10))
    assert row.shares == pytest.approx((0.06, 0.03))  # common practice


def test_paths_are_the_days_in_another_order() -> None:
    returns = np.tile([0.01, -0.005, 0.002], 40)
    growth, fall, least = path_ends(returns, 5, 1)
    from wickcore.book.paths import draws_of

    draws = draws_of(120, 5, 1)
    for i in (0, 500, 999):
        money = np.cumprod(1 + returns[draws[i]])
        assert growth[i] == pytest.approx(money[-1])
        peak = np.maximum.accumulate(np.maximum(money, 1.0))
        assert fall[i] == pytest.approx((money / peak - 1).min())
        assert least[i] == pytest.approx(min(1.0, money.min()))
    assert annual(1.1, 365.25) == pytest.approx(0.1)


# -- what is left of the best of many -------------------------------------------------------------------------------------


def test_the_deflated_sharpe_ratio_is_that_of_its_paper() -> None:
    """D. H. Bailey and M. López de Prado, "The Deflated Sharpe Ratio" (2014), the numerical example; its values from memory: five
    years of daily
    returns, an annual ratio of 2.5, skewness −3, kurtosis 10, 100 trials whose annual ratios vary by one half: the best of them by
    luck 0.1132 a
    day, the deflated ratio 0.9004; of 46 trials 0.9505."""
    spread = math.sqrt(0.5 / 250)
    assert expected_best(spread, 100) == pytest.approx(0.1132, abs=5e-5)
    assert deflated(2.5 / math.sqrt(250), 1250, -3, 10, spread, 100) == pytest.approx(0.9004, abs=1e-3)
    assert deflated(2.5 / math.sqrt(250), 1250, -3, 10, spread, 46) == pytest.approx(0.9505, abs=1.5e-3)


def test_the_best_by_luck_is_what_drawing_shows() -> None:
    rng = np.random.default_rng(4)
    assert expected_best(1.0, 50) == pytest.approx(rng.normal(size=(20_000, 50)).max(axis=1).mean(), rel=0.02)


def test_the_probability_of_overfitting_by_direct_computation() -> None:
    """Against the definition of Bailey, Borwein, López de Prado and Zhu (2017), written out with whole columns of returns."""
    import itertools

    rng = np.random.default_rng(1)
    returns = rng.normal(0, 0.01, (240, 7))
    edges = np.linspace(0, 240, 7).astype(int)
    parts = [returns[a:b] for a, b in itertools.pairwise(edges)]
    bad = ways = 0
    for chosen in itertools.combinations(range(6), 3):
        inside = np.concatenate([parts[i] for i in chosen])
        outside = np.concatenate([parts[i] for i in range(6) if i not in chosen])
        best = int(np.argmax(inside.mean(axis=0) / inside.std(axis=0)))
        ratios = outside.mean(axis=0) / outside.std(axis=0)
        rank = (ratios <= ratios[best]).sum() / 8
        bad += math.log(rank / (1 - rank)) <= 0
        ways += 1
    assert overfitting(returns, blocks=6) == pytest.approx(bad / ways)
    # One setting that is truly better is found again on the other half.
    better = returns.copy()
    better[:, 2] += 0.02
    assert overfitting(better) == 0.0


# -- what else is asked of a run ------------------------------------------------------------------------------------------


def trial_of(text: str, seed: int = 2) -> Trial:
    market = made_market(seed, count=12, length=1500, splits=False)
    evaluator = Evaluator(market, threads=1)
    return Trial(
        evaluator,
        lambda dials: check_book(text, RULES, dials),
        lambda universe, table: market.members(universe, table),
        BookChoice(),
    )


TEXT = """slots: 3
rank: -close
cost: 0.1%
dial far = 3 from 2 to 4 step 1
enter "Strong"
enter "Dip"
stop: entry * 90%
follow: best - far * atr(10)
"""


def test_random_picks_are_runs_of_the_same_book() -> None:
    trial = trial_of(TEXT)
    own = trial.run()
    found = luck(own.prepared, own, 40)
    assert found.low <= found.median <= found.high
    assert found.below == pytest.approx(np.mean(np.array(found.annual) < found.own))
    assert len(set(found.annual)) > 30
    again = luck(own.prepared, own, 40)
    assert again == found  # one seed, one answer


def test_one_thing_otherwise_is_what_it_says() -> None:
    trial = trial_of(TEXT)
    own = trial.run()
    rows = {v.label: v for v in what_if(trial, own)}
    dearer = rows["twice the costs and slippage"]
    assert dearer.difference is not None
    assert dearer.difference < 0
    assert rows["without “Strong”"].curve is not None
    alone = trial_of(TEXT.replace('enter "Strong"\n', "")).run()
    days, equity = alone.daily
    assert rows["without “Strong”"].curve.annual == pytest.approx(curve_of(days, equity, 100_000).annual)
    best = rows["without its best 5 trades"]
    assert best.trades > 0


def test_a_sweep_runs_each_setting_and_walking_forward_begins_empty() -> None:
    trial = trial_of(TEXT)
    grid = {"far": (2.0, 3.0, 4.0), "slots": (2.0, 4.0)}
    turned, table = turn(trial, grid)
    assert [c.values for c in turned.cells][:3] == [(2.0, 2.0), (2.0, 4.0), (3.0, 2.0)]
    one = run(trial.prepared(trial.make({"far": 3.0, "slots": 4.0})))
    days, equity = one.daily
    assert turned.cells[3].annual == pytest.approx(curve_of(days, equity, 100_000).annual)
    walked = walk(trial, table, ("far", "slots"), train=2, traded=1)
    assert len(walked.stretches) >= 3
    first = walked.stretches[0]
    alone = run(trial.prepared(trial.make(dict(zip(("far", "slots"), first.values, strict=True))),
                               first=_day(first.first), last=_day(first.last)))  # fmt: skip
    assert first.made == pytest.approx(float(alone.equity[-1]) / 100_000 - 1)
    assert walked.walked.total == pytest.approx(np.prod([1 + s.made for s in walked.stretches]) - 1)
    with pytest.raises(ValueError, match="more than 20 years"):
        walk(trial, table, ("far", "slots"), train=20)


def _day(said: str) -> int:
    return date.fromisoformat(said).toordinal() - date(1970, 1, 1).toordinal()


# -- frames ---------------------------------------------------------------------------------------------------------------


def test_a_book_on_bars_within_the_day_decides_at_their_closes() -> None:
    market = inner_market(9, count=3, length=70, inner=9)
    evaluator = Evaluator(market, threads=1)
    rules = {"Early": "bars: 65min\nclose > open"}
    book = check_book('slots: 2\nfractions: yes\nenter "Early"\nstop: entry - atr(3)\nexit when bars_held >= 2', rules, base="5min")
    assert book.frame == "65min"
    found = run(prepare(evaluator, book, Span(), lambda universe: None))
    bars = found.prepared.bars
    assert bars.frame == "5min"
    assert len(found.trades) > 5
    for x in found.trades:
        # A 65-minute bar ends with its thirteenth five-minute bar: signals come there, and the entry is the next bar's open.
        assert (int(bars.minute[x.signal_row]) + 5 - market.table("5min").calendar.opens) % 65 == 0
        assert x.entry_row == x.signal_row + 1
        assert x.entry == pytest.approx(bars.open[x.entry_row])
        # Bars are counted in the book's own: thirteen of five minutes are one.
        opens = market.table("5min").calendar.opens
        where = [int(bars.session[row]) * 2 + (int(bars.minute[row]) - opens) // 65 for row in (x.entry_row, x.exit_row)]
        assert x.bars_held <= where[1] - where[0]
        assert x.bars_held >= where[1] - where[0] - 4  # bars that the instrument lacks are not counted
        day = str(np.datetime64(int(bars.days[x.entry_row]), "D"))
        assert called(found.prepared, x.entry_row) in (f"{day}T09:30", f"{day}T10:35")
    assert max(x.bars_held for x in found.trades) <= 4
    total = book.start + sum(x.result for x in found.trades)
    assert total == pytest.approx(found.equity[-1])
    assert len(found.daily[0]) == len(set(found.days.tolist()))


def test_a_weekly_book_decides_at_the_week_s_end() -> None:
    market = made_market(3, count=4, length=200, splits=False)
    book = check_book('slots: 2\nenter "Weekly"\nstop: entry * 90%\nexit when bars_held >= 2', RULES)
    found = run(prepare(Evaluator(market, threads=1), book, Span(), market.members))
    assert found.trades
    assert {np.datetime64(x.signal_day, "D").astype(object).weekday() for x in found.trades} <= {3, 4}
