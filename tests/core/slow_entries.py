"""Each entry of the catalogue once more, straight from its formula, on plain lists: oldest value first, the last one is now.

Every function returns (value or None, degree): the degree is a number, or "x" for that of the first argument.
"""

import math
import statistics
from collections.abc import Callable
from datetime import date, timedelta
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
    known = [r for r in rows if facts.days[r] <= day]
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
    if part is None:
        return None, 0
    return 100 * (sum(v < part[-1] for v in part) + (part.count(part[-1]) - 1) / 2) / (n - 1), 0


@entry
def corr_(s: Any, x: list[Any], y: list[Any], n: float) -> Found:
    a, b = last(x, n), last(y, n)
    return None if a is None or b is None or len(set(a)) < 2 or len(set(b)) < 2 else statistics.correlation(a, b), 0


def line(values: list[Any], n: float) -> tuple[float, float] | None:
    """Slope and R² of the least-squares line, from the normal equations."""
    part = last(values, n)
    if part is None:
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
    return None if found is None else found[1], 0


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


# -- bands and momentum ----------------------------------------------------------------------------------------------


@entry
def squeeze_bars_(s: Any, n: float, width: float, k: float) -> Found:
    held = [squeeze_(s.upto(i), n, width, k)[0] for i in range(len(s.at))]
    return streak_(s, held)


@entry
def squeeze_fired_(s: Any, n: float, width: float, k: float) -> Found:
    before = squeeze_(s.upto(len(s.at) - 2), n, width, k)[0] if len(s.at) > 1 else None
    now = squeeze_(s, n, width, k)[0]
    pair = (before, None if now is None else not now)
    return (False if False in pair else None if None in pair else True), 0


def spans(s: Any, n: float) -> Any:
    high, low = last(s.high, n), last(s.low, n)
    return (None, None) if high is None else (max(high), min(low))


@entry
def stoch_k_(s: Any, n: float, smooth: float) -> Found:
    return mean([_stoch(s.upto(i), n) for i in range(len(s.at))][-int(smooth) :], smooth), 0


def _stoch(s: Any, n: float) -> Any:
    top, bottom = spans(s, n)
    return None if top is None else ratio(100 * (s.close[-1] - bottom), top - bottom)


@entry
def stoch_d_(s: Any, n: float, smooth: float, signal: float) -> Found:
    count = len(s.at)
    return mean([stoch_k_(s.upto(i), n, smooth)[0] for i in range(max(0, count - int(signal)), count)], signal), 0


@entry
def macd_hist_(s: Any, x: list[Any], fast: float, slow: float, signal: float) -> Found:
    return minus(macd_(s, x, fast, slow)[0], macd_signal_(s, x, fast, slow, signal)[0]), "x"


def typicals(s: Any) -> list[float]:
    return [(h + lo + c) / 3 for h, lo, c in zip(s.high, s.low, s.close, strict=True)]


@entry
def cci_(s: Any, n: float) -> Found:
    x = typicals(s)
    spread = mean_dev_(s, x, n)[0]
    return ratio(minus(x[-1], mean(x, n)), None if spread is None else 0.015 * spread), 0


@entry
def mfi_(s: Any, n: float) -> Found:
    x = typicals(s)
    flows = [None, *((b > a, b < a, b * v) for a, b, v in zip(x, x[1:], s.volume[1:], strict=False))]
    part = last(flows, n)
    if part is None:
        return None, 0
    up, down = sum(m for rose, _, m in part if rose), sum(m for _, fell, m in part if fell)
    return ratio(100 * up, up + down), 0


@entry
def willr_(s: Any, n: float) -> Found:
    top, bottom = spans(s, n)
    return (None if top is None else ratio(-100 * (top - s.close[-1]), top - bottom)), 0


def directional(s: Any, n: float, up: bool) -> Any:
    rises = [None, *(b - a for a, b in zip(s.high, s.high[1:], strict=False))]
    falls = [None, *(a - b for a, b in zip(s.low, s.low[1:], strict=False))]
    mine, other = (rises, falls) if up else (falls, rises)
    moved = [None if m is None else (m if m > o and m > 0 else 0.0) for m, o in zip(mine, other, strict=True)]
    smoothed, reach = rma(moved, n), rma(true_ranges(s), n)
    return None if smoothed is None else ratio(100 * smoothed, reach)


