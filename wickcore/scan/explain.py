"""Why an instrument is, or is not, a hit on a day: each line with both sides and the margin."""

from dataclasses import dataclass
from typing import Any

import numpy as np

from wickcore.bars.frame_names import within_day
from wickcore.bars.moment import Moment
from wickcore.language.rule import CheckedRule, Line, Pair, Value
from wickcore.measures.frame import FALSE, TRUE
from wickcore.scan.at_moment import at_moment
from wickcore.scan.evaluate import Evaluator, Limits
from wickcore.scan.plan import looks_across
from wickcore.scan.scales import latest, on_scale

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


def explain(
    evaluator: Evaluator, rule: CheckedRule, symbol: str, at: int | Moment, limits: Limits | None = None
) -> tuple[LineTruth, ...]:  # fmt: skip
    """Each line of the rule for one instrument at one moment (a day stands for its close).

    Raises Stopped when `limits` say so, KeyError for an unknown symbol and LookupError when the instrument has no bar that day.
    """
    evaluator = evaluator.stepping(rule.frame, at)
    bars = evaluator.bars
    number = bars.number[symbol]
    position = int(bars.on(at)[number])
    if position < 0:
        raise LookupError(f"{symbol} has no bar on that day.")
    local = position - int(bars.offsets[number])
    ops = [line.op for line in rule.lines]
    sides = [op for line in rule.lines for pair in line.pairs for op in (pair.left, pair.right)]
    asked = {op.key: op for op in (*ops, *sides)}
    if bars.minute is not None and looks_across(ops, evaluator.table):  # the tails know it, and have it from the scan
        found = [column[number] for column in at_moment(evaluator, list(asked.values()), at, limits)]
    else:
        found = [column[local] for column in evaluator.rows(list(asked.values()), symbol, limits)]
    told = dict(zip(asked, found, strict=True))
    return tuple(_line(line, told, float(bars.factor[position])) for line in rule.lines)


def _line(line: Line, told: dict[str, Any], factor: float) -> LineTruth:
    truth = SAID.get(int(told[line.op.key]))
    if not line.pairs:
        return LineTruth(line, truth, None, None, None, None)
    pairs = [(_sides(pair, told, factor), pair.percent) for pair in line.pairs]
    known = [p for p in pairs if p[0][3] is not None]
    # Of a chain the pair that failed furthest, or held most narrowly, is the one worth showing.
    (left, operator, right, margin), percent = min(known, key=lambda p: p[0][3] or 0.0) if known else pairs[0]
    return LineTruth(line, truth, left, operator, right, margin, percent)


def _sides(pair: Pair, told: dict[str, Any], factor: float) -> tuple[float | None, str, float | None, float | None]:
    scale = factor**pair.degree
    left = told[pair.left.key] / scale
    right = told[pair.right.key] / scale
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


def values(
    evaluator: Evaluator, value: Value, symbol: str, frame: str, at: Moment
) -> tuple[list[int], list[int | None], list[float | bool | None]]:
    """One expression on every bar of one instrument up to a moment: the days; the minutes at which the bars begin, None for whole days; and
    numbers on the latest bar's scale, or truths, None where unknown.

    frame: whose bars: those within a day, or else daily ones, of which the last is the day so far when `at` lies inside a session.
    Raises KeyError.
    """
    pieces = [evaluator.stepping(frame)]
    if not at.closed and not within_day(frame):
        pieces.append(evaluator.stepping(frame, at))
    days: list[int] = []
    times: list[int | None] = []
    numbers: list[Any] = []
    scale, lent = 1.0, {one.factor: 1.0 for one in value.lent}
    for i, engine in enumerate(pieces):
        bars = engine.bars
        k = bars.number[symbol]
        begin, end = int(bars.offsets[k]), int(bars.ends(at)[k])
        if i:  # the day so far is one bar more, where there is one
            begin = max(begin, end - 1) if int(bars.on(at)[k]) >= 0 else end
        rows = engine.rows([value.op, *lent], symbol)
        column, *factors = (row[begin - int(bars.offsets[k]) : end - int(bars.offsets[k])] for row in rows)
        days += bars.days[begin:end].tolist()
        times += [None] * (end - begin) if bars.minute is None else bars.minute[begin:end].tolist()
        numbers += column.tolist()
        if end > begin:
            scale, lent = float(bars.factor[end - 1]), {op: latest(f) for op, f in zip(lent, factors, strict=True)}
    if value.type == "condition":
        return days, times, [SAID.get(int(v)) for v in numbers]
    return days, times, [None if np.isnan(v) else float(on_scale(v, value, scale, lent)) for v in numbers]
