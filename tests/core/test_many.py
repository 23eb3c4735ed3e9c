"""Many rules at once against each by its own scan."""

import numpy as np
import pytest

from tests.made import inner_market, market
from wickcore.bars.moment import Moment, of_key
from wickcore.language.check import check_rule
from wickcore.language.problems import RuleError
from wickcore.scan import tail
from wickcore.scan.evaluate import Evaluator
from wickcore.scan.many import Asked, scan_many, scan_one
from wickcore.scan.many_closes import scan_closes
from wickcore.scan.scan import scan

RULES = (
    "close > sma(5)", "close > open\nvolume > sma(volume, 10)", "bars: week\nclose > open", "rank(change(3)) > 60", "close > on(week, open)",
    "benchmark(close > open)\nclose > low 1 ago", "side: short\nclose < lowest(low, 4) 1 ago", "streak(close > open) >= 2",
    "about: x\nnote close > 3\nclose > ema(8)", "rank(change(3)) > 40\nrank(change(3)) 1 ago < 80", "count(rank(close) > 30, 4) > 1",
    "decide: open\nopen > close 1 ago", "close > high 1 ago\nrsi(5) > 50", "close > sma(9)\nrank(rsi(5)) > 30", "close > 1000000\nema(3) > 1",
    "high > high 2 ago\nclose > ema(4)\non(week, rma(close, 3)) > 0",
)  # fmt: skip


def checked(base: str) -> list[Asked]:
    found = []
    for text in RULES:
        try:
            found.append(Asked(check_rule(text, base=base), None))
        except RuleError:
            continue
    return found


@pytest.mark.parametrize("seed", range(8))
def test_all_at_once_say_what_each_says_alone(seed: int, monkeypatch: pytest.MonkeyPatch) -> None:
    if seed > 2:  # the instruments' tails are read, though they are hardly shorter
        monkeypatch.setattr(tail, "SIZES", (30, 50, 90))
        monkeypatch.setattr(tail, "SPARE", 3)
        monkeypatch.setattr(tail, "WORTH", 0)
    rng = np.random.default_rng(seed)
    inner = seed % 2 == 1
    of = inner_market(seed) if inner else market(seed)
    engine = Evaluator(of, threads=1)
    asked = checked("5min" if inner else "day")
    assert len(asked) >= 8
    moments = [Moment(int(d)) for d in rng.choice(of.bars.sessions[5:], 6, replace=False)]
    if inner:
        moments += [of_key(int(m)) for m in rng.choice(of.table("5min").moments[30:], 6, replace=False)]
    for moment in moments:
        some = [
            Asked(a.rule, None if rng.random() < 0.5 else rng.random(len(engine.stepping(a.rule.frame, moment).bars)) < 0.7)
            for a in asked
        ]
        found = scan_many(engine, some, moment)
        for one, many in zip(some, found, strict=True):
            alone = scan(engine, one.rule, moment, one.members)
            assert many.hits == tuple(h.symbol for h in alone.hits)
            assert many.fresh == tuple(h.symbol for h in alone.hits if h.fresh)
            assert many.scanned == alone.scanned
            for symbol in of.bars.symbols:
                single = scan_one(engine, one, symbol, moment)
                if single is not None:
                    assert single == (symbol in many.hits, symbol in many.fresh)


@pytest.mark.parametrize("seed", range(4))
def test_many_closes_at_once_say_what_each_says_alone(seed: int) -> None:
    rng = np.random.default_rng(seed)
    inner = seed % 2 == 1
    of = inner_market(seed=seed) if inner else market(seed=seed, count=6, length=80)
    engine = Evaluator(of, threads=1)
    closes = [Moment(int(d)) for d in sorted(rng.choice(of.bars.sessions[5:], 8, replace=False))]
    for asked in checked(of.finest):
        members = None if rng.random() < 0.5 else rng.random(len(engine.stepping(asked.rule.frame).bars)) < 0.7
        found = scan_closes(engine, Asked(asked.rule, members), closes)
        assert found is not None
        for moment, many in zip(closes, found, strict=True):
            alone = scan(engine, asked.rule, moment, members)
            assert many.hits == tuple(h.symbol for h in alone.hits)
            assert many.fresh == tuple(h.symbol for h in alone.hits if h.fresh)
            assert many.scanned == alone.scanned
    assert scan_closes(engine, asked, [Moment(closes[0].day, 600)]) is None


def test_of_those_that_are_left_alone_the_history_is_read(monkeypatch: pytest.MonkeyPatch) -> None:
    engine = Evaluator(market(count=8, length=400), threads=1)
    asked = [Asked(check_rule("close > highest(close, 20) 1 ago\nrsi(5) > 50"), None)]
    sizes: list[int] = []
    at = Evaluator.at
    monkeypatch.setattr(Evaluator, "at", lambda self, *rest: sizes.append(len(self.bars)) or at(self, *rest))
    moment = next(
        Moment(int(d))
        for d in engine.bars.sessions[-1:200:-1]
        if scan(engine, check_rule("close > highest(close, 20) 1 ago"), int(d)).hits
    )
    scan_many(engine, asked, moment)
    assert sizes == [8 * 128, *sizes[1:]]
    assert sum(sizes[1:]) <= 3 * 400


def test_nothing_is_asked_of_nobody() -> None:
    assert scan_many(Evaluator(market(), threads=1), [], market().latest) == []
