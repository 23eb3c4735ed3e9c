"""Plain functions, facts, more averages, order and lines, as slow_entries has the others: straight from their formulas, on plain lists."""

import math
import statistics
from collections.abc import Callable
from datetime import date, timedelta
from typing import Any

from tests.core.slow_entries import Found, band, channel, deviation, each, ema, entry, last, mean, minus, moves, ratio

# -- plain functions -------------------------------------------------------------------------------------------------


@entry
def abs_(s: Any, x: list[Any]) -> Found:
    return None if x[-1] is None else abs(x[-1]), "x"


@entry
def sqrt_(s: Any, x: list[Any]) -> Found:
    return None if x[-1] is None or x[-1] < 0 else math.sqrt(x[-1]), 0


@entry
def exp_(s: Any, x: list[Any]) -> Found:
    return None if x[-1] is None or x[-1] > 709 else math.exp(x[-1]), 0


@entry
def floor_(s: Any, x: list[Any]) -> Found:
    return None if x[-1] is None else float(math.floor(x[-1])), 0


@entry
def ceil_(s: Any, x: list[Any]) -> Found:
    return None if x[-1] is None else float(math.ceil(x[-1])), 0


@entry
def sign_(s: Any, x: list[Any]) -> Found:
    return None if x[-1] is None else float((x[-1] > 0) - (x[-1] < 0)), 0


@entry
def mod_(s: Any, a: list[Any], b: list[Any]) -> Found:
    return None if None in (a[-1], b[-1]) or b[-1] == 0 else a[-1] % b[-1], 0


@entry
def log_(s: Any, x: list[Any]) -> Found:
    return None if x[-1] is None or x[-1] <= 0 else math.log(x[-1]), 0


@entry
def round_(s: Any, x: list[Any]) -> Found:
    return None if x[-1] is None else float(round(x[-1])), 0


@entry
def rising_(s: Any, x: list[Any], n: float) -> Found:
    part = [None if m is None else m > 0 for m in moves(x)][-int(n) :]
    part = [None] * (int(n) - len(part)) + part
    return (False if False in part else None if None in part else True), 0


@entry
def falling_(s: Any, x: list[Any], n: float) -> Found:
    return rising_(s, [None if v is None else -v for v in x], n)


@entry
def place_(s: Any, x: list[Any], lower: list[Any], upper: list[Any]) -> Found:
    return ratio(minus(x[-1], lower[-1]), minus(upper[-1], lower[-1])), 0


@entry
def squeeze_(s: Any, n: float, width: float, k: float) -> Found:
    sides = band(s.close, n, width), channel(s, n, k), band(s.close, n, -width), channel(s, n, -k)
    if any(v is None for v in sides):
        return None, 0
    return sides[0] < sides[1] and sides[2] > sides[3], 0


@entry
def bb_upper_(s: Any, x: list[Any], n: float, width: float) -> Found:
    return band(x, n, width), "x"


@entry
def bb_lower_(s: Any, x: list[Any], n: float, width: float) -> Found:
    return band(x, n, -width), "x"


@entry
def bb_width_(s: Any, x: list[Any], n: float, width: float, upper: float, lower: float) -> Found:
    return ratio(minus(band(x, n, upper), band(x, n, -lower)), mean(x, n)), 0


@entry
def bb_place_(s: Any, x: list[Any], n: float, width: float, upper: float, lower: float) -> Found:
    low, high = band(x, n, -lower), band(x, n, upper)
    return ratio(minus(x[-1], low), minus(high, low)), 0


# -- facts and texts -------------------------------------------------------------------------------------------------


def _text(slow: Any, name: str, p: int) -> Any:
    if name == "weekday":
        return (date(1970, 1, 1) + timedelta(days=int(slow.days[p]))).strftime("%A")
    return slow.symbol if name == "symbol" else slow.market.texts[name][slow.k]


