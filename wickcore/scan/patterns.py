"""Patterns as a chart draws them: those a rule speaks of, or all that are live, on one instrument and day."""

from collections.abc import Iterable, Iterator
from dataclasses import dataclass

import numpy as np

from wickcore.language.check import check_expression
from wickcore.language.operations import Op
from wickcore.patterns.columns import side_of
from wickcore.patterns.kinds import KINDS, START
from wickcore.patterns.objects import POINTS
from wickcore.scan.evaluate import Evaluator, Limits

STATES = {1: "forming", 2: "triggered", 3: "failed", 4: "expired"}
NTH = 4  # of each kind so many are known
LINES = ("age", "start", "trigger", "invalid", "target", "quality", "since_trigger", "since_failed")
STEPS = 24  # a line of equal percentages is curved on a plain scale: it is drawn in so many steps


@dataclass(frozen=True, slots=True)
class Stroke:
    """A line of a pattern, up to the bar that broke it. points: (bars of the frame ago, price), the oldest first."""

    name: str
    points: tuple[tuple[int, float], ...]


@dataclass(frozen=True, slots=True)
class Drawn:
    """One pattern. points: (bars of the frame ago, price), the oldest first; joined: whether a line runs through them. Prices on the
    continuous scale. age: bars of the frame since it became visible. parts: those of its own, by name; a share or a number of touches as it
    is, a price on the continuous scale."""

    name: str
    frame: str
    state: str
    age: int
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
    seen: set[str] = set()

    def walk(op: Op) -> None:
        if op.key in seen:
            return
        seen.add(op.key)
        if op.kind == "pattern":
            found.setdefault((op.params[0], op.params[2:], op.frame), op)
        for arg in op.args:
            walk(arg)

    for op in ops:
        walk(op)
    return list(found.values())


def of_all(frame: str) -> list[Op]:
    """The latest of every kind, by its own defaults."""
    return [check_expression(f"{name}(nth={n}).state", frame).op for name in KINDS for n in range(1, NTH + 1)]


def drawn(evaluator: Evaluator, patterns: Iterable[Op], symbol: str, at: int, limits: Limits | None = None) -> Iterator[Drawn]:
    """What there is of the patterns on the instrument's bar number `at` (from 0)."""
    asked = list(patterns)
    states = evaluator.rows([_part(op, "state") for op in asked], symbol, limits)
    for op, state in zip(asked, states, strict=True):
        if not np.isnan(state[at]):
            yield _drawn(evaluator, op, STATES[int(state[at])], symbol, at, limits)


def _part(op: Op, part: str) -> Op:
    return Op("pattern", op.args, (op.params[0], part, *op.params[2:]), op.frame)


def _drawn(evaluator: Evaluator, op: Op, state: str, symbol: str, at: int, limits: Limits | None) -> Drawn:
    name, numbers = str(op.params[0]), [float(n) for n in op.params[2:]]
    kind, side = KINDS[name], side_of(name, numbers)
    own = kind.own(name, side)
    lines = [f"_{line}.{what}" for line, _ in kind.strokes for what in ("now", "slope")]
    parts = [*LINES, *own, *lines, *(f"point{what}{i}" for i in range(POINTS) for what in "pa")]
    rows = evaluator.rows([_part(op, part) for part in parts], symbol, limits)
    values = {part: float(row[at]) for part, row in zip(parts, rows, strict=True)}
    points = [(int(values[f"pointa{i}"]), values[f"pointp{i}"]) for i in range(POINTS) if not np.isnan(values[f"pointa{i}"])]
    broken = [int(values[since]) for since in ("since_trigger", "since_failed") if not np.isnan(values[since])]
    end = max(broken) if broken and name != "level" else 0  # a level's are of the one broken last
    strokes = []
    for line, begins in kind.strokes:
        begin = int(values["start"]) if begins == START else points[begins][0]
        real = line if side > 0 else {"upper": "lower", "lower": "upper"}[line]
        label = real if len(kind.strokes) > 1 else "line"
        now, slope = values[f"_{line}.now"], values[f"_{line}.slope"]
        steps = sorted({round(s) for s in np.linspace(begin, end, min(begin - end, STEPS) + 1)}, reverse=True)
        strokes.append(Stroke(label, tuple((ago, now / (1.0 + slope) ** ago) for ago in steps)))
    return Drawn(
        name, op.frame, state, int(values["age"]), values["trigger"], values["invalid"], values["target"], values["quality"],
        tuple(sorted(points, reverse=True)), kind.joined, tuple(strokes),
        tuple((part, values[part], _is_price(part)) for part in own),
    )  # fmt: skip


def _is_price(part: str) -> bool:
    return part.rpartition(".")[2] not in ("slope", "touches", "pole")
