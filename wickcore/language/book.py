"""The checked book: what a run of it is computed from."""

from dataclasses import dataclass, field
from typing import Literal

from wickcore.language.operations import Op
from wickcore.language.problems import Problem
from wickcore.language.rule import CheckedRule, DialState, Value
from wickcore.trade.defaults import COST

LONG, SHORT = 1, -1
EntryKind = Literal["next open", "close", "price"]
Sizing = Literal["equal", "risk", "money", "volatility"]


@dataclass(frozen=True, slots=True)
class Enter:
    """A rule that is traded. price: of a resting order, which rests `bars` bars; None for the others."""

    name: str
    rule: CheckedRule
    kind: EntryKind
    price: Value | None
    bars: int
    line: int

    @property
    def side(self) -> int:
        return LONG if self.rule.side == "long" else SHORT


@dataclass(frozen=True, slots=True)
class Level:
    """A price of a position: a stop, a stop that follows, or a target, which takes `part` of it."""

    op: Op
    text: str
    line: int
    part: float = 1.0


@dataclass(frozen=True, slots=True)
class Leaving:
    """A condition on which a position is left: at the next open, or at its close."""

    op: Op
    text: str
    line: int
    at_close: bool = False


@dataclass(frozen=True, slots=True)
class Ways:
    """How positions of one side end."""

    stop: Level | None = None
    follow: Level | None = None
    targets: tuple[Level, ...] = ()
    exits: tuple[Leaving, ...] = ()


@dataclass(frozen=True, slots=True)
class Condition:
    """A condition of the benchmark, with its place in the text."""

    op: Op
    text: str
    line: int


@dataclass(frozen=True, slots=True)
class CheckedBook:
    """A book that can be run. only: the one symbol that is traded, "" for a universe. start: money. size: a fraction, or money for
    `money`.
    most_share, most_day: caps as fractions of equity and of a day's money, None for none. Rates are fractions a year, cost and
    slip fractions
    a side, cost_least money an order. frame: on whose closes is decided."""

    text: str
    name: str
    about: str
    universe: str | None
    only: str
    frame: str
    enters: tuple[Enter, ...]
    long: Ways
    short: Ways
    start: float = 100_000.0
    slots: int = 10
    sizing: Sizing = "equal"
    size: float = 0.0
    most_share: float | None = None
    most_day: float | None = None
    rank: Value | None = None
    rank_text: str = ""
    only_while: Condition | None = None
    out_unless: Condition | None = None
    gross: float = 1.0
    cash_earns: float = 0.0
    borrow_costs: float = 0.0
    cost: float = COST
    cost_least: float = 0.0
    slip: float = 0.0
    impact: float = 0.0
    leaves: Literal["hold", "exit"] = "hold"
    delisting: float = 1.0
    fractions: bool = False
    dials: tuple[DialState, ...] = ()
    advice: tuple[Problem, ...] = ()
    settings: dict[str, float] = field(default_factory=dict)

    def ways(self, side: int) -> Ways:
        return self.long if side == LONG else self.short

    @property
    def optimistic(self) -> bool:
        """Whether something is traded at the very close that it is decided on, which nobody can."""
        return any(e.kind == "close" for e in self.enters) or any(x.at_close for w in (self.long, self.short) for x in w.exits)
