"""The figures of a run: what the account did, how, and beside what. Definitions are those of docs/statistics."""

import math
from collections import defaultdict
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from wickcore.bars.bars import Days, Floats
from wickcore.bars.market import Market
from wickcore.bars.moment import iso
from wickcore.book.paths import SESSIONS, Paths, annual, is_a_year, resampled
from wickcore.book.run import BookRun, Trade
from wickcore.study.intervals import DRAWS, ratio_intervals

MOST_FALLS, LEAST_TRADES = 10, 5


@dataclass(frozen=True, slots=True)
class Fall:
    """A fall from a peak. recovered: the day on which the peak was reached again, None where it has not been."""

    began: str
    bottom: str
    recovered: str | None
    depth: float
    days: int


@dataclass(frozen=True, slots=True)
class Curve:
    """What a series of money did. Fractions; a year is 252 sessions for what is daily, and 365.25 days for growth. None where it
    is unknown. Under a year nothing is annualised: annual, volatility, sharpe, sortino and mar are None."""

    annual: float | None
    total: float
    worst_fall: float
    volatility: float | None
    sharpe: float | None
    sortino: float | None
    mar: float | None

    @property
    def rate(self) -> float:
        """By which runs are compared: the annual return, or all of it under a year."""
        return self.total if self.annual is None else self.annual


@dataclass(frozen=True, slots=True)
class Figures:
    """A run in numbers; fractions and money. Trades are whole positions that have ended; what is still open is none of them."""

    annual: float | None
    total: float
    worst_fall: float
    volatility: float | None
    sharpe: float | None
    sortino: float | None
    mar: float | None
    exposure: float
    return_per_exposure: float | None
    end: float
    trades: int
    win_rate: float | None
    win_rate_low: float | None
    win_rate_high: float | None
    payoff: float | None
    profit_factor: float | None
    expectancy_r: float | None
    expectancy_r_low: float | None
    expectancy_r_high: float | None
    mean_gain: float | None
    bars_held: float | None
    turnover: float | None
    costs: float
    dividends: float
    interest: float
    borrow: float
    worst_cases: int
    ruined: bool

    @property
    def rate(self) -> float:
        """As of `Curve`."""
        return self.total if self.annual is None else self.annual


def returns_of(equity: Floats, start: float) -> Floats:
    """The return of each session, the first against the beginning."""
    before = np.concatenate([[start], equity[:-1]])
    return np.where(before > 0.0, equity / np.where(before > 0.0, before, 1.0) - 1.0, 0.0)


def falls_of(days: Days, equity: Floats, start: float) -> Floats:
    """How far under the highest so far each session ends, at most 0."""
    return np.asarray(equity / np.maximum.accumulate(np.maximum(equity, start)) - 1.0)


def span_days(days: Days) -> float:
    return max(1.0, float(days[-1] - days[0]))


def curve_of(days: Days, money: Floats, start: float) -> Curve:
    """The figures of a series of money, by session."""
    r = returns_of(money, start)
    growth = float(money[-1] / start)
    spread = float(np.std(r, ddof=1)) if len(r) > 1 else 0.0
    below = math.sqrt(float(np.mean(np.minimum(r, 0.0) ** 2)))
    fall = float(np.min(falls_of(days, money, start)))
    yearly = annual(growth, span_days(days))
    if not is_a_year(span_days(days)):
        return Curve(None, growth - 1.0, fall, None, None, None, None)
    return Curve(
        yearly, growth - 1.0, fall, spread * math.sqrt(SESSIONS) if len(r) > 1 else None,
        float(np.mean(r)) / spread * math.sqrt(SESSIONS) if spread > 0 else None,
        float(np.mean(r)) / below * math.sqrt(SESSIONS) if below > 0 else None, yearly / -fall if fall < 0 else None,
    )  # fmt: skip


@dataclass(frozen=True, slots=True)
class Whole:
    """A position with all its parts together. place: which of its day's entries it was, from 1."""

    number: int
    symbol: str
    rule: str
    side: str
    entry_day: int
    exit_day: int
    money: float
    result: float
    gain: float
    gain_r: float | None
    bars_held: int
    reason: str
    place: int


