"""Arithmetic and logic: scale degrees, how much of a price level a value keeps, and plain numbers worked out at once."""

import math

from wickcore.language import tree
from wickcore.language.foreign_scale import Scale, joined, shifted, times
from wickcore.language.lint import percent_of
from wickcore.language.operations import Op, constant
from wickcore.language.recurrence import hangs
from wickcore.language.rule import Value
from wickcore.language.scope import Scope
from wickcore.language.tree import Span


def unary(e: Scope, node: tree.Unary) -> Value:
    if node.operator == "not":
        return Value(Op("not", (e.condition(node.operand).op,), result="condition"), "condition")
    value = e.amount(node.operand)
    if value.constant is not None:
        return Value(constant(-value.constant), "number", None, -value.constant, 0.0, value.percent)
    weight = -value.weight if value.weight is not None else None
    turned = times(value.lent, 1.0, -1.0)
    return Value(Op("negate", (value.op,)), "number", value.degree, None, weight, shift=-value.shift, lent=turned)


def binary(e: Scope, node: tree.Binary) -> Value:
    if node.operator in ("and", "or"):
        left, right = e.condition(node.left), e.condition(node.right)
        return Value(Op(node.operator, (left.op, right.op), result="condition"), "condition")
    a, b = e.amount(node.left), e.amount(node.right)
    if a.constant is not None and b.constant is not None:
        return _fold(e, node, a.constant, b.constant, a.percent or b.percent)
    if node.operator == "^":
        return _power(e, a, b)
    if node.operator in "+-":
        percent_of(e, node, a, b)
        a, b = e.alike(a, b)
        left_op, right_op, degree = e.same_scale(a, b, node.span)
        sign = 1 if node.operator == "+" else -1
        weight = None if a.weight is None or b.weight is None else a.weight + sign * b.weight
        shift, scale = a.shift + sign * b.shift, joined(a.lent, b.lent, 0.0, sign)
        return Value(Op(node.operator, (left_op, right_op)), "number", degree, None, weight, shift=shift, lent=scale)
    sign = 1 if node.operator == "*" else -1
    if (a.lent or b.lent) and (hangs(a.op) or hangs(b.op)):
        a, b = e.returned(a), e.returned(b)
    scales = _scales_of_product(a, b, sign)
    if scales is None:
        a, b = e.settled(a), e.settled(b)
        scales = 0.0, ()
    degree = (a.degree or 0) + sign * (b.degree or 0)
    weight = None
    if b.constant and a.weight is not None:
        weight = a.weight * b.constant if sign == 1 else a.weight / b.constant
    elif a.constant is not None and b.weight is not None and sign == 1:
        weight = b.weight * a.constant
    return Value(Op(node.operator, (a.op, b.op)), "number", degree, None, weight, shift=scales[0], lent=scales[1])


def _scales_of_product(a: Value, b: Value, sign: int) -> tuple[float, Scale] | None:
    """How often the logarithm of the factor is in a product or a quotient, and its scale of other instruments; None where a logarithm is no
    summand of it any more."""
    if not (a.shift or b.shift or shifted(a.lent) or shifted(b.lent)):
        return 0.0, joined(a.lent, b.lent, sign, 0.0)
    if b.constant:
        by = b.constant if sign == 1 else 1.0 / b.constant
        return a.shift * by, times(a.lent, 1.0, by)
    return (b.shift * a.constant, times(b.lent, 1.0, a.constant)) if a.constant is not None and sign == 1 else None


def _fold(e: Scope, node: tree.Binary, a: float, b: float, percent: bool) -> Value:
    if node.operator == "/" and b == 0:
        e.fail(node.span, "This divides by zero.")
    if node.operator == "^":
        try:
            raised = a**b
        except (OverflowError, ZeroDivisionError):
            raised = math.inf
        if isinstance(raised, complex):
            e.fail(node.span, "A number below zero has no such power.")
        return folded(e, raised, False, node.span)
    result = {"+": a + b, "-": a - b, "*": a * b}.get(node.operator)
    return folded(e, a / b if result is None else result, percent, node.span)


def _power(e: Scope, a: Value, b: Value) -> Value:
    """A price to a plain power scales with the factor to that power; to any other it is that day's own."""
    b = e.settled(b)
    a = e.settled(a) if b.constant is None or a.shift or shifted(a.lent) else a
    if b.constant is not None:
        scale = times(a.lent, b.constant, 0.0)
        return Value(Op("^", (a.op, b.op)), "number", (a.degree or 0) * b.constant, lent=scale)
    return Value(Op("^", (e.unscaled(a), e.unscaled(b))), "number", 0)


def folded(e: Scope, value: float, percent: bool, span: Span) -> Value:
    """A plain number that was worked out of others."""
    if not math.isfinite(value):
        e.fail(span, "This comes to a number larger than any that can be computed with.")
    return Value(constant(value), "number", None, value, 0.0, percent)
