"""Patterns as a chart draws them: those a rule speaks of, or all that are live, on one instrument and day."""

from collections.abc import Iterable, Iterator
from dataclasses import dataclass

import numpy as np

from wickcore.language.check import check_expression
from wickcore.language.operations import Op
from wickcore.patterns.finders import KINDS, POINTS
from wickcore.scan.evaluate import Evaluator, Limits

STATES = {1: "forming", 2: "triggered", 3: "failed", 4: "expired"}
NTH = 4  # of each kind so many are known
LINES = ("state", "age", "start", "trigger", "invalid", "target", "quality")


@dataclass(frozen=True, slots=True)
class Drawn:
    """One pattern. points: (bars of the frame ago, price), the oldest first. Prices on the continuous scale. age: bars of the frame since it
    became visible."""

    name: str
    frame: str
    state: str
    age: int
    trigger: float
    invalid: float
    target: float
    quality: float
    points: tuple[tuple[int, float], ...]


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
    for op in patterns:
        numbers = range(POINTS)
        parts = [*LINES, *(f"pointp{i}" for i in numbers), *(f"pointa{i}" for i in numbers)]
        ops = [Op("pattern", op.args, (op.params[0], part, *op.params[2:]), op.frame) for part in parts]
        values = {part: float(row[at]) for part, row in zip(parts, evaluator.rows(ops, symbol, limits), strict=True)}
        if np.isnan(values["state"]):
            continue
        points = [(values[f"pointa{i}"], values[f"pointp{i}"]) for i in numbers]
        own = tuple((int(ago), price) for ago, price in points if not np.isnan(ago))
        yield Drawn(
            str(op.params[0]), op.frame, STATES[int(values["state"])], int(values["age"]), values["trigger"], values["invalid"],
            values["target"], values["quality"], own,
        )  # fmt: skip
