"""Small programs worked out with a stack: what hangs on a value that is only known from bar to bar (`carry`, the positions of a book).

Written by wickcore.language.recurrence. Truth inside a program is 0 false, 1 unknown, 2 true, as everywhere; an unknown number is NaN.
"""

from functools import lru_cache
from typing import Any

import numpy as np
from numba import njit

from wickcore.bars.bars import Floats, Ints
from wickcore.measures.frame import SAME

_STEPS = (
    "c", "t", "p", "k", "+", "-", "*", "/", "^", "max", "min", "abs", "negate", "sqrt", "log", "exp", "sign", "pick", "and", "or", "not",
    "compare>", "compare<", "compare>=", "compare<=", "compare==", "compare!=",
)  # fmt: skip
(
    COLUMN, TRUTH, OWN, NUMBER, ADD, SUBTRACT, MULTIPLY, DIVIDE, POWER, MAX, MIN, ABS, NEGATE, SQRT, LOG, EXP, SIGN, PICK, AND, OR, NOT,
    ABOVE, BELOW, AT_LEAST, AT_MOST, EQUAL, OTHER,
) = range(len(_STEPS))  # fmt: skip
_CODE = {step: code for code, step in enumerate(_STEPS)}
_LEAVES = "ctpk"


@lru_cache(maxsize=256)
def read_program(program: str) -> tuple[Ints, Floats, int]:
    """The codes of a program's steps, their numbers, and the most values that wait at a time."""
    codes, numbers, depth, most = [], [], 0, 1
    for step in program.split():
        leaf = step not in _CODE and step[0] in _LEAVES
        code = _CODE[step[0] if leaf else step]
        codes.append(code)
        numbers.append(float(step[1:]) if leaf else 0.0)
        depth += 1 if code <= NUMBER else 0 if code in (ABS, NEGATE, SQRT, LOG, EXP, SIGN, NOT) else -2 if code == PICK else -1
        most = max(most, depth)
    return np.array(codes, np.int64), np.array(numbers), most


def _work_out(codes: Any, numbers: Any, begin: Any, end: Any, columns: Any, truths: Any, i: Any, own: Any, stack: Any) -> Any:
    """The value of the steps begin:end on row i. columns, truths: a row each, numbers and truth by bar. own: what is known by hand. Not
    checked for being finite."""
    top = -1
    for s in range(begin, end):
        code = codes[s]
        if code <= NUMBER:
            top += 1
            if code == COLUMN:
                stack[top] = columns[int(numbers[s]), i]
            elif code == TRUTH:
                stack[top] = truths[int(numbers[s]), i]
            elif code == OWN:
                stack[top] = own[int(numbers[s])]
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
                over, under = b + SAME * abs(b), b - SAME * abs(b)  # as in pointwise
                same = under <= a <= over
                held = (
                    (code == ABOVE and a > over) or (code == BELOW and a < under) or (code == AT_LEAST and a >= under)
                    or (code == AT_MOST and a <= over) or (code == EQUAL and same) or (code == OTHER and not same)
                )  # fmt: skip
                a = 2.0 if held else 0.0
            stack[top] = a
    return stack[0]


work_out = njit(nogil=True, cache=True)(_work_out)
# For kernels that call it on every bar of the market: written into them, since handing over so many arrays costs more than the steps.
work_out_here = njit(nogil=True, inline="always")(_work_out)