def wholes(trades: Sequence[Trade]) -> list[Whole]:
    """Positions that have ended, in the order of their last exit."""
    parts: dict[int, list[Trade]] = defaultdict(list)
    for x in trades:
        parts[x.number].append(x)
    places: dict[int, int] = defaultdict(int)
    place_of = {}
    for number in sorted(parts):
        places[parts[number][0].entry_day] += 1
        place_of[number] = places[parts[number][0].entry_day]
    found = []
    for number, own in parts.items():
        last = own[-1]
        if last.open:
            continue
        money = sum(x.shares * x.entry for x in own)
        result = sum(x.result for x in own)
        r = None
        if own[0].gain_r is not None and own[0].stop is not None:
            risk = sum(x.shares for x in own) * abs(own[0].entry - own[0].stop)
            r = result / risk if risk > 0 else None
        found.append(
            Whole(number, last.symbol, last.rule, last.side, last.entry_day, last.exit_day, money, result, result / money, r,
                  max(x.bars_held for x in own), last.reason, place_of[number])
        )  # fmt: skip
    return found


def figures(run: BookRun, seed: int = 1) -> tuple[Figures, Paths | None]:
    """A run's figures, and the intervals of what hangs on the order of its days."""
    days, equity = run.daily
    start = run.prepared.book.start
    curve = curve_of(days, equity, start)
    ended = wholes(run.trades)
    share = np.divide(run.gross, run.equity, out=np.zeros(len(run.equity)), where=run.equity > 0)
    exposure = float(np.mean(share))
    won, lost = [w for w in ended if w.result > 0], [w for w in ended if w.result <= 0]
    gain, loss = _mean([w.gain for w in won]), _mean([w.gain for w in lost])
    in_r = [w for w in ended if w.gain_r is not None]
    years = span_days(days) / 365.25
    bought = sum(x.shares * x.entry for x in run.trades)
    rate, expectancy = _intervals(run, ended, in_r, seed)
    lost_money = -sum(w.result for w in lost)
    found = Figures(
        **{name: getattr(curve, name) for name in Curve.__slots__}, exposure=exposure,
        return_per_exposure=curve.annual / exposure if exposure > 0 and curve.annual is not None else None,
        end=float(equity[-1]), trades=len(ended),
        win_rate=len(won) / len(ended) if ended else None, win_rate_low=rate[0], win_rate_high=rate[1],
        payoff=gain / -loss if gain is not None and loss else None,
        profit_factor=sum(w.result for w in won) / lost_money if lost_money > 0 else None,
        expectancy_r=_mean([w.gain_r for w in in_r if w.gain_r is not None]), expectancy_r_low=expectancy[0], expectancy_r_high=expectancy[1],
        mean_gain=_mean([w.gain for w in ended]), bars_held=_mean([float(w.bars_held) for w in ended]),
        turnover=bought / years / float(np.mean(equity)) if curve.annual is not None and np.mean(equity) > 0 else None,
        costs=sum(x.costs for x in run.trades), dividends=sum(x.dividends for x in run.trades), interest=run.interest, borrow=run.borrow,
        worst_cases=run.worst_cases, ruined=run.ruined,
    )  # fmt: skip
    return found, resampled(returns_of(equity, start), span_days(days), seed)


def _mean(values: Sequence[float]) -> float | None:
    return float(np.mean(values)) if len(values) else None


Interval = tuple[float | None, float | None]


def _intervals(run: BookRun, ended: list[Whole], in_r: list[Whole], seed: int) -> tuple[Interval, Interval]:
    """95% intervals of the win rate and of the mean R: whole days of entries are drawn in blocks as long as a position is held in
    the mean."""
    if len(ended) < LEAST_TRADES:
        return (None, None), (None, None)
    days, _ = run.daily
    held = np.searchsorted(days, [w.exit_day for w in ended]) - np.searchsorted(days, [w.entry_day for w in ended])
    block = max(1, round(float(np.mean(held))))  # in days, whatever the book's bars are
    columns = []
    for some, value in ((ended, lambda w: float(w.result > 0)), (in_r, lambda w: w.gain_r)):
        place = np.searchsorted(days, [w.entry_day for w in some])
        columns.append((np.bincount(place, [value(w) for w in some], len(days)) if some else np.zeros(len(days)), place, some))
    total = np.stack([c[0] for c in columns], axis=1).astype(np.float64)
    count = np.stack([np.bincount(c[1], minlength=len(days)) if c[2] else np.zeros(len(days)) for c in columns], axis=1).astype(
        np.float64
    )
    found = ratio_intervals(total, count, block, seed, DRAWS)
    both = [(float(a) if np.isfinite(a) else None, float(b) if np.isfinite(b) else None) for a, b in found]
    return both[0], both[1]


# -- beside the benchmark, and in parts -------------------------------------------------------------------------------------


