"""Resting orders: what one bar does to an order that rests in it.

A bar's own way between its open, high, low and close is not known, so only what must have happened counts: an order is filled when the bar's
range reaches its price, and at the open where the bar opens beyond it (common practice).
"""

import math

from numba import njit

BUY, SELL = 1, -1


@njit(nogil=True, cache=True)
def stop_fill(open_: float, high: float, low: float, price: float, side: int) -> float:
    """The fill of a stop order: to buy once the price is reached from below, to sell once it is reached from above; NaN where it is not.

    side: BUY or SELL. A bar that opens beyond the price fills at its open, which is worse.
    """
    if side == BUY:
        return max(open_, price) if high >= price else math.nan
    return min(open_, price) if low <= price else math.nan


@njit(nogil=True, cache=True)
def limit_fill(open_: float, high: float, low: float, price: float, side: int) -> float:
    """The fill of a limit order: to buy at the price or lower, to sell at the price or higher; NaN where the bar does not reach it.

    side: BUY or SELL. A bar that opens beyond the price fills at its open, which is better.
    """
    if side == BUY:
        return min(open_, price) if low <= price else math.nan
    return max(open_, price) if high >= price else math.nan


@njit(nogil=True, cache=True)
def bracket_fill(open_: float, high: float, low: float, stop: float, target: float, side: int) -> tuple[float, bool]:
    """How a position with a stop and a target (NaN for none) ends inside a bar: the fill, NaN where neither is met, and whether it is the stop.

    side: that of the position. A bar that touches both counts as stopped: which came first is not known, so the worse is taken; but one that
    opens beyond the target has filled that before anything else.
    """
    leave = -side
    if target == target and (open_ - target) * side >= 0:
        return open_, False
    if stop == stop:
        filled = stop_fill(open_, high, low, stop, leave)
        if filled == filled:
            return filled, True
    if target == target:
        return limit_fill(open_, high, low, target, leave), False
    return math.nan, False
