"""How a position is entered: on which bar, at which price."""

from numba import njit

# At the next bar's open; at the signal's own close (optimistic: nobody knows a close and trades it); at the open of the signal's own bar, for
# rules that decide at the open.
NEXT_OPEN, SIGNAL_CLOSE, SAME_OPEN = 0, 1, 2
ENTRIES = {"next-open": NEXT_OPEN, "signal-close": SIGNAL_CLOSE}


def entry_of(decide: str, chosen: str) -> int:
    """The kind of entry: `chosen` (next-open, signal-close), but the same open for a rule that decides at the open."""
    return SAME_OPEN if decide == "open" else ENTRIES[chosen]


@njit(nogil=True, cache=True)
def entry_bar(signal: int, entry: int) -> int:
    """The bar on which a position is entered, from the bar of the signal."""
    return signal + 1 if entry == NEXT_OPEN else signal


@njit(nogil=True, cache=True)
def first_met(signal: int, entry: int) -> int:
    """The first bar whose highs and lows a position meets: one entered at a close meets the bar after."""
    return signal if entry == SAME_OPEN else signal + 1


@njit(nogil=True, cache=True)
def price_paid(entry_open: float, signal_close: float, entry: int) -> float:
    """The price at which a position is entered, before slippage, of the entry bar's open and the signal bar's close.

    Two numbers and not their columns: handing arrays on costs more than all the rest.
    """
    return signal_close if entry == SIGNAL_CLOSE else entry_open
