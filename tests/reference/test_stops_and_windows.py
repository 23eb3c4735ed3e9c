"""Trailing stops against TA-Lib; windows that begin with an event, means of groups and parts of the calendar against pandas.

Both are general-purpose libraries from the registry (packages `TA-Lib` and `pandas`).
"""

from collections.abc import Callable

import numpy as np
import pandas as pd
import pytest
import talib

from tests import made
from wickcore.bars.market import Market
from wickcore.language.check import check_expression
from wickcore.scan.evaluate import Evaluator


@pytest.fixture(scope="module")
def market() -> Market:
    return made.market(seed=31, count=6, length=500, splits=False)


def column(market: Market, text: str) -> np.ndarray:
    return Evaluator(market).columns([check_expression(text).op])[0].astype(np.float64)


def of_each(market: Market, reference: Callable[[pd.DataFrame], "pd.Series[float]"]) -> np.ndarray:
    """The reference's value by bar, worked out for each instrument by itself."""
    b = market.bars
    frame = pd.DataFrame({"open": b.open, "high": b.high, "low": b.low, "close": b.close, "volume": b.volume}, dtype=float)
    parts = [frame.iloc[b.offsets[k] : b.offsets[k + 1]] for k in range(len(b.symbols))]
    return np.concatenate([np.asarray(reference(part), np.float64) for part in parts])


@pytest.mark.parametrize(("step", "most"), [(0.02, 0.2), (0.01, 0.1), (0.05, 0.5)])
def test_the_parabolic_stop_equals_the_library_once_both_have_turned(market: Market, step: float, most: float) -> None:
    """The library takes its first direction from directional movement, ours is that of two bars: once both turn on one bar at one price,
    nothing differs any more."""
    ours = column(market, f"psar({step}, {most})")
    theirs = of_each(market, lambda p: pd.Series(talib.SAR(p.high, p.low, step, most)))
    compared = 0
    for k in range(len(market.bars.symbols)):
        part = slice(int(market.bars.offsets[k]), int(market.bars.offsets[k + 1]))
        close = market.bars.close[part]
        ours_turn, theirs_turn = (np.diff(stop[part] < close, prepend=False) for stop in (ours, theirs))
        same = np.isclose(ours[part], theirs[part], rtol=1e-9)
        turns = np.flatnonzero((ours_turn & theirs_turn & same)[2:]) + 2
        np.testing.assert_allclose(ours[part][turns[0] :], theirs[part][turns[0] :], rtol=1e-9)
        compared += len(close) - int(turns[0])
    assert compared > 0.8 * len(ours)


EVENT = "close > 1.03 * close 1 ago"


def since(part: pd.DataFrame) -> "pd.Series[int]":
    """Numbers the stretches that begin with an event; 0 before the first."""
    return (part.close > 1.03 * part.close.shift(1)).cumsum()


WINDOWS: list[tuple[str, Callable[[pd.DataFrame], "pd.Series[float]"]]] = [
    ("highest(high, since {})", lambda p: p.high.groupby(since(p)).cummax()),
    ("lowest(low, since {})", lambda p: p.low.groupby(since(p)).cummin()),
    ("sum(volume, since {})", lambda p: p.volume.groupby(since(p)).cumsum()),
    ("sma(close, since {})", lambda p: p.close.groupby(since(p)).expanding().mean().droplevel(0)),
    ("stdev(close, since {})", lambda p: p.close.groupby(since(p)).expanding().std(ddof=0).droplevel(0)),
    ("count(close > open, since {})", lambda p: (p.close > p.open).astype(float).groupby(since(p)).cumsum()),
]  # fmt: skip


@pytest.mark.parametrize(("text", "reference"), WINDOWS, ids=[w[0] for w in WINDOWS])
def test_a_window_since_an_event_equals_a_group_of_pandas(
    market: Market, text: str, reference: Callable[[pd.DataFrame], "pd.Series[float]"]
) -> None:
    ours = column(market, text.format(EVENT))
    theirs = of_each(market, lambda p: reference(p).where(since(p) > 0))
    np.testing.assert_allclose(ours, theirs, rtol=1e-9, atol=1e-9)
    assert np.isfinite(ours).mean() > 0.9


@pytest.mark.parametrize(
    ("text", "reference"),
    [
        ("highest(high, all)", lambda p: p.high.cummax()),
        ("lowest(low, all)", lambda p: p.low.cummin()),
        ("sma(close, all)", lambda p: p.close.expanding().mean()),
        ("sum(volume, all)", lambda p: p.volume.cumsum()),
    ],
)
def test_a_window_of_all_equals_an_expanding_one_of_pandas(
    market: Market, text: str, reference: Callable[[pd.DataFrame], "pd.Series[float]"]
) -> None:
    np.testing.assert_allclose(column(market, text), of_each(market, reference), rtol=1e-9)


def test_the_mean_of_a_group_equals_that_of_pandas(market: Market) -> None:
    b = market.bars
    sectors = np.repeat(market.texts["sector"], np.diff(b.offsets))
    frame = pd.DataFrame({"day": b.days, "sector": sectors, "x": column(market, "roc(close, 5)")})
    for text, keys in (("group(roc(close, 5), by=sector)", ["day", "sector"]), ("group(roc(close, 5))", ["day"])):
        theirs = frame.groupby(keys).x.transform("mean")
        np.testing.assert_allclose(column(market, text), theirs, rtol=1e-9)


@pytest.mark.parametrize(
    ("text", "reference"),
    [
        ("month", lambda d: d.month),
        ("day_of_month", lambda d: d.day),
        (
            'pick(weekday == "Friday", 5, pick(weekday == "Monday", 1, 0))',
            lambda d: np.where(d.day_of_week % 4 == 0, d.day_of_week + 1, 0),
        ),
    ],
)
def test_parts_of_the_calendar_equal_those_of_pandas(
    market: Market, text: str, reference: Callable[[pd.DatetimeIndex], "pd.Index[int]"]
) -> None:
    days = pd.DatetimeIndex(market.bars.days.astype("datetime64[D]"))
    np.testing.assert_array_equal(column(market, text), np.asarray(reference(days), np.float64))


@pytest.mark.parametrize("frame", ["week", "month", "quarter", "year"])
def test_the_last_session_of_a_period_is_where_the_next_weekday_is_another_s(market: Market, frame: str) -> None:
    """Weekdays are sessions here; the periods are those of pandas."""
    days = pd.DatetimeIndex(market.bars.days.astype("datetime64[D]"))
    following = days + pd.offsets.BDay(1)
    period = {"week": "W-SUN", "month": "M", "quarter": "Q", "year": "Y"}[frame]
    assert not market.bars.calendar.holidays
    np.testing.assert_array_equal(column(market, f"last_of({frame})") == 2, days.to_period(period) != following.to_period(period))
