"""One rule at many closes: its lines are worked out over the history once, instead of for each close anew."""

from collections.abc import Sequence

import numpy as np

from wickcore.bars.moment import Moment
from wickcore.scan.evaluate import Evaluator
from wickcore.scan.limits import Limits
from wickcore.scan.many import Asked, Found
from wickcore.scan.scan import hit_truth


def scan_closes(evaluator: Evaluator, asked: Asked, closes: Sequence[Moment], limits: Limits | None = None) -> list[Found] | None:
    """What `scan` finds of a rule at each of some closes.

    Parameters
    ----------
    evaluator : over a market that holds all of the closes; nothing after a close tells what was true on it.
    asked : the rule, and its members on the table that it steps on.
    closes : moments at which a session is over.
    limits : when to give up.

    Returns
    -------
    Found of each close, of weeks and months as they stood there; None where a moment is none, or is looked at on other bars.

    Raises
    ------
    Stopped
        When `limits` say so.
    """
    engine = evaluator.stepping(asked.rule.frame)
    tables = {evaluator.stepping(asked.rule.frame, moment).table for moment in closes}
    if tables != {engine.table} or not all(moment.closed for moment in closes):
        return None
    true = hit_truth(evaluator, asked.rule, asked.members, limits)
    bars, found = engine.bars, []
    for moment in closes:
        position = bars.on(moment)
        there = position >= 0
        if asked.members is not None:
            there &= asked.members[np.maximum(position, 0)]
        who = np.flatnonzero(there)
        at = position[who]
        now = true[at]
        # Members are counted in: on its bar before, one that did not belong was none.
        was = np.where(at > bars.offsets[who], true[np.maximum(at - 1, 0)], False)
        hits, fresh = (tuple(bars.symbols[k] for k in who[marked].tolist()) for marked in (now, now & ~was))
        found.append(Found(hits, fresh, len(who)))
    return found
