"""Precedents: statements, the morning that is to come, how the sessions went that began so, and how little that can say."""

import itertools
import math
from dataclasses import replace

import numpy as np
import pytest

from tests import made
from tests.core.test_laws import known_by
from wickcore.bars.bars import build_bars
from wickcore.bars.market import Market
from wickcore.language.check import check_rule
from wickcore.measures.frame import TRUE, UNKNOWN
from wickcore.precedents.morning import morning, needs_all, next_session, stages_of
from wickcore.precedents.outcomes import BINS, Outcome, chosen, dots, luck_of, luck_of_turns, outcome, sessions_of, taper, way
from wickcore.precedents.statements import BOTH_WAYS, GROUPS, STATEMENTS, statements_of
from wickcore.precedents.verdict import at_least_once, looks, ordinal, precedents_verdict
from wickcore.scan.evaluate import Evaluator
from wickcore.study.intervals import day_block_interval, wilson

INDICES = ["HARBOUR", "BEACON", "SHOALS", "TIDEMK"]


@pytest.fixture(scope="module")
def market() -> Market:
    return made.demo_market(listed=30, delisted=6)


def ops_of(*lines: str) -> list:
    return [check_rule(f"decide: open\n{line}").lines[0].op for line in lines]


# -- statements --------------------------------------------------------------------------------------------------------------


def test_there_are_statements_enough_and_every_one_decides_at_the_open(market: Market) -> None:
    found = statements_of(market.events)
    assert len(found) >= 80
    assert len({s.line for s in found}) == len({s.words for s in found}) == len(found)
    assert {s.group for s in found} == set(GROUPS)
    for one in found:
        rule = check_rule(f"decide: open\n{one.line}")
        assert len(rule.lines) == 1, one.line
        assert not rule.advice, (one.line, rule.advice)
    lines = {s.line for s in STATEMENTS}
    assert {line for pair in BOTH_WAYS for line in pair} <= lines


def test_each_statement_is_known_when_it_says(market: Market) -> None:
    """Of a session without night and open: what is said to be known on the evening is, the rest is not, each in its turn."""
    session = int(market.bars.sessions[-40])
    found = statements_of(market.events)
    ops = ops_of(*(s.line for s in found))
    rank = {"evening": 0, "night": 1, "bell": 2}
    for stage in ("evening", "night", "bell"):
        this = sessions_of(morning(market, session, stage, INDICES), "HARBOUR", ops).this
        for one, value in zip(found, this, strict=True):
            assert (value != UNKNOWN) == (rank[one.known] <= rank[stage]), (one.line, stage)


def test_every_statement_is_true_of_some_sessions_and_not_of_all(market: Market) -> None:
    found = statements_of(market.events)
    of = sessions_of(
        morning(market, int(market.bars.last_day) + 1, "evening", INDICES), "HARBOUR", ops_of(*(s.line for s in found))
    )
    for one, truth, known in zip(found, of.truths, of.known, strict=True):
        assert 0 < truth.sum() < known.sum(), one.line


# -- the morning -------------------------------------------------------------------------------------------------------------


def test_a_morning_equals_the_session_as_it_is_evaluated_later(market: Market) -> None:
    """What is said of a morning is what the same line says of that session once it is over."""
    found = statements_of(market.events)
    ops = ops_of(*(s.line for s in found))
    engine = Evaluator(market)
    k = market.bars.number["HARBOUR"]
    begin = int(market.bars.offsets[k])
    whole = engine.rows(ops, "HARBOUR")
    for at in range(400, 460, 7):
        session = int(market.bars.days[begin + at])
        of = sessions_of(morning(market, session, "bell", INDICES), "HARBOUR", ops)
        assert of.days[-1] < session
        for one, column, this, truth in zip(found, whole, of.this, of.truths, strict=True):
            assert this == column[at], (one.line, at)
            assert truth.tolist() == (column[:at] == TRUE).tolist(), one.line


