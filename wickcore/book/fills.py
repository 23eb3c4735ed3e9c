"""Opening and closing positions: size, fill, costs, and the accounts. All in printed money of the day."""

import math
from typing import Any

from wickcore.bars.bars import Floats, Ints
from wickcore.book.tape import (
    CASH,
    DELISTED,
    END,
    EQUAL,
    EQUITY,
    MONEY,
    NO_CASH,
    OWN_BARS,
    OWN_BEST,
    OWN_ENTRY,
    OWN_GAIN,
    OWN_GAIN_R,
    OWN_RISK,
    OWN_RULE,
    OWN_WORST,
    POSITIONS,
    RISK,
    TRADED,
    TRADES,
    UNSIZED,
)  # fmt: skip
from wickcore.measures.frame import kernel
from wickcore.measures.program import work_out
from wickcore.trade.costs import commission, fill_price, impact
from wickcore.trade.sizing import HAIR, shares_at_risk, shares_for

ENTERED_BEFORE, AT_OPEN, UP_INSIDE, DOWN_INSIDE, AT_ITS_CLOSE = range(5)  # how a position was entered on this bar
SCRAP = 0.1  # of its size: what the money at hand would cut to less than that takes no slot, and tells nothing of the rule


@kernel
def slip_of(tape: Any, terms: Any, row: int, shares: float) -> float:
    """What a fill is worse than its price, as a fraction: the flat part, and the impact of so many shares as the bars up to `row`
    tell it
    (common practice: the square root law)."""
    if terms.impact == 0.0 or len(tape.swing) == 0:
        return terms.slip
    return terms.slip + impact(terms.impact, tape.swing[row], shares, tape.traded[row])


@kernel
def exposure(held: Any, book: Ints, count: int) -> float:
    """The sum of position sizes at their last prices."""
    total = 0.0
    for j in range(count):
        i = book[j]
        total += held.each[i].shares * held.each[i].mark
    return total


@kernel
def level_of(programs: Any, p: int, s: int, own: Floats, stack: Floats) -> float:
    """A price fixed by signal `s`, on the continuous scale; NaN for none."""
    if p < 0:
        return math.nan
    return work_out(
        programs.codes, programs.numbers, programs.begin[p], programs.end[p], programs.fixed, programs.truths, s, own, stack
    )


@kernel
def _wanted(tape: Any, signals: Any, terms: Any, s: int, row: int, fill: float, stop: float, equity: float) -> float:
    """The money of a new position before cash is looked at; NaN where it cannot be said."""
    if terms.sizing == EQUAL:
        wanted = equity / terms.slots
    elif terms.sizing == MONEY:
        wanted = terms.size
    else:
        distance = (
            (fill - stop / tape.factor[row]) * signals.each[s].side
            if terms.sizing == RISK
            else signals.each[s].unit / tape.factor[row]
        )
        if not distance > 0.0:
            return math.nan
        wanted = shares_at_risk(equity, terms.size, distance) * fill
    wanted = min(wanted, terms.most_share * equity)
    if terms.most_day < math.inf:
        if signals.each[s].turnover != signals.each[s].turnover:
            return math.nan
        wanted = min(wanted, terms.most_day * signals.each[s].turnover)
    return wanted


@kernel
def sized(
    tape: Any, signals: Any, programs: Any, terms: Any, s: int, row: int, raw: float, equity: float, cash: float, room: float, own: Floats,
    stack: Floats,
) -> tuple[int, float, float, float]:  # fmt: skip
    """How much of signal `s` is bought, or sold short, at a price before slippage: TRADED, or why nothing is; shares, fill and stop.

    row: the bar of the fill. cash: at hand; room: money that positions may still take. own, stack: for programs.
    """
    side = signals.each[s].side
    at = 0 if side > 0 else 1
    shares, fill, stop = 0.0, raw, math.nan
    for _ in range(2 if terms.impact > 0.0 else 1):  # the impact is that of the shares bought without it
        fill = fill_price(raw, slip_of(tape, terms, signals.each[s].row, shares), side)
        own[:] = math.nan
        own[OWN_ENTRY], own[OWN_RULE] = fill * tape.factor[row], signals.each[s].rule
        stop = level_of(programs, programs.stop[at], s, own, stack)
        wanted = _wanted(tape, signals, terms, s, row, fill, stop, equity)
        if wanted != wanted:
            return UNSIZED, 0.0, fill, stop
        whole = wanted
        wanted = min(wanted, room)
        if side > 0:
            wanted = min(wanted, cash)
        if wanted < SCRAP * whole:
            return NO_CASH, 0.0, fill, stop
        shares = shares_for(wanted, fill, terms.cost, terms.cost_least, terms.fractions)
        if shares < 1.0 and (not terms.fractions or shares * fill <= HAIR * equity):
            return NO_CASH, 0.0, fill, stop
    return TRADED, shares, fill, stop


@kernel
def enter(
    tape: Any, signals: Any, programs: Any, terms: Any, held: Any, desk: Any, made: Any, s: int, row: int, step: int, raw: float, fresh: int
) -> int:  # fmt: skip
    """Enters signal `s` on a bar at a price before slippage. What came of it; TRADED takes the first free slot of the desk."""
    money, side, k, own, stack = made.money, signals.each[s].side, signals.each[s].owner, desk.own, desk.stack
    at = 0 if side > 0 else 1
    room = terms.gross * money[EQUITY] - exposure(held, desk.book, desk.size[0])
    came, shares, fill, stop = sized(tape, signals, programs, terms, s, row, raw, money[EQUITY], money[CASH], room, own, stack)
    if came != TRADED:
        return came
    i = desk.book[desk.size[0]]
    held.each[i].number = made.size[POSITIONS]
    made.size[POSITIONS] += 1
    held.each[i].signal, held.each[i].owner, held.each[i].rule = s, k, signals.each[s].rule
    take_up(tape, terms, held, i, money, side, shares, row, step, raw, fill, stop, fresh)
    own[OWN_RISK] = held.each[i].risk if held.each[i].risk > 0.0 else math.nan
    for target in range(programs.targets.shape[1]):
        held.levels[i, target] = level_of(programs, programs.targets[at, target], s, own, stack)
    desk.owned[k] += 1
    return TRADED


