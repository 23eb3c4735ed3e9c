"""Five-minute and overnight bars that add up to the invented daily bars, to the last digit."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from wickcore.demo.paths import Grid

OPENS, STEP, BARS = 570, 5, 78  # a session of six and a half hours
POINTS = 4  # prices that a bar is made of
SHARED = 0.55  # of the way within a session, what all instruments have in common
NIGHT = 24  # prices a night is made of
AT_ONCE = 4_000  # sessions made at a time


@dataclass(frozen=True, slots=True)
class Inner:
    """Five-minute bars of one instrument: days, minute of the day at which each begins, and the columns, one value a bar."""

    days: NDArray[np.int32]
    minute: NDArray[np.int32]
    columns: dict[str, Grid]


def _times() -> Grid:
    """How much of a session's movement is over by each of its prices, 0 to 1: much at the open and the close, little at noon."""
    at = np.linspace(0, 1, BARS * POINTS)
    busy = 0.55 + 2.6 * np.exp(-at * 14) + 1.5 * np.exp(-(1 - at) * 11)
    gone = np.concatenate([[0.0], np.cumsum(busy[:-1])])
    return np.asarray(gone / gone[-1])


TIMES = _times()


def shared_ways(days: NDArray[np.int32], seed: int) -> Grid:
    """What all instruments' ways through each session have in common: bridges from 0 to 0, a row a day, the same for the same day and seed."""
    steps = np.sqrt(np.diff(TIMES))
    ways = np.empty((len(days), len(TIMES)))
    for row, day in enumerate(days.tolist()):
        walk = np.concatenate([[0.0], np.cumsum(np.random.default_rng([seed, day]).standard_normal(len(steps)) * steps)])
        ways[row] = walk - TIMES * walk[-1]
    return ways


def inner_bars(
    days: NDArray[np.int32], daily: dict[str, Grid], common: Grid, rng: np.random.Generator, share: float = SHARED
) -> Inner:
    """Five-minute bars of one instrument for the sessions `days`, whose daily bars are `daily`.

    The first opens at the day's open, the last closes at its close, the highest and lowest are its own, and volumes add up. common: rows of
    `shared_ways` for these days. share: how much of the way is common.
    """
    parts = [_some(slice(at, at + AT_ONCE), days, daily, common, rng, share) for at in range(0, len(days), AT_ONCE)]
    columns = {name: np.concatenate([part[name] for part in parts]) for name in ("open", "high", "low", "close", "volume")}
    return Inner(np.repeat(days, BARS), np.tile((OPENS + STEP * np.arange(BARS)).astype(np.int32), len(days)), columns)


def _some(
    part: slice, days: NDArray[np.int32], daily: dict[str, Grid], common: Grid, rng: np.random.Generator, share: float
) -> dict[str, Grid]:
    first, high, low, last = (daily[name][part, None] for name in ("open", "high", "low", "close"))
    count, steps = len(first), np.sqrt(np.diff(TIMES))
    own = np.concatenate([np.zeros((count, 1)), np.cumsum(rng.standard_normal((count, len(steps))) * steps, axis=1)], axis=1)
    bridge = share * common[part] + np.sqrt(1 - share**2) * (own - TIMES * own[:, -1:])
    spread = np.maximum(high - low, 0.005)
    path = first + TIMES * (last - first) + 0.6 * spread * bridge
    path = _between(path, first, high, low, last, rng)
    path = path.reshape(count, BARS, POINTS)
    volume = _volumes(daily["volume"][part], path, spread, rng)
    return {
        "open": path[:, :, 0].ravel(), "high": path.max(axis=2).ravel(), "low": path.min(axis=2).ravel(), "close": path[:, :, -1].ravel(),
        "volume": volume.ravel(),
    }  # fmt: skip


def _between(path: Grid, first: Grid, high: Grid, low: Grid, last: Grid, rng: np.random.Generator) -> Grid:
    """The way bent so that its highest and lowest are the day's, beginning and end kept, in whole cents."""
    top, bottom = np.maximum(first, last), np.minimum(first, last)
    path[:, 0], path[:, -1] = first[:, 0], last[:, 0]
    for wanted, sign, level in ((high - top, 1.0, top), (bottom - low, -1.0, bottom)):
        away = np.maximum(sign * (path - level), 0.0)
        reach = away.max(axis=1, keepdims=True)
        none = ((reach <= 0) & (wanted > 0))[:, 0]
        if none.any():  # a way that never left: it touches the extreme once
            at = rng.integers(1, path.shape[1] - 2, int(none.sum()))
            at += at == (path * -sign)[none].argmax(axis=1)  # not where it touches the other one
            away[np.flatnonzero(none), at] = 1.0
            reach = away.max(axis=1, keepdims=True)
        scale = np.divide(wanted, reach, out=np.zeros_like(wanted), where=reach > 0)
        path = np.where(away > 0, level + sign * away * scale, path)
    path = np.clip(np.round(path, 2), low, high)
    path[:, 0], path[:, -1] = first[:, 0], last[:, 0]
    return path


def _volumes(total: Grid, path: Grid, spread: Grid, rng: np.random.Generator) -> Grid:
    """Whole shares that add up to the day's: more at the open and the close, and where prices move."""
    at = np.linspace(0, 1, BARS)
    usual = 0.6 + 2.4 * np.exp(-at * 12) + 1.8 * np.exp(-(1 - at) * 14)
    moved = (path.max(axis=2) - path.min(axis=2)) / spread
    weight = usual * (0.6 + 3.0 * moved) * np.exp(0.35 * rng.standard_normal(moved.shape))
    reached = np.cumsum(weight, axis=1)
    by_then = np.floor(total[:, None] * (reached / reached[:, -1:]))
    by_then[:, -1] = total
    return np.diff(by_then, axis=1, prepend=0.0)


@dataclass(frozen=True, slots=True)
class Nights:
    """Overnight bars of one instrument, one a session: from the close before to that session's open. low_first: 1 or 0."""

    days: NDArray[np.int32]
    columns: dict[str, Grid]


def overnight_bars(days: NDArray[np.int32], daily: dict[str, Grid], rng: np.random.Generator) -> Nights:
    """The nights before all sessions but the first, of an instrument that does not split."""
    before, opened = daily["close"][:-1, None], daily["open"][1:, None]
    count = len(before)
    usual = np.median(np.abs(np.log(daily["high"] / daily["low"])))  # a night moves about half as much as a day
    walk = np.cumsum(rng.standard_normal((count, NIGHT)) / np.sqrt(NIGHT), axis=1)
    at = np.linspace(0, 1, NIGHT)
    bridge = walk - walk[:, :1] - at * (walk[:, -1:] - walk[:, :1])
    restless = np.exp(0.4 * rng.standard_normal((count, 1)))
    path = before * np.exp(at * np.log(opened / before) + 0.5 * usual * restless * bridge)
    path = np.round(path, 2)
    path[:, -1] = opened[:, 0]
    high, low = path.max(axis=1), path.min(axis=1)
    first = path.argmin(axis=1) < path.argmax(axis=1)
    columns = {"open": path[:, 0], "high": high, "low": low, "close": path[:, -1], "low_first": first.astype(np.float64)}
    return Nights(days[1:].astype(np.int32), columns)
