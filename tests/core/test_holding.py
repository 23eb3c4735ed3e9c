"""Holdings from their fills, worked out by hand."""

import numpy as np
import pytest

from tests.made import SESSION, one
from wickcore.bars.bars import build_bars
from wickcore.bars.factor import factor_of_events
from wickcore.bars.market import Market
from wickcore.bars.moment import Moment
from wickcore.plan.holdings import Done, Unfit, holding, proposed_stop
from wickcore.scan.evaluate import Evaluator


def bought(day: int, shares: float, price: float, cost: float = 0.0, factor: float = 1.0) -> Done:
    return Done(Moment(day).key, "buy", shares, price, cost, factor)


def sold(day: int, shares: float, price: float, cost: float = 0.0, factor: float = 1.0) -> Done:
    return Done(Moment(day).key, "sell", shares, price, cost, factor)


def test_parts_are_bought_and_sold_at_average_cost() -> None:
    """100 at 50 and 100 at 54 are 200 at 52. 50 sold at 60: 50 x 8 = 400, less costs of 1 + 1 + 1. The close is 58: 150 x 6 = 900 are open. Stop
    46 at the first entry: 4 a share at risk; (58 - 52) / 4 = 1.5 R; all of it (397 + 900) / (4 x 200)."""
    market = Market((one([50.0, 54.0, 60.0, 58.0]),))
    d = market.bars.days.tolist()
    found = holding(market, "A", [bought(d[0], 100, 50, 1), sold(d[2], 50, 60, 1), bought(d[1], 100, 54, 1)], Moment(d[3]), 46.0)
    assert found is not None
    assert (found.side, found.shares, found.entry, found.close) == ("long", 150, 52, 58)
    assert (found.realised, found.unrealised, found.costs, found.invested) == (397, 900, 3, 10_400)
    assert (found.risk, found.r, found.result_r) == (4, 1.5, pytest.approx(1297 / 800))
    assert found.sessions == 3
    before = holding(market, "A", [bought(d[0], 100, 50, 1), sold(d[2], 50, 60, 1), bought(d[1], 100, 54, 1)], Moment(d[1]), 46.0)
    assert before is not None and before.shares == 200  # noqa: PT018


def test_a_short_is_paid_for_what_falls() -> None:
    market = Market((one([50.0, 45.0]),))
    d = market.bars.days.tolist()
    short = Done(Moment(d[0]).key, "short", 10, 50, 2, 1.0)
    found = holding(market, "A", [short, Done(Moment(d[1]).key, "cover", 4, 45, 1, 1.0)], Moment(d[1]), 52.5)
    assert found is not None
    assert (found.side, found.shares, found.realised, found.unrealised, found.r) == ("short", 6, 4 * 5 - 3, 30, 2)


def test_a_split_and_a_dividend_on_the_way() -> None:
    """100 at 50, a dividend of 1 and then two for one: 200 at 25, 100 received; 26 makes 200 open. The risk of 4 is 2 after the split."""
    days = np.arange(4) + 18_262
    close = np.array([50.0, 51.0, 52.0, 26.0])
    table = {"days": days, "volume": close, **dict.fromkeys(("open", "high", "low", "close"), close)}
    table["factor"] = factor_of_events(days, close, [(18_265, 2.0)], [(18_263, 1.0)])
    dividends = (np.array([0, 1]), np.array([18_263], np.int32), np.array([1.0]))
    market = Market((build_bars({"A": table}),), dividends=dividends)
    first = float(market.bars.factor[0])
    found = holding(market, "A", [bought(18_262, 100, 50, factor=first)], Moment(18_265), 46.0 * first)
    assert found is not None
    assert (found.shares, found.entry, found.received, found.unrealised) == pytest.approx((200, 25, 100, 200))
    assert (found.risk, found.r) == pytest.approx((2, 0.5))


def minutes(days: list[int], price: list[float], factor: list[float]) -> dict[str, np.ndarray]:
    """Two bars within each day."""
    column = np.array(price)
    return {
        "days": np.array(days), "minute": np.tile([570, 575], len(days) // 2).astype(np.int32), "volume": column, "factor": np.array(factor),
        **dict.fromkeys(("open", "high", "low", "close"), column),
    }  # fmt: skip


@pytest.mark.parametrize("gap", [False, True])
def test_a_split_in_a_session_that_runs_and_one_that_the_minutes_missed(gap: bool) -> None:
    """Two for one on day 2: the running session tells it by its first minute; or its day's bar does, and minutes go on the day after. 100 at 50
    are 200 at 25 either way, never 400."""
    d = [18_262, 18_263, 18_264, 18_265]
    if gap:
        whole = {"days": np.array(d[:3]), "volume": np.ones(3), "factor": np.array([1.0, 1.0, 2.0]),
                 **dict.fromkeys(("open", "high", "low", "close"), np.array([50.0, 50.0, 25.0]))}  # fmt: skip
        inner = minutes([d[1], d[1], d[3], d[3]], [50.0, 50.0, 25.0, 26.0], [1.0, 1.0, 2.0, 2.0])
        now = Moment(d[3], 580)
    else:
        whole = {"days": np.array(d[:2]), "volume": np.ones(2), "factor": np.ones(2),
                 **dict.fromkeys(("open", "high", "low", "close"), np.array([50.0, 50.0]))}  # fmt: skip
        inner = minutes([d[1], d[1], d[2], d[2]], [50.0, 50.0, 25.0, 26.0], [1.0, 1.0, 2.0, 2.0])
        now = Moment(d[2], 580)
    market = Market((build_bars({"A": whole}), build_bars({"A": inner}, "5min", SESSION)))
    found = holding(market, "A", [bought(d[0], 100, 50)], now)
    assert found is not None
    assert (found.shares, found.entry, found.close, found.unrealised) == pytest.approx((200, 25, 26, 200))


@pytest.mark.parametrize(
    ("fills", "words"),
    [
        ([("sell", 10)], "nothing was held to sell"),
        ([("buy", 10), ("sell", 11)], "11 shares cannot be left: 10 were held then"),
        ([("buy", 10), ("short", 1)], "a short does not belong to it"),
    ],
)
def test_what_cannot_have_been_is_said(fills: list[tuple[str, float]], words: str) -> None:
    market = Market((one([50.0, 45.0]),))
    day = int(market.bars.days[0])
    done = [Done(Moment(day, 600 + i).key, action, shares, 50.0, 0.0, 1.0) for i, (action, shares) in enumerate(fills)]  # type: ignore[arg-type]
    with pytest.raises(Unfit, match=words):
        holding(market, "A", done, market.latest)


def test_a_nearer_stop_is_proposed_with_its_reason() -> None:
    """A rise of 1 a day with a range of 1 each way: the true range is 2. The best high of 41 less 3 x 2 is 35; the swing low lies far below."""
    close = [float(x) for x in range(10, 41)]
    market = Market((one(close, high=[c + 1 for c in close], low=[c - 1 for c in close]),))
    d = market.bars.days.tolist()
    engine = Evaluator(market, threads=1)
    held = holding(market, "A", [bought(d[20], 10, 30)], Moment(d[-1]), 28.0)
    assert held is not None
    assert held.r == 5
    assert proposed_stop(engine, "A", Moment(d[-1]), held, 28.0) == (35.0, "3 ATR under the highest price since the entry")
    assert proposed_stop(engine, "A", Moment(d[-1]), held, 35.0) is None
