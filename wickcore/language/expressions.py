"""Checks one expression: names, types, windows, frames and scale degrees, and turns it into operations."""

import math
from collections.abc import Callable
from dataclasses import replace
from typing import Any, NoReturn

from wickcore.language import tree
from wickcore.language.arithmetic import binary, folded, unary
from wickcore.language.catalogue import CATALOGUE
from wickcore.language.comparisons import COMPARISONS
from wickcore.language.definitions import Closed
from wickcore.language.entry import Entry
from wickcore.language.foreign_scale_of_entry import scale_of
from wickcore.language.forms import FORMS
from wickcore.language.lint import squeezed
from wickcore.language.operations import Op, constant
from wickcore.language.pattern_uses import pattern
from wickcore.language.problems import nearest
from wickcore.language.recurrence import PRIOR
from wickcore.language.rule import Value
from wickcore.language.scope import Scope, Unresolved
from wickcore.language.tree import Span

FOLDED: dict[str, Callable[..., float]] = {
    "sqrt": math.sqrt,
    "round": lambda v: float(round(v)),
    "abs": abs,
    "max": max,
    "min": min,
    "exp": lambda v: math.exp(v) if v < 709 else math.inf,
    "floor": lambda v: float(math.floor(v)),
    "ceil": lambda v: float(math.ceil(v)),
    "sign": lambda v: float((v > 0) - (v < 0)),
    "mod": lambda a, b: a % b,
}


# What can be counted from an event on, a step a bar.
SINCE = (
    "bars_since_highest", "bars_since_lowest", "corr", "count", "fit", "highest", "lowest", "mean_dev", "median", "percentile", "slope", "sma",
    "stdev", "sum", "wma",
)  # fmt: skip
SMOOTHED = ("ema", "rma")  # their weight comes from a number of bars

OWN = ("own", "own_age")  # facts of one's own: `own.tone`, and `own_age.tone`, how many days ago it was given


