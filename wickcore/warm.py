"""Compiles every kernel on a handful of bars; the compiled code is kept on disk."""

from collections.abc import Callable

import numpy as np

from wickcore.bars.bars import build_bars
from wickcore.bars.market import Facts, Market, Membership
from wickcore.language.catalogue import CATALOGUE
from wickcore.language.check import check_rule
from wickcore.language.problems import RuleError
from wickcore.scan.evaluate import Evaluator
from wickcore.scan.patterns import drawn, of_all
from wickcore.scan.scan import scan
from wickcore.study.follow import StudySettings, study
from wickcore.study.path import path


def warm(progress: Callable[[float], None] = lambda share: None) -> None:
    """Compiles the kernels of measures, facts, frames and studies and of patterns on a chart, each for the base frame and for coarser ones."""
    engine = Evaluator(_market())
    day = engine.market.bars.last_day
    examples = [entry.example for entry in CATALOGUE.entries.values()]
    for done, example in enumerate(examples):
        for text in (example, f"on(week, {example})"):
            try:
                scan(engine, check_rule(text), day)
            except RuleError:
                continue  # an example that cannot stand inside another frame
        progress((done + 1) / len(examples))
    for frame in ("day", "week"):
        list(drawn(engine, of_all(frame), "A", 40, every=True))
        rule = check_rule(f"bars: {frame}\nclose > 11")
        members = engine.market.members("all")
        path(engine, study(engine, rule, StudySettings(horizons=(1, 2), draws=2), members), members, draws=2)


def _market() -> Market:
    length = 60
    price = 10.0 + np.arange(length) % 5
    days = np.arange(length) + 15_000
    table = {
        "days": days,
        "volume": price * 100,
        "factor": 1.0 + (days > 15_030),
        **dict.fromkeys(("open", "high", "low", "close"), price),
    }
    day = np.array([15_001, 15_002], np.int32)
    facts = {name: np.ones(2) for name in ("shares", "eps", "revenue_growth", "eps_growth", "eps_surprise")}
    two = np.array([0, 1, 2])
    return Market(
        (build_bars({"A": table, "B": table}),),
        texts={"sector": ("x", "x")},
        facts=Facts(two, day, np.array([True, True]), facts),
        dividends=(two, day, np.array([0.1, 0.1])),
        listed=day,
        optionable=np.array([True, False]),
        weekly_options=np.array([False, False]),
        universes={"all": Membership(np.array([0, 1]), day, day + 99)},
        benchmark="A",
    )
