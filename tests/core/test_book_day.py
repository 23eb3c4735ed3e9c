"""Each row of the day, worked by hand: what a book does on a few bars of one or two names. A signal is a bar with much volume."""

from typing import Any

import numpy as np
import pytest

from tests.made import weekdays
from wickcore.bars.bars import build_bars
from wickcore.bars.factor import factor_of_events
from wickcore.bars.market import Market, Membership
from wickcore.book.orders import orders
from wickcore.book.prepare import Span, prepare
from wickcore.book.run import BookRun, run
from wickcore.book.trade_levels import why
from wickcore.language.book_check import check_book
from wickcore.scan.evaluate import Evaluator

SIGNAL, QUIET = 1000.0, 100.0
RULES = {
    "Buy": "volume > 500",
    "Sell": "side: short\nvolume > 500",
    "Open": "decide: open\n(volume 1 ago) > 500",
    "Other": "volume > 5000",
}
Bar = tuple[float, float, float, float] | tuple[float, float, float, float, float]


def market_of(
    bars: dict[str, list[Bar | None]], splits: dict[str, tuple[int, float]] | None = None, dividends: dict[str, tuple[int, float]] | None = None,
    delisted: dict[str, int] | None = None, members: dict[str, int] | None = None, benchmark: str | None = None,
) -> Market:  # fmt: skip
    """bars: open, high, low, close and perhaps volume by day; None for a day without one. The others: by symbol the number of the
    day."""
    days = weekdays(max(len(b) for b in bars.values()))
    tables: dict[str, dict[str, Any]] = {}
    paid: list[list[tuple[int, float]]] = []
    for symbol in sorted(bars):
        rows = [(int(days[i]), bar) for i, bar in enumerate(bars[symbol]) if bar is not None]
        table: dict[str, Any] = {"days": np.array([d for d, _ in rows], np.int32)}
        for n, name in enumerate(("open", "high", "low", "close")):
            table[name] = np.array([bar[n] for _, bar in rows], np.float64)
        table["volume"] = np.array([bar[4] if len(bar) > 4 else QUIET for _, bar in rows])
        own = [(int(days[at]), x) for s, (at, x) in (splits or {}).items() if s == symbol]
        money = [(int(days[at]), x) for s, (at, x) in (dividends or {}).items() if s == symbol]
        table["factor"] = factor_of_events(table["days"], table["close"], own, money)
        tables[symbol] = table
        paid.append(money)
    flat = [x for own in paid for x in own]
    dividends_ = (
        np.concatenate([[0], np.cumsum([len(own) for own in paid])]).astype(np.int64),
        np.array([d for d, _ in flat], np.int32), np.array([x for _, x in flat], np.float64),
    )  # fmt: skip
    gone = np.full(len(tables), -1, np.int32)
    for symbol, at in (delisted or {}).items():
        gone[sorted(bars).index(symbol)] = days[at]
    universes = {}
    if members:
        numbers = np.array([sorted(bars).index(s) for s in members], np.int64)
        last = np.array([days[at] for at in members.values()], np.int32)
        universes["some"] = Membership(numbers, np.full(len(members), days[0], np.int32), last)
    return Market((build_bars(tables),), delisted=gone, dividends=dividends_, universes=universes, benchmark=benchmark)


def ran(text: str, market: Market, span: Span | None = None) -> BookRun:
    book = check_book(f"start: 1000\ncost: 0%\n{text}", RULES)
    return run(prepare(Evaluator(market, threads=1), book, span or Span(), market.members))


def told(found: BookRun) -> list[tuple[str, float, float, float, str]]:
    """Symbol, shares, entry, exit, reason of each trade."""
    return [(x.symbol, x.shares, round(x.entry, 6), round(x.exit, 6), x.reason) for x in found.trades]


FLAT: Bar = (10, 11, 9, 10)
HIT: Bar = (10, 11, 9, 10, SIGNAL)


# -- sizes and fills ------------------------------------------------------------------------------------------------------


