"""The invented market beyond its last day: the same for one seed, lawful, and the same world as before."""

import numpy as np
import pytest

from wickcore.bars.factor import factor_of_events, factor_within
from wickcore.demo import calendar
from wickcore.demo.feed_market import SESSIONS, Ahead, make_ahead
from wickcore.demo.market import World, make_world


@pytest.fixture(scope="module")
def world() -> World:
    return make_world(listed=120, delisted=20)


@pytest.fixture(scope="module")
def ahead(world: World) -> Ahead:
    return make_ahead(world)


def test_one_seed_gives_the_same_sessions(world: World, ahead: Ahead) -> None:
    again = make_ahead(world)
    assert again.sessions == ahead.sessions
    one = ahead.sessions[3]
    assert {s: c["close"].tolist() for s, c in again.within(one).items()} == {
        s: c["close"].tolist() for s, c in ahead.within(one).items()
    }


def test_it_goes_on_from_the_last_day_by_the_calendar(world: World, ahead: Ahead) -> None:
    days = [s.day for s in ahead.sessions]
    assert len(days) == SESSIONS
    every = calendar.sessions("2024-12-31")
    assert days == [int(d) for d in every[every > world.days[-1]][:SESSIONS]]


def test_bars_are_lawful_and_prices_go_on(world: World, ahead: Ahead) -> None:
    before = {i.symbol: float(i.columns["close"][-1]) for i in world.market.instruments if i.days[-1] == world.days[-1]}
    first = ahead.sessions[0]
    moves = []
    for session in ahead.sessions:
        for symbol, (open_, high, low, close, volume) in session.bars.items():
            assert low <= min(open_, close) <= max(open_, close) <= high, (symbol, session.day)
            assert low > 0
            assert volume > 0
    split = {row["symbol"] for row in first.tables.get("splits", [])}
    for symbol, bar in first.bars.items():
        if symbol in before and symbol not in split:
            moves.append(abs(np.log(bar[3] / before[symbol])))
    assert len(moves) > 110
    assert max(moves) < 0.35
    assert 0.002 < np.median(moves) < 0.03


def test_bars_within_a_session_add_up(ahead: Ahead) -> None:
    session = ahead.sessions[7]
    made = ahead.within(session)
    assert set(made) == set(session.bars)
    for symbol, (open_, high, low, close, volume) in session.bars.items():
        inner = made[symbol]
        assert (inner["open"][0], inner["high"].max(), inner["low"].min(), inner["close"][-1]) == (open_, high, low, close)
        assert inner["volume"].sum() == volume


def test_shares_are_listed_and_leave_and_membership_is_reviewed(world: World, ahead: Ahead) -> None:
    rows = [row for s in ahead.sessions for row in s.tables.get("instruments", [])]
    listed, gone = [r for r in rows if "listed" in r], [r for r in rows if "delisted" in r]
    assert len(listed) == 6
    assert gone
    for row in listed:
        assert next(s.day for s in ahead.sessions if row["symbol"] in s.bars) == row["listed"]
    for row in gone:
        assert [s.day for s in ahead.sessions if row["symbol"] in s.bars][-1] == row["delisted"]
    last = {}
    for name, members in world.market.universes.items():
        last[name] = sum(until > world.days[-1] for _, _, until in members)
        moves = [row for s in ahead.sessions for row in s.tables.get("members", []) if row["universe"] == name]
        last[name] += sum("last" not in row for row in moves) - sum("last" in row for row in moves)
    assert all(
        abs(size - 0.2 * int(name.split()[1])) < 0.03 * int(name.split()[1]) + 3 for name, size in last.items() if "500" in name
    )
    assert {row["name"] for s in ahead.sessions for row in s.tables.get("calendar", [])} >= {"Lending rate"}


def test_what_splits_in_a_running_session_is_on_the_new_scale_at_once() -> None:
    """By hand: the close before was 100; two for one and 2 of dividend on the new shares: 50, then 48 for 50."""
    days, close = np.array([10, 11, 12]), np.array([98.0, 99.0, 100.0])
    inner = np.array([11, 12, 13, 13])
    splits, dividends = [(11, 3.0), (13, 2.0)], [(13, 2.0)]
    daily = factor_of_events(days, close, splits[:1], [])
    found = factor_within((days, daily, close), inner, splits, dividends)
    assert found == pytest.approx([3, 3, 3 * 2 / (1 - 2 / 50), 3 * 2 / (1 - 2 / 50)])
    # And once the day has its own bar, it is what that says.
    whole = factor_of_events(np.append(days, 13), np.append(close, 48.0), splits, dividends)
    assert found[-1] == pytest.approx(whole[-1])
