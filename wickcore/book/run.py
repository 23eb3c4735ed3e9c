"""One run of a book: the loop over a prepared book, and what came of it as records."""

import math
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from functools import cached_property
from threading import Event, Thread

import numpy as np

from wickcore.bars.bars import Bools, Days, Floats, Ints
from wickcore.bars.frame_names import MINUTES
from wickcore.bars.moment import clock, iso
from wickcore.book import tape as t
from wickcore.book.day_loop import COUNT, RESTING, Desk, desk_for, mark_open, room_for, run_days, slots_for
from wickcore.book.prepare import Prepared
from wickcore.scan.limits import Limits, Stopped

LOOKED_AT = 0.05  # seconds between two looks at whether to stop


@dataclass(frozen=True, slots=True)
class Trade:
    """One part of a position that was left, or all of it; the parts of one position share its `number`.

    Days since 1970; entry and exit as filled, in printed money of their day; shares as bought. result: money, after costs, with
    dividends; gain: result / (shares × entry); gain_r: result over the risk of so many shares, None without a stop. best, worst: how
    far it went either way up to its exit, that fill counted in, as fractions of the entry. lines: the number of the target that was
    met, or of all exits that were true, in the book's own order.
    """

    number: int
    symbol: str
    rule: str
    side: str
    signal_row: int
    entry_row: int
    exit_row: int
    signal_day: int
    entry_day: int
    entry: float
    shares: float
    exit_day: int
    exit: float
    reason: str
    lines: tuple[int, ...]
    result: float
    costs: float
    dividends: float
    gain: float
    gain_r: float | None
    stop: float | None
    best: float
    worst: float
    bars_held: int

    @property
    def open(self) -> bool:
        return self.reason == "end"


def called(prepared: Prepared, row: int) -> str:
    """What a bar is called: its day, and within the day the minute at which the bar of the book's frame began that it lies in."""
    bars, frame = prepared.bars, prepared.book.frame
    day = iso(int(bars.days[row]))
    if bars.minute is None or frame not in MINUTES:
        return day
    length, opens = MINUTES[frame], bars.calendar.opens
    return f"{day}T{clock((int(bars.minute[row]) - opens) // length * length + opens)}"


@dataclass(frozen=True, slots=True)
class Position:
    """What is open at the end. stop: where it rests on the next bar, in today's money, None for none. due: why it leaves at the
    next open."""

    number: int
    signal: int
    symbol: str
    rule: str
    side: str
    shares: float
    entry_day: int
    entry_row: int
    entry: float
    price: float
    stop: float | None
    targets: tuple[float, ...]
    due: str | None
    gain: float


@dataclass(frozen=True, eq=False)
class Evening:
    """Where a run stands after its last close. positions: its slots; slots: those that are taken, in the order of their entries. money: as of
    `tape.Made`. waiting: the signals that are not decided yet; by these scores (what they are ordered by, the lowest first) and left (bars that
    an order still rests)."""

    positions: t.Held
    slots: Ints
    money: Floats
    waiting: Ints
    scores: Floats
    left: Ints


@dataclass(frozen=True, eq=False)
class BookRun:
    """A run. Arrays by step of the run: equity, cash (money), gross (the sum of position sizes), held (positions). outcome: by
    signal. evening: what the next session begins with."""

    prepared: Prepared
    steps: Ints
    days: Days
    equity: Floats
    cash: Floats
    gross: Floats
    held: Ints
    outcome: Ints
    trades: tuple[Trade, ...]
    open: tuple[Position, ...]
    interest: float
    borrow: float
    worst_cases: int
    ruined: bool
    evening: Evening

    @cached_property
    def signals(self) -> dict[str, int]:
        """How many signals came to what."""
        counts = np.bincount(self.outcome, minlength=len(t.OUTCOMES))
        return {name: int(n) for name, n in zip(t.OUTCOMES, counts, strict=True)}

    @cached_property
    def daily(self) -> tuple[Days, Floats]:
        """The equity at the close of each session."""
        last = np.append(self.days[1:] != self.days[:-1], True)
        return self.days[last], self.equity[last]


