"""Arithmetic, comparison and logic, bar by bar, with the unknown carried through.

Numbers are float64 with NaN for unknown; truth is int8: 0 false, 1 unknown, 2 true, so that `and` is the minimum and `or` the
maximum. All take columns or single values, as NumPy's own functions do.
"""

from collections.abc import Callable
from functools import wraps
from typing import Any

import numpy as np
from numba import vectorize

from wickcore.bars.bars import Floats, Truth
from wickcore.measures.frame import FALSE, SAME, TRUE, UNKNOWN, kernel


def _quietly(function: Callable[..., Any]) -> Callable[..., Any]:
    """The unknown is a NaN and meant to pass through."""

    @wraps(function)
    def call(*arguments: Any) -> Any:
        with np.errstate(all="ignore"):
            return function(*arguments)

    return call


def _bar_by_bar(signatures: list[str]) -> Callable[[Callable[..., Any]], Callable[..., Any]]:
    """A universal function that is loaded when it is first called: a command that calls none does not wait for it. For functions whose last
    digit is to be the same wherever a bar stands among others, which NumPy's own do not promise of these."""

    def wrap(function: Callable[..., Any]) -> Callable[..., Any]:
        loaded: list[Any] = []

        @wraps(function)
        def call(*arguments: Any) -> Any:
            if not loaded:
                loaded.append(vectorize(signatures, cache=True)(function))
            return loaded[0](*arguments)

        return call

    return wrap


@_bar_by_bar(["int8(float64, float64)"])
def _above_columns(a: float, b: float) -> np.int8:
    """Whether a is above b; unknown where a side is. Written without branches, which a processor would guess wrong."""
    limit = b + SAME * abs(b)
    return np.int8(a > limit) + np.int8(UNKNOWN) - np.int8(a <= limit)


@_bar_by_bar(["int8(float64, float64)"])
def _at_least_columns(a: float, b: float) -> np.int8:
    limit = b - SAME * abs(b)
    return np.int8(a >= limit) + np.int8(UNKNOWN) - np.int8(a < limit)


@_quietly
def _beside(holds: Callable[..., Any], fails: Callable[..., Any], a: Any, limit: Any) -> Any:
    """How a column lies to a single value: where neither of two opposite comparisons holds, a side is unknown."""
    truth = holds(a, limit).view(np.int8)
    truth -= fails(a, limit).view(np.int8)
    truth += np.int8(UNKNOWN)
    return truth


def _above(a: Any, b: Any) -> Any:
    return _above_columns(a, b) if np.ndim(b) else _beside(np.greater, np.less_equal, a, b + SAME * abs(b))


def _at_least(a: Any, b: Any) -> Any:
    return _at_least_columns(a, b) if np.ndim(b) else _beside(np.greater_equal, np.less, a, b - SAME * abs(b))


COMPARE: dict[str, Callable[[Any, Any], Truth]] = {
    ">": _above,
    "<": lambda a, b: not_(_at_least(a, b)),
    ">=": _at_least,
    "<=": lambda a, b: not_(_above(a, b)),
    "==": lambda a, b: np.minimum(_at_least(a, b), not_(_above(a, b))),
    "!=": lambda a, b: np.maximum(_above(a, b), not_(_at_least(a, b))),
}


def _finite(found: Any) -> Any:
    """Unknown where a result is not finite."""
    if np.ndim(found) == 0:
        return found if np.isfinite(found) else np.float64(np.nan)
    np.copyto(found, np.nan, where=np.isinf(found))
    return found


@_quietly
def divide(a: Any, b: Any) -> Any:
    """a / b; unknown where b is zero or the result is not finite."""
    return _finite(np.divide(a, b))


@_quietly
def multiply(a: Any, b: Any) -> Any:
    """a * b; unknown where it is not finite."""
    return _finite(np.multiply(a, b))


@_quietly
def sqrt(a: Any) -> Any:
    """Square root; unknown below zero."""
    return np.sqrt(a)


@_quietly
def mod(a: Any, b: Any) -> Any:
    """What is left of a over whole multiples of b, of the sign of b; unknown where b is zero."""
    return a - b * np.floor(np.divide(a, b))


def rounded(a: Any) -> Any:
    """The nearest whole number; halves go to the even one (IEEE 754)."""
    return np.rint(a)


@kernel
def _pick(condition: Truth, a: Floats, b: Floats, out: Floats) -> None:
    for i in range(len(out)):  # without a branch: which way a bar goes cannot be foreseen
        x, y = a[i], b[i]
        picked = x if condition[i] == TRUE else y
        out[i] = np.nan if condition[i] == UNKNOWN else picked


def pick(condition: Any, a: Any, b: Any) -> Any:
    """a where the condition is true, b where it is false; unknown where it is unknown."""
    if np.ndim(condition) == 0:
        return np.where(condition == UNKNOWN, np.nan, a if condition == TRUE else b)
    out = np.empty(len(condition))
    sides = (np.asarray(x, np.float64) if np.ndim(x) else np.full(len(condition), x, np.float64) for x in (a, b))
    _pick(condition, *sides, out)
    return out


@_bar_by_bar(["float64(float64)"])
def log(a: float) -> Any:
    """Natural logarithm; unknown at or below zero."""
    return np.log(a) if a > 0.0 else np.nan


@_bar_by_bar(["float64(float64)"])
def exp(a: float) -> Any:
    """e to the power a; unknown where that is not finite."""
    r = np.exp(a)
    return r if r < np.inf else np.nan


@_bar_by_bar(["float64(float64, float64)"])
def power(a: float, b: float) -> Any:
    """a to the power b; unknown where that is no finite real number."""
    if np.isnan(a) or np.isnan(b):
        return np.nan
    r = a**b
    return r if abs(r) < np.inf else np.nan


def count_of(*parts: Truth) -> Floats:
    """How many parts are true; unknown while any is."""
    total = np.zeros(np.shape(parts[0]))
    for part in parts:
        total += np.where(part == UNKNOWN, np.nan, (part == TRUE).astype(np.float64))
    return total


def not_(a: Truth) -> Truth:
    """True for false, false for true."""
    return np.subtract(np.int8(TRUE), a)


def and_(*parts: Truth) -> Truth:
    """True where all are; false where any is false."""
    out = parts[0]
    for part in parts[1:]:
        out = np.minimum(out, part)
    return out


def or_(*parts: Truth) -> Truth:
    """True where any is; false where all are false."""
    out = parts[0]
    for part in parts[1:]:
        out = np.maximum(out, part)
    return out


def least(parts: tuple[Truth, ...], number: int) -> Truth:
    """True where at least so many parts are; false where too many are false for that."""
    trues = np.zeros(np.shape(parts[0]), np.int16)
    possible = np.zeros(np.shape(parts[0]), np.int16)
    for part in parts:
        trues += part == TRUE
        possible += part != FALSE
    out = np.where(trues >= number, np.int8(TRUE), np.int8(UNKNOWN))
    out[possible < number] = FALSE
    return out
