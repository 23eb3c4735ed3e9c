"""Whose bars a kernel counts, and the one form all kernels share: committed state plus a peek.

History is taken in where a frame's bar ends; the value on a base bar is what it would be if the frame's bar ended there. `history`
holds the ended bars' values one after another, so that a kernel finds the bar m before this one at `history[j - m]`, where j counts the
bars ended so far. On the base frame every bar ends its own: then `commit` is None, the history is the column itself, and Numba
compiles each kernel a second time without the question, which is what `ends` asks.
"""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np
from numba import njit, types
from numba.extending import overload

from wickcore.bars.bars import Bools, Ints

FALSE, UNKNOWN, TRUE = 0, 1, 2
SAME = 1e-12  # numbers that differ by this share of the one on the right, or less, compare as the same: rounding leaves so much

# Marks a kernel that makes no arrays of its own: it need not count who holds the ones it is given, and counting, at each call that passes some
# on, can take a third of all the time.
kernel = njit(nogil=True, cache=True, _nrt=False)


def ends(commit: Any, i: int) -> bool:
    """Whether base bar i ends its frame's bar. For kernels: put in place of the call, so that it costs nothing where `commit` is None."""
    return True if commit is None else bool(commit[i])


@overload(ends, inline="always")
def _ends(commit: Any, i: int) -> Any:
    def always(commit: Any, i: int) -> Any:
        return True

    def said(commit: Any, i: int) -> Any:
        return commit[i]

    return always if isinstance(commit, types.NoneType) else said


@dataclass(frozen=True, slots=True)
class Frame:
    """offsets: int64, instruments + 1, into the base bars. commit: bool a base bar, None where every bar ends its own.
    starts: int64 an instrument, where its history begins. left_out: tells what `before` is; None for none."""

    offsets: Ints
    commit: Bools | None
    starts: Ints
    left_out: Callable[[], Ints] | None = None

    @staticmethod
    def of(offsets: Ints, commit: Bools | None, left_out: Callable[[], Ints] | None = None) -> "Frame":
        """The frame whose bars end where `commit` says."""
        if commit is None:
            return Frame(offsets, None, offsets[:-1], left_out)
        ended = np.concatenate([[0], np.cumsum(commit)])
        return Frame(offsets, commit, ended[offsets[:-1]].astype(np.int64), left_out)

    @property
    def before(self) -> Ints:
        """How many of the frame's bars were left out before each instrument's first (int64; wickcore.scan.tail): sums over windows are made
        afresh at bars that are told by their place among all. Counting weeks takes all days, so only who asks has them counted."""
        return np.zeros(len(self.offsets) - 1, np.int64) if self.left_out is None else self.left_out()

    def history(self, x: Any) -> Any:
        """The column's values on the bars that end the frame's."""
        return x if self.commit is None else x[self.commit]
