"""Patterns of lines, rests and rounds by construction: shapes that satisfy each condition or just miss it."""

import math
from typing import Any

import numpy as np
import pytest

from tests import made
from tests.core.test_patterns import column, path
from wickcore.bars.bars import build_bars
from wickcore.bars.market import Market
from wickcore.language.check import check_expression
from wickcore.language.shapes import OPPOSITE, SHAPES
from wickcore.measures.frame import TRUE
from wickcore.scan.evaluate import Evaluator

EDGE = 1.001  # the bars of `engine` reach so far above and below their close
TWO_LINES = ["triangle_up", "triangle_down", "triangle", "wedge_falling", "wedge_rising", "channel_up", "channel_down", "base"]


def between(gain0: float, gain1: float, top: float = 100.0, bottom: float = 85.0) -> np.ndarray:
    """Closes that turn at an upper line on bars 20, 50 and 80 and at a lower one on bars 35, 65 and 95, the last low confirmed on bar 98."""
    highs = [(t, top * math.exp(gain0 * (t - 20))) for t in (20, 50, 80)]
    lows = [(t, bottom * math.exp(gain1 * (t - 35))) for t in (35, 65, 95)]
    last = top * math.exp(gain0 * 90)
    return path([(0, 92.0), *sorted(highs + lows), (125, last * 1.1)])


@pytest.mark.parametrize(
    ("gain0", "gain1", "names"),
    [
        (0.0, 0.0012, {"triangle_up"}),
        (-0.0012, 0.0, {"triangle_down"}),
        (-0.0007, 0.0007, {"triangle"}),
        (-0.0024, -0.0008, {"wedge_falling"}),
        (0.0008, 0.0024, {"wedge_rising"}),
        (0.001, 0.001, {"channel_up"}),
        (-0.001, -0.001, {"channel_down"}),
        (0.0, 0.0, {"base"}),
        (0.0008, -0.0008, set()),  # they part
        (-0.0002, 0.0, {"base"}),  # the upper moves by a twelfth of the width: flat
        (-0.0002, 0.0002, set()),  # so does the lower: no longer side by side, and not narrow enough for a triangle
        (-0.0005, 0.0002, {"triangle_down"}),  # the upper by a fifth: it falls
        (-0.0005, 0.0001, set()),  # and not narrow enough for a triangle
    ],
)
def test_the_slopes_of_two_lines_tell_the_shape(gain0: float, gain1: float, names: set[str]) -> None:
    """Of what is seen by all six turning points: of fewer, over a shorter time, a line may well have been flat."""
    close = between(gain0, gain1)

    def whole(name: str) -> bool:
        touches = sum(column(close, f"{name}.{line}.touches")[98] for line in ("upper", "lower"))
        return column(close, name)[98] == TRUE and touches == 6

    assert {name for name in TWO_LINES if whole(name)} == names


def test_the_parts_of_a_triangle() -> None:
    close = between(0.0, 0.0012)
    parts = {part: column(close, f"triangle_up.{part}") for part in SHAPES["triangle_up"].own}
    assert parts["upper.now"][98] == pytest.approx(100 * EDGE)
    assert parts["upper.slope"][98] == pytest.approx(0, abs=1e-9)
    assert parts["lower.now"][100] == pytest.approx(85 / EDGE * math.exp(0.0012 * 65))
    assert parts["lower.slope"][98] == pytest.approx(math.expm1(0.0012))
    assert (parts["upper.touches"][98], parts["lower.touches"][98]) == (3, 3)
    # The width where both lines stand is its height; what it asks for lies as far above the upper line.
    width = math.log(100 * EDGE / (85 / EDGE))
    assert column(close, "triangle_up.target")[98] == pytest.approx(100 * EDGE * (2 - math.exp(-width)))
    broke = int(np.argmax(close[98:] > 100 * EDGE)) + 98
    fresh = column(close, "close > triangle_up.upper.now and close 1 ago <= triangle_up.upper.now 1 ago")
    assert np.flatnonzero(fresh[98:] == TRUE).tolist() == [broke - 98]
    assert np.flatnonzero(column(close, "triggered(triangle_up, 3)")[98:] == TRUE).tolist() == [broke - 98 + i for i in range(3)]


