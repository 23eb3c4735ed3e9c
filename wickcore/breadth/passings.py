"""The times a breadth passed a level, and what an index did in the months after."""

import math
from dataclasses import dataclass

import numpy as np

from wickcore.bars.bars import Bools, Days, Floats, Ints
from wickcore.bars.market import Market
from wickcore.breadth.series import BreadthSeries
from wickcore.study.intervals import DRAWS

HORIZONS = {"day": (20, 60, 120, 250), "week": (4, 13, 26, 52)}
WAYS = ("below", "above")  # from below: it rises over the level
DRAWN_AT_ONCE = 4_000_000  # numbers


@dataclass(frozen=True, slots=True)
class Passing:
    """place: which value of the series. extreme: of a passing from below the lowest value since the breadth was last over the level, which is
    known that day; of one from above the lowest until it is over the level again, so far, which is not."""

    place: int
    day: int
    extreme: float


@dataclass(frozen=True, slots=True)
class After:
    """What the index did after the passings at one horizon, from the close of the passing's session. Fractions; None where there is nothing
    to say.

    returns: one a passing, NaN where it is still to come. counted: which of them count: one that comes while the one counted before it is
    still running does not. count: how many. mean, median: of those that count. low, high: the 95% interval of the mean (Student, Biometrika
    6, 1908). any_mean, any_median: of every session with so many behind it. luck: the share of random choices of as many sessions, as far apart,
    whose mean was as far from that of any session on the same side.
    """

    horizon: int
    returns: Floats
    counted: Bools
    count: int
    mean: float | None
    median: float | None
    low: float | None
    high: float | None
    any_mean: float | None
    any_median: float | None
    luck: float | None

    @property
    def better(self) -> float | None:
        """How much more than after any session."""
        return None if self.mean is None or self.any_mean is None else self.mean - self.any_mean


def passings(series: BreadthSeries, level: float, way: str) -> list[Passing]:
    """Each value that lies beyond the level where the one before did not: as `crosses above` and `crosses below` say in a rule."""
    x = series.smoothed
    if way not in WAYS:
        raise ValueError(f"A level is passed from {' or from '.join(WAYS)}, not from {way}.")
    with np.errstate(invalid="ignore"):
        over = x[1:] > level if way == "below" else x[1:] < level
        was = x[:-1] <= level if way == "below" else x[:-1] >= level
    found = []
    for i in (np.flatnonzero(over & was) + 1).tolist():
        found.append(Passing(i, int(series.days[i]), _extreme(x, i, level, way)))
    return found


def _extreme(x: Floats, i: int, level: float, way: str) -> float:
    if way == "below":
        begin = i - 1
        while begin > 0 and x[begin - 1] <= level:
            begin -= 1
        return float(x[begin:i].min())
    end = i
    while end + 1 < len(x) and x[end + 1] < level:
        end += 1
    return float(x[i : end + 1].min())


def index_closes(market: Market, symbol: str, days: Days) -> Floats:
    """The index's closes on those days, on the continuous scale; of its latest bar where it has none that day, unknown before its first."""
    bars = market.bars
    k = bars.number[symbol]
    part = slice(int(bars.offsets[k]), int(bars.offsets[k + 1]))
    at = np.searchsorted(bars.days[part], days, "right") - 1
    close = (bars.close * bars.factor if not bars.plain else bars.close)[part]
    return np.where(at >= 0, close[np.maximum(at, 0)], np.nan) if len(close) else np.full(len(days), np.nan)


def returns_after(close: Floats, horizon: int) -> Floats:
    """Of each value the return over the next `horizon` ones; NaN where they are still to come."""
    out = np.full(len(close), np.nan)
    if horizon < len(close):
        out[:-horizon] = close[horizon:] / close[:-horizon] - 1
    return out


def once_each(places: Ints, horizon: int) -> Bools:
    """Which passings count: none that comes within the horizon of the one counted before it."""
    keep, free = np.zeros(len(places), np.bool_), -1
    for i, place in enumerate(places.tolist()):
        if place >= free:
            keep[i], free = True, place + horizon
    return keep


def after(found: list[Passing], close: Floats, horizon: int, seed: int = 0) -> After:
    """What the index did after the passings at one horizon. close: the index's, one a value of the series."""
    every = returns_after(close, horizon)
    known = np.flatnonzero(~np.isnan(every))
    places = np.array([p.place for p in found], np.int64)
    returns = every[places] if len(places) else np.empty(0)
    counted = once_each(places, horizon) & ~np.isnan(returns)
    own = returns[counted]
    n = len(own)
    any_mean = float(every[known].mean()) if len(known) else None
    any_median = float(np.median(every[known])) if len(known) else None
    if not n:
        return After(horizon, returns, counted, 0, None, None, None, None, any_mean, any_median, None)
    mean = float(own.mean())
    low, high = None, None
    if n > 1:
        from scipy.stats import t as student  # a second of every start, and few ask for it

        half = float(student.ppf(0.975, n - 1)) * float(own.std(ddof=1)) / math.sqrt(n)
        low, high = mean - half, mean + half
    assert any_mean is not None
    return After(
        horizon, returns, counted, n, mean, float(np.median(own)), low, high, any_mean, any_median,
        luck_of(every[known], mean, any_mean, n, horizon, seed),
    )  # fmt: skip


def luck_of(returns: Floats, mean: float, any_mean: float, n: int, apart: int, seed: int = 0) -> float:
    """The share of random choices of `n` of the sessions, `apart` or more between two of them, whose mean is at least as good as `mean` where
    that is better than any session's, or at most as good where it is worse. The choice itself is counted as one of them, so that the share
    is never none (Davison and Hinkley, Bootstrap Methods and their Application, 1997, 4.2.5)."""
    draws = max(200, min(DRAWS, DRAWN_AT_ONCE // max(1, n)))
    means = returns[choices(len(returns), n, apart, draws, seed)].mean(axis=1)
    slack = 1e-12 * max(1.0, abs(mean))
    as_far = means >= mean - slack if mean >= any_mean else means <= mean + slack
    return (1 + int(as_far.sum())) / (1 + draws)


def choices(size: int, n: int, apart: int, draws: int, seed: int) -> Ints:
    """Random choices of n of `size` places, ascending, each at least `apart` after the one before, all such choices equally likely:
    draws × n. Where so many do not fit so far apart, as far as they do."""
    apart = max(1, min(apart, (size - 1) // (n - 1))) if n > 1 else 1
    room = size - (n - 1) * (apart - 1)
    draw = np.random.default_rng(seed)
    # n different places of the room that is left when the gaps are taken out, and the gaps put back.
    if n * 3 < room:
        found = np.sort(draw.integers(0, room, (draws, n)), axis=1)
        while (again := np.flatnonzero((np.diff(found, axis=1) == 0).any(axis=1))).size:
            found[again] = np.sort(draw.integers(0, room, (len(again), n)), axis=1)
            if again.size > 0.9 * draws:  # so many that hardly any draw holds no place twice
                break
        else:
            return found + np.arange(n) * (apart - 1)
    found = np.sort(draw.permuted(np.tile(np.arange(room), (draws, 1)), axis=1)[:, :n], axis=1)
    return np.asarray(found + np.arange(n) * (apart - 1), np.int64)
