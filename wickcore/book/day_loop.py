"""The day loop: what a book would have done, session by session. The order within a session is that of the design, and each
function below is
one part of it. An empty day costs nothing; the work grows with signals and with positions, not with instruments times days."""

import math
from typing import Any, NamedTuple

import numpy as np
from numba import njit

from wickcore.bars.bars import Bools, Floats, Ints
from wickcore.book.fills import AT_ITS_CLOSE, AT_OPEN, DOWN_INSIDE, ENTERED_BEFORE, UP_INSIDE, enter, exposure, leave
from wickcore.book.held_bar import beyond, decide, inside, is_gone, split
from wickcore.book.tape import (
    AT_CLOSE,
    AT_PRICE,
    BORROW,
    CASH,
    DELISTED,
    END,
    EQUITY,
    HELD,
    INTEREST,
    LEFT,
    NO_BAR,
    NO_SLOT,
    OUT,
    POSITION,
    STEP,
    TRADE,
    TRADED,
    UNFILLED,
    WAITING,
    Held,
    Made,
    Signals,
)  # fmt: skip
from wickcore.measures.frame import kernel
from wickcore.trade.orders import limit_fill, stop_fill

YEAR = 365.0  # days of interest (common practice: actual/365)
COUNT, RESTING = 0, 1


class Desk(NamedTuple):
    """What the loop works with. book: slots, the held ones first, in the order of their entries. owned: positions by instrument.
    size: how many
    are held, and how many orders rest. orders: the signals of resting orders; order_row: the last bar each has met; order_left:
    bars it still
    rests. own, stack: for programs. scores: what signals are ordered by, the lowest first."""

    book: Ints
    owned: Ints
    size: Ints
    orders: Ints
    order_row: Ints
    order_left: Ints
    touched: Ints
    entered: Ints
    fills: Floats
    keys: Floats
    own: Floats
    stack: Floats
    scores: Floats


@kernel
def drawn(seed: int, key: int, owner: int, rule: int) -> float:
    """A number from 0 to 1 that stands for a signal in a draw: the same whatever else there is (splitmix64, G. L. Steele et al.,
    2014)."""
    z = np.uint64(seed) * np.uint64(0x9E3779B97F4A7C15) ^ np.uint64(key) * np.uint64(0xD1342543DE82EF95)
    z ^= np.uint64(owner) * np.uint64(0xBF58476D1CE4E5B9) ^ np.uint64(rule + 1) * np.uint64(0x94D049BB133111EB)
    z = (z ^ (z >> np.uint64(30))) * np.uint64(0xBF58476D1CE4E5B9)
    z = (z ^ (z >> np.uint64(27))) * np.uint64(0x94D049BB133111EB)
    z ^= z >> np.uint64(31)
    return float(z >> np.uint64(11)) * (1.0 / 9007199254740992.0)


@kernel
def _scores(tape: Any, signals: Any, terms: Any, out: Floats) -> None:
    """What signals are ordered by, the lowest first: their rank turned round, unknown ones last; or a draw."""
    for s in range(len(out)):
        score = (
            signals.each[s].score
            if terms.ranked
            else drawn(terms.seed, tape.key[signals.each[s].row], signals.each[s].owner, signals.each[s].rule)
        )
        out[s] = -score if score == score else math.inf


@kernel
def _earn(tape: Any, terms: Any, held: Any, desk: Any, made: Any, t: int) -> None:
    """Interest for the days since the last close: on idle cash, and on what was borrowed, shares or money."""
    years, short, money = (tape.days[t] - tape.days[t - 1]) / YEAR, 0.0, made.money
    for j in range(desk.size[COUNT]):
        i = desk.book[j]
        if held.each[i].side < 0:
            short += held.each[i].shares * held.each[i].mark
    earned = max(0.0, money[CASH] - short) * terms.cash_rate * years
    paid = (short + max(0.0, -money[CASH])) * terms.borrow_rate * years
    money[CASH] += earned - paid
    money[INTEREST] += earned
    money[BORROW] += paid


