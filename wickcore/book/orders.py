"""What a book does at the next session: the opening of the day loop itself, on a bar that opens at the last close."""

import math
from dataclasses import dataclass

import numpy as np

from wickcore.bars.bars import Ints
from wickcore.book import tape as t
from wickcore.book.day_loop import COUNT, Desk, desk_for, open_session, room_for, slots_for
from wickcore.book.fills import exposure, sized
from wickcore.book.prepare import Prepared
from wickcore.book.run import BookRun, Evening

ACTIONS = {("in", 1): "buy", ("in", -1): "short", ("out", 1): "sell", ("out", -1): "cover"}


@dataclass(frozen=True, slots=True)
class Order:
    """at: `open`, or the price at which it rests, in today's money. shares: counted from the last close, or from the price of a
    resting order. why: the rule it enters by, or the reason it leaves. stop: where the position's own stop would rest. bars: how
    long it rests."""

    symbol: str
    action: str
    shares: float
    at: float | None
    why: str
    stop: float | None
    bars: int | None = None


def orders(run: BookRun, account: float | None = None) -> list[Order]:
    """What leaves and what is entered at the next open, were it at the last close, then resting orders, each as if it alone were filled.

    Entries are those of the day loop: what is left first, then by rank as long as slots, cash and gross last. account: the equity of an account
    of one's own, to whose size all is brought; the run's own where it is not given.
    """
    if run.ruined:
        return []
    night = _Night(run, 1.0 if account is None else account / float(run.equity[-1]))
    open_session(*night.arrays, night.step)
    return [*night.left(), *night.entered(), *night.resting()]


class _Night:
    """The instruments that a run holds or waits for, up to its last close and with one bar more, as the day loop has them."""

    def __init__(self, run: BookRun, scale: float) -> None:
        prepared, evening = run.prepared, run.evening
        self.prepared, self.step = prepared, prepared.terms.last + 1
        each = prepared.signals.each
        self.waiting = _of_the_next_session(prepared, evening)
        signals, positions = each[evening.waiting[self.waiting]].copy(), evening.positions.each.copy()
        self.owners = np.unique(np.concatenate([signals["owner"], positions["owner"][evening.slots]]))
        tape, begins, self.last = _tape(prepared, self.owners, signals, self.step)
        for records in (signals, positions):
            k = np.minimum(np.searchsorted(self.owners, records["owner"]), max(len(self.owners) - 1, 0))
            records["owner"] = k
            if len(self.owners):
                records["row"] += tape.offsets[k] - begins[k]
        if len(self.owners):
            trades = prepared.tape.gone[self.owners] > self.step  # then its last row is that of the session to come
            positions["row"] = positions["entry_row"] = (self.last - trades)[positions["owner"]]
        positions["shares"] = _whole(positions["shares"] * scale, scale, prepared)
        open_ = positions[evening.slots]
        self.mult = dict(zip(open_["number"].tolist(), open_["mult"].tolist(), strict=True))
        signals["due"] = self.step
        at_open = np.flatnonzero(signals["kind"] != t.AT_PRICE)
        order = at_open[np.lexsort((signals["rule"][at_open], signals["owner"][at_open]))]
        self.signals = t.Signals(signals, order, np.append(np.zeros(self.step + 1, np.int64), len(order)))
        programs = prepared.programs._replace(fixed=np.ascontiguousarray(prepared.programs.fixed[:, evening.waiting[self.waiting]]))
        terms = prepared.terms._replace(last=self.step)
        targets = programs.targets.shape[1]
        held = slots_for(terms.slots, targets)
        held.each[:], held.levels[:] = positions, evening.positions.levels
        desk = desk_for(len(self.owners), self.signals, terms.slots, programs.most)
        self._fill_desk(desk, evening, held)
        made = room_for(self.step + 1, self.signals, terms.slots, targets)
        made.money[:] = evening.money
        made.money[[t.CASH, t.EQUITY]] *= scale
        self.arrays = tape, self.signals, programs, terms, held, desk, made
        self.bars_left = evening.left[self.waiting]

    def _fill_desk(self, desk: Desk, evening: Evening, held: t.Held) -> None:
        others = np.setdiff1d(desk.book, evening.slots)
        desk.book[:] = np.concatenate([evening.slots, others])
        desk.size[COUNT] = len(evening.slots)
        np.add.at(desk.owned, held.each["owner"][evening.slots], 1)
        desk.scores[:] = evening.scores[self.waiting]

    def symbol(self, owner: int) -> str:
        return self.prepared.bars.symbols[int(self.owners[owner])]

    def left(self) -> list[Order]:
        """What was left at the open, but for what trades no more."""
        *_, made = self.arrays
        result = []
        for trade in made.trades[: made.size[t.TRADES]]:
            if trade["reason"] != t.DELISTED:
                shares = round(float(trade["shares"]) * self.mult[int(trade["number"])], 9)
                action = ACTIONS["out", int(trade["side"])]
                result.append(Order(self.symbol(trade["owner"]), action, shares, None, t.REASONS[trade["reason"]], None))
        return result

    def entered(self) -> list[Order]:
        """What was entered at the open, in its order."""
        *_, held, desk, made = self.arrays
        count = int(desk.size[COUNT])
        return [
            self._entry(int(x["owner"]), int(x["side"]), int(x["rule"]), float(x["shares"]), None, float(x["first_stop"]), None)
            for x in held.each[desk.book[count - int(made.size[t.POSITIONS]) : count]]
        ]

    def resting(self) -> list[Order]:
        """Orders that rest in the session, in the order in which they would be filled."""
        tape, signals, programs, terms, held, desk, made = self.arrays
        equity, cash = float(made.money[t.EQUITY]), float(made.money[t.CASH])
        room = terms.gross * equity - exposure(held, desk.book, desk.size[COUNT])
        result = []
        for s in np.argsort(desk.scores, kind="mergesort").tolist():
            x = signals.each[s]
            owner = int(x["owner"])
            if x["kind"] != t.AT_PRICE or desk.owned[owner]:
                continue
            row = int(self.last[owner])
            raw = float(x["price"]) / float(tape.factor[row])
            came, shares, _, stop = sized(tape, signals, programs, terms, s, row, raw, equity, cash, room, desk.own, desk.stack)
            if came == t.TRADED:
                result.append(self._entry(owner, int(x["side"]), int(x["rule"]), shares, raw, stop, int(self.bars_left[s])))
        return result

    def _entry(
        self, owner: int, side: int, rule: int, shares: float, price: float | None, stop: float, bars: int | None
    ) -> Order:  # fmt: skip
        factor = float(self.arrays[0].factor[self.last[owner]])
        rests = None if math.isnan(stop) else stop / factor
        return Order(self.symbol(owner), ACTIONS["in", side], shares, price, self.prepared.book.enters[rule].name, rests, bars)


