"""The liquidity floor, by hand."""

import pytest

from wickcore.plan.liquidity import liquidity_floor


def test_a_position_is_at_most_the_share_of_a_days_money() -> None:
    # 50,000 in 10 positions is 5,000 each; half a percent of 1,000,000 is 5,000.
    assert liquidity_floor(50_000, 10, 0.005).position == 5_000
    assert liquidity_floor(50_000, 10, 0.005).floor == 1_000_000


def test_it_is_rounded_up_never_down() -> None:
    # 70,000 / 6 / 1% = 1,166,666.67, said as 1.2 million.
    assert liquidity_floor(70_000, 6, 0.01).floor == 1_200_000
    assert liquidity_floor(3, 1, 0.5).floor == 6


@pytest.mark.parametrize("bad", [(0, 1, 0.1), (1, 0, 0.1), (1, 1, 0), (1, 1, 1.5)])
def test_nonsense_is_refused(bad: tuple[float, int, float]) -> None:
    with pytest.raises(ValueError, match="above zero"):
        liquidity_floor(*bad)
