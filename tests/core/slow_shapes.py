"""What each chart pattern is made of, once more, straight from its words: plain lists, no running sums, every close looked at for every line.

A shape is asked with what is known on the last bar of the lists, prices as logarithms of its own direction, swings as (bar, price, kind) from
the oldest to the newest, and answers with a dictionary or None.
"""

import itertools
import math
from dataclasses import dataclass, field
from typing import Any

import numpy as np

HIGH, LOW = "high", "low"
Swing = tuple[int, float, str]


@dataclass
class Known:
    """What is known on bar j, the last. fresh: the kinds of the swings that this bar confirms."""

    side: int
    high: list[float]
    low: list[float]
    close: list[float]
    ranges: list[float | None]
    volume: list[float]
    swings: list[Swing]
    fresh: set[str]
    k: int
    given: dict[str, float] = field(default_factory=dict)

    @property
    def j(self) -> int:
        return len(self.close) - 1

    def of(self, kind: str) -> list[Swing]:
        """The swings of a kind, the newest first."""
        return [s for s in reversed(self.swings) if s[2] == kind]


def flat(value: float) -> Any:
    return lambda j: value


def proportioned(k: Known, points: list[tuple[int, float]]) -> bool:
    legs = list(itertools.pairwise(points))
    ranges = k.ranges[-1]
    if not ranges:
        return False
    bars = [b[0] - a[0] for a, b in legs]
    return all(abs(b[1] - a[1]) >= k.given["leg"] * ranges for a, b in legs) and min(bars) >= k.given["even"] * max(bars)


def led(k: Known, at: int, low: float, height: float, length: int) -> bool:
    """A fall leads to the low: none lies lower in twice as many bars before as the pattern takes; from the highest there it falls by the
    pattern's height, and the last bar that reached four fifths of the way up to it lies a fifth of the pattern's bars back or more."""
    before = range(max(0, at - 2 * length), at)
    if any(k.low[i] < low for i in before) or not before:
        return False
    crest = max(k.high[i] for i in before)
    near = max(i for i in before if k.high[i] >= crest - 0.2 * (crest - low))
    return crest - low >= height and at - near >= 0.2 * length


def double(k: Known) -> dict | None:
    tolerance, apart, depth = math.log1p(k.given["tolerance"]), int(k.given["apart"]), math.log1p(k.given["depth"])
    if LOW not in k.fresh:
        return None
    (at2, low2, _), *earlier = k.of(LOW)
    for at1, low1, _ in earlier:
        if at2 - at1 > k.given["within"]:
            return None
        between = range(at1 + 1, at2)
        if at2 - at1 < apart or abs(low1 - low2) > tolerance:
            continue
        neckline = max(k.high[i] for i in between)
        height = neckline - min(low1, low2)
        rise = neckline - max(low1, low2)
        if rise < depth or min(k.low[i] for i in between) < min(low1, low2) or abs(low1 - low2) > height / 4:
            continue
        if any(price < max(low1, low2) for at, price, _ in earlier if at > at1) or not led(k, at1, low1, height, at2 - at1):
            continue
        top = next(i for i in between if k.high[i] == neckline)
        if not proportioned(k, [(at1, low1), (top, neckline), (at2, low2)]):
            continue
        shares = (1 - abs(low1 - low2) / tolerance, min(1, rise / (2 * depth)), 1 - abs(2 * (top - at1) / (at2 - at1) - 1))
        return {
            "start": at1, "last": at2, "trigger": flat(neckline), "invalid": flat(min(low1, low2)), "height": neckline - min(low1, low2),
            "quality": 100 * sum(shares) / 3, "points": [(at1, low1), (top, neckline), (at2, low2)],
        }  # fmt: skip
    return None


