"""The bars of one instrument that its chart, figures and drawings stand on at a moment."""

from dataclasses import dataclass

import numpy as np

from upperwick.base.errors import Refused
from upperwick.market.services import as_of_moment
from wickcore.bars.bars import Bars, Ints
from wickcore.bars.frame_names import within_day
from wickcore.bars.frames import period
from wickcore.bars.market import Market
from wickcore.bars.moment import Moment
from wickcore.scan.evaluate import Evaluator


@dataclass(frozen=True)
class Standing:
    """The instrument's bars are begin:end of `bars`, up to the moment. engine: its rows for the instrument (`Evaluator.rows`) have a value for
    each bar from `begin` on. market: holds those bars; inside a session, where days and the day's five-minute bars stand in one
    table, it is one of this instrument alone."""

    engine: Evaluator
    market: Market
    bars: Bars
    at: Moment
    number: int
    begin: int
    end: int

    @property
    def scale(self) -> float:
        """The factor of the latest bar: what divides the continuous scale into that day's money."""
        return float(self.bars.factor[self.end - 1]) if self.end > self.begin else 1.0

    def ends(self, frame: str) -> Ints:
        """As `frame_ends`, of the instrument's bars up to the moment."""
        return frame_ends(self.bars, frame, self.begin, self.end)


def standing(engine: Evaluator, symbol: str, as_of: str | None, frame: str = "day") -> Standing:
    """What a chart of the frame stands on. Inside a session a day's bar is the one so far, made of its bars of five minutes.

    Raises Refused for an unknown symbol or moment, and for a frame that the market has no bars of."""
    market = engine.market
    at = as_of_moment(market, as_of)
    if within_day(frame):
        if market.finest == "day":
            raise Refused(f"This market has no bars shorter than a day, so there is no chart of {frame} bars.", 422)
        engine, bars = engine.on("5min"), market.table("5min")
    elif at.closed or market.finest == "day":
        engine, bars = engine.on("day"), market.bars
    else:
        engine = engine.on("mixed")
        market = market.of_some([_number(market.bars, symbol)])
        bars = market.table("mixed")
    return Standing(engine, market, bars, at, *place(bars, symbol, at))


def place(bars: Bars, symbol: str, at: int | Moment) -> tuple[int, int, int]:
    """The instrument's number, and begin and end of its bars up to a day or a moment. Raises Refused for an unknown symbol."""
    k = _number(bars, symbol)
    return k, int(bars.offsets[k]), int(bars.ends(at)[k])


def _number(bars: Bars, symbol: str) -> int:
    if symbol not in bars.number:
        raise Refused(f"There is no instrument {symbol}.", 404)
    return bars.number[symbol]


def frame_ends(bars: Bars, frame: str, begin: int, end: int) -> Ints:
    """The last bar of each of the frame's bars, as positions from `begin`; the last of them may be unfinished."""
    numbers = period(bars, frame, slice(begin, end))
    return np.flatnonzero(np.append(numbers[1:] != numbers[:-1], True)) if end > begin else np.empty(0, np.int64)
