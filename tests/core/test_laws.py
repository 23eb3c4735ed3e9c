"""The two laws: no look-ahead, and a scan is what the study counts. Over random rules, every entry, and every frame."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from tests import made
from tests.core.test_meaning import FRAMES, LATER, example_of
from wickcore.bars.frames import number_of
from wickcore.bars.market import Dated, Facts, Market
from wickcore.bars.moment import Moment, moment_of, of_key
from wickcore.language.catalogue import CATALOGUE
from wickcore.language.check import check_expression, check_rule
from wickcore.language.operations import Op
from wickcore.language.rule import CheckedRule
from wickcore.scan.evaluate import Evaluator
from wickcore.scan.scan import scan
from wickcore.study.follow import study
from wickcore.study.returns import RuleBars
from wickcore.study.settings import StudySettings

QUIET = settings(max_examples=40, deadline=None, suppress_health_check=list(HealthCheck), derandomize=True)


def cut_market(market: Market, at: int | Moment) -> Market:
    """Everything that is not known at a moment gone: bars of all frames, reports, payments. Texts and listings are not of a day."""
    facts, dividends, day = market.facts, market.dividends, moment_of(at).day
    nights = {name: known_by(dated, day) for name, dated in market.overnight.items()}
    assert facts is not None
    assert dividends is not None
    keep, paid = facts.days <= day, dividends[1] <= day

    def offsets(old: np.ndarray, kept: np.ndarray) -> np.ndarray:
        return np.concatenate([[0], np.cumsum(kept)])[old].astype(np.int64)

    return replace(
        market,
        tables=tuple(table.cut(at) for table in market.tables),
        facts=Facts(
            offsets(facts.offsets, keep), facts.days[keep], facts.is_report[keep], {n: c[keep] for n, c in facts.columns.items()}
        ),
        dividends=(offsets(dividends[0], paid), dividends[1][paid], dividends[2][paid]),
        overnight=nights,
        version=f"cut {moment_of(at)}",
    )


def known_by(dated: Dated, day: int) -> Dated:
    """The values of days up to one."""
    keep = dated.days <= day
    return Dated(np.concatenate([[0], np.cumsum(keep)])[dated.offsets].astype(np.int64), dated.days[keep], dated.values[keep])


@pytest.fixture(scope="module")
def market() -> Market:
    return made.market(seed=3, count=4, length=120)


@pytest.fixture(scope="module")
def cuts(market: Market) -> list[tuple[Moment, Market]]:
    """The market cut on days in the middle and at the ends of weeks and months."""
    sessions = market.bars.sessions
    return [(Moment(int(sessions[i])), cut_market(market, int(sessions[i]))) for i in (37, 63, 64, 88, 101)]


@pytest.fixture(scope="module")
def inner() -> Market:
    return made.inner_market(seed=6, inner=7)


@pytest.fixture(scope="module")
def inner_cuts(inner: Market) -> list[tuple[Moment, Market]]:
    """Cut after a day's first bar, inside days, at a close, on a day without a daily bar."""
    keys = inner.table("5min").moments
    moments = [of_key(keys[i]) for i in (0, 26, 58, 77, 103, 130, len(keys) - 9)] + [Moment(int(inner.bars.sessions[-2]))]
    return [(moment, cut_market(inner, moment)) for moment in moments]


# The date of the next report is announced with the report before it: known ahead by its definition, so not by cut data.
ANNOUNCED = {"days_to_report", "days_to_dividend"}
ENTRIES = sorted(n for n in CATALOGUE.entries if n not in ANNOUNCED)


_engines: dict[tuple[str, int], Evaluator] = {}


def engine_of(market: Market, table: str = "day") -> Evaluator:
    """One evaluator a market and table: what it keeps is of this market alone, so that no case can help another by it."""
    if (table, id(market)) not in _engines:
        _engines[table, id(market)] = Evaluator(market, 0).on(table)
    return _engines[table, id(market)]


def no_later(whole: Evaluator, cuts: list[tuple[Moment, Market]], op: Op, said: object) -> None:
    """The last value known at each cut is, bit for bit, the one computed from the whole data."""
    column = whole.column(op)
    for moment, part in cuts:
        engine = engine_of(part, whole.table)
        at, here = whole.bars.on(moment), engine.bars.on(moment)
        there = engine.column(op)
        for k in np.flatnonzero(at >= 0):
            assert column[at[k]].tobytes() == there[here[k]].tobytes(), (said, whole.bars.symbols[k], str(moment))


@pytest.mark.parametrize("frame", FRAMES)
@pytest.mark.parametrize("name", [n for n in ENTRIES if not CATALOGUE[n].inner])
def test_no_entry_sees_past_its_bar(market: Market, cuts: list[tuple[Moment, Market]], name: str, frame: str) -> None:
    text = f'{name} != "Power"' if CATALOGUE[name].result == "text" else example_of(name)
    no_later(engine_of(market), cuts, check_expression(text, frame).op, (name, frame))


@pytest.mark.parametrize("frame", ["5min", "15min", "65min", "day", "week"])
@pytest.mark.parametrize("name", ENTRIES)
def test_no_entry_sees_past_its_bar_within_the_day(
    inner: Market, inner_cuts: list[tuple[Moment, Market]], name: str, frame: str
) -> None:
    text = f'{name} != "Power"' if CATALOGUE[name].result == "text" else example_of(name)
    no_later(engine_of(inner, "5min"), inner_cuts, check_expression(text, frame, "5min").op, (name, frame))


