"""What trading costs as a rate: without arrays, since the language speaks of it too."""


def round_trip(cost: float, slippage: float) -> float:
    """What entry and exit cost together, as a fraction of the entry: costs and slippage are fractions a side."""
    return 2 * (cost + slippage)
