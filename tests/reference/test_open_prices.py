"""A whole study over an open dataset of daily prices, recomputed with pandas.

The dataset is `arch.data.sp500`, daily prices of a stock index from 1999 to 2018, which ships in the package `arch`.
"""

import numpy as np
import pandas as pd
import pytest
from arch.data import nasdaq, sp500

from wickcore.bars.bars import build_bars
from wickcore.bars.market import Market
from wickcore.breadth.series import breadth_series
from wickcore.language.breadth import check_breadth
from wickcore.language.check import check_rule
from wickcore.scan.evaluate import Evaluator
from wickcore.study.follow import study
from wickcore.study.settings import StudySettings


@pytest.fixture(scope="module")
def frame() -> pd.DataFrame:
    found = sp500.load()
    found.columns = [c.lower().replace(" ", "_") for c in found.columns]
    return found[found["volume"] > 0]


@pytest.fixture(scope="module")
def engine(frame: pd.DataFrame) -> Evaluator:
    days = frame.index.values.astype("datetime64[D]").astype(np.int32)
    columns = {n: frame[n].to_numpy(float) for n in ("open", "high", "low", "close", "volume")}
    return Evaluator(Market((build_bars({"INDEX": {"days": days, **columns}}),)))


def test_the_study_of_a_pullback_equals_pandas(frame: pd.DataFrame, engine: Evaluator) -> None:
    rule = check_rule("close > sma(200)\nclose < sma(10)\nclose < close 1 ago held 2")
    found = study(engine, rule, StudySettings(horizons=(1, 5, 20), cost=0.001, repeats="fresh"))
    close, open_ = frame["close"], frame["open"]
    down = close < close.shift(1)
    hit = (close > close.rolling(200).mean()) & (close < close.rolling(10).mean()) & down & down.shift(1, fill_value=False)
    fresh = hit & ~hit.shift(1, fill_value=False)
    assert found.hits == int(fresh.sum()) > 100
    assert [e.day for e in found.events] == frame.index[fresh].values.astype("datetime64[D]").astype(int).tolist()
    for figures in found.horizons:
        returns = (close.shift(-figures.bars) / open_.shift(-1) - 1 - 0.002)[fresh].dropna()
        everything = (close.shift(-figures.bars) / open_.shift(-1) - 1 - 0.002)[fresh].dropna()
        wins, losses = returns[returns > 0], returns[returns < 0]
        assert figures.count == len(returns)
        assert figures.pending == int(fresh.sum()) - len(returns)
        assert figures.mean == pytest.approx(returns.mean())
        assert figures.median == pytest.approx(returns.median())
        assert figures.stdev == pytest.approx(returns.std())
        assert figures.win_rate == pytest.approx(len(wins) / len(returns))
        assert figures.average_win == pytest.approx(wins.mean())
        assert figures.average_loss == pytest.approx(losses.mean())
        assert figures.payoff == pytest.approx(wins.mean() / -losses.mean())
        assert figures.profit_factor == pytest.approx(wins.sum() / -losses.sum())
        # One instrument alone is its own universe: the baseline is the hit itself, and there is no excess.
        assert figures.baseline == pytest.approx(everything.mean())
        assert figures.excess == pytest.approx(0, abs=1e-15)


def test_weekly_measures_equal_pandas_on_fridays(frame: pd.DataFrame, engine: Evaluator) -> None:
    """On the last session of each week, the 40-week average is pandas' rolling mean of weekly closes."""
    from wickcore.language.check import check_expression

    ours = pd.Series(engine.rows([check_expression("sma(40w)").op], "INDEX")[0], index=frame.index)
    weeks = frame["close"].groupby(frame.index.to_period("W-SUN"))
    weekly = weeks.last().rolling(40).mean()
    ends = weeks.apply(lambda part: part.index[-1])
    np.testing.assert_allclose(ours[ends.values].to_numpy(), weekly.to_numpy(), rtol=1e-12)


def test_a_breadth_over_two_indices_equals_pandas() -> None:
    """`arch.data.sp500` and `arch.data.nasdaq`, daily prices of two stock indices: how many of them stand above their 50-day average."""
    tables, closes = {}, {}
    for name, data in (("S", sp500.load()), ("N", nasdaq.load())):
        data.columns = [c.lower().replace(" ", "_") for c in data.columns]
        data = data[data["volume"] > 0]
        days = data.index.values.astype("datetime64[D]").astype(np.int32)
        tables[name] = {"days": days, **{n: data[n].to_numpy(float) for n in ("open", "high", "low", "close", "volume")}}
        closes[name] = pd.Series(data["close"].to_numpy(float), index=days)
    engine = Evaluator(Market((build_bars(tables),)))
    found = breadth_series(engine, check_breadth("close > sma(50)"))
    mean = {name: close.rolling(50).mean() for name, close in closes.items()}
    above = pd.DataFrame({name: (closes[name] > mean[name])[mean[name].notna()] for name in closes}).sort_index()
    known = above.notna().sum(axis=1)
    assert len(known) > 4_000
    at = np.searchsorted(found.days, known.index.to_numpy())
    assert found.passed[at].tolist() == (above == True).sum(axis=1).tolist()  # noqa: E712, unknown is neither
    assert (found.passed + found.failed)[at].tolist() == known.tolist()
    weekly = breadth_series(engine, check_breadth("close > sma(50)"), by="week")
    days = pd.Series(found.days, index=pd.to_datetime(found.days, unit="D"))
    assert weekly.days.tolist() == days.groupby(days.index.to_period("W-SUN")).last().tolist()
