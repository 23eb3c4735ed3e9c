"""Two studies side by side: what one has that the other has not, and whether the difference is more than chance."""

from dataclasses import dataclass

import numpy as np

from wickcore.bars.bars import Bools, Floats, Ints
from wickcore.study.follow import Study
from wickcore.study.intervals import DRAWS, Span, drawn_means
from wickcore.study.sample import HorizonFigures, Sample, figures, known
from wickcore.study.verdict import percent


@dataclass(frozen=True, slots=True)
class Difference:
    """excess: the second's mean excess less the first's, with its 95% interval: both are resampled by the same draws of days, so what
    they share cancels out. None where either has nothing to say."""

    bars: int
    excess: float | None
    low: float | None
    high: float | None


@dataclass(frozen=True, slots=True)
class Comparison:
    """both, only_first, only_second: bars of the hits, ascending. figures: at one horizon, of the hits in both (as the second enters
    them), and of those in one only; without intervals of their own."""

    both: Ints
    only_first: Ints
    only_second: Ints
    differences: tuple[Difference, ...]
    shared: HorizonFigures
    lost: HorizonFigures
    gained: HorizonFigures


def compare(first: Study, second: Study, horizon: int, symbols: tuple[str, ...]) -> Comparison:
    """Compares two studies of one market. horizon: one that both measured."""
    both = np.intersect1d(first.positions, second.positions)
    differences = tuple(difference(first, second, h) for h in sorted(first.samples.keys() & second.samples.keys()))
    a, b = first.samples[horizon], second.samples[horizon]
    in_a, in_b = np.isin(first.positions[a.place], both), np.isin(second.positions[b.place], both)

    def of(sample: Sample, mask: Bools) -> HorizonFigures:
        return figures(sample.part(mask), symbols, (np.nan, np.nan), drawn=False)

    return Comparison(
        both,
        np.setdiff1d(first.positions, both),
        np.setdiff1d(second.positions, both),
        differences,
        of(b, in_b),
        of(a, ~in_a),
        of(b, ~in_b),
    )


def difference_verdict(found: Difference) -> str:
    """Whether the second is better, in a sentence that says no more than the interval."""
    bars = "1 bar" if found.bars == 1 else f"{found.bars} bars"
    if found.excess is None or found.low is None or found.high is None:
        return f"One of the two has nothing to say at {bars}."
    interval = f"({percent(found.low)} to {percent(found.high)})"
    if found.low > 0:
        return f"The second is better by {percent(found.excess)} a hit at {bars} {interval}."
    if found.high < 0:
        return f"The second is worse by {percent(-found.excess)} a hit at {bars} {interval}."
    return f"No difference shown at {bars}: {percent(found.excess)} a hit, and the interval holds zero {interval}."


def difference(first: Study, second: Study, horizon: int, draws: int = DRAWS) -> Difference:
    """How much more mean excess the second has than the first at one horizon, with the interval of that difference."""
    a, b = first.samples[horizon], second.samples[horizon]
    if not len(a.returns) or not len(b.returns):
        return Difference(horizon, None, None, None)
    span = _span(first, second)
    columns = [_by_day(sample, span) for sample in (a, b)]
    total, count = (np.stack([column[i] for column in columns], axis=1) for i in (0, 1))
    seed = second.settings.seed + horizon
    means = drawn_means(total, count, horizon, seed, draws)
    apart = means[:, 1] - means[:, 0]
    low, high = (np.nan, np.nan) if np.all(np.isnan(apart)) else np.nanpercentile(apart, [2.5, 97.5])
    return Difference(horizon, float(np.mean(b.excess) - np.mean(a.excess)), known(low), known(high))


def _by_day(sample: Sample, span: Span) -> tuple[Floats, Floats]:
    place = sample.session - span[0]
    total = np.bincount(place, sample.excess, minlength=span[1]).astype(np.float64)
    return total, np.bincount(place, minlength=span[1]).astype(np.float64)


def _span(first: Study, second: Study) -> Span:
    spans = [study.span for study in (first, second) if study.span is not None]
    begin = min(s[0] for s in spans)
    return begin, max(s[0] + s[1] for s in spans) - begin
