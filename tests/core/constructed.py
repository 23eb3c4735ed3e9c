"""Chart patterns drawn as a chartist would draw them, with the noise of real prices: legs of uneven length, touches that miss their line by
a little, wicks, and the move before that the pattern needs (common practice)."""

from collections.abc import Callable
from typing import Any

import numpy as np

from tests import made
from wickcore.bars.bars import build_bars
from wickcore.bars.market import Market

Points = list[tuple[int, float]]
WICK = 0.006  # of the price; legs go ten times as far and more


def _times(rng: Any, lengths: list[float]) -> list[int]:
    """Bars at which legs end: each takes so many, more or less by a fifth."""
    return np.cumsum([max(4, round(length * rng.uniform(0.8, 1.2))) for length in lengths]).tolist()


def _points(rng: Any, start: float, legs: list[tuple[float, float]]) -> Points:
    """Turning points (bar, logarithm)."""
    return [(0, start), *zip(_times(rng, [length for length, _ in legs]), (price for _, price in legs), strict=True)]


def _double(rng: Any) -> Points:
    leg, depth = rng.uniform(8, 22), rng.uniform(0.11, 0.25)
    second = rng.uniform(-1, 1) * min(0.02, depth / 6)
    fall = rng.uniform(1.2, 2.0) * depth
    return _points(
        rng, fall, [(2 * leg * rng.uniform(0.6, 1.5), 0), (leg, depth), (leg, second), (leg / 2, depth * 0.6), (6, depth * 0.5)]
    )


def _shoulders(rng: Any) -> Points:
    leg, head = rng.uniform(8, 15), rng.uniform(0.16, 0.3)
    left, right = -head * rng.uniform(0.4, 0.6), -head * rng.uniform(0.4, 0.6)
    if abs(left - right) > 0.03:
        right = left
    before = rng.uniform(0.7, 1.3) * head
    legs = [(leg, 0.0), (leg, -head), (leg, rng.uniform(-0.01, 0.01)), (leg, right), (leg / 2, right / 2), (6, right / 2)]
    return _points(rng, before, [(2 * leg * rng.uniform(1, 2), left), *legs])


def _lines(rng: Any, gain0: float, gain1: float, from_below: bool, least: float = 7) -> Points:
    """Five or six touches by turns of two lines; gains over the whole pattern in shares of the width. from_below: the move before rises."""
    touches, width = int(rng.integers(5, 7)), rng.uniform(0.12, 0.2)
    step = rng.uniform(least, 14)
    before, first = rng.uniform(0.9, 1.5) * width, 0 if from_below else 1
    times = _times(rng, [step * 1.5, *[step] * (touches - 1)])
    points = [(0, width - before if from_below else before)]
    for i, at in enumerate(times):
        share = (at - times[0]) / (times[-1] - times[0])
        price = width * (1 + gain0 * share) if (i + first) % 2 == 0 else width * gain1 * share
        points.append((at, price + rng.uniform(-1, 1) * WICK / 2))
    middle = width * (1 + gain0 + gain1) / 2
    return [*points, (times[-1] + max(4, round(step / 3)), (points[-1][1] + middle) / 2), (times[-1] + round(step / 3) + 9, middle)]


def _trend_line(rng: Any) -> Points:
    gain, leg, up = rng.uniform(0.0015, 0.003), rng.uniform(9, 14), rng.uniform(0.11, 0.16)
    times = _times(rng, [leg] * 7)
    points = [(0, 0.15)]
    for i, at in enumerate(times):
        points.append((at, gain * (at - times[0]) + (up if i % 2 else rng.uniform(-1, 1) * WICK / 2)))
    return [*points, (times[-1] + 8, points[-1][1] + up / 2)]


def _level(rng: Any) -> Points:
    leg, deep = rng.uniform(8, 14), rng.uniform(0.07, 0.15)
    legs = []
    for _ in range(3):
        legs += [(leg, rng.uniform(-1, 1) * 0.004), (leg, -deep * rng.uniform(0.8, 1.2))]
    return _points(rng, -deep, legs)


def _bowl(rng: Any, handle: bool, rise: float) -> np.ndarray:
    """Logarithms of the closes: a rise in steps, a bowl between a parabola and one with a flatter bottom, and the handle."""
    depth, half = rng.uniform(0.15, 0.35), int(rng.integers(20, 50))
    x = np.abs(np.arange(-half, half + 1) / half)
    bowl = depth * (x ** rng.uniform(2, 2.6) - 1)
    lead = np.interp(np.arange(half), [0, half], [-max(rise, depth * rng.uniform(1.1, 1.5)), 0])
    dip = np.interp(np.arange(1, 13), [0, 7, 12], [0, -depth * (rng.uniform(0.15, 0.35) if handle else 0.1), -depth * 0.08])
    return np.concatenate([lead, bowl, dip])


