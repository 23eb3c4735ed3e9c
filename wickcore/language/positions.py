"""What a book knows of a position it holds: names that stand in its `exit`, `stop`, `follow` and `target` lines only."""

import math
from dataclasses import dataclass

from wickcore.language.operations import Op, Result
from wickcore.language.recurrence import POSITION
from wickcore.language.rule import Value

BUILT = ("entry", "risk", "bars_held", "gain", "gain_r", "best", "worst", "held_rule")  # by their places in a program


@dataclass(frozen=True, slots=True)
class PositionName:
    """said: how it is read aloud. where: the lines that know it."""

    name: str
    help: str
    said: str
    example: str
    where: tuple[str, ...]


_LATER = ("exit", "follow")
POSITION_NAMES = {
    n.name: n
    for n in (
        PositionName("entry", "The price that was paid, slippage included.", "the entry", "stop: entry - 2 * atr(14)",
                     ("exit", "stop", "follow", "target")),
        PositionName("risk", "From the entry to the first stop, in money a share; unknown without a stop.", "the risk",
                     "target: entry + 3 * risk", ("exit", "follow", "target")),
        PositionName("bars_held", "How many of its own bars it has been held: the entry's bar is 0 at its own close.", "the number of bars held",
                     "exit when bars_held >= 40", _LATER),
        PositionName("gain", "The close over the entry, less 1, in the trade's direction.", "the gain", "exit when gain > 20%", _LATER),
        PositionName("gain_r", "The gain in multiples of the risk.", "the gain in R", "exit when bars_held >= 40 and gain_r < 1", _LATER),
        PositionName("best", "The best price since the entry: the highest high of a long, the lowest low of a short.",
                     "the best price since the entry", "follow: best - 3 * atr(14)", _LATER),
        PositionName("worst", "The worst price since the entry: the lowest low of a long, the highest high of a short.",
                     "the worst price since the entry", "exit when close > entry and worst < entry * 95%", _LATER),
        PositionName("held_rule", "The name of the rule that was entered, as a text.", "the rule", 'exit when held_rule == "Quiet base"',
                     ("exit", "stop", "follow", "target")),
    )
}  # fmt: skip


def _op(name: str, result: Result = "number") -> Op:
    return Op(POSITION, (), (name,), result=result)


_VALUES = {
    "entry": Value(_op("entry"), "number", 1, None, 1.0),
    "risk": Value(_op("risk"), "number", 1, None, 0.0),
    "bars_held": Value(_op("bars_held"), "number", 0, bounds=(0.0, math.inf)),
    "gain": Value(_op("gain"), "number", 0, fraction=True),
    "gain_r": Value(_op("gain_r"), "number", 0),
    "best": Value(_op("best"), "number", 1, None, 1.0),
    "worst": Value(_op("worst"), "number", 1, None, 1.0),
    "held_rule": Value(_op("held_rule", "text"), "text"),
}


def known_in(line: str) -> dict[str, Value]:
    """The values by name that a kind of line (`exit`, `stop`, `follow`, `target`) knows."""
    return {name: _VALUES[name] for name, told in POSITION_NAMES.items() if line in told.where}