@contextmanager
def heeding(limits: Limits | None, stop: Bools, told: Callable[[], None] = lambda: None) -> Iterator[None]:
    """Sets the flag as soon as the limits say that it is over; raises Stopped then, once the work inside has ended. told: called a
    few times a
    second meanwhile."""
    if limits is None:
        yield
        return
    limits.check()
    done = Event()

    def look() -> None:
        while not done.wait(LOOKED_AT):
            told()
            try:
                limits.check()
            except Stopped:
                stop[0] = True
                return

    thread = Thread(target=look, daemon=True)
    thread.start()
    try:
        yield
    finally:
        done.set()
        thread.join()
    if stop[0]:
        limits.check()


def run(
    prepared: Prepared, limits: Limits | None = None, tell: Callable[[str, float], None] = lambda stage, share: None
) -> BookRun:
    """Runs a prepared book. tell: told the year it is in, and the share of the days that is done. Raises Stopped."""
    tape, terms = prepared.tape, prepared.terms
    held, desk, made = _room(prepared)
    stop = np.zeros(1, np.bool_)

    def told() -> None:
        at = int(made.money[t.STEP])
        tell(f"Trading {1970 + int(np.int64(tape.days[at]) / 365.2425)}", (at - terms.first) / max(1, terms.last - terms.first))

    with heeding(limits, stop, told):
        run_days(tape, prepared.signals, prepared.programs, terms, held, desk, made, stop)
    evening = _evening(prepared, held, desk, made)
    found = _open(prepared, held, desk.book[: desk.size[COUNT]])
    last = terms.last
    ruined = not made.money[t.EQUITY] > 0.0
    if ruined:  # it ended on that day
        last = terms.first + int(np.argmax(made.equity[terms.first : last + 1] <= 0.0))
    mark_open(tape, terms._replace(last=last), held, desk, made)
    steps = np.arange(terms.first, last + 1)
    return BookRun(
        prepared, steps, tape.days[steps], made.equity[steps], made.cash[steps], made.gross[steps], made.held[steps], made.outcome,
        tuple(_trades(prepared, made)), found, float(made.money[t.INTEREST]), float(made.money[t.BORROW]), int(made.money[t.WORST_CASES]),
        ruined, evening,
    )  # fmt: skip


def _evening(prepared: Prepared, held: t.Held, desk: Desk, made: t.Made) -> Evening:
    waiting = np.flatnonzero(made.outcome == t.WAITING)
    left = prepared.signals.each["bars"][waiting].copy()
    resting = desk.orders[: desk.size[RESTING]]
    left[np.searchsorted(waiting, resting)] = desk.order_left[: desk.size[RESTING]]
    positions = t.Held(held.each.copy(), held.levels.copy())
    return Evening(positions, desk.book[: desk.size[COUNT]].copy(), made.money.copy(), waiting, desk.scores[waiting], left)


def equity_of(prepared: Prepared, seed: int | None = None, stop: Bools | None = None) -> Floats:
    """The equity by step alone, of a run whose signals are ranked by a draw where a seed is given."""
    terms = prepared.terms if seed is None else prepared.terms._replace(ranked=False, seed=seed)
    held, desk, made = _room(prepared)
    flag = np.zeros(1, np.bool_) if stop is None else stop
    run_days(prepared.tape, prepared.signals, prepared.programs, terms, held, desk, made, flag)
    return np.asarray(made.equity[terms.first : terms.last + 1])


def outline(prepared: Prepared, limits: Limits | None = None) -> tuple[Days, Floats, int]:
    """Of a run only the days, the equity at their closes and how many positions have ended: what a sweep of many needs. Raises
    Stopped."""
    held, desk, made = _room(prepared)
    terms, stop = prepared.terms, np.zeros(1, np.bool_)
    with heeding(limits, stop):
        run_days(prepared.tape, prepared.signals, prepared.programs, terms, held, desk, made, stop)
    days, equity = prepared.tape.days[terms.first : terms.last + 1], made.equity[terms.first : terms.last + 1]
    if not made.money[t.EQUITY] > 0.0:
        size = int(np.argmax(equity <= 0.0)) + 1
        days, equity = days[:size], equity[:size]
    last = np.append(days[1:] != days[:-1], True)
    return days[last], equity[last], int(made.size[t.POSITIONS]) - int(desk.size[COUNT])


