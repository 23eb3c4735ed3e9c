"""Dated index membership and the index instruments computed from it."""

import itertools

import numpy as np
from numpy.typing import NDArray

from wickcore.demo.paths import Grid
from wickcore.demo.prices import Printed

Members = NDArray[np.bool_]
WHOLE = 680


def reviews(days: NDArray[np.int32]) -> list[int]:
    """Session indices on which membership is reviewed: the first of each January and July."""
    months = days.astype("datetime64[D]").astype("datetime64[M]").astype(int)
    turns = np.flatnonzero(np.diff(months)) + 1
    return [0] + [int(t) for t in turns if months[t] % 12 in (0, 6)]


def membership(
    days: NDArray[np.int32], cap: Grid, yields: Grid, trading: NDArray[np.bool_], whole: int | None = None
) -> dict[str, Members]:
    """Who belongs to each index on each session, decided by what was known at the close before the review.

    cap, yields, trading: (sessions, shares). whole: how many shares the market has ever had. A share that stops trading leaves with its
    last bar.
    """
    shape = cap.shape
    marks = {name: np.zeros(shape, np.bool_) for name in ("Harbour 500", "Beacon 100", "Shoal 250", "Tidemark 50")}
    # The names say the sizes in the whole market of 680 shares; a smaller one, made for tests, has smaller indices.
    size_of = {n: max(2, round(n * (whole or shape[1]) / WHOLE)) for n in (500, 250, 100, 50)}
    dates = [*reviews(days), shape[0]]
    for begin, end in itertools.pairwise(dates):
        known = max(0, begin - 1)
        size = np.where(trading[known] & trading[begin], cap[known], -1.0)
        order = np.argsort(-size, kind="stable")
        order = order[size[order] > 0]
        income = order[: size_of[500]]
        chosen = {"Harbour 500": income, "Beacon 100": order[: size_of[100]], "Shoal 250": order[size_of[250] : size_of[500]]}
        chosen["Tidemark 50"] = income[np.argsort(-yields[known][income], kind="stable")[: size_of[50]]]
        for name, who in chosen.items():
            marks[name][begin:end, who] = True
    for mark in marks.values():
        mark &= trading
    return marks


def index_bars(printed: Printed, cap: Grid, members: Members, trading: NDArray[np.bool_], start: float) -> dict[str, Grid]:
    """An index weighted by size: yesterday's weights times today's price relatives, splits taken out, dividends left in the price."""
    before = np.concatenate([printed.close[:1], printed.close[:-1]]) / printed.split
    weight = np.concatenate([cap[:1], cap[:-1]]) * (members & trading & np.concatenate([trading[:1], trading[:-1]]))
    weight /= weight.sum(axis=1, keepdims=True)
    relative = {f: (weight * getattr(printed, f) / before).sum(axis=1) for f in ("open", "high", "low", "close")}
    close = start * np.cumprod(relative["close"])
    base = np.concatenate([[start], close[:-1]])
    open_ = base * relative["open"]
    top, bottom = np.maximum(open_, close), np.minimum(open_, close)
    # Members do not all stand at their highs together: the index reaches a part of the way to the sum of highs.
    high = top + 0.35 * np.maximum(0.0, base * relative["high"] - top)
    low = bottom - 0.35 * np.maximum(0.0, bottom - base * relative["low"])
    volume = (printed.volume * (weight > 0)).sum(axis=1)
    rounded = {f: np.round(column, 2) for f, column in (("open", open_), ("high", high), ("low", low), ("close", close))}
    return {**rounded, "volume": volume}


def intervals(members: Members, days: NDArray[np.int32]) -> list[tuple[int, int, int]]:
    """Membership as (share, first day, last day); the last interval of a present member ends far in the future."""
    found = []
    last = len(days) - 1
    for i in range(members.shape[1]):
        edges = np.flatnonzero(np.diff(np.concatenate([[0], members[:, i].astype(np.int8), [0]])))
        for begin, end in zip(edges[::2], edges[1::2], strict=True):
            until = 2_932_896 if end - 1 == last else int(days[end]) - 1
            found.append((i, int(days[begin]), until))
    return found
