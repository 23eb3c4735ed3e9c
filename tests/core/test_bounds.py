"""Rules built to be as expensive as the limits on text allow: they end by their deadline, in bounded memory, with the same results."""

import time
import tracemalloc

import numpy as np
import pytest

from tests import made
from wickcore.language.check import check_rule
from wickcore.scan import evaluate
from wickcore.scan.evaluate import Evaluator, Limits, Stopped
from wickcore.scan.scan import scan

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


@pytest.fixture(scope="module")
def engine() -> Evaluator:
    """Each rule is run once on next to nothing, so that no kernel is compiled within a deadline."""
    small = Evaluator(made.market(count=3, length=60))
    for text in HOSTILE.values():
        scan(small, check_rule(text), small.market.bars.last_day)
    return Evaluator(made.market(count=120, length=2_600))


@pytest.mark.parametrize("name", HOSTILE)
def test_the_dearest_rules_end_by_their_deadline_in_bounded_memory(name: str, engine: Evaluator) -> None:
    """A deadline of one second, looked at after ten: what is bounded is the order of magnitude, whatever the machine is busy with."""
    rule = check_rule(HOSTILE[name])
    tracemalloc.start()
    begun = time.monotonic()
    try:
        found = scan(engine, rule, engine.market.bars.last_day, None, Limits(1.0))
        assert len(found.lines) == len(rule.lines)
    except Stopped as stopped:
        assert "simplify" in str(stopped) or "shorter" in str(stopped)
    taken, peak = time.monotonic() - begun, tracemalloc.get_traced_memory()[1]
    tracemalloc.stop()
    assert taken < 10
    assert peak < 1_000_000_000


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
