"""Chart patterns once more, straight from their words: every bar is lived through anew from the first, with plain lists."""

import math
from functools import lru_cache
from typing import Any

from tests.core.slow_entries import SLOW, Found

KEPT_SWINGS, KEPT_PATTERNS = 64, 4
KINDS = {"double_bottom": 1, "double_top": -1, "inverse_head_shoulders": 1, "head_shoulders": -1}
OWN = {
    "double_bottom": {"low1": 0, "neckline": 1, "low2": 2},
    "double_top": {"high1": 0, "neckline": 1, "high2": 2},
    "inverse_head_shoulders": {"left": 0, "head": 2, "right": 4},
    "head_shoulders": {"left": 0, "head": 2, "right": 4},
}
COMMON = ("state", "start", "age", "trigger", "invalid", "height", "target", "quality", "since_trigger", "since_failed")


def double(lows: list, h: list, lo: list, tolerance: float, apart: int, depth: float, within: int) -> dict | None:
    (at2, low2), *earlier = lows
    for at1, low1 in earlier:
        if at2 - at1 > within:
            return None
        between = range(at1 + 1, at2)
        if at2 - at1 < apart or abs(low1 - low2) > tolerance:
            continue
        neckline = max(h[i] for i in between)
        fall = h[max(0, at1 - 3 * apart) : at1]
        rise = neckline - max(low1, low2)
        if rise < depth or min(lo[i] for i in between) < min(low1, low2) or not fall or max(fall) - low1 < depth:
            continue
        top = next(i for i in between if h[i] == neckline)
        shares = (1 - abs(low1 - low2) / tolerance, min(1, rise / (2 * depth)), 1 - abs(2 * (top - at1) / (at2 - at1) - 1))
        return {
            "start": at1, "line": lambda j, neckline=neckline: neckline, "invalid": min(low1, low2), "height": neckline - min(low1, low2),
            "quality": 100 * sum(shares) / 3, "points": [(at1, low1), (top, neckline), (at2, low2)],
        }  # fmt: skip
    return None


def shoulders(lows: list, h: list, lo: list, tolerance: float, apart: int, depth: float, within: int) -> dict | None:
    (right, low3), *earlier = lows
    for m, (head, low2) in enumerate(earlier):
        if right - head > within:
            return None
        if right - head < apart or low3 - low2 < tolerance:
            continue
        for n, (left, low1) in enumerate(earlier[m + 1 :], m + 1):
            if right - left > within:
                break
            if head - left < apart or low1 - low2 < tolerance or abs(low1 - low3) > tolerance:
                continue
            if any(p < low3 for _, p in earlier[:m]) or any(p < low1 for _, p in earlier[m + 1 : n]):
                continue
            if min(lo[left : right + 1]) < low2:
                break
            a = max(range(left + 1, head), key=lambda i: h[i])
            b = max(range(head + 1, right), key=lambda i: h[i])
            if min(h[a], h[b]) - low2 < depth or h[a] <= low1 or h[b] <= low3 or abs(h[b] - h[a]) > 2 * tolerance:
                continue
            before = h[max(0, left - 3 * apart) : left]
            if not before or max(before) - low1 < depth / 2:
                continue
            gain = (h[b] - h[a]) / (b - a)
            shares = (
                1 - abs(low1 - low3) / tolerance, 1 - abs(h[b] - h[a]) / (2 * tolerance), 1 - abs(2 * (head - left) / (right - left) - 1),
            )  # fmt: skip
            return {
                "start": left, "line": lambda j, a=a, gain=gain: h[a] + gain * (j - a), "invalid": low2,
                "height": h[a] + gain * (head - a) - low2, "quality": 100 * sum(shares) / 3,
                "points": [(left, low1), (a, h[a]), (head, low2), (b, h[b]), (right, low3)],
            }  # fmt: skip
    return None


FINDERS = {"double_bottom": double, "double_top": double, "inverse_head_shoulders": shoulders, "head_shoulders": shoulders}


