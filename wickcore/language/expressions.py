"""Checks one expression: names, types, windows, frames and scale degrees, and turns it into operations."""

import itertools
import math
from collections.abc import Callable
from dataclasses import replace
from functools import lru_cache
from typing import NoReturn

from wickcore.bars.frames import finer
from wickcore.language import advice, tree
from wickcore.language.catalogue import CATALOGUE, FRAMES, Entry, Parameter
from wickcore.language.operations import Op, constant
from wickcore.language.parser import parse_expression
from wickcore.language.problems import nearest
from wickcore.language.rule import Overlay, Pair, Value
from wickcore.language.tree import Span

MAX_WINDOW = 5_000
USES_CLOSE = {"market_cap", "pe", "dividend_yield"}
KEEPS_WEIGHT = {"sma", "ema", "rma", "wma", "ema_by", "median", "highest", "lowest", "value_at"}
SAME_SCALE = {"max", "min", "pick"}
UNSCALED = {"sqrt", "log", "round"}
FRAMELESS = SAME_SCALE | UNSCALED | {"abs"}
FOLDED: dict[str, Callable[..., float]] = {
    "sqrt": math.sqrt,
    "round": lambda v: float(round(v)),
    "abs": abs,
    "max": max,
    "min": min,
}
MIRRORED = {">": "<", "<": ">", ">=": "<=", "<=": ">="}
Say = Callable[[Span, str, "str | None"], None]


class Unresolved(Exception):
    """Raised once a problem has been said and the expression around it can no longer be checked."""


@lru_cache(maxsize=512)
def _definition(text: str) -> tree.Node:
    return parse_expression(text)