def _fact(slow: Any, name: str, p: int) -> Any:
    facts, day = slow.market.facts, slow.days[p]
    rows = range(int(facts.offsets[slow.k]), int(facts.offsets[slow.k + 1]))
    known = [r for r in rows if facts.days[r] <= slow.known_day(p)]
    when = date(1970, 1, 1) + timedelta(days=int(day))
    if name in ("month", "day_of_month"):
        return float(when.month if name == "month" else when.day)
    if name == "listed_days":
        return float(day - slow.market.listed[slow.k])
    if name in ("optionable", "weekly_options"):
        return float(getattr(slow.market, name)[slow.k])
    close = slow.columns["close"][p] / slow.factor[p]
    if name == "dividend_yield":
        offsets, days, paid = slow.market.dividends
        own = range(int(offsets[slow.k]), int(offsets[slow.k + 1]))
        return sum(float(paid[r]) for r in own if day - 365 < days[r] <= day) / close
    if name == "days_since_report":
        return float(day - facts.days[known[-1]]) if known else None
    if name == "days_to_dividend":
        offsets, days, _ = slow.market.dividends
        own = [int(days[r]) for r in range(int(offsets[slow.k]), int(offsets[slow.k + 1]))]
        ahead, past = [d for d in own if d >= day], [d for d in own if d < day]
        reported = [int(facts.days[r]) for r in known if facts.is_report[r]]
        return float(ahead[0] - day) if ahead and reported and (not past or reported[-1] >= past[-1]) else None
    if name == "days_to_report":
        ahead = [r for r in rows if facts.days[r] >= day]
        return float(facts.days[ahead[0]] - day) if known and ahead else None
    if not known:
        return None
    if name in ("market_cap", "shares_outstanding"):
        return float(facts.columns["shares"][known[-1]]) * (close if name == "market_cap" else 1.0)
    if name == "pe":
        eps = float(facts.columns["eps"][known[-1]])
        return close / eps if eps > 0 else None
    return float(facts.columns[name][known[-1]])


CROSS: dict[str, Callable[..., Any]] = {"text": _text, "fact": _fact}


# -- more averages, order, and lines ---------------------------------------------------------------------------------


def wma(values: list[Any], n: float) -> float | None:
    part = last(values, n)
    return None if part is None else sum((i + 1) * v for i, v in enumerate(part)) / (n * (n + 1) / 2)


@entry
def dema_(s: Any, x: list[Any], n: float) -> Found:
    once = each(lambda p: ema(p, n), x)
    twice = ema(once, n)
    return None if twice is None else 2 * once[-1] - twice, "x"


@entry
def tema_(s: Any, x: list[Any], n: float) -> Found:
    once = each(lambda p: ema(p, n), x)
    twice = each(lambda p: ema(p, n), once)
    thrice = ema(twice, n)
    return None if thrice is None else 3 * once[-1] - 3 * twice[-1] + thrice, "x"


@entry
def hull_(s: Any, x: list[Any], n: float) -> Found:
    raw = each(lambda p: minus(None if wma(p, round(n / 2)) is None else 2 * wma(p, round(n / 2)), wma(p, n)), x)
    return wma(raw, round(math.sqrt(n))), "x"


@entry
def ema_by_(s: Any, x: list[Any], weight: list[Any]) -> Found:
    state: Any = None
    started = False
    for v, w in zip(x, weight, strict=True):
        if v is None or (w is None and started):
            now = None
            continue
        if w is None or state is None:
            state, now = v, None
        else:
            state = now = state + w * (v - state)
        started = started or w is not None
    return now, "x"


@entry
def kama_(s: Any, x: list[Any], n: float, fast: float, slow: float) -> Found:
    def weight(part: list[Any]) -> Any:
        steps = last([None if m is None else abs(m) for m in moves(part)], n)
        efficiency = None if steps is None else ratio(abs(part[-1] - part[-1 - int(n)]), math.fsum(steps))
        return None if efficiency is None else (efficiency * (2 / (fast + 1) - 2 / (slow + 1)) + 2 / (slow + 1)) ** 2

    return ema_by_(s, x, each(weight, x))


