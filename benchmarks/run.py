"""`make bench`: the core beside Polars and pandas on 25 million bars, in one run on one machine. Prints a table in Markdown.

    python benchmarks/run.py [--instruments 5000] [--length 5000] [--runs 3]

Machines differ and are noisy: the ratios are what to read.
"""

import argparse
import gc
import os
import statistics
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

sys.path.insert(0, str(Path(__file__).resolve().parent.parent))

import numpy as np
import polars as pl

from benchmarks import rules
from benchmarks.big import columns, make_bars
from wickcore.bars.bars import Bars
from wickcore.bars.market import Market
from wickcore.language.check import check_rule
from wickcore.scan.evaluate import Evaluator
from wickcore.scan.scan import hit_truth, scan
from wickcore.study.breakdowns import breakdowns
from wickcore.study.follow import StudySettings, study
from wickcore.study.path import path
from wickcore.study.worth import line_worth
from wickcore.warm import warm_measures


def timed(work: Callable[[], Any], runs: int) -> tuple[float, Any]:
    """Median seconds of some runs, and the last result."""
    found, seconds = None, []
    for _ in range(runs):
        gc.collect()
        start = time.perf_counter()
        found = work()
        seconds.append(time.perf_counter() - start)
    return statistics.median(seconds), found


def row(what: str, *cells: str) -> None:
    print(f"| {what} | {' | '.join(cells)} |", flush=True)


def peak(again: bool = False) -> float:
    """The process's largest memory since it was last asked `again`, in bytes (Linux: proc(5), clear_refs and VmHWM)."""
    if again:
        gc.collect()
        Path("/proc/self/clear_refs").write_text("5")
    said = next(line for line in Path("/proc/self/status").read_text().splitlines() if line.startswith("VmHWM"))
    return int(said.split()[1]) * 1024.0


def main() -> None:
    options = argparse.ArgumentParser(description=__doc__)
    options.add_argument("--instruments", type=int, default=5_000)
    options.add_argument("--length", type=int, default=5_000)
    options.add_argument("--runs", type=int, default=3)
    given = options.parse_args()
    warm_measures()
    bars = make_bars(given.instruments, given.length)
    size = sum(getattr(bars, n).nbytes for n in ("days", "open", "high", "low", "close", "volume", "factor"))
    print(f"{len(bars.symbols):,} instruments, {len(bars):,} daily bars, {size / 1e9:.2f} GB; {os.cpu_count()} cores\n")
    print("| work | here, s | Polars, s | pandas, s | Polars / here | pandas / here |\n|---|---|---|---|---|---|")
    copied, copies = timed(lambda: [np.array(getattr(bars, n)) for n in ("open", "high", "low", "close", "volume")], given.runs)
    del copies
    row("the floor: a plain copy of five columns", f"{copied:.2f}", "", "", "", "")
    peak(again=True)
    ours = own_part(bars, given.runs)
    print(f"\nPeak memory of all this, the bars included: {peak() / 1e9:.2f} GB, {peak() / size:.2f} times the bars.\n")
    print(
        "| work beside the libraries | here, s | Polars, s | pandas, s | Polars / here | pandas / here |\n|---|---|---|---|---|---|"
    )
    frame = pl.DataFrame(columns(bars))
    for name, polars, pandas in (
        ("template", rules.polars_template, rules.pandas_template),
        ("breakout", rules.polars_breakout, rules.pandas_breakout),
    ):
        seconds, hits = ours[name]
        theirs, found = timed(lambda polars=polars, frame=frame: polars(frame), given.runs)
        w = rules.wide(bars)
        wide, other = timed(lambda pandas=pandas, w=w: pandas(w), max(1, given.runs // 2))
        cells = [f"{seconds:.2f}", f"{theirs:.2f}", f"{wide:.2f}", f"{theirs / seconds:.1f}", f"{wide / seconds:.1f}"]
        row(f"{name}, whole history ({hits:,} hits here, {int(found.sum()):,} and {int(other.to_numpy().sum()):,} there)", *cells)
        del w, found, other
        gc.collect()
    growth(given.length, given.runs)
    loading(given.instruments, given.length)


def own_part(bars: Bars, runs: int) -> dict[str, tuple[float, int]]:
    """What is timed alone."""
    market, found = Market((bars,)), {}
    for name, text in (("template", rules.TEMPLATE), ("breakout", rules.BREAKOUT), ("half weekly", rules.WEEKLY)):
        rule = check_rule(text)
        seconds, hits = timed(lambda rule=rule: int(hit_truth(Evaluator(market), rule, None).sum()), runs)
        found[name] = (seconds, hits)
        if name == "half weekly":
            row(f"a rule with half its lines on weeks, whole history ({hits:,} hits)", f"{seconds:.2f}", "", "", "", "")
    rule = check_rule(rules.BREAKOUT)
    cold, _ = timed(lambda: scan(Evaluator(market), rule, bars.last_day), runs)
    row("breakout scanned on the last day, from cold bars", f"{cold:.2f}", "", "", "", "")
    engine = Evaluator(market)
    scan(engine, rule, bars.last_day)
    numbers = iter(range(1, 1_000))

    def edit() -> Any:
        return scan(engine, check_rule(rules.BREAKOUT.replace("> 1.2", f"> 1.{next(numbers):03d}")), bars.last_day)

    edited, _ = timed(edit, 7)
    row("one edited line (`rel_volume(20) > …`) counted anew on the last day", f"{edited:.3f}", "", "", "", "")
    followed, result = timed(lambda: study(engine, rule, StudySettings()), 1)
    row(
        f"follow-through of the breakout, 7 horizons with baseline and bootstrap ({result.hits:,} hits)",
        f"{followed:.2f}",
        "",
        "",
        "",
        "",
    )
    apart, _ = timed(lambda: _apart(engine, rule, result), 1)
    row("the same taken apart at 5 bars: groups, path, line worth", f"{apart:.2f}", "", "", "", "")
    return found


def _apart(engine: Evaluator, rule: Any, found: Any) -> None:
    breakdowns(engine, found, 5)
    path(engine, found, None)
    line_worth(engine, rule, found, 5)


def growth(length: int, runs: int) -> None:
    """Is the cost linear in the number of instruments?"""
    print("\n| instruments | template, s | a thousand instruments, s |\n|---|---|---|")
    for count in (500, 1_000, 2_500, 5_000):
        market = Market((make_bars(count, length),))
        seconds, _ = timed(lambda market=market: hit_truth(Evaluator(market), check_rule(rules.TEMPLATE), None), runs)
        row(f"{count:,}", f"{seconds:.2f}", f"{seconds / count * 1000:.2f}")


def loading(instruments: int, length: int) -> None:
    """Reading all bars from SQLite, one Arrow block an instrument and year."""
    os.environ["UPPERWICK_DATA"] = tempfile.mkdtemp(prefix="bench-")
    from benchmarks.store import store

    store(instruments, length)
    gc.collect()
    from upperwick.market.load import load_market

    seconds, market = timed(load_market, 1)
    print(f"\nLoading {len(market.bars):,} bars from SQLite: {seconds:.2f} s.")


if __name__ == "__main__":
    main()