def shoulders(k: Known) -> dict | None:
    tolerance, apart, depth = math.log1p(k.given["tolerance"]), int(k.given["apart"]), math.log1p(k.given["depth"])
    within, h, lo = k.given["within"], k.high, k.low
    if LOW not in k.fresh:
        return None
    (right, low3, _), *earlier = k.of(LOW)
    for m, (head, low2, _) in enumerate(earlier):
        if right - head > within:
            return None
        if right - head < apart or low3 - low2 < tolerance:
            continue
        for n, (left, low1, _) in enumerate(earlier[m + 1 :], m + 1):
            if right - left > within:
                break
            if head - left < apart or low1 - low2 < tolerance or abs(low1 - low3) > tolerance:
                continue
            if any(s[1] < low3 for s in earlier[:m]) or any(s[1] < low1 for s in earlier[m + 1 : n]):
                continue
            if min(lo[left : right + 1]) < low2:
                break
            a = max(range(left + 1, head), key=lambda i: h[i])
            b = max(range(head + 1, right), key=lambda i: h[i])
            if min(h[a], h[b]) - low2 < depth or h[a] <= low1 or h[b] <= low3 or abs(h[b] - h[a]) > 2 * tolerance:
                continue
            gain = (h[b] - h[a]) / (b - a)
            height, sides = h[a] + gain * (head - a) - low2, (head - left, right - head)
            if abs(h[b] - h[a]) > height / 4 or min(sides) < 0.4 * max(sides):
                continue
            if min(low1 - low2, low3 - low2, h[a] - low1, h[b] - low3) < height / 5 or not led(k, left, low1, height, right - left):
                continue
            points = [(left, low1), (a, h[a]), (head, low2), (b, h[b]), (right, low3)]
            if not proportioned(k, points):
                continue
            shares = (
                1 - abs(low1 - low3) / tolerance, 1 - abs(h[b] - h[a]) / (2 * tolerance), 1 - abs(2 * (head - left) / (right - left) - 1),
            )  # fmt: skip
            return {
                "start": left, "last": right, "trigger": lambda j, a=a, gain=gain: h[a] + gain * (j - a), "invalid": flat(min(low1, low3)),
                "height": height, "quality": 100 * sum(shares) / 3,
                "points": points,
            }  # fmt: skip
    return None


def lines(k: Known, kind: str, slack: float, latest: float, way: int) -> list[tuple[Any, float, Swing]]:
    """Lines through the newest swing of the kind and earlier ones, none of whose closes lies beyond by more than slack: the line, its gain
    and the swing it begins at, `latest` or before; the twelve that begin latest. way: 1 for rising ones, -1 for falling ones, 0 for any."""
    found = []
    swings = k.of(kind)
    for other in swings[1:]:
        (t1, p1, _), (t0, p0, _) = other, swings[0]
        if t0 - t1 > k.given["within"]:
            break
        gain = (p0 - p1) / (t0 - t1)
        line = lambda j, p0=p0, t0=t0, gain=gain: p0 + gain * (j - t0)  # noqa: E731
        sign = 1 if kind == HIGH else -1
        if t1 <= latest and way * gain >= 0 and all(sign * (k.close[i] - line(i)) <= slack for i in range(t1, k.j + 1)):
            found.append((line, gain, other))
    return found[:12]


def stretches(bars: list[int]) -> list[int]:
    return [abs(b - a) for a, b in itertools.pairwise(bars)]


def broken(k: Known, kind: str, line: Any, slack: float, start: int) -> bool:
    """Three closes in a row beyond the line by a tenth of the touch distance, or a bar that reaches two of them beyond, since the start."""
    sign, furthest = (1, k.high) if kind == HIGH else (-1, k.low)
    beyond = [sign * (k.close[i] - line(i)) > 0.1 * slack for i in range(start, k.j + 1)]
    reach = any(sign * (furthest[i] - line(i)) > 2 * slack for i in range(start, k.j + 1))
    return reach or any(all(beyond[i : i + 3]) for i in range(len(beyond) - 2))


def entered(k: Known, kind: str, start: int, last: int, width: float, slack: float) -> bool:
    """Price came into the first touch over two fifths of the width, and went no further beyond it on the way."""
    for i in range(start - 1, max(0, 2 * start - last) - 1, -1):
        if (k.high[i] > k.high[start] + slack) if kind == HIGH else (k.low[i] < k.low[start] - slack):
            return False
        if (k.high[start] - k.low[i] if kind == HIGH else k.high[i] - k.low[start]) >= 0.4 * width:
            return True
    return False


