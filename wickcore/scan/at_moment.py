"""Operations on every instrument's bar of one moment, such as the columns of a table of hits: from the tails where those say it."""

from collections.abc import Sequence

import numpy as np

from wickcore.bars.moment import Moment, moment_of
from wickcore.language.operations import Op
from wickcore.measures.frame import UNKNOWN
from wickcore.scan.evaluate import Evaluator, Limits
from wickcore.scan.kernels import Column
from wickcore.scan.tail import tail_of

MOST_KEPT = 500  # columns of one moment: those of the tables of hits that were last looked at


def at_moment(evaluator: Evaluator, ops: Sequence[Op], at: int | Moment, limits: Limits | None = None) -> list[Column]:
    """For each operation one value an instrument: that of its bar of the moment (float64, or int8 for conditions), NaN or unknown where it has
    none. Kept for the next who asks. Raises Stopped."""
    moment = moment_of(at)
    keys = [(evaluator.table, op.key, moment) for op in ops]
    kept, lock = evaluator.shared.moments, evaluator.shared.lock
    with lock:
        found = {key: kept[key] for key in keys if key in kept}
    missing = list({op.key: op for op, key in zip(ops, keys, strict=True) if key not in found}.values())
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
            kept[key] = found[key]
            kept.move_to_end(key)
        while len(kept) > MOST_KEPT:
            kept.popitem(last=False)
    return [found[key] for key in keys]
