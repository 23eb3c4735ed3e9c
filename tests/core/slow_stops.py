"""Comparison with the benchmark, and trailing stops, as slow_entries has the others: straight from their formulas, on plain lists."""

import statistics
from typing import Any

from tests.core.slow_entries import Found, each, entry, last, ratio, rma, true_ranges

# -- against the benchmark -------------------------------------------------------------------------------------------


def _index(s: Any) -> list[Any]:
    """The benchmark's position on each bar's day."""
    other = s.slow if s.slow.market.benchmark == s.slow.symbol else s.slow._other(s.slow.market.benchmark)
    return [None if (there := s.slow.same_moment(other, q)) is None else (other, there) for q in s.at]


def _index_change(s: Any, n: int) -> list[Any]:
    """The benchmark's change between each of the instrument's own bars and the one n of these before."""
    closes = [None if place is None else place[0].cached_field("close", s.frame, place[1]) for place in _index(s)]
    pairs = zip([None] * n + closes, closes, strict=False)
    return [None if old is None or new is None else new / old - 1 for old, new in pairs]


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
