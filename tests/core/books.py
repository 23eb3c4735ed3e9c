"""Small invented markets and books at random, for tests that run one against the other."""

from dataclasses import replace
from typing import Any

import numpy as np

from tests.made import weekdays
from wickcore.bars.bars import build_bars
from wickcore.bars.factor import factor_of_events
from wickcore.bars.market import Market, Membership
from wickcore.book.prepare import Prepared, Span, prepare
from wickcore.language.book import CheckedBook
from wickcore.language.book_check import check_book
from wickcore.scan.evaluate import Evaluator

RULES = {
    "Up": "close > open",
    "Strong": "close > highest(high, 3) 1 ago",
    "Dip": "close < open\nclose < (close 1 ago)",
    "Open gap": "decide: open\nopen > (close 1 ago)",
    "Down": "side: short\nclose < lowest(low, 3) 1 ago",
    "Weekly": "bars: week\nclose > open",
}
LONG, SHORT = ["Up", "Strong", "Dip", "Open gap"], ["Down"]


def small_market(seed: int, count: int = 5, length: int = 45) -> Market:
    """A few names on a few weeks, prices in coarse steps so that levels are touched exactly and ranks tie; some split, pay, skip
    days, or end."""
    rng = np.random.default_rng(seed)
    days = weekdays(length)
    found: dict[str, dict[str, Any]] = {}
    dividends: list[list[tuple[int, float]]] = []
    delisted = np.full(count + 1, -1, np.int32)
    for k in range(count + 1):
        close = np.maximum(2.0, 20 + np.cumsum(rng.normal(0.02, 0.6, length)))
        open_ = np.maximum(1.0, np.concatenate([[20.0], close[:-1]]) + rng.normal(0, 0.5, length) * (rng.random(length) < 0.6))
        step = 0.25 if k % 2 else 0.5
        open_, close = np.round(open_ / step) * step, np.round(close / step) * step
        high = np.maximum(open_, close) + step * rng.integers(0, 4, length)
        low = np.maximum(step, np.minimum(open_, close) - step * rng.integers(0, 4, length))
        table = {"open": open_, "high": high, "low": low, "close": close, "volume": rng.integers(1, 9, length) * 100.0}
        splits: list[tuple[int, float]] = []
        paid: list[tuple[int, float]] = []
        if k and rng.random() < 0.5:
            at, ratio = int(rng.integers(5, length)), float(rng.choice([2.0, 3.0, 0.5]))
            for name in ("open", "high", "low", "close"):
                table[name][at:] = table[name][at:] / ratio
            splits.append((int(days[at]), ratio))
        for _ in range(int(rng.integers(0, 3)) if k else 0):
            at = int(rng.integers(3, length))
            paid.append((int(days[at]), round(float(table["close"][at - 1]) * 0.03, 2)))
        paid = sorted({day: (day, amount) for day, amount in paid}.values())
        traded = rng.random(length) > (0.08 if k else 0.0)
        if k and rng.random() < 0.4:
            end = int(rng.integers(length // 2, length - 1))
            traded[end:] = False
            delisted[k] = days[np.flatnonzero(traded)[-1]]
        symbol = f"S{k:02d}"
        own = {"days": days[traded], **{name: column[traded] for name, column in table.items()}}
        own["factor"] = factor_of_events(own["days"], own["close"], splits, paid)
        found[symbol] = own
        dividends.append([x for x in paid if x[0] in set(own["days"][1:].tolist())])
    bars = build_bars(found)
    offsets = np.concatenate([[0], np.cumsum([len(d) for d in dividends])]).astype(np.int64)
    flat = [x for d in dividends for x in d]
    table_of = (offsets, np.array([x[0] for x in flat], np.int32), np.array([x[1] for x in flat], np.float64))
    members = Membership(
        np.arange(1, count + 1),
        np.full(count, days[0]),
        np.array([days[int(rng.integers(length // 2, length))] for _ in range(count)], np.int32),
    )
    return Market(
        (bars,),
        delisted=delisted if rng.random() < 0.8 else np.empty(0, np.int32),
        dividends=table_of,
        universes={"some": members},
        benchmark="S00",
    )


def random_book(seed: int) -> str:
    """The text of a book with some of everything."""
    rng = np.random.default_rng(seed)

    def one(*choices: str) -> str:
        return str(rng.choice(np.array(choices, object)))

    longs = list(rng.choice(LONG, int(rng.integers(1, 3)), replace=False))
    sides = longs + (SHORT if rng.random() < 0.4 else [])
    if rng.random() < 0.15:
        sides, longs = list(SHORT), []
    if rng.random() < 0.1:
        sides = [*sides, "Weekly"]
    price = {
        1: ["high + 0.25", "low", "close - 0.5", "high", "sma(3)"],
        -1: ["low - 0.25", "high", "close + 0.5", "sma(3)"],
    }
    lines = [f"start: {one('1000', '5k', '20k', '100k')}", f"slots: {int(rng.integers(1, 5))}"]
    lines.append(one("size: equal", "size: risk 2%", "size: money 700", "size: volatility 1%", "size: risk 5% at most 30%",
                     "size: equal at most 5% of a day's money"))  # fmt: skip
    if rng.random() < 0.7:
        lines.append(one("rank: volume", "rank: change", "rank: -close", "rank: sma(5)"))
    for chance, line in (
        (0.3, one("only while: close > sma(3)", "only while: benchmark(close > open)")), (0.25, "out unless: close > sma(4)"),
        (0.5, one("cost: 0.1%", "cost: 0.2% at least 2", "cost: 0%")), (0.5, one("slip: 0.1%", "slip: 0.05% impact 0.3")),
        (0.3, one("gross: 50%", "gross: 200%")), (0.3, "cash earns: 3%"), (0.3, "borrow costs: 4%"), (0.3, "universe: some"),
        (0.3, "leaves: exit"), (0.3, one("delisting: 0%", "delisting: 50%")), (0.2, "fractions: yes"),
    ):  # fmt: skip
        if rng.random() < chance:
            lines.append(line)
    for name in sides:
        side = -1 if name in SHORT else 1
        how = one("at next open", "at next open", "at close", f"at {one(*price[side])} for {int(rng.integers(1, 4))} bars")
        lines.append(f'enter "{name}" {"at next open" if name == "Open gap" else how}')
    for side, sign in (("long", "-"), ("short", "+")):
        if (side == "long" and not (longs or "Weekly" in sides)) or (side == "short" and "Down" not in sides):
            continue
        other = "+" if sign == "-" else "-"
        lines.append(f"stop {side}: " + one(f"entry {sign} 1", f"entry {sign} 2 * atr(3)", "low" if side == "long" else "high"))
        if rng.random() < 0.5:
            lines.append(f"follow {side}: " + one(f"best {sign} 1.5", f"best {sign} atr(3)", f"close {sign} 1"))
        if rng.random() < 0.6:
            lines.append(f"target {side}: entry {other} {one('1', '2 * risk', '0.5')}" + one("", ", half", ", 30%"))
            if rng.random() < 0.4:
                lines.append(f"target {side}: entry {other} 3" + one("", ", half"))
        if rng.random() < 0.7:
            lines.append(
                f"exit {side} when "
                + one("bars_held >= 4", "gain_r > 1 or bars_held >= 6", "close < open", "gain < -3% and worst < entry")
            )
        if rng.random() < 0.3:
            lines.append(f"exit at close {side} when any of:\n    bars_held >= 3 and gain > 2%\n    best > entry + 2")
    return "\n".join(lines)


def checked(text: str) -> CheckedBook:
    return check_book(text, RULES)


def ready(market: Market, book: CheckedBook, seed: int = 1, span: Span | None = None) -> Prepared:
    return prepare(Evaluator(market, threads=1), book, span or Span(), market.members, seed)


def cut(market: Market, day: int) -> Market:
    """The market as it was known at a day's close: later bars are gone; what was announced ahead stays."""
    return replace(market, tables=tuple(t.cut(day) for t in market.tables))
