"""How often each chart pattern appears, and what followed its trigger: on random walks, where nothing can follow, and on the demo market.

    python benchmarks/patterns.py
    python benchmarks/patterns.py --large    # only the time of each on 25 million bars

Prints the tables of docs/patterns.md. The walks are 200 names of 3,000 bars with the daily spread of the demo market's median name, highs
and lows around; whatever they show is noise.
"""

import argparse
import sys
from pathlib import Path
from typing import Any

sys.path.insert(0, str(Path(__file__).resolve().parent.parent))

import time

import numpy as np

from benchmarks.big import make_bars
from benchmarks.studies import stored
from wickcore.bars.bars import build_bars
from wickcore.bars.market import Market
from wickcore.language.check import check_expression, check_rule
from wickcore.language.shapes import SHAPES
from wickcore.measures.frame import TRUE
from wickcore.scan.evaluate import Evaluator
from wickcore.study.follow import StudySettings, study
from wickcore.warm import warm_measures

NAMES, BARS, HORIZONS = 200, 3_000, (5, 20)


def walks(spread: float) -> Market:
    """Names whose daily gains are independent, without drift."""
    rng = np.random.default_rng(1)
    tables = {}
    for k in range(NAMES):
        close = 50 * np.exp(np.cumsum(rng.normal(0, spread, BARS)))
        open_ = np.append(50.0, close[:-1])
        high = np.maximum(open_, close) * np.exp(np.abs(rng.normal(0, spread / 2, BARS)))
        low = np.minimum(open_, close) / np.exp(np.abs(rng.normal(0, spread / 2, BARS)))
        days = 12_000 + np.arange(BARS)
        volume = 1e5 * np.exp(rng.normal(0, 0.5, BARS))
        tables[f"W{k:03}"] = {"days": days, "open": open_, "high": high, "low": low, "close": close, "volume": volume}
    return Market((build_bars(tables),), delisted=np.full(NAMES, -1, np.int32))


def ways() -> list[tuple[str, bool]]:
    """Every pattern as it is asked for, and whether it points down."""
    found = []
    for name, shape in SHAPES.items():
        found.append((name, shape.side < 0))
        if shape.side == 0:
            found.append((f"{name}(breaks=down)", True))
    return found


def counted(engine: Evaluator, name: str) -> tuple[float, float]:
    """How many appear, and how many are triggered, per thousand bars."""
    age = engine.column(check_expression(f"{name}.age").op)
    triggered = engine.column(check_expression(f"triggered({name}, 1)").op)
    return 1000 * float(np.mean(age == 0)), 1000 * float(np.mean(triggered == TRUE))


def followed(engine: Evaluator, name: str, down: bool, members: Any) -> list[str]:
    """Excess after the trigger, in the pattern's own direction, without costs."""
    rule = check_rule(f"side: {'short' if down else 'long'}\ntriggered({name}, 1)")
    found = study(engine, rule, StudySettings(horizons=HORIZONS, cost=0.0), members)
    return [
        "–" if f.excess is None or f.excess_low is None or f.excess_high is None
        else f"{f.excess:+.2%} ({f.excess_low:+.2%} to {f.excess_high:+.2%})".replace("-", "−")
        for f in found.horizons
    ] + [f"{found.hits:,}"]  # fmt: skip


def timed(market: Market) -> list[tuple[float, str]]:
    """Seconds of each pattern over the whole history, from cold bars, the slowest first."""
    found = []
    for name in SHAPES:
        begun = time.perf_counter()
        Evaluator(market).column(check_expression(name).op)
        found.append((time.perf_counter() - begun, name))
    return sorted(found, reverse=True)


def main() -> None:
    options = argparse.ArgumentParser(description=__doc__)
    options.add_argument("--large", action="store_true", help="only the time of each on 25 million bars")
    warm_measures()
    if options.parse_args().large:
        for seconds, name in timed(Market((make_bars(5_000, 5_000),))):
            print(f"| `{name}` | {seconds:.1f} |", flush=True)
        return
    demo = stored()
    change = demo.column(check_expression("close / close 1 ago - 1").op)
    spread = float(np.nanmedian([np.nanstd(part) for part in np.split(change, demo.market.bars.offsets[1:-1]) if len(part) > 500]))
    chance = Evaluator(walks(spread))
    members = demo.market.members("Harbour 500")
    print(f"Daily spread of the walks: {spread:.2%}\n")
    print("| pattern | appear, walks | appear, demo | triggered, walks | triggered, demo |\n|---|---|---|---|---|")
    for name, _ in ways():
        (a, b), (c, d) = counted(chance, name), counted(demo, name)
        print(f"| `{name}` | {a:.2f} | {c:.2f} | {b:.2f} | {d:.2f} |")
    print("\n| after the trigger | 5 bars, walks | 5 bars, demo | 20 bars, walks | 20 bars, demo | hits, walks | hits, demo |")
    print("|---|---|---|---|---|---|---|")
    for name, down in ways():
        (a, b, n), (c, d, m) = followed(chance, name, down, None), followed(demo, name, down, members)
        print(f"| `{name}` | {a} | {c} | {b} | {d} | {n} | {m} |", flush=True)
    seconds = timed(demo.market)
    print(f"\nAll {len(seconds)} over the demo market's history, cold: {sum(s for s, _ in seconds):.1f} s")
    print(f"The slowest: {seconds[0][1]}, {seconds[0][0]:.1f} s")


if __name__ == "__main__":
    main()
