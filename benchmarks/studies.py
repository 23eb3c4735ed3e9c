"""Studies of the starter rules on the demo market: measured, taken apart, swept. Prints a table in Markdown.

    python benchmarks/studies.py

Machines differ and are noisy. The first study of a process draws its days; the others use the same draws, and so does the worker.
"""

import itertools
import os
import statistics
import sys
import tempfile
import time
from pathlib import Path
from typing import Any

sys.path.insert(0, str(Path(__file__).resolve().parent.parent))

import benchmarks  # noqa: F401 - before anything that is compiled
from upperwick.rules.naming import name_in
from wickcore.demo.market import make_market
from wickcore.language.check import check_named, check_rule
from wickcore.scan.evaluate import Limits
from wickcore.study.breakdowns import breakdowns, by_instrument
from wickcore.study.follow import StudySettings, study
from wickcore.study.path import path
from wickcore.study.sweep import sweep
from wickcore.study.worth import line_worth
from wickcore.warm import warm_measures

STARTERS = Path(__file__).resolve().parent.parent / "upperwick" / "rules" / "starters"
TWO_DIALS = """universe: Harbour 500
dial reach = 60 from 20 to 110 step 10
dial thrust = 1.2 from 1 to 2.8 step 0.2
kind == "share"
close > highest(high, reach) 1 ago once in 3
range_expansion(9) once in 3
rel_volume(20) > thrust
"""


def stored() -> Any:
    """The demo market in a database of its own."""
    os.environ["UPPERWICK_DATA"] = tempfile.mkdtemp(prefix="bench-")
    os.environ["DJANGO_SETTINGS_MODULE"] = "upperwick.settings"
    import django

    django.setup()
    from django.core.management import call_command

    from upperwick.market.demo import save_demo
    from upperwick.market.load import evaluator

    call_command("migrate", verbosity=0)
    save_demo(make_market())
    return evaluator()


def main() -> None:
    warm_measures()
    engine = stored()
    market = engine.market
    texts = [path.read_text() for path in sorted(STARTERS.rglob("*.rule"), key=lambda p: p.name)]
    parts = {name_in(text): text for text in texts}
    measured, whole = [], []
    for text in texts:
        rule = check_rule(text, parts)
        members = market.members(rule.universe) if rule.universe else None
        begun = time.perf_counter()
        found = study(engine, rule, StudySettings(), members)
        measured.append(time.perf_counter() - begun)
        breakdowns(engine, found, 5, rule.universe or "", Limits())
        path(engine, found, members)
        by_instrument(engine, found, (5, 60))
        line_worth(engine, rule, found, 5, members)
        whole.append(time.perf_counter() - begun)
    print("| what | measured, s | aim, s |\n|---|---|---|")
    middle, most = statistics.median(measured), max(measured[1:])
    print(f"| the first study of a process, its draws included | {measured[0]:.1f} | 2 |")
    print(
        f"| a study, 7 horizons with baseline and bootstrap, {len(texts)} starter rules | {middle:.2f} (slowest {most:.1f}) | 2 |"
    )
    print(f"| the same, taken apart at one horizon too | {statistics.median(whole):.2f} (slowest {max(whole[1:]):.1f}) | 2 |")
    grid = {"reach": [float(v) for v in range(20, 120, 10)], "thrust": [round(1 + 0.2 * i, 1) for i in range(10)]}
    members = market.members("Harbour 500")
    begun = time.perf_counter()
    found, _ = sweep(engine, lambda dials: check_named(TWO_DIALS, {}, dials)[0], grid, StudySettings(), 5, members)
    assert len(found.cells) == len(list(itertools.product(*grid.values())))
    print(f"| a sweep of two dials, 10 × 10 settings | {time.perf_counter() - begun:.1f} | 60 |")


if __name__ == "__main__":
    main()