def two_lines(k: Known, ways: tuple[int, int], fits: Any, touched: int = 5, gaps: tuple[float, float] = (0.5, 0.7)) -> dict | None:
    """touched: by so many turning points at least. gaps: shares of the length between two touches, and between two of one line, at most."""
    if not k.fresh or not k.of(HIGH) or not k.of(LOW):
        return None
    # The touch distance of each line is that of the bar which confirmed its newest turning point.
    range0, range1 = (k.ranges[k.of(kind)[0][0] + k.k] for kind in (HIGH, LOW))
    if range0 is None or range1 is None:
        return None
    slacks = {HIGH: k.given["touch"] * range0, LOW: k.given["touch"] * range1}
    high0, low0 = k.of(HIGH)[0], k.of(LOW)[0]
    last = max(high0[0], low0[0])
    best: dict | None = None
    above, below = (lines(k, kind, slacks[kind], k.j, way) for kind, way in zip((HIGH, LOW), ways, strict=True))
    for (over, gain0, high1), (under, gain1, low1) in itertools.product(above, below):
        both, start = max(high1[0], low1[0]), min(high1[0], low1[0])
        width = [over(t) - under(t) for t in (both, last)]
        if last - both < k.given["length"] or min(width) <= 0 or both - start > (last - start) / 3:
            continue
        if min(width) < k.given["leg"] * k.ranges[-1] or last - min(high0[0], low0[0]) > 0.4 * (last - start):
            continue
        # Each line, the one that begins later too, has stood since the beginning of the other.
        if any(k.close[i] - over(i) > slacks[HIGH] or under(i) - k.close[i] > slacks[LOW] for i in range(start, both)):
            continue
        if not fits(gain0 * (last - both) / width[0], gain1 * (last - both) / width[0], width[1] / width[0], max(width)):
            continue
        touches = []
        for s in sorted(k.swings, key=lambda s: (s[0], s[2] == HIGH)):
            line, begin = (over, high1[0]) if s[2] == HIGH else (under, low1[0])
            away = abs(s[1] - line(s[0])) / slacks[s[2]]
            if s[0] >= begin and away <= 1:
                touches.append((s[2], away, s[0]))
        turns = len(list(itertools.groupby(t[0] for t in touches)))
        many = [sum(t[0] == kind for t in touches) for kind in (HIGH, LOW)]
        score = sum(many) + (last - start) / 10_000
        if turns < 4 or len(touches) < touched or (best is not None and score <= best["score"]):
            continue
        if max(stretches([t[2] for t in touches])) > gaps[0] * (last - start):
            continue
        if any(max(stretches([t[2] for t in touches if t[0] == kind])) > gaps[1] * (last - start) for kind in (HIGH, LOW)):
            continue
        crossings = [b[2] - a[2] for a, b in itertools.pairwise(touches) if a[0] != b[0]]
        if min(crossings) < 0.2 * max(crossings) or any(
            broken(k, kind, line, slacks[kind], start) for kind, line in ((HIGH, over), (LOW, under))
        ):
            continue
        if max(abs(k.close[i] - k.close[i - 1]) for i in range(start + 1, last + 1)) > width[0] / 2:
            continue
        earlier = LOW if high1[0] > low1[0] else HIGH
        if not entered(k, earlier, start, last, over(start) - under(start), slacks[earlier]):
            continue
        shares = (
            1 - sum(t[1] for t in touches) / len(touches), min(1, (len(touches) - 4) / 4), min(many) / max(many),
        )  # fmt: skip
        best = {
            "score": score, "start": start, "last": last, "trigger": over, "invalid": under, "height": width[0],
            "quality": 100 * sum(shares) / 3, "points": [high1[:2], high0[:2], low1[:2], low0[:2]],
            "upper": (over, gain0, many[0]), "lower": (under, gain1, many[1]),
        }  # fmt: skip
    return best


def narrow(k: Known, ways: tuple[int, int], shape: Any, touched: int = 4) -> dict | None:
    return two_lines(k, ways, lambda a, b, ratio, width: ratio <= k.given["narrows"] and shape(a, b, k.given["flat"]), touched)


