"""A part of a pattern as a column, one value a bar; and all that is seen on the last bar."""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from wickcore.bars.bars import Floats
from wickcore.language.shapes import SHAPES
from wickcore.measures.frame import FALSE, TRUE, Frame
from wickcore.patterns.kinds import KINDS, LOGARITHMS, START
from wickcore.patterns.machine import PARTS, POINT_AGO, POINT_PRICE, PartQuery, Prices, answer, chosen, run
from wickcore.patterns.objects import FORMING, LEFT, POINTS

_SLOPES = (PARTS["upper.slope"], PARTS["lower.slope"])
_PRICES = (PARTS["trigger"], PARTS["invalid"], PARTS["upper.now"], PARTS["lower.now"], *range(POINT_PRICE, POINT_PRICE + POINTS))
NTH = 4  # of each kind so many can be asked for
ROOM = 8  # arguments of a finder, at most


@dataclass(frozen=True, slots=True)
class Columns:
    """What patterns are found in, one value a base bar: prices on one scale, average true range of the logarithms, volume."""

    high: Floats
    low: Floats
    close: Floats
    range_: Floats
    volume: Floats

    def upto(self, end: int) -> "Columns":
        """The first `end` bars."""
        return Columns(*(getattr(self, name)[:end] for name in self.__slots__))


@dataclass(frozen=True, slots=True)
class Seen:
    """A pattern as it stands on the last bar; prices on the scale they came in.

    side: 1 upwards, -1 downwards. state: as machine's. start, age, ended: bars of the frame since its first point, since it became visible,
    and since it was triggered or failed (0 where it was not). left: whether a close has lain further from it than its height since.
    points: (bars ago, price). lines: name, bars ago of its first point, value now, gain a bar as a share. parts: those of its own.
    """

    name: str
    side: int
    state: int
    start: int
    age: int
    ended: int
    left: bool
    trigger: float
    invalid: float
    target: float
    quality: float
    points: tuple[tuple[int, float], ...]
    lines: tuple[tuple[str, int, float, float], ...]
    parts: tuple[tuple[str, float], ...]


def side_of(name: str, numbers: Sequence[float]) -> int:
    """1 upwards, -1 downwards. numbers: its arguments in their order."""
    shape = SHAPES[name]
    return shape.side or int(numbers[shape.parameters.index("breaks")])


def _run(columns: Columns, frame: Frame, name: str, numbers: Sequence[float], code: int, out: Floats) -> Any:
    side, said = side_of(name, numbers), dict(zip(SHAPES[name].parameters, numbers, strict=True))
    given = np.zeros(ROOM)  # a saucer is a cup after no rise: what a kind does not take is 0
    given[: len(SHAPES[name].given)] = [math.log1p(said[p]) if p in LOGARITHMS else said[p] for p in SHAPES[name].given]
    with np.errstate(divide="ignore", invalid="ignore"):
        up, down, last = np.log(columns.high), np.log(columns.low), np.log(columns.close)
    if side < 0:
        up, down, last = -down, -up, -last
    logs = (up, -down, last, columns.range_, columns.volume)
    base = [_fixed(x) for x in logs]
    own = np.empty((len(base), len(last) + 1)) if frame.commit is not None else [_open(x) for x in logs]
    commit = _fixed(frame.commit if frame.commit is not None else np.zeros(0, np.bool_))
    asked = PartQuery(code, int(said["k"]), int(said["lasts"]), int(said["nth"]))
    return run(KINDS[name].way, float(side), asked, Prices(*base), Prices(*own), frame.offsets, frame.starts, commit, given, out)


def _fixed(x: Any) -> Any:
    """The column as one that cannot be written to: of columns that can and cannot, Numba would compile the machine for each mixture."""
    view = x.view()
    view.flags.writeable = False
    return view


def _open(x: Any) -> Any:
    """The column as one that can be written to, as those of a coarser frame are."""
    return x if x.flags.writeable else x.copy()


def _said(code: int, side: int, value: Any) -> Any:
    """The value of a part, for a number or a column of them, as a person reads it."""
    if code in _PRICES:
        return np.exp(side * value)
    if code in _SLOPES:
        return np.expm1(side * value)
    if code == PARTS["pole"]:
        return np.expm1(value) if side > 0 else -np.expm1(-value)
    return value


def _height(side: int, trigger: Any, value: Any) -> Any:
    """The height in money, from the one in logarithms."""
    return trigger * -np.expm1(-value) if side > 0 else trigger * np.expm1(value)


def pattern(columns: Columns, frame: Frame, name: str, part: str, numbers: Sequence[float]) -> Floats:
    """One part of the nth latest pattern of that name: prices on the scale they came in, NaN where there is none; whether it is forming as
    a condition.

    numbers: the kind's arguments in their order; `breaks` 1 for up, -1 for down. part: one of PARTS or of the kind's own.
    """
    side = side_of(name, numbers)
    own = KINDS[name].own(name, side)
    point, _, what = part.rpartition(".")
    if what == "age" and point:
        code = own[point] - POINT_PRICE + POINT_AGO
    else:
        code = own[part] if part in own else PARTS[part]
    out = np.empty(len(columns.close))
    _run(columns, frame, name, numbers, code, out)
    if part == "forming":
        return np.where(out == FORMING, np.int8(TRUE), np.int8(FALSE))
    if part in ("height", "target"):
        trigger = pattern(columns, frame, name, "trigger", numbers)
        height = _height(side, trigger, out)
        return np.asarray(height if part == "height" else trigger + side * height)
    return np.asarray(_said(code, side, out))


def seen(columns: Columns, frame: Frame, name: str, numbers: Sequence[float]) -> list[Seen]:
    """All patterns of that name that are visible on the last bar of the one instrument, in the order that `nth` counts."""
    made, j = _run(columns, frame, name, numbers, 0, np.empty(len(columns.close)))
    kind, side, found = KINDS[name], side_of(name, numbers), []
    for nth in range(1, NTH + 1):
        place = chosen(kind.way, j, nth, made)
        if place < 0:
            break

        def part(code: int, place: int = place) -> float:
            return float(_said(code, side, answer(code, j, made, place)))

        points = [(int(part(POINT_AGO + i)), part(POINT_PRICE + i)) for i in range(POINTS) if not np.isnan(part(POINT_AGO + i))]
        start, trigger = int(part(PARTS["start"])), part(PARTS["trigger"])
        broken = [b for b in (part(PARTS["since_trigger"]), part(PARTS["since_failed"])) if not np.isnan(b)]
        lines = []
        for line, begins in kind.strokes:
            real = line if side > 0 else {"upper": "lower", "lower": "upper"}[line]
            label = real if len(kind.strokes) > 1 else "line"
            first = start if begins == START else points[begins][0]
            lines.append((label, first, part(PARTS[f"{line}.now"]), part(PARTS[f"{line}.slope"])))
        found.append(
            Seen(
                name, side, int(part(PARTS["state"])), start, int(part(PARTS["age"])), int(max(broken, default=0)),
                bool(made[place, LEFT]), trigger,
                part(PARTS["invalid"]), trigger + side * float(_height(side, trigger, part(PARTS["height"]))), part(PARTS["quality"]),
                tuple(points), tuple(lines), tuple((own, part(code)) for own, code in kind.own(name, side).items()),
            )
        )  # fmt: skip
    return found
