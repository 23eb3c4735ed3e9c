"""Paper orders: a plan left to the clock. It fills as a book's resting order would, by the same code, a session or a minute at a time.

What is played stays played: each call goes on from the moment up to which the one before had come, with the levels that stand now. Prices are on
the continuous scale, so that a split moves nothing; shares multiply with it, as a book's do.
"""

import math
from collections.abc import Iterator
from dataclasses import dataclass, field, replace
from functools import lru_cache
from typing import Any, Literal

import numpy as np

from wickcore.bars.bars import Bars, Floats
from wickcore.bars.market import Market
from wickcore.bars.moment import Moment, of_key
from wickcore.book import tape as t
from wickcore.book.events import acts_by_day, gone_at
from wickcore.book.held_bar import resting_stop
from wickcore.book.prepare import Writer
from wickcore.language.book import LONG, SHORT, Level
from wickcore.language.book_check import check_book
from wickcore.plan.holdings import last_price
from wickcore.plan.paper_order_bars import SHARES, WAITS, acted, gone, meet, over
from wickcore.scan.evaluate import Evaluator
from wickcore.scan.limits import Limits
from wickcore.trade.sizing import HAIR

MOST_TARGETS = 3
SAME = 1e-4  # what rounding a price for a person makes of it
WAITING, HELD, EXPIRED, CLOSED = "waiting", "held", "expired", "closed"
_ACTIONS = {("in", 1): "buy", ("in", -1): "short", ("out", 1): "sell", ("out", -1): "cover"}
_ROWS = ("signal", "owner", "rule", "row", "entry_row", "entry_step", "there", "fresh")  # of the tables, found anew each time


@dataclass(frozen=True, slots=True)
class PaperOrder:
    """What is left to the clock. entry, stop, targets: on the continuous scale; stop: None for none; targets: price and the part that is
    taken there. follow: a line of a book, such as `best - 3 * atr(14)`, "" for none. shares: whole, of the day it was placed. until: the last
    day on which it waits. cost, slip: fractions a side."""

    symbol: str
    side: Literal["long", "short"]
    entry: float
    stop: float | None
    targets: tuple[tuple[float, float], ...] = ()
    follow: str = ""
    shares: float = 0.0
    until: int = 0
    cost: float = 0.0
    slip: float = 0.0

    @property
    def sign(self) -> int:
        return 1 if self.side == "long" else -1


@dataclass(frozen=True, slots=True)
class Paper:
    """How far an order has come: what is kept between two looks. up: it fills on the way up of a long, down of a short. seen: the key of the
    moment up to which it was played; since: that from which its levels hold. acted: the last day whose splits and dividends were seen to.
    shares: ordered, now. position: the fields of what is held, by name. levels: the targets'. leaves: the day after which it is closed at the
    next open, None where it is not."""

    state: str
    up: bool
    seen: int
    since: int
    acted: int
    shares: float
    position: dict[str, float] = field(default_factory=dict)
    levels: tuple[float, ...] = ()
    leaves: int | None = None


@dataclass(frozen=True, slots=True)
class PaperFill:
    """moment: the end of the bar on which it was filled. price, cost: as printed that day. reason: entry, or one of a book's. factor: of that
    day's scale. result: of what was closed, after costs, with dividends; None for an entry. doubtful: the bar met a target or the entry and
    the stop; the stop was taken."""

    moment: Moment
    action: str
    shares: float
    price: float
    cost: float
    reason: str
    factor: float
    result: float | None = None
    doubtful: bool = False


@lru_cache(256)
def follow_of(text: str, side: str) -> Level | None:
    """The checked line of a stop that follows, None for none. Raises RuleError with what is wrong with it."""
    if not text.strip():
        return None
    book = f'enter "it" at next open\nfollow: {text}'
    checked = check_book(book, {"it": f"side: {side}\nclose > 0"})
    return checked.ways(LONG if side == "long" else SHORT).follow


def placed(market: Market, order: PaperOrder, at: Moment) -> Paper:
    """The order as it begins to wait after a moment. Raises ValueError with a sentence where there is no bar yet."""
    price, factor = last_price(market, order.symbol, at)
    if math.isnan(price):
        raise ValueError(f"{order.symbol} has no bar yet.")
    up = (order.entry - price * factor) * order.sign >= 0.0
    return Paper(WAITING, up, at.key, at.key, at.day, order.shares)


