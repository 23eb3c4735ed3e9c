"""Many rules at one moment: who is a hit, and whose hit is fresh. What a scan says besides (the taper, near misses, history) is not worked out,
and what the rules share is worked out once for all of them."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from wickcore.bars.bars import Bools, Ints
from wickcore.bars.moment import Moment
from wickcore.language.operations import Op
from wickcore.language.rule import CheckedRule
from wickcore.measures.frame import TRUE
from wickcore.scan.evaluate import Evaluator, Limits
from wickcore.scan.plan import across


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
    """What `scan` finds of each rule at a moment, all in one pass over the history. Raises Stopped when `limits` say so."""
    found: list[Found | None] = [None] * len(asked)
    tables: dict[str, list[int]] = {}
    for i, one in enumerate(asked):
        tables.setdefault(evaluator.stepping(one.rule.frame, as_of).table, []).append(i)
    for table, numbers in tables.items():
        engine = evaluator.on(table)
        last = engine.bars.on(as_of)
        who = np.flatnonzero(last >= 0)
        before = last[who] - 1
        earlier = np.flatnonzero(before >= engine.bars.offsets[who])  # those that have a bar before
        ops = {line.op.key: line.op for i in numbers for line in asked[i].rule.deciding}
        rows = np.concatenate([last[who], before[earlier]])
        made = dict(zip(ops, engine.at(list(ops.values()), rows, limits), strict=True))
        for i in numbers:
            truths = [made[line.op.key] for line in asked[i].rule.deciding]
            found[i] = _found(engine, truths, rows, who, earlier, asked[i].members)
    return [one for one in found if one is not None]


def _found(engine: Evaluator, truths: list[Ints], rows: Ints, who: Ints, earlier: Ints, members: Bools | None) -> Found:
    belongs = np.ones(len(rows), np.bool_) if members is None else members[rows]
    true = belongs.copy()
    for truth in truths:
        true &= truth == TRUE
    now, was = true[: len(who)], np.zeros(len(who), np.bool_)
    was[earlier] = true[len(who) :]
    symbols = engine.bars.symbols
    hits, fresh = (tuple(symbols[k] for k in who[marked].tolist()) for marked in (now, now & ~was))
    return Found(hits, fresh, int(belongs[: len(who)].sum()))


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