@entry
def vwma_(s: Any, x: list[Any], n: float) -> Found:
    return ratio(mean([None if v is None else v * w for v, w in zip(x, s.volume, strict=True)], n), mean(s.volume, n)), "x"


@entry
def bars_since_highest_(s: Any, x: list[Any], n: float) -> Found:
    part = last(x, n)
    return None if part is None else float(part[::-1].index(max(part))), 0


@entry
def bars_since_lowest_(s: Any, x: list[Any], n: float) -> Found:
    part = last(x, n)
    return None if part is None else float(part[::-1].index(min(part))), 0


@entry
def mean_(s: Any, x: list[Any], n: float) -> Found:
    return mean(x, n), "x"


@entry
def median_(s: Any, x: list[Any], n: float) -> Found:
    part = last(x, n)
    return None if part is None else statistics.median(part), "x"


@entry
def mean_dev_(s: Any, x: list[Any], n: float) -> Found:
    part = last(x, n)
    return None if part is None else statistics.fmean(abs(v - statistics.fmean(part)) for v in part), "x"


@entry
def zscore_(s: Any, x: list[Any], n: float) -> Found:
    return ratio(minus(x[-1], mean(x, n)), deviation(x, n)), 0


@entry
def percentile_(s: Any, x: list[Any], n: float) -> Found:
    part = last(x, n)
    if part is None or n < 2:
        return None, 0
    return 100 * (sum(v < part[-1] for v in part) + (part.count(part[-1]) - 1) / 2) / (n - 1), 0


@entry
def corr_(s: Any, x: list[Any], y: list[Any], n: float) -> Found:
    a, b = last(x, n), last(y, n)
    return None if a is None or b is None or n < 3 or len(set(a)) < 2 or len(set(b)) < 2 else statistics.correlation(a, b), 0


def line(values: list[Any], n: float) -> tuple[float, float] | None:
    """Slope and R² of the least-squares line, from the normal equations."""
    part = last(values, n)
    if part is None or n < 2:
        return None
    found = statistics.linear_regression(range(len(part)), part)
    return found.slope, (statistics.correlation(range(len(part)), part) ** 2 if len(set(part)) > 1 else math.nan)


@entry
def slope_(s: Any, x: list[Any], n: float) -> Found:
    found = line(x, n)
    return None if found is None else found[0], "x"


@entry
def fit_(s: Any, x: list[Any], n: float) -> Found:
    found = line(x, n)
    return None if found is None or n < 3 else found[1], 0


@entry
def streak_(s: Any, condition: list[Any]) -> Found:
    if condition[-1] is None:
        return None, 0
    length = 0
    for held in reversed(condition):
        if held is not True:
            break
        length += 1
    return float(length), 0


@entry
def value_at_(s: Any, condition: list[Any], x: list[Any]) -> Found:
    for held, v in zip(reversed(condition), reversed(x), strict=True):
        if held is True:
            return v, "x"
    return None, "x"


@entry
def sum_since_(s: Any, x: list[Any], condition: list[Any]) -> Found:
    total = 0.0
    for held, v in zip(reversed(condition), reversed(x), strict=True):
        if v is None:
            return None, "x"
        total += v
        if held is True:
            return total, "x"
    return None, "x"


@entry
def total_(s: Any, x: list[Any]) -> Found:
    return None if x[-1] is None else math.fsum(v for v in x if v is not None), "x"


def compared(a: float, operator: str, b: float) -> bool:
    """Numbers that differ by a millionth of a millionth of b are the same but for rounding."""
    same = abs(a - b) <= 1e-12 * abs(b)
    return {">": a > b and not same, "<": a < b and not same, ">=": a > b or same, "<=": a < b or same, "==": same, "!=": not same}[
        operator
    ]