def test_a_close_beyond_a_line_unmakes_it_and_a_wick_does_not() -> None:
    close = between(0.0, 0.0012)
    assert column(close, "triangle_up")[98] == TRUE
    broken = close.copy()
    broken[57] = 104.0
    assert column(broken, "triangle_up")[98] != TRUE
    table = {"days": made.weekdays(len(close)), "open": close, "close": close, "high": close * EDGE, "low": close / EDGE}
    table["high"][41] = 100.6  # no turning point: on its way down
    wick = Evaluator(Market((build_bars({"A": {**table, "volume": np.full(len(close), 1000.0)}}),)))
    assert wick.rows([check_expression("triangle_up").op], "A")[0][98] == TRUE


@pytest.mark.parametrize(("bottom", "there"), [(80.6, True), (79.5, False)])  # from line to line 24.3% and 26.0%
def test_a_base_is_shallow(bottom: float, there: bool) -> None:
    assert (column(between(0.0, 0.0, bottom=bottom), "base")[98] == TRUE) == there


def test_a_base_breaks_either_way() -> None:
    up, down = between(0.0, 0.0), 9_000 / between(0.0, 0.0)
    assert (column(up, "triggered(base, 1)") == TRUE).sum() == 1
    assert not (column(up, "triggered(base(breaks=down), 1)") == TRUE).any()
    assert (column(down, "triggered(base(breaks=down), 1)") == TRUE).sum() == 1
    assert column(down, "base(breaks=down).trigger")[98] == column(down, "base(breaks=down).lower.now")[98]
    assert column(down, "base(breaks=down).upper.now")[98] == column(down, "base.upper.now")[98]


LINE = [(0, 60), (20, 50), (32, 62), (45, 52.56), (57, 64), (70, 55.25), (90, 70)]  # lows that gain 0.2% a bar


def test_a_trend_line_runs_under_three_lows_until_a_close_breaks_it() -> None:
    close = path(LINE)
    gain = math.log(55.25 / 50) / 50
    assert math.log(52.56 / 50) == pytest.approx(25 * gain, abs=1e-3)
    forming = column(close, "trend_line_up")
    assert np.flatnonzero(forming == TRUE)[0] == 73
    now = column(close, "trend_line_up.now")
    assert now[80] == pytest.approx(50 / EDGE * math.exp(60 * gain), rel=1e-3)
    assert column(close, "trend_line_up.touches")[73] == 3
    assert column(close, "trend_line_up.trigger")[73] == pytest.approx(64 * EDGE)
    assert not (column(close, "trend_line_up(touches=4)") == TRUE).any()
    low = path([*LINE[:-1], (78, 60), (110, 52)])
    broke = int(np.argmax(low[73:] < now[73:90].mean())) + 73
    failed = np.flatnonzero(column(low, "failed(trend_line_up, 1)") == TRUE)
    assert len(failed) == 1
    assert abs(failed[0] - broke) < 6
    off = path([*LINE[:3], (45, 54.5), *LINE[4:]])  # the low between lies 3.6% above the line
    assert not (column(off, "trend_line_up") == TRUE).any()


LEVELS = [(0, 90), (10, 100), (20, 92), (30, 100.5), (40, 94), (50, 99.6), (56, 97), (70, 108)]


def test_a_level_is_shared_by_three_turning_points() -> None:
    close = path(LEVELS)
    assert column(close, "level.price")[53] == pytest.approx((100 * 100.5 * 99.6) ** (1 / 3) * EDGE)
    assert column(close, "level.touches")[53] == 3
    assert not (column(close, "level")[:53] == TRUE).any()
    # 2% away from the others it shares nothing.
    assert not (column(path([*LEVELS[:5], (50, 97.9), (56, 95), (70, 108)]), "level")[:57] == TRUE).any()
    broke = int(np.flatnonzero(close[53:] > column(close, "level.price")[53])[0]) + 53
    assert np.flatnonzero(column(close, "triggered(level, 2)") == TRUE).tolist() == [broke, broke + 1]
    assert column(close, "level.price")[broke] == column(close, "level.price")[53]  # the one just broken is still meant
    assert np.isnan(column(close, "level.price")[broke + 1])


