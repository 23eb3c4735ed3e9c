"""Breadth and precedents: over the demo market and over 25 million bars, beside pandas in the same run."""

import sys
from pathlib import Path
from time import perf_counter

import numpy as np
import pandas as pd

sys.path.insert(0, str(Path(__file__).resolve().parents[1]))

from benchmarks.big import make_bars
from tests import made
from wickcore.bars.market import Market
from wickcore.breadth.passings import HORIZONS, after, index_closes, passings
from wickcore.breadth.series import breadth_series
from wickcore.language.breadth import check_breadth
from wickcore.language.check import check_rule
from wickcore.language.ready_breadths import READY
from wickcore.precedents.morning import morning
from wickcore.precedents.outcomes import sessions_of
from wickcore.precedents.statements import statements_of
from wickcore.scan.evaluate import Evaluator


def fastest(work: object, runs: int) -> float:
    """The shortest of a few runs, in seconds: the machine's noise only ever adds."""
    found = []
    for _ in range(runs):
        begun = perf_counter()
        work()  # type: ignore[operator]
        found.append(perf_counter() - begun)
    return min(found)


def with_pandas(market: Market) -> np.ndarray:
    """Members above their 50-day average, by pandas."""
    bars = market.bars
    frame = pd.DataFrame({"day": bars.days, "owner": bars.owner, "close": bars.close * bars.factor})
    mean = frame.groupby("owner")["close"].rolling(50).mean().reset_index(level=0, drop=True)
    return frame.assign(above=frame["close"] > mean).groupby("day")["above"].sum().to_numpy()


def ready(market: Market, runs: int) -> None:
    for name, text in READY.items():
        breadth = check_breadth(text)
        breadth_series(Evaluator(market), breadth)
        # Each time anew: nothing of the run before is kept.
        print(f"  {name:40} {fastest(lambda breadth=breadth: breadth_series(Evaluator(market), breadth), runs):7.3f} s")


def main() -> None:
    demo = made.demo_market(600, 80)
    print(f"The demo market, {len(demo.bars):,} bars; a breadth from nothing kept, fastest of 3")
    ready(demo, 3)
    own = fastest(lambda: breadth_series(Evaluator(demo), check_breadth(READY["Above the 50-day average"])), 3)
    print(f"  above the 50-day average by pandas: {fastest(lambda: with_pandas(demo), 2) / own:.0f} times as long")
    engine = Evaluator(demo)
    series = breadth_series(engine, check_breadth(READY["Above the 50-day average"]))
    close = index_closes(demo, demo.benchmark or "", series.days)

    def dragged() -> None:
        found = passings(breadth_series(engine, check_breadth(READY["Above the 50-day average"])), 0.4, "below")
        for horizon in HORIZONS["day"]:
            after(found, close, horizon)

    print(f"  a level dragged: {fastest(dragged, 5):.3f} s")
    symbols = ["HARBOUR", "BEACON", "SHOALS", "TIDEMK"]
    ops = [check_rule(f"decide: open\n{s.line}").lines[0].op for s in statements_of(demo.events)]

    def this_morning() -> None:
        at = morning(demo, int(demo.bars.last_day) + 1, "evening", symbols)
        for symbol in symbols:
            sessions_of(at, symbol, ops)

    print(f"  {len(ops)} statements of a morning on four indices: {fastest(this_morning, 3):.3f} s")
    big = Market((make_bars(),))
    print(f"{len(big.bars):,} bars")
    ready(big, 2)


if __name__ == "__main__":
    main()
