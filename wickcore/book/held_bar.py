"""What one bar does to a position that is held: splits and dividends, stops and targets, and what is decided at its close."""

import math
from typing import Any

import numpy as np
from numba import njit

from wickcore.bars.bars import Floats
from wickcore.book.fills import DOWN_INSIDE, UP_INSIDE, know, leave, pass_by
from wickcore.book.tape import CASH, EXIT, FOLLOW, NEVER, STOP, TARGET, WORST_CASES
from wickcore.measures.frame import TRUE, kernel
from wickcore.measures.program import work_out
from wickcore.trade.orders import stop_fill
from wickcore.trade.sizing import HAIR

# What is called for every position on every bar is written into the loop: handing over so many arrays took half of all the time.
ALL = 1.0 - 1e-9  # parts that come to so much take the whole position
here = njit(nogil=True, inline="always")


@kernel
def act(held: Any, i: int, money: Floats, times: float, paid: float) -> None:
    """Shares multiply, and so much a share (after that) is paid to a long and charged to a short."""
    held.each[i].shares *= times
    held.each[i].mult *= times
    whole = held.each[i].side * held.each[i].shares * paid
    held.each[i].received += whole
    money[CASH] += whole


@here
def split(tape: Any, held: Any, i: int, money: Floats) -> None:
    """Shares multiply and dividends are paid before the bar's open; the last price moves with them."""
    row = held.each[i].row
    if tape.factor[row] == tape.factor[row - 1]:
        return
    held.each[i].mark *= tape.factor[row - 1] / tape.factor[row]
    at = np.searchsorted(tape.act_row, row)
    if at < len(tape.act_row) and tape.act_row[at] == row:
        act(held, i, money, tape.act_shares[at], tape.act_money[at])


@kernel
def is_gone(tape: Any, owner: int, row: int, t: int) -> bool:
    """Whether an instrument without a bar is known to trade no more: its listing says so, or, where none does, it was silent for
    long."""
    return bool(
        tape.gone[owner] <= t or (tape.gone[owner] == NEVER and t - np.searchsorted(tape.at, tape.key[row]) > tape.patience)
    )


@kernel
def resting_stop(held: Any, i: int) -> float:
    """The stop that rests: the fixed one or the one that follows, whichever is nearer; NaN for none."""
    stop, follow = held.each[i].stop, held.each[i].follow
    if stop != stop:
        return float(follow)
    if follow != follow:
        return float(stop)
    return float(max(stop, follow) if held.each[i].side > 0 else min(stop, follow))


@kernel
def _why(held: Any, i: int) -> int:
    return STOP if held.each[i].follow != held.each[i].follow or resting_stop(held, i) == held.each[i].stop else FOLLOW


@kernel
def _take(tape: Any, terms: Any, programs: Any, held: Any, i: int, made: Any, target: int, price: float, step: int) -> None:
    """What a target that was reached takes off: its part of the shares that were bought, counted as they are since; the last of targets that
    together take all takes what is left."""
    at = 0 if held.each[i].side > 0 else 1
    held.each[i].done |= 1 << target
    part, together, last = programs.parts[at, target], 0.0, True
    for other in range(programs.parts.shape[1]):
        together += programs.parts[at, other]
        if programs.parts[at, other] > 0.0 and not (held.each[i].done >> other) & 1:
            last = False
    shares = held.each[i].shares
    if part < 1.0 and not (last and together > ALL):
        wanted = part * held.each[i].shares0 * held.each[i].mult
        shares = min(shares, wanted if terms.fractions else math.floor(wanted + HAIR))
    if shares > 0.0:
        leave(tape, terms, held, i, made, shares, price, TARGET, target, step)


@kernel
def _reached(held: Any, i: int, target: int, price: float, factor: float) -> bool:
    """Whether a price lies at a target that is still open, or beyond it."""
    level = held.levels[i, target]
    return level == level and not (held.each[i].done >> target) & 1 and (price - level / factor) * held.each[i].side >= 0.0


@kernel
def _nearest(programs: Any, held: Any, i: int, price: float, factor: float) -> int:
    """The nearest of the targets that a price lies at or beyond and that are still open, or -1."""
    nearest = -1
    for target in range(programs.targets.shape[1]):
        if _reached(held, i, target, price, factor) and (
            nearest < 0 or (held.levels[i, nearest] - held.levels[i, target]) * held.each[i].side > 0.0
        ):
            nearest = target
    return nearest


