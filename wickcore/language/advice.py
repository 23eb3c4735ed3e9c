"""Advice from the text alone: comparisons that cannot hold, or always do, and lines that contradict or imply one another.

Advice never blocks. What is said here is certain from the definitions: a range of values that an entry cannot leave, and orders such as
low ≤ close ≤ high ≤ highest(high, n).
"""

import re
from collections.abc import Iterator

from wickcore.bars.frame_names import FRAMES, finer
from wickcore.language.operations import Op
from wickcore.language.problems import Problem
from wickcore.language.rule import Line, Value

_TURNED = {">": "<", "<": ">", ">=": "<=", "<=": ">=", "==": "==", "!=": "!="}
_PRICES = ("open", "high", "low", "close")


def verdict(left: Value, operator: str, right: Value) -> bool | None:
    """True where the comparison always holds (of known values), False where it never does, None where it may do either."""
    for a, sign, b in ((left, operator, right), (right, _TURNED[operator], left)):
        if a.bounds is not None and b.constant is not None:
            found = _within(a.bounds, sign, b.constant)
            if found is not None:
                return found
        if _at_most(a.op, b.op):
            if sign == ">":
                return False
            if sign == "<=":
                return True
    return None


def _within(bounds: tuple[float, float], sign: str, c: float) -> bool | None:
    low, high = bounds
    never = {">": high <= c, ">=": high < c, "<": low >= c, "<=": low > c, "==": not low <= c <= high}
    always = {">": low > c, ">=": low >= c, "<": high < c, "<=": high <= c, "!=": not low <= c <= high}
    return False if never.get(sign) else True if always.get(sign) else None


def _at_most(a: Op, b: Op) -> bool:
    """Whether a is never above b."""
    if a == b:
        return True
    if a.frame != b.frame:
        return False
    if _field(a) and _field(b):
        return (b.params[0] == "high" and a.params[0] in _PRICES) or (a.params[0] == "low" and b.params[0] in _PRICES)
    # A window holds this bar, so its highest is no lower than anything it covers.
    if b.kind == "highest" and _at_most(a, b.args[0]):
        return True
    return a.kind == "lowest" and _at_most(a.args[0], b)


def _field(op: Op) -> bool:
    return op.kind == "field" and op.params[0] in _PRICES


_HEADER = re.compile(r"\s*(name|about|universe)\s*:")
_OUTSIDE = re.compile(r"\bon\((\w+), ((?:[^()]|\([^()]*\))*)\) (\d+) ago\b")


def outside_ago(text: str, frame: str) -> Iterator[Problem]:
    """`on(week, x) 1 ago`: the bars that are counted are the rule's own, and a week so far is meant a bar earlier, not the week before."""
    for number, line in enumerate(text.split("\n"), 1):
        for found in () if _HEADER.match(line) else _OUTSIDE.finditer(line.partition("#")[0]):
            longer, inner, n = found.groups()
            if longer in FRAMES and finer(frame, longer):
                plain = re.fullmatch(r"[\w.]+(\([^()]*\))?", inner)
                said = f"Behind `on(…)`, `{n} ago` counts {frame} bars: the {longer} so far as it stood then."
                said += f" For {longer}s before, write it inside."
                mend = f"on({longer}, {inner if plain else f'({inner})'} {n} ago)"
                yield Problem(number, found.start() + 1, len(found.group()), said, mend)


def about_lines(lines: list[Line]) -> Iterator[Problem]:
    """Lines that contradict or imply one another: plain comparisons of one thing with numbers."""
    seen: dict[str, list[tuple[Line, str, float]]] = {}
    told: set[int] = set()  # each line once, however many others say more
    for line in lines:
        if not line.decides or line.op.kind != "compare" or len(line.pairs) != 1 or line.part:
            continue
        pair = line.pairs[0]
        left, operator, right = pair.left, pair.operator, pair.right
        if _number(left) is not None:
            left, operator, right = right, _TURNED[operator], left
        value = _number(right)
        if value is None or operator in ("!=", "=="):
            continue
        for other, sign, bound in seen.get(left.key, []):
            if _apart(operator, value, sign, bound):
                if line.number not in told:
                    said = f"This can never hold beside `{other.text}`."
                    yield Problem(line.number, 1, max(1, len(line.text)), said)
                told.add(line.number)
            elif operator[0] == sign[0]:
                weaker = _weaker((line, operator, value), (other, sign, bound))
                stronger = other if weaker is line else line
                if weaker.number not in told:
                    said = f"`{weaker.text}` says nothing more than `{stronger.text}`."
                    yield Problem(weaker.number, 1, max(1, len(weaker.text)), said)
                told.add(weaker.number)
        seen.setdefault(left.key, []).append((line, operator, value))


def _number(op: Op) -> float | None:
    return float(op.params[0]) if op.kind in ("constant", "money") else None


def _apart(operator: str, value: float, sign: str, bound: float) -> bool:
    if operator[0] == sign[0]:
        return False
    low, high = (value, bound) if operator[0] == ">" else (bound, value)
    return low > high or (low == high and not (operator.endswith("=") and sign.endswith("=")))


def _weaker(a: tuple[Line, str, float], b: tuple[Line, str, float]) -> Line:
    (line, operator, value), (other, sign, bound) = a, b
    if value == bound:
        return line if operator.endswith("=") or operator == sign else other
    return line if (value < bound) == (operator[0] == ">") else other