def test_an_equal_slot_buys_whole_shares_at_the_next_open_with_its_costs() -> None:
    # 1000 / 4 slots = 250 of money; the fill is 10 × 1.01 = 10.1; 250 / (10.1 × 1.02) = 24.27: 24 shares, and costs of 2%.
    text = 'start: 1000\ncost: 2%\nslip: 1%\nslots: 4\nenter "Buy"'
    market = market_of({"A": [HIT, FLAT, FLAT]})
    found = run(prepare(Evaluator(market, threads=1), check_book(text, RULES), Span(), market.members))
    assert told(found) == [("A", 24, 10.1, 10, "end")]
    assert found.cash[-1] == pytest.approx(1000 - 24 * 10.1 * 1.02)
    assert found.equity[-1] == pytest.approx(found.cash[-1] + 240)


def test_a_risked_share_is_counted_from_the_fill_to_the_stop() -> None:
    # 1% of 1000 is 10 of money; the fill 10, the stop 9: 1 a share; 10 / 1 × 10 = 100 of money: 10 shares.
    found = ran('size: risk 1%\nstop: entry - 1\nenter "Buy"', market_of({"A": [HIT, FLAT, (10, 11, 9.5, 10)]}))
    assert found.trades[0].shares == 10
    assert found.trades[0].stop == 9
    # At most 5% of equity: 50 of money, 5 shares.
    found = ran('size: risk 1% at most 5%\nstop: entry - 1\nenter "Buy"', market_of({"A": [HIT, FLAT]}))
    assert found.trades[0].shares == 5


def test_money_and_volatility_size_a_position() -> None:
    assert ran('size: money 95\nenter "Buy"', market_of({"A": [HIT, FLAT]})).trades[0].shares == 9
    # An average range of 2 all along: 1% of 1000 is 10, over 2 a share: 5 shares.
    long = [FLAT] * 20
    assert ran('size: volatility 1%\nenter "Buy"', market_of({"A": [*long, HIT, FLAT]})).trades[0].shares == 5
    # Without an average range yet nobody can say the size.
    assert ran('size: volatility 1%\nenter "Buy"', market_of({"A": [HIT, FLAT]})).signals["unsized"] == 1


def test_a_days_money_caps_a_position() -> None:
    # 20 bars of 10 × 100 of volume, one of them 10 × 1000: 1450 a day in the mean; 10% of it is 145: 14 shares.
    found = ran('size: equal at most 10% of a day\'s money\nslots: 1\nenter "Buy"', market_of({"A": [FLAT] * 19 + [HIT, FLAT]}))
    assert found.trades[0].shares == 14


def test_the_least_an_order_costs_is_paid_and_left_room_for() -> None:
    market = market_of({"A": [HIT, FLAT]})
    text = 'start: 1000\ncost: 0.1% at least 5\nslots: 1\nenter "Buy"'
    found = run(prepare(Evaluator(market, threads=1), check_book(text, RULES), Span(), market.members))
    assert found.trades[0].shares == 99  # 1000 - 5 leaves 995
    assert found.trades[0].costs == 5


def test_less_than_a_share_and_a_scrap_are_not_traded() -> None:
    dear: Bar = (2000, 2000, 2000, 2000, SIGNAL)
    assert ran('slots: 1\nenter "Buy"', market_of({"A": [dear, dear]})).signals["no_cash"] == 1
    # Of two slots of 950 each (money 950) the second would be cut to 50, a nineteenth of its size.
    found = ran('slots: 2\nsize: money 950\nenter "Buy"', market_of({"A": [HIT, FLAT], "B": [HIT, FLAT]}))
    assert [x.symbol for x in found.trades] == ["A"] or [x.symbol for x in found.trades] == ["B"]
    assert found.signals["no_cash"] == 1


def test_parts_of_shares_are_bought_where_they_may_be() -> None:
    found = ran('slots: 3\nfractions: yes\nenter "Buy"', market_of({"A": [HIT, FLAT]}))
    assert found.trades[0].shares == pytest.approx(100 / 3)


