"""The life of a chart pattern once more: every bar is lived through with plain lists, from what was known on it alone."""

import copy
import math
from collections import OrderedDict
from dataclasses import dataclass, field
from typing import Any

from tests.core.slow_entries import SLOW, Found
from tests.core.slow_published import five, published_double
from tests.core.slow_shapes import (
    HIGH,
    LOW,
    Known,
    Swing,
    cup_handle,
    double,
    flag,
    level,
    narrow,
    saucer,
    shoulders,
    trend_line,
    two_lines,
)
from wickcore.language.parser import parse_expression
from wickcore.language.shapes import POINTS as POINT_PARTS

SHAPES: dict[str, Any] = {
    "double_bottom": double,
    "inverse_head_shoulders": shoulders,
    "triangle_up": lambda k: narrow(k, (0, 1), lambda a, b, flat: abs(a) <= flat and b > flat),
    "triangle": lambda k: narrow(k, (-1, 1), lambda a, b, flat: a < -flat and b > flat),
    "wedge_falling": lambda k: narrow(k, (-1, -1), lambda a, b, flat: a < -flat and b < -flat, 5),
    "channel_up": lambda k: two_lines(
        k, (1, 1), lambda a, b, ratio, width: a > k.given["flat"] and b > k.given["flat"] and abs(ratio - 1) <= k.given["parallel"]
    ),
    "base": lambda k: two_lines(
        k,
        (0, 0),
        lambda a, b, ratio, width: max(abs(a), abs(b), abs(a - b)) <= k.given["flat"] and width <= math.log1p(k.given["depth"]),
        5,
        (0.4, 0.6),
    ),
    "flag_bull": lambda k: flag(k, False),
    "pennant_bull": lambda k: flag(k, True),
    "saucer": saucer,
    "cup": saucer,
    "cup_handle": cup_handle,
    "trend_line_up": trend_line,
    "level": level,
    "published_inverse_head_shoulders": lambda k: five(k, "head"),
    "published_broadening_bottom": lambda k: five(k, "broadening"),
    "published_triangle_bottom": lambda k: five(k, "triangle"),
    "published_rectangle_bottom": lambda k: five(k, "rectangle"),
    "published_double_bottom": published_double,
}
OTHER_SIDE = {
    "double_top": "double_bottom", "head_shoulders": "inverse_head_shoulders", "triangle_down": "triangle_up", "wedge_rising": "wedge_falling",
    "channel_down": "channel_up", "flag_bear": "flag_bull", "pennant_bear": "pennant_bull", "rounding_top": "saucer", "inverse_cup": "cup",
    "inverse_cup_handle": "cup_handle", "trend_line_down": "trend_line_up",
    "published_head_shoulders": "published_inverse_head_shoulders",
    "published_broadening_top": "published_broadening_bottom", "published_triangle_top": "published_triangle_bottom",
    "published_rectangle_top": "published_rectangle_bottom",
    "published_double_top": "published_double_bottom",
}  # fmt: skip

# Found on turning points of three sizes.
OF_SIZES = {
    "inverse_head_shoulders", "triangle_up", "triangle", "wedge_falling", "channel_up", "base", "published_inverse_head_shoulders",
    "published_broadening_bottom", "published_triangle_bottom", "published_rectangle_bottom",
}  # fmt: skip
KEPT_SWINGS, KEPT_PATTERNS, KEPT_LEVELS, REST = 64, 4, 8, 10
KINDS = sorted({*SHAPES, *OTHER_SIDE})
COMMON = ("state", "start", "age", "trigger", "invalid", "height", "target", "quality", "since_trigger", "since_failed")
_LINES = tuple(f"{line}.{what}" for line in ("upper", "lower") for what in ("now", "slope", "touches"))
_FIVE = {f"e{i + 1}": i for i in range(5)}
# Points that are parts, by the number of the point; other parts are made below.
POINTS: dict[str, dict[str, int]] = {
    "double_bottom": {"low1": 0, "neckline": 1, "low2": 2}, "double_top": {"high1": 0, "neckline": 1, "high2": 2},
    "inverse_head_shoulders": {"left": 0, "head": 2, "right": 4}, "saucer": {"rim": 2, "bottom": 1}, "cup": {"rim": 2, "bottom": 1},
    "cup_handle": {"rim": 2, "bottom": 1, "handle": 3}, "published_double_bottom": {"e1": 0, "between": 1, "ea": 2},
    **{f"published_{name}": _FIVE for name in ("inverse_head_shoulders", "broadening_bottom", "triangle_bottom", "rectangle_bottom")},
}  # fmt: skip


@dataclass
class Life:
    """Everything known after some bars."""

    swings: dict[int, list[Swing]] = field(default_factory=dict)
    found: list[dict[str, Any]] = field(default_factory=list)


_LIVES: OrderedDict[tuple, Life] = OrderedDict()


