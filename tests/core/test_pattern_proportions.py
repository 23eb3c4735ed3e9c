"""What a chartist asks of a shape besides its prices: proportion in time and size, turns of a size, an end. By construction: satisfied, or just
missed (common practice)."""

import math

import numpy as np
import pytest

from tests import made
from tests.core.test_pattern_shapes import EDGE, LINE, between, five, flagged, rounded
from tests.core.test_patterns import DOUBLE, SHOULDERS, column, engine, path
from wickcore.bars.bars import build_bars
from wickcore.bars.market import Market
from wickcore.language.check import check_expression
from wickcore.measures.frame import TRUE
from wickcore.scan.evaluate import Evaluator
from wickcore.scan.patterns import drawn


@pytest.mark.parametrize(
    ("left", "there"),
    [(6, True), (3, False), (4, True)],  # bars of the left shoulder's leg; the longest takes fifteen
)
def test_a_left_shoulder_of_few_bars_beside_a_wide_head_is_none(left: int, there: bool) -> None:
    points = [(0, 110), (40 - 15 - left, 90), (25, 97), (40, 82), (55, 97), (65, 90), (80, 105)]
    close = path(points)
    assert (column(close, "inverse_head_shoulders") == TRUE).any() == there
    assert (column(9_000 / close, "head_shoulders") == TRUE).any() == there
    assert (column(close, "inverse_head_shoulders(even=10%)") == TRUE).any()


@pytest.mark.parametrize(("second", "there"), [(48, True), (51, False)])  # the way back takes 16 and 19 bars, the way up 4
def test_two_lows_whose_way_back_takes_four_times_the_way_up_are_none(second: int, there: bool) -> None:
    close = path([(0, 100), (28, 80), (32, 90), (second, 80), (second + 16, 95)])
    assert (column(close, "double_bottom") == TRUE).any() == there


@pytest.mark.parametrize("name", ["double_bottom", "inverse_head_shoulders", "published_inverse_head_shoulders", "triangle_up"])
def test_legs_are_measured_in_average_ranges(name: str) -> None:
    """On the bar that shows it: the shortest leg (of two lines their width) in average true ranges is what `leg` may ask for at most."""
    close = {
        "double_bottom": path(DOUBLE), "inverse_head_shoulders": path(SHOULDERS), "triangle_up": between(0.0, 0.0012),
        "published_inverse_head_shoulders": five(95, 104, 90, 104, 95),
    }[name]  # fmt: skip
    loose = f"{name}(leg=0.01)"
    at = 98 if name == "triangle_up" else int(np.flatnonzero(column(close, loose) == TRUE)[0])
    ranges = column(close, "rma(log(max(high, close 1 ago) / min(low, close 1 ago)), 14)")[at]
    shortest = {
        "double_bottom": math.log(90 / 80 * EDGE**2),
        "inverse_head_shoulders": math.log(97 / 90 * EDGE**2),
        "published_inverse_head_shoulders": math.log(104 / 95 * EDGE**2),
        # At its narrowest, where the lower line, which begins at 85 on bar 35, is touched last.
        "triangle_up": math.log(100 / 85 * EDGE**2) - 0.0012 * 60,
    }[name]
    for share, there in ((0.999, True), (1.001, False)):
        asked = f"{name}(leg={share * shortest / ranges:.6f})"
        newest = name != "triangle_up" or column(close, f"{asked}.lower.touches")[at] == 3  # not the one seen before that touch
        assert (newest and column(close, asked)[at] == TRUE) == there


def test_a_bottom_is_led_to_by_its_fall() -> None:
    """A lower low on the way from the crest makes the first of the two a turn on the way up."""
    close = path([(0, 100), (20, 78), (28, 84), (36, 80), (48, 90), (60, 80.5), (80, 95)])
    assert not np.isclose(column(close, "double_bottom.low1"), 80 / EDGE).any()
    apart = path([(0, 100), (2, 78), (40, 92), (56, 80), (68, 90), (80, 80.5), (96, 95)])
    assert column(apart, "double_bottom.low1")[83] == pytest.approx(80 / EDGE)


def test_the_fall_into_shoulders_is_as_high_as_they_are() -> None:
    assert not (
        column(path([(0, 106), *SHOULDERS[1:]]), "inverse_head_shoulders") == TRUE
    ).any()  # the neckline lies 18.5% above the head
    assert (column(path([(0, 108), *SHOULDERS[1:]]), "inverse_head_shoulders") == TRUE).any()


