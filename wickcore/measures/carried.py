"""Values carried from bar to bar: each worked out of the one before by a short program of the rule's own (wickcore.language.carried).

Truth inside the program is 0 false, 1 unknown, 2 true, as everywhere.
"""

from functools import lru_cache
from typing import Any

import numpy as np
from numba import njit

from wickcore.bars.bars import Floats, Ints
from wickcore.measures.frame import Frame, ends

_STEPS = (
    "c", "p", "k", "+", "-", "*", "/", "^", "max", "min", "abs", "negate", "sqrt", "log", "exp", "sign", "pick", "and", "or", "not",
    "compare>", "compare<", "compare>=", "compare<=", "compare==", "compare!=",
)  # fmt: skip
(
    COLUMN, PRIOR, NUMBER, ADD, SUBTRACT, MULTIPLY, DIVIDE, POWER, MAX, MIN, ABS, NEGATE, SQRT, LOG, EXP, SIGN, PICK, AND, OR, NOT,
    ABOVE, BELOW, AT_LEAST, AT_MOST, EQUAL, OTHER,
) = range(len(_STEPS))  # fmt: skip
_CODE = {step: code for code, step in enumerate(_STEPS)}


@lru_cache(maxsize=256)
def _read(program: str) -> tuple[Ints, Floats, int]:
    """The codes of a program's steps, their numbers, and the most values that wait at a time."""
    codes, numbers, depth, most = [], [], 0, 0
    for step in program.split():
        plain = step[0] in "ck" and step not in _CODE
        code = _CODE[step[0] if plain else step]
        codes.append(code)
        numbers.append(float(step[1:]) if plain else 0.0)
        depth += 1 if code <= NUMBER else 0 if code in (ABS, NEGATE, SQRT, LOG, EXP, SIGN, NOT) else -2 if code == PICK else -1
        most = max(most, depth)
    return np.array(codes, np.int64), np.array(numbers), most


@njit(nogil=True, cache=True)
def _run(first: Floats, columns: Any, codes: Ints, numbers: Floats, most: int, offsets: Ints, commit: Any, out: Floats) -> None:
    """first: where there is no value before. columns: a row each. Unknown where the program comes to no finite number: it begins anew then."""
    stack = np.empty(most)
    for k in range(len(offsets) - 1):
        prior = np.nan
        for i in range(offsets[k], offsets[k + 1]):
            if prior != prior:
                now = first[i]
            else:
                top = -1
                for s in range(len(codes)):
                    code = codes[s]
                    if code <= NUMBER:
                        top += 1
                        if code == COLUMN:
                            stack[top] = columns[int(numbers[s]), i]
                        elif code == PRIOR:
                            stack[top] = prior
                        else:
                            stack[top] = numbers[s]
                        continue
                    b = stack[top]
                    if code == ABS:
                        stack[top] = abs(b)
                    elif code == NEGATE:
                        stack[top] = -b
                    elif code == SQRT:
                        stack[top] = np.sqrt(b) if b >= 0.0 else np.nan
                    elif code == LOG:
                        stack[top] = np.log(b) if b > 0.0 else np.nan
                    elif code == EXP:
                        stack[top] = np.exp(b)
                    elif code == SIGN:
                        stack[top] = np.sign(b)
                    elif code == NOT:
                        stack[top] = 2.0 - b
                    elif code == PICK:
                        top -= 2
                        stack[top] = stack[top + 1] if stack[top] == 2.0 else (b if stack[top] == 0.0 else np.nan)
                    else:
                        top -= 1
                        a = stack[top]
                        if code == ADD:
                            a = a + b
                        elif code == SUBTRACT:
                            a = a - b
                        elif code == MULTIPLY:
                            a = a * b
                        elif code == DIVIDE:
                            a = a / b if b != 0.0 else np.nan
                        elif code == POWER:
                            a = a**b
                        elif code in (AND, OR):
                            a = min(a, b) if code == AND else max(a, b)
                        elif a != a or b != b:
                            a = np.nan if code in (MAX, MIN) else 1.0
                        elif code == MAX:
                            a = max(a, b)
                        elif code == MIN:
                            a = min(a, b)
                        else:
                            held = (
                                (code == ABOVE and a > b) or (code == BELOW and a < b) or (code == AT_LEAST and a >= b)
                                or (code == AT_MOST and a <= b) or (code == EQUAL and a == b) or (code == OTHER and a != b)
                            )  # fmt: skip
                            a = 2.0 if held else 0.0
                        stack[top] = a
                now = stack[0] if abs(stack[0]) < np.inf else np.nan
            out[i] = now
            if ends(commit, i):
                prior = now


def carry(first: Floats, columns: list[Any], program: str, frame: Frame) -> Floats:
    """The carried value on each bar.

    first: where there is none before, one value a bar. columns: numbers, or truths as int8, that the program names by their places.
    """
    codes, numbers, most = _read(program)
    given = np.empty((len(columns), len(first)))
    for row, column in zip(given, columns, strict=True):
        row[:] = column
    out = np.empty(len(first))
    _run(first, given, codes, numbers, max(most, 1), frame.offsets, frame.commit, out)
    return out


@njit(nogil=True, cache=True)
def _parabolic(high: Floats, low: Floats, step: Floats, most: Floats, offsets: Ints, commit: Any, out: Floats) -> None:
    for k in range(len(offsets) - 1):
        taken, way = 0, 1.0
        stop, extreme, pace = np.nan, np.nan, 0.0
        high1, low1, high2, low2 = np.nan, np.nan, np.nan, np.nan  # of the bar before, and of the one before that
        for i in range(offsets[k], offsets[k + 1]):
            top, bottom = high[i], low[i]
            if taken == 0:
                out[i] = np.nan
                way2, stop2, extreme2, pace2 = way, np.nan, np.nan, 0.0
            else:
                if taken == 1:  # the direction of the first two bars; it begins at the far end of the first
                    way2 = 1.0 if top + bottom >= high1 + low1 else -1.0
                    stop2 = low1 if way2 > 0 else high1
                    extreme2, pace2 = (max(high1, top) if way2 > 0 else min(low1, bottom)), step[i]
                else:
                    way2, extreme2, pace2 = way, extreme, pace
                    stop2 = stop + pace * (extreme - stop)
                    # It never enters the range of the two bars before.
                    if way > 0:
                        stop2 = min(stop2, low1, low2)
                    else:
                        stop2 = max(stop2, high1, high2)
                    if (way > 0 and bottom < stop2) or (way < 0 and top > stop2):
                        way2, stop2, pace2 = -way, (max(extreme, top) if way > 0 else min(extreme, bottom)), step[i]
                        extreme2 = bottom if way > 0 else top
                    elif (way > 0 and top > extreme) or (way < 0 and bottom < extreme):
                        extreme2, pace2 = (top if way > 0 else bottom), min(pace + step[i], most[i])
                out[i] = stop2
            if ends(commit, i):
                way, stop, extreme, pace = way2, stop2, extreme2, pace2
                high2, low2, high1, low1 = high1, low1, top, bottom
                taken += 1


def parabolic(high: Floats, low: Floats, step: Floats, most: Floats, frame: Frame) -> Floats:
    """The stop of J. W. Wilder's parabolic time/price system ("New Concepts in Technical Trading Systems", 1978) for this bar; on the bar that
    touches it, the one of the other side."""
    out = np.empty(len(high))
    _parabolic(high, low, step, most, frame.offsets, frame.commit, out)
    return out
