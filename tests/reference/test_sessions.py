"""Measures of sessions against pandas (a general-purpose library): groups by session, cumulated sums, resampling from the session's open."""

import numpy as np
import pandas as pd
import pytest

from tests import made
from wickcore.language.check import check_expression
from wickcore.scan.evaluate import Evaluator

MARKET = made.inner_market(seed=4, count=3, length=70, inner=30, splits=False)
ENGINE = Evaluator(MARKET).on("5min")


HOW = {"open": "first", "high": "max", "low": "min", "close": "last", "volume": "sum"}


def frame(k: int) -> pd.DataFrame:
    bars = MARKET.table("5min")
    rows = slice(int(bars.offsets[k]), int(bars.offsets[k + 1]))
    table = pd.DataFrame({n: getattr(bars, n)[rows] for n in ("days", "minute", "open", "high", "low", "close", "volume")})
    table.index = pd.to_datetime(table.days, unit="D") + pd.to_timedelta(table.minute, unit="min")
    return table


def ours(text: str, k: int) -> np.ndarray:
    return ENGINE.rows([check_expression(text, "5min", "5min").op], MARKET.bars.symbols[k])[0]


@pytest.mark.parametrize("k", range(3))
def test_the_opening_range_is_that_of_the_first_bars_of_each_group(k: int) -> None:
    table = frame(k)
    early = table[table.minute < 570 + 30].groupby("days")
    over = table.minute + 5 >= 570 + 30
    for part, of in (
        ("high", early.high.max()),
        ("low", early.low.min()),
        ("open", early.open.first()),
        ("close", early.close.last()),
    ):
        wanted = table.days.map(of).where(over)
        np.testing.assert_allclose(ours(f"opening_range(30).{part}", k), wanted)


@pytest.mark.parametrize("k", range(3))
def test_the_session_s_vwap_and_gain_are_cumulated_by_day(k: int) -> None:
    table = frame(k)
    money = (table.high + table.low + table.close) / 3 * table.volume
    wanted = money.groupby(table.days).cumsum() / table.volume.groupby(table.days).cumsum()
    later = (table.days != table.days.iloc[0]).to_numpy()  # the first session has no beginning that is known
    np.testing.assert_allclose(ours("vwap", k)[later], wanted[later])
    gain = table.close / table.groupby("days").open.transform("first") - 1
    running = table.days.to_numpy() == MARKET.table("5min").last_day
    np.testing.assert_allclose(ours("since_open", k)[running], gain[running])


@pytest.mark.parametrize("k", range(3))
def test_the_pace_is_the_cumulated_volume_over_its_mean_at_that_minute(k: int) -> None:
    table, n = frame(k), 5
    wide = table.pivot_table(index="days", columns="minute", values="volume", aggfunc="sum").fillna(0).cumsum(axis=1)
    usual = wide.rolling(n).mean().shift(1)
    wanted = [wide.at[d, m] / usual.at[d, m] for d, m in zip(table.days, table.minute, strict=True)]
    known = ~np.isnan(wanted)
    np.testing.assert_allclose(ours(f"pace({n})", k)[known], np.array(wanted)[known])


@pytest.mark.parametrize("k", range(3))
def test_sixty_five_minute_bars_are_those_of_a_resampling_from_the_open(k: int) -> None:
    table = frame(k)
    # Sixty-five minutes do not divide a day, so each session is taken from its own open.
    for day, part in table.groupby("days"):
        begin = pd.to_datetime(day, unit="D") + pd.Timedelta(minutes=570)
        made_ = (
            part.resample("65min", origin=begin)
            .agg({"open": "first", "high": "max", "low": "min", "close": "last", "volume": "sum"})
            .dropna()
        )
        last = part.groupby((part.minute - 570) // 65).tail(1).index
        at = table.index.get_indexer(last)
        for name in ("open", "high", "low", "close", "volume"):
            np.testing.assert_allclose(ours(f"on(65min, {name})", k)[at], made_[name])
