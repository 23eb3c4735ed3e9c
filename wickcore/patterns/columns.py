"""A part of a pattern as a column, one value a bar."""

import math

import numpy as np

from wickcore.bars.bars import Floats
from wickcore.measures.frame import FALSE, TRUE, Frame
from wickcore.patterns.finders import KINDS
from wickcore.patterns.machine import FORMING, PARTS, POINT_AGO, POINT_PRICE, run

# Parts of their own, by the number of the point they lie on.
OWN = {
    "double_bottom": {"low1": 0, "neckline": 1, "low2": 2},
    "double_top": {"high1": 0, "neckline": 1, "high2": 2},
    "inverse_head_shoulders": {"left": 0, "head": 2, "right": 4},
    "head_shoulders": {"left": 0, "head": 2, "right": 4},
}


def pattern(
    high: Floats, low: Floats, close: Floats, frame: Frame, name: str, part: str, k: float, tolerance: float, apart: float, depth: float,
    within: float, lasts: float, nth: float,
) -> Floats:  # fmt: skip
    """One part of the nth latest pattern of that name: prices on the scale they came in, NaN where there is none; whether it is forming as
    a condition.

    k: bars on either side of a turning point. tolerance, depth: shares of a price. apart, within, lasts: bars of the frame.
    """
    kind, side = KINDS[name]
    with np.errstate(divide="ignore", invalid="ignore"):
        up, down, last = np.log(high), np.log(low), np.log(close)
    if side < 0:
        up, down, last = -down, -up, -last
    if part in OWN[name]:
        code = POINT_PRICE + OWN[name][part]
    elif part.startswith("point"):
        code = (POINT_PRICE if part[5] == "p" else POINT_AGO) + int(part[-1])
    else:
        code = PARTS["trigger" if part == "neckline" else part]
    out = np.empty(len(close))
    run(
        kind, code, up, down, last, frame.history(up), frame.history(-down), frame.offsets, frame.starts, frame.commit, int(k),
        math.log1p(tolerance), int(apart), math.log1p(depth), int(within), int(lasts), int(nth), out,
    )  # fmt: skip
    if part == "forming":
        return np.where(out == FORMING, np.int8(TRUE), np.int8(FALSE))
    if POINT_PRICE <= code < POINT_AGO or part in ("trigger", "invalid", "neckline"):
        return np.asarray(np.exp(side * out))
    if part in ("height", "target"):
        trigger = pattern(high, low, close, frame, name, "trigger", k, tolerance, apart, depth, within, lasts, nth)
        height = trigger * -np.expm1(-out) if side > 0 else trigger * np.expm1(out)
        return np.asarray(height if part == "height" else trigger + side * height)
    return out
