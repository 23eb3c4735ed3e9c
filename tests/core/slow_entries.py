"""Each entry of the catalogue once more, straight from its formula, on plain lists: oldest value first, the last one is now.

Every function returns (value or None, degree): the degree is a number, or "x" for that of the first argument.
"""

import math
from collections.abc import Callable
from typing import Any

Found = tuple[Any, Any]
UNSURE = "unknown or false"  # bars are missing, but those that are there may already say no
SLOW: dict[str, Callable[..., Found]] = {}


def entry(function: Callable[..., Found]) -> Callable[..., Found]:
    SLOW[function.__name__.rstrip("_")] = function
    return function


def last(values: list[Any], n: float) -> list[Any] | None:
    """The last n values, or None while there are fewer or one is unknown."""
    n = int(n)
    part = values[-n:]
    return None if len(values) < n or any(v is None for v in part) else part


def mean(values: list[Any], n: float) -> float | None:
    part = last(values, n)
    return None if part is None else math.fsum(part) / len(part)


def deviation(values: list[Any], n: float) -> float | None:
    part = last(values, n)
    if part is None:
        return None
    middle = math.fsum(part) / len(part)
    return math.sqrt(math.fsum((v - middle) ** 2 for v in part) / len(part))


def smooth(values: list[Any], n: float, weight: float) -> float | None:
    """Exponential average started from the mean of the first n known values; unknown values are passed over."""
    known = [v for v in values if v is not None]
    if values[-1] is None or len(known) < n:
        return None
    state = math.fsum(known[: int(n)]) / n
    for v in known[int(n) :]:
        state = state + weight * (v - state)
    return state


def ema(values: list[Any], n: float) -> float | None:
    return smooth(values, n, 2 / (n + 1))


def rma(values: list[Any], n: float) -> float | None:
    return smooth(values, n, 1 / n)


def each(function: Callable[[list[Any]], Any], values: list[Any]) -> list[Any]:
    """The function on every beginning of the list: a measure of a measure."""
    return [function(values[: i + 1]) for i in range(len(values))]


def true_ranges(s: Any) -> list[Any]:
    high, low, close = s.high, s.low, s.close
    return [None] + [max(h, c) - min(lo, c) for h, lo, c in zip(high[1:], low[1:], close, strict=False)]


def ratio(a: Any, b: Any) -> Any:
    return None if a is None or b is None or b == 0 else a / b


def ago(values: list[Any], n: float) -> Any:
    return values[-1 - int(n)] if len(values) > n else None


def minus(a: Any, b: Any) -> Any:
    return None if a is None or b is None else a - b


def plus(a: Any, b: Any) -> Any:
    return None if a is None or b is None else a + b


# -- averages and windows --------------------------------------------------------------------------------------------


@entry
def sma_(s: Any, x: list[Any], n: float) -> Found:
    return mean(x, n), "x"


@entry
def ema_(s: Any, x: list[Any], n: float) -> Found:
    return ema(x, n), "x"


@entry
def rma_(s: Any, x: list[Any], n: float) -> Found:
    return rma(x, n), "x"


@entry
def wma_(s: Any, x: list[Any], n: float) -> Found:
    part = last(x, n)
    return None if part is None else sum((i + 1) * v for i, v in enumerate(part)) / (n * (n + 1) / 2), "x"


@entry
def stdev_(s: Any, x: list[Any], n: float) -> Found:
    return deviation(x, n), "x"


@entry
def sum_(s: Any, x: list[Any], n: float) -> Found:
    part = last(x, n)
    return None if part is None else math.fsum(part), "x"


@entry
def highest_(s: Any, x: list[Any], n: float) -> Found:
    part = last(x, n)
    return None if part is None else max(part), "x"


@entry
def lowest_(s: Any, x: list[Any], n: float) -> Found:
    part = last(x, n)
    return None if part is None else min(part), "x"


@entry
def count_(s: Any, condition: list[Any], n: float) -> Found:
    part = last(condition, n)
    return None if part is None else float(sum(part)), 0


@entry
def bars_since_(s: Any, condition: list[Any]) -> Found:
    for back, held in enumerate(reversed(condition)):
        if held is True:
            return float(back), 0
    return None, 0


# -- price fields ----------------------------------------------------------------------------------------------------


def _plain(name: str, function: Callable[[Any], Any], degree: Any = 1) -> None:
    SLOW[name] = lambda s: (function(s), degree)