def test_the_impact_of_an_order_grows_with_the_root_of_its_shares() -> None:
    closes = [10, 11] * 15
    rows: list[Bar | None] = [(c, c, c, c) for c in closes]
    rows[-1] = (11, 11, 11, 11, SIGNAL)
    market = market_of({"A": [*rows, (11, 11, 11, 11)]})
    found = ran('slots: 1\nslip: impact 0.1\nenter "Buy"', market)
    change = np.array(closes[1:], float) / np.array(closes[:-1], float) - 1
    swing = float(np.std(change[-20:]))
    day = (19 * QUIET + SIGNAL) / 20
    shares = 1000 // 11  # counted without the impact, which is that of so many
    assert found.trades[0].entry == pytest.approx(11 * (1 + 0.1 * swing * (shares / day) ** 0.5))


# -- the order of a day ---------------------------------------------------------------------------------------------------


def test_shares_multiply_at_a_split_and_stops_move_with_the_price() -> None:
    market = market_of({"A": [HIT, (10, 10, 9.5, 10), (5, 5.5, 4.6, 5), (5, 5, 4.4, 5)]}, splits={"A": (2, 2.0)})
    found = ran('slots: 1\nstop: entry - 1\nenter "Buy"', market)
    # 100 shares at 10 with the stop at 9: after two for one 200 shares, the stop at 4.5.
    assert told(found) == [("A", 100, 10, 4.5, "stop")]
    assert found.trades[0].result == pytest.approx(200 * 4.5 - 1000)


@pytest.mark.parametrize(("rule", "side"), [("Buy", 1), ("Sell", -1)])
def test_a_dividend_is_paid_to_longs_and_charged_to_shorts_on_the_day_they_go_without(rule: str, side: int) -> None:
    market = market_of({"A": [HIT, FLAT, (9, 10, 8, 9), (9, 9, 9, 9)]}, dividends={"A": (2, 1.0)})
    found = ran(f'slots: 1\nenter "{rule}"', market)
    assert found.trades[0].dividends == pytest.approx(side * 100)
    assert found.equity[2] == pytest.approx(1000)  # 1 less a share, and 1 paid
    assert found.trades[0].result == pytest.approx(0)


def test_a_delisting_pays_its_share_of_the_last_price() -> None:
    market = market_of({"A": [HIT, FLAT, (10, 11, 9, 8), None, None], "Z": [FLAT] * 5}, delisted={"A": 2})
    found = ran('slots: 1\ndelisting: 25%\nenter "Buy"', market)
    assert told(found) == [("A", 100, 10, 2, "delisted")]
    assert found.trades[0].exit_day == market.bars.sessions[3]


def test_a_name_that_stays_silent_is_given_up_only_after_long() -> None:
    silent: list[Bar | None] = [HIT, FLAT, *[None] * 70]
    market = market_of({"A": silent, "Z": [FLAT] * 72})
    found = ran('slots: 1\nenter "Buy"', market)
    assert found.trades[0].reason == "delisted"
    assert found.trades[0].exit_day == market.bars.sessions[1 + 61]


def test_an_exit_that_is_due_is_taken_at_the_open_before_anything_is_bought() -> None:
    # A leaves at the open of day 3; its slot and its money go to B at that very open.
    market = market_of({"A": [HIT, FLAT, (12, 12, 12, 12), (12, 12, 12, 12)], "B": [FLAT, FLAT, HIT, FLAT]})
    found = ran('slots: 1\nexit when gain > 10%\nenter "Buy"', market)
    assert told(found) == [("A", 100, 10, 12, "exit"), ("B", 120, 10, 10, "end")]


def test_a_name_that_left_at_an_open_may_be_entered_again_there() -> None:
    market = market_of({"A": [HIT, FLAT, (12, 12, 12, 12, SIGNAL), (12, 12, 12, 12)]})
    found = ran('slots: 1\nexit when gain > 10%\nenter "Buy"', market)
    assert told(found) == [("A", 100, 10, 12, "exit"), ("A", 100, 12, 12, "end")]


def test_what_is_held_is_not_entered_again() -> None:
    found = ran('slots: 2\nenter "Buy"', market_of({"A": [HIT, HIT, FLAT]}))
    assert (found.signals["traded"], found.signals["held"]) == (1, 1)


