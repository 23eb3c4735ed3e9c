"""The core as it is beside the core as it was: both are timed by turns on one machine, so that a loss of speed is seen when it is made.

    python benchmarks/beside.py [--before REVISION] [--instruments 2000] [--length 5000] [--turns 6]

The state before is the given revision, or the last one that is a week old or older. Each turn is a process of its own, of one state and then
of the other, that works each rule out over the whole history of the same random walks. Prints processor and wall seconds, least and median.
"""

import argparse
import json
import os
import resource
import statistics
import subprocess
import sys
import tempfile
import time
from functools import partial
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
TIMES = 3  # within a turn, after one that is not counted


def turn(instruments: int, length: int) -> None:
    """What one process does: prints processor and wall seconds by rule, as JSON."""
    sys.path.append(str(ROOT))  # behind the state that is timed: only what makes the bars is taken from here
    import wickcore
    from benchmarks.big import make_bars
    from benchmarks.rules import BREAKOUT, TEMPLATE, WEEKLY
    from wickcore.bars.market import Market
    from wickcore.language.check import check_rule
    from wickcore.scan.evaluate import Evaluator
    from wickcore.scan.scan import hit_truth
    from wickcore.study.follow import study
    from wickcore.study.settings import StudySettings

    assert wickcore.__path__[0] == str(Path.cwd() / "wickcore")  # the state that was asked for
    market = Market((make_bars(instruments, length),))
    works = {
        name: partial(lambda rule: hit_truth(Evaluator(market), rule, None).sum(), check_rule(text))
        for name, text in (("template", TEMPLATE), ("breakout", BREAKOUT), ("half its lines on weeks", WEEKLY))
    }
    works["study of the breakout"] = lambda: study(Evaluator(market), check_rule(BREAKOUT), StudySettings()).hits
    found: dict[str, list[tuple[float, float]]] = {}
    for name, work in works.items():
        for n in range(TIMES + 1):
            wall, used = time.perf_counter(), _processor()
            work()
            if n:
                found.setdefault(name, []).append((_processor() - used, time.perf_counter() - wall))
    print(json.dumps(found))


def _processor() -> float:
    own = resource.getrusage(resource.RUSAGE_SELF)
    return own.ru_utime + own.ru_stime


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--before", metavar="REVISION")
    parser.add_argument("--instruments", type=int, default=2_000)
    parser.add_argument("--length", type=int, default=5_000)
    parser.add_argument("--turns", type=int, default=6)
    parser.add_argument("--turn", action="store_true", help=argparse.SUPPRESS)
    given = parser.parse_args()
    if given.turn:
        return turn(given.instruments, given.length)

    def git(*words: str) -> str:
        return subprocess.run(["git", "-C", str(ROOT), *words], check=True, capture_output=True, text=True).stdout.strip()

    before = given.before or git("rev-list", "-1", "--before=7 days ago", "HEAD")
    if not before:
        sys.exit("There is no state that is a week old; name one with --before.")
    with tempfile.TemporaryDirectory() as folder:
        tree = Path(folder) / "before"
        git("worktree", "add", "--detach", str(tree), before)
        try:
            taken: dict[tuple[str, str], list[tuple[float, float]]] = {}
            for _ in range(given.turns):
                for state, place in (("before", tree), ("now", ROOT)):
                    command = [
                        sys.executable,
                        __file__,
                        "--turn",
                        "--instruments",
                        str(given.instruments),
                        "--length",
                        str(given.length),
                    ]
                    # Each has compiled kernels of its own: they are told by their files' places and times.
                    env = {**os.environ, "PYTHONPATH": str(place), "NUMBA_CACHE_DIR": str(Path(folder) / state)}
                    told = subprocess.run(command, capture_output=True, text=True, env=env, cwd=place)
                    if told.returncode:
                        sys.exit(f"The state {state} cannot be timed; name another.\n{told.stderr}")
                    for name, pairs in json.loads(told.stdout.splitlines()[-1]).items():
                        taken.setdefault((name, state), []).extend((p, w) for p, w in pairs)
        finally:
            git("worktree", "remove", "--force", str(tree))
    print(f"Beside {before[:10]}: {given.turns} turns each, {given.instruments:,} × {given.length:,} bars\n")
    print("| work | processor s, least (now / before) | median | wall s, least | median |\n|---|---|---|---|---|")
    for name in dict.fromkeys(name for name, _ in taken):
        cells = []
        for which in (0, 1):
            for of in (min, statistics.median):
                now, then = (of(pair[which] for pair in taken[name, state]) for state in ("now", "before"))
                cells.append(f"{now:.2f} / {then:.2f} = {now / then:.2f}")
        print(f"| {name} | {' | '.join(cells)} |")


if __name__ == "__main__":
    main()