_plain("range", lambda s: s.high[-1] - s.low[-1])
_plain("body", lambda s: s.close[-1] - s.open[-1])
_plain("upper_wick", lambda s: s.high[-1] - max(s.open[-1], s.close[-1]))
_plain("lower_wick", lambda s: min(s.open[-1], s.close[-1]) - s.low[-1])
_plain("typical", lambda s: (s.high[-1] + s.low[-1] + s.close[-1]) / 3)
_plain("turnover", lambda s: s.close[-1] * s.volume[-1], 0)
_plain("closing_place", lambda s: ratio(s.close[-1] - s.low[-1], s.high[-1] - s.low[-1]), 0)
_plain("true_range", lambda s: true_ranges(s)[-1])
_plain("gap", lambda s: minus(ratio(s.open[-1], ago(s.close, 1)), 1), 0)
_plain("inside_bar", lambda s: None if len(s.at) < 2 else s.high[-1] < s.high[-2] and s.low[-1] > s.low[-2], 0)
_plain("outside_bar", lambda s: None if len(s.at) < 2 else s.high[-1] > s.high[-2] and s.low[-1] < s.low[-2], 0)


@entry
def change_(s: Any, n: float) -> Found:
    return minus(ratio(s.close[-1], ago(s.close, n)), 1), 0


@entry
def roc_(s: Any, x: list[Any], n: float) -> Found:
    return minus(ratio(x[-1], ago(x, n)), 1), 0


@entry
def avg_turnover_(s: Any, n: float) -> Found:
    return mean([c * v for c, v in zip(s.close, s.volume, strict=True)], n), 0


@entry
def rel_volume_(s: Any, n: float) -> Found:
    return ratio(s.volume[-1], mean(s.volume[:-1], n)), 0


@entry
def off_high_(s: Any, n: float) -> Found:
    part = last(s.high, n)
    return None if part is None else s.close[-1] / max(part) - 1, 0


@entry
def above_low_(s: Any, n: float) -> Found:
    part = last(s.low, n)
    return None if part is None else s.close[-1] / min(part) - 1, 0


# -- ranges and bands ------------------------------------------------------------------------------------------------


@entry
def atr_(s: Any, n: float) -> Found:
    return rma(true_ranges(s), n), 1


@entry
def natr_(s: Any, n: float) -> Found:
    return ratio(rma(true_ranges(s), n), s.close[-1]), 0


@entry
def adr_(s: Any, n: float) -> Found:
    return minus(mean([h / lo for h, lo in zip(s.high, s.low, strict=True)], n), 1), 0


@entry
def range_expansion_(s: Any, n: float) -> Found:
    ranges = [h - lo for h, lo in zip(s.high, s.low, strict=True)]
    part = last(ranges[:-1], n)
    return None if part is None else ranges[-1] > max(part), 0


@entry
def narrowest_(s: Any, n: float) -> Found:
    part = last([h - lo for h, lo in zip(s.high, s.low, strict=True)], n)
    return None if part is None else part[-1] <= min(part), 0


def band(x: list[Any], n: float, width: float) -> float | None:
    middle, spread = mean(x, n), deviation(x, n)
    return None if middle is None or spread is None else middle + width * spread


def channel(s: Any, n: float, k: float) -> float | None:
    middle, reach = ema(s.close, n), rma(true_ranges(s), n)
    return None if middle is None or reach is None else middle + k * reach


@entry
def bb_mid_(s: Any, x: list[Any], n: float) -> Found:
    return mean(x, n), "x"


@entry
def keltner_mid_(s: Any, n: float) -> Found:
    return ema(s.close, n), 1


@entry
def keltner_upper_(s: Any, n: float, k: float) -> Found:
    return channel(s, n, k), 1


@entry
def keltner_lower_(s: Any, n: float, k: float) -> Found:
    return channel(s, n, -k), 1


@entry
def donchian_upper_(s: Any, n: float) -> Found:
    part = last(s.high, n)
    return None if part is None else max(part), 1


@entry
def donchian_lower_(s: Any, n: float) -> Found:
    part = last(s.low, n)
    return None if part is None else min(part), 1


# -- momentum --------------------------------------------------------------------------------------------------------


def moves(x: list[Any]) -> list[Any]:
    return [None, *(minus(b, a) for a, b in zip(x, x[1:], strict=False))]


@entry
def rsi_(s: Any, x: list[Any], n: float) -> Found:
    changes = moves(x)
    up = rma([None if m is None else max(m, 0) for m in changes], n)
    down = rma([None if m is None else max(-m, 0) for m in changes], n)
    return (None if up is None or down is None else ratio(100 * up, up + down)), 0


def macds(x: list[Any], fast: float, slow: float) -> list[Any]:
    return each(lambda part: minus(ema(part, fast), ema(part, slow)), x)


@entry
def macd_(s: Any, x: list[Any], fast: float, slow: float) -> Found:
    return minus(ema(x, fast), ema(x, slow)), "x"


@entry
def macd_signal_(s: Any, x: list[Any], fast: float, slow: float, signal: float) -> Found:
    return ema(macds(x, fast, slow), signal), "x"