@entry
def plus_di_(s: Any, n: float) -> Found:
    return directional(s, n, True), 0


@entry
def minus_di_(s: Any, n: float) -> Found:
    return directional(s, n, False), 0


@entry
def adx_(s: Any, n: float) -> Found:
    found = []
    for i in range(len(s.at)):
        part = s.upto(i)
        up, down = directional(part, n, True), directional(part, n, False)
        found.append(None if up is None or down is None else ratio(100 * abs(up - down), up + down))
    return rma(found, n), 0


@entry
def aroon_up_(s: Any, n: float) -> Found:
    ago_ = bars_since_highest_(s, s.high, n + 1)[0]
    return None if ago_ is None else 100 * (n - ago_) / n, 0


@entry
def aroon_down_(s: Any, n: float) -> Found:
    ago_ = bars_since_lowest_(s, s.low, n + 1)[0]
    return None if ago_ is None else 100 * (n - ago_) / n, 0


@entry
def trix_(s: Any, x: list[Any], n: float) -> Found:
    for _ in range(3):
        x = each(lambda p: ema(p, n), x)
    return minus(ratio(x[-1], ago(x, 1)), 1), 0


@entry
def tsi_(s: Any, x: list[Any], slow: float, fast: float) -> Found:
    changes = moves(x)
    up = ema(each(lambda p: ema(p, slow), changes), fast)
    size = ema(each(lambda p: ema(p, slow), [None if m is None else abs(m) for m in changes]), fast)
    return (None if up is None else ratio(100 * up, size)), 0


@entry
def ppo_(s: Any, x: list[Any], fast: float, slow: float) -> Found:
    return ratio(macd_(s, x, fast, slow)[0], ema(x, slow)), 0


# -- volume ----------------------------------------------------------------------------------------------------------


@entry
def obv_(s: Any) -> Found:
    if len(s.at) < 2:
        return None, -1
    total = 0.0
    for a, b, v in zip(s.close, s.close[1:], s.volume[1:], strict=False):
        total += v if b > a else -v if b < a else 0
    return total, -1


def flows(s: Any) -> list[float]:
    rows = zip(s.high, s.low, s.close, s.volume, strict=True)
    return [((c - lo) - (h - c)) / (h - lo) * v if h > lo else 0.0 for h, lo, c, v in rows]


@entry
def ad_line_(s: Any) -> Found:
    return sum(flows(s)), -1


@entry
def cmf_(s: Any, n: float) -> Found:
    part = last(flows(s), n)
    return None if part is None else ratio(sum(part), sum(s.volume[-int(n) :])), 0


@entry
def up_down_volume_(s: Any, n: float) -> Found:
    turns = [None, *((b - a, v) for a, b, v in zip(s.close, s.close[1:], s.volume[1:], strict=False))]
    part = last(turns, n)
    return (None if part is None else ratio(sum(v for d, v in part if d > 0), sum(v for d, v in part if d < 0))), 0


@entry
def vwap_(s: Any, condition: list[Any]) -> Found:
    money = sum_since_(s, [t * v for t, v in zip(typicals(s), s.volume, strict=True)], condition)[0]
    return ratio(money, sum_since_(s, s.volume, condition)[0]), 1


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


# -- against the benchmark -------------------------------------------------------------------------------------------


def _index(s: Any) -> list[Any]:
    """The benchmark's position on each bar's day."""
    other = s.slow if s.slow.market.benchmark == s.slow.symbol else s.slow._other(s.slow.market.benchmark)
    return [None if (there := s.slow.same_moment(other, q)) is None else (other, there) for q in s.at]


def _index_change(s: Any, n: int) -> list[Any]:
    found: list[Any] = []
    for place in _index(s):
        part = None if place is None else Part(place[0], s.frame, place[1]).close
        found.append(None if part is None or len(part) <= n else part[-1] / part[-1 - n] - 1)
    return found


