"""When a price met a level, bar by bar."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Literal

import numpy as np

from wickcore.bars.bars import Bars, Floats
from wickcore.bars.market import Market
from wickcore.bars.moment import Moment, of_key

Way = Literal["up", "down", "either"]


@dataclass(frozen=True, slots=True)
class Crossed:
    """moment: the end of the bar on which the level was met. up: from below. level, price: the level, and the close of that bar, as printed
    that day."""

    moment: Moment
    up: bool
    level: float
    price: float


def first_crossed(
    market: Market, symbol: str, level: Callable[[Bars, slice], Floats], way: Way, after: int, until: int
) -> Crossed | None:
    """The first bar that ended after one moment and up to another on which the price met the level from the other side.

    level: given a table and the bars of it that are looked at, the level at each on the continuous scale; NaN where there is none. A bar
    meets it from below when the close before it lay under the level and its high reaches it, from above when that close lay over it and its
    low does; the close before is that of the instrument's own bar before, of the same table. after, until: keys of moments. Sessions that
    have bars within the day are read from these, others from their day's bar.
    """
    tables = [t for t in market.tables if t.frame != "day"] + [market.bars]
    found: list[tuple[int, Crossed]] = []
    seen: set[int] = set()
    for bars in tables:
        k = bars.number.get(symbol, -1)
        if k < 0:
            continue
        begin, end = int(bars.offsets[k]), int(bars.offsets[k + 1])
        known = bars.known_at(slice(begin, end))
        first, last = np.searchsorted(known, [after, until], "right")
        if first >= last:
            continue
        part = slice(max(begin, begin + int(first) - 1), begin + int(last))
        days = bars.days[part]
        factor, at = bars.factor[part], level(bars, part)
        close, high, low = (getattr(bars, n)[part] * factor for n in ("close", "high", "low"))
        with np.errstate(invalid="ignore"):
            rises = (close[:-1] < at[:-1]) & (high[1:] >= at[1:])
            falls = (close[:-1] > at[:-1]) & (low[1:] <= at[1:])
        hit = (rises if way != "down" else np.zeros(len(rises), np.bool_)) | (
            falls if way != "up" else np.zeros(len(falls), np.bool_)
        )
        for i in np.flatnonzero(hit).tolist():
            if int(days[i + 1]) in seen:
                continue
            key = int(known[part.start - begin + i + 1])
            scale = float(factor[i + 1])
            found.append((key, Crossed(of_key(key), bool(rises[i]), float(at[i + 1]) / scale, float(close[i + 1]) / scale)))
        seen.update(days[1:].tolist())
    return min(found, key=lambda one: one[0])[1] if found else None


def fixed(level: float) -> Callable[[Bars, slice], Floats]:
    """A level that stays where it is, on the continuous scale."""
    return lambda bars, part: np.full(part.stop - part.start, level)
