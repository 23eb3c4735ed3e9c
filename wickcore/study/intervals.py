"""How sure one can be: the Wilson interval and the day-block bootstrap."""

import math

import numpy as np

from wickcore.bars.bars import Floats

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
    if len(excess) == 0 or len(np.unique(day)) < 2:
        return math.nan, math.nan
    # Imported here: it takes as long as everything else together, and a start that measures nothing does without.
    from arch.bootstrap import StationaryBootstrap

    place = day - day.min()
    total = np.bincount(place, excess)
    count = np.bincount(place).astype(np.float64)
    resampler = StationaryBootstrap(block, total, count, seed=np.random.default_rng(seed))
    means = np.empty(draws)
    for i in range(draws):
        drawn = resampler.update_indices()
        number = count[drawn].sum()
        means[i] = total[drawn].sum() / number if number else math.nan
    low, high = np.nanpercentile(means, [2.5, 97.5])
    return float(low), float(high)