@lru_cache(4_000)
def live(
    name: str, high: tuple, low: tuple, close: tuple, k: int, tolerance: float, apart: int, depth: float, within: int, lasts: int
) -> list[dict[str, Any]]:
    """The patterns visible on the last bar, the latest first; all prices as logarithms of the side's own direction."""
    side = KINDS[name]
    h, lo, c = ([math.log(v) for v in values] for values in (high, low, close))
    if side < 0:
        h, lo, c = [-v for v in lo], [-v for v in h], [-v for v in c]
    lows: list[tuple[int, float]] = []
    found: list[dict[str, Any]] = []
    for j in range(len(c)):
        for one in found:
            judge(one, j, c[j])
            if j - one["visible"] > lasts and one["state"] == 1:
                one["state"] = 4
        found = [one for one in found if j - one["visible"] <= 2 * lasts]
        at = j - k
        if at - k < 0 or not all(lo[at] < lo[at + m] for m in (*range(-k, 0), *range(1, k + 1))):
            continue
        lows = [(at, lo[at]), *lows][:KEPT_SWINGS]
        made = FINDERS[name](lows, h[: j + 1], lo[: j + 1], math.log1p(tolerance), apart, math.log1p(depth), within)
        if made and found and found[0]["state"] == 1 and j - found[0]["visible"] < apart and lo[at] >= found[0]["points"][-1][1]:
            continue  # the last point of the one before, once more
        if made:
            made |= {"visible": j, "state": 1, "triggered": None, "failed": None}
            judge(made, j, c[j])
            found = [made, *found][:KEPT_PATTERNS]
    for one in found:
        one["now"] = len(c) - 1
    return found


def judge(one: dict[str, Any], j: int, close: float) -> None:
    if one["state"] == 1 and close > one["line"](j):
        one["state"], one["triggered"] = 2, j
    elif one["state"] in (1, 2) and close < one["invalid"]:
        one["state"], one["failed"] = 3, j


def part_of(name: str, part: str, one: dict[str, Any]) -> float | None:
    side, now = KINDS[name], one["now"]
    if part in OWN[name]:
        return math.exp(side * one["points"][OWN[name][part]][1])
    trigger = math.exp(side * one["line"](now))
    furthest = math.exp(side * (one["line"](now) - one["height"]))
    return {
        "state": one["state"],
        "start": now - one["start"],
        "age": now - one["visible"],
        "trigger": trigger,
        "neckline": trigger,
        "invalid": math.exp(side * one["invalid"]),
        "height": abs(trigger - furthest),
        "target": 2 * trigger - furthest,
        "quality": one["quality"],
        "since_trigger": None if one["triggered"] is None else now - one["triggered"],
        "since_failed": None if one["failed"] is None else now - one["failed"],
    }[part]


def _register(name: str) -> None:
    def found(s: Any, k: float, tolerance: float, apart: float, depth: float, within: float, lasts: float) -> list[dict[str, Any]]:
        whole = (int(k), tolerance, int(apart), depth, int(within), int(lasts))
        return live(name, tuple(s.high), tuple(s.low), tuple(s.close), *whole)

    def forming(s: Any, nth: float, **given: float) -> Found:
        all_of_them = found(s, **given)
        return len(all_of_them) >= nth and all_of_them[int(nth) - 1]["state"] == 1, 0

    SLOW[name] = forming
    parts = {*OWN[name], *COMMON, "neckline"}
    for part in parts:

        def value(s: Any, nth: float, part: str = part, **given: float) -> Found:
            all_of_them = found(s, **given)
            degree = 1 if part in OWN[name] or part in ("trigger", "neckline", "invalid", "height", "target") else 0
            return (part_of(name, part, all_of_them[int(nth) - 1]) if len(all_of_them) >= nth else None), degree

        SLOW[f"{name}.{part}"] = value


for _name in KINDS:
    _register(_name)
