"""What the checks of expressions have in common: the rule's names and frame, scales, arguments, and saying what is wrong."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace
from functools import cache
from typing import Any, NoReturn

from wickcore.bars.frame_names import finer
from wickcore.language import tree
from wickcore.language.catalogue import CATALOGUE
from wickcore.language.definitions import definition_of
from wickcore.language.entry import YES_OR_NO, Entry, Parameter
from wickcore.language.foreign_scale import degrees, lent_to, settled
from wickcore.language.named_texts import universe_said
from wickcore.language.operations import AT_OPEN, Op, constant
from wickcore.language.rule import Overlay, Pair, Value
from wickcore.language.tree import Span

MAX_WINDOW = 5_000
MAX_SIZE = 3_000  # a name, number, operator or call each, those of the definitions too
Say = Callable[[Span, str, "str | None"], None]


UNLIKE = "These two are unlike things, such as a price and a volume or a percentage."


@dataclass(slots=True)
class Size:
    """What is left of the size that a rule may have, and whether it was said that nothing is; and the breadths that were read for it."""

    left: int = MAX_SIZE
    said: bool = False
    breadths: dict[tuple[str, str | None], Any] = field(default_factory=dict)


class Unresolved(Exception):
    """Raised once a problem has been said and the expression around it can no longer be checked."""


@cache
def _plain(n: int) -> Value:
    """A number of bars as a value."""
    return Value(constant(float(n)), "number", None, float(n), 0.0)


class Scope:
    """What all checks of one rule's expressions share; `say` and `advise` receive problems with their place.

    `check` is given by the class that knows every kind of node.

    dials: plain values by name. lets: trees by name, checked again in each frame they are used in. frame: whose bars are counted.
    base: the finest frame the market has bars of. universe: among whose members `rank` ranks; "" for all. size: what is left of the size that
    a rule may have, shared by all that belongs to it. parts: texts of the rules and breadths that can be named. opened: the breadths that
    this is written in.
    """

    def __init__(
        self,
        text: str,
        say: Say,
        advise: Say,
        frame: str,
        decide: str,
        base: str = "day",
        universe: str = "",
        size: Size | None = None,
        parts: Mapping[str, str] | None = None,
        opened: tuple[str, ...] = (),
    ) -> None:
        self.size = size or Size()
        self.parts, self.opened = parts or {}, opened
        self.text, self._say, self.advise = text, say, advise
        self.frame, self.decide, self.base, self.universe = frame, decide, base, universe
        self.dials: dict[str, Value] = {}
        self.lets: dict[str, tree.Node] = {}
        self.unread: set[str] = set()
        self.pairs: list[Pair] = []
        self.overlays: list[Overlay] = []
        self._let_values: dict[tuple[str, str, bool], Value] = {}
        self._names: dict[tuple[str, str, bool], Value] = {}
        self._definitions: dict[tuple[object, ...], Value] = {}
        self.bound: dict[str, Value] = {}
        self.inside: Span | None = None  # the place of the call whose definition is being expanded
        self.earlier = 0  # how many `ago` stand around the place that is looked at

    def universe_named(self, name: str) -> str:
        """What the core calls a universe that a text names."""
        return self.parts.get(universe_said(name), name)

    def check(self, node: tree.Node) -> Value:
        """The checked value of any node. Raises Unresolved once a problem has been said."""
        raise NotImplementedError

    def condition(self, node: tree.Node) -> Value:
        value = self.check(node)
        name = str(value.op.params[0]) if value.op.kind == "fact" else ""
        if name in CATALOGUE and CATALOGUE[name].formula == YES_OR_NO:
            return Value(Op("compare", (value.op, constant(1.0)), ("==",), result="condition"), "condition")
        if value.type != "condition":
            what = "a text; compare it with a text in quotes" if value.type == "text" else "a number; compare it with something"
            mend = None
            self.fail(node.span, f"A condition is needed here, but `{self.source(node)}` is {what}.", mend)
        return value

    def number(self, node: tree.Node) -> Value:
        """A number as of each day's own prices, where it is a logarithm or of another instrument."""
        return self.settled(self.amount(node))

    def settled(self, value: Value) -> Value:
        """What is kept on the continuous scale for windows over a split, as of each day's own price: logarithms of prices, and all that is of
        another instrument."""
        value = self.returned(value)
        if not value.shift:
            return value
        return replace(value, op=Op("unshift", (value.op,), (value.shift,)), shift=0.0)

    def returned(self, value: Value) -> Value:
        """What is of other instruments, as of each day's own prices of theirs."""
        return replace(value, op=settled(value.op, value.lent), lent=()) if value.lent else value

    def amount(self, node: tree.Node) -> Value:
        """A number as it is carried on the continuous scale."""
        value = self.check(node)
        if value.type != "number":
            what = "a text" if value.type == "text" else "a condition"
            self.fail(node.span, f"A number is needed here, but `{self.source(node)}` is {what}.")
        return value

    def known_when(self) -> tuple[str, ...]:
        """The last param of an operation that reads facts: at the open, those dated that day are not known yet."""
        return (AT_OPEN,) if self.decide == "open" and not self.earlier else ()

    def column(self, entry: Entry, span: Span) -> Value:
        if self.decide == "open" and not self.earlier and (entry.kind == "field" or entry.uses_close) and entry.name != "open":
            self.fail(
                self.inside or span,
                f"At the open, today's `{entry.name}` is not known yet; use the bar before: add `1 ago`.",
                f"({self.source_at(self.inside or span)} 1 ago)",
            )
        frame = self.frame if entry.kind == "field" else "day"
        op = Op(
            entry.kind,
            (),
            (entry.name, *(self.known_when() if entry.kind == "fact" and entry.family != "calendar" else ())),
            frame,
            entry.result,
        )
        weight = 1.0 if entry.kind == "field" and entry.name != "volume" else None
        return Value(op, entry.result, entry.degree, None, weight)

    def in_frame(self, frame: str, build: Callable[[], Value], span: Span | None = None) -> Value:
        if finer(frame, self.base):
            place = span or self.inside or Span(0, 1)
            self.fail(place, f"There are no {frame} bars in this market; {self.base} bars and longer ones can be used.")
        before, self.frame = self.frame, frame
        try:
            return build()
        finally:
            self.frame = before

    def argument(self, entry: Entry, parameter: Parameter, node: tree.Node | None, span: Span, before: dict[str, Value]) -> Value:
        if node is None:
            assert parameter.default is not None
            return self.expand(parameter.default, dict(before), self.inside or span)
        if isinstance(node, tree.Since) and parameter.takes != "bars":
            if parameter.takes == "condition":
                return self.window(node)
            self.fail(
                node.span,
                f"`{parameter.name}` of `{entry.name}` is no number of bars; `since` and `all` stand in the place of one.",
            )
        if parameter.takes == "bars":
            window = self.window_of(node)
            if window is not None:
                return window
            return _plain(self.bar_count(node, int(parameter.low or 1), parameter.name, entry.name))
        if parameter.takes == "condition":
            return self.condition(node)
        value = self.amount(node)
        if parameter.takes == "constant" and value.constant is None:
            self.fail(node.span, f"`{parameter.name}` of `{entry.name}` is a plain number or a dial.")
        return value

    def window_of(self, node: tree.Node) -> Value | None:
        """A window that begins with an event, as it was given or as a definition was given it; None for a number of bars."""
        if isinstance(node, tree.Since):
            return replace(self.window(node), type="window")
        bound = self.bound.get(node.name) if isinstance(node, tree.Name) else None
        return bound if bound is not None and bound.type == "window" else None

    def window(self, node: tree.Since) -> Value:
        """The condition on whose latest bar a window begins; the first bar for `all`."""
        if node.condition is None:
            return Value(Op("begins", (), (), self.frame, "condition"), "condition")
        return self.condition(node.condition)

    def expand(self, definition: str, values: dict[str, Value], span: Span) -> Value:
        before = self.bound, self.inside
        self.bound, self.inside = values, span
        try:
            return self.check(definition_of(definition, frozenset(values)))
        finally:
            self.bound, self.inside = before

    def bar_count(self, node: tree.Node, low: int, what: str = "A number of bars", of: str = "") -> int:
        """A number of bars. what: for problems; with `of` the name of an argument of that entry."""
        amount: float | None
        if isinstance(node, tree.Number):
            amount = node.value
        elif isinstance(node, tree.Count):
            amount = self.number(node.amount).constant if isinstance(node.amount, tree.Name) else node.amount
        else:
            amount = self.number(node).constant
        if amount is not None and low <= amount <= MAX_WINDOW and amount == int(amount):
            return int(amount)
        said = f"`{what}` of `{of}`" if of else what
        if amount is None:
            self.fail(node.span, f"{said} must be a plain number or a dial.")
        self.fail(node.span, f"{said} must be a whole number from {low} to {MAX_WINDOW:,}; this is {amount:g}.")

    def unscaled(self, value: Value) -> Op:
        """The value in money (or shares) of each day."""
        return Op("unscale", (value.op,), (value.degree,)) if value.degree else value.op

    def _scaled(self, value: Value, degree: float) -> Op:
        if value.degree is None and degree and value.constant:
            return Op("money", (), (value.constant, degree))
        return value.op

    def alike(self, left: Value, right: Value) -> tuple[Value, Value]:
        """Two values with one scale of other instruments: a plain number is money of theirs; else each is of each day's own prices."""
        mine, other = degrees(left.lent), degrees(right.lent)
        if mine == other:
            return left, right
        if left.constant is not None:
            return replace(left, lent=other), right
        if right.constant is not None:
            return left, replace(right, lent=mine)
        return self.returned(left), self.returned(right)

    def same_scale(self, left: Value, right: Value, span: Span) -> tuple[Op, Op, float | None]:
        """Both sides on one scale, and that scale's degree (None when both are plain numbers)."""
        a, b, degree = self._own_scale(left, right, span)
        a, b = (lent_to(op, v.lent) if v.constant else op for op, v in ((a, left), (b, right)))
        return a, b, degree

    def _own_scale(self, left: Value, right: Value, span: Span) -> tuple[Op, Op, float | None]:
        if left.degree is None and right.degree is None:
            return left.op, right.op, None
        if left.degree is None or right.degree is None:
            degree = right.degree if left.degree is None else left.degree
            assert degree is not None
            return self._scaled(left, degree), self._scaled(right, degree), degree
        if left.degree == right.degree:
            return left.op, right.op, left.degree
        self.advise(self.inside or span, UNLIKE, None)
        return self.unscaled(left), self.unscaled(right), 0

    def too_large(self, span: Span) -> NoReturn:
        """Says once that the rule is larger than can be; whatever is looked at after that ends at once."""
        if not self.size.said:
            self.size.said = True
            said = (
                f"With its names and parts written out, a rule comes to at most {MAX_SIZE:,} steps, which end here; take lines out."
            )
            self._say(self.inside or span, said, None)
        raise Unresolved

    def source(self, node: tree.Node) -> str:
        """What a person wrote of it: of a part of a definition the call that stands for it."""
        return self.source_at(self.inside or node.span)

    def source_at(self, span: Span) -> str:
        return " ".join(self.text[span.start : span.end].split())

    def fail(self, span: Span, message: str, mend: str | None = None) -> NoReturn:
        self._say(self.inside or span, message, mend)
        raise Unresolved