@kernel
def take_up(
    tape: Any, terms: Any, held: Any, i: int, money: Floats, side: int, shares: float, row: int, step: int, raw: float, fill: float, stop: float,
    fresh: int,
) -> None:  # fmt: skip
    """Puts down a position of so many shares, and pays for it. raw, fill: before and after slippage, as printed that day; stop: on the
    continuous scale, NaN for none."""
    bill = commission(shares, fill, terms.cost, terms.cost_least)
    money[CASH] -= side * shares * fill + bill
    paid_c = fill * tape.factor[row]
    held.each[i].side = side
    held.each[i].row, held.each[i].entry_row, held.each[i].entry_step, held.each[i].there = row, row, step, True
    held.each[i].fresh, held.each[i].bars = fresh, 0 if fresh == AT_ITS_CLOSE else -1
    held.each[i].done, held.each[i].due, held.each[i].line = 0, -1, -1
    held.each[i].shares, held.each[i].shares0, held.each[i].mult = shares, shares, 1.0
    held.each[i].raw, held.each[i].paid, held.each[i].paid_c, held.each[i].mark = raw, fill, paid_c, fill
    held.each[i].stop, held.each[i].first_stop, held.each[i].follow = stop, stop, math.nan
    held.each[i].risk = (paid_c - stop) * side
    held.each[i].best = held.each[i].worst = paid_c
    held.each[i].bill, held.each[i].received = bill, 0.0


@kernel
def pass_by(held: Any, i: int, price_c: float) -> None:
    """A price on the continuous scale that was met while the position was held."""
    up = held.each[i].side > 0
    held.each[i].best = max(held.each[i].best, price_c) if up else min(held.each[i].best, price_c)
    held.each[i].worst = min(held.each[i].worst, price_c) if up else max(held.each[i].worst, price_c)


@kernel
def leave(
    tape: Any, terms: Any, held: Any, i: int, made: Any, shares: float, raw: float, reason: int, line: int, step: int
) -> None:
    """Closes so many shares of a position at a price before slippage; a delisting and the end of the run cost nothing more. line: the target
    that was met, or the exits that were true, a bit each; -1 for neither."""
    side, row = held.each[i].side, held.each[i].row
    fill, cost = raw, 0.0
    if reason != DELISTED and reason != END:
        fill = fill_price(raw, slip_of(tape, terms, max(row - 1, held.each[i].entry_row), shares), -side)
        cost = commission(shares, fill, terms.cost, terms.cost_least)
    share = min(1.0, shares / held.each[i].shares)
    bill, received = held.each[i].bill * share, held.each[i].received * share
    at_entry = shares / held.each[i].mult
    result = side * (shares * fill - at_entry * held.each[i].paid) + received - bill - cost
    n = made.size[TRADES]
    trade, entry_factor = made.trades[n], tape.factor[held.each[i].entry_row]
    trade.number, trade.signal, trade.owner, trade.rule = (
        held.each[i].number,
        held.each[i].signal,
        held.each[i].owner,
        held.each[i].rule,
    )
    trade.side, trade.entry_row, trade.entry_step = side, held.each[i].entry_row, held.each[i].entry_step
    trade.exit_row, trade.exit_step, trade.reason, trade.line = row, step, reason, line
    trade.paid, trade.got, trade.shares, trade.result = held.each[i].paid, fill, at_entry, result
    trade.costs, trade.received = bill + cost, received
    trade.risk, trade.stop = held.each[i].risk / entry_factor, held.each[i].first_stop / entry_factor
    best, worst = held.each[i].best, held.each[i].worst  # what is held on does not know the fill of what was sold
    pass_by(held, i, raw * tape.factor[row])
    pass_by(held, i, fill * tape.factor[row])
    trade.best, trade.worst = held.each[i].best, held.each[i].worst
    held.each[i].best, held.each[i].worst = best, worst
    made.size[TRADES] = n + 1
    if reason != END:  # what is open at the end is marked, not sold
        made.money[CASH] += side * shares * fill - cost
    held.each[i].bill -= bill
    held.each[i].received -= received
    held.each[i].shares = held.each[i].shares - shares if share < 1.0 else 0.0


@kernel
def know(held: Any, i: int, close_c: float, own: Floats) -> None:
    """What is known of a position at a close, for its programs."""
    side, entry = held.each[i].side, held.each[i].paid_c
    own[OWN_ENTRY], own[OWN_RULE], own[OWN_BARS] = entry, held.each[i].rule, held.each[i].bars
    own[OWN_RISK] = held.each[i].risk if held.each[i].risk > 0.0 else math.nan
    own[OWN_GAIN] = side * (close_c / entry - 1.0)
    own[OWN_GAIN_R] = side * (close_c - entry) / own[OWN_RISK] if own[OWN_RISK] > 0.0 else math.nan
    own[OWN_BEST], own[OWN_WORST] = held.each[i].best, held.each[i].worst
