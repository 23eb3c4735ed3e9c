"""Patterns as a rule uses them: their arguments, and the columns their finders look at."""

from wickcore.language import tree
from wickcore.language.catalogue import CATALOGUE
from wickcore.language.entry import Entry, Parameter
from wickcore.language.operations import Op
from wickcore.language.problems import nearest
from wickcore.language.rule import Value
from wickcore.language.scope import Scope
from wickcore.language.shapes import SHAPES
from wickcore.language.tree import Span

# What a touch and a pole are measured in: the average true range of the logarithms, which is the same upside down.
LOG_RANGE = "rma(log(max(high, close 1 ago) / min(low, close 1 ago)), 14)"


def pattern(e: Scope, entry: Entry, node: tree.Call, given: dict[str, tree.Node | None]) -> Value:
    """A part of a pattern, or whether one is forming. given: its arguments by name."""
    name, _, part = entry.name.partition(".")
    part = part or "forming"
    plain: dict[str, float] = {}
    for p in entry.parameters:
        if p.takes == "word":
            plain[p.name] = _breaks(e, entry, given[p.name])
            continue
        value = e.argument(entry, p, given[p.name], node.span, {})
        if value.type == "window":
            e.fail(node.span, f"`{p.name}` of `{entry.name}` is a plain number of bars; `since` and `all` have no meaning there.")
        plain[p.name] = value.constant or 0.0
        if p.takes == "constant":
            _within(e, entry, p, plain[p.name], node.span)
    if plain["nth"] > 4:
        e.fail(node.span, f"The latest four patterns of a kind are known; `nth` of `{entry.name}` is at most 4.")
    asked = SHAPES[name].given
    columns = [e.column(CATALOGUE[price], node.span).op for price in ("high", "low", "close")]
    # What a kind does not look at stands as the close, which is there anyway.
    columns.append(e.expand(LOG_RANGE, {}, e.inside or node.span).op if {"touch", "strength", "leg"} & {*asked} else columns[2])
    columns.append(e.column(CATALOGUE["volume"], node.span).op if "strength" in asked else columns[2])
    params: tuple[float | str, ...] = (name, part, *plain.values())
    op = Op("pattern", tuple(columns), params, e.frame, "condition" if part == "forming" else "number")
    return Value(op, "condition" if part == "forming" else "number", entry.degree, None, 1.0 if entry.level else None)


def _breaks(e: Scope, entry: Entry, node: tree.Node | None) -> float:
    if node is None:
        return 1.0
    word = node.name if isinstance(node, tree.Name) else ""
    if word not in ("up", "down"):
        e.fail(node.span, f"`breaks` of `{entry.name}` is `up` or `down`.", nearest(word, ("up", "down")) if word else None)
    return 1.0 if word == "up" else -1.0


def _within(e: Scope, entry: Entry, parameter: Parameter, value: float, span: Span) -> None:
    """Shares of a price or of a size lie between nothing and all of it; sizes in average true ranges are above nothing."""
    share = (parameter.default or "").endswith("%")
    top = 1.0 if share or parameter.name == "fit" else 100.0
    bounds = "above 0% and below 100%" if share else f"above 0 and below {top:g}"
    if not 0 < value < top:
        e.fail(span, f"`{parameter.name}` of `{entry.name}` lies {bounds}.")
