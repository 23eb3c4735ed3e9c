"""What bars do to one order that is left to the clock, by the code of the day loop: compiled, a session at a time."""

from typing import Any

from numba import njit

from wickcore.bars.bars import Floats
from wickcore.book import tape as t
from wickcore.book.fills import AT_OPEN, DOWN_INSIDE, ENTERED_BEFORE, UP_INSIDE, leave, slip_of, take_up
from wickcore.book.held_bar import act, beyond, inside, reach, settle
from wickcore.measures.frame import kernel
from wickcore.trade.costs import fill_price
from wickcore.trade.orders import limit_fill, stop_fill

PRICE, SIDE, UP, SHARES, STOP, WAITS = range(6)  # of an order, as the loop has it


@kernel
def _touched(tape: Any, held: Any, made: Any, terms: Any, order: Floats, row: int, step: int) -> None:
    """Fills the waiting order where the bar meets it."""
    factor, side = tape.factor[row], int(order[SIDE])
    price, open_ = order[PRICE] / factor, tape.open[row]
    if order[UP] > 0.0:
        raw = stop_fill(open_, tape.high[row], tape.low[row], price, side)
    else:
        raw = limit_fill(open_, tape.high[row], tape.low[row], price, side)
    if raw != raw:
        return
    fresh = AT_OPEN if raw == open_ else UP_INSIDE if order[UP] > 0.0 else DOWN_INSIDE
    order[WAITS] = 0.0
    fill = fill_price(raw, slip_of(tape, terms, row, order[SHARES]), side)
    take_up(tape, terms, held, 0, made.money, side, order[SHARES], row, step, raw, fill, order[STOP], fresh)


@njit(nogil=True, cache=True)
def meet(tape: Any, programs: Any, terms: Any, held: Any, made: Any, order: Floats, first: int, last: int) -> int:
    """What bars first to last of a session do to an order or to what it holds. Returns the bar of the entry, -1 for none."""
    entered = -1
    for row in range(first, last + 1):
        if held.each[0].shares > 0.0:
            held.each[0].row, held.each[0].fresh = row, ENTERED_BEFORE
            if held.each[0].due >= 0:
                leave(tape, terms, held, 0, made, held.each[0].shares, tape.open[row], held.each[0].due, -1, row)
            else:
                beyond(tape, terms, programs, held, 0, made, row)
        elif order[WAITS] > 0.0:
            _touched(tape, held, made, terms, order, row, row)
            if held.each[0].shares > 0.0:
                entered = row
        if held.each[0].shares > 0.0:
            inside(tape, terms, programs, held, 0, made, row)
        if held.each[0].shares > 0.0:
            reach(tape, held, 0)
            held.each[0].mark = tape.close[row]
        elif not order[WAITS] > 0.0:
            break
    return entered


@njit(nogil=True, cache=True)
def over(programs: Any, held: Any, close_c: float, row: int, own: Floats, stack: Floats) -> None:
    """A session's close, for what is held: the stop that follows. row: of the columns."""
    settle(programs, held, 0, close_c, row, own, stack)


@njit(nogil=True, cache=True)
def acted(held: Any, money: Floats, times: float, paid: float, scale: float) -> None:
    """A split or a dividend of what is held. scale: by which its last price moves."""
    act(held, 0, money, times, paid)
    held.each[0].mark *= scale


@njit(nogil=True, cache=True)
def gone(tape: Any, terms: Any, held: Any, made: Any) -> None:
    """What is held of an instrument that trades no more ends at its last price."""
    leave(tape, terms, held, 0, made, held.each[0].shares, held.each[0].mark * terms.delisting, t.DELISTED, -1, 0)