def test_nothing_of_the_session_or_after_it_is_seen(market: Market) -> None:
    """With the session's own prices and all that comes after turned to others, the morning says the same."""
    bars = market.bars
    session = int(bars.sessions[-25])
    late = bars.days >= session
    rng = np.random.default_rng(1)
    wild = {
        n: np.where(late, getattr(bars, n) * rng.uniform(0.5, 2), getattr(bars, n))
        for n in ("open", "high", "low", "close", "volume")
    }
    other = replace(
        market, tables=(replace(bars, **wild),), overnight={n: known_by(d, session) for n, d in market.overnight.items()}
    )
    ops = ops_of(*(s.line for s in statements_of(market.events)))
    for stage in ("evening", "night"):
        a, b = (sessions_of(morning(m, session, stage, INDICES), "BEACON", ops) for m in (market, other))
        assert a.this == b.this
        assert a.days.tolist() == b.days.tolist()
    # On the evening the night is not seen either.
    no_night = replace(market, overnight={n: known_by(d, session - 1) for n, d in market.overnight.items()})
    a, b = (sessions_of(morning(m, session, "evening", INDICES), "BEACON", ops) for m in (market, no_night))
    assert a.this == b.this


def test_the_next_session_and_what_is_there_of_it(market: Market) -> None:
    bars = market.bars
    assert next_session(market, int(bars.sessions[-5])) == bars.sessions[-4]
    latest = int(bars.sessions[-1])
    following = next_session(market, latest)
    assert following == int(bars.calendar.following([latest])[0])
    assert stages_of(market, int(bars.sessions[-4]), INDICES) == ("evening", "night", "bell")
    assert stages_of(market, following, INDICES) == ("evening",)


def test_what_looks_across_the_market_is_laid_out_whole(market: Market) -> None:
    (op,) = ops_of('breadth("Above the 50-day average") 1 ago > 50%')
    assert needs_all([op], [])
    assert not needs_all(ops_of("benchmark(close > sma(50)) 1 ago"), [])
    other = ops_of('of("S03", close > open) 1 ago')
    assert needs_all(other, ["S01"])
    assert not needs_all(other, ["S01", "S03"])
    session = int(market.bars.sessions[-30])
    of = sessions_of(morning(market, session, "bell", INDICES, whole=True), "HARBOUR", [op])
    k = market.bars.number["HARBOUR"]
    rows = slice(int(market.bars.offsets[k]), int(market.bars.offsets[k + 1]))
    column = Evaluator(market).rows([op], "HARBOUR")[0]
    at = int(np.searchsorted(market.bars.days[rows], session))
    assert of.this[0] == column[at]
    assert of.truths[0].tolist() == (column[:at] == TRUE).tolist()


def test_an_index_without_bars_has_no_sessions() -> None:
    market = made.market(seed=4, count=3, length=60)
    first = int(market.bars.sessions[0])
    of = sessions_of(morning(market, first, "evening", ["S01"]), "S01", ops_of("close 1 ago > close 2 ago"))
    assert len(of.days) == 0
    assert of.this == (UNKNOWN,)
    went = way(morning(market, first, "evening", ["S01"]), of, 0, 0.0)
    assert outcome(went, chosen(of)).count == 0
    assert dots(went, chosen(of)).up == [0] * BINS


# -- how they went -----------------------------------------------------------------------------------------------------------


def by_hand() -> Market:
    """Six sessions: opens, highs, lows and closes that can be worked out in the head."""
    days = made.weekdays(6)
    rows = {
        "open": [10.0, 10.0, 20.0, 10.0, 10.0, 10.0], "high": [11.0, 12.0, 22.0, 10.5, 11.0, 15.0], "low": [9.0, 8.0, 18.0, 9.5, 10.0, 10.0],
        "close": [11.0, 9.0, 21.0, 10.0, 11.0, 12.0], "volume": [1.0] * 6,
    }  # fmt: skip
    return Market((build_bars({"X": {"days": days, **{n: np.array(v) for n, v in rows.items()}}}),))


