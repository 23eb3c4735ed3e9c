"""The rules that are timed, here and in the two libraries. Both libraries use all cores; pandas works on wide frames, its fastest form."""

from typing import Any

import numpy as np
import pandas as pd
import polars as pl

from wickcore.bars.bars import Bars

TEMPLATE = """close > sma(50)
close > sma(150)
close > sma(200)
sma(50) > sma(150)
sma(150) > sma(200)
sma(200) > sma(200) 20 ago
close / lowest(low, 252) > 1.5
close / highest(high, 252) > 0.75
"""
BREAKOUT = """close > highest(high, 60) 1 ago once in 3
range_expansion(9) once in 3
atr(14) > 0.5
rel_volume(20) > 1.2
rsi(14) between 50 and 80
squeeze held 5 once in 20
"""
WEEKLY = """on(week, close > sma(40))
on(week, close > highest(high, 52) 1 ago)
on(week, rsi(14) > 50)
close > highest(high, 60) 1 ago once in 3
rel_volume(20) > 1.2
atr(14) > 0.5
"""


def polars_template(frame: pl.DataFrame) -> Any:
    """The template in Polars."""
    c = pl.col("close")

    def s(n: int) -> pl.Expr:
        return c.rolling_mean(n).over("owner")

    lines = [
        c > s(50), c > s(150), c > s(200), s(50) > s(150), s(150) > s(200), s(200) > s(200).shift(20).over("owner"),
        c / pl.col("low").rolling_min(252).over("owner") > 1.5, c / pl.col("high").rolling_max(252).over("owner") > 0.75,
    ]  # fmt: skip
    return frame.lazy().select(pl.all_horizontal(lines).fill_null(False)).collect().to_series()


def polars_breakout(frame: pl.DataFrame) -> Any:
    """The breakout in Polars; its smoothed averages start from the first value, ours from a mean, so that early bars may differ."""
    c, h, low, v, o = pl.col("close"), pl.col("high"), pl.col("low"), pl.col("volume"), "owner"
    before = c.shift(1).over(o)
    reach = h - low
    true_range = pl.max_horizontal(h, before) - pl.min_horizontal(low, before)

    def rma(x: pl.Expr, n: int) -> pl.Expr:
        return x.ewm_mean(alpha=1 / n, adjust=False).over(o)

    def once(x: pl.Expr, n: int) -> pl.Expr:
        return x.cast(pl.Int8).rolling_max(n).over(o) == 1

    up, down = rma((c - before).clip(0), 14), rma((before - c).clip(0), 14)
    middle, spread = c.rolling_mean(20).over(o), c.rolling_std(20, ddof=0).over(o)
    ema, atr20 = c.ewm_mean(span=20, adjust=False).over(o), rma(true_range, 20)
    squeeze = (middle + 2 * spread < ema + 1.5 * atr20) & (middle - 2 * spread > ema - 1.5 * atr20)
    lines = [
        once(c > h.rolling_max(60).shift(1).over(o), 3),
        once(reach > reach.rolling_max(9).shift(1).over(o), 3),
        rma(true_range, 14) > 0.5,
        v / v.rolling_mean(20).shift(1).over(o) > 1.2,
        (100 * up / (up + down)).is_between(50, 80),
        once(squeeze.cast(pl.Int8).rolling_min(5).over(o) == 1, 20),
    ]
    return frame.lazy().select(pl.all_horizontal(lines).fill_null(False)).collect().to_series()


def wide(bars: Bars) -> dict[str, pd.DataFrame]:
    """One column an instrument; all have the same days."""
    count = len(bars.symbols)
    return {n: pd.DataFrame(getattr(bars, n).reshape(count, -1).T.copy()) for n in ("high", "low", "close", "volume")}


def pandas_template(w: dict[str, pd.DataFrame]) -> Any:
    """The template in pandas."""
    c = w["close"]
    s50, s150, s200 = (c.rolling(n).mean() for n in (50, 150, 200))
    hits = (c > s50) & (c > s150) & (c > s200) & (s50 > s150) & (s150 > s200) & (s200 > s200.shift(20))
    return hits & (c / w["low"].rolling(252).min() > 1.5) & (c / w["high"].rolling(252).max() > 0.75)


def pandas_breakout(w: dict[str, pd.DataFrame]) -> Any:
    """The breakout in pandas."""
    c, h, low, v = w["close"], w["high"], w["low"], w["volume"]
    before, reach = c.shift(1), h - low
    true_range = np.maximum(h, before) - np.minimum(low, before)

    def rma(x: pd.DataFrame, n: int) -> pd.DataFrame:
        return x.ewm(alpha=1 / n, adjust=False).mean()

    def once(x: pd.DataFrame, n: int) -> pd.DataFrame:
        return x.astype(float).rolling(n).max() == 1

    up, down = rma((c - before).clip(lower=0), 14), rma((before - c).clip(lower=0), 14)
    strength = 100 * up / (up + down)
    middle, spread = c.rolling(20).mean(), c.rolling(20).std(ddof=0)
    ema, atr20 = c.ewm(span=20, adjust=False).mean(), rma(true_range, 20)
    squeeze = (middle + 2 * spread < ema + 1.5 * atr20) & (middle - 2 * spread > ema - 1.5 * atr20)
    hits = (
        once(c > h.rolling(60).max().shift(1), 3) & once(reach > reach.rolling(9).max().shift(1), 3) & (rma(true_range, 14) > 0.5)
    )
    hits &= (v / v.rolling(20).mean().shift(1) > 1.2) & (strength >= 50) & (strength <= 80)
    return hits & once(squeeze.astype(float).rolling(5).min() == 1, 20)
