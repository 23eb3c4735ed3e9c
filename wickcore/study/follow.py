"""Follow-through: what prices did after a rule's hits, beside what the universe did on the same days."""

import math
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from wickcore.bars.bars import Bools, Floats, Ints
from wickcore.language.rule import CheckedRule
from wickcore.scan.evaluate import Evaluator, Limits
from wickcore.scan.scan import hit_truth
from wickcore.study import returns
from wickcore.study.intervals import day_block_interval, wilson

HORIZONS = (1, 2, 3, 5, 10, 20, 60)
MAX_HORIZON = 500
SMALL_SAMPLE_DAYS = 30


@dataclass(frozen=True, slots=True)
class StudySettings:
    """first, last: the days hits may fall on (days since 1970), None for all. as_of: nothing after it is seen. cost, slippage: a
    fraction a side. entry: next-open or signal-close; a rule that decides at the open enters at that open."""

    horizons: tuple[int, ...] = HORIZONS
    first: int | None = None
    last: int | None = None
    as_of: int | None = None
    entry: str = "next-open"
    repeats: str = "fresh"
    cost: float = 0.001
    slippage: float = 0.0
    seed: int = 1
    draws: int = 2_000


@dataclass(frozen=True, slots=True)
class HorizonFigures:
    """Figures at one horizon, as docs/statistics.md defines them. Fractions; None where there is nothing to say."""

    bars: int
    count: int
    pending: int
    delisted: int
    instruments: int
    days: int
    small_sample: bool
    win_rate: float | None
    win_rate_low: float | None
    win_rate_high: float | None
    mean: float | None
    median: float | None
    stdev: float | None
    average_win: float | None
    average_loss: float | None
    payoff: float | None
    profit_factor: float | None
    baseline: float | None
    excess: float | None
    excess_low: float | None
    excess_high: float | None
    histogram: dict[str, list[float]] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class Event:
    """One hit that was entered. entry: the price paid as printed; returns by horizon, None while pending."""

    number: int
    symbol: str
    position: int
    day: int
    entry_day: int | None
    entry: float | None
    returns: dict[int, float | None]


@dataclass(frozen=True, slots=True)
class Study:
    settings: StudySettings
    hits: int
    no_entry: int
    horizons: tuple[HorizonFigures, ...]
    events: tuple[Event, ...]


def study(
    evaluator: Evaluator,
    rule: CheckedRule,
    settings: StudySettings,
    members: Bools | None = None,
    limits: Limits | None = None,
    progress: Callable[[str, float], None] = lambda stage, share: None,
) -> Study:
    """Measures the rule's follow-through over history.

    members: for each bar whether it belongs to the universe. progress: told the stage and the share done. Raises Stopped when
    `limits` say so, ValueError on settings that mean nothing.
    """
    _validate(settings)
    progress("Evaluating the lines", 0.0)
    market = evaluator.market
    bars = market.bars
    as_of = bars.last_day if settings.as_of is None else settings.as_of
    steps = returns.Steps.of(market, rule.frame, as_of)
    at = steps.positions
    hits = hit_truth(evaluator, rule, members, limits)
    hits = hits if len(at) == len(bars) else hits[at]
    chosen = returns.choose_hits(hits, steps.offsets, settings.repeats, max(settings.horizons))
    where = np.flatnonzero(chosen)
    day = bars.days[at[where]]
    where = where[(day >= (settings.first or day.min(initial=0))) & (day <= (settings.last or day.max(initial=0)))]
    entry = returns.SAME_OPEN if rule.decide == "open" else returns.ENTRIES[settings.entry]
    side = 1 if rule.side == "long" else -1
    cost = 2 * (settings.cost + settings.slippage)
    belongs = np.ones(len(at), np.bool_) if members is None else members[at]
    figures, columns, statuses = [], {}, []
    for i, h in enumerate(settings.horizons):
        progress(f"Measuring {h} bars ahead", (i + 1) / (len(settings.horizons) + 1))
        if limits is not None:
            limits.check()
        values, status, base = returns.follow(market, steps, as_of, where, belongs, h, entry, side, cost)
        columns[h] = values
        statuses.append(status)
        figures.append(_figures(h, values, status, base[bars.session[at[where]]], at[where], evaluator, settings))
    no_entry = int(np.sum(statuses[0] == returns.NO_ENTRY)) if statuses else 0
    events = _events(evaluator, at[where], columns, entry, as_of)
    return Study(settings, len(where), no_entry, tuple(figures), events)


