"""Lines a person has drawn: their value on every bar, and where prices have touched them."""

from dataclasses import dataclass
from typing import Any

import numpy as np

from wickcore.bars.bars import Floats, Ints

STEEPEST = 60.0  # beyond e to the power of this a line has left every price behind; it is not followed further
TOUCH_ATR = 0.25  # how near to the line, in average true ranges of 14 bars, a bar's extreme counts as a touch
APART = 3  # touches on bars closer together than this are one


@dataclass(frozen=True, slots=True)
class DrawnLine:
    """values: from its first point on, one a bar, NaN before. touches: positions of the bars that touched it, first of each cluster.
    below: whether prices mostly closed above it, so that it is looked at from above (a support)."""

    values: Floats
    touches: Ints
    below: bool


def line_at(points: tuple[tuple[int, float], tuple[int, float]], bars: Any) -> Floats:
    """The price of a line through two points (bar, price) at bars given by their numbers: straight on a logarithmic scale of prices, NaN before
    the first point and where it leaves all bounds. Prices must be above zero; equal bars make a level."""
    (first, a), (second, b) = sorted(points)
    rate = (np.log(b) - np.log(a)) / (second - first) if second > first else 0.0
    on = np.asarray(bars, np.float64) - first
    grown = rate * on
    return np.where((on >= 0) & (np.abs(grown) <= STEEPEST), a * np.exp(np.clip(grown, -STEEPEST, STEEPEST)), np.nan)


def drawn_line(
    points: tuple[tuple[int, float], tuple[int, float]], high: Floats, low: Floats, close: Floats, atr: Floats
) -> DrawnLine:
    """A line through two points (bar, price), as of `line_at`, and its touches up to the last bar.

    A touch is a bar whose low (of a support; the high of a resistance) lies within 0.25 ATR(14) of the line, on or after the first
    point; bars fewer than three apart are one touch.
    """
    values = line_at(points, np.arange(len(close)))
    part = slice(min(points)[0], None)
    apart = close[part] - values[part]
    below = bool(np.median(apart[~np.isnan(apart)]) >= 0) if not np.all(np.isnan(apart)) else True
    edge = low if below else high
    near = np.flatnonzero(np.abs(edge - values) <= TOUCH_ATR * atr)
    kept: list[int] = []
    last = -APART
    for at in near:
        if at - last >= APART:
            kept.append(int(at))
        last = int(at)
    return DrawnLine(values, np.array(kept, np.int64), below)


@dataclass(frozen=True, slots=True)
class DrawnRange:
    """change: from the first point's price to the second's, a fraction. bars: from one to the other, never below zero."""

    change: float
    bars: int


def drawn_range(points: tuple[tuple[int, float], tuple[int, float]]) -> DrawnRange:
    """How far and how long a range reaches between two points (bar, price)."""
    (first, a), (second, b) = points
    return DrawnRange(b / a - 1.0, abs(second - first))
