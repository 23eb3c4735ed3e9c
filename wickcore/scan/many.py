"""Many rules at one moment: who is a hit, and whose hit is fresh. What a scan says besides (the taper, near misses, history) is not worked out,
and what the rules share is worked out once for all of them."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np

from wickcore.bars.bars import Bools, Ints
from wickcore.bars.moment import Moment
from wickcore.language.operations import Op
from wickcore.language.rule import CheckedRule
from wickcore.measures.frame import TRUE, UNKNOWN
from wickcore.scan.evaluate import Evaluator, Limits
from wickcore.scan.kernels import Column
from wickcore.scan.plan import across, looks_across
from wickcore.scan.tail import Reach, Tail, reaches_of, size_for, tail_of_size

SHARED = (128, 512)  # bars of the tails that many operations share; longer ones are made of those instruments alone that are left
FEW = 0.4  # of all bars: more than these need not be set apart


@dataclass(frozen=True, slots=True)
class Asked:
    """members: as `scan` takes them."""

    rule: CheckedRule
    members: Bools | None


@dataclass(frozen=True, slots=True)
class Found:
    """hits: symbols, in the market's order; fresh: those that were none on their bar before. scanned: instruments with a bar then."""

    hits: tuple[str, ...]
    fresh: tuple[str, ...]
    scanned: int


def scan_many(evaluator: Evaluator, asked: Sequence[Asked], as_of: Moment, limits: Limits | None = None) -> list[Found]:
    """What `scan` finds of each rule at a moment. Raises Stopped when `limits` say so.

    Lines that short tails of the instruments tell (wickcore.scan.tail) come first, for all instruments; those that take long ones or the whole
    history are then worked out for the instruments that are left of some rule."""
    limits = limits or Limits()
    found: list[Found | None] = [None] * len(asked)
    tables: dict[str, list[int]] = {}
    for i, one in enumerate(asked):
        tables.setdefault(evaluator.stepping(one.rule.frame, as_of).table, []).append(i)
    for table, numbers in tables.items():
        rows = _Rows(evaluator.on(table), as_of)
        ops = {line.op.key: line.op for i in numbers for line in asked[i].rule.deciding}
        told = _told_by(rows.engine, ops)
        short = {key: one for key, one in told.items() if one.size <= SHARED[-1]}
        made = _from_tails(rows, ops, short, limits)
        marked = {i: _belongs(rows, asked[i].members) for i in numbers}
        left = {i: _all_true(rows, asked[i].rule, made, marked[i]) for i in numbers}
        rest = {key: op for key, op in ops.items() if key not in made}
        made |= _of_those_left(rows, {i: asked[i].rule for i in numbers}, left, rest, told, limits)
        for i in numbers:
            found[i] = _found(rows, _all_true(rows, asked[i].rule, made, marked[i]), marked[i])
    return [one for one in found if one is not None]


class _Rows:
    """The bars that are looked at: each instrument's of the moment, then the one before of those that have one.

    who: the instruments with a bar then. earlier: places in `who`. rows: positions in the table. owner: the instrument of each row."""

    def __init__(self, engine: Evaluator, as_of: Moment) -> None:
        self.engine, self.at = engine, as_of
        last = engine.bars.on(as_of)
        self.who = np.flatnonzero(last >= 0)
        before = last[self.who] - 1
        self.earlier = np.flatnonzero(before >= engine.bars.offsets[self.who])
        self.rows: Ints = np.concatenate([last[self.who], before[self.earlier]])
        self.owner: Ints = np.concatenate([self.who, self.who[self.earlier]])


class _Told(NamedTuple):
    """By how long a tail an operation is told."""

    needed: Reach
    size: int


def _told_by(engine: Evaluator, ops: Mapping[str, Op]) -> dict[str, _Told]:
    """The operations that tails tell."""
    found = {}
    for key, needed in zip(ops, reaches_of(engine, list(ops.values())), strict=True):
        size = None if needed.laid else size_for(engine, [needed])
        if size is not None:
            found[key] = _Told(needed, next((s for s in SHARED if s >= size), size))
    return found


def _from_tails(rows: _Rows, ops: Mapping[str, Op], told: Mapping[str, _Told], limits: Limits) -> dict[str, Column]:
    """The operations that the tails tell, on few tails that many of them share."""
    made: dict[str, Column] = {}
    for size in sorted({one.size for one in told.values()}):
        keys = [key for key, one in told.items() if one.size == size]
        tail = tail_of_size(rows.engine, size, rows.at)
        here = np.arange(len(rows.rows))
        made |= zip(keys, _on(tail, rows, here, [(ops[key], told[key].needed) for key in keys], limits), strict=True)
    return made


