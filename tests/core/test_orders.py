"""Orders of an evening beside the run itself: where the next session opens at the last close, they are what it fills."""

import os
from collections import Counter
from dataclasses import replace
from typing import Any

import numpy as np
import pytest

from tests.core.books import checked, cut, random_book, ready, small_market
from wickcore.bars.bars import build_bars
from wickcore.bars.market import Market
from wickcore.book.orders import Order, orders
from wickcore.book.run import BookRun, run
from wickcore.language.problems import RuleError

BOOKS = int(os.environ.get("BOOKS", "120"))
EVENINGS = (14, 22, 31, 38)
INTO = ("buy", "short")


def with_one_more(market: Market, day: int, met: Order | None = None) -> Market:
    """The market with one session more, on which each name that still trades has a bar at its last close. met: an order that rests, whose bar
    goes as far as its price."""
    bars, tables = market.bars, {}
    for k, symbol in enumerate(bars.symbols):
        part = slice(int(bars.offsets[k]), int(bars.offsets[k + 1]))
        table: dict[str, Any] = {n: getattr(bars, n)[part] for n in ("days", "open", "high", "low", "close", "volume", "factor")}
        if len(table["days"]) and (not len(market.delisted) or market.delisted[k] < 0 or market.delisted[k] >= day):
            close = float(table["close"][-1])
            high = low = close
            if met is not None and met.symbol == symbol and met.at is not None:
                high, low = max(close, met.at), min(close, met.at)
            last = {
                "days": day,
                "open": close,
                "high": high,
                "low": low,
                "close": close,
                "volume": 100.0,
                "factor": table["factor"][-1],
            }
            table = {n: np.append(column, np.asarray(last[n], column.dtype)) for n, column in table.items()}
        tables[symbol] = table
    return replace(market, tables=(build_bars(tables),))


def done(after: BookRun, day: int, before: BookRun) -> tuple[Counter[Any], dict[tuple[str, str, str], float]]:
    """What a run left of what it had held at the evening before, and what it entered on that day: shares by action, symbol, why."""
    bars = after.prepared.bars
    held = {p.number: p for p in before.open}
    left: Counter[Any] = Counter()
    entered: dict[tuple[str, str, str], float] = {}

    def enter(symbol: str, side: str, rule: str, shares: float) -> None:
        key = ("buy" if side == "long" else "short", symbol, rule)
        entered[key] = entered.get(key, 0.0) + shares

    for x in after.trades:
        if x.number in held and x.exit_day == day and x.reason not in ("delisted", "end"):
            at_entry = sum(y.shares for y in after.trades if y.number == x.number)
            today = sum(y.shares for y in after.trades if y.number == x.number and (y.exit_day == day or y.reason == "end"))
            times = held[x.number].shares / today  # as it was split since
            left["sell" if x.side == "long" else "cover", x.symbol, x.reason, round(x.shares * times, 6)] += 1
            assert at_entry > 0
        if int(bars.days[x.entry_row]) == day and x.number not in held:
            enter(x.symbol, x.side, x.rule, x.shares)
    return left, entered


def compare(text: str, seed: int, seen: Counter[str]) -> None:
    whole = small_market(seed)
    days = whole.bars.sessions
    try:
        book = checked(text)
    except RuleError:
        return
    for evening in EVENINGS:
        market, day = cut(whole, int(days[evening])), int(days[evening + 1])
        before = run(ready(market, book))
        told = orders(before)
        after = run(ready(with_one_more(market, day), book))
        if after.ruined or before.ruined:
            continue
        left, entered = done(after, day, before)
        wanted = Counter((o.action, o.symbol, o.why, round(o.shares, 6)) for o in told if o.action not in INTO)
        assert left == wanted, (text, evening, left, told)
        at_open = {(o.action, o.symbol, o.why): o.shares for o in told if o.action in INTO and o.at is None}
        resting = [o for o in told if o.action in INTO and o.at is not None]
        of_rest = {(o.action, o.symbol, o.why) for o in resting}
        filled = {key: shares for key, shares in entered.items() if key in at_open or key not in of_rest}
        assert filled == pytest.approx(at_open, rel=1e-12), (text, evening, entered, told)
        seen.update(
            exits=len(wanted),
            entries=len(at_open),
            impact=len(at_open) * (book.impact > 0),
            least=len(at_open) * (book.cost_least > 0),
        )
        for order in resting[:1]:
            met = run(ready(with_one_more(market, day, order), book))
            _, entered = done(met, day, before)
            more = [key for key in entered if key in of_rest]
            if more == [(order.action, order.symbol, order.why)] and order.at is not None:
                last = float(market.bars.close[market.bars.offsets[market.bars.number[order.symbol] + 1] - 1])
                sign = 1 if order.action == "buy" else -1
                at_its_price = [
                    x for x in met.trades if int(met.prepared.bars.days[x.entry_row]) == day and x.symbol == order.symbol
                ]
                if abs(order.at - last) > 1e-9 and abs(at_its_price[0].entry / (1 + sign * book.slip) - order.at) < 1e-9 * order.at:
                    assert entered[more[0]] == pytest.approx(order.shares, rel=1e-12), (text, evening, entered, told)
                    seen.update(resting=1)


def test_orders_are_what_the_next_session_fills() -> None:
    """With impact, least costs, caps, gross, splits, shorts and draws: the day loop's own sizes, whatever the book says."""
    seen: Counter[str] = Counter()
    for seed in range(BOOKS):
        text = "\n".join(
            line.replace(" at close", " at next open")
            for line in random_book(seed).splitlines()
            if not line.startswith(("exit at close", "    "))
        )
        compare(text, seed % 50, seen)
    assert min(seen[name] for name in ("exits", "entries", "impact", "least", "resting")) > BOOKS // 20, seen
