"""What a fill is, worked by hand: entries, exits, resting orders, costs, the way between."""

import math

import numpy as np
import pytest

from wickcore.trade.cost_rates import round_trip
from wickcore.trade.costs import net_return
from wickcore.trade.entries import NEXT_OPEN, SAME_OPEN, SIGNAL_CLOSE, entry_bar, entry_of, first_met, price_paid
from wickcore.trade.excursions import excursions
from wickcore.trade.exits import last_held
from wickcore.trade.orders import BUY, SELL, bracket_fill, limit_fill, stop_fill

OPEN, CLOSE = np.array([10.0, 11.0, 12.0]), np.array([10.5, 11.5, 12.5])
NONE = math.nan


@pytest.mark.parametrize(
    ("entry", "bar", "met", "paid", "left"),
    [(NEXT_OPEN, 2, 2, 12.0, 4), (SIGNAL_CLOSE, 1, 2, 11.5, 4), (SAME_OPEN, 1, 1, 11.0, 3)],
)
def test_a_signal_on_the_second_bar_held_for_three(entry: int, bar: int, met: int, paid: float, left: int) -> None:
    assert (entry_bar(1, entry), first_met(1, entry)) == (bar, met)
    assert price_paid(OPEN[bar], CLOSE[1], entry) == paid
    assert last_held(1, 3, entry) == left  # the entry bar at an open is the first of the three


def test_a_rule_that_decides_at_the_open_enters_there() -> None:
    assert [entry_of("close", "next-open"), entry_of("close", "signal-close")] == [NEXT_OPEN, SIGNAL_CLOSE]
    assert entry_of("open", "next-open") == entry_of("open", "signal-close") == SAME_OPEN


@pytest.mark.parametrize(
    ("side", "bar", "stop", "limit"),
    [
        # open, high, low, with an order at 50
        (BUY, (48, 51, 47), 50, 48),  # reached from below by a stop at its price; a limit buys at the lower open
        (BUY, (52, 53, 51), 52, NONE),  # opened above: the stop pays the open, the limit is not reached
        (BUY, (49, 49.9, 48), NONE, 49),
        (BUY, (51, 52, 50), 51, 50),  # just reached is reached
        (SELL, (52, 53, 49), 50, 52),
        (SELL, (47, 48, 46), 47, NONE),
        (SELL, (51, 52, 50.1), NONE, 51),
        (SELL, (49, 50, 48), 49, 50),
    ],
)
def test_a_resting_order_in_one_bar(side: int, bar: tuple[float, float, float], stop: float, limit: float) -> None:
    np.testing.assert_equal([stop_fill(*bar, 50.0, side), limit_fill(*bar, 50.0, side)], [stop, limit])


@pytest.mark.parametrize(
    ("side", "bar", "stop", "target", "fill", "stopped"),
    [
        (BUY, (50, 56, 44), 45, 55, 45, True),  # both touched: the worse is taken
        (BUY, (57, 58, 44), 45, 55, 57, False),  # opened beyond the target: that was filled before all else
        (BUY, (43, 56, 42), 45, 55, 43, True),
        (BUY, (50, 55, 46), 45, 55, 55, False),
        (BUY, (50, 54, 46), 45, 55, NONE, False),
        (BUY, (50, 54, 44), NONE, 55, NONE, False),
        (BUY, (50, 54, 44), 45, NONE, 45, True),
        (SELL, (50, 56, 44), 55, 45, 55, True),
        (SELL, (43, 56, 42), 55, 45, 43, False),
        (SELL, (50, 54, 45), 55, 45, 45, False),
    ],
)
def test_a_position_with_a_stop_and_a_target(
    side: int, bar: tuple[float, float, float], stop: float, target: float, fill: float, stopped: bool
) -> None:
    found, by_stop = bracket_fill(*(float(v) for v in bar), float(stop), float(target), side)
    np.testing.assert_equal(found, fill)
    assert by_stop is stopped


@pytest.mark.parametrize("seed", range(20))
def test_no_order_fills_outside_its_bar_or_better_than_the_bar_allows(seed: int) -> None:
    rng = np.random.default_rng(seed)
    for _ in range(200):
        low, high = sorted(rng.uniform(40, 60, 2))
        open_, price = rng.uniform(low, high), rng.uniform(35, 65)
        for side in (BUY, SELL):
            stop, limit = stop_fill(open_, high, low, price, side), limit_fill(open_, high, low, price, side)
            for filled in (stop, limit):
                assert math.isnan(filled) or low <= filled <= high
            assert math.isnan(stop) or (stop - price) * side >= 0  # a stop never fills better than its price
            assert math.isnan(limit) or (limit - price) * side <= 0  # a limit never worse
            assert stop_fill(-open_, -low, -high, -price, -side) == pytest.approx(-stop, nan_ok=True)  # mirrored


def test_costs_and_excursions() -> None:
    # In at 50, out at 55: a tenth, less 0.1% and 0.05% on each side.
    assert net_return(50.0, 55.0, 1, round_trip(0.001, 0.0005)) == pytest.approx(0.1 - 0.003)
    assert net_return(50.0, 55.0, -1, 0.0) == pytest.approx(-0.1)
    high, low = np.array([51.0, 54.0, 26.0]), np.array([49.0, 50.0, 24.0])
    factor = np.array([1.0, 1.0, 2.0])  # a split on the third bar
    assert excursions(high, low, factor, 0, 2, 50.0, 1) == pytest.approx((0.08, -0.04))
    assert excursions(high, low, factor, 0, 2, 50.0, -1) == pytest.approx((0.04, -0.08))
    assert excursions(high, low, factor, 1, 0, 50.0, 1) == (0.0, 0.0)  # no bar met yet