@entry
def beta_(s: Any, n: float) -> Found:
    own = [None, *(b / a - 1 for a, b in zip(s.close, s.close[1:], strict=False))]
    x, y = last(own, n), last(_index_change(s, 1), n)
    if x is None or y is None:
        return None, 0
    mx, my = statistics.fmean(x), statistics.fmean(y)
    return ratio(sum((a - mx) * (b - my) for a, b in zip(x, y, strict=True)), sum((b - my) ** 2 for b in y)), 0


@entry
def relative_strength_(s: Any, n: float) -> Found:
    theirs = _index_change(s, int(n))[-1]
    if len(s.close) <= n or theirs is None:
        return None, 0
    return (s.close[-1] / s.close[-1 - int(n)]) / (1 + theirs) - 1, 0


class Part:
    """The benchmark's closes on a frame, up to a bar."""

    def __init__(self, slow: Any, frame: str, p: int) -> None:
        self.close = [slow.cached_field("close", frame, q) for q in slow.ends(frame, p)]


# -- trailing stops --------------------------------------------------------------------------------------------------


@entry
def parabolic_(s: Any, upper: list[Any], lower: list[Any], step: float, most: float) -> Found:
    step, most = (v[-1] if isinstance(v, list) else v for v in (step, most))
    if len(upper) < 2:
        return None, 1
    up = upper[1] + lower[1] >= upper[0] + lower[0]
    stop, extreme, pace = (lower[0], max(upper[:2]), step) if up else (upper[0], min(lower[:2]), step)
    for i in range(2, len(upper)):
        stop += pace * (extreme - stop)
        stop = min(stop, *lower[max(0, i - 2) : i]) if up else max(stop, *upper[max(0, i - 2) : i])
        touched = lower[i] < stop if up else upper[i] > stop
        if touched:
            stop = max(extreme, upper[i]) if up else min(extreme, lower[i])
            up, pace = not up, step
            extreme = upper[i] if up else lower[i]
        elif upper[i] > extreme if up else lower[i] < extreme:
            extreme, pace = (upper[i] if up else lower[i]), min(pace + step, most)
    return stop, 1


@entry
def psar_(s: Any, step: float, most: float) -> Found:
    return parabolic_(s, s.high, s.low, step, most)


def stops(s: Any, n: float, width: float) -> list[tuple[float, float, float]]:
    """(above, below, side) on each bar from the first with an average true range on."""
    ranges = each(lambda p: rma(p, n), true_ranges(s))
    found: list[tuple[float, float, float]] = []
    for i, average in enumerate(ranges):
        if average is None:
            continue
        middle = (s.high[i] + s.low[i]) / 2
        above, below, side = middle + width * average, middle - width * average, 1.0
        if found:
            before = s.close[i - 1]
            above = above if above < found[-1][0] or before > found[-1][0] else found[-1][0]
            below = below if below > found[-1][1] or before < found[-1][1] else found[-1][1]
            if found[-1][2] > 0:
                side = -1.0 if s.close[i] < below else 1.0
            else:
                side = 1.0 if s.close[i] > above else -1.0
        found.append((above, below, side))
    return found


@entry
def stop_above_(s: Any, n: float, width: float) -> Found:
    found = stops(s, n, width)
    return (found[-1][0] if found else None), 1


@entry
def stop_below_(s: Any, n: float, width: float) -> Found:
    found = stops(s, n, width)
    return (found[-1][1] if found else None), 1


@entry
def trend_side_(s: Any, n: float, width: float) -> Found:
    found = stops(s, n, width)
    return (found[-1][2] if found else None), 0


@entry
def trend_stop_(s: Any, n: float, width: float) -> Found:
    found = stops(s, n, width)
    return (found[-1][1 if found[-1][2] > 0 else 0] if found else None), 1


@entry
def stop_from_high_(s: Any, n: float, width: float) -> Found:
    top, average = last(s.high, n), rma(true_ranges(s), n)
    return (None if top is None or average is None else max(top) - width * average), 1


@entry
def stop_from_low_(s: Any, n: float, width: float) -> Found:
    bottom, average = last(s.low, n), rma(true_ranges(s), n)
    return (None if bottom is None or average is None else min(bottom) + width * average), 1