def benchmark_of(run: BookRun) -> Floats | None:
    """The benchmark bought at the first session's close and held with its dividends: money by session, as much at the beginning as
    the book.
    None where the market has none, or none on these days."""
    return benchmark_money(run.prepared.market, run.daily[0], run.prepared.book.start)


def benchmark_money(market: Market, days: Days, start: float) -> Floats | None:
    """As `benchmark_of`, on any sessions."""
    bars, symbol = market.bars, market.benchmark
    if symbol is None or symbol not in bars.number:
        return None
    k = bars.number[symbol]
    own = slice(int(bars.offsets[k]), int(bars.offsets[k + 1]))
    at = np.searchsorted(bars.days[own], days, "right") - 1
    if not len(days) or at[0] < 0:
        return None
    money = (bars.close[own] * bars.factor[own])[at]
    return np.asarray(money / money[0] * start)


def months(days: Days, money: Floats, start: float) -> list[dict[str, Any]]:
    """By year: its return, and that of each month, None for those outside."""
    month = days.astype("datetime64[D]").astype("datetime64[M]").astype(np.int64)
    ends = np.append(np.flatnonzero(np.diff(month)), len(month) - 1)
    found: dict[int, dict[str, Any]] = {}
    before, year_before = start, start
    for at in ends.tolist():
        year, place = 1970 + int(month[at]) // 12, int(month[at]) % 12
        if year not in found:
            found[year] = {"year": year, "months": [None] * 12, "whole": None}
            year_before = before
        found[year]["months"][place] = float(money[at] / before - 1.0) if before > 0 else None
        found[year]["whole"] = float(money[at] / year_before - 1.0) if year_before > 0 else None
        before = float(money[at])
    return list(found.values())


def worst_falls(days: Days, money: Floats, start: float, most: int = MOST_FALLS) -> list[Fall]:
    """The deepest falls from a peak that do not overlap, the deepest first."""
    under = falls_of(days, money, start)
    found, begin = [], None
    for i in range(len(under) + 1):
        down = i < len(under) and under[i] < 0.0
        if down and begin is None:
            begin = i
        elif not down and begin is not None:
            bottom = begin + int(np.argmin(under[begin:i]))
            peak = days[max(begin - 1, 0)]
            end = days[i] if i < len(under) else None
            last = days[i] if i < len(under) else days[-1]
            found.append(
                Fall(
                    iso(int(peak)),
                    iso(int(days[bottom])),
                    None if end is None else iso(int(end)),
                    float(under[bottom]),
                    int(last - peak),
                )
            )
            begin = None
    return sorted(found, key=lambda f: f.depth)[:most]


def rolling_year(days: Days, money: Floats, start: float) -> list[dict[str, Any]]:
    """The return of the 252 sessions before each month's last session."""
    year = int(SESSIONS)
    if len(money) <= year:
        return []
    month = days.astype("datetime64[D]").astype("datetime64[M]").astype(np.int64)
    ends = np.append(np.flatnonzero(np.diff(month)), len(month) - 1)
    return [
        {"day": iso(int(days[i])), "value": float(money[i] / money[i - year] - 1.0)}
        for i in ends.tolist()
        if i >= year and money[i - year] > 0
    ]


def breakdowns(run: BookRun) -> dict[str, list[dict[str, Any]]]:
    """Ended positions by rule, reason of the exit, side, rank among their day's entries, and sector: how many, how often they
    gained, mean gain
    and R, and the money they made."""
    ended = wholes(run.trades)
    market = run.prepared.market
    sectors = market.texts.get("sector", ())

    def by(key: Callable[[Whole], str]) -> list[dict[str, Any]]:
        groups: dict[str, list[Whole]] = defaultdict(list)
        for w in ended:
            groups[key(w)].append(w)
        return [{"label": label, **_of_all(own)} for label, own in sorted(groups.items())]

    found = {"rule": by(lambda w: w.rule), "reason": by(lambda w: w.reason), "side": by(lambda w: w.side)}
    found["rank"] = by(lambda w: f"{w.place}." if w.place < 6 else "6. and later")
    if sectors:
        found["sector"] = by(lambda w: sectors[market.bars.number[w.symbol]] or "none told")
    return found


def _of_all(own: list[Whole]) -> dict[str, Any]:
    in_r = [w.gain_r for w in own if w.gain_r is not None]
    return {
        "trades": len(own), "win_rate": sum(w.result > 0 for w in own) / len(own), "mean_gain": _mean([w.gain for w in own]),
        "expectancy_r": _mean(in_r), "result": sum(w.result for w in own),
    }  # fmt: skip