def _on(tail: Tail, rows: _Rows, here: Ints, told: Sequence[tuple[Op, Reach]], limits: Limits) -> list[Column]:
    """Operations on some of the rows, whose instruments are in the tail."""
    place = tail.place(rows.rows[here])
    columns = tail.at_places([op for op, _ in told], [needed for _, needed in told], place, limits)
    for (op, needed), column in zip(told, columns, strict=True):
        far = np.flatnonzero(place < tail.sound(needed)[rows.owner[here]])
        if len(far):  # the bar before of one that has not traded for long, compared with others
            column[far] = rows.engine.at([op], rows.rows[here[far]], limits)[0]
    return columns


def _of_those_left(
    rows: _Rows, rules: Mapping[int, CheckedRule], left: Mapping[int, Bools], ops: Mapping[str, Op], told: Mapping[str, _Told], limits: Limits
) -> dict[str, Column]:  # fmt: skip
    """The other operations, on the bars of the instruments that are left of any rule that has them; unknown elsewhere."""
    users: dict[str, set[int]] = {}
    for i, rule in rules.items():
        for line in rule.deciding:
            if line.op.key in ops:
                users.setdefault(line.op.key, set()).add(i)
    engine, lengths = rows.engine, np.diff(rows.engine.bars.offsets)
    together: dict[tuple[bytes, int], list[str]] = {}
    for key, of in users.items():
        wanted = np.zeros(len(lengths), np.bool_)
        for i in of:
            wanted[rows.who[left[i][: len(rows.who)]]] = True
        few = lengths[wanted].sum() <= FEW * len(engine.bars) and not looks_across([ops[key]], engine.table)
        size = told[key].size if key in told else 0
        together.setdefault(((wanted if few else np.ones(len(lengths), np.bool_)).tobytes(), size), []).append(key)
    made: dict[str, Column] = {}
    for (marks, size), keys in together.items():
        wanted = np.frombuffer(marks, np.bool_)
        here, part = np.flatnonzero(wanted[rows.owner]), [ops[key] for key in keys]
        if not len(here):
            columns: list[Column] = [np.empty(0, np.int8) for _ in part]
        elif size:
            tail = tail_of_size(engine, size, rows.at) if wanted.all() else Tail(engine, size, rows.at, np.flatnonzero(wanted))
            columns = _on(tail, rows, here, [(ops[key], told[key].needed) for key in keys], limits)
        elif wanted.all():
            columns = engine.at(part, rows.rows[here], limits)
        else:
            columns = engine.at_apart(part, rows.rows[here], rows.owner[here], limits)
        for key, column in zip(keys, columns, strict=True):
            made[key] = np.full(len(rows.rows), UNKNOWN, np.int8)
            made[key][here] = column
    return made


def _belongs(rows: _Rows, members: Bools | None) -> Bools:
    return np.ones(len(rows.rows), np.bool_) if members is None else members[rows.rows]


def _all_true(rows: _Rows, rule: CheckedRule, made: Mapping[str, Column], belongs: Bools) -> Bools:
    """On which rows every line that is known by now is true."""
    true = belongs.copy()
    for line in rule.deciding:
        if line.op.key in made:
            true &= made[line.op.key] == TRUE
    return true


def _found(rows: _Rows, true: Bools, belongs: Bools) -> Found:
    size = len(rows.who)
    now, was = true[:size], np.zeros(size, np.bool_)
    was[rows.earlier] = true[size:]
    symbols = rows.engine.bars.symbols
    hits, fresh = (tuple(symbols[k] for k in rows.who[marked].tolist()) for marked in (now, now & ~was))
    return Found(hits, fresh, int(belongs[:size].sum()))


def scan_one(
    evaluator: Evaluator, asked: Asked, symbol: str, as_of: Moment, limits: Limits | None = None
) -> tuple[bool, bool] | None:
    """Whether one instrument is a hit, and a fresh one, worked out for it alone. None where the rule compares it with others, which takes them
    all; (False, False) where it has no bar then."""
    engine = evaluator.stepping(asked.rule.frame, as_of)
    ops: list[Op] = [line.op for line in asked.rule.deciding]
    if any(across(op, engine.table) for op in ops):
        return None
    bars = engine.bars
    k = bars.number[symbol]
    last, begin = int(bars.on(as_of)[k]), int(bars.offsets[k])
    if last < 0:
        return False, False
    true = (
        np.ones(int(bars.offsets[k + 1]) - begin, np.bool_)
        if asked.members is None
        else asked.members[begin : bars.offsets[k + 1]].copy()
    )
    for column in engine.rows(ops, symbol, limits):
        true &= column == TRUE
    at = last - begin
    return bool(true[at]), bool(true[at]) and not (at > 0 and bool(true[at - 1]))
