"""How good the best of many tries would look by luck."""

from dataclasses import dataclass

import numpy as np

from wickcore.bars.bars import Floats, Ints
from wickcore.study.intervals import Span
from wickcore.study.sample import Sample

REPS, LEAST_DAYS = 1_000, 30


@dataclass(frozen=True, slots=True)
class SuperiorAbility:
    """best: number of the try with the highest mean daily excess. mean: that mean, a session, days without hits counted as zero.
    p: chance that the best of so many tries with no edge at all would look as good, None with too few days to say."""

    tried: int
    best: int
    mean: float
    p: float | None


def daily_excess(sample: Sample) -> tuple[Ints, Floats]:
    """The sessions with counted hits, ascending, and the sum of the excess of each one's hits: each hit counts alike, as it does in the mean
    and its interval."""
    if not len(sample.session):
        return np.empty(0, np.int64), np.empty(0)
    sessions, place = np.unique(sample.session, return_inverse=True)
    return sessions, np.bincount(place, sample.excess).astype(np.float64)


def laid_out(series: tuple[Ints, Floats], span: Span) -> Floats:
    """A series of some sessions over all sessions of the span, zero where there was no hit: money that stayed idle gained nothing on
    the market."""
    out = np.zeros(span[1])
    sessions, values = series
    inside = (sessions >= span[0]) & (sessions < span[0] + span[1])
    out[sessions[inside] - span[0]] = values[inside]
    return out


def superior_ability(series: "list[Floats]", block: int, seed: int, reps: int = REPS) -> SuperiorAbility:
    """The test for superior predictive ability (P. R. Hansen, Journal of Business & Economic Statistics 23, 2005), its consistent p-value.

    series: the daily excess of each try over the same sessions. block: mean length of the blocks of days that are drawn. The benchmark is
    an excess of zero; resampling and statistic are those of the library `arch`.
    """
    from arch.bootstrap import SPA

    table = np.stack(series, axis=1)
    means = table.mean(axis=0)
    best = int(np.argmax(means))
    # Tries that never hit, or hit on a day or two, have no spread to be judged by.
    judged = np.flatnonzero((table != 0).sum(axis=0) >= 2)
    p = None
    if len(judged) and int((table != 0).any(axis=1).sum()) >= LEAST_DAYS:
        test = SPA(np.zeros(len(table)), -table[:, judged], block_size=block, reps=reps, seed=np.random.default_rng(seed))
        test.compute()
        # So many draws cannot show a smaller chance than one of them.
        p = max(float(test.pvalues["consistent"]), 1.0 / reps)
    return SuperiorAbility(len(series), best, float(means[best]), p)
