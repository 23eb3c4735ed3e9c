"""Rules built to be as expensive as the limits on text allow: they end by their deadline, in bounded memory, with the same results."""

import json
import subprocess
import sys
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from threading import Barrier

import numpy as np
import pytest

from tests import made
from wickcore.language.check import check_rule
from wickcore.scan import evaluate
from wickcore.scan.evaluate import Evaluator, Limits, Stopped

ROOT = Path(__file__).resolve().parents[2]
HOSTILE = {
    "long correlations": "\n".join(f"corr(close, volume, {5000 - i}) > 0" for i in range(199)),
    "short correlations": "\n".join(f"corr(close, volume, {20 + i}) > 0" for i in range(199)),
    "medians": "\n".join(f"median(close, {300 + i}) > {i}" for i in range(199)),
    "ranks": "\n".join(f"rank(change({i + 1})) > 5" for i in range(199)),
    "ranks of ranks": "let a0 = close\n" + "\n".join(f"let a{i + 1} = rank(sma(a{i}, {i + 2}))" for i in range(150)) + "\na150 > 5",
    "doubling": "let a0 = close\n" + "\n".join(f"let a{i + 1} = a{i} + sma(a{i}, {i + 2})" for i in range(150)) + "\na150 > 5",
    "frames in frames": "\n".join(f"on(week, on(month, percentile(close, {400 + i}))) > {i / 2}" for i in range(150)),
    "averages": "\n".join(
        " and ".join(f"sma(close, {i * 11 + j + 1}) > sma(high, {i * 7 + j + 2})" for j in range(3)) for i in range(97)
    ),
}


PROGRAM = """
import json, resource, sys, time
from tests import made
from tests.core.test_bounds import HOSTILE
from wickcore.language.check import check_rule
from wickcore.scan.evaluate import Evaluator, Limits, Stopped
from wickcore.scan.scan import scan

rule = check_rule(HOSTILE[sys.argv[1]])
small = made.market(count=3, length=60)
scan(Evaluator(small), rule, small.bars.last_day)  # on next to nothing, so that no kernel is compiled within a deadline
engine = Evaluator(made.market(count=120, length=2_600))
before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
begun, said = time.monotonic(), ""
try:
    assert len(scan(engine, rule, engine.bars.last_day, None, Limits(1.0)).lines) == len(rule.lines)
except Stopped as stopped:
    said = str(stopped)
taken = time.monotonic() - begun
print(json.dumps({"taken": taken, "kilobytes": resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before, "said": said}))
"""


@pytest.mark.parametrize("name", HOSTILE)
def test_the_dearest_rules_end_by_their_deadline_in_bounded_memory(name: str) -> None:
    """A deadline of one second, looked at after ten: what is bounded is the order of magnitude, whatever the machine is busy with. In a
    process of its own, whose memory is its alone."""
    done = subprocess.run([sys.executable, "-c", PROGRAM, name], capture_output=True, text=True, timeout=300, cwd=ROOT)
    assert done.returncode == 0, done.stderr
    found = json.loads(done.stdout)
    assert not found["said"] or "simplify" in found["said"] or "shorter" in found["said"]
    assert found["taken"] < 10
    assert found["kilobytes"] < 1_000_000


def test_a_stopped_evaluation_leaves_no_thread_working() -> None:
    """Whoever is told that it is over may let go of the market at once."""
    engine = Evaluator(made.market(count=60, length=1_500))
    working: list[int] = []

    class Counting(Limits):
        def check(self) -> None:
            working.append(1)
            if len(working) > 40:
                raise Stopped("enough")

    ops = [check_rule(f"corr(close, volume, {n}) > 0").lines[0].op for n in range(20, 60)]
    evaluate.BLOCK_BARS, before = 4_000, evaluate.BLOCK_BARS
    try:
        with pytest.raises(Stopped):
            engine.columns(ops, Counting())
    finally:
        evaluate.BLOCK_BARS = before
    told = len(working)
    pool = engine._shared.pool
    together = Barrier(pool._max_workers)
    list(pool.map(lambda _: together.wait(60), range(pool._max_workers)))  # every thread of it has nothing else to do by now
    assert len(working) == told
    assert len(engine.columns(ops[:2])[0]) == len(engine.bars)  # and the evaluator goes on


def test_many_ask_one_evaluator_at_once() -> None:
    market = made.market(count=12, length=400)
    texts = [f"rank(sma({n})) > 40" for n in range(2, 14)] + [f"close > benchmark(sma({n}))" for n in range(2, 14)]
    ops = [check_rule(text).lines[0].op for text in texts]
    plain = Evaluator(market).columns(ops)
    engine = Evaluator(market, cache_bytes=40 * len(market.bars))  # so little room that columns come and go
    with ThreadPoolExecutor(8) as pool:
        for _ in range(4):
            order = np.random.default_rng(1).permutation(len(ops)).tolist()
            for i, column in zip(order, pool.map(lambda i: engine.column(ops[i]), order), strict=True):
                np.testing.assert_array_equal(column, plain[i])


def test_ranks_are_computed_a_few_at_a_time_where_room_is_short(monkeypatch: pytest.MonkeyPatch) -> None:
    market = made.market(count=6, length=120)
    rule = check_rule("\n".join(f"rank(change({n})) > 40" for n in range(1, 8)))
    ops = [line.op for line in rule.lines]
    positions = np.arange(0, len(market.bars), 7)
    plain = Evaluator(market).columns(ops)
    monkeypatch.setattr(evaluate, "ACROSS_BYTES", 2 * 8 * len(market.bars))
    tight = Evaluator(market, cache_bytes=0)
    for (_, column), at, expected in zip(tight.each(ops), tight.at(ops, positions), plain, strict=True):
        np.testing.assert_array_equal(column, expected)
        np.testing.assert_array_equal(at, expected[positions])
    with pytest.raises(Stopped, match="ranks 3 things at once"):
        tight.at([check_rule("rank(close) > 1 and rank(open) > 1 and rank(high) > 1").lines[0].op], positions)
