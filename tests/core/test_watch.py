"""Stops and targets of what is held: met, gapped through, near, once each; by hand and against brute force."""

from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.made import split_at, weekdays
from wickcore.bars.market import market_of
from wickcore.bars.moment import CLOSE, Moment
from wickcore.plan.position_watch import WatchedLevel, level_events, missed_sessions

DAYS = weekdays(6)


def daily(*bars: tuple[float, float, float, float], days: Any = DAYS) -> dict[str, Any]:
    columns = {name: np.array([bar[i] for bar in bars], float) for i, name in enumerate(("open", "high", "low", "close"))}
    return {"days": days[: len(bars)], **columns, "volume": np.ones(len(bars))}


def events(table: dict[str, Any], levels: list[WatchedLevel], side: str = "long", near: float = 0.0, seen: int = 0) -> list[Any]:
    market = market_of({"day": {"ZZA": table}})
    return level_events(market, "ZZA", side, levels, seen, market.latest, near)[0]  # type: ignore[arg-type]


STOP, TARGET = WatchedLevel("stop", 44.65), WatchedLevel("target", 50.0, 1)


def test_a_stop_that_was_traded_through_is_met_on_that_day() -> None:
    """The low of 44.54 lies under the stop of 44.65, whatever the close is."""
    (event,) = events(daily((45.5, 46, 45, 45.2), (45.1, 45.3, 44.54, 44.57)), [STOP])
    assert (event.event, event.moment, event.printed, event.price) == ("met", Moment(int(DAYS[1])), 44.65, 44.54)


def test_an_open_beyond_the_stop_is_a_gap_and_is_said_once() -> None:
    (event,) = events(daily((45.5, 46, 45, 45.2), (40, 41, 39, 40.5), (40, 41, 39, 40.5)), [STOP])
    assert (event.event, event.price) == ("gapped", 40)


def test_a_short_is_the_mirror() -> None:
    stop, target = WatchedLevel("stop", 50.0), WatchedLevel("target", 44.65, 1)
    table = daily((45.5, 46, 45, 45.2), (46, 50.1, 45.9, 47), (44, 44.2, 43, 43.5))
    assert [(e.level.kind, e.event) for e in events(table, [stop, target], "short")] == [("stop", "met"), ("target", "gapped")]


def test_near_is_said_once_an_approach() -> None:
    table = daily(*((46, 46.5, 45.5, close) for close in (46, 45.9, 45.8, 48, 45.9)))
    near = events(table, [WatchedLevel("stop", 45.0)], near=1.0)
    assert [(e.event, e.moment.day) for e in near] == [("near", int(DAYS[0])), ("near", int(DAYS[4]))]


def test_what_was_seen_is_not_read_again() -> None:
    table = daily((45.5, 46, 44, 45.2), (45.1, 45.3, 44.9, 45))
    assert events(table, [STOP], seen=Moment(int(DAYS[0])).key) == []


def test_a_split_meets_no_stop_and_the_level_is_printed_in_new_shares() -> None:
    table = split_at(daily((45.5, 46, 45, 45.2), (45.2, 46, 45, 45.5), (45.4, 46, 44.6, 45)), 1, 2.0)
    factor = table.pop("factor")
    market = market_of({"day": {"ZZA": {**table, "ratio": factor / factor[-1]}}})
    found, _ = level_events(market, "ZZA", "long", [STOP], 0, market.latest, 0.0)
    assert [(e.moment.day, round(e.printed, 4)) for e in found] == [(int(DAYS[2]), 44.65 / 2)]


def test_within_a_session_it_is_known_at_the_end_of_that_bar() -> None:
    day = int(DAYS[1])
    minutes = np.array([570, 575, 580], np.int32)
    inner = {**daily((45, 45.2, 44.9, 45), (45, 45.1, 44.6, 44.7), (44.7, 45, 44.6, 44.9)), "minute": minutes}
    inner["days"] = np.full(3, day, np.int32)
    market = market_of({"day": {"ZZA": daily((45.5, 46, 45, 45.2))}, "5min": {"ZZA": inner}})
    found, _ = level_events(market, "ZZA", "long", [STOP], 0, market.latest, 0.0)
    assert [(e.event, str(e.moment)) for e in found] == [("met", str(Moment(day, 580)))]


def test_sessions_without_a_bar_are_counted() -> None:
    other = daily(*[(10, 11, 9, 10)] * 6)
    market = market_of({"day": {"ZZA": daily((10, 11, 9, 10), (10, 11, 9, 10)), "ZZB": other}})
    assert missed_sessions(market, "ZZA", market.latest) == 4
    assert missed_sessions(market, "ZZB", market.latest) == 0


PRICE = st.floats(10, 20)


@settings(max_examples=150, deadline=None)
@given(st.lists(st.tuples(PRICE, PRICE, PRICE, PRICE), min_size=1, max_size=6), PRICE, PRICE, st.booleans(), st.integers(0, 6))
def test_met_and_gapped_are_those_of_brute_force_however_the_looks_are_cut(
    bars: list[tuple[float, ...]], stop: float, target: float, long: bool, cut: int
) -> None:
    whole = [(b[0], max(b), min(b), b[3]) for b in bars]
    table, side = daily(*whole), "long" if long else "short"
    levels = [WatchedLevel("stop", stop), WatchedLevel("target", target, 1)]
    expected = []
    for level in levels:
        down = (level.kind == "stop") == long
        for i, (open_, high, low, _) in enumerate(whole):
            if (open_ <= level.price) if down else (open_ >= level.price):
                expected.append((int(DAYS[i]), level.kind, "gapped"))
                break
            if (low <= level.price) if down else (high >= level.price):
                expected.append((int(DAYS[i]), level.kind, "met"))
                break
    market = market_of({"day": {"ZZA": table}})
    between = Moment(int(DAYS[min(cut, len(DAYS) - 1)]), CLOSE)
    first, near = level_events(market, "ZZA", side, levels, 0, between, 0.5)  # type: ignore[arg-type]
    left = [level for level in levels if level not in [e.level for e in first if e.event != "near"]]
    rest, _ = level_events(market, "ZZA", side, left, between.key, market.latest, 0.5, near)  # type: ignore[arg-type]
    found = [(e.moment.day, e.level.kind, e.event) for e in (*first, *rest) if e.event != "near"]
    assert sorted(found) == sorted(expected)
    whole_near = [
        (e.moment.day, e.level) for e in level_events(market, "ZZA", side, levels, 0, market.latest, 0.5)[0] if e.event == "near"
    ]  # type: ignore[arg-type]
    assert whole_near == [(e.moment.day, e.level) for e in (*first, *rest) if e.event == "near"]


@pytest.mark.parametrize("side", ["long", "short"])
def test_without_levels_there_is_nothing(side: str) -> None:
    assert events(daily((10, 11, 9, 10)), [], side) == []