def lived(name: str, side: int, bars: tuple, k: int, lasts: int, given: tuple) -> Life:
    """Life on the last of the bars (high, low, close, average range, volume). That of the bars before it is remembered: nothing of it can
    depend on what came after."""
    key = (name, side, bars, k, lasts, given)
    if key not in _LIVES:
        before = lived(name, side, bars[:-1], k, lasts, given) if len(bars) > 1 else Life()
        now = Life({size: list(swings) for size, swings in before.swings.items()}, [copy.copy(one) for one in before.found])
        step(now, name, side, bars, k, lasts, dict(given))
        _LIVES[key] = now
        if len(_LIVES) > 3_000:
            _LIVES.popitem(last=False)
    return _LIVES[key]


def step(life: Life, name: str, side: int, bars: tuple, k: int, lasts: int, given: dict[str, float]) -> None:
    high, low, close = ([math.log(bar[i]) for bar in bars] for i in range(3))
    if side < 0:
        high, low, close = [-v for v in low], [-v for v in high], [-v for v in close]
    j, is_level = len(bars) - 1, name == "level"
    life.found = [one for one in life.found if j <= one["expires"] + lasts]
    for one in life.found:
        crossed = name == "pennant_bull" and one["upper"][0](j) <= one["lower"][0](j)
        if one["state"] == 1 and (one["trigger"](j) <= one["invalid"](j) or crossed):
            end(one, j, 4)
        judge(one, j, close[j], is_level)
        if one["state"] == 1 and j > one["expires"]:
            end(one, j, 4)
    ranges, volume = [bar[3] for bar in bars], [bar[4] for bar in bars]
    sizes = (k, round(5 * k / 3), round(8 * k / 3)) if name in OF_SIZES else (k,)
    for scale, size in enumerate(sizes):
        swings = life.swings.setdefault(scale, [])
        fresh = confirmed(swings, size, high, low)
        one = SHAPES[name](Known(side, high, low, close, ranges, volume, swings, fresh, size, given))
        if one is not None:
            keep(life, name, one | {"scale": scale}, j, low[j - size], close, lasts, given)
    if name in ("flag_bull", "pennant_bull"):
        for one in life.found:
            if one["state"] == 1 and one["last"] < j and close[j] < one["lower"][0](j):
                end(one, j, 4)


def confirmed(swings: list[Swing], k: int, high: list[float], low: list[float]) -> set[str]:
    """Adds the swings that the last bar confirms. Returns their kinds."""
    fresh, at = set(), len(high) - 1 - k
    for kind, values, sign in ((HIGH, high, 1), (LOW, low, -1)):
        around = [at + d for d in range(-k, k + 1) if d]
        if at - k >= 0 and all(sign * values[at] > sign * values[i] for i in around):
            swings.append((at, values[at], kind))
            fresh.add(kind)
    for kind in (HIGH, LOW):
        if sum(s[2] == kind for s in swings) > KEPT_SWINGS:
            swings.remove(next(s for s in swings if s[2] == kind))
    return fresh


def keep(
    life: Life, name: str, one: dict[str, Any], j: int, low: float, closes: list[float], lasts: int, given: dict[str, float]
) -> None:
    close = closes[j]
    is_level, is_reversal = name == "level", name in ("double_bottom", "inverse_head_shoulders")
    first = life.found[0] if life.found else None
    if is_reversal and first and first["state"] == 1 and one["last"] != first["last"]:
        last = next(price for bar, price in first["points"] if bar == first["last"])
        if j - first["visible"] < given["apart"] and low >= last:
            return  # the last point of the one before, once more
    if close > one["trigger"](j) + one["height"]:
        return  # over before anybody saw it
    if not is_level and close <= one["trigger"](j) and any(closes[i] > one["trigger"](i) for i in range(one["last"] + 1, j)):
        return  # broken before anybody saw it, and back
    one = {
        "visible": j,
        "state": 1,
        "triggered": None,
        "failed": None,
        "expires": j + (lasts if is_level else min(lasts, int(2 / 3 * (j - one["start"])))),
    } | one
    place = None
    for m, before in enumerate(life.found if is_level or is_reversal else life.found[:1]):
        if is_level:
            same = abs(one["upper"][0](j) - before["upper"][0](j)) <= math.log1p(given["tolerance"])
        else:
            same = one["last"] == before["last"] if is_reversal else one["start"] <= before["last"]
        if same and before["state"] == 1:
            if one["start"] > before["start"] and (is_reversal or one["scale"] < before["scale"]):
                return  # a part of a larger one
            one["visible"], place = before["visible"], m
            break
        if same and (is_reversal or j - max(before["triggered"] or -1, before["failed"] or -1) < REST):
            return
    judge(one, j, close, is_level)
    if place is None:
        life.found = [one, *life.found][: KEPT_LEVELS if is_level else KEPT_PATTERNS]
    else:
        life.found[place] = one


def end(one: dict[str, Any], j: int, state: int) -> None:
    """It ran out: its trigger and its invalidation stand still from then on."""
    one["state"], trigger, invalid = state, one["trigger"](j), one["invalid"](j)
    one["trigger"], one["invalid"] = (lambda j: trigger), (lambda j: invalid)