def test_the_way_of_each_session_by_hand() -> None:
    market = by_hand()
    at = morning(market, int(market.bars.days[-1]) + 1, "evening", ["X"])
    of = sessions_of(at, "X", [])
    same = way(at, of, 0, 0.01)
    np.testing.assert_allclose(same.moved, [0.1, -0.1, 0.05, 0.0, 0.1, 0.2])
    np.testing.assert_allclose(same.value, same.moved - 0.02)  # 1% a side
    np.testing.assert_allclose(same.best, [0.1, 0.2, 0.1, 0.05, 0.1, 0.5])
    np.testing.assert_allclose(same.worst, [-0.1, -0.2, -0.1, -0.05, 0.0, 0.0])
    following = way(at, of, 1, 0.0)
    np.testing.assert_allclose(following.moved, [-0.1, 1.1, -0.5, 0.1, 0.2, math.nan])
    np.testing.assert_allclose(following.best[0], 0.2)
    found = outcome(way(at, of, 0, 0.0), np.array([True, True, False, True, False, False]))
    assert (found.count, found.up, found.any_count) == (3, 1, 6)
    assert (found.share, found.any_share) == (pytest.approx(1 / 3), pytest.approx(4 / 6))
    assert (found.mean_up, found.mean_down) == (pytest.approx(0.1), pytest.approx(-0.05))  # unchanged is not up
    assert found.luck == pytest.approx(sum(1 for c in itertools.combinations([1, 0, 1, 0, 1, 1], 3) if sum(c) <= 1) / 20)


def test_splits_between_open_and_a_later_close_count() -> None:
    days = made.weekdays(3)
    plain = {"days": days, **{n: np.array([10.0, 10.0, 10.0]) for n in ("open", "high", "low", "close")}, "volume": np.ones(3)}
    market = Market((build_bars({"X": made.split_at(plain, 1, 2.0)}),))
    at = morning(market, int(days[-1]) + 1, "evening", ["X"])
    np.testing.assert_allclose(way(at, sessions_of(at, "X", []), 1, 0.0).moved, [0.0, 0.0, math.nan])


def test_thirty_six_of_fifty_seven() -> None:
    """36 of 57 is 63%, and its Wilson interval is 50 to 74% (E. B. Wilson, JASA 22, 1927; worked by hand)."""
    low, high = wilson(36, 57)
    assert [round(100 * x) for x in (36 / 57, low, high)] == [63, 50, 74]


def test_luck_is_the_share_of_all_choices_that_show_as_much() -> None:
    """The hypergeometric tail against every choice of the sessions, one by one."""
    rose = [1, 1, 1, 0, 0, 1, 0, 1, 1]
    size, ups = len(rose), sum(rose)
    for n in (2, 4, 5):
        sums = [sum(c) for c in itertools.combinations(rose, n)]
        for up in range(max(0, n - (size - ups)), min(n, ups) + 1):
            as_far = [s >= up if up / n >= ups / size else s <= up for s in sums]
            assert luck_of(up, n, ups, size) == pytest.approx(sum(as_far) / len(sums))
    assert luck_of(0, 0, 3, 5) is None


def clumps(seed: int, size: int = 600) -> tuple[np.ndarray, np.ndarray]:
    """Sessions that are chosen in clumps, and whether the six closes from each on brought a gain: of moves that know nothing of them."""
    rng = np.random.default_rng(seed)
    begins = rng.random(size) < 0.03
    mine = np.convolve(begins, np.ones(6))[:size] > 0
    moves = rng.normal(0, 0.01, size + 5)
    return mine, np.convolve(moves, np.ones(6), "valid") > 0


def test_ways_that_overlap_are_compared_with_choices_that_clump_as_much() -> None:
    mine, rose = clumps(1)
    turns = [(np.roll(mine, k) & rose).sum() for k in range(len(mine))]
    up, more = (mine & rose).sum(), (mine & rose).sum() / mine.sum() >= rose.mean()
    assert luck_of_turns(mine, rose) == pytest.approx(np.mean([t >= up if more else t <= up for t in turns]))
    assert luck_of_turns(mine & False, rose) is None
    found = [clumps(seed) for seed in range(200)]
    # Of what knows nothing about them, one look in twenty a side may seem to be more than luck: throws of their own seem so far too often.
    by_turns = np.mean([luck_of_turns(m, r) <= 0.05 for m, r in found])
    as_throws = np.mean([luck_of(int((m & r).sum()), int(m.sum()), int(r.sum()), len(m)) <= 0.05 for m, r in found])
    assert by_turns < 0.15
    assert as_throws > 0.3


