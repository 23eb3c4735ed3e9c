"""Worked tables of the handbooks, figure by figure."""

import numpy as np
import pytest

from tests import made
from wickcore.bars.market import Market
from wickcore.language.check import check_expression
from wickcore.scan.evaluate import Evaluator

# A series of closes for a 14-bar RSI worked out in a spreadsheet from Wilder's definition: first average the plain mean of 14
# changes, then (13 * previous + now) / 14. (The table is common in teaching; its values here are from memory and were worked
# again by hand for the first two rows below.)
CLOSES = [44.34, 44.09, 44.15, 43.61, 44.33, 44.83, 45.10, 45.42, 45.84, 46.08, 45.89, 46.03, 45.61, 46.28, 46.28, 46.00, 46.03,
          46.41, 46.22, 45.64, 46.21, 46.25, 45.71, 46.45, 45.78, 45.35, 44.03, 44.18, 44.22, 44.57, 43.42, 42.66, 43.13]  # fmt: skip
RSI = [
    70.46,
    66.25,
    66.48,
    69.35,
    66.29,
    57.92,
    62.88,
    63.21,
    56.01,
    62.34,
    54.67,
    50.39,
    40.02,
    41.49,
    41.90,
    45.50,
    37.32,
    33.09,
    37.79,
]


def test_rsi_of_the_worked_table() -> None:
    engine = Evaluator(Market((made.one(CLOSES),)))
    ours = engine.rows([check_expression("rsi(14)").op], "A")[0]
    assert np.isnan(ours[:14]).all()
    np.testing.assert_allclose(ours[14:], RSI, atol=0.12)  # the table's closes are rounded to two places
    # By hand: 14 changes from 44.34 to 46.28 rise by 3.34 and fall by 1.40 in all; 100 * 3.34 / 4.74.
    assert ours[14] == pytest.approx(100 * 3.34 / 4.74, abs=1e-6)


def test_ema_by_hand() -> None:
    # n = 3, weight 1/2, seed mean(1, 2, 6) = 3; then 3 + (7 - 3) / 2 = 5; 5 + (3 - 5) / 2 = 4.
    engine = Evaluator(Market((made.one([1, 2, 6, 7, 3]),)))
    assert engine.rows([check_expression("ema(3)").op], "A")[0][2:].tolist() == [3, 5, 4]


def test_atr_by_hand() -> None:
    # True ranges: unknown, 3 (12 - 9), 4 (15 - 11), 5 (gap: 16 - 11 over the close before); n = 2: mean(3, 4) = 3.5; (3.5 + 5) / 2.
    bars = made.one([10, 11, 11, 15], high=[11, 12, 15, 16], low=[9, 9, 11, 14], open=[10, 10, 12, 15])
    ours = Evaluator(Market((bars,))).rows([check_expression("atr(2)").op], "A")[0]
    assert np.isnan(ours[:2]).all()
    assert ours[2:].tolist() == [3.5, 4.25]


def test_a_forty_week_average_stays_near_the_two_hundred_day_one() -> None:
    # Common practice: the two are taken for one another.
    rng = np.random.default_rng(12)
    from wickcore.bars.bars import build_bars

    engine = Evaluator(Market((build_bars({"A": made.walk(made.weekdays(1500), rng, spread=0.012)}),)))
    days, weeks = (engine.rows([check_expression(t).op], "A")[0] for t in ("sma(200)", "sma(40w)"))
    known = ~np.isnan(days) & ~np.isnan(weeks)
    assert known.sum() > 1200
    assert np.max(np.abs(weeks[known] / days[known] - 1)) < 0.02


def test_the_stop_of_a_trend_by_hand() -> None:
    """Every bar is 2 from low to high and moves by 1 at most: the true range is 2, and the lines lie 2 from the middle, which is the close."""
    middle = np.array([10, 10, 11, 12, 13, 12, 11, 10, 9, 10, 11, 12], float)
    bars = made.one(middle.tolist(), high=(middle + 1).tolist(), low=(middle - 1).tolist(), open=middle.tolist())
    engine = Evaluator(Market((bars,)))
    worked = {
        # Rises to 11 under the close of 13 and stays, until the close of 10 lies under it: the bar after begins anew at 9 - 2.
        "stop_below(2, 1)": [9, 10, 11, 11, 11, 11, 7, 8, 9, 10],
        "stop_above(2, 1)": [13, 13, 13, 13, 13, 12, 11, 11, 11, 11],
        "trend_side(2, 1)": [1, 1, 1, 1, 1, -1, -1, -1, -1, 1],
        "trend_stop(2, 1)": [9, 10, 11, 11, 11, 12, 11, 11, 11, 10],
        "stop_from_high(2, 1)": [10, 11, 12, 12, 11, 10, 9, 9, 10, 11],
    }
    for text, expected in worked.items():
        ours = engine.rows([check_expression(text).op], "A")[0]
        assert np.isnan(ours[:2]).all(), text
        assert ours[2:].tolist() == expected, text
