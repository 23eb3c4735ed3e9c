"""A checked book over a market to the arrays of the day loop: everything that does not hang on a position is worked out here,
once."""

from collections.abc import Callable, Hashable, Sequence
from dataclasses import dataclass
from functools import cache
from typing import Any

import numpy as np

from wickcore.bars.bars import Bars, Bools, Days, Floats, Ints
from wickcore.bars.frame_names import within_day
from wickcore.bars.market import Market
from wickcore.bars.moment import iso
from wickcore.book import tape as t
from wickcore.book.cache import Memo
from wickcore.book.events import actions, ended, gone_at
from wickcore.language.book import LONG, SHORT, CheckedBook, Condition, Enter
from wickcore.language.check import check_expression
from wickcore.language.operations import Op
from wickcore.language.positions import BUILT
from wickcore.language.recurrence import program_of
from wickcore.language.rule import Value
from wickcore.measures.frame import FALSE, TRUE, UNKNOWN
from wickcore.measures.program import read_program
from wickcore.scan.evaluate import Evaluator
from wickcore.scan.limits import Limits
from wickcore.scan.scales import on_scale
from wickcore.scan.scan import hit_truth

MOST_SIGNALS = 4_000_000
SESSIONS_OF_PATIENCE = 60
KINDS = {"next open": t.NEXT_OPEN, "close": t.AT_CLOSE, "price": t.AT_PRICE}
Members = Callable[[str | None], "Bools | None"]


@dataclass(frozen=True, eq=False)
class Prepared:
    """A book that is ready to run. covered_from: the day on which the bars that it needs begin, where that is later than it was asked to begin;
    else None."""

    book: CheckedBook
    market: Market
    bars: Bars
    tape: t.Tape
    signals: t.Signals
    programs: t.Programs
    terms: t.Terms
    covered_from: int | None = None


@dataclass(frozen=True, slots=True)
class Span:
    """first, last: days since 1970, both included. delay: bars by which every entry comes later than the text says."""

    first: int | None = None
    last: int | None = None
    delay: int = 0


def moments_of(bars: Bars) -> tuple[Days, Days, Days]:
    """Of each bar the key of its moment, the keys of all moments, and the calendar day of each moment."""
    if bars.minute is None:
        return bars.days, bars.sessions, bars.sessions
    days = np.zeros(len(bars.moments), np.int32)
    days[bars.step] = bars.days
    return bars.step, np.arange(len(bars.moments), dtype=np.int32), days


def table_of(book: CheckedBook) -> str:
    """The table of bars whose sessions or minutes a book steps on."""
    inner = within_day(book.frame) or any(within_day(e.rule.frame) for e in book.enters)
    return "5min" if inner else "day"


COVERED = 0.5  # of the most instruments that ever had bars within a session


def _covered_from(bars: Bars, book: CheckedBook, members: Members, days: Days) -> int | None:
    """The first step of a table within the day on whose session half of as many of the universe's instruments have bars as on any: before it a
    book would stand idle for want of data. None for daily bars."""
    if bars.minute is None or not len(bars):
        return None
    if book.only:
        k = bars.number[book.only]
        rows = np.arange(int(bars.offsets[k]), int(bars.offsets[k + 1]))
    else:
        member = members(book.universe)
        rows = np.arange(len(bars)) if member is None else np.flatnonzero(member)
    if not len(rows):
        return None
    owner = np.searchsorted(bars.offsets, rows, "right").astype(np.int64)
    pairs = np.unique(bars.days[rows].astype(np.int64) << 32 | owner)
    sessions, counts = np.unique(pairs >> 32, return_counts=True)
    begins = int(sessions[np.argmax(counts >= COVERED * counts.max())])
    return int(np.searchsorted(days, begins))


