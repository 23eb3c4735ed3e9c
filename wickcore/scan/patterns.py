"""Patterns as a chart draws them: those a rule speaks of, or all that are live, on one instrument and day."""

from collections.abc import Iterable, Iterator
from dataclasses import dataclass

import numpy as np

from wickcore.language.check import check_expression
from wickcore.language.operations import Op, each
from wickcore.language.shapes import SHAPES
from wickcore.patterns.columns import Seen
from wickcore.patterns.kinds import KINDS
from wickcore.scan.evaluate import Evaluator, Limits

STATES = {1: "forming", 2: "triggered", 3: "failed", 4: "expired"}
STEPS = 24  # a line of equal percentages is curved on a plain scale: it is drawn in so many steps


@dataclass(frozen=True, slots=True)
class Stroke:
    """A line of a pattern, up to the bar that broke it. points: (bars of the frame ago, price), the oldest first."""

    name: str
    points: tuple[tuple[int, float], ...]


@dataclass(frozen=True, slots=True)
class Drawn:
    """One pattern. points: (bars of the frame ago, price), the oldest first; joined: whether a line runs through them. Prices on the
    continuous scale. age: bars of the frame since it became visible. left: whether price has gone further from it than its height since it
    broke or ran out: it is history. parts: those of its own: name, value, whether it is a price on the
    continuous scale (else a share or a number of touches)."""

    name: str
    down: bool
    frame: str
    state: str
    age: int
    left: bool
    trigger: float
    invalid: float
    target: float
    quality: float
    points: tuple[tuple[int, float], ...]
    joined: bool
    strokes: tuple[Stroke, ...]
    parts: tuple[tuple[str, float, bool], ...]


def of_rule(ops: Iterable[Op]) -> list[Op]:
    """One operation for each pattern that the operations rest on, whatever part of it they ask for."""
    found: dict[object, Op] = {}
    for op in each(*ops):
        if op.kind == "pattern":
            found.setdefault((op.params[0], op.params[2:], op.frame), op)
    return list(found.values())


def of_all(frame: str) -> list[Op]:
    """Every kind, by its own defaults; those that go either way both ways."""
    names = [way for name, shape in SHAPES.items() for way in ((name,) if shape.side else (name, f"{name}(breaks=down)"))]
    return [check_expression(f"{name}.state", frame).op for name in names]


def drawn(
    evaluator: Evaluator, patterns: Iterable[Op], symbol: str, at: int, every: bool = False, limits: Limits | None = None
) -> Iterator[Drawn]:  # fmt: skip
    """What there is of the patterns on the instrument's bar number `at` (from 0). every: the latest four of each, whichever is asked for."""
    asked = list(patterns)
    for op, found in zip(asked, evaluator.seen(asked, symbol, at, limits), strict=True):
        nth = int(float(op.params[2 + SHAPES[str(op.params[0])].parameters.index("nth")]))
        for one in found if every else found[nth - 1 : nth]:
            yield _drawn(one, op.frame)


def _drawn(one: Seen, frame: str) -> Drawn:
    strokes = [Stroke("bowl", _bowl(one.points))] if KINDS[one.name].bowl else []
    for name, begin, now, slope in one.lines:
        steps = sorted({round(s) for s in np.linspace(begin, one.ended, min(begin - one.ended, STEPS) + 1)}, reverse=True)
        strokes.append(Stroke(name, tuple((ago, now / (1.0 + slope) ** ago) for ago in steps)))
    return Drawn(
        one.name, one.side < 0, frame, STATES[one.state], one.age, one.left, one.trigger, one.invalid, one.target, one.quality,
        tuple(sorted(one.points, reverse=True)), KINDS[one.name].joined, tuple(strokes),
        tuple((part, value, _is_price(part)) for part, value in one.parts),
    )  # fmt: skip


def _bowl(points: tuple[tuple[int, float], ...]) -> tuple[tuple[int, float], ...]:
    """From rim to rim through the bottom, each half the arm of a parabola; then straight on to the handle where there is one."""
    (left, rim), (lowest, bottom), (right, other), *handle = points
    found = []
    for end, price in ((left, rim), (right, other)):
        steps = sorted({round(s) for s in np.linspace(end, lowest, min(abs(end - lowest), STEPS // 2) + 1)}, reverse=True)
        found += [(ago, bottom * (price / bottom) ** (((ago - lowest) / (end - lowest)) ** 2)) for ago in steps]
    return (*found, *handle)


def _is_price(part: str) -> bool:
    return part.rpartition(".")[2] not in ("slope", "touches", "pole")
