"""Comparisons: on one scale, with both sides kept to explain and draw, and advice where one can never hold."""

from collections.abc import Callable
from dataclasses import replace
from typing import Any

from wickcore.language import advice, tree
from wickcore.language.lint import of_closes
from wickcore.language.operations import AT_OPEN, Op, constant, each, every
from wickcore.language.rule import Overlay, Pair, Value
from wickcore.language.scope import Scope
from wickcore.language.tree import Span

_ENDLESS = {">": "highest", "<": "lowest"}  # what a price is never beyond while its window holds today
MIRRORED = {">": "<", "<": ">", ">=": "<=", "<=": ">="}


def compare(e: Scope, node: tree.Compare) -> Value:
    if tree.Text in map(type, node.operands):
        return _text_comparison(e, node)
    values = [e.number(o) for o in node.operands]
    ops = []
    for i, operator in enumerate(node.operators):
        ops.append(pair(e, values[i], operator, values[i + 1], node.span))
        _look_at(e, node.operands[i], values[i], operator, node.operands[i + 1], values[i + 1])
    _draw(e, *zip(node.operands, values, strict=True))
    return Value(every(ops), "condition")


def _text_comparison(e: Scope, node: tree.Compare) -> Value:
    if len(node.operands) != 2 or node.operators[0] not in ("==", "!="):
        e.fail(node.span, "A text is compared with `==`, `!=` or `in`.")
    left, right = node.operands
    if isinstance(left, tree.Text):
        left, right = right, left
    if not isinstance(right, tree.Text):
        e.fail(right.span, "A text in quotes is needed here.")
    op = _text_in(e, left, (right,))
    return Value(op if node.operators[0] == "==" else Op("not", (op,), result="condition"), "condition")


def within(e: Scope, node: tree.Within) -> Value:
    return Value(_text_in(e, node.value, node.texts), "condition")


def _text_in(e: Scope, node: tree.Node, texts: tuple[tree.Text, ...]) -> Op:
    value = e.check(node)
    if value.type != "text":
        e.fail(node.span, f"`{e.source(node)}` is not a text; texts are `sector`, `kind`, `symbol` and `weekday`.")
    return Op("text_in", (value.op,), tuple(sorted({t.value for t in texts})), result="condition")


def crosses(e: Scope, node: tree.Crosses) -> Value:
    left, right = e.amount(node.left), e.amount(node.right)
    _draw(e, (node.left, left), (node.right, right))
    if e.inside is None and advice.verdict(left, ">" if node.direction == "above" else "<", right) is False:
        mend = f"{e.source(node.right)} 1 ago"
        said = f"This can never hold: the window includes today. Look at the bars before: `{mend}`."
        e.advise(node.right.span, said, mend if right.op.kind in _ENDLESS.values() else None)
    now, before = (">", "<=") if node.direction == "above" else ("<", ">=")
    # The bar before is looked at on today's scale, as `1 ago` is: a plain number is the same money on both sides of a split.
    earlier = [v if v.constant is not None else replace(v, op=Op("ago", (v.op,), (1.0,), e.frame)) for v in (left, right)]
    a, b, degree = e.same_scale(e.settled(left), e.settled(right), node.span)
    c, d, _ = e.same_scale(e.settled(earlier[0]), e.settled(earlier[1]), node.span)
    _keep(e, Pair(a, now, b, degree or 0, _percent(left, right)))
    crossed = [Op("compare", (a, b), (now,), result="condition"), Op("compare", (c, d), (before,), result="condition")]
    return Value(every(crossed), "condition")


def between(e: Scope, node: tree.Between) -> Value:
    value, low, high = e.number(node.value), e.number(node.low), e.number(node.high)
    _draw(e, (node.value, value), (node.low, low), (node.high, high))
    return Value(every([pair(e, value, ">=", low, node.span), pair(e, value, "<=", high, node.span)]), "condition")


def near(e: Scope, node: tree.Near) -> Value:
    value, target, by = e.number(node.value), e.number(node.target), e.number(node.by)
    _draw(e, (node.value, value), (node.target, target))
    a, b, degree = e.same_scale(value, target, node.span)
    if by.percent:
        ratio = Op("-", (Op("/", (a, b)), constant(1.0)))
        distance = Value(Op("abs", (ratio,)), "number", 0)
    else:
        distance = Value(Op("abs", (Op("-", (a, b)),)), "number", degree or 0)
    return Value(pair(e, distance, "<=", by, node.span), "condition")


def pair(e: Scope, left: Value, operator: str, right: Value, span: Span) -> Op:
    a, b, degree = e.same_scale(left, right, span)
    _keep(e, Pair(a, operator, b, degree or 0, _percent(left, right)))
    return Op("compare", (a, b), (operator,), result="condition")


def _percent(left: Value, right: Value) -> bool:
    return left.fraction or right.fraction or left.percent or right.percent


def _keep(e: Scope, pair: Pair) -> None:
    if e.inside is None:
        e.pairs.append(pair)


def _draw(e: Scope, *parts: tuple[tree.Node, Value]) -> None:
    if e.inside is not None:
        return
    for node, value in parts:
        level = value.weight is not None and 0.5 <= value.weight <= 2.0
        if level and value.degree == 1 and not (value.op.kind == "field" and value.op.frame == "day"):
            e.overlays.append(Overlay(e.source(node), value.op))


def _look_at(e: Scope, left_node: tree.Node, left: Value, operator: str, right_node: tree.Node, right: Value) -> None:
    """Advice that needs both sides of one comparison."""
    if e.inside is not None:
        return
    found = advice.verdict(left, operator, right)
    for a, sign, b, node in ((left, operator, right, right_node), (right, MIRRORED.get(operator, ""), left, left_node)):
        of_closes(e, node, b, a)
        if found is False and b.op.kind == _ENDLESS.get(sign):
            mend = f"{e.source(node)} 1 ago"
            e.advise(node.span, f"This can never hold: the window includes today. Look at the bars before: `{mend}`.", mend)
            return
        if sign in (">", ">=") and a.op.kind == "field" and a.op.params[0] == "volume" and _averages_volume(b.op):
            said = "This average includes today's own volume; leave today out with `1 ago`."
            mend = f"{e.source(node)} 1 ago"
            e.advise(node.span, said, mend if b.op.kind == "sma" else f"({mend})")
        if a.fraction and isinstance(node, tree.Number) and not b.percent and abs(node.value) >= 1:
            mend = f"{e.source(node)}%"
            e.advise(node.span, f"A fraction is compared here: {node.value:g} means {node.value:.0%}. Is `{mend}` meant?", mend)
            return
    if found is not None:
        whole = Span(left_node.span.start, right_node.span.end)
        text = e.source_at(whole)
        reason = ""
        if any(v.op.params == ("days_since_report", AT_OPEN) for v in (left, right)):
            reason = " At the open, a report of the same day is not known yet: it may come after the close."
        e.advise(whole, f"`{text}` {'always holds' if found else 'can never hold'}, whatever prices do.{reason}", None)


def _averages_volume(op: Op) -> bool:
    """Whether it is an average of the volume, times or over other things."""
    averages: dict[str, bool] = {}
    for one in each(op):
        if one.kind == "sma":
            averages[one.key] = one.args[0].kind == "field" and one.args[0].params[0] == "volume"
        else:
            averages[one.key] = one.kind in ("*", "/") and any(averages[a.key] for a in one.args)
    return averages[op.key]


COMPARISONS: dict[type, Callable[[Scope, Any], Value]] = {
    tree.Compare: compare, tree.Within: within, tree.Crosses: crosses, tree.Between: between, tree.Near: near,
}  # fmt: skip