@kernel
def _open(tape: Any, programs: Any, terms: Any, held: Any, desk: Any, made: Any, t: int) -> None:
    """What happens to positions before anything is bought: splits and dividends, delistings, exits due, stops and targets that the
    open is
    beyond."""
    for j in range(desk.size[COUNT]):
        i = desk.book[j]
        row = held.each[i].row + 1
        there = row < tape.offsets[held.each[i].owner + 1] and tape.key[row] == tape.at[t]
        held.each[i].there = 1 if there else 0
        held.each[i].fresh = ENTERED_BEFORE
        if there:
            held.each[i].row = row
            split(tape, held, i, made.money)
    for j in range(desk.size[COUNT]):
        i = desk.book[j]
        if not held.each[i].there and is_gone(tape, held.each[i].owner, held.each[i].row, t):
            leave(tape, terms, held, i, made, held.each[i].shares, held.each[i].mark * terms.delisting, DELISTED, -1, t)
    for j in range(desk.size[COUNT]):
        i = desk.book[j]
        if held.each[i].there and held.each[i].due >= 0 and held.each[i].shares > 0.0:
            leave(
                tape, terms, held, i, made, held.each[i].shares, tape.open[held.each[i].row], held.each[i].due, held.each[i].line, t
            )
    for j in range(desk.size[COUNT]):
        i = desk.book[j]
        if held.each[i].there and held.each[i].shares > 0.0:
            beyond(tape, terms, programs, held, i, made, t)
    _drop(held, desk)


@kernel
def _left_over(signals: Any, desk: Any, made: Any, t: int, at_close: bool) -> None:
    """What is due and was not come to, since no slot was free."""
    for j in range(signals.first[t], signals.first[t + 1]):
        s = signals.order[j]
        if made.outcome[s] == WAITING and signals.each[s].kind != AT_PRICE and (signals.each[s].kind == AT_CLOSE) == at_close:
            made.outcome[s] = HELD if desk.owned[signals.each[s].owner] else NO_SLOT


@njit(nogil=True, cache=True)
def _ranked(due: Ints, scores: Floats) -> Ints:
    """Signals by their rank; equal ones as they came, which is by symbol and then by the order of the rules."""
    return due[np.argsort(scores[due], kind="mergesort")]


@kernel
def _enter_due(
    tape: Any, signals: Any, programs: Any, terms: Any, held: Any, desk: Any, made: Any, ranked: Ints, t: int, at_close: bool
) -> None:  # fmt: skip
    """Enters what is due at this open, or at this close, by rank."""
    for s in ranked:
        if desk.size[COUNT] == terms.slots:
            break
        kind = signals.each[s].kind
        if made.outcome[s] != WAITING or kind == AT_PRICE or (kind == AT_CLOSE) != at_close:
            continue
        if desk.owned[signals.each[s].owner]:
            made.outcome[s] = HELD
            continue
        row = _entry_row(tape, signals, s, t)
        raw, fresh = (tape.close[row], AT_ITS_CLOSE) if at_close else (tape.open[row], AT_OPEN)
        made.outcome[s] = enter(tape, signals, programs, terms, held, desk, made, s, row, t, raw, fresh)
        if made.outcome[s] == TRADED:
            i = desk.book[desk.size[COUNT]]
            if at_close:
                held.each[i].mark = tape.close[row]
                if tape.shut[t]:
                    held.each[i].due = OUT
            desk.size[COUNT] += 1


@kernel
def _place(tape: Any, signals: Any, desk: Any, made: Any, t: int) -> None:
    """Orders that rest from this step on."""
    for j in range(signals.first[t], signals.first[t + 1]):
        s = signals.order[j]
        if signals.each[s].kind == AT_PRICE and made.outcome[s] == WAITING:
            n = desk.size[RESTING]
            desk.orders[n], desk.order_row[n], desk.order_left[n] = s, _before(tape, signals, s, t), signals.each[s].bars
            desk.size[RESTING] = n + 1


@kernel
def _touch(tape: Any, signals: Any, desk: Any, t: int) -> int:
    """The resting orders that the bar fills, with their fills. Returns how many."""
    many = 0
    for j in range(desk.size[RESTING]):
        s, row = desk.orders[j], desk.order_row[j] + 1
        if row < tape.offsets[signals.each[s].owner + 1] and tape.key[row] == tape.at[t]:
            desk.order_row[j] = row
            desk.order_left[j] -= 1
            price, side, up = signals.each[s].price / tape.factor[row], signals.each[s].side, signals.each[s].up
            open_, high, low = tape.open[row], tape.high[row], tape.low[row]
            fill = stop_fill(open_, high, low, price, side) if up else limit_fill(open_, high, low, price, side)
            if fill == fill:
                desk.touched[many], desk.fills[many], desk.keys[many] = j, fill, desk.scores[s]
                desk.entered[many] = AT_OPEN if fill == open_ else UP_INSIDE if up else DOWN_INSIDE
                many += 1
    return many


