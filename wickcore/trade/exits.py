"""When a position that is held for a number of bars ends, and what became of a signal."""

from numba import njit

from wickcore.trade.entries import SAME_OPEN

# Held to its end; not over yet; ended by a delisting, at the last traded price; never entered, since there was no bar to enter on.
COUNTED, PENDING, DELISTED, NO_ENTRY = 0, 1, 2, 3
STATES = {COUNTED: "counted", PENDING: "pending", DELISTED: "delisted", NO_ENTRY: "not entered"}


@njit(nogil=True, cache=True)
def last_held(signal: int, bars: int, entry: int) -> int:
    """The step at whose close a position held for `bars` bars is left; the bar of the entry at an open is the first of them."""
    return signal + bars - 1 if entry == SAME_OPEN else signal + bars
