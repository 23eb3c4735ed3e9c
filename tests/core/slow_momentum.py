"""Bands, momentum and volume, as slow_entries has the others: straight from their formulas, on plain lists."""

from typing import Any

from tests.core.slow_entries import (
    Found,
    ago,
    each,
    ema,
    entry,
    last,
    macd_,
    macd_signal_,
    mean,
    minus,
    moves,
    ratio,
    rma,
    true_ranges,
)
from tests.core.slow_functions import bars_since_highest_, bars_since_lowest_, mean_dev_, squeeze_, streak_, sum_since_

# -- bands and momentum ----------------------------------------------------------------------------------------------


@entry
def squeeze_bars_(s: Any, n: float, width: float, k: float) -> Found:
    held = [squeeze_(s.upto(i), n, width, k)[0] for i in range(len(s.at))]
    return streak_(s, held)


@entry
def squeeze_released_(s: Any, n: float, width: float, k: float) -> Found:
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
