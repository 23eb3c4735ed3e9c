"""A part of a pattern as a column, one value a bar."""

import math
from collections.abc import Sequence

import numpy as np

from wickcore.bars.bars import Floats
from wickcore.language.shapes import SHAPES
from wickcore.measures.frame import FALSE, TRUE, Frame
from wickcore.patterns.kinds import KINDS, LOGARITHMS
from wickcore.patterns.machine import PARTS, POINT_AGO, POINT_PRICE, run
from wickcore.patterns.objects import FORMING, POINTS

_SLOPES = (PARTS["upper.slope"], PARTS["lower.slope"])
_LINES = (PARTS["upper.now"], PARTS["lower.now"])


def side_of(name: str, numbers: Sequence[float]) -> int:
    """1 upwards, -1 downwards. numbers: its arguments in their order."""
    return SHAPES[name].side or int(numbers[-1])


def pattern(
    high: Floats, low: Floats, close: Floats, range_: Floats, volume: Floats, frame: Frame, name: str, part: str, numbers: Sequence[float]
) -> Floats:  # fmt: skip
    """One part of the nth latest pattern of that name: prices on the scale they came in, NaN where there is none; whether it is forming as
    a condition.

    range_: average true range of the logarithms. numbers: the kind's arguments in their order; `breaks` 1 for up, -1 for down.
    part: one of PARTS (of the negated prices where it begins with `_`), one of the kind's own, or the price and the bars ago of a point,
    `pointp0` and `pointa0`.
    """
    kind, side = KINDS[name], side_of(name, numbers)
    said = dict(zip(SHAPES[name].parameters, numbers, strict=True))
    given = [math.log1p(said[p]) if p in LOGARITHMS else said[p] for p in SHAPES[name].given]
    with np.errstate(divide="ignore", invalid="ignore"):
        up, down, last = np.log(high), np.log(low), np.log(close)
    if side < 0:
        up, down, last = -down, -up, -last
    own = kind.own(name, side)
    if part in own:
        code = own[part]
    elif part.startswith("point"):
        code = (POINT_PRICE if part[5] == "p" else POINT_AGO) + int(part[-1])
    else:
        code = PARTS[part.lstrip("_")]
    out = np.empty(len(close))
    run(
        kind.finder, float(side), code, up, -down, last, range_, volume, frame.offsets, frame.starts, frame.commit, int(said["k"]),
        int(said["lasts"]), np.array(given), int(said["nth"]), out,
    )  # fmt: skip
    if part == "forming":
        return np.where(out == FORMING, np.int8(TRUE), np.int8(FALSE))
    if POINT_PRICE <= code < POINT_PRICE + POINTS or code in (PARTS["trigger"], PARTS["invalid"], *_LINES):
        return np.asarray(np.exp(side * out))
    if code in _SLOPES:
        return np.asarray(np.expm1(side * out))
    if code == PARTS["pole"]:
        return np.asarray(np.expm1(out) if side > 0 else -np.expm1(-out))
    if part in ("height", "target"):
        trigger = pattern(high, low, close, range_, volume, frame, name, "trigger", numbers)
        height = trigger * -np.expm1(-out) if side > 0 else trigger * np.expm1(out)
        return np.asarray(height if part == "height" else trigger + side * height)
    return out
