"""How much is bought: the one set of formulas of books, their orders, plans and paper orders."""

import math

from numba import njit

HAIR = 1e-9  # of a share: what arithmetic leaves of a whole number


@njit(nogil=True, cache=True)
def shares_at_risk(equity: float, share: float, distance: float) -> float:
    """How many shares lose that share of the equity over a distance in price (fixed fractional sizing, common practice)."""
    return equity * share / distance


@njit(nogil=True, cache=True)
def shares_for(money: float, fill: float, cost: float, cost_least: float, fractions: bool) -> float:
    """How many shares so much money buys with its costs; whole ones unless parts are allowed.

    cost: a fraction of what is filled; cost_least: money that a fill costs at least.
    """
    shares = money / (fill * (1.0 + cost))
    if shares * fill * cost < cost_least:
        shares = (money - cost_least) / fill
    return shares if fractions else math.floor(shares + HAIR)
