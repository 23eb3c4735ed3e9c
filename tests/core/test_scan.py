"""The scan of an evening: taper, unknown, near misses, fresh hits, explain. Small markets counted by hand."""

import numpy as np
import pytest

from tests import made
from wickcore.bars.bars import build_bars
from wickcore.bars.market import Market, Membership
from wickcore.language.check import check_expression, check_rule
from wickcore.measures.frame import FALSE, TRUE, UNKNOWN
from wickcore.scan.at_moment import at_moment
from wickcore.scan.evaluate import Evaluator, Limits, Shared, Stopped, cost
from wickcore.scan.explain import explain, values
from wickcore.scan.scan import scan, values_at


def flat(closes: list[float], skip_last: bool = False) -> dict[str, np.ndarray]:
    close = np.array(closes, float)
    days = made.weekdays(len(close))
    table = {"days": days, "close": close, "volume": np.full(len(close), 100.0), "open": close, "high": close + 1, "low": close - 1}
    return {name: column[:-1] for name, column in table.items()} if skip_last else table


@pytest.fixture(scope="module")
def engine() -> Evaluator:
    """Five instruments over four days:  A 10 11 12 13 · B 20 19 18 17 · C 5 6 7 8 · D like A but without a bar on the last day ·
    E a single bar, listed on the last day."""
    single = {name: column[-1:] for name, column in flat([9, 9, 9, 30]).items()}
    tables = {
        "A": flat([10, 11, 12, 13]), "B": flat([20, 19, 18, 17]), "C": flat([5, 6, 7, 8]), "D": flat([10, 11, 12, 13], True), "E": single,
    }  # fmt: skip
    return Evaluator(Market((build_bars(tables),)))


def test_the_taper_counts_down_line_by_line(engine: Evaluator) -> None:
    rule = check_rule("close > 7\nclose > close 1 ago\nskip close > 100\nclose < 10")
    found = scan(engine, rule, engine.market.bars.last_day)
    # On the last day: A 13, B 17, C 8, E 30 (its own first bar, so its change is unknown). D has no bar.
    assert (found.scanned, found.no_bar) == (4, 1)
    counted = [(c.true, c.false, c.unknown, c.left, c.alone) for c in found.lines]
    # alone: instruments that would be hits but for this line: A fails only the last one; E fails two lines.
    assert counted == [(4, 0, 0, 4, 0), (2, 1, 1, 2, 0), (0, 4, 0, 2, 0), (1, 3, 0, 1, 1)]
    assert [h.symbol for h in found.hits] == ["C"]
    assert [(n.symbol, n.line.number) for n in found.near_misses] == [("A", 4)]


def test_days_as_a_hit_count_back_to_the_first(engine: Evaluator) -> None:
    found = scan(engine, check_rule("close > 11"), engine.market.bars.last_day)
    assert {h.symbol: h.days for h in found.hits} == {"A": 2, "B": 4, "E": 1}
    assert [h.symbol for h in found.hits if h.fresh] == ["E"]


def test_an_earlier_evening_knows_nothing_later(engine: Evaluator) -> None:
    second = int(engine.market.bars.sessions[1])
    found = scan(engine, check_rule("close > 10"), second)
    assert [h.symbol for h in found.hits] == ["A", "B", "D"]
    assert found.scanned == 4  # E is not listed yet
    assert found.no_bar == 0


def test_unknown_is_neither_true_nor_false(engine: Evaluator) -> None:
    day = engine.market.bars.last_day
    for text, hits in [
        ("close > close 1 ago", ["A", "C"]),
        ("not close > close 1 ago", ["B"]),
        ("close > close 1 ago or close > 25", ["A", "C", "E"]),
        ("close > close 1 ago and close > 25", []),
        ("none of:\n    close > close 1 ago\n    close > 100", ["B"]),
        ("at least 2 of:\n    close > close 1 ago\n    close > 7\n    close > 25", ["A", "C", "E"]),
    ]:
        assert [h.symbol for h in scan(engine, check_rule(text), day).hits] == hits, text


def test_a_line_inside_a_group_counts_alone_and_decides_nothing(engine: Evaluator) -> None:
    found = scan(engine, check_rule("any of:\n    close > 20\n    close < 10"), engine.market.bars.last_day)
    assert [(c.line.depth, c.true, c.left) for c in found.lines] == [(0, 2, 2), (1, 1, 2), (1, 1, 2)]


def test_membership_is_that_of_the_day() -> None:
    bars = build_bars({"A": flat([10, 11, 12, 13]), "B": flat([20, 19, 18, 17])})
    d = bars.sessions
    dated = Membership(np.array([0, 1]), np.array([d[0], d[2]], np.int32), np.array([d[1], d[3]], np.int32))
    market = Market((bars,), universes={"Turning": dated})
    engine, members = Evaluator(market), market.members("Turning")
    hits = [[h.symbol for h in scan(engine, check_rule("close > 1"), int(day), members).hits] for day in d]
    assert hits == [["A"], ["A"], ["B"], ["B"]]


def test_explain_gives_both_sides_and_the_margin(engine: Evaluator) -> None:
    rule = check_rule("close > 12\nhigh < close\nclose > sma(2) > 13\nclose > 1 or open > 1")
    lines = explain(engine, rule, "A", engine.market.bars.last_day)
    assert [(x.truth, x.left, x.right, x.margin) for x in lines[:2]] == [(True, 13, 12, 1), (False, 14, 13, -1)]
    # Of a chain the worse pair is shown: sma(2) = 12.5 is half under 13.
    assert (lines[2].truth, lines[2].left, lines[2].right, lines[2].margin) == (False, 12.5, 13, -0.5)
    with pytest.raises(LookupError):
        explain(engine, rule, "D", engine.market.bars.last_day)