def test_an_open_beyond_the_stop_or_the_target_fills_there() -> None:
    down = ran('slots: 1\nstop: entry - 1\nenter "Buy"', market_of({"A": [HIT, (10, 10, 10, 10), (7, 8, 6, 7)]}))
    assert told(down) == [("A", 100, 10, 7, "stop")]
    up = ran('slots: 1\ntarget: entry + 1\nenter "Buy"', market_of({"A": [HIT, (10, 10, 10, 10), (13, 14, 12, 13)]}))
    assert told(up) == [("A", 100, 10, 13, "target")]


def test_a_bar_that_touches_both_is_stopped_and_counted() -> None:
    found = ran('slots: 1\nstop: entry - 1\ntarget: entry + 1\nenter "Buy"', market_of({"A": [HIT, FLAT]}))
    assert told(found) == [("A", 100, 10, 9, "stop")]  # on the very bar of the entry
    assert found.worst_cases == 1


def test_targets_take_their_parts_and_the_last_the_rest() -> None:
    market = market_of({"A": [HIT, (10, 10, 10, 10), (10, 11.5, 10, 11), (11, 13, 11, 12)]})
    found = ran('slots: 1\ntarget: entry + 1, 30%\ntarget: entry + 2\nenter "Buy"', market)
    assert told(found) == [("A", 30, 10, 11, "target"), ("A", 70, 10, 12, "target")]
    assert {x.number for x in found.trades} == {0}


@pytest.mark.parametrize("targets", ["entry + 1, half\ntarget: entry + 2, half", "entry + 2, half\ntarget: entry + 1, half"])
def test_parts_that_take_all_leave_no_share_behind_whatever_their_order(targets: str) -> None:
    rows: list[Bar] = [(9, 9, 9, 9, SIGNAL), (9, 9, 9, 9), (9, 12, 9, 11)]
    found = ran(f'slots: 1\ntarget: {targets}\nenter "Buy"', market_of({"A": rows}))
    assert told(found) == [("A", 55, 9, 10, "target"), ("A", 56, 9, 11, "target")]  # of 111; the nearer first, on one bar too
    assert not found.open


def test_a_part_is_of_the_shares_bought_as_they_are_counted_since() -> None:
    # Three for two makes 166.5 of 111: half of them in whole shares, and then what is left with its scrap.
    rows: list[Bar] = [(9, 9, 9, 9, SIGNAL), (9, 9, 9, 9), (6, 6, 6, 6), (6, 7, 6, 7), (7, 8, 7, 8)]
    text = 'slots: 1\ntarget: entry + 1, half\ntarget: entry + 2, half\nenter "Buy"'
    found = ran(text, market_of({"A": rows}, splits={"A": (2, 1.5)}))
    assert [(x.shares * 1.5, x.reason) for x in found.trades] == [(83, "target"), (83.5, "target")]


def test_of_several_exits_the_earliest_is_taken_whatever_their_order() -> None:
    rows: list[Bar] = [HIT, (10, 10, 10, 10), (10, 12, 10, 12), (11, 11, 11, 11)]
    open_, close = "exit when gain > 5%", "exit at close when gain > 3%"
    for lines, which in ((f"{open_}\n{close}", (0, 1)), (f"{close}\n{open_}", (0, 1))):
        found = ran(f'slots: 1\n{lines}\nenter "Buy"', market_of({"A": rows}))
        assert told(found) == [("A", 100, 10, 12, "exit")]
        assert found.trades[0].lines == which
        assert "“gain > 3%” and “gain > 5%” were true there" in why(found.prepared, found.trades[0])