def trend_line(k: Known) -> dict | None:
    ranges = k.ranges[-1]
    if LOW not in k.fresh or ranges is None:
        return None
    slack, best = k.given["touch"] * ranges, None
    newest = k.of(LOW)[0]
    for line, gain, first in lines(k, LOW, slack, newest[0] - k.given["length"], 1):
        touching: list[Swing] = []
        for s in k.of(LOW):
            apart = not touching or touching[-1][0] - s[0] >= 5
            if apart and s[0] >= first[0] and abs(s[1] - line(s[0])) <= slack:
                touching.append(s)
        score = len(touching) + (newest[0] - first[0]) / 10_000
        if (
            gain * (newest[0] - first[0]) < k.given["leg"] * ranges
            or newest[0] - first[0] < k.given["length"]
            or len(touching) < k.given["touches"]
            or touching[-1] != first
            or max(stretches([s[0] for s in touching])) > 0.5 * (newest[0] - first[0])
            or broken(k, LOW, line, slack, first[0])
        ):
            continue
        if best is not None and score <= best["score"]:
            continue
        trigger = max(k.high[touching[1][0] :])
        away = sum(abs(s[1] - line(s[0])) for s in touching) / len(touching)
        best = {
            "score": score, "start": first[0], "last": newest[0], "trigger": flat(trigger), "invalid": line, "height": trigger - newest[1],
            "quality": 50 * (1 - away / slack + min(1, (len(touching) - 2) / 4)), "points": [s[:2] for s in touching][:6],
            "upper": (line, gain, len(touching)),
        }  # fmt: skip
    return best


def level(k: Known) -> dict | None:
    if not k.fresh:
        return None
    newest = k.of(HIGH if HIGH in k.fresh else LOW)[0]
    tolerance = math.log1p(k.given["tolerance"])
    sharing: list[Swing] = []
    for s in sorted(k.swings, key=lambda s: (s[0], s[2] == HIGH), reverse=True):
        near_it = newest[0] - s[0] <= k.given["within"] and abs(s[1] - newest[1]) <= tolerance
        if near_it and (not sharing or sharing[-1][0] - s[0] >= k.given["apart"]):
            sharing.append(s)
    price = sum(s[1] for s in sharing) / len(sharing)
    if len(sharing) < k.given["touches"] or k.close[-1] > price:
        return None
    start = min(s[0] for s in sharing)
    sides = [c > price for c in k.close[start:] if abs(c - price) > tolerance]
    if 2 * sum(a != b for a, b in itertools.pairwise(sides)) >= len(sharing):
        return None
    low = min(k.low[start:])
    away = sum(abs(s[1] - newest[1]) for s in sharing) / len(sharing)
    return {
        "start": start, "last": newest[0], "trigger": flat(price), "invalid": flat(price - tolerance), "height": price - low,
        "quality": 50 * (1 - away / tolerance + min(1, (len(sharing) - 2) / 4)), "points": [], "upper": (flat(price), 0, len(sharing)),
    }  # fmt: skip


def flag(k: Known, pennant: bool) -> dict | None:
    g = k.given
    if not k.of(HIGH):
        return None
    top, price, _ = k.of(HIGH)[0]
    before = list(range(max(0, top - int(g["climb"])), top))
    rest = list(range(top + 1, k.j + 1))
    if not g["least"] <= len(rest) <= g["most"] or not before:
        return None
    bottom = min(before, key=lambda i: (k.low[i], i))
    rise, ranges = price - k.low[bottom], k.ranges[bottom]
    if ranges is None or rise < g["strength"] * ranges * math.sqrt(top - bottom):
        return None
    need = g["strength"] * ranges * math.sqrt(top - bottom)
    if max(k.high[bottom:top]) >= price or max(k.high[i] for i in rest) > price:
        return None
    fallen = price - min(k.low[i] for i in rest)
    on_pole = sum(k.volume[bottom + 1 : top + 1]) / (top - bottom)
    resting = sum(k.volume[i] for i in rest) / len(rest)
    if fallen > g["back"] * rise or resting >= on_pole:
        return None

    def bound(values: list[float], sign: int) -> tuple[Any, float]:
        gain, at = np.polyfit(rest, values, 1)
        off = max(sign * (v - gain * i - at) for i, v in zip(rest, values, strict=True))
        return (lambda j: gain * j + at + sign * off), gain

    over, gain0 = bound([k.high[i] for i in rest], 1)
    under, gain1 = bound([k.low[i] for i in rest], -1)
    ratio = (over(rest[-1]) - under(rest[-1])) / (over(rest[0]) - under(rest[0]))
    if pennant:
        if ratio > g["narrows"] or gain0 >= 0 or gain1 <= 0:
            return None
    elif not g["narrows"] < ratio < 1 / g["narrows"] or gain0 + gain1 > 0:
        return None
    shares = (min(1, rise / (2 * need)), 1 - fallen / (g["back"] * rise), 1 - resting / on_pole)
    return {
        "start": bottom, "last": k.j, "trigger": over, "invalid": flat(price - g["back"] * rise), "height": rise, "pole": rise,
        "quality": 100 * sum(shares) / 3, "points": [(bottom, k.low[bottom]), (top, price)], "expires": top + int(g["most"]),
        "upper": (over, gain0, 0), "lower": (under, gain1, 0),
    }  # fmt: skip