@here
def beyond(tape: Any, terms: Any, programs: Any, held: Any, i: int, made: Any, step: int) -> None:
    """Resting stops and targets that the open is already beyond fill at the open."""
    row = held.each[i].row
    open_, factor = tape.open[row], tape.factor[row]
    stop = resting_stop(held, i) / factor
    if stop == stop and (open_ - stop) * held.each[i].side <= 0.0:
        leave(tape, terms, held, i, made, held.each[i].shares, open_, _why(held, i), -1, step)
        return
    target = _nearest(programs, held, i, open_, factor)
    while target >= 0 and held.each[i].shares > 0.0:
        _take(tape, terms, programs, held, i, made, target, open_, step)
        target = _nearest(programs, held, i, open_, factor)


@here
def inside(tape: Any, terms: Any, programs: Any, held: Any, i: int, made: Any, step: int) -> None:
    """Stops and targets inside the bar: the stop first. A position that was entered inside the bar is stopped where the bar
    touches its stop,
    and reaches a target only where it surely did so after the entry."""
    row, side, fresh = held.each[i].row, held.each[i].side, held.each[i].fresh
    open_, high, low, close, factor = tape.open[row], tape.high[row], tape.low[row], tape.close[row], tape.factor[row]
    begin = held.each[i].raw if fresh == UP_INSIDE or fresh == DOWN_INSIDE else open_  # noqa: SIM109
    stop = resting_stop(held, i) / factor
    far = high if side > 0 else low
    # Bought on the way down, the high may lie before the entry; the close lies after it.
    surely = close if fresh == DOWN_INSIDE else far
    if stop == stop:
        filled = stop_fill(begin, high, low, stop, -side)
        if filled == filled:
            doubtful = fresh == UP_INSIDE
            for target in range(programs.targets.shape[1]):
                doubtful = doubtful or _reached(held, i, target, far, factor)
            if doubtful:
                made.money[WORST_CASES] += 1.0
            pass_by(held, i, begin * factor)
            leave(tape, terms, held, i, made, held.each[i].shares, filled, _why(held, i), -1, step)
            return
    target = _nearest(programs, held, i, surely, factor)
    if target >= 0:  # which of the two a bar comes to first cannot be told: its worst is taken to lie before
        pass_by(held, i, begin * factor)
        pass_by(held, i, (low if side > 0 else high) * factor)
    while target >= 0 and held.each[i].shares > 0.0:
        price = held.levels[i, target] / factor
        price = max(price, begin) if side > 0 else min(price, begin)
        _take(tape, terms, programs, held, i, made, target, price, step)
        target = _nearest(programs, held, i, surely, factor)


@here
def reach(tape: Any, held: Any, i: int) -> None:
    """The best and the worst price since the entry, with a bar that is over."""
    row = held.each[i].row
    factor = tape.factor[row]
    pass_by(held, i, tape.low[row] * factor)
    pass_by(held, i, tape.high[row] * factor)


@here
def settle(programs: Any, held: Any, i: int, close_c: float, row: int, own: Floats, stack: Floats) -> None:
    """A bar more that it was held, and the stop that follows. row: of the columns; close_c: on the continuous scale."""
    side = held.each[i].side
    held.each[i].bars += 1
    know(held, i, close_c, own)
    p = programs.follow[0 if side > 0 else 1]
    if p >= 0:
        value = work_out(
            programs.codes, programs.numbers, programs.begin[p], programs.end[p], programs.columns, programs.truths, row, own, stack
        )
        if value == value:
            before = held.each[i].follow
            held.each[i].follow = value if before != before else max(before, value) if side > 0 else min(before, value)


@here
def decide(tape: Any, terms: Any, programs: Any, held: Any, i: int, made: Any, step: int, own: Floats, stack: Floats) -> None:
    """What is decided at a close: the stop that follows, and exits: at once where one that is true says so, whatever their order, or at the
    next open."""
    row = held.each[i].row
    at = 0 if held.each[i].side > 0 else 1
    reach(tape, held, i)
    if len(tape.commit) and not tape.commit[row]:
        return
    settle(programs, held, i, tape.close[row] * tape.factor[row], row, own, stack)
    if held.each[i].due >= 0:
        return
    true, now = 0, False
    for e in range(programs.exits.shape[1]):
        p = programs.exits[at, e]
        if p < 0:
            continue
        truth = work_out(
            programs.codes, programs.numbers, programs.begin[p], programs.end[p], programs.columns, programs.truths, row, own, stack
        )
        if truth == TRUE:
            true |= 1 << e
            now = now or programs.closing[at, e]
    if now:
        leave(tape, terms, held, i, made, held.each[i].shares, tape.close[row], EXIT, true, step)
    elif true:
        held.each[i].due, held.each[i].line = EXIT, true