def play(
    evaluator: Evaluator, order: PaperOrder, paper: Paper, until: Moment, limits: Limits | None = None
) -> tuple[Paper, list[PaperFill]]:
    """Plays an order on, over all bars that are known by a moment and were not by the one before. Returns how far it came, with its fills in
    their order. Sessions that have bars within the day are read from these, others from their day's bar; a stop that follows moves at
    closes. Raises RuleError for a line that cannot be read, Stopped when `limits` say so."""
    if paper.state in (EXPIRED, CLOSED) or until.key <= paper.seen:
        return paper, []
    return _Play(evaluator, order, paper, until, limits).run()


class _Play:
    def __init__(self, evaluator: Evaluator, order: PaperOrder, paper: Paper, until: Moment, limits: Limits | None) -> None:
        self.market, self.order, self.paper, self.until = evaluator.market, order, paper, until
        self.day = evaluator.on("day")
        self.k = self.market.bars.number[order.symbol]
        self.inner = next((table for table in self.market.tables if table.frame != "day"), None)
        side = order.sign
        parts = np.array([[part for _, part in order.targets]] * 2).reshape(2, len(order.targets))
        levels = paper.levels if paper.position else tuple(price for price, _ in order.targets)
        self.held = t.Held(np.zeros(1, t.POSITION), np.array([levels], np.float64).reshape(1, len(order.targets)))
        for name, value in paper.position.items():
            self.held.each[name] = value
        self.programs = self._programs(parts, limits)
        nothing = np.zeros(0)
        self.made = t.Made(
            np.empty(len(order.targets) + 2, t.TRADE), np.zeros(2, np.int64), np.zeros(6), nothing, nothing, nothing, np.empty(0, np.int64),
            np.empty(0, np.int64),
        )  # fmt: skip
        self.terms = t.Terms(
            slots=1, start=0.0, sizing=t.MONEY, size=0.0, most_share=math.inf, most_day=math.inf, gross=math.inf, cash_rate=0.0, borrow_rate=0.0,
            cost=order.cost, cost_least=0.0, slip=order.slip, impact=0.0, delisting=1.0, fractions=False, leaves=False, ranked=False, seed=1,
            first=0, last=0,
        )  # fmt: skip
        stop = math.nan if order.stop is None else order.stop
        waits = 1.0 if paper.state == WAITING else 0.0
        self.asked = np.array([order.entry, side, paper.up, paper.shares, stop, waits], np.float64)
        self.own, self.stack = np.full(8, np.nan), np.empty(self.programs.most)
        self.fills: list[PaperFill] = []
        self.acted = paper.acted
        self.tapes: dict[str, t.Tape] = {}

    def run(self) -> tuple[Paper, list[PaperFill]]:
        bars, state = self.market.bars, self.paper.state
        acts = acts_by_day(self.market, self.k)
        for day, inner, row in self._sessions():
            self._act(acts, day)
            self.held.each["due"] = t.EXIT if self.paper.leaves is not None and day > self.paper.leaves else -1
            if self.asked[WAITS] and self.asked[SHARES] < 1.0:  # a split has left less than a share of it
                break
            if inner is not None and self.inner is not None:
                self._meet(self.inner, *inner)
            elif row is not None:
                # Of a day's bar that began before the levels were set, only its close lies surely after that.
                since = of_key(self.paper.since)
                self._meet(bars, row, row, whole=since.closed or since.day != day)
            if row is not None and self.shares > 0.0:
                close = float(bars.close[row] * bars.factor[row])
                over(self.programs, self.held, close, row - int(bars.offsets[self.k]), self.own, self.stack)
            if not self.shares > 0.0 and not self.asked[WAITS]:
                break
        gone = int(gone_at(self.market, bars.sessions)[self.k])
        ended = gone <= bars.session_on(self.until.day)
        if self.shares > 0.0 and ended:
            self._gone(Moment(int(bars.sessions[gone])))
        if self.shares > 0.0:
            state = HELD
        elif not self.asked[WAITS]:
            state = CLOSED
        elif ended or self.asked[SHARES] < 1.0 or self.until.key >= Moment(self.order.until).key:
            state = EXPIRED
        return self._kept(state), self.fills

    @property
    def shares(self) -> float:
        return float(self.held.each["shares"][0])

    def _sessions(self) -> Iterator[tuple[int, tuple[int, int] | None, int | None]]:
        """The sessions not played yet: day, its new bars within the day (None where the session has none at all), its day's bar."""
        bars, k, seen, until = self.market.bars, self.k, self.paper.seen, self.until.key
        begin, end = int(bars.offsets[k]), int(bars.offsets[k + 1])
        known = bars.known_at(slice(begin, end))
        first, last = np.searchsorted(known, [seen, until], "right")
        days = {int(bars.days[begin + i]): begin + i for i in range(int(first), int(last))}
        inner: dict[int, tuple[int, int]] = {}
        if self.inner is not None:
            table = self.inner
            begin, end = int(table.offsets[k]), int(table.offsets[k + 1])
            known = table.known_at(slice(begin, end))
            first, last = np.searchsorted(known, [seen, until], "right")
            for row in range(begin + int(first), begin + int(last)):
                day = int(table.days[row])
                inner[day] = (inner.get(day, (row, row))[0], row)
            of_table = table.days[begin:end]
            for day in days.keys() - inner.keys():  # its bars were all played before the close
                at = int(np.searchsorted(of_table, day))
                if at < len(of_table) and of_table[at] == day:
                    inner[day] = (0, -1)
        for day in sorted(days.keys() | inner.keys()):
            # A day's bar closes the session only once its minutes are over; an order's last day ends with it.
            if self.asked[WAITS] and not self.shares > 0.0 and day > self.order.until:
                return
            yield day, inner.get(day), days.get(day)

    def _meet(self, table: Bars, first: int, last: int, whole: bool = True) -> None:
        if first > last:
            return
        before, doubts = int(self.made.size[t.TRADES]), float(self.made.money[t.WORST_CASES])
        entered = meet(self._tape(table, whole), self.programs, self.terms, self.held, self.made, self.asked, first, last)
        position = self.held.each[0]
        if entered >= 0:
            shares, price = float(position["shares0"]), float(position["paid"])
            self._fill(table, entered, "in", shares, price, shares * price * self.order.cost, "entry")
        doubtful = float(self.made.money[t.WORST_CASES]) > doubts
        self._left(table, before, doubtful)

    def _left(self, table: Bars, before: int, doubtful: bool = False, at: Moment | None = None) -> None:
        for trade in self.made.trades[before : int(self.made.size[t.TRADES])]:
            reason, row, price = t.REASONS[int(trade["reason"])], int(trade["exit_row"]), float(trade["got"])
            times = float(self.held.each["mult"][0])
            shares = float(trade["shares"]) * times
            shares = round(shares) if abs(shares - round(shares)) < HAIR * max(1.0, shares) else shares
            cost = 0.0 if reason == "delisted" else shares * price * self.order.cost
            self._fill(
                table,
                row,
                "out",
                shares,
                price,
                cost,
                reason,
                float(trade["result"]),
                doubtful and reason in ("stop", "follow"),
                at,
            )

    def _fill(
        self, table: Bars, row: int, way: str, shares: float, price: float, cost: float, reason: str, result: float | None = None,
        doubtful: bool = False, at: Moment | None = None,
    ) -> None:  # fmt: skip
        moment = at or of_key(int(table.known_at(slice(row, row + 1))[0]))
        action = _ACTIONS[way, self.order.sign]
        self.fills.append(PaperFill(moment, action, shares, price, cost, reason, float(table.factor[row]), result, doubtful))

    def _gone(self, at: Moment) -> None:
        before, bars = int(self.made.size[t.TRADES]), self.market.bars
        self.held.each["row"] = max(0, int(bars.offsets[self.k + 1]) - 1)
        gone(self._tape(bars), self.terms, self.held, self.made)
        self._left(bars, before, at=at)

    def _act(self, acts: dict[int, tuple[float, float, float]], day: int) -> None:
        for on in sorted(d for d in acts if self.acted < d <= day):
            times, paid, scale = acts[on]
            if self.shares > 0.0:
                acted(self.held, self.made.money, times, paid, scale)
            elif self.asked[WAITS]:
                self.asked[SHARES] = math.floor(self.asked[SHARES] * times + HAIR)
        self.acted = max(self.acted, day)

    def _programs(self, parts: Floats, limits: Limits | None) -> t.Programs:
        """Programs with nothing but the stop that follows; its columns are those of the one instrument's daily bars."""
        writer, follow = Writer(), np.full(2, -1)
        line = follow_of(self.order.follow, self.order.side)
        columns, truths = np.empty((0, 0)), np.empty((0, 0), np.int8)
        if line is not None:
            follow[:] = writer.add(line.op, apart=True)
            size = int(np.diff(self.market.bars.offsets)[self.k])
            columns = _rows(self.day, list(writer.columns.values()), self.order.symbol, size, np.float64, limits)
            truths = _rows(self.day, list(writer.truths.values()), self.order.symbol, size, np.int8, limits)
        none = np.full((2, parts.shape[1]), -1)
        return t.Programs(
            np.concatenate([*writer.codes, np.empty(0, np.int64)]), np.concatenate([*writer.numbers, np.empty(0)]),
            np.array(writer.begin, np.int64), np.array(writer.end, np.int64), np.full(2, -1), follow, none, parts,
            np.empty((2, 0), np.int64), np.empty((2, 0), np.bool_), np.empty((0, 0)), columns, truths, writer.most,
        )  # fmt: skip

    def _tape(self, table: Bars, whole: bool = True) -> t.Tape:
        """A table as the loop reads it. whole: else every price of a bar is its close."""
        place = f"{table.frame} {whole}"
        if place not in self.tapes:
            prices = ("open", "high", "low", "close")
            self.tapes[place] = t.tape_of(
                offsets=table.offsets, key=table.days, at=table.days, days=table.days, factor=table.factor,
                **{name: getattr(table, name if whole else "close") for name in prices},
            )  # fmt: skip
        return self.tapes[place]

    def _kept(self, state: str) -> Paper:
        position = self.held.each[0]
        fields = {n: float(position[n]) for n in t.POSITION.names or () if n not in _ROWS} if state == HELD else {}
        return replace(
            self.paper, state=state, seen=self.until.key, acted=self.acted, shares=float(self.asked[SHARES]), position=fields,
            levels=tuple(float(x) for x in self.held.levels[0]) if state == HELD else (), leaves=self.paper.leaves if state == HELD else None,
        )  # fmt: skip