@pytest.mark.parametrize(
    ("lines", "bar", "best", "worst"),
    [
        (
            "stop: entry - 1",
            (10, 14, 8, 12),
            0.05,
            -0.1,
        ),  # stopped at 9: what lay beyond was not its own, nor is it known when 14 was
        ("stop: entry - 1", (7, 14, 6, 12), 0.05, -0.3),  # out at the open
        ("target: entry + 2", (10, 14, 8, 12), 0.2, -0.2),  # the worst of its bar is taken to lie before
        ("target: entry + 2", (13, 14, 6, 12), 0.3, -0.05),
        ("exit when close > 10.2", (11, 14, 6, 12), 0.1, -0.05),  # due since the close before
        ("exit at close when close > 11", (11, 14, 6, 12), 0.4, -0.4),
    ],
)
def test_the_best_and_the_worst_on_the_way_go_up_to_the_exit(lines: str, bar: Bar, best: float, worst: float) -> None:
    rows: list[Bar] = [HIT, (10, 10.5, 9.5, 10.4), bar, (12, 12, 12, 12)]
    (trade,) = ran(f'slots: 1\n{lines}\nenter "Buy"', market_of({"A": rows})).trades
    assert (trade.best, trade.worst) == pytest.approx((best, worst))
    assert trade.worst - 1e-12 <= trade.gain <= trade.best + 1e-12
    short = [HIT, *((20 - o, 20 - low, 20 - h, 20 - c) for o, h, low, c in rows[1:])]
    lines = lines.replace("-", "_").replace("+", "-").replace("_", "+")
    lines = lines.replace("close > 10.2", "close < 9.8").replace("close > 11", "close < 9")
    (other,) = ran(f'slots: 1\n{lines}\nenter "Sell"', market_of({"A": short})).trades
    assert (other.best, other.worst) == pytest.approx((best, worst))


def test_a_stop_that_follows_never_moves_back_and_rests_from_the_next_bar() -> None:
    rows: list[Bar] = [HIT, (10, 10, 10, 10), (10, 14, 10, 14), (13, 13, 12.5, 12.5), (12.4, 12.4, 11, 12)]
    found = ran('slots: 1\nfollow: close - 2\nenter "Buy"', market_of({"A": rows}))
    # 8, then 12 at the close of 14; 12.5 - 2 would be lower and is not taken. The last bar meets 12.
    assert told(found) == [("A", 100, 10, 12, "follow")]


def test_bars_held_counts_the_entry_bar_as_none() -> None:
    found = ran('slots: 1\nexit when bars_held >= 1\nenter "Buy"', market_of({"A": [HIT, FLAT, FLAT, (12, 12, 12, 12), FLAT]}))
    assert told(found) == [("A", 100, 10, 12, "exit")]
    assert found.trades[0].bars_held == 2


def test_an_exit_at_the_close_is_taken_there_and_marked() -> None:
    found = ran('slots: 1\nexit at close when close > 10\nenter "Buy"', market_of({"A": [HIT, FLAT, (10, 12, 10, 12), FLAT]}))
    assert told(found) == [("A", 100, 10, 12, "exit")]
    assert found.prepared.book.optimistic


def test_an_entry_at_the_close_meets_nothing_of_its_own_bar() -> None:
    market = market_of({"A": [(10, 20, 1, 10, SIGNAL), (10, 10, 10, 10), (10, 10, 8, 9)]})
    found = ran('slots: 1\nstop: entry - 1\nenter "Buy" at close', market)
    assert told(found) == [("A", 100, 10, 9, "stop")]
    assert found.trades[0].entry_day == found.trades[0].signal_day


def test_a_rule_that_decides_at_the_open_is_entered_there_knowing_the_bar_before() -> None:
    market = market_of({"A": [FLAT, HIT, (12, 12, 12, 12), (12, 12, 12, 12)]})
    found = ran('slots: 1\nstop: low\nenter "Open"', market)
    assert (found.trades[0].entry, found.trades[0].stop) == (12, 9)
    assert found.trades[0].entry_day == found.trades[0].signal_day == market.bars.sessions[2]


# -- resting orders -------------------------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("rule", "price", "bar", "fill"),
    [
        ("Buy", "close + 1", (10, 12, 10, 12), 11.0),  # on the way up
        ("Buy", "close + 1", (11.5, 12, 11, 12), 11.5),  # the open is beyond it
        ("Buy", "close - 1", (10, 10, 8, 9), 9.0),  # on the way down
        ("Buy", "close - 1", (8.5, 10, 8, 9), 8.5),
        ("Sell", "close - 1", (10, 10, 8, 8), 9.0),
        ("Sell", "close - 1", (8.5, 9, 8, 8), 8.5),
        ("Sell", "close + 1", (10, 12, 10, 11), 11.0),
        ("Sell", "close + 1", (11.5, 12, 10, 11), 11.5),
    ],
)
def test_a_resting_order_fills_where_the_bar_reaches_it(rule: str, price: str, bar: Bar, fill: float) -> None:
    found = ran(f'slots: 1\nenter "{rule}" at {price}', market_of({"A": [HIT, bar]}))
    assert found.trades[0].entry == fill


