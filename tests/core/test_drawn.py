"""Lines that a person draws: straight on a log scale, touches counted by hand."""

import numpy as np
import pytest

from wickcore.measures.drawn import drawn_line, drawn_range, line_at


def test_a_line_grows_by_equal_ratios() -> None:
    flat = np.full(6, 50.0)
    found = drawn_line(((1, 10.0), (3, 40.0)), flat, flat, flat, np.ones(6))
    assert np.isnan(found.values[0])
    assert found.values[1:].tolist() == pytest.approx([10, 20, 40, 80, 160])  # doubles each bar


def test_a_line_beyond_the_bars_there_are() -> None:
    assert line_at(((3, 40.0), (1, 10.0)), np.array([0, 2, 7])).tolist()[1:] == pytest.approx([20, 640])
    assert np.isnan(line_at(((3, 40.0), (1, 10.0)), [0])).all()


def test_the_order_of_the_points_does_not_matter() -> None:
    flat = np.full(5, 50.0)
    one, other = (drawn_line(p, flat, flat, flat, np.ones(5)) for p in (((0, 10.0), (4, 20.0)), ((4, 20.0), (0, 10.0))))
    np.testing.assert_array_equal(one.values, other.values)


def test_touches_of_a_support_are_lows_within_a_quarter_of_the_range() -> None:
    """A level at 100, ATR 4: lows within 1 of it touch. Bars 0, 4 and 5 (one touch: neighbours), 8 just misses, 11 touches from below."""
    low = np.array([100.5, 103, 104, 103, 100.9, 99.2, 103, 104, 98.9, 103, 104, 99.0, 105])
    close, high, atr = low + 3, low + 5, np.full(13, 4.0)
    found = drawn_line(((0, 100.0), (0, 100.0)), high, low, close, atr)
    assert found.below
    assert found.touches.tolist() == [0, 4, 11]


def test_a_resistance_is_touched_by_highs() -> None:
    high = np.array([100, 97, 96, 95, 99.5, 96, 95, 94])
    found = drawn_line(((0, 100.0), (0, 100.0)), high, high - 4, high - 2, np.full(8, 4.0))
    assert not found.below
    assert found.touches.tolist() == [0, 4]


def test_the_line_and_its_touches_do_not_see_later_bars() -> None:
    rng = np.random.default_rng(4)
    close = 50 * np.exp(np.cumsum(rng.normal(0, 0.02, 200)))
    high, low, atr = close * 1.01, close * 0.99, close * 0.02
    points = ((20, low[20]), (60, low[60]))
    whole = drawn_line(points, high, low, close, atr)
    cut = drawn_line(points, high[:120], low[:120], close[:120], atr[:120])
    np.testing.assert_array_equal(cut.values, whole.values[:120])
    if cut.below == whole.below:  # which side is looked at is decided on the bars there are
        assert cut.touches.tolist() == [t for t in whole.touches if t < 120]


def test_a_line_too_steep_to_follow_is_not_followed_into_infinity() -> None:
    flat = np.full(400, 50.0)
    found = drawn_line(((0, 1.0), (1, 10.0)), flat, flat, flat, np.ones(400))
    assert found.values[2] == pytest.approx(100)
    assert np.isnan(found.values[-1])
    assert not np.any(np.isinf(found.values))


def test_a_range_tells_how_far_and_how_long() -> None:
    assert drawn_range(((3, 50.0), (8, 60.0))).change == pytest.approx(0.2)  # 50 and a fifth of it are 60
    assert drawn_range(((8, 60.0), (3, 45.0))) == drawn_range(((3, 60.0), (8, 45.0)))
    assert drawn_range(((8, 60.0), (3, 45.0))).bars == 5
