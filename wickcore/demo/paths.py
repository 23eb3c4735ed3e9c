"""Return paths of the invented shares: common and sector factors, regimes, clustered volatility, reports, bases.

Sizes of everything planted are the constants below; docs/demo-market.md states them for the reader.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from wickcore.demo.calendar import announcements

Grid = NDArray[np.float64]

REPORT_JUMP = 0.022  # return on the report day for a surprise of one unit
REPORT_DRIFT, REPORT_DRIFT_DAYS, STRONG = 0.0007, 40, 1.0  # a day, after surprises beyond one unit, in their direction
BASE_DAYS = (25, 46)  # a base lasts so many sessions (from, below)
BASE_QUIET = 0.40  # to this share returns shrink at the base's end
BREAKOUT, BREAKOUT_SPREAD = 0.035, 0.015
WORKS, WORKS_DRIFT, FAILS_DRIFT, AFTER_DAYS = 0.60, 0.0026, -0.0010, 15
BASES_A_SHARE = 6.0  # over the twelve years
NIGHT_OF_ALL = (
    0.46  # of the common factor's scale: so much of it moves at night by itself, that a night tells nothing of the day after it
)
NIGHTS = 77  # seed of those nights
MONTHS_AHEAD = 6  # of announcements that the common factor knows


@dataclass(frozen=True, slots=True)
class Shares:
    """Per-share constants; `first` and `last` are session indices of the first and last bar."""

    sector: NDArray[np.int64]
    beta: Grid
    volatility: Grid
    first: NDArray[np.int64]
    last: NDArray[np.int64]
    reason: NDArray[np.int64]  # index into REASONS, -1 while listed
    phase: NDArray[np.int64]  # session of the first report


@dataclass(frozen=True, slots=True)
class Paths:
    """total: log total return; overnight: its part before the open; sigma: the day's volatility; busy: log volume boost.
    All of shape (sessions, shares). surprise: one a report, NaN elsewhere."""

    total: Grid
    overnight: Grid
    sigma: Grid
    busy: Grid
    surprise: Grid


def clustered(length: int, columns: int, rng: np.random.Generator, leverage: float) -> Grid:
    """Volatility multipliers around 1 whose squares follow their own shocks: quiet and stormy stretches (Engle 1982; Bollerslev 1986),
    with falls raising it more than rises (Glosten, Jagannathan and Runkle 1993)."""
    shocks = rng.standard_t(6, (length, columns)) / np.sqrt(1.5)
    out = np.empty((length, columns))
    variance = np.ones(columns)
    for t in range(length):
        out[t] = np.sqrt(variance) * shocks[t]
        fall = (shocks[t] < 0) * leverage
        variance = 0.035 + (0.055 + fall) * out[t] ** 2 + (0.91 - leverage / 2) * variance
        variance = np.clip(variance, 0.15, 12.0)
    return out


def market_factor(days: NDArray[np.int32], rng: np.random.Generator) -> tuple[Grid, Grid]:
    """The common factor's daily log return and its volatility scale, over bull and bear regimes."""
    length = len(days)
    bear = np.zeros(length, np.bool_)
    state = False
    for t, draw in enumerate(rng.random(length)):
        state = state if draw > (1 / 75 if state else 1 / 330) else not state
        bear[t] = state
    drift = np.where(bear, -0.0013, 0.00054)
    scale = np.where(bear, 0.0125, 0.0065)
    rate_days = {day for day, kind in announcements(MONTHS_AHEAD) if kind == "Lending rate"}
    scale = scale * np.where(np.isin(days, list(rate_days)), 1.35, 1.0)
    crash = (rng.random(length) < 0.0016) * rng.uniform(0.025, 0.055, length)
    return drift + scale * clustered(length, 1, rng, 0.10)[:, 0] - crash, scale


def _nights(days: NDArray[np.int32]) -> Grid:
    """What every night has of its own for the market as a whole: a standard normal number a day, the same for the same day."""
    return np.array([np.random.default_rng([NIGHTS, int(day)]).standard_normal() for day in days])


