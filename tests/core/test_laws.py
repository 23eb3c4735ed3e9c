"""The two laws: no look-ahead, and a scan is what the study counts. Over random rules, every entry, and every frame."""

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from tests import made
from tests.core.test_meaning import FRAMES, example_of
from wickcore.bars.market import Market
from wickcore.language.catalogue import CATALOGUE
from wickcore.language.check import check_expression, check_rule
from wickcore.scan.evaluate import Evaluator
from wickcore.scan.scan import scan
from wickcore.study.follow import StudySettings, study

QUIET = settings(max_examples=40, deadline=None, suppress_health_check=list(HealthCheck), derandomize=True)


def cut_market(market: Market, day: int) -> Market:
    """Everything after `day` gone: bars, reports, payments. Texts and listings are not of a day."""
    from dataclasses import replace

    from wickcore.bars.market import Facts

    facts, dividends = market.facts, market.dividends
    assert facts is not None
    assert dividends is not None
    keep, paid = facts.days <= day, dividends[1] <= day

    def offsets(old: np.ndarray, kept: np.ndarray) -> np.ndarray:
        return np.concatenate([[0], np.cumsum(kept)])[old].astype(np.int64)

    return replace(
        market,
        bars=market.bars.cut(day),
        facts=Facts(
            offsets(facts.offsets, keep), facts.days[keep], facts.is_report[keep], {n: c[keep] for n, c in facts.columns.items()}
        ),
        dividends=(offsets(dividends[0], paid), dividends[1][paid], dividends[2][paid]),
        version=f"cut {day}",
    )


@pytest.fixture(scope="module")
def market() -> Market:
    return made.market(seed=3, count=4, length=120)


@pytest.fixture(scope="module")
def cuts(market: Market) -> list[tuple[int, Market]]:
    """The market cut on days in the middle and at the ends of weeks and months."""
    sessions = market.bars.sessions
    return [(int(sessions[i]), cut_market(market, int(sessions[i]))) for i in (37, 63, 64, 88, 101)]


# The date of the next report is announced with the report before it: known ahead by its definition, so not by cut data.
ANNOUNCED = {"days_to_report"}


@pytest.mark.parametrize("frame", FRAMES)
@pytest.mark.parametrize("name", sorted(n for n in CATALOGUE.entries if n not in ANNOUNCED))
def test_no_entry_sees_past_its_bar(market: Market, cuts: list[tuple[int, Market]], name: str, frame: str) -> None:
    text = f'{name} != "Power"' if CATALOGUE[name].result == "text" else example_of(name)
    op = check_expression(text, frame).op
    whole = Evaluator(market).column(op)
    for day, part in cuts:
        at = market.bars.on(day)
        here = part.bars.on(day)
        there = Evaluator(part).column(op)
        for k in np.flatnonzero(at >= 0):
            assert whole[at[k]].tobytes() == there[here[k]].tobytes(), (name, frame, market.bars.symbols[k], day)


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
    day = int(market.bars.sessions[-1 - back])
    part = cut_market(market, day)
    now, then = Evaluator(part), Evaluator(market)
    for line in rule.lines:
        at, here = market.bars.on(day), part.bars.on(day)
        whole, there = then.column(line.op), now.column(line.op)
        assert whole[at[at >= 0]].tobytes() == there[here[here >= 0]].tobytes()
    # And so of the scan: standing on a past evening is standing at the end of shorter data.
    assert [h.symbol for h in scan(then, rule, day).hits] == [h.symbol for h in scan(now, rule, day).hits]


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
    else:
        # In mid-week a scan shows the week so far; on each instrument's last session of a week both agree.
        ends = {day for day, _ in studied}
        assert studied <= scanned
        last_of_week = {
            (int(d), s)
            for k, s in enumerate(market.bars.symbols)
            for d in market.bars.days[market.bars.offsets[k] : market.bars.offsets[k + 1]]
        }
        assert ends <= {d for d, _ in last_of_week}