def _room(prepared: Prepared) -> tuple[t.Held, Desk, t.Made]:
    programs, signals, slots = prepared.programs, prepared.signals, prepared.terms.slots
    targets = programs.targets.shape[1]
    desk = desk_for(len(prepared.tape.gone), signals, slots, programs.most)
    return slots_for(slots, targets), desk, room_for(len(prepared.tape.days), signals, slots, targets)


def _known(value: float) -> float | None:
    return float(value) if math.isfinite(value) else None


def _trades(prepared: Prepared, made: t.Made) -> Iterator[Trade]:
    tape, signals, symbols = prepared.tape, prepared.signals, prepared.bars.symbols
    names = [e.name for e in prepared.book.enters]
    size = int(made.size[t.TRADES])
    columns = {name: made.trades[name][:size].tolist() for name in t.TRADE.names or ()}
    # Bars are counted in the book's frame, as its own lines count them.
    ends = np.flatnonzero(tape.commit) if len(tape.commit) else None
    for values in zip(*columns.values(), strict=True):
        x = dict(zip(columns, values, strict=True))
        side, paid, shares, result = x["side"], x["paid"], x["shares"], x["result"]
        paid_c, row = paid * float(tape.factor[x["entry_row"]]), int(signals.each["row"][x["signal"]])
        yield Trade(
            x["number"], symbols[x["owner"]], names[x["rule"]], "long" if side > 0 else "short", row, x["entry_row"], x["exit_row"],
            int(prepared.bars.days[row]), int(tape.days[x["entry_step"]]), paid, shares, int(tape.days[x["exit_step"]]), x["got"],
            t.REASONS[x["reason"]], _lines(x["reason"], x["line"]), result, x["costs"], x["received"], result / (shares * paid),
            result / (shares * x["risk"]) if x["risk"] > 0.0 else None, _known(x["stop"]), side * (x["best"] / paid_c - 1.0),
            side * (x["worst"] / paid_c - 1.0), _between(ends, x["entry_row"], x["exit_row"]),
        )  # fmt: skip


def _lines(reason: int, line: int) -> tuple[int, ...]:
    if reason == t.EXIT:
        return tuple(n for n in range(line.bit_length()) if line >> n & 1)
    return () if line < 0 else (line,)


def _between(ends: Ints | None, first: int, last: int) -> int:
    """How many bars lie between two rows. ends: the rows that end one; None where each does."""
    return last - first if ends is None else int(np.subtract(*np.searchsorted(ends, [last, first])))


def _open(prepared: Prepared, held: t.Held, left: Ints) -> tuple[Position, ...]:
    tape, found = prepared.tape, []
    names = [e.name for e in prepared.book.enters]
    for i in left.tolist():
        x = {name: held.each[name][i].item() for name in t.POSITION.names or ()}
        row, side = x["row"], x["side"]
        factor = float(tape.factor[row])
        levels = [level for level in (x["stop"], x["follow"]) if level == level]
        stop = (max(levels) if side > 0 else min(levels)) / factor if levels else None
        targets = [
            float(level) / factor for n, level in enumerate(held.levels[i].tolist()) if level == level and not (x["done"] >> n) & 1
        ]
        shares, at_entry = x["shares"], x["shares"] / x["mult"]
        value = side * (shares * x["mark"] - at_entry * x["paid"]) + x["received"] - x["bill"]
        found.append(
            Position(
                x["number"], x["signal"], prepared.bars.symbols[x["owner"]], names[x["rule"]], "long" if side > 0 else "short", shares,
                int(tape.days[x["entry_step"]]), x["entry_row"], x["paid"], x["mark"], stop, tuple(targets),
                t.REASONS[x["due"]] if x["due"] >= 0 else None, value / (at_entry * x["paid"]),
            )
        )  # fmt: skip
    return tuple(found)
