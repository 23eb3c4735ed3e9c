"""Order kept in a tree of partial sums (P. Fenwick, Software: Practice and Experience 24, 1994): how many values lie below one, and which
stands at a place, in a few steps however many there are.

An instrument's values are numbered by their order once; the tree counts numbers. Numbering all of them looks ahead at none: a number says
nothing but which of two is greater.
"""

from typing import Any

import numpy as np
from numba import njit

from wickcore.bars.bars import Floats
from wickcore.measures.frame import kernel


@kernel
def add(tree: Floats, number: int, by: float) -> None:
    at = number + 1
    while at < len(tree):
        tree[at] += by
        at += at & -at


@kernel
def empty(tree: Floats, number: int) -> None:
    """Takes out all that was added at a number, or at those that share its sums."""
    at = number + 1
    while at < len(tree):
        tree[at] = 0.0
        at += at & -at


@kernel
def below(tree: Floats, number: int) -> float:
    """What was added at lower numbers."""
    total, at = 0.0, number
    while at > 0:
        total += tree[at]
        at -= at & -at
    return total


@kernel
def at_place(counts: Floats, place: int) -> int:
    """The number of the value that stands at a place, from 0, among those counted."""
    step, at, left = 1, 0, place
    while 2 * step < len(counts):
        step *= 2
    while step:
        if at + step < len(counts) and counts[at + step] <= left:
            at += step
            left -= counts[at]
        step //= 2
    return at


@kernel
def exactly(total: float, by: float) -> tuple[float, float]:
    """The sum, and what rounding took from it (D. E. Knuth, The Art of Computer Programming 2, 4.2.2, theorem B, from memory)."""
    found = total + by
    part = found - total
    return found, (total - (found - part)) + (by - part)


@kernel
def add_exactly(tree: Floats, rests: Floats, number: int, by: float) -> None:
    """Into a tree and what rounding takes from it: the sums do not depend on the order in which they are added, nor on where in the tree."""
    at = number + 1
    while at < len(tree):
        tree[at], rest = exactly(tree[at], by)
        rests[at] += rest
        at += at & -at


@kernel
def below_exactly(tree: Floats, rests: Floats, number: int) -> float:
    """What was added at lower numbers by `add_exactly`."""
    total, rests_total, at = 0.0, 0.0, number
    while at > 0:
        total, rest = exactly(total, tree[at])
        rests_total += rest + rests[at]
        at -= at & -at
    return total + rests_total


@njit(nogil=True, cache=True)
def numbered(x: Floats) -> Any:
    """Each known value's number in ascending order, equal ones the same; and the values by number."""
    order, numbers, values, used = np.argsort(x), np.zeros(len(x), np.int64), np.empty(len(x)), 0
    for i in order:
        if x[i] != x[i]:
            continue
        if used == 0 or values[used - 1] != x[i]:
            values[used] = x[i]
            used += 1
        numbers[i] = used - 1
    return numbers, values[:used]