@kernel
def _fill(
    tape: Any, signals: Any, programs: Any, terms: Any, held: Any, desk: Any, made: Any, ranked: Ints, t: int
) -> None:  # fmt: skip
    """Fills the orders that were touched, by rank."""
    for m in ranked:
        j = desk.touched[m]
        s = desk.orders[j]
        if desk.owned[signals.each[s].owner]:
            made.outcome[s] = HELD
        elif desk.size[COUNT] == terms.slots:
            made.outcome[s] = NO_SLOT
        else:
            row, fresh = desk.order_row[j], desk.entered[m]
            made.outcome[s] = enter(tape, signals, programs, terms, held, desk, made, s, row, t, desk.fills[m], fresh)
            if made.outcome[s] == TRADED:
                desk.size[COUNT] += 1


@kernel
def _expire(tape: Any, signals: Any, desk: Any, made: Any, t: int) -> None:
    """Takes out orders that were decided or have rested long enough."""
    kept = 0
    for j in range(desk.size[RESTING]):
        s = desk.orders[j]
        if made.outcome[s] == WAITING:
            if desk.order_left[j] == 0:
                made.outcome[s] = UNFILLED
            elif tape.gone[signals.each[s].owner] <= t:
                made.outcome[s] = UNFILLED if desk.order_left[j] < signals.each[s].bars else NO_BAR
        if made.outcome[s] == WAITING:
            desk.orders[kept], desk.order_row[kept], desk.order_left[kept] = s, desk.order_row[j], desk.order_left[j]
            kept += 1
    desk.size[RESTING] = kept


@kernel
def _close(tape: Any, programs: Any, terms: Any, held: Any, desk: Any, made: Any, t: int) -> None:
    """Stops and targets inside the bar, then what is decided at its close."""
    for j in range(desk.size[COUNT]):
        i = desk.book[j]
        if held.each[i].there:
            inside(tape, terms, programs, held, i, made, t)
    _drop(held, desk)
    for j in range(desk.size[COUNT]):
        i = desk.book[j]
        if held.each[i].there:
            held.each[i].mark = tape.close[held.each[i].row]
            decide(tape, terms, programs, held, i, made, t, desk.own, desk.stack)
            if terms.leaves and held.each[i].due < 0 and not tape.member[held.each[i].row]:
                held.each[i].due = LEFT
        if tape.shut[t] and held.each[i].due < 0:
            held.each[i].due = OUT
    _drop(held, desk)


@kernel
def _mark(held: Any, desk: Any, made: Any, t: int) -> None:
    value = 0.0
    for j in range(desk.size[COUNT]):
        i = desk.book[j]
        value += held.each[i].side * held.each[i].shares * held.each[i].mark
    made.money[EQUITY] = made.money[CASH] + value
    made.equity[t], made.cash[t], made.held[t] = made.money[EQUITY], made.money[CASH], desk.size[COUNT]
    made.gross[t] = exposure(held, desk.book, desk.size[COUNT])


@kernel
def _drop(held: Any, desk: Any) -> None:
    """Takes ended positions out, the others in their order; their slots wait behind them."""
    kept = 0
    for j in range(desk.size[COUNT]):
        i = desk.book[j]
        if held.each[i].shares > 0.0:
            desk.book[j], desk.book[kept] = desk.book[kept], i
            kept += 1
        else:
            desk.owned[held.each[i].owner] -= 1
    desk.size[COUNT] = kept


@kernel
def _entry_row(tape: Any, signals: Any, s: int, t: int) -> int:
    """The bar of step t; that it is there was made sure of before."""
    row = signals.each[s].row
    while tape.key[row] < tape.at[t]:
        row += 1
    return int(row)