@pytest.mark.parametrize(("crash", "there"), [(18, False), (16, False), (14, True)])
def test_a_fall_of_a_few_bars_leads_to_no_double_bottom(crash: int, there: bool) -> None:
    """A fifth of its 24 bars is five: a fall of 20% that begins on bar 16 has gone a quarter of its way four bars before the first low."""
    close = path([(0, 101), (crash, 100), *DOUBLE[1:]])
    assert (column(close, "double_bottom") == TRUE).any() == there


@pytest.mark.parametrize(
    ("second", "middle", "there"),
    [(81.6, 90, True), (81.6, 87, True), (82, 87, False)],  # a sixth, 23% and 29% of the height apart
)
def test_two_lows_lie_level_for_their_height(second: float, middle: float, there: bool) -> None:
    close = path([(0, 100), (20, 80), (32, middle), (44, second), (60, 95)])
    assert (column(close, "double_bottom(depth=5%)") == TRUE).any() == there


@pytest.mark.parametrize(("middle", "there"), [(92, True), (97.5, False), (84, False)])
def test_shoulders_stand_between_neckline_and_head(middle: float, there: bool) -> None:
    """A fifth of the way from one to the other at least: of 97 and 82, above 84.9 and below 93.7."""
    close = path([(0, 112), (20, middle), (28, max(97, middle + 5)), (40, 82), (52, max(97, middle + 5)), (62, middle), (80, 110)])
    assert (column(close, "inverse_head_shoulders(tolerance=2%)") == TRUE).any() == there


def whole(close: np.ndarray, name: str, touches: int = 6) -> bool:
    """Whether on bar 98 it is seen by so many turning points."""
    seen = sum(column(close, f"{name}.{line}.touches")[98] for line in ("upper", "lower"))
    return bool(column(close, name)[98] == TRUE and seen == touches)


def test_a_line_does_not_begin_in_the_run_before() -> None:
    """Price comes into the first touch from the other side, over two fifths of the width of 16%."""
    close = between(0.0, 0.0)
    assert whole(close, "base")
    for begin, there in ((95.0, False), (93.0, True)):
        assert whole(np.concatenate([np.geomspace(begin, 100, 21), close[21:]]), "base") == there
    from_above = np.concatenate([np.geomspace(130, 100, 21), close[21:]])  # the first high is a rest on the way down
    assert not whole(from_above, "base")


@pytest.mark.parametrize(("beyond", "there"), [((50, 51), True), ((49, 50, 51), False)])
def test_three_closes_in_a_row_beyond_a_line_break_it(beyond: tuple[int, ...], there: bool) -> None:
    close = between(0.0, 0.0)
    close[list(beyond)] = 100.25
    close[50] = 100.4
    assert whole(close, "base") == there


@pytest.mark.parametrize(("wick", "there"), [(100.9, True), (101.8, False)])  # an average true range is 1.2
def test_a_bar_that_reaches_far_beyond_a_line_breaks_it(wick: float, there: bool) -> None:
    close = between(0.0, 0.0)
    table = {"days": made.weekdays(len(close)), "open": close, "close": close, "high": close * EDGE, "low": close / EDGE}
    table["high"][41] = wick
    market = Market((build_bars({"A": {**table, "volume": np.full(len(close), 1000.0)}}),))
    state, upper, lower = Evaluator(market).rows(
        [check_expression(f"base.{p}").op for p in ("state", "upper.touches", "lower.touches")], "A"
    )
    assert (state[98] == 1 and upper[98] + lower[98] == 6) == there


def test_price_that_leaps_from_line_to_line_makes_no_shape() -> None:
    close = between(0.0, 0.0)
    assert whole(close, "base")
    close[36:49] = np.geomspace(85.2, 88, 13)
    assert not whole(close, "base")
    assert not (column(np.where(np.arange(len(close)) < 60, close, np.nan)[:60], "base") == TRUE).any()


def test_four_touches_make_a_triangle_and_no_channel() -> None:
    closes = [
        path([(0, 88), (20, 100), (40, bottom), (60, top), (80, low), (95, 96)])
        for bottom, top, low in ((86, 97, 91), (88, 106, 93.3))
    ]
    assert (column(closes[0], "triangle") == TRUE).any()
    assert not (column(closes[1], "channel_up") == TRUE).any()


