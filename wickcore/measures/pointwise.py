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
from wickcore.measures.frame import FALSE, TRUE, UNKNOWN

_NUMBER = ["float64(float64, float64)"]
_TRUTH = ["int8(float64, float64)"]
_ONE = ["float64(float64)"]


def _bar_by_bar(signatures: list[str]) -> Callable[[Callable[..., Any]], Callable[..., Any]]:
    """A universal function that is loaded when it is first called: a command that calls none does not wait for all of them."""

    def wrap(function: Callable[..., Any]) -> Callable[..., Any]:
        loaded: list[Any] = []

        @wraps(function)
        def call(*arguments: Any, **named: Any) -> Any:
            if not loaded:
                loaded.append(vectorize(signatures, cache=True)(function))
            return loaded[0](*arguments, **named)

        return call

    return wrap


# Where neither of two opposite comparisons holds, a side is unknown.
@_bar_by_bar(_TRUTH)
def _above(a: float, b: float) -> Any:
    return np.int8(UNKNOWN) + np.int8(a > b) - np.int8(a <= b)


@_bar_by_bar(_TRUTH)
def _at_least(a: float, b: float) -> Any:
    return np.int8(UNKNOWN) + np.int8(a >= b) - np.int8(a < b)


@_bar_by_bar(_TRUTH)
def _equal(a: float, b: float) -> Any:
    return np.int8(UNKNOWN) + np.int8(a == b) - np.int8(a < b) - np.int8(a > b)


COMPARE: dict[str, Callable[[Any, Any], Truth]] = {
    ">": _above,
    "<": lambda a, b: _above(b, a),
    ">=": _at_least,
    "<=": lambda a, b: _at_least(b, a),
    "==": _equal,
    "!=": lambda a, b: not_(_equal(a, b)),
}


@_bar_by_bar(_NUMBER)
def divide(a: float, b: float) -> Any:
    """a / b; unknown where b is zero or the result is not finite."""
    if b == 0.0:
        return np.nan
    r = a / b
    return r if abs(r) < np.inf else np.nan


@_bar_by_bar(_NUMBER)
def multiply(a: float, b: float) -> Any:
    """a * b; unknown where it is not finite."""
    r = a * b
    return r if abs(r) < np.inf else np.nan


@_bar_by_bar(_ONE)
def sqrt(a: float) -> Any:
    """Square root; unknown below zero."""
    return np.sqrt(a) if a >= 0.0 else np.nan


@_bar_by_bar(_ONE)
def log(a: float) -> Any:
    """Natural logarithm; unknown at or below zero."""
    return np.log(a) if a > 0.0 else np.nan


@_bar_by_bar(_ONE)
def exp(a: float) -> Any:
    """e to the power a; unknown where that is not finite."""
    r = np.exp(a)
    return r if r < np.inf else np.nan


@_bar_by_bar(_NUMBER)
def mod(a: float, b: float) -> Any:
    """What is left of a over whole multiples of b, of the sign of b; unknown where b is zero."""
    return a - b * np.floor(a / b) if b != 0.0 else np.nan


@_bar_by_bar(_ONE)
def rounded(a: float) -> Any:
    """The nearest whole number; halves go to the even one (IEEE 754)."""
    return np.rint(a)


@_bar_by_bar(["float64(int8, float64, float64)"])
def pick(condition: int, a: float, b: float) -> Any:
    """a where the condition is true, b where it is false; unknown where it is unknown."""
    return np.nan if condition == UNKNOWN else (a if condition == TRUE else b)


@_bar_by_bar(_NUMBER)
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