@pytest.mark.parametrize("frame", [*FRAMES, "5min", "65min"])
@pytest.mark.parametrize("text", LATER)
def test_no_window_since_an_event_sees_past_its_bar(
    market: Market, cuts: list[tuple[Moment, Market]], inner: Market, inner_cuts: list[tuple[Moment, Market]], text: str, frame: str
) -> None:
    if frame in FRAMES:
        no_later(engine_of(market), cuts, check_expression(text, frame).op, (text, frame))
    no_later(engine_of(inner, "5min"), inner_cuts, check_expression(text, frame, "5min").op, (text, frame))


@pytest.mark.parametrize(
    "text",
    [
        "on(5min, rsi(5) > 50)",
        "sma(on(15min, close), 3)",
        "rank(on(5min, change(2)))",
        "on(65min, close > on(day, sma(4)))",
        "close > sma(9)",
    ],
)
def test_no_daily_rule_sees_a_later_bar_of_its_day(inner: Market, inner_cuts: list[tuple[Moment, Market]], text: str) -> None:
    no_later(Evaluator(inner), inner_cuts, check_expression(text, "day", "5min").op, text)


NUMBERS = st.sampled_from(
    ["close", "high", "sma(5)", "ema(4)", "on(week, close)", "on(month, sma(2))", "highest(high, 8) 1 ago", "lowest(low, 2w)", "atr(5)",
     "close 3 ago", "close 1w ago", "rma(6)", "stdev(close, 7)", "on(week, high)"]
)  # fmt: skip
LINES = st.one_of(
    st.builds(lambda a, o, b: f"{a} {o} {b}", NUMBERS, st.sampled_from([">", "<", ">=", "<="]), NUMBERS),
    st.builds(lambda a, b: f"{a} crosses above {b}", NUMBERS, NUMBERS),
    st.builds(lambda a, n, b: f"{a} > {b} held {n}", NUMBERS, st.integers(1, 4), NUMBERS),
    st.builds(lambda a, n, b: f"{a} < {b} once in {n}", NUMBERS, st.integers(1, 4), NUMBERS),
    st.builds(lambda n, m: f"count(close > close 1 ago, {n}) >= {m}", st.integers(2, 6), st.integers(1, 4)),
    st.builds(lambda n: f"close > {n}", st.integers(1, 90)),
    st.just("volume > 60k"),
    st.just('sector == "Power"'),
    st.just("eps > 0"),
)


def rule_of(lines: list[str], frame: str, group: bool) -> str:
    body = "any of:\n" + "\n".join(f"    {line}" for line in lines) if group else "\n".join(lines)
    return f"bars: {frame}\n{body}"


@QUIET
@given(lines=st.lists(LINES, min_size=1, max_size=3), frame=st.sampled_from(FRAMES), group=st.booleans(), back=st.integers(0, 90))
def test_no_rule_sees_past_its_bar(lines: list[str], frame: str, group: bool, back: int) -> None:
    market = made.market(seed=5, count=3, length=110)
    rule = check_rule(rule_of(lines, frame, group))
    at = Moment(int(market.bars.sessions[-1 - back]))
    rule_sees_no_later(market, rule, at)


@QUIET
@given(
    lines=st.lists(LINES, min_size=1, max_size=3), frame=st.sampled_from(["5min", "15min", "65min", "day", "week"]), group=st.booleans(),
    back=st.integers(0, 170),
)  # fmt: skip
def test_no_rule_sees_past_its_bar_within_the_day(lines: list[str], frame: str, group: bool, back: int) -> None:
    market = made.inner_market(seed=8, inner=8)
    keys = market.table("5min").moments
    rule_sees_no_later(market, check_rule(rule_of(lines, frame, group), base="5min"), of_key(keys[-1 - back]))


def rule_sees_no_later(market: Market, rule: CheckedRule, at: Moment) -> None:
    now, then = (Evaluator(m).stepping(rule.frame, at) for m in (cut_market(market, at), market))
    for line in rule.lines:
        there, here = then.bars.on(at), now.bars.on(at)
        whole, part = then.column(line.op), now.column(line.op)
        assert whole[there[there >= 0]].tobytes() == part[here[here >= 0]].tobytes()
    # And so of the scan: standing on a past moment is standing at the end of shorter data.
    found, early = scan(then, rule, at), scan(now, rule, at)
    assert [h.symbol for h in found.hits] == [h.symbol for h in early.hits]
    assert found.partial == early.partial


@QUIET
@given(lines=st.lists(LINES, min_size=1, max_size=3), frame=st.sampled_from(FRAMES), group=st.booleans(), inside=st.booleans())
def test_scans_of_every_evening_are_the_hits_of_the_study(lines: list[str], frame: str, group: bool, inside: bool) -> None:
    market = made.market(seed=5, count=3, length=110)
    engine = Evaluator(market)
    rule = check_rule(rule_of(lines, frame, group))
    members = market.members("Turning") if inside else None
    found = study(engine, rule, StudySettings(horizons=(1,), repeats="every", draws=2), members)
    studied = {(e.day, e.symbol) for e in found.events}
    scanned = {(int(day), h.symbol) for day in market.bars.sessions for h in scan(engine, rule, int(day), members).hits}
    if frame == "day":
        assert scanned == studied
        return
    # On each instrument's last session of a finished week (month) both agree; in between the scan says that it is the week so far.
    bars = market.bars
    over = {(int(bars.days[p]), bars.symbols[bars.owner[p]]) for p in RuleBars.of(bars, frame, bars.last_day).positions}
    assert {hit for hit in scanned if hit in over} == studied
    for day, _ in scanned - over:
        following = int(bars.calendar.following(np.array([day]))[0])
        same_period = number_of(np.array([day, following]), frame)
        assert scan(engine, rule, day, members).partial == (same_period[0] == same_period[1])