def judge(one: dict[str, Any], j: int, close: float, is_level: bool) -> None:
    if one["state"] == 1 and close > one["trigger"](j):
        end(one, j, 2)
        one["triggered"] = j
    elif one["state"] in ((2,) if is_level else (1, 2)) and close < one["invalid"](j):
        end(one, j, 3)
        one["failed"] = j


def chosen(life: Life, name: str, nth: int, j: int) -> dict[str, Any] | None:
    found = life.found
    if name == "level":
        near = [one for one in found if one["state"] == 1 or j in (one["triggered"], one["failed"])]
        found = sorted(near, key=lambda one: one["trigger"](j))
    return found[nth - 1] if len(found) >= nth else None


def part_of(name: str, side: int, part: str, one: dict[str, Any], now: int) -> float | None:
    plain = OTHER_SIDE.get(name, name)
    points = POINTS.get(name, POINTS.get(plain, {}))
    if part.endswith(".age"):
        return now - one["points"][points[part[:-4]]][0]
    if part in points:
        return math.exp(side * one["points"][points[part]][1])
    trigger, furthest = math.exp(side * one["trigger"](now)), math.exp(side * (one["trigger"](now) - one["height"]))
    line, _, what = part.rpartition(".")
    if what in ("now", "slope", "touches", "price"):
        other = {"upper": "lower", "lower": "upper"}
        real = line or "upper"
        value, gain, touches = one[other[real] if side < 0 and line else real]
        return (
            math.exp(side * value(now)) if what in ("now", "price") else math.exp(side * gain) - 1 if what == "slope" else touches
        )
    if part == "pole":
        return abs(math.exp(side * one["pole"]) - 1)
    return {
        "state": one["state"],
        "start": now - one["start"],
        "age": now - one["visible"],
        "trigger": trigger,
        "neckline": trigger,
        "invalid": math.exp(side * one["invalid"](now)),
        "height": abs(trigger - furthest),
        "target": 2 * trigger - furthest,
        "quality": one["quality"],
        "since_trigger": None if one["triggered"] is None else now - one["triggered"],
        "since_failed": None if one["failed"] is None else now - one["failed"],
    }[part]


def parts(name: str) -> list[str]:
    """The parts that the pattern has beside those all have."""
    plain = OTHER_SIDE.get(name, name)
    own = list(POINTS.get(name, POINTS.get(plain, {})))
    if "shoulders" in name and "published" not in name:
        own.append("neckline")
    if plain.startswith(("triangle", "wedge", "channel", "base", "flag", "pennant")):
        own += _LINES
    if plain.startswith(("flag", "pennant")):
        own.append("pole")
    if plain == "trend_line_up":
        own += ("now", "slope", "touches")
    own += [f"{point}.age" for point in own if point in POINT_PARTS]
    return [*own, "price", "touches"] if plain == "level" else own


_RANGE = parse_expression("rma(log(max(high, close 1 ago) / min(low, close 1 ago)), 14)")


def bars_of(s: Any) -> tuple:
    """The bars that a pattern looks at, remembered with the evaluation that they are of."""
    key = (s.frame, s.p)
    if key not in s.slow.pattern_bars:
        ranges = s.slow.series(_RANGE, s.frame, s.p)[0]
        s.slow.pattern_bars[key] = tuple(zip(s.high, s.low, s.close, ranges, s.volume, strict=True))
    return s.slow.pattern_bars[key]


def _register(name: str) -> None:
    plain = OTHER_SIDE.get(name, name)

    def life(s: Any, k: float, lasts: float, breaks: str = "up", **given: float) -> tuple[Life, int, int]:
        side = -1 if name in OTHER_SIDE or breaks == "down" else 1
        bars = bars_of(s)
        return lived(plain, side, bars, int(k), int(lasts), tuple(given.items())), side, len(bars) - 1

    def forming(s: Any, nth: float, **given: Any) -> Found:
        alive, _, now = life(s, **given)
        one = chosen(alive, plain, int(nth), now)
        return one is not None and one["state"] == 1, 0

    SLOW[name] = forming
    for part in (*COMMON, *parts(name)):

        def value(s: Any, nth: float, part: str = part, **given: Any) -> Found:
            alive, side, now = life(s, **given)
            price = part.rpartition(".")[2] not in (
                "state",
                "start",
                "age",
                "quality",
                "since_trigger",
                "since_failed",
                "slope",
                "touches",
                "pole",
            )
            if plain == "level" and part.startswith("since"):
                ended = [one["triggered" if part == "since_trigger" else "failed"] for one in alive.found]
                known = [bar for bar in ended if bar is not None]
                return (now - max(known) if known and nth == 1 else None), 0
            one = chosen(alive, plain, int(nth), now)
            return (None if one is None else part_of(name, side, part, one, now)), int(price)

        SLOW[f"{name}.{part}"] = value


for _name in KINDS:
    _register(_name)