def _of_the_next_session(prepared: Prepared, evening: Evening) -> Ints:
    """The places of the waiting signals that are entered at the next open, or rest in the next session, by symbol and rule."""
    signals, last = prepared.signals.each[evening.waiting], prepared.terms.last
    here = (signals["due"] == last + 1) | ((signals["kind"] == t.AT_PRICE) & (signals["due"] <= last))
    here &= prepared.tape.gone[signals["owner"]] > last + 1
    place = np.flatnonzero(here)
    return place[np.lexsort((signals["rule"][place], signals["owner"][place], signals["due"][place]))]


def _whole(shares: np.ndarray, scale: float, prepared: Prepared) -> np.ndarray:
    return shares if scale == 1.0 or prepared.terms.fractions else np.floor(shares)


def _tape(prepared: Prepared, owners: Ints, signals: np.ndarray, step: int) -> tuple[t.Tape, Ints, Ints]:
    """The bars of some instruments from their first waiting signal to the last close, and one more at that price for those that still trade.
    Returns the tape, the rows at which each begins in the whole one, and each one's last row."""
    tape, bars = prepared.tape, prepared.bars
    moment = tape.at[step - 1]
    ends = [
        int(tape.offsets[o] + np.searchsorted(tape.key[tape.offsets[o] : tape.offsets[o + 1]], moment, "right")) for o in owners
    ]
    begins = np.array(ends, np.int64) - 1
    np.minimum.at(begins, np.searchsorted(owners, signals["owner"]), signals["row"])
    trades = tape.gone[owners] > step
    sizes = np.array(ends, np.int64) - begins + trades
    offsets = np.concatenate([[0], np.cumsum(sizes)]).astype(np.int64)
    rows = np.repeat(begins - offsets[:-1], sizes) + np.arange(offsets[-1])
    last = offsets[1:] - 1
    more = last[trades]
    rows[more] -= 1
    next_moment = np.asarray(moment + 1, tape.key.dtype)
    key = tape.key[rows]
    key[more] = next_moment
    prices = {name: getattr(tape, name)[rows] for name in ("open", "high", "low", "close")}
    for column in prices.values():
        column[more] = tape.close[rows[more]]
    days = tape.days[:step]
    within = bars.minute is not None and step < len(tape.days) and tape.days[step] == days[-1]
    next_day = days[-1] if within else bars.calendar.following([int(days[-1])])[0]
    impact = {name: getattr(tape, name)[rows] for name in ("swing", "traded") if len(getattr(tape, name))}
    small = t.tape_of(
        offsets=offsets, key=key, at=np.append(tape.at[:step], next_moment), factor=tape.factor[rows], gone=tape.gone[owners],
        patience=tape.patience, days=np.append(days, np.asarray(next_day, days.dtype)), shut=np.zeros(step + 1, np.bool_), **prices, **impact,
    )  # fmt: skip
    return small, begins, last
