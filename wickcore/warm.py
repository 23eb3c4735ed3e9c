"""Compiles every kernel on a handful of bars; the compiled code is kept on disk."""

import numpy as np

from wickcore.bars.bars import build_bars
from wickcore.bars.market import Facts, Market
from wickcore.language.check import check_rule
from wickcore.scan.evaluate import Evaluator
from wickcore.scan.scan import scan
from wickcore.study.follow import StudySettings, study

_RULE = """
close > 0
sma(2) + ema(2) + rma(2) + wma(2) + stdev(close, 2) + sum(close, 2) > 0
highest(high, 2) >= lowest(low, 2)
count(close > open, 2) >= 0 or bars_since(close > open) >= 0
close > 0 held 2 or close > 0 once in 2
(close > 0) 1 ago or close 1 ago > 0
on(week, open + high + low + close + volume > 0)
eps > 0 or days_to_report > 0 or days_since_report >= 0 or dividend_yield >= 0
"""


def warm() -> None:
    """Compiles the kernels of measures, facts, frames and studies."""
    n = 40
    price = 10.0 + np.arange(n) % 5
    table = {"days": np.arange(n) + 15_000, "volume": price * 100, **dict.fromkeys(("open", "high", "low", "close"), price)}
    one = np.array([15_001], np.int32)
    nothing = {name: np.array([1.0]) for name in ("shares", "eps", "revenue_growth", "eps_growth", "eps_surprise")}
    market = Market(
        build_bars({"A": table}),
        facts=Facts(np.array([0, 1]), one, np.array([True]), nothing),
        dividends=(np.array([0, 1]), one, np.array([0.1])),
    )
    engine = Evaluator(market)
    rule = check_rule(_RULE)
    scan(engine, rule, market.bars.last_day)
    for frame in ("day", "week"):
        study(engine, check_rule(f"bars: {frame}\nclose > 11"), StudySettings(horizons=(1, 2), draws=2))
