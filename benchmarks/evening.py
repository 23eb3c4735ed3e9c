"""A new evening of the large market, from the file in the drop folder to the counts of a rule.

python benchmarks/evening.py [--evenings 5] [--instruments 5000] [--length 5000] [--data FOLDER]

The folder grows by those evenings. What is in many parts is joined between them, and what was written is on the disk, as on the day between.
"""

import argparse
import os
import sys
import time
from pathlib import Path
from statistics import median
from typing import Any

import numpy as np

sys.path.insert(0, str(Path(__file__).resolve().parent.parent))

from benchmarks.store import open_large

RULE = """close > sma(50)
close > highest(high, 52w) 1 ago
volume > 1.2 * sma(volume, 50)
"""


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("--evenings", type=int, default=5)
    evenings = open_large(parser).evenings
    from django.contrib.auth import get_user_model

    from upperwick.data import drop_folder
    from upperwick.market.load import evaluator
    from upperwick.market.merging import join_parts
    from upperwick.rules.scan import count

    owner = get_user_model().objects.first()
    bars = evaluator().market.bars
    print(f"{len(bars.symbols):,} instruments, {len(bars):,} bars", flush=True)
    count(owner, RULE, None, None, {})  # what is loaded once
    place, took = drop_folder.folder(), []
    for _ in range(evenings):
        while join_parts():
            pass
        lay(evaluator().market.bars, place)
        os.sync()
        time.sleep(5)
        times = [time.perf_counter()]
        drop_folder.bring_in(place, [p for p in place.iterdir() if p.suffix == ".csv"])
        times.append(time.perf_counter())
        evaluator()
        times.append(time.perf_counter())
        found = count(owner, RULE, None, None, {})
        times.append(time.perf_counter())
        took.append(times[-1] - times[0])
        taken, columns, counted = np.diff(times)
        print(
            f"taken {taken:.2f}, columns {columns:.2f}, counted {counted:.2f}: {took[-1]:.2f} s, {found['hits_total']} hits",
            flush=True,
        )
    print(f"median {median(took):.2f} s")


def lay(bars: Any, place: Path) -> None:
    """The next weekday of every instrument, as a random walk goes on."""
    day = np.busday_offset(np.datetime64(int(bars.last_day), "D"), 1, roll="forward")
    rng = np.random.default_rng(int(bars.last_day))
    last = bars.close[bars.offsets[1:] - 1]
    close = last * np.exp(0.018 * rng.standard_normal(len(last)))
    high, low = np.maximum(last, close) * 1.004, np.minimum(last, close) * 0.996
    volume = np.exp(11 + 0.5 * rng.standard_normal(len(last))).astype(int)
    rows = zip(bars.symbols, last.tolist(), high.tolist(), low.tolist(), close.tolist(), volume.tolist(), strict=True)
    lines = [f"{s},{day},{o:.4f},{h:.4f},{lo:.4f},{c:.4f},{v}" for s, o, h, lo, c, v in rows]
    (place / f"evening-{day}.csv").write_text("\n".join(["symbol,date,open,high,low,close,volume", *lines]) + "\n")


if __name__ == "__main__":
    main()