class Expressions:
    """Checks expressions of one rule; `say` and `advise` receive problems with their place.

    dials: plain values by name. lets: trees by name, checked again in each frame they are used in. frame: whose bars are counted.
    base: the finest frame the market has bars of. universe: among whose members `rank` ranks; "" for all.
    """

    def __init__(self, text: str, say: Say, advise: Say, frame: str, decide: str, base: str = "day", universe: str = "") -> None:
        self.text, self._say, self._advise = text, say, advise
        self.frame, self.decide, self.base, self.universe = frame, decide, base, universe
        self.dials: dict[str, Value] = {}
        self.lets: dict[str, tree.Node] = {}
        self.unread: set[str] = set()
        self.pairs: list[Pair] = []
        self.overlays: list[Overlay] = []
        self._let_values: dict[tuple[str, str, bool], Value] = {}
        self._bound: dict[str, Value] = {}
        self._inside: Span | None = None  # the place of the call whose definition is being expanded
        self._ago = 0

    # -- entry points ------------------------------------------------------------------------------------------------

    def condition(self, node: tree.Node) -> Value:
        value = self.check(node)
        if value.type != "condition":
            what = "a text; compare it with a text in quotes" if value.type == "text" else "a number; compare it with something"
            mend = None
            self._fail(node.span, f"A condition is needed here, but `{self._source(node)}` is {what}.", mend)
        return value

    def number(self, node: tree.Node) -> Value:
        value = self.check(node)
        if value.type != "number":
            what = "a text" if value.type == "text" else "a condition"
            self._fail(node.span, f"A number is needed here, but `{self._source(node)}` is {what}.")
        return value

    def check(self, node: tree.Node) -> Value:
        method = getattr(self, "_check_" + type(node).__name__.lower())
        value: Value = method(node)
        return value

    # -- leaves ------------------------------------------------------------------------------------------------------

    def _check_number(self, node: tree.Number) -> Value:
        return Value(constant(node.value), "number", None, node.value, 0.0, node.percent)

    def _check_text(self, node: tree.Text) -> Value:
        return Value(Op("literal", (), (node.value,), result="text"), "text")

    def _check_count(self, node: tree.Count) -> Value:
        if node.frame:
            self._fail(node.span, "A number of weeks, months or days can stand only where bars are counted.")
        n = self._bars(node, 0)
        return Value(constant(n), "number", None, float(n), 0.0)

    def _check_name(self, node: tree.Name) -> Value:
        name = node.name
        if name in self._bound:
            return self._bound[name]
        if name in self.dials:
            return self.dials[name]
        if name in self.lets:
            memo = (name, self.frame, self._ago > 0)
            if memo not in self._let_values:
                self._let_values[memo] = self.check(self.lets[name])
            return self._let_values[memo]
        entry = self._entry(name, node.span)
        if not entry.bare:
            self._fail(node.span, f"`{name}` needs its arguments: `{entry.signature}`.")
        return self._use(entry, tree.Call(name, (), node.span, node.span))

    def _check_part(self, node: tree.Part) -> Value:
        if node.name in ("overnight", "first_hour"):
            self._fail(node.span, f"`{node.name}` needs bars shorter than a day, and this market holds none.")
        known = [n for n in CATALOGUE.entries if n.startswith(node.name + ".")]
        hint = nearest(f"{node.name}.{node.part}", known) if known else None
        self._fail(node.span, f"`{node.name}.{node.part}` is not known" + (f": did you mean `{hint}`?" if hint else "."), hint)

    def _entry(self, name: str, span: Span) -> Entry:
        if name in CATALOGUE:
            return CATALOGUE[name]
        if name in self.unread:
            raise Unresolved
        near = nearest(name, [*CATALOGUE.entries, *self.dials, *self.lets])
        self._fail(span, f"`{name}` is not known" + (f": did you mean `{near}`?" if near else "."), near)

    # -- calls -------------------------------------------------------------------------------------------------------

    def _check_call(self, node: tree.Call) -> Value:
        if node.name in self.lets or node.name in self.dials:
            self._fail(node.name_span, f"`{node.name}` is a name of this rule and takes no arguments.")
        entry = self._entry(node.name, node.name_span)
        return self._use(entry, node)

    def _use(self, entry: Entry, node: tree.Call) -> Value:
        value = self._used(entry, node)
        if value.constant is not None or value.type != "number":
            return value
        return replace(value, bounds=advice.BOUNDS.get(entry.name), fraction=entry.name in advice.FRACTIONS)

    def _used(self, entry: Entry, node: tree.Call) -> Value:
        if entry.kind in ("field", "fact", "text"):
            if node.arguments:
                self._fail(node.span, f"`{entry.name}` takes no brackets.", entry.name)
            return self._column(entry, node.span)
        if entry.kind == "form":
            form: Callable[[tree.Call], Value] = getattr(self, f"_form_{entry.name}")
            return form(node)
        given = self._match(entry, node)
        frames = {v.frame for v in given.values() if isinstance(v, tree.Count) and v.frame}
        if len(frames) > 1:
            self._fail(node.span, "One call counts on one frame; use the same unit in all its arguments.")
        if frames:
            return self._in_frame(frames.pop(), lambda: self._apply(entry, node, given))
        return self._apply(entry, node, given)

    def _column(self, entry: Entry, span: Span) -> Value:
        if self.decide == "open" and not self._ago and (entry.kind == "field" or entry.name in USES_CLOSE) and entry.name != "open":
            self._fail(
                self._inside or span,
                f"At the open, today's `{entry.name}` is not known yet; use the bar before: add `1 ago`.",
                f"({self._source_at(self._inside or span)} 1 ago)",
            )
        frame = self.frame if entry.kind == "field" else "day"
        op = Op(entry.kind, (), (entry.name,), frame, entry.result)
        weight = 1.0 if entry.kind == "field" and entry.name != "volume" else None
        return Value(op, entry.result, entry.degree, None, weight)

    def _form_on(self, node: tree.Call) -> Value:
        if len(node.arguments) != 2 or any(a.name for a in node.arguments):
            self._fail(node.span, "`on` takes a frame and an expression: `on(week, close > sma(40))`.")
        frame = self._frame_named(node.arguments[0].value)
        return self._in_frame(frame, lambda: self.check(node.arguments[1].value), node.arguments[0].value.span)

    def _form_first_of(self, node: tree.Call) -> Value:
        if len(node.arguments) != 1:
            self._fail(node.span, "`first_of` takes a frame: `first_of(month)`.")
        frame = self._frame_named(node.arguments[0].value)
        if not finer(self.frame, frame):
            self._fail(node.span, f"`first_of` takes a frame coarser than the bars it is asked on, which are {self.frame} bars.")
        return Value(Op("opens", (), (frame,), self.frame, "condition"), "condition")

    def _form_stacked(self, node: tree.Call) -> Value:
        hint = "`stacked` takes an average and two numbers of bars or more: `stacked(sma, 20, 50, 200)`."
        named = node.arguments[0].value if node.arguments else None
        if not isinstance(named, tree.Name) or len(node.arguments) < 3 or any(a.name for a in node.arguments):
            self._fail(node.span, hint)
        averages = [e.name for e in CATALOGUE.entries.values() if e.family == "averages" and len(e.parameters) == 2]
        if named.name not in averages:
            near = nearest(named.name, averages)
            self._fail(
                named.span, f"`{named.name}` is not an average of one source" + (f": did you mean `{near}`?" if near else "."), near
            )
        values = []
        for argument in node.arguments[1:]:
            n = self._bars(argument.value, 1, "A number of bars of `stacked`")
            count = tree.Count(float(n), None, argument.value.span)
            frame = argument.value.frame if isinstance(argument.value, tree.Count) else None
            call = tree.Call(named.name, (tree.Argument(None, count, argument.span),), argument.span, named.span)
            values.append(self._in_frame(frame, lambda call=call: self.check(call)) if frame else self.check(call))  # type: ignore[misc]
            if self._inside is None:
                self.overlays.append(Overlay(f"{named.name}({self._source(argument.value)})", values[-1].op))
        return Value(_all([self._pair(a, ">", b, node.span) for a, b in itertools.pairwise(values)]), "condition")

    def _form_rank(self, node: tree.Call) -> Value:
        plain = [a for a in node.arguments if a.name is None]
        among = [a.value for a in node.arguments if a.name == "in"]
        if len(plain) != 1 or len(plain) + len(among) != len(node.arguments):
            self._fail(
                node.span,
                "`rank` takes an expression, and `in=sector` where it ranks within sectors: `rank(change(63), in=sector)`.",
            )
        within = among[0].name if among and isinstance(among[0], tree.Name) else "universe" if not among else ""
        if within not in ("universe", "sector"):
            self._fail(among[0].span, "`rank` ranks in=universe or in=sector.", "sector")
        value = self.number(plain[0].value)
        return Value(Op("rank", (self._unscaled(value),), (self.universe, "sector" if within == "sector" else "")), "number", 0)

    def _form_benchmark(self, node: tree.Call) -> Value:
        if len(node.arguments) != 1 or node.arguments[0].name:
            self._fail(node.span, "`benchmark` takes one expression: `benchmark(close)`.")
        before = list(self.pairs), list(self.overlays)
        value = self.check(node.arguments[0].value)
        self.pairs, self.overlays = before  # what lies inside is of another instrument
        if value.type == "text":
            self._fail(node.span, "A number or a condition of the benchmark is needed here.")
        if value.type == "condition":
            return Value(Op("benchmark", (value.op,), result="condition"), "condition")
        return Value(Op("benchmark", (self._unscaled(value),)), "number", 0)

    def _form_event(self, node: tree.Call) -> Value:
        name = node.arguments[0].value if len(node.arguments) == 1 else None
        if not isinstance(name, tree.Text):
            self._fail(node.span, '`event` takes the announcement\'s name in quotes: `event("Lending rate")`.')
        return Value(Op("event", (), (name.value,), result="condition"), "condition")

    def _frame_named(self, node: tree.Node) -> str:
        if not isinstance(node, tree.Name) or node.name not in FRAMES:
            word = self._source(node)
            self._fail(node.span, f"`{word}` is not a frame; known are {', '.join(FRAMES)}.", nearest(word, FRAMES))
        return node.name

    def _in_frame(self, frame: str, build: Callable[[], Value], span: Span | None = None) -> Value:
        if finer(frame, self.base):
            place = span or self._inside or Span(0, 1)
            self._fail(place, f"There are no {frame} bars in this market; {self.base} bars and longer ones can be used.")
        before, self.frame = self.frame, frame
        try:
            return build()
        finally:
            self.frame = before

    def _match(self, entry: Entry, node: tree.Call) -> dict[str, tree.Node | None]:
        """Arguments by parameter name. A leading plain number means the source was left out."""
        parameters = list(entry.parameters)
        positional = [a for a in node.arguments if a.name is None]
        if entry.source_optional and positional and self._is_plain(positional[0].value):
            parameters = parameters[1:]
        if len(positional) > len(parameters):
            self._fail(node.span, f"`{entry.name}` takes at most {len(entry.parameters)} arguments: `{entry.signature}`.")
        given: dict[str, tree.Node | None] = {p.name: None for p in entry.parameters}
        for parameter, argument in zip(parameters, positional, strict=False):
            given[parameter.name] = argument.value
        for argument in node.arguments:
            if argument.name is None:
                continue
            if argument.name not in given:
                near = nearest(argument.name, list(given))
                hint = f": did you mean `{near}`?" if near else "."
                self._fail(argument.span, f"`{entry.name}` has no argument `{argument.name}`{hint}")
            if given[argument.name] is not None:
                self._fail(argument.span, f"`{argument.name}` is given twice.")
            given[argument.name] = argument.value
        missing = [p.name for p in entry.parameters if given[p.name] is None and p.default is None]
        if missing:
            self._fail(node.span, f"`{entry.name}` needs `{missing[0]}`: `{entry.signature}`.")
        return given

    def _is_plain(self, node: tree.Node) -> bool:
        if isinstance(node, tree.Number | tree.Count):
            return True
        if isinstance(node, tree.Name):
            bound = self._bound.get(node.name) or self.dials.get(node.name)
            return bound is not None and bound.constant is not None
        if isinstance(node, tree.Binary):
            return self._is_plain(node.left) and self._is_plain(node.right)
        return isinstance(node, tree.Unary) and node.operator == "-" and self._is_plain(node.operand)

    def _apply(self, entry: Entry, node: tree.Call, given: dict[str, tree.Node | None]) -> Value:
        values: dict[str, Value] = {}
        for p in entry.parameters:
            values[p.name] = self._argument(entry, p, given[p.name], node.span, values)
        if entry.kind == "definition":
            assert entry.definition
            made = self._expand(entry.definition, values, self._inside or node.span)
            return replace(made, weight=1.0) if entry.level else made
        columns = [values[p.name] for p in entry.parameters if p.takes in ("number", "condition")]
        whole = tuple(v for p in entry.parameters if p.takes == "bars" and (v := values[p.name].constant) is not None)
        plain = [c.constant for c in columns if c.constant is not None]
        if entry.name in FOLDED and len(plain) == len(columns) and not (entry.name == "sqrt" and plain[0] < 0):
            folded = FOLDED[entry.name](*plain)
            return Value(constant(folded), "number", None, folded, 0.0)
        numbers = [c for c in columns if c.type == "number"]
        degree = entry.degree if entry.degree is not None else (numbers[0].degree or 0 if numbers else 0)
        ops = [c.op for c in columns]
        if entry.name in SAME_SCALE:
            left, right, shared = self._same_scale(numbers[0], numbers[1], node.span)
            ops, degree = [*ops[:-2], left, right], shared or 0
        elif entry.name in UNSCALED:
            ops = [self._unscaled(columns[0])]
        op = Op(entry.name, tuple(ops), whole, "day" if entry.name in FRAMELESS else self.frame, entry.result)
        return Value(op, entry.result, degree, None, self._weight(entry, numbers))

    def _weight(self, entry: Entry, numbers: list[Value]) -> float | None:
        if entry.level:
            return 1.0
        if entry.name in SAME_SCALE:
            return numbers[0].weight if numbers[0].weight == numbers[1].weight else None
        if entry.name in KEEPS_WEIGHT:
            return numbers[0].weight
        return 0.0 if entry.name in ("stdev", "mean_dev", "slope") else None

    def _argument(self, entry: Entry, parameter: Parameter, node: tree.Node | None, span: Span, before: dict[str, Value]) -> Value:
        if node is None:
            assert parameter.default is not None
            return self._expand(parameter.default, dict(before), self._inside or span)
        if parameter.takes == "bars":
            n = self._bars(node, int(parameter.low or 1), f"`{parameter.name}` of `{entry.name}`")
            return Value(constant(n), "number", None, float(n), 0.0)
        if parameter.takes == "condition":
            return self.condition(node)
        value = self.number(node)
        if parameter.takes == "constant" and value.constant is None:
            self._fail(node.span, f"`{parameter.name}` of `{entry.name}` is a plain number or a dial.")
        return value

    def _expand(self, definition: str, values: dict[str, Value], span: Span) -> Value:
        before = self._bound, self._inside
        self._bound, self._inside = values, span
        try:
            return self.check(_definition(definition))
        finally:
            self._bound, self._inside = before

    def _bars(self, node: tree.Node, low: int, what: str = "A number of bars") -> int:
        amount: float | None
        if isinstance(node, tree.Count):
            amount = node.amount if isinstance(node.amount, float) else self.number(node.amount).constant
        else:
            amount = self.number(node).constant
        if amount is None:
            self._fail(node.span, f"{what} must be a plain number or a dial.")
        if amount != int(amount) or not low <= amount <= MAX_WINDOW:
            self._fail(node.span, f"{what} must be a whole number from {low} to {MAX_WINDOW:,}; this is {amount:g}.")
        return int(amount)

    # -- scales ------------------------------------------------------------------------------------------------------

    def _unscaled(self, value: Value) -> Op:
        """The value in money (or shares) of each day."""
        return Op("unscale", (value.op,), (value.degree,)) if value.degree else value.op

    def _scaled(self, value: Value, degree: int) -> Op:
        if value.degree is None and degree and value.constant:
            return Op("money", (), (value.constant, degree))
        return value.op

    def _same_scale(self, left: Value, right: Value, span: Span) -> tuple[Op, Op, int | None]:
        """Both sides on one scale, and that scale's degree (None when both are plain numbers)."""
        if left.degree is None and right.degree is None:
            return left.op, right.op, None
        if left.degree is None or right.degree is None:
            degree = right.degree if left.degree is None else left.degree
            assert degree is not None
            return self._scaled(left, degree), self._scaled(right, degree), degree
        if left.degree == right.degree:
            return left.op, right.op, left.degree
        self._advise(self._inside or span, "These two are unlike things, such as a price and a volume or a percentage.", None)
        return self._unscaled(left), self._unscaled(right), 0

    # -- arithmetic and logic ----------------------------------------------------------------------------------------

    def _check_unary(self, node: tree.Unary) -> Value:
        if node.operator == "not":
            return Value(Op("not", (self.condition(node.operand).op,), result="condition"), "condition")
        value = self.number(node.operand)
        if value.constant is not None:
            return Value(constant(-value.constant), "number", None, -value.constant, 0.0, value.percent)
        weight = -value.weight if value.weight is not None else None
        return Value(Op("negate", (value.op,)), "number", value.degree, None, weight)

    def _check_binary(self, node: tree.Binary) -> Value:
        if node.operator in ("and", "or"):
            left, right = self.condition(node.left), self.condition(node.right)
            return Value(Op(node.operator, (left.op, right.op), result="condition"), "condition")
        a, b = self.number(node.left), self.number(node.right)
        if a.constant is not None and b.constant is not None:
            return self._fold(node, a.constant, b.constant, a.percent or b.percent)
        if node.operator in "+-":
            left_op, right_op, degree = self._same_scale(a, b, node.span)
            sign = 1 if node.operator == "+" else -1
            weight = None if a.weight is None or b.weight is None else a.weight + sign * b.weight
            return Value(Op(node.operator, (left_op, right_op)), "number", degree, None, weight)
        sign = 1 if node.operator == "*" else -1
        degree = (a.degree or 0) + sign * (b.degree or 0)
        weight = None
        if b.constant and a.weight is not None:
            weight = a.weight * b.constant if sign == 1 else a.weight / b.constant
        elif a.constant is not None and b.weight is not None and sign == 1:
            weight = b.weight * a.constant
        return Value(Op(node.operator, (a.op, b.op)), "number", degree, None, weight)

    def _fold(self, node: tree.Binary, a: float, b: float, percent: bool) -> Value:
        if node.operator == "/" and b == 0:
            self._fail(node.span, "This divides by zero.")
        result = {"+": a + b, "-": a - b, "*": a * b}.get(node.operator)
        value = a / b if result is None else result
        return Value(constant(value), "number", None, value, 0.0, percent)

    def _check_ago(self, node: tree.Ago) -> Value:
        def build() -> Value:
            n = self._bars(node.count if not node.count.frame else _bare(node.count), 0, "The number of bars before `ago`")
            self._ago += 1 if n else 0
            try:
                value = self.check(node.value)
            finally:
                self._ago -= 1 if n else 0
            if value.type == "text":
                self._fail(node.span, "A text has no earlier value; compare it as it is.")
            if n == 0 or value.constant is not None:
                return value
            op = Op("ago", (value.op,), (float(n),), self.frame, "condition" if value.type == "condition" else "number")
            return Value(op, value.type, value.degree, None, value.weight, False, value.bounds, value.fraction)

        return self._in_frame(node.count.frame, build) if node.count.frame else build()

    def _check_over(self, node: tree.Over) -> Value:
        def build() -> Value:
            n = self._bars(_bare(node.count), 1, f"The number of bars after `{'held' if node.kind == 'held' else 'once in'}`")
            value = self.condition(node.value)
            return Value(Op(node.kind, (value.op,), (float(n),), self.frame, "condition"), "condition")

        return self._in_frame(node.count.frame, build) if node.count.frame else build()

    # -- comparisons -------------------------------------------------------------------------------------------------

    def _check_compare(self, node: tree.Compare) -> Value:
        if any(isinstance(o, tree.Text) for o in node.operands):
            return self._text_comparison(node)
        values = [self.number(o) for o in node.operands]
        ops = []
        for i, operator in enumerate(node.operators):
            ops.append(self._pair(values[i], operator, values[i + 1], node.span))
            self._look_at(node.operands[i], values[i], operator, node.operands[i + 1], values[i + 1])
        self._draw(*zip(node.operands, values, strict=True))
        return Value(_all(ops), "condition")

    def _text_comparison(self, node: tree.Compare) -> Value:
        if len(node.operands) != 2 or node.operators[0] not in ("==", "!="):
            self._fail(node.span, "A text is compared with `==`, `!=` or `in`.")
        left, right = node.operands
        if isinstance(left, tree.Text):
            left, right = right, left
        if not isinstance(right, tree.Text):
            self._fail(right.span, "A text in quotes is needed here.")
        op = self._text_in(left, (right,))
        return Value(op if node.operators[0] == "==" else Op("not", (op,), result="condition"), "condition")

    def _check_within(self, node: tree.Within) -> Value:
        return Value(self._text_in(node.value, node.texts), "condition")

    def _text_in(self, node: tree.Node, texts: tuple[tree.Text, ...]) -> Op:
        value = self.check(node)
        if value.type != "text":
            self._fail(node.span, f"`{self._source(node)}` is not a text; texts are `sector`, `kind` and `symbol`.")
        return Op("text_in", (value.op,), tuple(sorted({t.value for t in texts})), result="condition")

    def _check_crosses(self, node: tree.Crosses) -> Value:
        left, right = self.number(node.left), self.number(node.right)
        self._draw((node.left, left), (node.right, right))
        now, before = (">", "<=") if node.direction == "above" else ("<", ">=")
        a, b, degree = self._same_scale(left, right, node.span)
        self._keep(Pair(a, now, b, degree or 0))
        earlier = [Op("ago", (x,), (1.0,), self.frame) if x.kind != "constant" else x for x in (a, b)]
        crossed = [Op("compare", (a, b), (now,), result="condition"), Op("compare", tuple(earlier), (before,), result="condition")]
        return Value(_all(crossed), "condition")

    def _check_between(self, node: tree.Between) -> Value:
        value, low, high = self.number(node.value), self.number(node.low), self.number(node.high)
        self._draw((node.value, value), (node.low, low), (node.high, high))
        return Value(_all([self._pair(value, ">=", low, node.span), self._pair(value, "<=", high, node.span)]), "condition")

    def _check_near(self, node: tree.Near) -> Value:
        value, target, by = self.number(node.value), self.number(node.target), self.number(node.by)
        self._draw((node.value, value), (node.target, target))
        a, b, degree = self._same_scale(value, target, node.span)
        if by.percent:
            ratio = Op("-", (Op("/", (a, b)), constant(1.0)))
            distance = Value(Op("abs", (ratio,)), "number", 0)
        else:
            distance = Value(Op("abs", (Op("-", (a, b)),)), "number", degree or 0)
        return Value(self._pair(distance, "<=", by, node.span), "condition")

    def _pair(self, left: Value, operator: str, right: Value, span: Span) -> Op:
        a, b, degree = self._same_scale(left, right, span)
        self._keep(Pair(a, operator, b, degree or 0))
        return Op("compare", (a, b), (operator,), result="condition")

    def _keep(self, pair: Pair) -> None:
        if self._inside is None:
            self.pairs.append(pair)

    def _draw(self, *parts: tuple[tree.Node, Value]) -> None:
        if self._inside is not None:
            return
        for node, value in parts:
            level = value.weight is not None and 0.5 <= value.weight <= 2.0
            if level and value.degree == 1 and not (value.op.kind == "field" and value.op.frame == "day"):
                self.overlays.append(Overlay(self._source(node), value.op))

    def _look_at(self, left_node: tree.Node, left: Value, operator: str, right_node: tree.Node, right: Value) -> None:
        """Advice that needs both sides of one comparison."""
        if self._inside is not None:
            return
        found = advice.verdict(left, operator, right)
        for a, sign, b, node in ((left, operator, right, right_node), (right, MIRRORED.get(operator, ""), left, left_node)):
            if found is False and sign in "><" and b.op.kind == {">": "highest", "<": "lowest"}.get(sign):
                mend = f"{self._source(node)} 1 ago"
                self._advise(node.span, f"This can never hold: the window includes today. Look at the bars before: `{mend}`.", mend)
                return
            if sign in (">", ">=") and a.op.kind == "field" and a.op.params[0] == "volume" and _averages_volume(b.op):
                said = "This average includes today's own volume; leave today out with `1 ago`."
                mend = f"{self._source(node)} 1 ago"
                self._advise(node.span, said, mend if b.op.kind == "sma" else f"({mend})")
            if a.fraction and isinstance(node, tree.Number) and not b.percent and abs(node.value) >= 1:
                mend = f"{self._source(node)}%"
                self._advise(
                    node.span, f"A fraction is compared here: {node.value:g} means {node.value:.0%}. Is `{mend}` meant?", mend
                )
                return
        whole = Span(left_node.span.start, right_node.span.end)
        if found is not None:
            text = self._source_at(whole)
            self._advise(whole, f"`{text}` {'always holds' if found else 'can never hold'}, whatever prices do.", None)

    # -- saying ------------------------------------------------------------------------------------------------------

    def _source(self, node: tree.Node) -> str:
        return self._source_at(node.span)

    def _source_at(self, span: Span) -> str:
        return " ".join(self.text[span.start : span.end].split())

    def _fail(self, span: Span, message: str, mend: str | None = None) -> NoReturn:
        self._say(self._inside or span, message, mend)
        raise Unresolved


def _bare(count: tree.Count) -> tree.Count:
    return tree.Count(count.amount, None, count.span)


def _all(ops: list[Op]) -> Op:
    joined = ops[0]
    for op in ops[1:]:
        joined = Op("and", (joined, op), result="condition")
    return joined


def _averages_volume(op: Op) -> bool:
    if op.kind == "sma":
        return op.args[0].kind == "field" and op.args[0].params[0] == "volume"
    return op.kind in ("*", "/") and any(_averages_volume(a) for a in op.args)
