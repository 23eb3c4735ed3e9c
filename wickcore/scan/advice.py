"""Advice from the data: what the whole history says of single lines."""

from collections.abc import Iterator

import numpy as np

from wickcore.bars.frame_names import DAYS, MINUTES
from wickcore.language.operations import Op, each
from wickcore.language.problems import Problem, nearest
from wickcore.language.rule import CheckedRule, Line
from wickcore.scan.block import WEEKDAYS
from wickcore.scan.evaluate import Evaluator, Limits
from wickcore.scan.missing_data import lacking, said_lacking

TOO_MUCH_UNKNOWN, MOST_TOLD = 0.2, 20
SESSIONS = {"day": 1, "week": 5, "month": 21, "quarter": 63, "year": 252}


def from_data(evaluator: Evaluator, rule: CheckedRule, limits: Limits | None = None, ever: bool = True) -> Iterator[Problem]:
    """Never true, always true, the same as another line, true for one instrument only, unknown on more than a fifth of all bars, or
    asking for more history than most instruments have. ever: whether to look at the whole history; without it only what needs none of it is
    said. Raises Stopped when `limits` say so."""
    same: dict[tuple[float, float], Line] = {}
    evaluator = evaluator.stepping(rule.frame)
    lengths = np.diff(evaluator.bars.offsets)
    usual = float(np.median(lengths)) if len(lengths) else 0.0
    for line in rule.lines:
        needed = history_needed(line.op, evaluator.table)

        def say(text: str, line: Line = line) -> Problem:
            return Problem(line.number, 1, max(1, len(line.text)), text)

        yield from (say(said) for said in _no_such_text(evaluator, line.op))
        without = lacking(evaluator.market, line.op)
        if without:
            yield say(f"This is unknown: {said_lacking(without)}.")
        elif needed > usual:
            yield say(f"This needs about {needed:,.0f} bars of history; most instruments have {usual:,.0f}.")
        if not ever:
            continue
        facts = evaluator.history(line.op, limits)
        if without or needed > usual:
            pass
        elif facts.true == 0.0:
            yield say("This line was never true in the whole history.")
        elif facts.true == 1.0:
            yield say("This line was true on every bar of the history: it removes nothing.")
        elif facts.instruments == 1 and len(lengths) > 1:
            yield say("This line was true for one instrument only.")
        elif facts.unknown > TOO_MUCH_UNKNOWN and not _among_members(line.op):
            yield say(f"This line is unknown on {facts.unknown:.0%} of all bars, and unknown is no hit.")
        if 0.0 < facts.true < 1.0 and line.depth == 0:
            counts = facts.true, facts.unknown
            other = same.setdefault(counts, line)
            if other is not line and np.array_equal(*evaluator.columns([line.op, other.op], limits)):
                yield say(f"This line equals `{other.text}` on every bar of the history.")


def _no_such_text(evaluator: Evaluator, op: Op) -> Iterator[str]:
    """Texts that nothing in the market has, each with those there are."""
    market = evaluator.market
    for one in each(op):
        if one.kind != "text_in":
            continue
        name = str(one.args[0].params[0])
        texts = WEEKDAYS if name == "weekday" else market.bars.symbols if name == "symbol" else market.texts.get(name, ())
        there = {*texts} - {""}
        for text in one.params:
            if there and text not in there:
                near = nearest(str(text), there)
                meant = f" Is “{near}” meant?" if near else ""
                told = ", ".join(sorted(there, key=WEEKDAYS.index if name == "weekday" else str))
                few = f" There are: {told}." if len(there) <= MOST_TOLD else ""
                yield f"Nothing here has the {name} “{text}”.{meant}{few}"


# Their numbers are no bars.
COUNTLESS = {
    "constant",
    "money",
    "compare",
    "unscale",
    "unshift",
    "unlend",
    "text_in",
    "rank",
    "opens",
    "event",
    "least",
    "at_report",
}


def _among_members(op: Op) -> bool:
    """Whether the operation is unknown for those outside the universe, or where there is no pattern, and means to be."""
    return any(one.kind in ("rank", "pattern") for one in each(op))


def history_needed(op: Op, base: str) -> float:
    """About how many base bars come before the operation's first known value."""
    needed: dict[str, float] = {}
    for one in each(op):
        own = 0.0
        if one.kind not in COUNTLESS:
            own = max((float(p) for p in one.params if not isinstance(p, str)), default=0.0) * _span(one.frame, base)
        needed[one.key] = own + max((needed[a.key] for a in one.args), default=0.0)
    return needed[op.key]


def _span(frame: str, base: str) -> float:
    """How many base bars a bar of the frame holds, about."""

    def minutes(name: str) -> float:
        return MINUTES[name] if name in MINUTES else 390.0 * SESSIONS.get(name, DAYS.get(name, 1))

    return max(1.0, minutes(frame) / minutes(base))
