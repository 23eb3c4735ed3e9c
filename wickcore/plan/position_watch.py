"""Watching what is held: whether a price met, gapped through or came near a stop or a target, bar by bar as each is known.

Levels are prices on the continuous scale, so that a split moves nothing. A session that has bars within the day is read from these, minute by
minute, then from its day's bar; others from their day's bar. No bar is read before its end.
"""

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np

from wickcore.bars.market import Market
from wickcore.bars.moment import Moment, of_key
from wickcore.plan.levels import Side

LevelKind = Literal["stop", "target"]
Event = Literal["met", "gapped", "near"]
AWAY = 1.5  # times the near distance: a price that far from a level has left it, and its next approach is another
HAIR = 1e-9


@dataclass(frozen=True, slots=True)
class WatchedLevel:
    """A price that is watched. price: on the continuous scale. number: which of the targets, 0 for the stop."""

    kind: LevelKind
    price: float
    number: int = 0


@dataclass(frozen=True, slots=True)
class LevelEvent:
    """What happened at a level.

    Attributes
    ----------
    level : WatchedLevel
    event : `met` (traded there), `gapped` (opened beyond it) or `near` (closed within the near distance of it).
    moment : the end of the bar on which it is known.
    printed : the level as printed on that day.
    price : the price that says so, as printed: the bar's extreme for `met`, its open for `gapped`, its close for `near`.
    """

    level: WatchedLevel
    event: Event
    moment: Moment
    printed: float
    price: float


@dataclass(frozen=True, slots=True)
class _Bar:
    key: int
    open: float
    high: float
    low: float
    close: float
    factor: float
    opens_session: bool


def beyond(side: Side, level: WatchedLevel, price: float) -> bool:
    """Whether a price on the continuous scale lies at a level of a position, or beyond it."""
    up = 1 if side == "long" else -1
    toward = up if level.kind == "target" else -up
    return (price - level.price) * toward >= -HAIR * level.price


def level_events(
    market: Market, symbol: str, side: Side, levels: Sequence[WatchedLevel], seen: int, until: Moment, near: float,
    was_near: Sequence[WatchedLevel] = (),
) -> tuple[list[LevelEvent], list[WatchedLevel]]:  # fmt: skip
    """What happened at the levels of a position after one moment and up to another.

    Parameters
    ----------
    seen : the key of the moment up to which they were watched; bars that are known by it are not read again.
    near : distance on the continuous scale within which a close is near a level; 0 for none.
    was_near : the levels that the price was near to by `seen`, so that one approach is said once.

    Returns
    -------
    The events in the order of their moments: a level is met or gapped through once, and then no longer watched; and the levels that the price is
    near to by `until`.
    """
    events: list[LevelEvent] = []
    waiting, near_to = list(levels), [level for level in was_near if level in levels]
    for bar in _bars(market, symbol, seen, until):
        for level in list(waiting):
            toward = (1 if side == "long" else -1) * (1 if level.kind == "target" else -1)
            extreme = bar.high if toward > 0 else bar.low
            printed = level.price / bar.factor
            if bar.opens_session and beyond(side, level, bar.open * bar.factor):
                events.append(LevelEvent(level, "gapped", of_key(bar.key), printed, bar.open))
            elif beyond(side, level, extreme * bar.factor):
                events.append(LevelEvent(level, "met", of_key(bar.key), printed, extreme))
            else:
                away = (level.price - bar.close * bar.factor) * toward
                if near > 0 and away <= near and level not in near_to:
                    near_to.append(level)
                    events.append(LevelEvent(level, "near", of_key(bar.key), printed, bar.close))
                elif away > AWAY * near and level in near_to:
                    near_to.remove(level)
                continue
            waiting.remove(level)
            if level in near_to:
                near_to.remove(level)
    return events, near_to


def _bars(market: Market, symbol: str, seen: int, until: Moment) -> Iterator[_Bar]:
    """An instrument's bars that are known after `seen` and by `until`, in the order of their ends; within a session its minutes come first."""
    k = market.bars.number[symbol]
    rows: list[tuple[int, int, _Bar]] = []
    for table in market.tables:
        begin, end = int(table.offsets[k]), int(table.offsets[k + 1])
        known = table.known_at(slice(begin, end))
        first, last = (int(np.searchsorted(known, key, "right")) for key in (seen, until.key))
        inner = table.minute is not None
        for at in range(begin + first, begin + last):
            opens = not inner or at == begin or table.days[at - 1] != table.days[at]
            open_, high, low, close = (float(getattr(table, name)[at]) for name in ("open", "high", "low", "close"))
            bar = _Bar(int(known[at - begin]), open_, high, low, close, float(table.factor[at]), opens)
            if not any(math.isnan(p) for p in (bar.open, bar.high, bar.low, bar.close)):
                rows.append((bar.key, 0 if inner else 1, bar))
    for _, _, bar in sorted(rows, key=lambda row: row[:2]):
        yield bar


def missed_sessions(market: Market, symbol: str, at: Moment) -> int:
    """How many sessions of the market are over by a moment since the instrument's last bar."""
    bars = market.bars
    k = bars.number[symbol]
    end = int(bars.ends(at)[k])
    last = int(bars.days[end - 1]) if end > bars.offsets[k] else -1
    over = bars.sessions[: int(np.searchsorted(bars.sessions, at.day, "right" if at.closed else "left"))]
    return int((over > last).sum()) if last >= 0 else 0