def test_the_interval_of_ways_that_overlap_is_of_days_in_blocks(market: Market) -> None:
    at = morning(market, int(market.bars.last_day) + 1, "evening", INDICES)
    of = sessions_of(at, "HARBOUR", ops_of("close 1 ago > close 2 ago"))
    mine = chosen(of)
    for closes in (1, 5):
        went = way(at, of, closes, 0.0)
        found, here = outcome(went, mine), mine & ~np.isnan(went.moved)
        rose = (went.moved[here] > 0).astype(float)
        assert (found.low, found.high) == day_block_interval(rose, np.flatnonzero(here), closes + 1, 1, span=(0, len(mine)))
        assert found.luck == luck_of_turns(mine[~np.isnan(went.moved)], went.moved[~np.isnan(went.moved)] > 0)
    same = outcome(way(at, of, 0, 0.0), mine)
    assert (same.low, same.high) == wilson(same.up, same.count)


def test_the_taper_and_the_chosen_are_of_all_lines_above() -> None:
    market = by_hand()
    at = morning(market, int(market.bars.days[-1]) + 1, "evening", ["X"])
    of = sessions_of(at, "X", ops_of("close 1 ago > open 1 ago", "open > 5", "close 1 ago > 11"))
    assert taper(of) == [6, 3, 3, 1]
    assert chosen(of).sum() == 1
    later = sessions_of(at, "X", ops_of("open > 5"), first=int(market.bars.days[2]))
    assert later.days.tolist() == market.bars.days[2:].tolist()


def test_one_dot_a_session(market: Market) -> None:
    at = morning(market, int(market.bars.last_day) + 1, "evening", INDICES)
    of = sessions_of(at, "HARBOUR", ops_of('weekday == "Monday"'))
    went, mine = way(at, of, 0, 0.0), chosen(of)
    found = dots(went, mine)
    assert sum(found.up) == (went.moved[mine] > 0).sum()
    assert sum(found.up) + sum(found.down) == mine.sum()
    assert found.reach == dots(went, np.ones(len(mine), np.bool_)).reach
    middle = BINS // 2
    assert sum(found.up[:middle]) == sum(found.down[middle + 1 :]) == 0


# -- what it says ------------------------------------------------------------------------------------------------------------


def of_share(count: int, up: int, luck: float) -> Outcome:
    return Outcome(count, up, up / count, 0.5, 0.7, 3_000, 0.54, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, luck)


def test_the_verdict_counts_the_looks() -> None:
    said = precedents_verdict(of_share(57, 36, 1 / 11), 0, 4)
    assert said == (
        "Of 57 such mornings 36 closed above their open. Luck alone shows as much once in 11 looks, and this is your fourth set this "
        "morning: nothing to lean on."
    )
    assert precedents_verdict(of_share(57, 45, 0.001), 0, 1).endswith(
        "once in 1,000 looks: more than luck would show, in this past."
    )
    # What one look would bear, the twentieth does not.
    assert at_least_once(0.01, 20) == pytest.approx(1 - 0.99**20)
    assert precedents_verdict(of_share(57, 45, 0.01), 1, 20).endswith("this is your 20th set this morning: nothing to lean on.")
    assert precedents_verdict(of_share(19, 15, 0.001), 0, 1) == "Only 19 such mornings: under 20 nothing can be said of them."
    assert [ordinal(n) for n in (1, 3, 11, 21, 22, 23, 112)] == ["first", "third", "11th", "21st", "22nd", "23rd", "112th"]
    assert [looks(x) for x in (0.9, 0.5, 0.2, 1e-9)] == [
        "nearly every time", "every second time", "once in 5 looks", "less than once in 10,000 looks",
    ]  # fmt: skip
