"""The day loop against a simulator of dictionaries, on small markets and books at random."""

import os

import numpy as np
import pytest

from tests.core.books import checked, random_book, ready, small_market
from tests.core.slow_book import SlowBook
from tests.core.slow_values import drawn_like_the_loop
from wickcore.book.prepare import Span
from wickcore.book.run import BookRun, run
from wickcore.scan.evaluate import Evaluator

EACH = 20
PARTS = int(os.environ.get("BOOKS", "400")) // EACH


def compare(seed: int, delay: int = 0) -> BookRun:
    market, text = small_market(seed), random_book(seed)
    book = checked(text)
    fast = run(ready(market, book, seed=3, span=Span(delay=delay)))
    slow = SlowBook(market, book, Evaluator(market, threads=1), drawn_like_the_loop(3, market.bars), delay)
    slow.run()
    size = len(slow.equity)
    np.testing.assert_allclose(fast.equity[:size], slow.equity, rtol=1e-9, atol=1e-7, err_msg=f"seed {seed}\n{text}")
    mine = [(x.symbol, x.rule, x.entry_day, x.exit_day, x.reason, x.lines) for x in fast.trades]
    other = [(x["symbol"], x["rule"], x["entry_day"], x["exit_day"], x["reason"], x["lines"]) for x in slow.trades]
    assert mine == other, f"seed {seed}\n{text}"
    for a, b in zip(fast.trades, slow.trades, strict=True):
        assert (a.entry, a.shares, a.exit) == pytest.approx((b["entry"], b["shares"], b["exit"]), rel=1e-9)
        assert a.result == pytest.approx(b["result"], rel=1e-9, abs=1e-7)
        assert (a.best, a.worst) == pytest.approx((b["best"], b["worst"]), rel=1e-9, abs=1e-12)
    each = fast.prepared.signals.each
    names = [e.name for e in book.enters]
    bars = market.bars
    found = {
        (names[s["rule"]], bars.symbols[s["owner"]], int(bars.days[s["row"]])): outcome
        for s, outcome in zip(each, fast.outcome.tolist(), strict=True)
    }
    from wickcore.book.tape import OUTCOMES

    assert {k: OUTCOMES[v] for k, v in found.items()} == slow.outcome, f"seed {seed}\n{text}"
    return fast


@pytest.mark.parametrize("part", range(PARTS))
def test_a_book_is_what_the_slow_simulator_makes_of_it(part: int) -> None:
    traded = 0
    for seed in range(part * EACH, (part + 1) * EACH):
        found = compare(seed, delay=int(seed % 7 == 0))
        traded += len(found.trades)
        money = found.prepared.book.start + sum(x.result for x in found.trades) + found.interest - found.borrow
        assert money == pytest.approx(found.equity[-1], rel=1e-9, abs=1e-7)
    assert traded > EACH  # the books do trade
