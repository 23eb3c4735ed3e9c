"""Why an instrument is, or is not, a hit on a day: each line with both sides and the margin."""

from dataclasses import dataclass
from typing import Any

import numpy as np

from wickcore.bars.bars import Bars
from wickcore.language.rule import CheckedRule, Line, Pair, Value
from wickcore.measures.frame import FALSE, TRUE
from wickcore.scan.evaluate import Evaluator

SAID = {TRUE: True, FALSE: False}


@dataclass(frozen=True, slots=True)
class LineTruth:
    """truth: True, False or None (unknown). left, right: the two sides in that day's money. margin: by how much the line held
    (positive) or failed (negative), in the sides' own unit. None where the line is no plain comparison. percent: whether people say the
    sides in percent."""

    line: Line
    truth: bool | None
    left: float | None
    operator: str | None
    right: float | None
    margin: float | None
    percent: bool = False


def explain(evaluator: Evaluator, rule: CheckedRule, symbol: str, day: int) -> tuple[LineTruth, ...]:
    """Each line of the rule for one instrument on one day.

    Raises KeyError for an unknown symbol and LookupError when the instrument has no bar that day.
    """
    bars = evaluator.market.bars
    number = bars.number[symbol]
    position = int(bars.on(day)[number])
    if position < 0:
        raise LookupError(f"{symbol} has no bar on that day.")
    local = position - int(bars.offsets[number])
    ops = [line.op for line in rule.lines]
    sides = [op for line in rule.lines for pair in line.pairs for op in (pair.left, pair.right)]
    columns = dict(zip([op.key for op in (*ops, *sides)], evaluator.rows([*ops, *sides], symbol), strict=True))
    return tuple(_line(line, columns, local, float(bars.factor[position])) for line in rule.lines)


def _line(line: Line, columns: dict[str, Any], at: int, factor: float) -> LineTruth:
    truth = SAID.get(int(columns[line.op.key][at]))
    if not line.pairs:
        return LineTruth(line, truth, None, None, None, None)
    pairs = [(_sides(pair, columns, at, factor), pair.percent) for pair in line.pairs]
    known = [p for p in pairs if p[0][3] is not None]
    # Of a chain the pair that failed furthest, or held most narrowly, is the one worth showing.
    (left, operator, right, margin), percent = min(known, key=lambda p: p[0][3] or 0.0) if known else pairs[0]
    return LineTruth(line, truth, left, operator, right, margin, percent)


def _sides(pair: Pair, columns: dict[str, Any], at: int, factor: float) -> tuple[float | None, str, float | None, float | None]:
    scale = factor**pair.degree
    left = columns[pair.left.key][at] / scale
    right = columns[pair.right.key][at] / scale
    if np.isnan(left) or np.isnan(right):
        return (
            None if np.isnan(left) else float(left),
            pair.operator,
            None if np.isnan(right) else float(right),
            None,
        )
    gap = float(left - right)
    margin = {"<": -gap, "<=": -gap, "==": -abs(gap), "!=": abs(gap)}.get(pair.operator, gap)
    return float(left), pair.operator, float(right), margin


def values(evaluator: Evaluator, value: Value, symbol: str) -> tuple[list[int], list[float | bool | None]]:
    """One expression on every bar of one instrument: its days, and numbers on the latest bar's scale, or truths; None unknown."""
    bars = evaluator.market.bars
    column = evaluator.rows([value.op], symbol)[0]
    part = slice_of(bars, symbol)
    if value.type == "condition":
        return bars.days[part].tolist(), [SAID.get(int(v)) for v in column]
    if value.degree and len(column):
        column = column / np.power(bars.factor[part][-1], value.degree)
    return bars.days[part].tolist(), [None if np.isnan(v) else float(v) for v in column]


def slice_of(bars: Bars, symbol: str) -> slice:
    """The positions of one instrument's bars. Raises KeyError."""
    k = bars.number[symbol]
    return slice(int(bars.offsets[k]), int(bars.offsets[k + 1]))