@pytest.mark.parametrize(("half", "there"), [(30, True), (4, False)])
def test_a_cup_is_no_cliff(half: int, there: bool) -> None:
    """A right side that goes up within a tenth of its bars."""
    close = rounded()
    flat_until = 90 - half
    close[61:flat_until] = np.geomspace(close[60], close[60] * 1.02, flat_until - 61) if flat_until > 61 else close[61:flat_until]
    close[max(61, flat_until) : 91] = (
        np.geomspace(close[max(61, flat_until) - 1], 100, 91 - max(61, flat_until) + 1)[1:] if half < 30 else close[61:91]
    )
    assert (column(close, "saucer(fit=0.3, broad=20%)") == TRUE).any() == there


def test_a_cup_is_as_deep_as_the_rise_before_it_at_most() -> None:
    close = rounded()  # a rise from 70 to 100, a depth of 20
    assert (column(close, "cup(rise=10%)") == TRUE).any()
    shallow = close.copy()
    shallow[:30] = np.geomspace(84, 100, 31)[:-1]
    assert not (column(shallow, "cup(rise=10%)") == TRUE).any()


def test_a_close_beyond_the_further_shoulder_ends_it() -> None:
    points = [*SHOULDERS[:5], (62, 91), (66, 93), (80, 84)]
    close = path(points)
    failed = np.flatnonzero(column(close, "failed(inverse_head_shoulders, 1)") == TRUE)
    assert failed.tolist() == [int(np.flatnonzero(close[66:] < 90 / EDGE)[0]) + 66]


def test_a_large_shape_is_seen_whole_through_the_small_turns_in_it() -> None:
    """On the way to the head price rests for three bars, below the shoulder: among the turns of three bars that low stands between the two."""
    close = path([(0, 120), (30, 90), (50, 100), (65, 86), (68, 87), (80, 78), (110, 100), (130, 90), (160, 112)])
    seen = column(close, "inverse_head_shoulders.left")
    whole = int(np.flatnonzero(np.isclose(seen, 90 / EDGE))[0])
    assert whole == 130 + 5  # its turns have five lower highs and higher lows on either side
    assert column(close, "inverse_head_shoulders.head")[whole] == pytest.approx(78 / EDGE)
    assert column(close, "inverse_head_shoulders.right")[whole] == pytest.approx(90 / EDGE)


def test_it_waits_two_thirds_of_what_it_took_to_form() -> None:
    close = path([*DOUBLE[:4], (50, 84), (160, 85)])
    forming = np.flatnonzero(column(close, "double_bottom(lasts=120)") == TRUE)
    assert (forming[0], forming[-1]) == (47, 47 + 18)  # two thirds of the 27 from its first low on bar 20 to the bar that shows it


def test_what_broke_stands_still() -> None:
    """A falling wedge's lines go on and meet; what confirmed it, what would end it and its target do not follow them."""
    close = between(-0.0024, -0.0008)
    broke = int(np.flatnonzero(column(close, "triggered(wedge_falling, 1)") == TRUE)[-1])
    for part in ("trigger", "invalid", "target"):
        values = column(close, f"wedge_falling.{part}")[broke:]
        assert (values == values[0]).all()
    trigger, invalid = (column(close, f"wedge_falling.{part}")[broke] for part in ("trigger", "invalid"))
    assert invalid < trigger < close[broke]
    assert trigger == pytest.approx(column(close, "wedge_falling.upper.now")[broke])
    assert column(close, "wedge_falling.upper.now")[broke + 5] < trigger


def test_lines_that_have_met_confirm_nothing() -> None:
    close, bars = between(-0.0012, 0.0006)[:99], np.arange(99, 118)
    upper, lower = math.log(100 * EDGE) - 0.0012 * (bars - 20), math.log(85 / EDGE) + 0.0006 * (bars - 35)
    meet = int(bars[np.argmax(upper <= lower)])
    close = np.concatenate([close, np.exp((upper + lower) / 2)[: meet - 99], np.full(30, 110.0)])
    state = column(close, "triangle.state")
    assert state[98 : meet + 1].tolist() == [1] * (meet - 98) + [4]
    assert not (state[meet:] == 2).any()
    close[meet - 1] = 110.0  # a bar sooner it breaks
    assert column(close, "triangle.state")[meet - 1] == 2


