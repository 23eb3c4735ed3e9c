"""What a book's expressions come to on one bar, the slow way, and what a split does to a position."""

import math
from typing import Any

from tests.core.slow_functions import compared
from wickcore.bars.market import Market
from wickcore.language.operations import Op


def value_of(op: Op, known: dict[str, float], column: Any) -> Any:
    """An expression on one bar: numbers as floats (nan unknown), conditions as 0, 1, 2. column: the value of what hangs on no
    position."""
    if op.kind == "position":
        return known[str(op.params[0])]
    if not hangs(op):
        return column(op)
    a = [value_of(x, known, column) for x in op.args]
    match op.kind:
        case "constant":
            return float(op.params[0])
        case "+":
            return a[0] + a[1]
        case "-":
            return a[0] - a[1]
        case "*":
            return a[0] * a[1]
        case "/":
            return a[0] / a[1] if a[1] else math.nan
        case "max" | "min":
            return math.nan if math.isnan(a[0]) or math.isnan(a[1]) else max(a) if op.kind == "max" else min(a)
        case "negate":
            return -a[0]
        case "and":
            return min(a)
        case "or":
            return max(a)
        case "not":
            return 2 - a[0]
        case "compare":
            if math.isnan(a[0]) or math.isnan(a[1]):
                return 1
            return 2 if compared(a[0], str(op.params[0]), a[1]) else 0
    raise AssertionError(op.kind)


def hangs(op: Op) -> bool:
    return op.kind == "position" or any(hangs(a) for a in op.args)


def split(market: Market, p: dict[str, Any], row: int) -> float:
    """Multiplies a position's shares at a bar. Returns the dividends that it is paid, or charged."""
    b = market.bars
    before, now = float(b.factor[row - 1]), float(b.factor[row])
    if before == now:
        return 0.0
    p["mark"] *= before / now
    k = b.number[p["symbol"]]
    money = 0.0
    if market.dividends is not None:
        offsets, days, amounts = market.dividends
        for day, amount in zip(days[offsets[k] : offsets[k + 1]], amounts[offsets[k] : offsets[k + 1]], strict=True):
            if b.days[row - 1] < day <= b.days[row]:
                money += float(amount)
    total = now / before
    ratio = total / (1 + total * money / float(b.close[row - 1]))
    if abs(ratio - 1) < (0.005 if money else 1e-9):
        ratio = 1.0
    if abs(ratio - round(ratio, 6)) < 1e-9:
        ratio = round(ratio, 6)
    p["shares"] *= ratio
    p["mult"] *= ratio
    paid: float = p["side"] * p["shares"] * money
    p["received"] += paid
    return paid


def drawn_like_the_loop(seed: int, bars: Any) -> Any:
    """The draw that ranks signals where the book does not: splitmix64 of seed, day, instrument and rule, in Python's own
    integers."""
    mask = (1 << 64) - 1

    def draw(s: dict[str, Any]) -> float:
        step, owner, rule = s["day"], bars.number[s["symbol"]], s["place"]
        z = (seed * 0x9E3779B97F4A7C15 & mask) ^ (step * 0xD1342543DE82EF95 & mask)
        z ^= (owner * 0xBF58476D1CE4E5B9 & mask) ^ ((rule + 1) * 0x94D049BB133111EB & mask)
        z = ((z ^ (z >> 30)) * 0xBF58476D1CE4E5B9) & mask
        z = ((z ^ (z >> 27)) * 0x94D049BB133111EB) & mask
        z ^= z >> 31
        return (z >> 11) / 9007199254740992.0

    return draw