def test_of_several_levels_the_nearest_is_meant() -> None:
    higher = [(0, 95), (10, 110), (18, 100), (26, 110), (34, 101), (42, 110), (60, 90)]
    lower = [(70, 98), (78, 91), (86, 98.2), (94, 92), (102, 98.1), (110, 95)]
    close = path([*higher, *lower])
    assert column(close, "level.price")[107] == pytest.approx(98.1 * EDGE, rel=1e-3)
    assert column(close, "level(nth=2).price")[107] > 100
    assert np.isnan(column(close, "level(breaks=down, touches=4).price")[107])


def test_a_break_of_a_level_fails_when_price_closes_back() -> None:
    close = path([*LEVELS[:-1], (62, 103), (72, 95)])
    price = column(close, "level.price")[53]
    failed = np.flatnonzero(column(close, "failed(level, 1)") == TRUE)
    assert failed.tolist() == [int(np.flatnonzero(close[62:] < price / 1.01)[0]) + 62]


def flagged(fall: float = 0.004, squeeze: float = 0.0, volume: float = 800.0, daily: float = 0.03) -> tuple[Evaluator, np.ndarray]:
    """Forty quiet bars, eight of a pole up to bar 48, eleven of rest, and a rise. The rest's band narrows by `squeeze` a bar."""
    quiet = 50 * np.exp(0.002 * (np.arange(41) % 2))
    pole = quiet[-1] * np.exp(daily * np.arange(1, 9))
    rest = pole[-1] * np.exp(-0.01 - fall * np.arange(1, 12))
    rise = rest[-1] * np.exp(0.02 * np.arange(1, 8))
    close = np.concatenate([quiet, pole, rest, rise])
    width = np.full(len(close), 0.005)
    width[49:60] = 0.009 - squeeze * np.arange(11)
    traded = np.full(len(close), 1000.0)
    traded[41:49], traded[49:60] = 2000.0, volume
    table = {
        "days": made.weekdays(len(close)),
        "open": close,
        "close": close,
        "high": close * np.exp(width),
        "low": close * np.exp(-width),
    }
    return Evaluator(Market((build_bars({"A": {**table, "volume": traded}}),))), close


def flag_column(given: dict[str, float], text: str) -> Any:
    return flagged(**given)[0].rows([check_expression(text).op], "A")[0]


def test_a_flag_flies_until_a_close_leaves_it() -> None:
    flying = np.flatnonzero(flag_column({}, "flag_bull") == TRUE)
    assert flying[0] == 52  # four bars after the pole's end, which is confirmed on the third
    _, close = flagged()
    # The lines run through highs and lows on straight lines: exactly there.
    assert flag_column({}, "flag_bull.trigger")[55] == pytest.approx(close[55] * math.exp(0.009))
    assert flag_column({}, "flag_bull.upper.slope")[55] == pytest.approx(math.expm1(-0.004))
    assert flag_column({}, "flag_bull.lower.now")[55] == pytest.approx(close[55] * math.exp(-0.009))
    rise = math.log(close[48] * math.exp(0.005) / (close[40] * math.exp(-0.005)))
    assert flag_column({}, "flag_bull.pole")[55] == pytest.approx(math.expm1(rise), rel=0.02)
    broke = np.flatnonzero(flag_column({}, "triggered(flag_bull, 1)") == TRUE)
    assert broke.tolist() == [flying[-1] + 1]
    assert close[broke[0]] > flag_column({}, "flag_bull.trigger")[broke[0]]


@pytest.mark.parametrize(
    ("given", "flag", "pennant"),
    [
        ({}, True, False),
        ({"fall": -0.004}, False, False),  # it does not rest: it goes on
        ({"fall": 0.03}, False, False),  # gives back more than half at once
        ({"volume": 2100.0}, False, False),  # as much is traded as on the way up
        ({"daily": 0.005}, False, False),  # no pole: 4% in eight bars of half a percent
        ({"fall": 0.0, "squeeze": 0.0008}, True, True),  # a flag at first, a pennant once it is narrow enough
        ({"fall": 0.0, "squeeze": 0.002}, False, True),
    ],
)
def test_each_condition_of_flags_and_pennants_decides(given: dict[str, float], flag: bool, pennant: bool) -> None:
    assert (flag_column(given, "flag_bull")[:60] == TRUE).any() == flag
    assert (flag_column(given, "pennant_bull")[:60] == TRUE).any() == pennant


