"""What a stop would have done to the hits of a study."""

from dataclasses import dataclass

import numpy as np

from wickcore.study.sample import Sample, mean


@dataclass(frozen=True, slots=True)
class StopFigures:
    """stopped: share of the hits that met the stop on the way. Figures as they would have been; None without hits. saved, lost: of those
    stopped, how many would have ended worse than the stop, and how many better."""

    stop: float
    count: int
    stopped: float | None
    win_rate: float | None
    mean: float | None
    median: float | None
    excess: float | None
    saved: int
    lost: int


def with_stop(sample: Sample, stop: float, cost: float) -> StopFigures:
    """The sample with every position closed once it stood `stop` (a fraction, above zero) below its entry.

    Filled at the stop itself: a bar that opens beyond it fills worse, which the excursions do not tell, so this is the kindest stop there
    is. cost: the whole round trip. Raises ValueError for a stop out of range.
    """
    if not 0 < stop < 1:
        raise ValueError("A stop is above 0% and below 100%.")
    met = sample.adverse <= -stop
    filled = -stop - cost
    r = np.where(met, filled, sample.returns)
    return StopFigures(
        stop,
        len(r),
        float(np.mean(met)) if len(r) else None,
        float(np.mean(r > 0)) if len(r) else None,
        mean(r),
        float(np.median(r)) if len(r) else None,
        mean(r - sample.baseline),
        int(np.sum(met & (sample.returns < filled))),
        int(np.sum(met & (sample.returns > filled))),
    )
