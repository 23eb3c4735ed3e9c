"""Advice where what is written means something, but hardly what was meant: percent taken from a price, a high against closes, a length for a
count, a month's bar for a month's time, a year told in two ways. Each with the line that was probably meant."""

import re
from collections.abc import Iterator

from wickcore.language import tree
from wickcore.language.problems import Places, Problem
from wickcore.language.rule import Value
from wickcore.language.scope import Scope
from wickcore.language.tree import Span

_OF_CLOSES = {("high", "highest"), ("low", "lowest")}
SHORT = 10  # a squeeze's bands are longer than so many bars, its age is less
MONTH = 21  # sessions
_YEAR = re.compile(r"(?<![\w.])252(?![\w.%])")


def percent_of(e: Scope, node: tree.Binary, left: Value, right: Value) -> None:
    """`highest(high, 20) - 3%` takes 0.03 from a price."""
    if e.inside is not None or not right.percent or right.constant is None or not left.degree or (left.weight or 0) < 0:
        return
    share = 1 + right.constant if node.operator == "+" else 1 - right.constant
    if share <= 0:
        return
    what = e.source(node.left)
    if isinstance(node.left, tree.Binary) and node.left.operator in "+-":
        what = f"({what})"
    mend = f"{what} * {100 * share:.10g}%"
    verb = "adds" if node.operator == "+" else "takes away"
    said = f"This {verb} {right.constant:g}, whatever the price: a percent is a number. Of the price itself: `{mend}`."
    e.advise(node.span, said, mend)


def of_closes(e: Scope, node: tree.Node, value: Value, other: Value) -> None:
    """`high >= highest(60)`: the window is of closes, and most highs lie above them."""
    inner = node.value if isinstance(node, tree.Ago) else node
    op = value.op.args[0] if value.op.kind == "ago" else value.op
    if e.inside is not None or not isinstance(inner, tree.Call) or other.op.kind != "field":
        return
    field = str(other.op.params[0])
    given = inner.arguments
    if (field, inner.name) not in _OF_CLOSES or op.kind != inner.name or len(given) != 1 or given[0].name not in (None, "n"):
        return
    mend = f"{inner.name}({field}, {e.source(given[0].value)})"
    e.advise(inner.span, f"`{e.source(inner)}` is of closes, and here a {field} is held against it. Of {field}s: `{mend}`.", mend)


def squeezed(e: Scope, node: tree.Call) -> None:
    """`squeeze(5)`: the length of its bands, where an age was meant."""
    first = node.arguments[0].value if len(node.arguments) == 1 and node.arguments[0].name is None else None
    if e.inside is None and node.name == "squeeze" and isinstance(first, tree.Number) and first.value <= SHORT:
        mend = f"squeeze held {e.source(first)}"
        e.advise(node.span, f"{e.source(first)} is the length of its bands here. One that lasts so many bars: `{mend}`.", mend)


def in_a_month(e: Scope, node: tree.Call) -> None:
    """`on(month, change)`: since the end of last month, where the last month's time was meant."""
    frame, what = (a.value for a in node.arguments)
    named = isinstance(frame, tree.Name) and frame.name == "month"
    parts = what.operands if isinstance(what, tree.Compare) else (what,)
    change = any(isinstance(part, tree.Name) and part.name == "change" for part in parts)
    if e.inside is None and e.frame == "day" and named and change:
        mend = re.sub(r"\bchange\b(?!\()", f"change({MONTH})", e.source(what))
        said = (
            f"This is the change since the end of last month: early in a month, that of a few days. Over a month's time: `{mend}`."
        )
        e.advise(node.span, said, mend)


def two_years(text: str, places: Places) -> Iterator[Problem]:
    """252 bars beside 52w: a year told in two ways, which end on different days."""
    written = re.sub(r"#[^\n]*|\"[^\"\n]*\"", lambda m: " " * len(m.group()), text)
    found = _YEAR.search(written)
    if found and re.search(r"(?<![\w.])52w\b", written):
        said = "Here a year is 252 bars and elsewhere 52w, weeks of the calendar: their first days differ. Write one of them throughout."
        yield places.problem(Span(found.start(), found.end()), said, "52w")