def _validate(settings: StudySettings) -> None:
    if not settings.horizons or any(not 1 <= h <= MAX_HORIZON for h in settings.horizons):
        raise ValueError(f"Horizons are whole numbers of bars from 1 to {MAX_HORIZON}.")
    if settings.entry not in ("next-open", "signal-close"):
        raise ValueError("The entry is next-open or signal-close.")
    if settings.repeats not in ("fresh", "every", "apart"):
        raise ValueError("Repeats are fresh, every or apart.")
    if not 0 <= settings.cost < 1 or not 0 <= settings.slippage < 1:
        raise ValueError("Costs and slippage are fractions from 0 to below 1.")


def _figures(
    h: int, values: Floats, status: Ints, base: Floats, positions: Ints, evaluator: Evaluator, settings: StudySettings
) -> HorizonFigures:
    bars = evaluator.market.bars
    known = ~np.isnan(values)
    r, day = values[known], bars.session[positions[known]]
    excess = r - base[known]
    wins, losses = r[r > 0], r[r < 0]
    low, high = wilson(len(wins), len(r))
    excess_low, excess_high = day_block_interval(excess, day, h, settings.seed + h, settings.draws)
    won, lost = _mean(wins), _mean(losses)
    distinct = len(np.unique(day))
    return HorizonFigures(
        bars=h,
        count=len(r),
        pending=int(np.sum(status == returns.PENDING)),
        delisted=int(np.sum(status == returns.DELISTED)),
        instruments=len(np.unique(bars.owner[positions[known]])),
        days=distinct,
        small_sample=distinct < SMALL_SAMPLE_DAYS,
        win_rate=len(wins) / len(r) if len(r) else None,
        win_rate_low=_known(low),
        win_rate_high=_known(high),
        mean=_mean(r),
        median=float(np.median(r)) if len(r) else None,
        stdev=float(np.std(r, ddof=1)) if len(r) > 1 else None,
        average_win=won,
        average_loss=lost,
        payoff=won / abs(lost) if won is not None and lost else None,
        profit_factor=float(wins.sum() / abs(losses.sum())) if len(losses) and len(r) else None,
        baseline=_mean(base[known]),
        excess=_mean(excess),
        excess_low=_known(excess_low),
        excess_high=_known(excess_high),
        histogram=histogram(r),
    )


def _mean(values: Floats) -> float | None:
    return float(np.mean(values)) if len(values) else None


def _known(value: float) -> float | None:
    return None if math.isnan(value) else value


def histogram(values: Floats) -> dict[str, list[float]]:
    """Counts in about thirty bins of one round width, with zero on an edge so that gains and losses never share a bin."""
    if not len(values):
        return {"edges": [], "counts": []}
    low, high = np.percentile(values, [1, 99])
    raw = max(high - low, 1e-4) / 28
    scale = 10.0 ** math.floor(math.log10(raw))
    width = next(scale * step for step in (1, 2, 2.5, 5, 10) if scale * step >= raw)
    first, last = math.floor(low / width), max(math.ceil(high / width), math.floor(low / width) + 1)
    edges = np.arange(first, last + 1) * width
    counts, _ = np.histogram(np.clip(values, edges[0], np.nextafter(edges[-1], -np.inf)), edges)
    return {"edges": [float(e) for e in edges], "counts": [float(c) for c in counts]}


def _events(evaluator: Evaluator, positions: Ints, columns: dict[int, Floats], entry: int, as_of: int) -> tuple[Event, ...]:
    bars = evaluator.market.bars
    ends = bars.ends(as_of)
    found: list[Any] = []
    for i, position in enumerate(positions):
        number = int(bars.owner[position])
        at = int(position) + (1 if entry == returns.NEXT_OPEN else 0)
        there = at < int(ends[number])
        price = (bars.close if entry == returns.SIGNAL_CLOSE else bars.open)[at] if there else None
        found.append(
            Event(
                number, bars.symbols[number], int(position), int(bars.days[position]), int(bars.days[at]) if there else None,
                None if price is None else float(price), {h: _known(float(column[i])) for h, column in columns.items()},
            )
        )  # fmt: skip
    found.sort(key=lambda e: (e.day, e.symbol))
    return tuple(found)