def test_explain_speaks_in_the_money_of_the_day() -> None:
    engine = Evaluator(Market((made.one([20, 21, 10.5, 11], factor=[1, 1, 2, 2]),)))
    (line,) = explain(engine, check_rule("close > 10"), "A", engine.market.bars.last_day)
    assert (line.left, line.right, line.margin) == (11, 10, 1)


def test_values_are_on_the_latest_scale() -> None:
    engine = Evaluator(Market((made.one([20, 21, 10.5, 11], factor=[1, 1, 2, 2]),)))
    days, times, found = values(engine, check_expression("close"), "A", "day", engine.market.latest)
    assert len(days) == 4
    assert times == [None] * 4
    assert found == [10, 10.5, 10.5, 11]
    columns = {"close": check_expression("close"), "up": check_expression("close > close 1 ago")}
    days = engine.market.bars.days
    for day, close, up in ((days[0], 20, None), (days[1], 21, 1), (days[2], 10.5, 0), (days[3], 11, 1)):
        found = values_at(engine, columns, np.array([0]), int(day))  # each evening in its own money
        assert found["close"].tolist() == [close]
        assert np.isnan(found["up"][0]) if up is None else found["up"][0] == up
    assert values(engine, check_expression("close > 10.6"), "A", "day", engine.market.latest)[2] == [True, True, False, True]


def test_computing_stops_when_told() -> None:
    from threading import Event

    engine = Evaluator(made.market(count=3, length=60))
    stop = Event()
    stop.set()
    with pytest.raises(Stopped):
        scan(engine, check_rule("close > sma(20)"), engine.market.bars.last_day, None, Limits(cancel=stop))
    with pytest.raises(Stopped):
        scan(engine, check_rule("close > sma(20)"), engine.market.bars.last_day, None, Limits(seconds=-1))


def test_what_would_take_far_too_long_is_refused_at_once() -> None:
    engine = Evaluator(made.market(count=3, length=60))
    lines = "\n".join(f"corr(close {n} ago, volume, 5000) > 0" for n in range(1, 30))
    assert cost([line.op for line in check_rule(lines).lines]) > 100_000
    with pytest.raises(Stopped, match="would take about"):
        Limits(seconds=1).allow(60)
    assert len(scan(engine, check_rule(lines), engine.market.bars.last_day, None, Limits(seconds=10)).lines) == 29


def test_values_on_some_bars_are_those_of_the_columns() -> None:
    engine = Evaluator(made.market(count=4, length=90))
    ops = [check_expression(t).op for t in ("sma(5)", "close > sma(5)", "rank(close)", "benchmark(change)")]
    positions = np.array([3, 40, 200, len(engine.market.bars) - 1])
    for column, found in zip(engine.columns(ops), engine.at(ops, positions), strict=True):
        np.testing.assert_array_equal(found, column[positions])


def test_values_of_a_day_are_kept_and_those_of_the_columns() -> None:
    engine = Evaluator(made.market(count=5, length=90))
    ops = [check_expression(t).op for t in ("sma(5)", "close > sma(5)")]
    day = int(engine.market.bars.sessions[60])
    position = engine.market.bars.on(day)
    for _ in range(2):  # computed, then kept
        for op, found in zip(ops, at_moment(engine, ops, day), strict=True):
            whole = engine.column(op)
            for k, at in enumerate(position):
                expected = whole[at] if at >= 0 else (1 if op.result == "condition" else np.nan)
                np.testing.assert_equal(found[k], expected)


def test_an_edited_line_leaves_the_others_in_the_cache() -> None:
    engine = Evaluator(made.market(count=3, length=60))
    first = check_rule("close > sma(20)\nclose > 5")
    kept = engine.column(first.lines[0].op)
    scan(engine, first, engine.market.bars.last_day)
    edited = check_rule("close > sma(20)\nclose > 6")
    scan(engine, edited, engine.market.bars.last_day)
    assert engine.column(edited.lines[0].op) is kept


def test_the_cache_is_bounded_by_bytes() -> None:
    market = made.market(count=3, length=60)
    shared = Shared(market, 10 * len(market.bars), None)
    engine = Evaluator(market, shared=shared)
    for n in range(2, 40):
        engine.column(check_expression(f"sma({n})").op)
    assert 0 < shared.kept.nbytes <= 10 * len(market.bars)


SIDES = ["breadth(close > sma(9))", "benchmark(change)", 'of("S01", rsi(5))', "group(change(3))", "rank(change(3))", "rsi(5)"]


@pytest.mark.parametrize("side", SIDES)
def test_a_line_of_its_own_compares_what_is_said(side: str) -> None:
    """Also where what it compares has one value a moment, and instruments have no bar at some of them."""
    engine = Evaluator(made.dress(made.market(seed=11, count=9, length=300).bars))
    value = engine.column(check_expression(side).op)
    level = float(np.nanmedian(value))
    (found,) = Evaluator(engine.market).columns([check_expression(f"{side} > {level!r}").op])
    expected = np.where(np.isnan(value), UNKNOWN, np.where(value > level, TRUE, FALSE))
    np.testing.assert_array_equal(found, expected)
    assert len({*expected.tolist()}) >= 2