def _rows(engine: Evaluator, ops: list[Any], symbol: str, size: int, kind: type, limits: Limits | None) -> Any:
    made: Any = np.empty((len(ops), size), kind)
    for row, column in zip(made, engine.rows(ops, symbol, limits) if ops else [], strict=True):
        row[:] = column
    return made


def moved(paper: Paper, order: PaperOrder, at: Moment) -> Paper:
    """The same with the levels of a changed order: what is held is stopped there, and aims there, from a moment on. Its entry is what it was."""
    if paper.state != HELD:
        return paper
    stop = math.nan if order.stop is None else order.stop
    # What was taken at a target that still stands is not taken there again.
    taken = [level for n, level in enumerate(paper.levels) if (int(paper.position["done"]) >> n) & 1]
    done = sum(1 << n for n, (price, _) in enumerate(order.targets) if any(math.isclose(price, t, rel_tol=SAME) for t in taken))
    position = {
        **paper.position,
        "stop": stop,
        "done": float(done),
        "follow": paper.position["follow"] if order.follow else math.nan,
    }
    return replace(paper, since=at.key, position=position, levels=tuple(price for price, _ in order.targets))


def rests(paper: Paper, scale: float) -> float | None:
    """Where the stop of what is held rests on the next bar, in prices of that scale; None where there is none."""
    if paper.state != HELD:
        return None
    held = t.Held(np.zeros(1, t.POSITION), np.empty((1, 0)))
    for name, value in paper.position.items():
        held.each[name] = value
    stop = float(resting_stop(held, 0))
    return None if math.isnan(stop) else stop / scale