def test_a_rest_of_one_bar_and_a_pole_out_of_stillness_are_no_flag() -> None:
    assert flag_column({}, "flag_bull(k=1, least=1)").max() == TRUE
    close = np.concatenate([np.full(40, 50.0), 50 * np.exp(0.05 * np.arange(1, 5)), 60 * np.exp(-0.01 * np.arange(8))])
    table = {"days": made.weekdays(len(close)), **dict.fromkeys(("open", "high", "low", "close"), close)}
    still = Evaluator(Market((build_bars({"A": {**table, "volume": np.linspace(2_000, 1_000, len(close))}}),)))
    assert not (still.rows([check_expression("flag_bull(climb=4)").op], "A")[0] == TRUE).any()


def rounded(power: float = 2.0, right: float = 100.0, handle: float = 0.0) -> np.ndarray:
    """A rise from 70 to a rim at 100 on bar 30, a low on bar 60, a rim on bar 90, a dip, a rise. power 2: a parabola; 1: two straight lines."""
    x = np.abs(np.arange(-30, 31) / 30)
    log = math.log(80) + (math.log(100) - math.log(80)) * x**power
    log[31:] += np.linspace(0, math.log(right / 100), 30)
    lead = np.linspace(math.log(70), log[0], 31)[:-1]
    dip = log[-1] - np.linspace(0, 0.03 + handle, 8)[1:]
    rise = dip[-1] + np.linspace(0, 0.12, 16)[1:]
    return np.exp(np.concatenate([lead, log, dip, rise]))


def test_a_saucer_is_round() -> None:
    seen = np.flatnonzero(column(rounded(), "saucer") == TRUE)
    assert seen[0] == 93
    assert column(rounded(), "saucer.quality")[93] == pytest.approx(100, abs=2)
    assert column(rounded(), "saucer.bottom")[93] == pytest.approx(80 / EDGE)
    assert column(rounded(), "saucer.rim")[93] == pytest.approx(100 * EDGE)
    # The best parabola through two straight lines that meet in the middle explains 15/16 of their spread (by integration).
    corner = rounded(power=1.0)
    assert (column(corner, "saucer(fit=0.92, broad=30%)") == TRUE).any()
    assert not (column(corner, "saucer(fit=0.95, broad=30%)") == TRUE).any()
    # Of the closes a corner holds a third in its lower third; a parabola the root of a third.
    assert not (column(corner, "saucer(broad=36%)") == TRUE).any()
    assert (column(rounded(), "saucer(broad=56%)") == TRUE).any()
    assert not (column(rounded(), "saucer(broad=60%)") == TRUE).any()


@pytest.mark.parametrize(("right", "there"), [(100.0, True), (96.8, True), (103.2, True), (95.5, False)])
def test_the_rims_of_a_saucer_are_level(right: float, there: bool) -> None:
    assert (column(rounded(right=right), "saucer(length=50)") == TRUE).any() == there


def test_a_cup_follows_a_rise_and_may_have_a_handle() -> None:
    close = rounded()
    assert (column(close, "cup(rise=40%)") == TRUE).any()
    assert not (column(close, "cup(rise=45%)") == TRUE).any()  # 70 to 100 is 43%
    handle = column(close, "cup_handle")
    assert np.flatnonzero(handle == TRUE)[0] == 97 + 3
    assert column(close, "cup_handle.handle")[100] == pytest.approx(100 * math.exp(-0.03) / EDGE)
    assert column(close, "cup_handle.invalid")[100] == column(close, "cup_handle.handle")[100]
    broke = np.flatnonzero(column(close, "triggered(cup_handle, 1)") == TRUE)
    assert close[broke[0]] > 100 * EDGE > close[broke[0] - 1]
    deep = rounded(handle=0.1)  # in the lower half
    assert not (column(deep, "cup_handle") == TRUE).any()


