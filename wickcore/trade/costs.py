"""What trading costs."""

from numba import njit


def round_trip(cost: float, slippage: float) -> float:
    """What entry and exit cost together, as a fraction of the entry: costs and slippage are fractions a side."""
    return 2 * (cost + slippage)


@njit(nogil=True, cache=True)
def net_return(paid: float, got: float, side: int, round_trip: float) -> float:
    """side × (exit / entry − 1) − costs: prices on one scale, side 1 long and −1 short."""
    return side * (got / paid - 1.0) - round_trip
