"""Names that only sessions have: the night before, the first minutes, and the pace of the day."""

from collections.abc import Callable
from typing import Any

from wickcore.language import tree
from wickcore.language.catalogue import CATALOGUE
from wickcore.language.operations import Op
from wickcore.language.rule import Value
from wickcore.language.scope import Scope

FRAME = "5min"  # the bars that a session's parts are counted in
LONGEST = 1_440  # minutes


def _over(e: Scope, node: tree.Call) -> None:
    """What a session itself brings is not known at its open."""
    if e.decide == "open" and not e.earlier:
        span = e.inside or node.span
        e.fail(span, f"At the open, `{e.source(node)}` of today is not known yet; that of the session before is: add `1 ago`.",
               f"({e.source(node)} 1 ago)")  # fmt: skip


def _number_of(e: Scope, node: tree.Call, low: int) -> int:
    """The one argument, which may be named `n` or left out."""
    entry = CATALOGUE[node.name]
    if len(node.arguments) > 1 or any(a.name not in (None, "n") for a in node.arguments):
        e.fail(node.span, f"`{entry.name}` takes one number: `{entry.signature}`.")
    if not node.arguments:
        return int(str(entry.parameters[0].default))
    return e.bar_count(node.arguments[0].value, low, "n", entry.signature)


def _opening(part: str) -> Callable[[Scope, tree.Call], Value]:
    def form(e: Scope, node: tree.Call) -> Value:
        _over(e, node)
        n = _number_of(e, node, 5)
        if n % 5 or n > LONGEST:
            e.fail(node.arguments[0].span, f"The first minutes are counted in bars of five: 5, 10, 15 … {LONGEST:,}; this is {n}.")
        return e.in_frame(FRAME, lambda: Value(Op("opening", (), (part, float(n)), FRAME), "number", 1, None, 1.0))

    return form


def _pace(e: Scope, node: tree.Call) -> Value:
    _over(e, node)
    n = _number_of(e, node, 1)
    return e.in_frame(FRAME, lambda: Value(Op("pace", (), (float(n),), FRAME), "number", 0))


def _overnight(part: str) -> Callable[[Scope, tree.Call], Value]:
    def form(e: Scope, node: tree.Call) -> Value:
        if node.arguments:
            e.fail(node.span, f"`{node.name}` takes no brackets.", node.name)
        if part.endswith("_first"):
            return Value(Op("overnight", (), (part,), result="condition"), "condition")
        return Value(Op("overnight", (), (part,)), "number", 1, None, 1.0)

    return form


SESSION_FORMS: dict[str, Callable[[Scope, Any], Value]] = {
    **{f"opening_range.{part}": _opening(part) for part in ("open", "high", "low", "close")},
    **{f"overnight.{part}": _overnight(part) for part in ("open", "high", "low", "close", "low_first", "high_first")},
    "pace": _pace,
}
