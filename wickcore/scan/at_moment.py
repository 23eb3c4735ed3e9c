"""Operations on instruments' bars of one moment, such as the columns of a table of hits: from the tails where those say it."""

from collections.abc import Sequence

import numpy as np

from wickcore.bars.bars import Ints
from wickcore.bars.moment import Moment, moment_of
from wickcore.language.operations import Op
from wickcore.measures.frame import UNKNOWN
from wickcore.scan.evaluate import Evaluator, Limits
from wickcore.scan.kernels import Column
from wickcore.scan.plan import looks_across
from wickcore.scan.tail import Tail, reaches_of, size_for, tail_of

MOST_KEPT = 500  # columns of one moment: those of the tables of hits that were last looked at
FEW = 1 / 8  # of the bars: more instruments are worked out with all others, once for whoever asks again


def at_moment(
    evaluator: Evaluator, ops: Sequence[Op], at: int | Moment, limits: Limits | None = None, numbers: Ints | None = None
) -> list[Column]:
    """For each operation one value an instrument: that of its bar of the moment (float64, or int8 for conditions), NaN or unknown where it has
    none. Kept for the next who asks. numbers: the only instruments that are wanted; where they are few, others may be unknown.
    Raises Stopped."""
    moment = moment_of(at)
    keys = [(evaluator.table, op.key, moment) for op in ops]
    kept, lock = evaluator.shared.moments, evaluator.shared.lock
    with lock:
        found = {key: kept[key] for key in keys if key in kept}
    missing = list({op.key: op for op, key in zip(ops, keys, strict=True) if key not in found}.values())
    alone: dict[str, Column] = {}
    if missing and numbers is not None and np.diff(evaluator.bars.offsets)[numbers].sum() <= FEW * len(evaluator.bars):
        apart = [op for op in missing if not looks_across([op], evaluator.table)]
        alone = dict(zip((op.key for op in apart), _of_few(evaluator, apart, moment, numbers, limits), strict=True))
        missing = [op for op in missing if op.key not in alone]
    if missing:
        position = evaluator.bars.on(moment)
        there = np.flatnonzero(position >= 0)
        end = tail_of(evaluator, missing, moment)
        if end is None:
            columns = evaluator.at(missing, position[there], limits)
        else:
            tail, reaches = end
            place = tail.place(position[there])
            columns = [column[place] for column in tail.columns(missing, reaches, limits)]
        for op, column in zip(missing, columns, strict=True):
            whole = np.full(len(position), UNKNOWN if op.result == "condition" else np.nan, column.dtype)
            whole[there] = column
            found[evaluator.table, op.key, moment] = whole
    with lock:
        for key in keys:
            if key in found:
                kept[key] = found[key]
                kept.move_to_end(key)
        while len(kept) > MOST_KEPT:
            kept.popitem(last=False)
    return [found[key] if key in found else alone[key[1]] for key in keys]


def _of_few(evaluator: Evaluator, ops: Sequence[Op], at: Moment, numbers: Ints, limits: Limits | None) -> list[Column]:
    """As `at_moment`, of operations that do not look across instruments, and worked out for those instruments alone."""
    position = evaluator.bars.on(at)
    there = np.unique(numbers[position[numbers] >= 0])
    if not len(there):
        return [np.full(len(position), *((UNKNOWN, np.int8) if op.result == "condition" else (np.nan, np.float64))) for op in ops]
    reaches = reaches_of(evaluator, ops)
    day = evaluator.table == "day"  # beside a tail of shorter bars that needs all days, those of all instruments would stand
    told = [i for i, r in enumerate(reaches) if not r.laid and (day or r.days is not None) and size_for(evaluator, [r]) is not None]
    others = [i for i in range(len(ops)) if i not in told]
    made: dict[int, Column] = {}
    if told and (size := size_for(evaluator, [reaches[i] for i in told])) is not None:
        tail = Tail(evaluator, size, at, there)
        columns = tail.at_places([ops[i] for i in told], [reaches[i] for i in told], tail.place(position[there]), limits)
        made |= zip(told, columns, strict=True)
    if others:
        made |= zip(others, evaluator.at_apart([ops[i] for i in others], position[there], there, limits), strict=True)
    found = []
    for i, op in enumerate(ops):
        whole = np.full(len(position), UNKNOWN if op.result == "condition" else np.nan, made[i].dtype)
        whole[there] = made[i]
        found.append(whole)
    return found
