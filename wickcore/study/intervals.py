"""How sure one can be: the Wilson interval and the day-block bootstrap."""

import math
from collections.abc import Iterator, Sequence

import numpy as np

from wickcore.bars.bars import Bools, Floats

Z95 = 1.959963984540054
DRAWS = 2_000


def wilson(wins: int, count: int) -> tuple[float, float]:
    """The 95% interval of a share (E. B. Wilson, JASA 22, 1927); (nan, nan) for no observations."""
    if count == 0:
        return math.nan, math.nan
    share, z2 = wins / count, Z95 * Z95
    middle = (share + z2 / (2 * count)) / (1 + z2 / count)
    half = Z95 * math.sqrt(share * (1 - share) / count + z2 / (4 * count * count)) / (1 + z2 / count)
    return max(0.0, middle - half), min(1.0, middle + half)


def day_block_interval(excess: Floats, day: "np.ndarray", block: int, seed: int, draws: int = DRAWS) -> tuple[float, float]:
    """The 95% interval of the mean excess when whole days are drawn in blocks of mean length `block`.

    excess: one a hit. day: the hit's session index. The sessions from the first to the last hit are resampled, those without hits
    too, by the stationary bootstrap (Politis and Romano, JASA 89, 1994); each draw's mean is its sum of excess over its number of
    hits. (nan, nan) under two distinct days.
    """
    (found,) = group_intervals(excess, day, [np.ones(len(excess), np.bool_)], block, seed, draws)
    return found


def group_intervals(
    excess: Floats, day: "np.ndarray", groups: Sequence[Bools], block: int, seed: int, draws: int = DRAWS
) -> list[tuple[float, float]]:
    """The interval of each group of hits, as `day_block_interval` says, all of them from the same draws of days."""
    nothing = (math.nan, math.nan)
    if len(np.unique(day)) < 2:
        return [nothing for _ in groups]
    place = day - day.min()
    size = int(place.max()) + 1
    total = np.stack([np.bincount(place[g], excess[g], minlength=size) for g in groups], axis=1)
    count = np.stack([np.bincount(place[g], minlength=size) for g in groups], axis=1).astype(np.float64)
    means = np.empty((draws, len(groups)))
    for first, times in drawn_days(size, block, seed, draws):
        number = times @ count
        means[first : first + len(times)] = np.where(number > 0, (times @ total) / np.maximum(number, 1.0), np.nan)
    found = []
    for i, group in enumerate(groups):
        if len(np.unique(day[group])) < 2 or np.all(np.isnan(means[:, i])):
            found.append(nothing)
        else:
            low, high = np.nanpercentile(means[:, i], [2.5, 97.5])
            found.append((float(low), float(high)))
    return found


def drawn_days(size: int, block: int, seed: int, draws: int) -> Iterator[tuple[int, Floats]]:
    """How often each of `size` days comes up in each draw, some hundred draws at a time: (number of the first draw, draws × days)."""
    # Imported here: it takes as long as everything else together, and a start that measures nothing does without.
    from arch.bootstrap import StationaryBootstrap

    resampler = StationaryBootstrap(block, np.arange(size), seed=np.random.default_rng(seed))
    for first in range(0, draws, 250):
        rows = min(250, draws - first)
        yield first, np.stack([np.bincount(resampler.update_indices(), minlength=size) for _ in range(rows)]).astype(np.float64)
