"""Arithmetic, comparison and logic, bar by bar, with the unknown carried through.

Numbers are float64 with NaN for unknown; truth is int8: 0 false, 1 unknown, 2 true, so that `and` is the minimum and `or` the maximum.
"""

from collections.abc import Callable

import numpy as np

from wickcore.bars.bars import Floats, Truth
from wickcore.measures.windows import FALSE, TRUE, UNKNOWN

_COMPARE: dict[str, Callable[..., np.ndarray]] = {
    ">": np.greater,
    "<": np.less,
    ">=": np.greater_equal,
    "<=": np.less_equal,
    "==": np.equal,
    "!=": np.not_equal,
}


def compare(a: Floats, b: Floats, operator: str) -> Truth:
    """Three-valued comparison; unknown where either side is."""
    out = _COMPARE[operator](a, b).astype(np.int8) * TRUE
    out[np.isnan(a) | np.isnan(b)] = UNKNOWN
    return out


def divide(a: Floats, b: Floats) -> Floats:
    """a / b; unknown where b is zero or the result is not finite."""
    with np.errstate(all="ignore"):
        out = np.asarray(a / b)
    out[~np.isfinite(out)] = np.nan
    return out


def _finite(out: Floats) -> Floats:
    out[np.isinf(out)] = np.nan
    return out


def add(a: Floats, b: Floats) -> Floats:
    return a + b


def subtract(a: Floats, b: Floats) -> Floats:
    return a - b


def multiply(a: Floats, b: Floats) -> Floats:
    with np.errstate(over="ignore"):
        return _finite(np.asarray(a * b))


def negate(a: Floats) -> Floats:
    return -a


def sqrt(a: Floats) -> Floats:
    """Square root; unknown below zero."""
    with np.errstate(invalid="ignore"):
        return np.sqrt(a)


def log(a: Floats) -> Floats:
    """Natural logarithm; unknown at or below zero."""
    with np.errstate(invalid="ignore", divide="ignore"):
        return _finite(np.asarray(np.log(a)))


def not_(a: Truth) -> Truth:
    return (TRUE - a).astype(np.int8)


def and_(*parts: Truth) -> Truth:
    out = parts[0]
    for part in parts[1:]:
        out = np.minimum(out, part)
    return out


def or_(*parts: Truth) -> Truth:
    out = parts[0]
    for part in parts[1:]:
        out = np.maximum(out, part)
    return out


def at_least(parts: tuple[Truth, ...], least: int) -> Truth:
    """True where at least so many parts are; false where too many are false for that."""
    trues = sum((p == TRUE).astype(np.int64) for p in parts)
    possible = sum((p != FALSE).astype(np.int64) for p in parts)
    out = np.where(np.asarray(trues) >= least, TRUE, UNKNOWN).astype(np.int8)
    out[np.asarray(possible) < least] = FALSE
    return out