def test_a_resting_order_waits_its_bars_and_is_then_counted() -> None:
    market = market_of({"A": [HIT, FLAT, FLAT, (12, 13, 12, 13)]})
    assert ran('slots: 1\nenter "Buy" at 12 for 2 bars', market).signals["unfilled"] == 1
    assert ran('slots: 1\nenter "Buy" at 12 for 3 bars', market).trades[0].entry == 12


def test_the_own_stop_of_an_order_filled_inside_the_bar_is_taken_too() -> None:
    # Bought at 11 on the way up; whether the low of 9.5 came before nobody knows: the worse is taken, and counted.
    found = ran('slots: 1\nstop: entry - 1\nenter "Buy" at close + 1', market_of({"A": [HIT, (10, 12, 9.5, 12)]}))
    assert told(found) == [("A", 90, 11, 10, "stop")]
    assert found.worst_cases == 1


def test_bought_on_the_way_down_a_target_counts_only_where_the_close_is_beyond_it() -> None:
    text = 'slots: 1\ntarget: entry + 1\nenter "Buy" at close - 1'
    assert told(ran(text, market_of({"A": [HIT, (10, 12, 9, 9.5)]}))) == [("A", 111, 9, 9.5, "end")]
    assert told(ran(text, market_of({"A": [HIT, (10, 12, 9, 11)]}))) == [("A", 111, 9, 10, "target")]


def test_orders_beyond_the_free_slots_go_by_rank() -> None:
    low: list[Bar] = [HIT, (10, 12, 10, 12)]
    high: list[Bar] = [(10, 11, 9, 10, 2000), (10, 12, 10, 12)]
    found = ran('slots: 1\nrank: volume\nenter "Buy" at close + 1', market_of({"A": low, "B": high}))
    assert [x.symbol for x in found.trades] == ["B"]
    assert found.signals["no_slot"] == 1


# -- ranks, filters, members ----------------------------------------------------------------------------------------------


def test_the_highest_rank_comes_first_ties_by_symbol_and_the_unknown_last() -> None:
    rows = {s: [HIT, FLAT] for s in "BAC"}
    assert [x.symbol for x in ran('slots: 2\nrank: close\nenter "Buy"', market_of(rows)).trades] == ["A", "B"]
    best = {"A": [(10, 11, 9, 10), HIT, FLAT], "B": [None, HIT, FLAT]}  # of B nobody knows the bar before
    assert [x.symbol for x in ran('slots: 1\nrank: close 1 ago\nenter "Buy"', market_of(best)).trades] == ["A"]