def prepare(
    evaluator: Evaluator, book: CheckedBook, span: Span, members: Members, seed: int = 1, limits: Limits | None = None, memo: Memo | None = None
) -> Prepared:  # fmt: skip
    """Evaluates a book's rules and lines. memo: of other settings of the same book over the same market and members.

    members: membership by bar of the book's table for a universe, None for all instruments. Raises ValueError with a sentence for
    a book that
    cannot be run on this market, Stopped when `limits` say so.
    """
    table = table_of(book)
    evaluator = evaluator.on(table)
    market, bars = evaluator.market, evaluator.bars
    if not len(bars):
        raise ValueError("There are no prices to run this book over.")
    if book.only and book.only not in bars.number:
        raise ValueError(f"There is no symbol {book.only}; choose another for `universe: only …`.")
    key, at, days = moments_of(bars)
    first = 0 if span.first is None else int(np.searchsorted(days, span.first))
    last = len(days) - 1 if span.last is None else int(np.searchsorted(days, span.last, "right")) - 1
    if last < first:
        raise ValueError("No session lies between these days.")
    memo = memo or Memo()
    covered = memo.of(("covered", table, book.universe, book.only), lambda: _covered_from(bars, book, members, days))
    covered_from = None
    if covered is not None and covered > first:
        first, covered_from = covered, int(days[covered])
    if last < first:
        raise ValueError(
            f"The bars within the day that it needs begin on {iso(int(days[first]))}, and the run would end on {iso(int(days[max(last, 0)]))}, "
            "before them. Choose later days, or break the seal."
        )
    shape = (table, first, last, span.delay)
    conditions = tuple(None if c is None else c.op.key for c in (book.only_while, book.out_unless))
    open_to, shut = memo.of(("conditions", shape, conditions), lambda: _conditions(evaluator, book, limits))
    signals_of = (shape, conditions, book.only, _signals_hang_on(book))
    each, rows, order, begins = memo.of(
        signals_of, lambda: _signals(evaluator, book, len(days), first, last, span.delay, open_to, members, limits)
    )
    signals = t.Signals(each, order, begins)
    programs = _programs(evaluator, book, rows, limits, memo, signals_of)
    member = members(book.universe) if book.leaves == "exit" else None
    if book.leaves == "exit" and member is None:
        member = np.ones(len(bars), np.bool_)
    commit = memo.of(
        ("ends", table, book.frame), lambda: np.empty(0, np.bool_) if book.frame == bars.frame else ended(bars, book.frame)
    )
    act_row, act_shares, act_money = memo.of(("actions", table), lambda: actions(market, bars))
    swing, traded = memo.of(("impact", table, book.impact > 0), lambda: _impact(evaluator, book, limits))
    patience = SESSIONS_OF_PATIENCE * max(1, len(bars.moments) // max(1, len(bars.sessions)))
    tape = t.tape_of(
        offsets=bars.offsets, key=key, at=at, open=bars.open, high=bars.high, low=bars.low, close=bars.close, factor=bars.factor, commit=commit,
        member=np.empty(0, np.bool_) if member is None else member, gone=memo.of(("gone", table), lambda: gone_at(market, days)),
        patience=patience, act_row=act_row, act_shares=act_shares, act_money=act_money, swing=swing, traded=traded, days=days, shut=shut,
    )  # fmt: skip
    terms = t.Terms(
        slots=book.slots, start=book.start, sizing=t.SIZES.index(book.sizing), size=book.size, most_share=_most(book.most_share),
        most_day=_most(book.most_day), gross=book.gross, cash_rate=book.cash_earns, borrow_rate=book.borrow_costs, cost=book.cost,
        cost_least=book.cost_least, slip=book.slip, impact=book.impact, delisting=book.delisting, fractions=book.fractions,
        leaves=book.leaves == "exit", ranked=book.rank is not None, seed=seed, first=first, last=last,
    )  # fmt: skip
    return Prepared(book, market, bars, tape, signals, programs, terms, covered_from)


def _most(cap: float | None) -> float:
    return np.inf if cap is None else cap


# -- the market condition -------------------------------------------------------------------------------------------------


def _conditions(evaluator: Evaluator, book: CheckedBook, limits: Limits | None) -> tuple[Bools, Bools]:
    """By step, whether new positions may be entered, and whether all are to be closed."""
    steps = len(evaluator.bars.moments)
    allowed, shut = np.ones(steps, np.bool_), np.zeros(steps, np.bool_)
    for condition, closes in ((book.only_while, False), (book.out_unless, True)):
        if condition is not None:
            truth = _of_benchmark(evaluator, condition, limits)
            allowed &= truth == TRUE
            if closes:
                shut = truth == FALSE
    return allowed, shut


def _of_benchmark(evaluator: Evaluator, condition: Condition, limits: Limits | None) -> Ints:
    """The condition on the benchmark's own bars, by step: of its latest bar."""
    bars, symbol = evaluator.bars, evaluator.market.benchmark
    if symbol is None or symbol not in bars.number:
        raise ValueError(
            f"Line {condition.line} is a condition of the benchmark, and this market has none; name one, or take the line out."
        )
    k = bars.number[symbol]
    (column,) = evaluator.rows([condition.op], symbol, limits)
    key, every, _ = moments_of(bars)
    at = np.searchsorted(key[bars.offsets[k] : bars.offsets[k + 1]], every, "right") - 1
    return np.where(at >= 0, column[np.maximum(at, 0)], UNKNOWN).astype(np.int64)


# -- signals ------------------------------------------------------------------------------------------------------------


def _signals_hang_on(book: CheckedBook) -> Hashable:
    """All of a book that its signals hang on."""
    enters = tuple(
        (tuple(line.op.key for line in e.rule.deciding), e.rule.frame, e.rule.decide, e.rule.universe, e.side, e.kind, e.bars,
         e.price.op.key if e.price else "")
        for e in book.enters
    )  # fmt: skip
    return enters, book.frame, book.rank.op.key if book.rank else "", book.most_day is not None, book.sizing == "volatility"


def _by_step(each: Any, steps: int, last: int) -> tuple[Ints, Ints]:
    """Those that can be traded, by the step at which they are due, and where each step's begin."""
    alive = np.flatnonzero((each["fate"] == t.WAITING) & (each["due"] <= last))
    due = each["due"][alive]
    order = alive[np.lexsort((each["rule"][alive], each["owner"][alive], due))]
    return order, np.searchsorted(each["due"][order], np.arange(steps + 1)).astype(np.int64)


@cache
def _helper(text: str, frame: str) -> Value:
    return check_expression(text, frame, "5min" if within_day(frame) else "day")


def _signals(
    evaluator: Evaluator, book: CheckedBook, steps: int, first: int, last: int, delay: int, open_to: Bools, members: Members,
    limits: Limits | None,
) -> tuple[Any, Ints, Ints, Ints]:  # fmt: skip
    """Each rule's hits as signals, the bars on which what is fixed with them is evaluated, and how they are laid out by step."""
    parts = [_of_rule(evaluator, book, i, e, first, last, delay, open_to, members, limits) for i, e in enumerate(book.enters)]
    size = sum(len(each) for each, _ in parts)
    if size > MOST_SIGNALS:
        said = f"These rules hit {size:,} times; a book can choose among {MOST_SIGNALS:,}. Make them rarer, or run fewer years."
        raise ValueError(said)
    each, rows = np.concatenate([each for each, _ in parts]), np.concatenate([rows for _, rows in parts])
    return each, rows, *_by_step(each, steps, last)


def _of_rule(
    evaluator: Evaluator, book: CheckedBook, number: int, enter: Enter, first: int, last: int, delay: int, open_to: Bools, members: Members,
    limits: Limits | None,
) -> tuple[Any, Ints]:  # fmt: skip
    bars, rule = evaluator.bars, enter.rule
    belongs = members(rule.universe)
    if book.only:
        own = np.zeros(len(bars), np.bool_)
        k = bars.number[book.only]
        own[bars.offsets[k] : bars.offsets[k + 1]] = True
        belongs = own if belongs is None else belongs & own
    hits = hit_truth(evaluator, rule, belongs, limits)
    if rule.frame != bars.frame:
        hits &= ended(bars, rule.frame)
    row = np.flatnonzero(hits).astype(np.int64)
    key, every, _ = moments_of(bars)
    step = np.searchsorted(every, key[row])
    owner = np.searchsorted(bars.offsets, row, "right") - 1
    inside = (step >= first) & (step <= last)
    row, step, owner = row[inside], step[inside], owner[inside]
    kind = KINDS[enter.kind]
    rows = row  # what is known when it is entered: for a rule that decides at the open, the bar before
    if rule.decide == "open":
        kind = t.SAME_OPEN
        has = row > bars.offsets[owner]
        row, step, owner = row[has], step[has], owner[has]
        rows = row - 1
    size = len(row)
    due = step + (0 if kind in (t.SAME_OPEN, t.AT_CLOSE) else 1) + delay
    allowed = open_to[np.maximum(step - (kind == t.SAME_OPEN), 0)]
    at = row + (due - step)
    there = (at < bars.offsets[owner + 1]) & (key[np.minimum(at, len(bars) - 1)] == every[np.minimum(due, len(every) - 1)])
    fate = np.where(allowed, t.WAITING, t.FILTERED)
    fate = np.where((fate == t.WAITING) & ~there & (due <= last) & (kind != t.AT_PRICE), t.NO_BAR, fate)
    ops = [book.rank.op if book.rank else None, enter.price.op if enter.price else None]
    ops += [_helper("avg_turnover(20)", book.frame).op if book.most_day is not None else None]
    ops += [_helper("atr(14)", book.frame).op if book.sizing == "volatility" else None]
    wanted = [op for op in ops if op is not None]
    columns = iter(evaluator.at(wanted, rows, limits) if wanted else [])
    score, price, turnover, unit = (np.full(size, np.nan) if op is None else np.asarray(next(columns), np.float64) for op in ops)
    side = enter.side
    if kind == t.AT_PRICE:  # an order whose price is not known cannot be placed
        fate = np.where((fate == t.WAITING) & ~(price > 0.0), t.UNSIZED, fate)
    up = (price - bars.close[row] * bars.factor[row]) * side >= 0.0

    each = np.empty(size, t.SIGNAL)
    fields = {
        "row": row, "owner": owner, "rule": number, "side": side, "kind": kind, "due": due, "fate": fate, "bars": enter.bars, "up": up,
        "price": price, "score": score, "turnover": turnover, "unit": unit,
    }  # fmt: skip
    for name, values in fields.items():
        each[name] = values
    return each, rows


# -- texts to programs ----------------------------------------------------------------------------------------------------


class Writer:
    """Puts programs behind one another, with the columns they share."""

    def __init__(self) -> None:
        self.codes: list[Ints] = []
        self.numbers: list[Floats] = []
        self.begin: list[int] = []
        self.end: list[int] = []
        self.columns: dict[str, Op] = {}
        self.truths: dict[str, Op] = {}
        self.most, self._size = 1, 0

    def add(self, op: Op, apart: bool) -> int:
        used, said = program_of(op, BUILT, apart)
        own = [o for o in used if not (apart and o.result == "condition")]
        for o in used:
            (self.truths if apart and o.result == "condition" else self.columns).setdefault(o.key, o)
        truths = [o for o in used if apart and o.result == "condition"]
        columns_at, truths_at = list(self.columns), list(self.truths)
        steps = []
        for step in said.split():  # numbered anew among the columns of all programs
            if step[0] == "c" and step[1:].isdigit():
                step = f"c{columns_at.index(own[int(step[1:])].key)}"
            elif step[0] == "t" and step[1:].isdigit():
                step = f"t{truths_at.index(truths[int(step[1:])].key)}"
            steps.append(step)
        codes, numbers, most = read_program(" ".join(steps))
        self.codes.append(codes)
        self.numbers.append(numbers)
        self.begin.append(self._size)
        self._size += len(codes)
        self.end.append(self._size)
        self.most = max(self.most, most)
        return len(self.begin) - 1


def _programs(
    evaluator: Evaluator, book: CheckedBook, rows: Ints, limits: Limits | None, memo: Memo, signals_of: Hashable
) -> t.Programs:  # fmt: skip
    fixed, later = Writer(), Writer()
    sides = (book.ways(LONG), book.ways(SHORT))
    targets, exits = max(len(w.targets) for w in sides), max(len(w.exits) for w in sides)
    stop, follow = np.full(2, -1), np.full(2, -1)
    target, part = np.full((2, targets), -1), np.zeros((2, targets))
    leaving, closing = np.full((2, exits), -1), np.zeros((2, exits), np.bool_)
    traded = {e.side for e in book.enters}
    # Programs of what is fixed come first, so that one list of codes holds both kinds.
    for side, ways in zip((LONG, SHORT), sides, strict=True):
        i = 0 if side == LONG else 1
        if side in traded:
            if ways.stop is not None:
                stop[i] = fixed.add(ways.stop.op, apart=False)
            for n, level in enumerate(ways.targets):
                target[i, n], part[i, n] = fixed.add(level.op, apart=False), level.part
    base, shift = len(fixed.begin), sum(len(c) for c in fixed.codes)
    for side, ways in zip((LONG, SHORT), sides, strict=True):
        i = 0 if side == LONG else 1
        if side in traded:
            if ways.follow is not None:
                follow[i] = base + later.add(ways.follow.op, apart=True)
            for n, leave in enumerate(ways.exits):
                leaving[i, n], closing[i, n] = base + later.add(leave.op, apart=True), leave.at_close
    at_signals = memo.of(
        ("fixed", signals_of, tuple(fixed.columns)),
        lambda: _stacked(evaluator.at(list(fixed.columns.values()), rows, limits) if fixed.columns else [], len(rows)),
    )
    columns = memo.of(
        ("columns", evaluator.table, tuple(later.columns)), lambda: _whole(evaluator, later.columns, np.float64, limits)
    )
    truths = memo.of(("truths", evaluator.table, tuple(later.truths)), lambda: _whole(evaluator, later.truths, np.int8, limits))
    return t.Programs(
        np.concatenate([*fixed.codes, *later.codes, np.empty(0, np.int64)]), np.concatenate([*fixed.numbers, *later.numbers, np.empty(0)]),
        np.array([*fixed.begin, *(b + shift for b in later.begin)], np.int64), np.array([*fixed.end, *(e + shift for e in later.end)], np.int64),
        stop, follow, target, part, leaving, closing, at_signals,
        columns, truths, max(fixed.most, later.most),
    )  # fmt: skip


def _stacked(columns: Sequence[Floats], size: int) -> Floats:
    made = np.empty((len(columns), size))
    for row, column in zip(made, columns, strict=True):
        row[:] = column
    return made


def _whole(evaluator: Evaluator, ops: dict[str, Op], kind: type, limits: Limits | None) -> Any:
    """Whole columns, a row each, written where they are read: of a large market there is no room for them twice."""
    made: Any = np.empty((len(ops), len(evaluator.bars)), kind)
    if ops:
        evaluator.write(list(ops.values()), list(made), limits)
    return made


def _impact(evaluator: Evaluator, book: CheckedBook, limits: Limits | None) -> tuple[Floats, Floats]:
    """What the impact of an order is told by: the standard deviation of daily moves over 20 bars, and the mean shares a bar."""
    if not book.impact:
        return np.empty(0), np.empty(0)
    bars = evaluator.bars
    values = [_helper(text, bars.frame) for text in ("stdev(change, 20)", "sma(volume, 20)")]
    swing, traded = evaluator.columns([v.op for v in values], limits)
    return swing, np.asarray(on_scale(traded, values[1], bars.factor), np.float64)
