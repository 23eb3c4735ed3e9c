"""Plans: worked examples by hand, proposals against the bars they come from, what speaks against them."""

import numpy as np
import pandas as pd
import pytest

from tests import made
from tests.core.test_laws import cut_market
from wickcore.bars.bars import build_bars
from wickcore.bars.market import Market
from wickcore.book.loss_sizes import sizes
from wickcore.language.check import check_expression
from wickcore.language.problems import RuleError
from wickcore.plan.levels import (
    Account,
    Facts,
    before_entry,
    choices,
    correlations,
    further_target,
    nearest_level,
    propose,
    resized,
    sized,
    warnings,
)
from wickcore.scan.evaluate import Evaluator

ACCOUNT = Account(100_000)


@pytest.fixture(scope="module")
def engine() -> Evaluator:
    return Evaluator(made.market(seed=5, count=5, length=200))


def test_worked_examples() -> None:
    """Common practice, by hand: 1% of 100,000 is 1,000; entry 50 and stop 46 lose 4 a share: 250 shares, 12,500, an eighth of the account."""
    found = sized(ACCOUNT, "long", 50, 46, [58], None)
    assert (found.shares, found.limit, found.money, found.lost) == (250, "risk", 12_500, 1_000)
    assert (found.share, found.lost_share, found.rs) == (0.125, 0.01, (2.0,))
    # A stop of 30% costs 6% of the account with five equal positions and 3% with ten.
    (row,) = sizes([0.3], [5, 10])
    assert row.shares == (pytest.approx(0.06), pytest.approx(0.03))
    # A short risks upwards.
    short = sized(ACCOUNT, "short", 50, 52, [44, 40], None)
    assert (short.shares, short.lost, short.rs) == (500, 1_000, (3.0, 5.0))


def test_the_account_and_the_days_money_cap_a_size() -> None:
    near = sized(ACCOUNT, "long", 50, 49.9, [], None)  # 10,000 shares by risk, 500 by a quarter of the account
    assert (near.shares, near.limit, near.rs) == (500, "account", ())
    thin = sized(ACCOUNT, "long", 50, 46, [], 200_000)  # 1% of a day's money is 2,000
    assert (thin.shares, thin.limit, thin.of_day) == (40, "liquidity", 0.01)
    assert sized(Account(1_000), "long", 500, 400, [], None).shares == 0
    by_hand = resized(thin, ACCOUNT, "long", 50, 46, 100, 200_000)
    assert (by_hand.shares, by_hand.lost, by_hand.of_day, by_hand.limit) == (100, 400, 0.025, "hand")
    for side, stop in (("long", 51), ("short", 49), ("long", 50)):
        with pytest.raises(ValueError, match="lies"):
            sized(ACCOUNT, side, 50, stop, [], None)  # type: ignore[arg-type]


@pytest.mark.parametrize("side", ["long", "short"])
def test_a_proposal_comes_from_the_bars_up_to_that_day_and_no_later(engine: Evaluator, side: str) -> None:
    bars = engine.bars
    for symbol in bars.symbols:
        k = bars.number[symbol]
        for day in bars.days[bars.offsets[k] + 30 : bars.offsets[k + 1] : 23].tolist():
            found = propose(engine, symbol, day, side)  # type: ignore[arg-type]
            assert found == propose(Evaluator(cut_market(engine.market, day)), symbol, day, side)  # type: ignore[arg-type]
            assert found is not None
            end = int(bars.ends(day)[k])
            up = 1 if side == "long" else -1
            extreme = float(bars.high[end - 1] if up > 0 else bars.low[end - 1])
            assert found.entry == round(extreme + up * 0.01, 2)
            assert (found.entry - found.stop) * up > 0
            assert found.target is None or (found.target - found.entry) * up > 0
            assert found.close == bars.close[end - 1]


def test_an_instrument_without_bars_or_range_has_no_plan(engine: Evaluator) -> None:
    first = int(engine.bars.sessions[0])
    assert all(propose(engine, s, first - 1) is None for s in engine.bars.symbols)
    flat = {"days": made.weekdays(40), **{n: np.full(40, 10.0) for n in ("open", "high", "low", "close")}, "volume": np.ones(40)}
    assert propose(Evaluator(Market((build_bars({"X": flat}),))), "X", int(flat["days"][-1])) is None


def test_a_level_is_where_prices_turned_three_times() -> None:
    base = np.full(60, 10.0)
    high = base + 0.1
    for at, top in ((10, 14.0), (25, 14.2), (40, 13.9), (50, 12.0)):
        high[at] = top
    found = nearest_level(high, base - 0.1, 10.5, 1.0, 1)
    assert found == (pytest.approx((14.0 + 14.2 + 13.9) / 3), 3)
    assert nearest_level(high, base - 0.1, 10.5, 0.2, 1) is None  # within a tenth of a point of one another they are not three
    assert nearest_level(high, base - 0.1, 14.5, 1.0, 1) is None
    low = 20 - high
    mirrored = nearest_level(20 - (base - 0.1), low, 9.5, 1.0, -1)
    assert mirrored == (pytest.approx(20 - (14.0 + 14.2 + 13.9) / 3), 3)


