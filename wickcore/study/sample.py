"""The hits counted at one horizon, and the figures of any part of them."""

import math
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from wickcore.bars.bars import Bools, Floats, Ints
from wickcore.study.intervals import wilson

SMALL_SAMPLE_DAYS, SMALL_GROUP = 30, 20


@dataclass(frozen=True, slots=True)
class Sample:
    """One value a counted hit.

    returns, baseline: fractions, the baseline that of the hit's day. session: index of the hit's day among the sessions. owner: number of
    its instrument. place: its number among all hits of the study. favourable, adverse: the largest moves for and against the position
    from entry to exit, by highs and lows, at least 0 and at most 0, before costs.
    """

    bars: int
    returns: Floats
    baseline: Floats
    session: Ints
    owner: Ints
    place: Ints
    favourable: Floats
    adverse: Floats

    def part(self, mask: Bools) -> "Sample":
        """Only the hits that are marked."""
        return Sample(
            self.bars, self.returns[mask], self.baseline[mask], self.session[mask], self.owner[mask], self.place[mask],
            self.favourable[mask], self.adverse[mask],
        )  # fmt: skip

    @property
    def excess(self) -> Floats:
        return self.returns - self.baseline

    @property
    def won(self) -> Floats:
        """1 for each hit above zero, 0 for the others: their mean is the win rate."""
        return (self.returns > 0).astype(np.float64)


@dataclass(frozen=True, slots=True)
class Spread:
    """Mean and percentiles of one quantity."""

    mean: float | None
    p5: float | None
    p25: float | None
    p50: float | None
    p75: float | None
    p95: float | None


@dataclass(frozen=True, slots=True)
class HorizonFigures:
    """Figures at one horizon, as docs/statistics.md defines them. Fractions; None where there is nothing to say. wilson_low, wilson_high: the
    win rate's interval as it would be if no two hits had shared a day's luck."""

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
    wilson_low: float | None
    wilson_high: float | None
    mean: float | None
    median: float | None
    median_low: float | None
    median_high: float | None
    stdev: float | None
    average_win: float | None
    average_loss: float | None
    payoff: float | None
    profit_factor: float | None
    expectancy: float | None
    spread: Spread
    best: float | None
    best_symbol: str | None
    worst: float | None
    worst_symbol: str | None
    favourable: Spread
    adverse: Spread
    baseline: float | None
    excess: float | None
    excess_low: float | None
    excess_high: float | None
    histogram: dict[str, list[float]] = field(default_factory=dict)


def figures(
    sample: Sample,
    symbols: tuple[str, ...],
    interval: tuple[float, float],
    pending: int = 0,
    delisted: int = 0,
    drawn: bool = True,
    middle: tuple[float, float] = (math.nan, math.nan),
    share: tuple[float, float] = (math.nan, math.nan),
) -> HorizonFigures:
    """The figures of a sample. interval: that of its mean excess; middle: of its median; share: of its win rate. drawn: whether its histogram
    is wanted too."""
    r = sample.returns
    wins, losses = r[r > 0], r[r < 0]
    low, high = wilson(len(wins), len(r))
    won, lost = mean(wins), mean(losses)
    distinct = len(np.unique(sample.session))
    best, worst = (int(np.argmax(r)), int(np.argmin(r))) if len(r) else (0, 0)
    return HorizonFigures(
        bars=sample.bars,
        count=len(r),
        pending=pending,
        delisted=delisted,
        instruments=len(np.unique(sample.owner)),
        days=distinct,
        small_sample=distinct < SMALL_SAMPLE_DAYS,
        win_rate=len(wins) / len(r) if len(r) else None,
        win_rate_low=known(share[0]),
        win_rate_high=known(share[1]),
        wilson_low=known(low),
        wilson_high=known(high),
        mean=mean(r),
        median=float(np.median(r)) if len(r) else None,
        median_low=known(middle[0]),
        median_high=known(middle[1]),
        stdev=float(np.std(r, ddof=1)) if len(r) > 1 else None,
        average_win=won,
        average_loss=lost,
        payoff=won / abs(lost) if won is not None and lost else None,
        profit_factor=float(wins.sum() / abs(losses.sum())) if len(losses) and len(r) else None,
        expectancy=(len(wins) * (won or 0.0) + len(losses) * (lost or 0.0)) / len(r) if len(r) else None,
        spread=spread(r),
        best=float(r[best]) if len(r) else None,
        best_symbol=symbols[sample.owner[best]] if len(r) else None,
        worst=float(r[worst]) if len(r) else None,
        worst_symbol=symbols[sample.owner[worst]] if len(r) else None,
        favourable=spread(sample.favourable),
        adverse=spread(sample.adverse),
        baseline=mean(sample.baseline),
        excess=mean(sample.excess),
        excess_low=known(interval[0]),
        excess_high=known(interval[1]),
        histogram=histogram(r) if drawn else {},
    )


def spread(values: Floats) -> Spread:
    """Mean and percentiles, by linear interpolation between order statistics."""
    if not len(values):
        return Spread(None, None, None, None, None, None)
    return Spread(float(np.mean(values)), *(float(p) for p in np.percentile(values, [5, 25, 50, 75, 95])))


def mean(values: Floats) -> float | None:
    return float(np.mean(values)) if len(values) else None


def known(value: Any) -> float | None:
    return None if math.isnan(value) else float(value)


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
