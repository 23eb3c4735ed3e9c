"""The points of shapes against scipy.signal.argrelextrema, a general-purpose search for local extremes (SciPy's reference guide)."""

import numpy as np
import pytest
from scipy.signal import argrelextrema

from tests.core.test_pattern_walks import walked
from wickcore.language.check import check_expression
from wickcore.scan.patterns import drawn

OPS = {
    # Room for shapes of large turns.
    name: check_expression(f"{name}({'within=120, ' if name.startswith('published') else ''}leg=0.3, even=5%).state").op
    for name in (
        "published_broadening_bottom",
        "published_broadening_top",
        "published_triangle_bottom",
        "published_triangle_top",
        "double_bottom",
        "double_top",
    )
}


@pytest.mark.parametrize("name", OPS)
def test_every_point_is_a_local_extreme_of_three_bars_and_known_three_bars_later(name: str) -> None:
    engine = walked(6, False)
    bars = engine.market.bars
    lows, highs = (
        set(argrelextrema(column, compare, order=3)[0].tolist())
        for column, compare in ((bars.low, np.less), (bars.high, np.greater))
    )
    seen = 0
    for at in range(200, 1_450, 10):
        for one in drawn(engine, [OPS[name]], "A", at, every=True):
            points = (
                one.points if name.startswith("published") else (one.points[0], one.points[2])
            )  # a neckline is the furthest bar between
            for ago, price in points:
                here = at - ago
                assert here in (lows if price == pytest.approx(bars.low[here]) else highs)
            assert one.points[-1][0] >= 3
            seen += 1
    assert seen > 10


def test_a_shape_of_large_turns_is_made_of_extremes_of_five_or_eight_bars() -> None:
    """Some are seen on turning points of five or eight bars only: then all five of its points are extremes of that order."""
    engine = walked(6, False)
    bars = engine.market.bars
    of = {order: {*argrelextrema(bars.low, np.less, order=order)[0].tolist()} for order in (3, 5, 8)}
    late = {3: 0, 5: 0, 8: 0}
    for at in range(200, 1_450):
        for one in drawn(engine, [OPS["published_triangle_bottom"]], "A", at, every=True):
            if one.age == 0:
                order = one.points[-1][0]  # so many bars after its last low it is seen
                assert order in of
                assert all(at - ago in of[order] for ago, price in one.points if price == pytest.approx(bars.low[at - ago]))
                late[order] += 1
    assert late[3] > 0
    assert late[5] + late[8] > 0
