"""How much money must change hands in a name before an account can trade it without being the market."""

import math
from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class LiquidityFloor:
    """position: money in one of equal positions. floor: money a day, rounded up to two figures."""

    position: float
    floor: float


def liquidity_floor(account: float, positions: int, share: float) -> LiquidityFloor:
    """The least money a day at which a position is no more than a share of it.

    account: money. positions: held at one time, equal in size. share: of a day's money, a fraction in (0, 1]. Common practice is a
    percent or less. Raises ValueError for what is out of range.
    """
    if not (account > 0 and positions >= 1 and 0 < share <= 1):
        raise ValueError("An account is above zero, holds at least one position, and takes a share above 0% and up to 100%.")
    position = account / positions
    exact = position / share
    unit = 10.0 ** max(0, math.floor(math.log10(exact)) - 1)
    # A hair less than the next step is that step: dividing by a percentage leaves a rest in the last figure.
    return LiquidityFloor(position, math.ceil(exact / unit - 1e-9) * unit)