@kernel
def _before(tape: Any, signals: Any, s: int, t: int) -> int:
    """The last bar before step t."""
    row = signals.each[s].row
    while row + 1 < tape.offsets[signals.each[s].owner + 1] and tape.key[row + 1] < tape.at[t]:
        row += 1
    return int(row)


@njit(nogil=True, cache=True)
def run_days(tape: Any, signals: Any, programs: Any, terms: Any, held: Any, desk: Any, made: Any, stop: Bools) -> None:
    """Runs the book over the steps of its terms. What it did stands in `made`, what is open at the end in `held` and `desk`. stop:
    looked at
    each session; ends the run when someone sets it."""
    money, size, nobody = made.money, desk.size, np.empty(0, np.int64)
    _scores(tape, signals, terms, desk.scores)
    money[CASH] = money[EQUITY] = terms.start
    for t in range(terms.first, terms.last + 1):
        if stop[0]:
            break
        money[STEP] = t
        begin, end = signals.first[t], signals.first[t + 1]
        if size[COUNT] == 0 and begin == end and size[RESTING] == 0 and terms.cash_rate == 0.0 and money[CASH] > 0.0:
            made.equity[t] = made.cash[t] = money[CASH]
            continue
        open_session(tape, signals, programs, terms, held, desk, made, t)
        _left_over(signals, desk, made, t, False)
        _place(tape, signals, desk, made, t)
        many = _touch(tape, signals, desk, t)
        if many:
            _fill(tape, signals, programs, terms, held, desk, made, np.argsort(desk.keys[:many], kind="mergesort"), t)
        _expire(tape, signals, desk, made, t)
        _close(tape, programs, terms, held, desk, made, t)
        ranked = _ranked(signals.order[begin:end], desk.scores) if begin < end and size[COUNT] < terms.slots else nobody
        _enter_due(tape, signals, programs, terms, held, desk, made, ranked, t, True)
        _left_over(signals, desk, made, t, True)
        _mark(held, desk, made, t)
        if not money[EQUITY] > 0.0:
            break


@njit(nogil=True, cache=True)
def open_session(tape: Any, signals: Any, programs: Any, terms: Any, held: Any, desk: Any, made: Any, t: int) -> None:
    """What a book does at the open of step `t`: interest, what is left, and what is entered."""
    if t > terms.first:
        _earn(tape, terms, held, desk, made, t)
    _open(tape, programs, terms, held, desk, made, t)
    begin, end = signals.first[t], signals.first[t + 1]
    if begin < end and desk.size[COUNT] < terms.slots:
        _enter_due(tape, signals, programs, terms, held, desk, made, _ranked(signals.order[begin:end], desk.scores), t, False)


@kernel
def mark_open(tape: Any, terms: Any, held: Any, desk: Any, made: Any) -> None:
    """Lists what is open at the end at its last close."""
    for j in range(desk.size[COUNT]):
        i = desk.book[j]
        shares, bill, received = held.each[i].shares, held.each[i].bill, held.each[i].received
        leave(tape, terms, held, i, made, shares, held.each[i].mark, END, -1, terms.last)
        held.each[i].shares, held.each[i].bill, held.each[i].received = shares, bill, received


def slots_for(slots: int, targets: int) -> Held:
    """Room for the positions of a book."""
    return Held(np.zeros(slots, POSITION), np.full((slots, targets), np.nan))


def room_for(steps: int, signals: Signals, slots: int, targets: int) -> Made:
    """Room for what a run makes; memory is taken as it is written."""
    most = len(signals.each) * (targets + 1) + slots
    return Made(
        np.empty(most, TRADE), np.zeros(2, np.int64), np.zeros(6), np.zeros(steps), np.zeros(steps), np.zeros(steps), np.zeros(steps, np.int64),
        signals.each["fate"].copy(),
    )  # fmt: skip


def desk_for(instruments: int, signals: Signals, slots: int, most: int) -> Desk:
    """What the loop works with, empty."""
    orders = int(np.sum(signals.each["kind"] == AT_PRICE))
    ints = np.empty((5, orders), np.int64)
    return Desk(
        np.arange(slots), np.zeros(instruments, np.int64), np.zeros(2, np.int64), ints[0], ints[1], ints[2], ints[3], ints[4], np.empty(orders),
        np.empty(orders), np.empty(8), np.empty(most), np.empty(len(signals.each)),
    )  # fmt: skip