def make_paths(
    days: NDArray[np.int32], shares: Shares, sectors: int, rng: np.random.Generator, bases: float = BASES_A_SHARE, young: int = 60
) -> Paths:
    """Total, overnight and volume paths of every share. bases: how many a share has; none begins in its first `young` sessions."""
    length, count = len(days), len(shares.beta)
    market, scale = market_factor(days, rng)
    sector = 0.0052 * clustered(length, sectors, rng, 0.03)
    own = shares.volatility * clustered(length, count, rng, 0.02)
    own += (rng.random((length, count)) < 0.004) * rng.normal(0, 0.05, (length, count))
    total = -0.00014 + shares.beta * market[:, None] + sector[:, shares.sector] + own
    sigma = np.sqrt((shares.beta * scale[:, None]) ** 2 + 0.0052**2 + shares.volatility**2)
    overnight = 0.3 * total + 0.25 * sigma * rng.standard_normal((length, count))
    overnight += shares.beta * (NIGHT_OF_ALL * scale * _nights(days))[:, None]
    busy = np.zeros((length, count))
    _plant_bases(total, overnight, sigma, busy, shares, rng, bases, young)
    surprise = _plant_reports(total, overnight, busy, shares, rng)
    _plant_endings(total, overnight, sigma, busy, shares, rng)
    return Paths(total, overnight, sigma, busy, surprise)


def _plant_bases(
    total: Grid, overnight: Grid, sigma: Grid, busy: Grid, shares: Shares, rng: np.random.Generator, bases: float, young: int
) -> None:
    length = len(total)
    for i in range(total.shape[1]):
        for start in rng.integers(min(shares.first[i] + young, length - 1), length, rng.poisson(bases)):
            days = int(rng.integers(*BASE_DAYS))
            out, works = start + days, rng.random() < WORKS
            jump = abs(rng.normal(BREAKOUT, BREAKOUT_SPREAD))
            if out + AFTER_DAYS + 1 >= min(length, shares.last[i]):
                continue
            quiet = np.linspace(1.0, BASE_QUIET, days)
            for grid in (total, overnight, sigma):
                grid[start:out, i] *= quiet
            busy[start:out, i] -= 0.6 * (1 - quiet)
            total[out, i] = jump
            overnight[out, i] = 0.25 * jump
            busy[out, i] += 1.0
            total[out + 1 : out + 1 + AFTER_DAYS, i] += WORKS_DRIFT if works else FAILS_DRIFT


def _plant_reports(total: Grid, overnight: Grid, busy: Grid, shares: Shares, rng: np.random.Generator) -> Grid:
    length, count = total.shape
    surprise = np.full((length, count), np.nan)
    for i in range(count):
        days = np.arange(shares.phase[i], length, 63) + rng.integers(-3, 4, len(range(int(shares.phase[i]), length, 63)))
        for day in days[(days > shares.first[i]) & (days <= shares.last[i])]:
            z = float(np.clip(rng.standard_t(5), -5, 5))
            surprise[day, i] = z
            jump = REPORT_JUMP * z + rng.normal(0, 0.015)
            total[day, i] += jump
            overnight[day, i] += 0.7 * jump
            busy[day, i] += 0.5 + 0.35 * min(3.0, abs(z))
            if abs(z) > STRONG:
                total[day + 1 : day + 1 + REPORT_DRIFT_DAYS, i] += np.sign(z) * REPORT_DRIFT
    return surprise


def _plant_endings(total: Grid, overnight: Grid, sigma: Grid, busy: Grid, shares: Shares, rng: np.random.Generator) -> None:
    """Takeovers jump and then stand still; insolvencies slide for months."""
    for i in np.flatnonzero(shares.reason >= 0):
        end, reason = int(shares.last[i]), int(shares.reason[i])
        if reason in (1, 4):
            begin = max(int(shares.first[i]) + 1, end - 160)
            total[begin : end + 1, i] -= rng.uniform(0.006, 0.012) if reason == 1 else 0.003
            busy[begin : end + 1, i] += 0.4
        else:
            offer = max(int(shares.first[i]) + 1, end - 45)
            total[offer, i] = overnight[offer, i] = rng.uniform(0.12, 0.38)
            busy[offer, i] += 2.0
            for grid in (total, overnight, sigma):
                grid[offer + 1 : end + 1, i] *= 0.12
