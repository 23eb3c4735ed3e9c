"""What might have been: the daily returns of a run drawn again in blocks (stationary bootstrap, Politis and Romano, JASA 89,
1994)."""

from dataclasses import dataclass
from functools import lru_cache

import numpy as np
import numpy.typing as npt
from numba import njit

from wickcore.bars.bars import Floats

PATHS, LEAST_DAYS, LEAST_BLOCK = 1_000, 60, 5
LOSSES = (0.10, 0.25, 0.50)
SESSIONS = 252.0  # a year (common practice)
LEAST_YEAR = 360.0  # calendar days from the first to the last session of a year of sessions
Places = npt.NDArray[np.int32]


def is_a_year(days: float) -> bool:
    """Whether so many calendar days are a year or more, so that what happened in them may be said a year (common practice, as performance
    standards have it: returns of less than a year are not annualised)."""
    return days >= LEAST_YEAR


def annual(growth: float, days: float) -> float:
    """The growth of money a year, by calendar days / 365.25; -1 where nothing is left. Under a year the growth as it is."""
    if not is_a_year(days):
        return growth - 1.0
    years = days / 365.25
    return float(growth ** (1.0 / years) - 1.0) if growth > 0.0 and years > 0.0 else (-1.0 if growth <= 0.0 else growth - 1.0)


@lru_cache(maxsize=4)
def draws_of(size: int, block: int, seed: int, paths: int = PATHS) -> Places:
    """The sessions of each path, paths × sessions: the same for all runs of one length, so that what is compared shares its
    draws."""
    from arch.bootstrap import StationaryBootstrap

    resampler = StationaryBootstrap(block, np.arange(size), seed=np.random.default_rng(seed))
    found = np.empty((paths, size), np.int32)
    for i in range(paths):
        found[i] = resampler.update_indices()
    found.setflags(write=False)
    return found


def block_of(returns: Floats) -> int:
    """The mean length of the blocks: what the returns' own dependence asks for (Politis and White, 2004, as the library `arch` has
    it), a week
    at least."""
    from arch.bootstrap import optimal_block_length

    if len(returns) < LEAST_DAYS or not np.ptp(returns) > 0.0:
        return LEAST_BLOCK
    found = float(optimal_block_length(returns)["stationary"].iloc[0])
    return int(min(max(LEAST_BLOCK, np.ceil(found)), len(returns) // 4)) if np.isfinite(found) else LEAST_BLOCK


@njit(nogil=True, cache=True)
def walk_paths(returns: Floats, draws: Places, growth: Floats, fall: Floats, least: Floats) -> None:
    """For each path the money at its end, its worst fall from a peak (at most 0) and the least it stood at, of 1 at the
    beginning."""
    for i in range(len(draws)):
        money, peak, worst, low = 1.0, 1.0, 0.0, 1.0
        for j in range(draws.shape[1]):
            money *= 1.0 + returns[draws[i, j]]
            peak = max(peak, money)
            worst = min(worst, money / peak - 1.0)
            low = min(low, money)
        growth[i], fall[i], least[i] = money, worst, low


@dataclass(frozen=True, slots=True)
class Paths:
    """Of 1,000 paths as long as the run: 95% intervals of the annual return and of the worst fall, the median fall, and the
    chances of standing
    a tenth, a quarter, half under the beginning at some time. block: mean length of the blocks."""

    paths: int
    block: int
    annual_low: float
    annual_high: float
    fall_low: float
    fall_high: float
    fall_median: float
    losses: tuple[tuple[float, float], ...]


def resampled(returns: Floats, days: float, seed: int) -> Paths | None:
    """returns: by session. days: of the calendar, that they span. None for fewer than 60 sessions."""
    if len(returns) < LEAST_DAYS:
        return None
    block = block_of(returns)
    growth, fall, least = path_ends(returns, block, seed)
    yearly = np.array([annual(g, days) for g in growth])
    low, high = np.percentile(yearly, [2.5, 97.5])
    deep, shallow = np.percentile(fall, [2.5, 97.5])
    losses = tuple((loss, float(np.mean(least <= 1.0 - loss))) for loss in LOSSES)
    return Paths(len(growth), block, float(low), float(high), float(deep), float(shallow), float(np.median(fall)), losses)


def path_ends(returns: Floats, block: int, seed: int) -> tuple[Floats, Floats, Floats]:
    """Money at the end, worst fall and least money of each path."""
    draws = draws_of(len(returns), block, seed)
    growth, fall, least = (np.empty(len(draws)) for _ in range(3))
    walk_paths(np.ascontiguousarray(returns), draws, growth, fall, least)
    return growth, fall, least
