"""From hit to return: entries, exits, pending and delisted."""

from dataclasses import dataclass

import numpy as np
from numba import njit

from wickcore.bars.bars import Bools, Days, Floats, Ints
from wickcore.bars.frames import finished
from wickcore.bars.market import Market

COUNTED, PENDING, DELISTED, NO_ENTRY = 0, 1, 2, 3
NEXT_OPEN, SIGNAL_CLOSE, SAME_OPEN = 0, 1, 2
ENTRIES = {"next-open": NEXT_OPEN, "signal-close": SIGNAL_CLOSE, "open": SAME_OPEN}


@dataclass(frozen=True, slots=True)
class Steps:
    """The bars a rule steps on: positions of each instrument's finished bars in the rule's frame, ragged by `offsets`."""

    positions: Ints
    offsets: Ints

    @staticmethod
    def of(market: Market, frame: str, as_of: int) -> "Steps":
        """Positions up to `as_of`; an unfinished week or month at the end is left out."""
        bars = market.bars if as_of >= market.bars.last_day else market.bars.cut(as_of)
        ends = market.bars.ends(as_of)
        begins = market.bars.offsets[:-1]
        keep = np.zeros(len(market.bars) + 1, np.bool_)
        marks = finished(bars, frame)
        inside = np.repeat(begins - bars.offsets[:-1], np.diff(bars.offsets)) + np.arange(len(bars.days))
        keep[inside[marks]] = True
        positions = np.flatnonzero(keep)
        offsets = np.searchsorted(positions, np.append(begins, ends[-1] if len(ends) else 0)).astype(np.int64)
        return Steps(positions.astype(np.int64), offsets)


@njit(nogil=True, cache=True)
def _forward(
    positions: Ints, offsets: Ints, ends: Ints, stopped: Bools, open_: Floats, close: Floats, h: int, entry: int, side: float,
    cost: float, out: Floats, status: Ints,
) -> None:  # fmt: skip
    for k in range(len(offsets) - 1):
        for j in range(offsets[k], offsets[k + 1]):
            at = positions[j]
            out[j] = np.nan
            if entry == 0 and at + 1 >= ends[k]:
                status[j] = 3 if stopped[k] else 1
                continue
            paid = open_[at + 1] if entry == 0 else (close[at] if entry == 1 else open_[at])
            leave = j + h - 1 if entry == 2 else j + h
            if leave < offsets[k + 1]:
                got, status[j] = close[positions[leave]], 0
            elif stopped[k] and not (entry == 1 and at + 1 >= ends[k]):
                got, status[j] = close[ends[k] - 1], 2
            else:
                status[j] = 3 if stopped[k] else 1
                continue
            out[j] = side * (got / paid - 1.0) - cost


def forward_returns(
    market: Market, steps: Steps, as_of: int, horizon: int, entry: int, side: int, cost: float
) -> tuple[Floats, Ints]:
    """Return and status (counted, pending, delisted, no entry) of every step at one horizon.

    cost: the whole round trip as a fraction. Prices on the continuous scale, so splits and dividends between entry and exit count.
    """
    bars = market.bars
    ends = bars.ends(as_of)
    stopped = market.stopped <= as_of
    out, status = np.empty(len(steps.positions)), np.empty(len(steps.positions), np.int64)
    _forward(
        steps.positions, steps.offsets, ends, stopped, bars.open * bars.factor, bars.close * bars.factor, horizon, entry,
        float(side), cost, out, status,
    )  # fmt: skip
    return out, status


@njit(nogil=True, cache=True)
def _choose(hits: Bools, offsets: Ints, mode: int, apart: int, out: Bools) -> None:
    for k in range(len(offsets) - 1):
        allowed = offsets[k]
        for j in range(offsets[k], offsets[k + 1]):
            if not hits[j]:
                continue
            if mode == 0:
                out[j] = j == offsets[k] or not hits[j - 1]
            elif mode == 1:
                out[j] = True
            elif j >= allowed:
                out[j] = True
                allowed = j + apart


def choose_hits(hits: Bools, offsets: Ints, repeats: str, longest: int) -> Bools:
    """Which hits become events: `fresh` (the step before was no hit), `every`, or `apart` (none within the longest horizon)."""
    out = np.zeros(len(hits), np.bool_)
    _choose(hits, offsets, {"fresh": 0, "every": 1, "apart": 2}[repeats], longest, out)
    return out


def day_means(values: Floats, days: Days, weights: Bools, size: int) -> Floats:
    """The mean of the known values of each day index; NaN on days without any."""
    use = weights & ~np.isnan(values)
    total = np.bincount(days[use], values[use], size)
    count = np.bincount(days[use], minlength=size)
    return np.where(count > 0, total / np.maximum(count, 1), np.nan)