class Expressions(Scope):
    """Checks every kind of node."""

    # -- entry points ------------------------------------------------------------------------------------------------

    def check(self, node: tree.Node) -> Value:
        self.size.left -= 1
        if self.size.left < 0:
            self.too_large(node.span)
        return CHECKS[type(node)](self, node)

    # -- leaves ------------------------------------------------------------------------------------------------------

    def _check_number(self, node: tree.Number) -> Value:
        if node.value == math.inf:
            self.fail(node.span, "This number is larger than any that can be computed with.")
        return Value(constant(node.value), "number", None, node.value, 0.0, node.percent)

    def _check_text(self, node: tree.Text) -> Value:
        return Value(Op("literal", (), (node.value,), result="text"), "text")

    def _check_count(self, node: tree.Count) -> Value:
        if node.frame:
            self.fail(node.span, "A number of weeks, months or days can stand only where bars are counted.")
        n = self.bar_count(node, 0)
        return Value(constant(n), "number", None, float(n), 0.0)

    def _check_name(self, node: tree.Name) -> Value:
        name = node.name
        if name in self.bound:
            return self.bound[name]
        own = self.inside is None  # what a definition says is of the language alone
        if own and name in self.dials:
            return self.dials[name]
        if own and name in self.lets:
            memo = (name, self.frame, self.earlier > 0)
            if memo not in self._let_values:
                self._let_values[memo] = self.check(self.lets[name])
            return self._let_values[memo]
        entry = self._entry(name, node.span)
        if not entry.bare:
            self.fail(node.span, f"`{name}` needs its arguments: `{entry.signature}`.")
        memo = (name, self.frame, self.earlier > 0)
        if memo not in self._names:
            self._names[memo] = self._use(entry, tree.Call(name, (), node.span, node.span))
        return self._names[memo]

    def _check_part(self, node: tree.Part) -> Value:
        name = f"{node.name}.{node.part}"
        if node.name in OWN:
            if node.arguments:
                self.fail(node.span, f"`{name}` takes no brackets.", name)
            return Value(Op("fact", (), (name, *self.known_when()), "day", "number"), "number", 0)
        if name in CATALOGUE:
            return self._use(CATALOGUE[name], tree.Call(name, node.arguments, node.span, node.span))
        known = [n for n in CATALOGUE.entries if n.startswith(node.name + ".")]
        hint = nearest(f"{node.name}.{node.part}", known) if known else None
        self.fail(node.span, f"`{node.name}.{node.part}` is not known" + (f": did you mean `{hint}`?" if hint else "."), hint)

    def _entry(self, name: str, span: Span) -> Entry:
        if name in CATALOGUE:
            return CATALOGUE[name]
        if name in self.unread:
            raise Unresolved
        if name == PRIOR:
            self.fail(span, "`prior` stands in the second value of `carry` only: `carry(low, max(prior, low))`.")
        near = nearest(name, (*CATALOGUE.names, *self.dials, *self.lets))
        self.fail(span, f"`{name}` is not known" + (f": did you mean `{near}`?" if near else "."), near)

    # -- calls -------------------------------------------------------------------------------------------------------

    def _check_call(self, node: tree.Call) -> Value:
        if self.inside is None and (node.name in self.lets or node.name in self.dials):
            self.fail(node.name_span, f"`{node.name}` is a name of this rule and takes no arguments.")
        entry = self._entry(node.name, node.name_span)
        squeezed(self, node)
        return self._use(entry, node)

    def _use(self, entry: Entry, node: tree.Call) -> Value:
        value = self._used(entry, node)
        if value.constant is not None or value.type != "number" or not (entry.bounds or entry.fraction):
            return value
        if entry.name == "breadth":  # what it shows is its own
            return value
        bounds = (1.0, math.inf) if entry.name == "days_since_report" and self.known_when() else entry.bounds
        return replace(value, bounds=bounds, fraction=entry.fraction)

    def _used(self, entry: Entry, node: tree.Call) -> Value:
        if entry.kind in ("field", "fact", "text"):
            if node.arguments:
                self.fail(node.span, f"`{entry.name}` takes no brackets.", entry.name)
            return self.column(entry, node.span)
        if entry.kind == "form":
            return FORMS[entry.name](self, node)
        given = self._match(entry, node)
        if entry.kind == "pattern":
            return pattern(self, entry, node, given)
        frames = {v.frame for v in given.values() if isinstance(v, tree.Count) and v.frame}
        if len(frames) > 1:
            self.fail(node.span, "One call counts on one frame; use the same unit in all its arguments.")
        if frames:
            return self.in_frame(frames.pop(), lambda: self._apply(entry, node, given))
        return self._apply(entry, node, given)

    def _match(self, entry: Entry, node: tree.Call) -> dict[str, tree.Node | None]:
        """Arguments by parameter name. A leading plain number means the source was left out."""
        given: dict[str, tree.Node | None] = dict.fromkeys([p.name for p in entry.parameters])
        if node.arguments:
            self._give(entry, node, given)
        missing = [name for name in entry.needed if given[name] is None]
        if missing:
            self.fail(node.span, f"`{entry.name}` needs `{missing[0]}`: `{entry.signature}`.")
        return given

    def _give(self, entry: Entry, node: tree.Call, given: dict[str, tree.Node | None]) -> None:
        parameters = entry.parameters
        positional = [a for a in node.arguments if a.name is None]
        if entry.source_optional and positional and self._is_plain(positional[0].value):
            parameters = parameters[1:]
        if len(positional) > len(parameters):
            self.fail(node.span, f"`{entry.name}` takes at most {len(entry.parameters)} arguments: `{entry.signature}`.")
        for parameter, argument in zip(parameters, positional, strict=False):
            given[parameter.name] = argument.value
        for argument in node.arguments:
            if argument.name is None:
                continue
            if argument.name not in given:
                near = nearest(argument.name, list(given))
                hint = f": did you mean `{near}`?" if near else "."
                self.fail(argument.span, f"`{entry.name}` has no argument `{argument.name}`{hint}")
            if given[argument.name] is not None:
                self.fail(argument.span, f"`{argument.name}` is given twice.")
            given[argument.name] = argument.value

    def _is_plain(self, node: tree.Node) -> bool:
        if isinstance(node, tree.Number | tree.Count | tree.Since):
            return True
        if isinstance(node, tree.Name):
            bound = self.bound.get(node.name) or (self.dials.get(node.name) if self.inside is None else None)
            return bound is not None and bound.constant is not None
        if isinstance(node, tree.Binary):
            return self._is_plain(node.left) and self._is_plain(node.right)
        return isinstance(node, tree.Unary) and node.operator == "-" and self._is_plain(node.operand)

    def _apply(self, entry: Entry, node: tree.Call, given: dict[str, tree.Node | None]) -> Value:
        values: dict[str, Value] = {}
        for p in entry.parameters:
            values[p.name] = self.argument(entry, p, given[p.name], node.span, values)
        if entry.kind == "definition":
            windowed = self.inside is None and any(v.type == "window" for v in values.values())
            return (self._over_window if windowed else self._defined)(entry, values, self.inside or node.span)
        columns = [values[p.name] for p in entry.parameters if p.takes in ("number", "condition")]
        window = next((v for v in values.values() if v.type == "window"), None)
        if window is not None and entry.name not in SINCE:
            self._no_window(entry, node.span)
        whole = tuple(v for p in entry.parameters if p.takes == "bars" and (v := values[p.name].constant) is not None)
        plain = [c.constant for c in columns if c.constant is not None]
        if entry.name in FOLDED and len(plain) == len(columns) and not (entry.name == "sqrt" and plain[0] < 0):
            if entry.name == "mod" and not plain[1]:
                self.fail(node.span, "This divides by zero.")
            return folded(self, FOLDED[entry.name](*plain), False, node.span)
        if entry.scale == "same":
            columns[-2:] = self.alike(*columns[-2:])
        shift = self._shift(entry, values, [c for c in columns if c.type == "number"])
        scale = scale_of(entry, values, [c for c in columns if c.type == "number"])
        raised = columns[0].shift if columns else 0.0  # what an exponential makes of the factor's logarithm
        if entry.scale == "exponential":
            shift = 0.0
        if shift is None:
            columns, shift, scale = [self.settled(c) for c in columns], 0.0, ()
        elif scale is None:
            columns, scale = [self.returned(c) for c in columns], ()
        numbers = [c for c in columns if c.type == "number"]
        degree = entry.degree if entry.degree is not None else (numbers[0].degree or 0 if numbers else 0)
        ops = [c.op for c in columns]
        if entry.scale == "same":
            left, right, shared = self.same_scale(numbers[0], numbers[1], node.span)
            ops, degree = [*ops[:-2], left, right], shared or 0
        elif entry.scale == "printed":
            left, right, shared = self.same_scale(numbers[0], numbers[-1], node.span)
            numbers = [replace(numbers[0], op=left, degree=shared), replace(numbers[-1], op=right, degree=shared)][: len(numbers)]
            ops = [self.unscaled(v) for v in numbers]
        elif entry.scale == "exponential":
            ops, degree, shift = [self.unscaled(given_) for given_ in numbers], raised, 0.0
        elif entry.scale == "root":
            degree = (numbers[0].degree or 0) / 2
        elif entry.scale == "logarithm":
            degree, shift = 0, numbers[0].degree or 0.0
        if "zigzag" in entry.name:
            ops = [*(self.column(CATALOGUE[price], node.span).op for price in ("high", "low")), *ops]
            whole = (*whole, self._share(values["by"], node.span))
        op = Op(entry.name, tuple(ops), whole, "day" if entry.frameless else self.frame, entry.result)
        if window is not None:
            kind = "sum_since_window" if entry.name == "sum" else f"{entry.name}_since"  # `sum_since` is an entry of its own
            begin = window.op
            if begin.kind == "begins":  # the whole history of x begins where x does: most are unknown at first
                known = ops[0] if len(numbers) < 2 else Op("+", (numbers[0].op, numbers[1].op))
                begin = Op("first_known", (known,), (), self.frame, "condition")
            op = Op(kind, (*ops, begin), (), self.frame, entry.result)
        if entry.scale == "printed" and numbers[0].degree:  # that day's money again
            degree, op = numbers[0].degree, Op("unscale", (op,), (-numbers[0].degree,))
        return Value(op, entry.result, degree, None, self._weight(entry, numbers), shift=shift, lent=scale or ())

    def _shift(self, entry: Entry, values: dict[str, Value], numbers: list[Value]) -> float | None:
        """How often the logarithm of the factor is in the entry's value; None where its arguments have to be settled first."""
        shifts = {v.shift for v in numbers if v.constant is None or entry.scale == "same"}
        if not any(shifts):
            return 0.0
        if entry.of_sums == "gone":
            return 0.0
        if len(shifts) > 1 or entry.of_sums is None:
            return None
        if entry.of_sums == "n times" and values["n"].constant is None:
            return None
        return shifts.pop() * ((values["n"].constant or 0.0) if entry.of_sums == "n times" else 1.0)

    def _no_window(self, entry: Entry, span: Span) -> NoReturn:
        if entry.name in SMOOTHED:
            self.fail(
                span,
                f"`{entry.name}` takes its weight from a number of bars; over `since` or `all` there is the plain mean, `sma`.",
                "sma",
            )
        known = ", ".join(f"`{name}`" for name in sorted(SINCE))
        said = f"`{entry.name}` counts a plain number of bars; `since` and `all` work with {known} and what is made of them."
        self.fail(span, said)

    def _over_window(self, entry: Entry, values: dict[str, Value], span: Span) -> Value:
        """A definition over `since` or `all`. What its own text cannot take is said of the name that the rule calls, not of that text."""
        say, self._say = self._say, lambda span, message, mend: None
        try:
            return self._defined(entry, values, span)
        except Unresolved:
            pass
        finally:
            self._say = say
        plain = Value(constant(20.0), "number", None, 20.0)
        self._defined(
            entry, {name: plain if v.type == "window" else v for name, v in values.items()}, span
        )  # says what else is wrong
        self._no_window(entry, span)

    def _defined(self, entry: Entry, values: dict[str, Value], span: Span) -> Value:
        """The entry's definition with its arguments in place; definitions use one another, and often the same one twice."""
        assert entry.definition
        given = [(v.type, v.op) if v.constant is None else (v.constant, v.percent) for v in values.values()]
        memo = (entry.name, self.frame, self.earlier > 0, *given)
        made = self._definitions.get(memo)
        if made is None:
            made = self.expand(entry.definition, values, span)
            if entry.level:
                made = replace(made, weight=1.0)
            self._definitions[memo] = made
        return made

    def _closed(self, part: Closed) -> Value:
        memo = (id(part), self.frame, self.earlier > 0)
        made = self._definitions.get(memo)
        if made is None:
            made = self._definitions[memo] = self.check(part.node)
        return made

    def _share(self, by: Value, span: Span) -> float:
        """1 where a turn is measured as a share of its price, 0 where as an amount."""
        if by.degree == 1:
            return 0.0
        if by.degree or (by.constant is not None and not by.percent) or (by.constant is not None and not 0 < by.constant < 1):
            self.fail(span, "`by` is a share above 0%, such as 5%, or an amount, such as `3 * atr(14)`.")
        return 1.0

    def _weight(self, entry: Entry, numbers: list[Value]) -> float | None:
        if entry.level:
            return 1.0
        if entry.scale == "same":
            return numbers[0].weight if numbers[0].weight == numbers[1].weight else None
        own = numbers[0].weight if numbers else None
        return None if entry.level_of_x is None or (own is None and entry.level_of_x) else (own or 0.0) * entry.level_of_x

    # -- earlier bars, and several ------------------------------------------------------------------------------------

    def _check_ago(self, node: tree.Ago) -> Value:
        def build() -> Value:
            n = self.bar_count(node.count if not node.count.frame else _bare(node.count), 0, "The number of bars before `ago`")
            self.earlier += 1 if n else 0
            try:
                value = self.check(node.value)
            finally:
                self.earlier -= 1 if n else 0
            if value.type == "text":
                self.fail(node.span, "A text has no earlier value; compare it as it is.")
            if n == 0 or value.constant is not None:
                return value
            op = Op("ago", (value.op,), (float(n),), self.frame, "condition" if value.type == "condition" else "number")
            return Value(
                op, value.type, value.degree, None, value.weight, False, value.bounds, value.fraction, value.shift, value.lent
            )

        return self.in_frame(node.count.frame, build) if node.count.frame else build()

    def _check_over(self, node: tree.Over) -> Value:
        def build() -> Value:
            word = "held" if node.kind == "held" else "once in"
            n = self.bar_count(_bare(node.count), 1, f"The number of bars after `{word}`")
            value = self.condition(node.value)
            return Value(Op(node.kind, (value.op,), (float(n),), self.frame, "condition"), "condition")

        if not node.count.frame:
            return build()
        if self.inside is None:
            self._say_frame(node)
        return self.in_frame(node.count.frame, build)

    def _say_frame(self, node: tree.Over) -> None:
        """That a count with a unit asks the whole condition on bars of that unit, which is easily read otherwise."""
        frame, days = str(node.count.frame), {"week": 5, "month": 21}.get(str(node.count.frame), 0)
        if frame == self.frame or not days:
            return
        word, amount = "held" if node.kind == "held" else "once in", self.number(_bare(node.count)).constant
        said = f"With `{word} {self.source_at(node.count.span)}` the whole condition is asked on {frame} bars, its windows too."
        mend = f"{amount * days:g}" if self.frame == "day" and amount else None
        more = f" For {mend} days on day bars write `{word} {mend}`." if mend else ""
        self.advise(node.count.span, said + more, mend)

    def _check_since(self, node: tree.Since) -> Value:
        self.fail(node.span, "`since` and `all` can stand only where bars are counted, such as `lowest(low, since gap > 4%)`.")

    def _check_count_of(self, node: tree.CountOf) -> Value:
        ops = tuple(self.condition(c).op for c in node.conditions)
        return Value(Op("count_of", ops), "number", 0, bounds=(0.0, float(len(ops))))


def _bare(count: tree.Count) -> tree.Count:
    return tree.Count(count.amount, None, count.span)


CHECKS: dict[type, Callable[[Expressions, Any], Value]] = {
    **COMPARISONS,
    Closed: Expressions._closed,
    tree.Number: Expressions._check_number,
    tree.Text: Expressions._check_text,
    tree.Count: Expressions._check_count,
    tree.Name: Expressions._check_name,
    tree.Part: Expressions._check_part,
    tree.Call: Expressions._check_call,
    tree.Unary: unary,
    tree.Binary: binary,
    tree.Ago: Expressions._check_ago,
    tree.Over: Expressions._check_over,
    tree.Since: Expressions._check_since,
    tree.CountOf: Expressions._check_count_of,
}
