"""The same book with one thing otherwise: later entries, dearer trades, today's members, without its best trades, without each
rule."""

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np

from wickcore.bars.bars import Floats
from wickcore.book.figures import Curve, curve_of, returns_of, span_days, wholes
from wickcore.book.paths import LEAST_DAYS, annual, block_of, path_ends
from wickcore.book.run import BookRun, run
from wickcore.book.simulation import Trial, without_signals
from wickcore.scan.limits import Limits

BEST = 5


@dataclass(frozen=True, slots=True)
class Variant:
    """difference: of the annual return against the book as it is; low, high: its 95% interval, from draws of days shared by both.
    note: why it could
    not be run, empty where it was."""

    key: str
    label: str
    trades: int
    curve: Curve | None
    difference: float | None
    low: float | None
    high: float | None
    note: str = ""


def what_if(
    trial: Trial, own: BookRun, limits: Limits | None = None, tell: Callable[[str, float], None] = lambda stage, share: None
) -> list[Variant]:
    """Every variant that means something for this book. Raises Stopped."""
    book, prepared = trial.book, own.prepared
    twice = replace(book, cost=2 * book.cost, slip=2 * book.slip, impact=2 * book.impact, cost_least=2 * book.cost_least)
    makers: list[tuple[str, str, Callable[[], BookRun]]] = [
        ("later", "every entry one bar later", lambda: run(trial.prepared(limits=limits, delay=1), limits)),
        ("dearer", "twice the costs and slippage", lambda: run(trial.prepared(twice, limits), limits)),
    ]
    dated = any(e.rule.universe for e in book.enters) and not book.only
    if dated:
        makers.append(
            ("survivors", "only today’s members, on all days", lambda: run(trial.prepared(limits=limits, survivors=True), limits))
        )
    best = sorted((w for w in wholes(own.trades) if w.result > 0), key=lambda w: -w.result)[:BEST]
    if best:
        said = f"without its best {len(best)} trades" if len(best) > 1 else "without its best trade"
        signal = {x.number: (x.signal_row, x.rule) for x in own.trades}
        gone = {signal[w.number] for w in best}
        names = [e.name for e in book.enters]
        each = prepared.signals.each
        mask = np.array([(int(row), names[rule]) in gone for row, rule in zip(each["row"], each["rule"], strict=True)], np.bool_)
        makers.append(("best", said, lambda: run(without_signals(prepared, mask), limits)))
    if len(book.enters) > 1:
        for i, enter in enumerate(book.enters):
            out = prepared.signals.each["rule"] == i
            makers.append(("rule", f"without “{enter.name}”", lambda out=out: run(without_signals(prepared, out), limits)))  # type: ignore[misc]
    found = []
    for i, (key, label, make) in enumerate(makers):
        tell(f"What if: {label}", i / len(makers))
        if limits is not None:
            limits.check()
        found.append(_beside(own, key, label, make))
    return found


def _beside(own: BookRun, key: str, label: str, make: Callable[[], BookRun]) -> Variant:
    try:
        other = make()
    except ValueError as error:
        return Variant(key, label, 0, None, None, None, None, str(error))
    start = own.prepared.book.start
    days, equity = other.daily
    curve = curve_of(days, equity, start)
    mine_days, mine = own.daily
    difference = curve.rate - annual(float(mine[-1] / start), span_days(mine_days))
    low, high = difference_interval(
        returns_of(equity, start), returns_of(mine, start), span_days(mine_days), own.prepared.terms.seed
    )
    return Variant(key, label, len(wholes(other.trades)), curve, difference, low, high)


def difference_interval(a: Floats, b: Floats, days: float, seed: int) -> tuple[float | None, float | None]:
    """The 95% interval of the difference of two annual returns, a less b, from the same draws of days. None where they are of
    unlike days."""
    if len(a) != len(b) or len(a) < LEAST_DAYS:
        return None, None
    block = block_of(b)
    ends = [np.array([annual(g, days) for g in path_ends(r, block, seed)[0]]) for r in (a, b)]
    low, high = np.percentile(ends[0] - ends[1], [2.5, 97.5])
    return float(low), float(high)
