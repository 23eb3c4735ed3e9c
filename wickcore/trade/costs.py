"""What trading costs: the one set of formulas of books, their orders, paper orders, studies and precedents."""

import math

from numba import njit

MOST_IMPACT = 0.5  # of a price, whatever is bought


@njit(nogil=True, cache=True)
def net_return(paid: float, got: float, side: int, round_trip: float) -> float:
    """side × (exit / entry − 1) − costs: prices on one scale, side 1 long and −1 short."""
    return side * (got / paid - 1.0) - round_trip


@njit(nogil=True, cache=True)
def impact(coefficient: float, volatility: float, shares: float, traded: float) -> float:
    """By what fraction so many shares move the price: coefficient × daily volatility × √(shares / shares a day) (the square root law, common
    practice), at most MOST_IMPACT; 0 where it is not known."""
    moved = coefficient * volatility * math.sqrt(abs(shares) / traded) if traded > 0.0 else 0.0
    return min(moved, MOST_IMPACT) if moved == moved else 0.0


@njit(nogil=True, cache=True)
def fill_price(price: float, slip: float, side: int) -> float:
    """A fill that is worse than its price by a fraction. side: 1 to buy, −1 to sell."""
    return price * (1.0 + side * slip)


@njit(nogil=True, cache=True)
def commission(shares: float, fill: float, cost: float, cost_least: float) -> float:
    """What one fill costs, in money."""
    return max(shares * fill * cost, cost_least)