def test_the_market_condition_shuts_the_door_and_may_empty_the_house() -> None:
    up, down = (10, 11, 9, 11), (10, 11, 9, 9)
    market = market_of({"A": [HIT, FLAT, HIT, FLAT, FLAT], "M": [up, up, down, down, up]}, benchmark="M")
    closed = ran('slots: 2\nonly while: close > open\nenter "Buy"', market)
    assert (closed.signals["traded"], closed.signals["filtered"]) == (1, 1)
    assert closed.trades[0].reason == "end"
    emptied = ran('slots: 2\nout unless: benchmark(close > open)\nenter "Buy"', market)
    assert told(emptied) == [("A", 100 // 2, 10, 10, "out")]
    assert emptied.trades[0].exit_day == market.bars.sessions[3]


def test_what_leaves_the_universe_is_held_or_sold() -> None:
    market = market_of({"A": [HIT, FLAT, FLAT, (12, 12, 12, 12)]}, members={"A": 1})
    assert ran('universe: some\nslots: 1\nenter "Buy"', market).trades[0].reason == "end"
    assert told(ran('universe: some\nleaves: exit\nslots: 1\nenter "Buy"', market)) == [("A", 100, 10, 12, "left")]


def test_one_name_alone_can_be_traded() -> None:
    market = market_of({"A": [HIT, FLAT], "B": [HIT, FLAT]})
    assert [x.symbol for x in ran('universe: only B\nslots: 5\nenter "Buy"', market).trades] == ["B"]
    with pytest.raises(ValueError, match="no symbol C"):
        ran('universe: only C\nenter "Buy"', market)


def test_a_session_without_a_bar_drops_the_order() -> None:
    found = ran('slots: 1\nenter "Buy"', market_of({"A": [HIT, None, FLAT], "Z": [FLAT] * 3}))
    assert (found.signals["no_bar"], len(found.trades)) == (1, 0)


# -- accounts -------------------------------------------------------------------------------------------------------------


def test_a_short_gains_what_the_price_falls_and_pays_for_the_loan() -> None:
    market = market_of({"A": [HIT, (10, 10, 10, 10), (10, 10, 8, 8)]})
    found = ran('slots: 1\nborrow costs: 36.5%\nstop: entry + 3\nexit at close when gain > 15%\nenter "Sell"', market)
    assert told(found) == [("A", 100, 10, 8, "exit")]
    assert found.trades[0].result == pytest.approx(200)
    assert found.borrow == pytest.approx(1000 * 0.365 * 1 / 365)  # one day on the 1000 that were sold
    assert found.equity[-1] == pytest.approx(1000 + 200 - found.borrow)


def test_idle_cash_earns_by_the_days_that_pass() -> None:
    found = ran('cash earns: 36.5%\nenter "Other"', market_of({"A": [FLAT] * 5}))  # Wednesday to Tuesday: a weekend in between
    assert found.equity[-1] == pytest.approx(1000 * 1.001**3 * 1.003)


def test_the_gross_limit_holds_longs_and_shorts_together() -> None:
    market = market_of({"A": [HIT, FLAT], "B": [(10, 11, 9, 10, 9000), FLAT]})
    half = ran('slots: 1\nsize: money 900\ngross: 50%\nenter "Buy"', market)
    assert half.trades[0].shares == 50
    both = ran('slots: 4\nsize: money 900\ngross: 200%\nrank: -volume\nenter "Sell"\nenter "Other"', market)
    assert sum(x.shares for x in both.trades) == 180


def test_a_ruined_book_ends_there() -> None:
    market = market_of({"A": [HIT, (10, 10, 10, 10), (30, 30, 30, 30), (40, 40, 40, 40)]})
    found = ran('slots: 1\nenter "Sell"', market)
    assert found.ruined
    assert len(found.equity) == 3
    assert found.equity[-1] == pytest.approx(-1000)


def test_orders_for_the_next_session_are_counted_from_the_last_close() -> None:
    market = market_of({"A": [HIT, (10, 10, 9.5, 10), (12, 12, 12, 12)], "B": [FLAT, FLAT, (9, 9, 9, 9, SIGNAL)]})
    found = ran('slots: 2\nstop: entry - 1\nexit when gain > 10%\nenter "Buy"', market)
    told_orders = [(o.action, o.symbol, o.shares, o.at, o.stop) for o in orders(found)]
    assert told_orders == [("sell", "A", 50, None, None), ("buy", "B", 61, None, 8)]
    resting = ran('slots: 2\nenter "Buy" at high + 1 for 3 bars', market)
    (order,) = [o for o in orders(resting) if o.symbol == "B"]
    assert (order.at, order.bars) == (10, 3)
    assert [o.shares for o in orders(found, account=10 * float(found.equity[-1]))] == [500, 611]


def test_cutting_the_run_leaves_what_was_before() -> None:
    market = market_of({"A": [HIT, FLAT, (12, 12, 12, 12), FLAT, HIT, FLAT]})
    day = int(market.bars.sessions[3])
    whole, part = ran('slots: 1\nenter "Buy"', market), ran('slots: 1\nenter "Buy"', market, Span(last=day))
    np.testing.assert_array_equal(part.equity, whole.equity[:4])