def _rest(rng: Any, pennant: bool) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Logarithms, half ranges and volumes: quiet days, a pole, and a rest between two lines."""
    climb, length = int(rng.integers(5, 10)), int(rng.integers(9, 15))
    quiet = 0.003 * (np.arange(45) % 2) + rng.normal(0, 0.002, 45)
    pole = 0.003 + rng.uniform(0.025, 0.04) * np.arange(1, climb + 1)
    rest = pole[-1] - 0.012 - (0.0 if pennant else rng.uniform(0.001, 0.004)) * np.arange(length)
    wide = np.full(45 + climb + length, 0.006)
    wide[45 + climb :] = np.linspace(0.01, rng.uniform(0.0015, 0.0025) if pennant else 0.01, length)
    volume = np.concatenate([np.full(45, 1000.0), np.full(climb, 2500.0), np.full(length, 900.0)])
    return np.concatenate([quiet, pole, rest]), wide, volume * rng.uniform(0.9, 1.1, len(volume))


KINDS: dict[str, Callable[[Any], Points]] = {
    "double_bottom": _double,
    "inverse_head_shoulders": _shoulders,
    "triangle_up": lambda rng: _lines(rng, 0.0, rng.uniform(0.45, 0.65), True),
    "triangle": lambda rng: _lines(rng, -rng.uniform(0.25, 0.35), rng.uniform(0.25, 0.35), bool(rng.integers(2))),
    "wedge_falling": lambda rng: _lines(rng, -rng.uniform(1.0, 1.2), -rng.uniform(0.5, 0.65), False),
    "channel_up": lambda rng: _lines(rng, g := rng.uniform(0.6, 1.2), g, bool(rng.integers(2))),
    "base": lambda rng: _lines(rng, 0.0, 0.0, bool(rng.integers(2)), 11),
    "trend_line_up": _trend_line,
    "level": _level,
}
BOWLS = {"saucer": (False, 0.0), "cup": (False, 0.25), "cup_handle": (True, 0.25)}
RESTS = {"flag_bull": False, "pennant_bull": True}
ALL = (*KINDS, *BOWLS, *RESTS)


def constructed(name: str, seed: int) -> dict[str, np.ndarray]:
    """One of the kind, as a table of bars."""
    rng = np.random.default_rng(seed)
    if name in RESTS:
        log, wide, volume = _rest(rng, RESTS[name])
        up = down = wide
    else:
        if name in BOWLS:
            log, turns = _bowl(rng, *BOWLS[name]), []
        else:
            points = KINDS[name](rng)
            turns = [at for at, _ in points]
            log = np.interp(np.arange(turns[-1] + 1), turns, [price for _, price in points])
        rough = rng.normal(0, WICK, len(log))
        rough[turns] = 0
        log = log + rough
        up, down = (np.abs(rng.normal(0, WICK, len(log))) for _ in range(2))
        for at in turns:  # what turns there is the furthest around
            for side, sign in ((up, 1), (down, -1)):
                side[at] = WICK / 2
                around = [t for t in range(max(0, at - 3), min(len(log), at + 4)) if t != at]
                turned = sign * log[at] >= max(sign * log[t] for t in around) - 2 * WICK
                for t in around if turned else []:
                    over = sign * (log[t] - log[at]) + side[t] - side[at]
                    if over >= 0:
                        log[t] -= sign * max(0.0, sign * (log[t] - log[at]) + WICK / 4)
                        side[t] = max(0.0, min(side[t], sign * (log[at] - log[t]) + side[at] - WICK / 8))
        volume = 1000 * np.exp(rng.normal(0, 0.3, len(log)))
    lead = np.full(30, log[0]) + rng.normal(0, WICK, 30)  # for averages to stand on
    log, up, down = np.concatenate([lead, log]), np.concatenate([np.full(30, WICK), up]), np.concatenate([np.full(30, WICK), down])
    volume = np.concatenate([np.full(30, volume[0]), volume])
    close = 50 * np.exp(log)
    table = {"open": close, "close": close, "high": close * np.exp(up), "low": close * np.exp(-down), "volume": volume}
    return {"days": made.weekdays(len(log)), **table}


def chain(seed: int) -> dict[str, np.ndarray]:
    """One of every kind, one after the other, each beginning at the price where the one before ended."""
    found: dict[str, list[np.ndarray]] = {name: [] for name in ("high", "low", "close", "volume")}
    at = 50.0
    for name in ALL:
        table = constructed(name, seed)
        share = at / table["close"][0]
        for column, parts in found.items():
            parts.append(table[column] * (1.0 if column == "volume" else share))
        at = float(found["close"][-1][-1])
    return {name: np.concatenate(parts) for name, parts in found.items()}


def market(name: str, many: int) -> Market:
    """So many of the kind, an instrument each."""
    return Market((build_bars({f"S{seed:03}": constructed(name, seed) for seed in range(many)}),))
