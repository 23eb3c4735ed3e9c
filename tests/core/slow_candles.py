"""Candles, swings and pivots, as slow_entries has the others: straight from their formulas, on plain lists."""

from collections.abc import Callable
from typing import Any

from tests.core.slow_entries import SLOW, UNSURE, Found, _plain, entry, mean

# -- candles ---------------------------------------------------------------------------------------------------------


class Candle:
    """One bar's parts."""

    def __init__(self, s: Any, back: int = 0) -> None:
        self.open, self.high, self.low, self.close = (c[-1 - back] for c in (s.open, s.high, s.low, s.close))
        self.body, self.range = self.close - self.open, self.high - self.low
        self.top, self.bottom = max(self.open, self.close), min(self.open, self.close)
        self.upper, self.lower = self.high - self.top, self.bottom - self.low
        self.middle = (self.open + self.close) / 2


def candle(bars: int) -> Callable[..., Any]:
    """An entry on the last so many bars, the newest first; unknown while there are fewer."""

    def wrap(function: Callable[..., bool]) -> Callable[..., Found]:
        def run(s: Any, **limits: float) -> Found:
            if len(s.at) < bars:
                return UNSURE, 0
            return bool(function(*(Candle(s, b) for b in range(bars)), **limits)), 0

        SLOW[function.__name__.rstrip("_")] = run
        return run

    return wrap


@candle(1)
def doji_(c: Candle, limit: float) -> bool:
    return abs(c.body) <= limit * c.range and c.range > 0


@candle(1)
def marubozu_(c: Candle, limit: float) -> bool:
    return c.upper <= limit * c.range and c.lower <= limit * c.range and c.range > 0


def wicked(above: bool, fell: bool) -> Callable[..., Found]:
    def run(s: Any, wick: float, other: float, small: float, trend: float) -> Found:
        c = Candle(s)
        long, short = (c.upper, c.lower) if above else (c.lower, c.upper)
        shape = long >= wick * abs(c.body) and long > 0 and short <= other * c.range and abs(c.body) <= small * c.range
        average = mean(s.close[:-1], trend)
        before = None if average is None else (s.close[-2] < average if fell else s.close[-2] > average)
        pair = (shape, before)
        return (False if False in pair else None if None in pair else True), 0

    return run


SLOW |= {
    "hammer": wicked(False, True), "hanging_man": wicked(False, False), "inverted_hammer": wicked(True, True),
    "shooting_star": wicked(True, False),
}  # fmt: skip


@candle(2)
def engulfing_up_(c: Candle, b: Candle) -> bool:
    return c.body > 0 > b.body and c.open <= b.close and c.close >= b.open and abs(c.body) > abs(b.body)


@candle(2)
def engulfing_down_(c: Candle, b: Candle) -> bool:
    return c.body < 0 < b.body and c.open >= b.close and c.close <= b.open and abs(c.body) > abs(b.body)


@candle(2)
def harami_up_(c: Candle, b: Candle, inside: float) -> bool:
    return c.body > 0 > b.body and c.close <= b.open and c.open >= b.close and abs(c.body) <= inside * abs(b.body)


@candle(2)
def harami_down_(c: Candle, b: Candle, inside: float) -> bool:
    return c.body < 0 < b.body and c.open <= b.close and c.close >= b.open and abs(c.body) <= inside * abs(b.body)


@candle(2)
def piercing_(c: Candle, b: Candle) -> bool:
    return c.body > 0 > b.body and c.open < b.close and b.middle < c.close < b.open


@candle(2)
def dark_cloud_(c: Candle, b: Candle) -> bool:
    return c.body < 0 < b.body and c.open > b.close and b.middle > c.close > b.open


@candle(3)
def morning_star_(c: Candle, b: Candle, a: Candle, star: float) -> bool:
    return a.body < 0 < c.body and abs(b.body) <= star * abs(a.body) and b.top <= a.close and c.close > a.middle


@candle(3)
def evening_star_(c: Candle, b: Candle, a: Candle, star: float) -> bool:
    return c.body < 0 < a.body and abs(b.body) <= star * abs(a.body) and b.bottom >= a.close and c.close < a.middle


def _soldiers(s: Any, up: bool, limit: float) -> Found:
    bars = [Candle(s, b) for b in range(min(3, len(s.at)))]
    sign = 1 if up else -1
    ok = [sign * c.body > 0 and (c.upper if up else c.lower) <= limit * c.range for c in bars]
    steps = [
        sign * (c.close - b.close) > 0 and min(b.open, b.close) <= c.open <= max(b.open, b.close) and sign * b.body >= 0
        for c, b in zip(bars, bars[1:], strict=False)
    ]
    if len(bars) == 3 and (False in ok or False in steps):
        return False, 0
    return (UNSURE if len(bars) < 3 else True), 0


@entry
def three_white_soldiers_(s: Any, limit: float) -> Found:
    return _soldiers(s, True, limit)


@entry
def three_black_crows_(s: Any, limit: float) -> Found:
    return _soldiers(s, False, limit)


# -- Heikin-Ashi, swings, pivots -------------------------------------------------------------------------------------