def cup(k: Known, rim: Swing) -> dict | None:
    g, best = k.given, None
    tolerance, depth, rise = math.log1p(g["tolerance"]), math.log1p(g["depth"]), math.log1p(g.get("rise", 0))
    right, price, _ = rim
    for left, top, _ in (s for s in k.of(HIGH) if s[0] < right):
        if right - left > g["within"] or top > price + tolerance:
            break
        if right - left < g["length"] or abs(top - price) > tolerance or max(k.high[left + 1 : right]) > max(top, price):
            continue
        bottom = min(range(left + 1, right), key=lambda i: (k.low[i], i))
        if min(top, price) - k.low[bottom] < depth:
            continue
        height = max(top, price) - k.low[bottom]
        lead = range(max(0, left - max(60, right - left)), left)
        if rise:
            foot = min(lead, key=lambda i: (k.low[i], i), default=None)
            low_rim = min(top, price) - k.low[bottom]
            if foot is None or top - k.low[foot] < max(rise, low_rim) or left - foot < 0.2 * (right - left):
                continue
        third = k.low[bottom] + (max(top, price) - k.low[bottom]) / 3
        if sum(c < third for c in k.close[left : right + 1]) / (right - left + 1) < g["broad"]:
            continue
        few, closes = max(2, (right - left) // 10), k.close[left : right + 1]
        leaps = [max(abs(closes[i] - closes[max(0, i - n)]) for i in range(1, len(closes))) for n in (1, few)]
        if leaps[0] > height / 4 or leaps[1] > height / 2:
            continue
        x, y = np.linspace(-1, 1, right - left + 1), np.array(k.close[left : right + 1])
        square, linear, constant = np.polyfit(x, y, 2)
        turn = -linear / (2 * square)
        if square <= 0 or abs(turn) > 0.5:
            continue
        fit = 1 - ((y - np.polyval((square, linear, constant), x)) ** 2).sum() / ((y - y.mean()) ** 2).sum()
        if fit < g["fit"] or (best is not None and fit <= best["fit"]):
            continue
        trigger = max(top, price)
        height = trigger - k.low[bottom]
        shares = (
            (fit - g["fit"]) / (1 - g["fit"]), 1 - abs(top - price) / tolerance, 1 - abs(2 * (bottom - left) / (right - left) - 1),
        )  # fmt: skip
        best = {
            "fit": fit, "start": left, "last": right, "trigger": flat(trigger), "invalid": flat(trigger - height / 2), "height": height,
            "quality": 100 * sum(shares) / 3, "points": [(left, top), (bottom, k.low[bottom]), (right, price)],
        }  # fmt: skip
    return best


def saucer(k: Known) -> dict | None:
    return cup(k, k.of(HIGH)[0]) if HIGH in k.fresh else None


def cup_handle(k: Known) -> dict | None:
    if LOW not in k.fresh:
        return None
    at, price, _ = k.of(LOW)[0]
    rims = [s for s in k.of(HIGH) if s[0] < at and at - s[0] <= k.given["most"]]
    if not rims:
        return None
    rim = max(rims, key=lambda s: (s[1], s[0]))
    since = range(rim[0] + 1, k.j + 1)
    if max(k.high[i] for i in since) > rim[1] or min(k.low[i] for i in since) < price:
        return None
    found = cup(k, rim)
    if found is None or price < found["invalid"](0):
        return None
    shallow = 1 - (found["trigger"](0) - price) / (found["height"] / 2)
    found |= {"last": at, "invalid": flat(price), "quality": (3 * found["quality"] + 100 * shallow) / 4}
    found["points"].append((at, price))
    return found
