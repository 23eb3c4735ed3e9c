"""Books beside a plain day loop over pandas frames doing the same, in one run: a market as large as the demo's, and 25 million bars.

    python benchmarks/books.py [--small]

Machines differ and are noisy: the ratios are what to read.
"""

import argparse
import gc
import sys
import time
from pathlib import Path
from typing import Any

sys.path.insert(0, str(Path(__file__).resolve().parent.parent))

import numpy as np
import pandas as pd

from benchmarks.big import make_bars
from benchmarks.run import peak, row, timed
from wickcore.bars.bars import Bars
from wickcore.bars.market import Market
from wickcore.book.luck import luck
from wickcore.book.prepare import Prepared, Span, prepare
from wickcore.book.run import run
from wickcore.book.settings import BookChoice
from wickcore.book.simulation import Trial
from wickcore.book.sweep import turn
from wickcore.language.book_check import check_book
from wickcore.scan.evaluate import Evaluator

RULES = {"Breakout": "close > highest(high, 60) 1 ago\nvolume > 1.5 * (sma(volume, 20) 1 ago)"}
BOOK = """start: 1m
slots: 20
fractions: yes
rank: change(63)
cost: 0.1%
dial far = 4 from 2 to 6 step 0.4
enter "Breakout" at next open
exit when close < sma(50)
"""
RICHER = BOOK + "stop: entry - 2 * atr(14)\nfollow: best - far * atr(14)\ntarget: entry + 6 * atr(14), half\n"


def plain(bars: Bars) -> tuple[float, float]:
    """The simple book by a day loop over wide frames, as one writes it first. Seconds of the loop alone, and the equity at the end."""
    days = np.arange(bars.session.max() + 1)

    def wide(values: Any) -> pd.DataFrame:
        table = np.full((len(days), len(bars.symbols)), np.nan)
        table[bars.session, bars.owner] = values
        return pd.DataFrame(table)

    close, high, open_ = wide(bars.close * bars.factor), wide(bars.high * bars.factor), wide(bars.open * bars.factor)
    volume = wide(bars.volume / bars.factor)
    hits = (close > high.rolling(60).max().shift(1)) & (volume > 1.5 * volume.rolling(20).mean().shift(1))
    score, leave = close / close.shift(63) - 1, close < close.rolling(50).mean()
    cash, held, due, equity = 1e6, {}, set(), 1e6  # type: float, dict[int, float], set[int], float
    start = time.perf_counter()
    for t in range(1, len(days)):
        opens, closes = open_.iloc[t], close.iloc[t]
        for k in sorted(due):
            if not np.isnan(opens[k]):
                cash += held.pop(k) * opens[k] * 0.999
        due = {k for k in due if k in held}
        found = np.flatnonzero(hits.iloc[t - 1].to_numpy())
        for k in found[np.argsort(-score.iloc[t - 1].to_numpy()[found], kind="stable")]:
            if len(held) >= 20:
                break
            if k in held or np.isnan(opens[k]):
                continue
            money = min(equity / 20, cash)
            if money < 0.1 * equity / 20:
                continue
            shares = money / (opens[k] * 1.001)
            cash -= shares * opens[k] * 1.001
            held[int(k)] = shares
        due |= {k for k in held if leave.iat[t, k]}
        equity = cash + sum(shares * closes[k] for k, shares in held.items())
    return time.perf_counter() - start, equity


def ready(engine: Evaluator, text: str) -> Prepared:
    return prepare(engine, check_book(text, RULES), Span(), lambda universe: None)


def small() -> None:
    bars = make_bars(700, 3_000)
    print(f"\n{len(bars.symbols):,} instruments, {len(bars):,} daily bars: about as many as the demo market's\n")
    print("| work | here, s | pandas, s | pandas / here |\n|---|---|---|---|")
    engine = Evaluator(Market((bars,)))
    simple, richer = ready(engine, BOOK), ready(engine, RICHER)
    run(simple)
    seconds, found = timed(lambda: run(simple), 5)
    theirs, money = plain(bars)
    same = abs(found.equity[-1] / money - 1) < 1e-9
    row(
        f"20 slots, lines known, {len(found.trades):,} trades ({'the same' if same else 'ANOTHER'} equity at the end)",
        f"{seconds:.3f}", f"{theirs:.2f}", f"{theirs / seconds:.0f}",
    )  # fmt: skip
    seconds, found = timed(lambda: run(richer), 5)
    row(f"with stop, stop that follows and target, {len(found.trades):,} trades", f"{seconds:.3f}", "", "")
    seconds, _ = timed(lambda: luck(richer, found), 1)
    row("500 random picks, two threads", f"{seconds:.1f}", "", "")
    trial = Trial(engine, lambda dials: check_book(RICHER, RULES, dials), lambda universe, table: None, BookChoice())
    grid = {"far": tuple(2 + 0.4 * i for i in range(10)), "slots": tuple(float(5 + 3 * i) for i in range(10))}
    seconds, _ = timed(lambda: turn(trial, grid), 1)
    row("a 10 × 10 sweep", f"{seconds:.1f}", "", "")


def large() -> None:
    bars = make_bars(5_000, 5_000)
    print(f"\n{len(bars.symbols):,} instruments, {len(bars):,} daily bars, 20 years\n")
    print("| work | here, s |\n|---|---|")
    engine = Evaluator(Market((bars,)))
    for op in check_book(RICHER, RULES).enters[0].rule.deciding:
        engine.column(op.op)
    before = peak(again=True)
    seconds, prepared = timed(lambda: ready(engine, RICHER), 1)
    row(f"rules and lines evaluated, {len(prepared.signals.each):,} signals", f"{seconds:.2f}")
    seconds, found = timed(lambda: run(prepared), 3)
    row(f"the run beyond them, {len(found.trades):,} trades", f"{seconds:.2f}")
    del found
    gc.collect()
    row("memory at the peak of both beyond what stood before, GB", f"{(peak() - before) / 1e9:.2f}")
    own = run(prepared)
    seconds, _ = timed(lambda: luck(prepared, own), 1)
    row("500 random picks, two threads", f"{seconds:.1f}")


def main() -> None:
    options = argparse.ArgumentParser(description=__doc__)
    options.add_argument("--small", action="store_true", help="the demo's size alone")
    given = options.parse_args()
    small()
    if not given.small:
        large()


if __name__ == "__main__":
    main()
