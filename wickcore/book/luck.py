"""How much was the pick: the same book with its signals drawn at random, many times."""

import os
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass

import numpy as np

from wickcore.bars.bars import Floats
from wickcore.book.figures import falls_of, span_days
from wickcore.book.paths import annual
from wickcore.book.prepare import Prepared
from wickcore.book.run import BookRun, equity_of, heeding
from wickcore.scan.limits import Limits

PICKS = 500


@dataclass(frozen=True, slots=True)
class Luck:
    """annual, fall: of each draw. low, high: between these 95% of the draws' annual returns lie. below: the share of draws that
    made less than the
    book's own order did; None for a book without a rank, whose own pick is one of the draws. choice: the share of signals that had
    to be
    chosen among: without one, all draws are alike."""

    picks: int
    annual: tuple[float, ...]
    fall: tuple[float, ...]
    own: float
    own_fall: float
    low: float
    high: float
    median: float
    below: float | None
    crowded: int


def luck(
    prepared: Prepared, own: BookRun, picks: int = PICKS, limits: Limits | None = None,
    tell: Callable[[str, float], None] = lambda stage, share: None,
) -> Luck:  # fmt: skip
    """Runs the book with so many random picks, on two threads. Raises Stopped."""
    terms, tape = prepared.terms, prepared.tape
    days = tape.days[terms.first : terms.last + 1]
    span, start = span_days(days), prepared.book.start
    stop = np.zeros(1, np.bool_)
    yearly, fall, done = np.empty(picks), np.empty(picks), [0]

    def one(i: int) -> None:
        if stop[0]:
            return
        equity = equity_of(prepared, prepared.terms.seed + 1 + i, stop)
        money: Floats = equity[: int(np.argmax(equity <= 0.0)) + 1] if (equity <= 0.0).any() else equity
        yearly[i] = annual(float(money[-1] / start), span)
        fall[i] = float(np.min(falls_of(days[: len(money)], money, start)))
        done[0] += 1
        if done[0] % 10 == 0:
            tell(f"Random picks: {done[0]} of {picks}", done[0] / picks)

    with heeding(limits, stop), ThreadPoolExecutor(min(2, os.cpu_count() or 1), "luck") as pool:
        list(pool.map(one, range(picks)))
    own_days, own_equity = own.daily
    mine = annual(float(own_equity[-1] / start), span_days(own_days))
    low, high = np.percentile(yearly, [2.5, 97.5])
    below = float(np.mean(yearly < mine)) if terms.ranked else None
    own_fall = float(np.min(falls_of(own_days, own_equity, start)))
    return Luck(
        picks, tuple(yearly.tolist()), tuple(fall.tolist()), mine, own_fall, float(low), float(high), float(np.median(yearly)), below,
        own.signals["no_slot"],
    )  # fmt: skip