def five(*prices: float, step: int = 7) -> np.ndarray:
    """Closes that turn at the five prices, the first a low when it is under the second."""
    before = prices[1]
    after = prices[3]
    points = [(0, before), *((10 + step * i, price) for i, price in enumerate(prices)), (10 + step * 5, after)]
    return path(points)


NEAR = 1.015 / 0.985  # two prices within 1.5% of their average: their ratio at most
BOTTOMS = {
    "published_inverse_head_shoulders": [((95, 104, 90, 104, 95), True), ((95, 104, 90, 104, 95 * (NEAR + 0.001)), False),
                                   ((95, 104, 90, 104, 95 * (NEAR - 0.001)), True), ((95, 104, 90, 104 * (NEAR + 0.001), 95), False),
                                   ((95, 104, 95.5, 104, 96), False)],
    "published_broadening_bottom": [((95, 100, 92, 103, 90), True), ((95, 103, 92, 100, 90), False), ((95, 100, 96, 103, 90), False)],
    "published_triangle_bottom": [((90, 103, 92, 100, 94), True), ((90, 100, 92, 103, 94), False), ((92, 103, 90, 100, 94), False)],
    "published_rectangle_bottom": [((90, 100, 90.5, 100.8, 90.3), True), ((90, 100, 91.2, 100.8, 90), False), ((90, 100, 90, 101.8, 90), False),
                             ((90, 90.5, 90, 90.4, 90), True)],
}  # fmt: skip


@pytest.mark.parametrize(("name", "prices", "there"), [(n, p, t) for n, cases in BOTTOMS.items() for p, t in cases])
def test_the_published_shapes_of_five_extremes(name: str, prices: tuple[float, ...], there: bool) -> None:
    """A. W. Lo, H. Mamaysky and J. Wang, Journal of Finance 55(4), 2000, definitions 1 to 4 (from memory)."""
    close = five(*prices)
    top = dict(OPPOSITE)[name]
    assert (column(close, name)[41] == TRUE) == there
    assert (column(9_000 / close, top)[41] == TRUE) == there
    if there:
        assert column(close, f"{name}.e3")[41] == pytest.approx(prices[2] / EDGE)
        # Five of them nine bars apart span more than the 35 days of the paper's window.
        assert not (column(five(*prices, step=9), name) == TRUE).any()


@pytest.mark.parametrize(
    ("apart", "ratio", "there"),
    [(23, 1.0, True), (22, 1.0, False), (34, 1.0, True), (35, 1.0, False), (28, NEAR - 0.001, True), (28, NEAR + 0.001, False)],
)
def test_the_published_double_bottom(apart: int, ratio: float, there: bool) -> None:
    """The same paper, definition 5 (from memory): the second more than 22 days after the first, both within 1.5% of their average."""
    close = path([(0, 100), (12, 90), (12 + apart // 2, 97), (12 + apart, 90 / ratio), (12 + apart + 8, 96)])
    assert (column(close, "published_double_bottom") == TRUE).any() == there
    assert (column(9_000 / close, "published_double_top") == TRUE).any() == there


def test_noise_leaves_a_triangle_standing() -> None:
    rough = np.random.default_rng(3).normal(0, 0.001, 126)
    rough[[20, 35, 50, 65, 80, 95]] = 0
    assert (column(between(0.0, 0.0012) * np.exp(rough), "triangle_up") == TRUE)[95:104].any()


def test_zigzag_turns_where_price_has_come_back() -> None:
    close = path([(0, 100), (10, 110), (14, 106), (20, 120), (30, 105), (36, 112)])
    high = column(close, "zigzag_high(8%)")
    top = 120 * EDGE
    known = int(np.flatnonzero(close[20:] / EDGE <= top * 0.92)[0]) + 20
    assert np.isnan(high[:known]).all()  # 110 to 106 is no 8%
    assert high[known:] == pytest.approx(top)
    assert np.flatnonzero(column(close, "is_zigzag_high(8%)") == TRUE).tolist() == [known]
    # By amount: 12 of money.
    known = int(np.flatnonzero(close[20:] / EDGE <= top - 12)[0]) + 20
    assert np.flatnonzero(column(close, "is_zigzag_high(close - close + 12)") == TRUE).tolist() == [known]