@pytest.mark.parametrize(("far", "live"), [(9.0, True), (12.0, False)])  # the height is 10.2 above the trigger at 90.1
def test_price_that_has_gone_by_more_than_the_height_leaves_history(far: float, live: bool) -> None:
    close = path([*DOUBLE[:4], (60, 90.09 + far), (80, 92)])
    (one,) = (p for p in drawn(engine(close), [check_expression("double_bottom.state").op], "A", 80, every=True))
    assert one.state == "triggered"
    assert one.left == (not live)
    assert column(close, "double_bottom.state")[80] == 2  # a rule may go on to speak of it


def test_on_the_bar_of_its_break_a_pattern_is_news() -> None:
    """A close that leaps over the neckline by more than the height at once: history only from the next such close on."""
    close = np.concatenate([path([*DOUBLE[:4], (50, 84)]), [102.0, 102.5, 103.0]])
    op = [check_expression("double_bottom.state").op]
    found = [next(iter(drawn(engine(close), op, "A", at, every=True))) for at in (51, 52)]
    assert [(one.state, one.left) for one in found] == [("triggered", False), ("triggered", True)]


def test_what_was_over_before_it_could_be_seen_is_none() -> None:
    """Three bars after its second low price stands more than the height beyond the neckline already."""
    quick = path([(0, 100), (20, 80), (32, 90), (44, 80), (47, 106)])
    assert np.isnan(column(quick, "double_bottom.state")).all()
    slower = path([(0, 100), (20, 80), (32, 90), (44, 80), (48, 98)])
    assert (column(slower, "double_bottom.state") == 2).any()


@pytest.mark.parametrize(
    ("gain0", "gain1", "there"),
    [(0.0003, 0.0003, False), (0.0002, 0.0002, True), (0.0002, 0.0, True), (0.0002, -0.0002, False)],
)  # in shares of the width: an eighth, a twelfth, a twelfth apart, a sixth apart
def test_a_base_keeps_its_lines_side_by_side(gain0: float, gain1: float, there: bool) -> None:
    close = between(gain0, gain1)
    touches = sum(column(close, f"base.{line}.touches")[98] for line in ("upper", "lower"))
    assert (touches == 6 and column(close, "base")[98] == TRUE) == there


def test_the_line_that_begins_later_holds_from_the_beginning_of_the_other() -> None:
    close = between(0.0, 0.0)
    assert column(close, "base")[98] == TRUE
    under = close.copy()
    under[26] = 80.0  # after the first high, before the first low on bar 35
    assert not (column(under, "base.upper.touches")[98:] == 3).any()


def test_a_trend_line_rises_by_so_many_average_ranges() -> None:
    close = path(LINE)
    ranges = column(close, "rma(log(max(high, close 1 ago) / min(low, close 1 ago)), 14)")[73]
    rise = math.log(55.25 / 50) / ranges
    assert (column(close, f"trend_line_up(leg={rise * 0.999:.6f})") == TRUE)[73]
    assert not (column(close, f"trend_line_up(leg={rise * 1.001:.6f})") == TRUE).any()


def test_a_level_that_price_goes_through_as_often_as_it_turns_there_is_none() -> None:
    turns = [(0, 90), (10, 100), (20, 92), (30, 100.5), (40, 94), (50, 99.6), (56, 97)]
    assert column(path(turns), "level.touches")[53] == 3
    # Between the second and the third turn up through it and back: two crossings of three touches.
    through = path([*turns[:4], (36, 94), (44, 104), (50, 97), (60, 100), (66, 96)])
    assert not np.isclose(column(through, "level.price")[63:], 100.17, atol=0.3).any()
    assert np.isclose(column(through, "level(touches=2).price")[33:36], 100.25 * EDGE, rtol=1e-3).any()


def test_a_pennant_that_price_falls_out_of_is_none_any_more() -> None:
    """It waits for no break upwards: price has left it through its other line."""
    still, close = flagged(fall=0.0, squeeze=0.002)
    op = check_expression("pennant_bull.state").op
    at = int(np.flatnonzero(still.rows([op], "A")[0] == 1)[0]) + 1
    table = still.market.bars
    low = math.log(close[at - 1]) - 0.03
    dropped = {name: getattr(table, name).copy() for name in ("open", "high", "low", "close")}
    for name in dropped:
        dropped[name][at:] = math.exp(low)
    days = {"days": table.days, "volume": table.volume, **dropped}
    state = Evaluator(Market((build_bars({"A": days}),))).rows([op], "A")[0]
    assert (state[at - 1], state[at]) == (1, 4)
    assert not (state[at:] == 2).any()
