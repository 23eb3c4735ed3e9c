"""What a book does at the next session: what it sells, what it buys and how much, and where orders rest."""

import math
from dataclasses import dataclass

import numpy as np

from wickcore.book import tape as t
from wickcore.book.fills import SCRAP, shares_for
from wickcore.book.run import BookRun
from wickcore.measures.program import work_out

ACTIONS = {("in", 1): "buy", ("in", -1): "short", ("out", 1): "sell", ("out", -1): "cover"}


@dataclass(frozen=True, slots=True)
class Order:
    """at: `open`, or the price at which it rests, in today's money. shares: for what is bought, counted from the last close (from
    its price for a
    resting order). why: the rule it enters by, or the reason it leaves. stop: where the position's own stop would rest. bars: how
    long it rests."""

    symbol: str
    action: str
    shares: float
    at: float | None
    why: str
    stop: float | None
    bars: int | None = None


def orders(run: BookRun, account: float | None = None) -> list[Order]:
    """Exits first, then entries by rank up to the slots that will be free, then resting orders. account: the equity of an account
    of one's own,
    to whose size all shares are brought; the run's own where it is not given."""
    prepared, terms = run.prepared, run.prepared.terms
    if run.ruined:
        return []
    scale = 1.0 if account is None else account / float(run.equity[-1])
    found = [_exit(p.symbol, p.side, _sized(p.shares * scale, run, scale), p.due) for p in run.open if p.due]
    leaving = {p.symbol for p in run.open if p.due}
    equity, cash = scale * float(run.equity[-1]), scale * float(run.cash[-1])
    kept = [p for p in run.open if p.symbol not in leaving]
    cash += scale * sum((1 if p.side == "long" else -1) * p.shares * p.price for p in run.open if p.due)
    free, room = terms.slots - len(kept), terms.gross * equity - scale * sum(p.shares * p.price for p in kept)
    owned = {p.symbol for p in kept}
    each = prepared.signals.each
    waiting = np.flatnonzero(run.outcome == t.WAITING)
    score = each["score"][waiting] if terms.ranked else np.zeros(len(waiting))
    waiting = waiting[np.lexsort((each["rule"][waiting], each["owner"][waiting], np.where(np.isnan(score), np.inf, -score)))]
    for resting in (False, True):
        for s in waiting.tolist():
            signal = each[s]
            symbol = prepared.bars.symbols[int(signal["owner"])]
            if (signal["kind"] == t.AT_PRICE) != resting or symbol in owned or (not resting and free <= 0):
                continue
            order = _entry(run, s, equity, room, cash)
            if order is None:
                continue
            found.append(order)
            if not resting:
                owned.add(symbol)
                free -= 1
                money = order.shares * float(prepared.tape.close[int(signal["row"])])
                room, cash = room - money, cash - money if signal["side"] > 0 else cash + money
    return found


def _sized(shares: float, run: BookRun, scale: float) -> float:
    return shares if scale == 1.0 or run.prepared.terms.fractions else float(math.floor(shares))


def _exit(symbol: str, side: str, shares: float, due: str | None) -> Order:
    return Order(symbol, ACTIONS["out", 1 if side == "long" else -1], shares, None, due or "", None)


def _entry(run: BookRun, s: int, equity: float, room: float, cash: float) -> Order | None:
    """How much of a signal would be bought, were the price that of the last close."""
    prepared, terms, programs = run.prepared, run.prepared.terms, run.prepared.programs
    signal, tape = prepared.signals.each[s], run.prepared.tape
    side, row = int(signal["side"]), int(signal["row"])
    last = (
        int(
            np.searchsorted(
                tape.key[tape.offsets[signal["owner"]] : tape.offsets[signal["owner"] + 1]], tape.at[terms.last], "right"
            )
        )
        - 1
    )
    factor = float(tape.factor[int(tape.offsets[signal["owner"]]) + last])
    resting = signal["kind"] == t.AT_PRICE
    raw = float(signal["price"]) / factor if resting else float(tape.close[row])
    fill = raw * (1 + side * terms.slip)
    own, at = np.full(8, np.nan), 0 if side > 0 else 1
    own[t.OWN_ENTRY], own[t.OWN_RULE] = fill * factor, signal["rule"]
    stop = math.nan
    if programs.stop[at] >= 0:
        p = programs.stop[at]
        steps = programs.codes, programs.numbers, programs.begin[p], programs.end[p]
        stop = float(work_out(*steps, programs.fixed, programs.truths, s, own, np.empty(programs.most)))
    if terms.sizing == t.EQUAL:
        money = equity / terms.slots
    elif terms.sizing == t.MONEY:
        money = terms.size
    else:
        distance = (fill - stop / factor) * side if terms.sizing == t.RISK else float(signal["unit"]) / factor
        if not distance > 0:
            return None
        money = equity * terms.size / distance * fill
    money = min(money, terms.most_share * equity)
    if math.isfinite(terms.most_day):
        money = min(money, terms.most_day * float(signal["turnover"]))
    whole, money = money, min(money, room)
    if side > 0:
        money = min(money, cash)
    if money < SCRAP * whole:
        return None
    shares = float(shares_for(money, fill, terms)) if money > 0 else 0.0
    if not shares > 0:
        return None
    enter = prepared.book.enters[int(signal["rule"])]
    left = int(signal["bars"]) - (terms.last - int(np.searchsorted(tape.at, tape.key[row]))) if resting else None
    rests = stop / factor if stop == stop else None
    symbol = prepared.bars.symbols[int(signal["owner"])]
    return Order(symbol, ACTIONS["in", side], shares, raw if resting else None, enter.name, rests, left)