def _heikin(s: Any) -> tuple[float, float]:
    rows = zip(s.open, s.high, s.low, s.close, strict=True)
    before: tuple[float, float] | None = None
    for o, h, lo, c in rows:
        open_ = o if before is None else (before[0] + before[1]) / 2
        before = open_, (o + h + lo + c) / 4
    assert before is not None
    return before


@entry
def ha_open_(s: Any, open: list[Any], middle: list[Any]) -> Found:
    now, close = open[0], middle[0]
    for m in middle[1:]:
        now, close = (now + close) / 2, m
    return now, 1


_plain("ha_close", lambda s: _heikin(s)[1])
_plain("ha_high", lambda s: max(s.high[-1], *_heikin(s)))
_plain("ha_low", lambda s: min(s.low[-1], *_heikin(s)))


def turns(x: list[Any], k: int, sign: int) -> list[float]:
    """The values of all confirmed turning points, oldest first."""
    return [x[i] for i in range(k, len(x) - k) if all(sign * x[i] > sign * x[i + d] for d in range(-k, k + 1) if d)]


@entry
def swing_high_(s: Any, x: list[Any], k: float, nth: float) -> Found:
    found = turns(x, int(k), 1)
    return (found[-int(nth)] if len(found) >= nth else None), "x"


@entry
def swing_low_(s: Any, x: list[Any], k: float, nth: float) -> Found:
    found = turns(x, int(k), -1)
    return (found[-int(nth)] if len(found) >= nth else None), "x"


@entry
def is_swing_high_(s: Any, x: list[Any], k: float) -> Found:
    k = int(k)
    return (None if len(x) < 2 * k + 1 else len(turns(x, k, 1)) > len(turns(x[:-1], k, 1))), 0


@entry
def is_swing_low_(s: Any, x: list[Any], k: float) -> Found:
    k = int(k)
    return (None if len(x) < 2 * k + 1 else len(turns(x, k, -1)) > len(turns(x[:-1], k, -1))), 0


def _swing_age(kind: str, sign: int) -> None:
    def age(s: Any, x: list[Any], k: float, nth: float) -> Found:
        k = int(k)
        bars = []
        for i in range(k, len(x) - k):
            sides = [*x[i - k : i], *x[i + 1 : i + k + 1]]
            if x[i] is not None and all(v is not None and sign * v < sign * x[i] for v in sides):
                bars.append(i)
        return (len(x) - 1 - bars[-int(nth)] if len(bars) >= nth else None), 0

    SLOW[f"swing_{kind}.age"] = age


_swing_age("high", 1)
_swing_age("low", -1)


def zigzag(s: Any, by: list[Any]) -> list[tuple[int, float, str, int]]:
    """(bar that made it known, price, kind, its own bar) of each turning point: the furthest price since the last one, once price has come
    back `by`."""
    found: list[tuple[int, float, str, int]] = []
    since = 0
    for i in range(1, len(s.close)):
        top, bottom = max(s.high[since:i]), min(s.low[since:i])
        last = found[-1][2] if found else None
        if by[i] is None:
            continue
        fall, rise = (top - by[i], bottom + by[i]) if s.degree == 1 else (top * (1 - by[i]), bottom * (1 + by[i]))
        if last != "high" and s.low[i] <= fall:
            found.append((i, top, "high", since + s.high[since:i].index(top)))
            since = i
        elif last != "low" and s.high[i] >= rise:
            found.append((i, bottom, "low", since + s.low[since:i].index(bottom)))
            since = i
    return found


def _zigzag(kind: str) -> None:
    def price(s: Any, by: list[Any], nth: float) -> Found:
        found = [v for _, v, which, _ in zigzag(s, by) if which == kind]
        return (found[-int(nth)] if len(found) >= nth else None), 1

    def turn(s: Any, by: list[Any]) -> Found:
        return (None if by[-1] is None else any(i == len(by) - 1 and which == kind for i, _, which, _ in zigzag(s, by))), 0

    def age(s: Any, by: list[Any], nth: float) -> Found:
        found = [at for _, _, which, at in zigzag(s, by) if which == kind]
        return (len(by) - 1 - found[-int(nth)] if len(found) >= nth else None), 0

    SLOW[f"zigzag_{kind}"], SLOW[f"is_zigzag_{kind}"], SLOW[f"zigzag_{kind}.age"] = price, turn, age


_zigzag("high")
_zigzag("low")


def _pivots(s: Any) -> tuple[float, float, float] | None:
    """High, low and pivot of the day before, whatever the frame asked on."""
    ends = s.slow.ends("day", s.p)
    if len(ends) < 2:
        return None
    high, low, close = (s.slow.field(n, "day", ends[-2]) for n in ("high", "low", "close"))
    return high, low, (high + low + close) / 3


def _pivot(name: str, function: Callable[[float, float, float], float]) -> None:
    _plain(name, lambda s: None if _pivots(s) is None else function(*_pivots(s)))


_pivot("pivot", lambda h, lo, p: p)
_pivot("r1", lambda h, lo, p: 2 * p - lo)
_pivot("s1", lambda h, lo, p: 2 * p - h)
_pivot("r2", lambda h, lo, p: p + (h - lo))
_pivot("s2", lambda h, lo, p: p - (h - lo))
