"""The published shapes of five extremes and the published double, as slow_shapes has the others."""

import itertools
import math

from tests.core.slow_shapes import HIGH, LOW, Known, Swing, flat, proportioned


def extremes(k: Known) -> list[Swing]:
    """Swings that take turns, the oldest first; of several of a kind in a row the furthest."""
    found: list[Swing] = []
    for s in sorted(k.swings, key=lambda s: (s[0], s[2] == HIGH)):
        if not found or found[-1][2] != s[2]:
            found.append(s)
        elif (s[1] > found[-1][1]) if s[2] == HIGH else (s[1] < found[-1][1]):
            found[-1] = s
    return found


def near(k: Known, share: float, *prices: float) -> bool:
    real = [math.exp(k.side * p) for p in prices]
    average = sum(real) / len(real)
    return all(abs(p - average) <= share * average for p in real)


def five(k: Known, shape: str) -> dict | None:
    e = extremes(k)[-5:]
    if LOW not in k.fresh or len(e) < 5 or e[-1] != k.of(LOW)[0] or e[4][0] - e[0][0] >= k.given["within"]:
        return None
    e1, e2, e3, e4, e5 = (s[1] for s in e)
    if not {
        "head": e3 < e1 and e3 < e5 and near(k, 0.015, e1, e5) and near(k, 0.015, e2, e4),
        "broadening": e1 > e3 > e5 and e2 < e4,
        "triangle": e1 < e3 < e5 and e2 > e4,
        "rectangle": near(k, 0.0075, e1, e3, e5) and near(k, 0.0075, e2, e4) and min(e2, e4) > max(e1, e3, e5),
    }[shape]:
        return None
    if not proportioned(k, [s[:2] for s in e]):
        return None
    trigger, invalid = max(e2, e4), min(e1, e3, e5)
    gaps = [b[0] - a[0] for a, b in itertools.pairwise(e)]
    return {
        "start": e[0][0], "last": e[4][0], "trigger": flat(trigger), "invalid": flat(invalid), "height": trigger - invalid,
        "quality": 100 * min(gaps) / (sum(gaps) / 4), "points": [s[:2] for s in e],
    }  # fmt: skip


def published_double(k: Known) -> dict | None:
    if LOW not in k.fresh:
        return None
    (at, price, _), *earlier = k.of(LOW)
    for n, (at1, price1, _) in enumerate(earlier):
        if at - at1 >= k.given["within"] or any(s[1] < price for s in earlier[:n]):
            return None
        tops = [s for s in k.of(HIGH) if at1 < s[0] < at]
        if at - at1 <= 22 or not near(k, 0.015, price, price1) or not tops:
            continue
        top = max(tops, key=lambda s: (s[1], s[0]))
        if not proportioned(k, [(at1, price1), top[:2], (at, price)]):
            continue
        a, b = (math.exp(p) for p in (price, price1))
        return {
            "start": at1, "last": at, "trigger": flat(top[1]), "invalid": flat(min(price, price1)), "height": top[1] - min(price, price1),
            "quality": 100 * (1 - abs(a - b) / (a + b) / 0.015), "points": [(at1, price1), top[:2], (at, price)],
        }  # fmt: skip
    return None