def test_what_speaks_against_a_plan_is_said() -> None:
    good = sized(ACCOUNT, "long", 50, 46, [58], None)
    assert warnings(ACCOUNT, "long", 50, 46, good, 2.0, Facts(ends_in=5, to_report=9)) == []
    tight = sized(ACCOUNT, "long", 50, 49.5, [50.6], None)
    facts = Facts(3, (0.04, -0.021), 5, "Metals", 0.41, 0.072, (0.83, "ISTYAR"))
    said = warnings(ACCOUNT, "long", 50, 49.5, tight, 2.0, facts)
    assert said == [
        "The stop is 0.2 ATR away: the noise of a day reaches it.",
        "The target is 1.2 R away, under 1.5.",
        "It reports in 3 days, before the plan ends; after the last reports it opened +4.0%, −2.1%.",
        "With it 41% of the account would lie in Metals, over 30%.",
        "All open risk would be 7.2% of the account, over 6.0%.",
        "It moves with ISTYAR: a correlation of 0.83 over 63 sessions.",
    ]
    far = sized(ACCOUNT, "long", 50, 40, [80], None)
    assert warnings(ACCOUNT, "long", 50, 40, far, 2.0, Facts()) == ["The stop is 5.0 ATR away: far for what a day moves."]
    none = sized(Account(100), "long", 500, 400, [900], None)
    assert warnings(Account(100), "long", 500, 400, none, 50, Facts())[-1].startswith("Not one share fits")


def test_correlations_equal_pandas(engine: Evaluator) -> None:
    bars = engine.bars
    day = int(bars.sessions[-10])
    found = correlations(engine, bars.symbols, day)
    columns = {}
    for symbol in bars.symbols:
        k = bars.number[symbol]
        part = slice(int(bars.offsets[k]), int(bars.offsets[k + 1]))
        columns[symbol] = pd.Series(bars.close[part] * bars.factor[part], index=bars.days[part])
    frame = pd.DataFrame(columns).reindex(bars.sessions[bars.sessions <= day]).iloc[-64:]
    expected = frame.pct_change(fill_method=None).corr(min_periods=20)
    np.testing.assert_allclose(found, expected.to_numpy(), atol=1e-10)
    assert (~np.isnan(found)).sum() > 8


def test_a_little_before_the_entry_and_as_far_again() -> None:
    assert before_entry("long", 50, 2) == 49.6
    assert before_entry("short", 50, 2) == 50.4
    assert further_target(50, 46, []) == 58  # twice the risk of 4
    assert further_target(50, 46, [58]) == 66
    assert further_target(50, 54, [44, 40]) == 30


@pytest.mark.parametrize("side", ["long", "short"])
def test_other_places_are_those_of_forming_patterns_and_lie_on_the_right_side(side: str, engine: Evaluator) -> None:
    """Against the language: a pattern's target, trigger and the price at which it is void are its own `.target`, `.trigger` and `.invalid`."""
    sign, of_patterns = 1 if side == "long" else -1, 0
    bars = engine.bars
    for symbol in bars.symbols:
        k = bars.number[symbol]
        begin, end = int(bars.offsets[k]), int(bars.offsets[k + 1])
        for row in range(begin + 60, end, 7):
            proposal = propose(engine, symbol, int(bars.days[row]), side)  # type: ignore[arg-type]
            if proposal is None:
                continue
            for one in choices(engine, symbol, int(bars.days[row]), proposal):
                if one.level != "entry":
                    assert (one.price - proposal.entry) * sign * (1 if one.level == "target" else -1) > 0
                name = one.why.removeprefix("the measured move of the ").replace(" ", "_")
                if name == one.why.replace(" ", "_"):
                    continue
                of_patterns += 1
                asked = [f"{name}.target", f"{name}(breaks=down).target"]
                found = []
                for text in asked:
                    for nth in (1, 2, 3, 4):
                        said = (
                            text.replace("(breaks=down)", f"(breaks=down, nth={nth})")
                            if "(" in text
                            else text.replace(".target", f"(nth={nth}).target")
                        )
                        try:
                            (column,) = engine.rows([check_expression(said).op], symbol)
                        except RuleError:
                            continue
                        found.append(float(column[row - begin]) / float(bars.factor[row]))
                assert any(abs(level - one.price) <= 0.00501 for level in found), (symbol, row, one, found)
    assert of_patterns > 0
