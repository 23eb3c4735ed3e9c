"""Around the language: the canonical layout, the rule for the other side, and the rule read aloud."""

from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests import made
from wickcore.bars.bars import Bars, build_bars
from wickcore.bars.market import Market
from wickcore.language.catalogue import CATALOGUE
from wickcore.language.check import check_expression, check_rule
from wickcore.language.formatter import statement, write
from wickcore.language.layout import format_rule, lay_out
from wickcore.language.mirror import mirror
from wickcore.language.parser import parse, parse_expression
from wickcore.language.read_aloud import read_aloud
from wickcore.scan.evaluate import Evaluator

STARTERS = sorted((Path(__file__).resolve().parents[2] / "upperwick/rules/starters").rglob("*.rule"), key=lambda p: p.name)
UNTIDY = """side:  long
name:   Untidy   rule
# what it is for

dial reach=60 from 20   to 250 step 10
let   ceiling = highest( high,reach )  1 ago


close>10# no penny shares
close   near ceiling by 5 %
at least 2 of :
  rel_volume( 20 )>1.5
  # inside the group
  skip   close>max( sma(5),   # the short one
     sma(10))     # the long one
  any of:
      closing_place >50%
      not(close>open)
"""
TIDY = """name: Untidy rule

# what it is for

dial reach = 60 from 20 to 250 step 10
let ceiling = highest(high, reach) 1 ago

close > 10  # no penny shares
close near ceiling by 5%
at least 2 of:
    rel_volume(20) > 1.5
    # inside the group
    skip close > max(sma(5), sma(10))  # the short one; the long one
    any of:
        closing_place > 50%
        not close > open
"""


def test_the_layout_is_one() -> None:
    text = UNTIDY.replace("5 %", "5%").replace("of :", "of:")
    assert format_rule(text) == TIDY
    assert format_rule(TIDY) == TIDY


@pytest.mark.parametrize("path", STARTERS, ids=[p.stem for p in STARTERS])
def test_starter_rules_keep_their_meaning_and_comments_when_laid_out(path: Path) -> None:
    text = path.read_text()
    laid = format_rule(text)
    assert format_rule(laid) == laid
    assert [line.op.key for line in check_rule(laid, base="5min").lines] == [
        line.op.key for line in check_rule(text, base="5min").lines
    ]
    assert laid.count("#") == text.count("#")


NODES = st.recursive(
    st.sampled_from(["close", "5", "20%", "1.5", "sma(20)", "300k", "highest(high, 52w)"]),
    lambda inner: st.one_of(
        st.builds(lambda a, o, b: f"({a}) {o} ({b})", inner, st.sampled_from("+-*/"), inner),
        st.builds(lambda a: f"-({a})", inner),
        st.builds(lambda a, n: f"({a}) {n} ago", inner, st.integers(1, 9)),
        st.builds(lambda a, b: f"max({a}, {b})", inner, inner),
    ),
    max_leaves=6,
)
CONDITIONS = st.recursive(
    st.builds(lambda a, o, b: f"({a}) {o} ({b})", NODES, st.sampled_from([">", "<=", "=="]), NODES),
    lambda inner: st.one_of(
        st.builds(lambda a, o, b: f"({a}) {o} ({b})", inner, st.sampled_from(["and", "or"]), inner),
        st.builds(lambda a: f"not ({a})", inner),
        st.builds(lambda a, n: f"({a}) held {n}", inner, st.integers(1, 5)),
        st.builds(lambda a, n: f"({a}) once in {n}", inner, st.integers(1, 5)),
    ),
    max_leaves=4,
)


@settings(max_examples=200, deadline=None, derandomize=True)
@given(CONDITIONS)
def test_writing_a_tree_keeps_its_shape(text: str) -> None:
    """Text with brackets everywhere and text with only those it needs are the same tree."""
    short = write(parse_expression(text), text)
    assert write(parse_expression(short), short) == short
    assert check_expression(short).op.key == check_expression(text).op.key


# -- the other side --------------------------------------------------------------------------------------------------

MIRRORS = [
    ("close > sma(50)", "close < sma(50)"),
    ("sma(20) > sma(50) > sma(200)", "sma(20) < sma(50) < sma(200)"),
    ("close > highest(high, 60) 1 ago", "close < lowest(low, 60) 1 ago"),
    ("close > highest(high, 60) 1 ago once in 3", "close < lowest(low, 60) 1 ago once in 3"),
    ("rsi(14) > 80", "rsi(14) < 20"),
    ("rsi(14) between 35 and 55", "rsi(14) between 45 and 65"),
    ("willr(14) < -80", "willr(14) > -20"),
    ("closing_place > 60%", "closing_place < 40%"),
    ("above_low(52w) > 50%", "off_high(52w) < -33.3333333%"),
    ("off_high(52w) > -25%", "above_low(52w) < 33.3333333%"),
    ("change > 5%", "change < -5%"),
    ("change(20) between -2% and 10%", "change(20) between -10% and 2%"),
    ("gap < 0", "gap > 0"),
    ("close crosses above bb_upper(100, 2.5)", "close crosses below bb_lower(100, 2.5)"),
    ("close > sma(20) + 2 * atr(14)", "close < sma(20) - 2 * atr(14)"),
    ("close > 1.1 * sma(50)", "close < sma(50) / 1.1"),
    ("close > sma(50) * 1.1", "close < 1 / 1.1 * sma(50)"),
    ("close / sma(50) > 1.1", "sma(50) / close > 1.1"),
    ("high - low > 2 * atr(14)", "high - low > 2 * atr(14)"),
    ("close - open > 0", "open - close > 0"),
    ("rising(sma(50), 5)", "falling(sma(50), 5)"),
    ("falling(volume, 2)", "falling(volume, 2)"),
    ("highest(volume, 20) > 1m", "highest(volume, 20) > 1m"),
    ("hammer once in 3", "shooting_star once in 3"),
    ("engulfing_up", "engulfing_down"),
    ("macd crosses above macd_signal", "macd crosses below macd_signal"),
    ("on(week, close > sma(40))", "on(week, close < sma(40))"),
    ("benchmark(close > sma(200))", "benchmark(close < sma(200))"),
    ("stacked(sma, 20, 50, 200)", "stacked(sma, 200, 50, 20)"),
    ("not close > sma(5)", "not close < sma(5)"),
    ("plus_di(14) > minus_di(14)", "minus_di(14) > plus_di(14)"),
    ("slope(close, 50) > 0", "slope(close, 50) < 0"),
    ("swing_low(2) > swing_low(2, nth=2)", "swing_high(2) < swing_high(2, nth=2)"),
    ("fit(log(close), 21) > 0.6", "fit(log(close), 21) > 0.6"),
    ("log(close) > sma(log(close), 50)", "log(close) < sma(log(close), 50)"),
    ("rank(change(63)) > 90", "rank(change(63)) < 10"),
    # what has no side stays
    ("close > 10", "close > 10"),
    ("avg_turnover(20) > 1m", "avg_turnover(20) > 1m"),
    ("volume > 1.5 * volume 1 ago", "volume > 1.5 * volume 1 ago"),
    ("squeeze held 5", "squeeze held 5"),
    ("atr(14) < atr(14) 20 ago", "atr(14) < atr(14) 20 ago"),
    ('sector in ("Power", "Metals")', 'sector in ("Power", "Metals")'),
    ("days_to_report > 5", "days_to_report > 5"),
    ("market_cap > 500m", "market_cap > 500m"),
    ("close near highest(high, 60) by 5%", "close near lowest(low, 60) by 5%"),
]


@pytest.mark.parametrize(("line", "other"), MIRRORS, ids=[m[0] for m in MIRRORS])
def test_a_line_and_the_other_side(line: str, other: str) -> None:
    found = mirror(line)
    assert found.text == f"side: short\n\n{other}\n"
    assert not found.notes
    assert mirror(found.text).text == f"{format_rule(line)}"


@pytest.mark.parametrize("path", STARTERS, ids=[p.stem for p in STARTERS])
def test_mirroring_a_starter_rule_twice_gives_it_back(path: Path) -> None:
    """But for the description and the comments, which speak of one side: they are left out, and that is said."""
    whole = format_rule(path.read_text())
    text = lay_out(parse(whole), statement, {"about": ""}, comments=False)
    once = mirror(whole)
    assert once.text != text
    assert "#" not in once.text
    assert "about:" not in once.text
    assert [line for line, _ in once.notes] == ([0] if whole != text else [])
    assert mirror(once.text).text == text


@pytest.mark.parametrize("line", ["corr(close, volume, 20) > 0.5", "obv + change > 5", 'use "Another"', "total(change) > 0"])
def test_what_has_no_mirror_is_said(line: str) -> None:
    found = mirror(line)
    assert line in found.text
    assert [n for n, _ in found.notes] == [1]


def upside_down(bars: Bars, level: float = 400.0) -> Bars:
    """Prices turned over on a log scale: highs become lows."""
    return Bars(
        bars.symbols,
        bars.offsets,
        bars.days,
        level / bars.open,
        level / bars.low,
        level / bars.high,
        level / bars.close,
        bars.volume,
        bars.factor,
    )


# Money, arithmetic means and moves in money turn over only nearly; what is of order, ratio or size turns over exactly.
NEARLY = (
    "sma", "atr", "bb_", "rsi", "macd", "slope", "squeeze", "_di", "change", "gap", " > 10", "_cap", "turnover", "closing_place", "above_low",
    "off_high", "stacked", "hammer", "open", "highest(high, 60) by", "willr",
)  # fmt: skip
EXACT = [line for line, _ in MIRRORS if not any(word in line for word in NEARLY)]


@pytest.mark.parametrize(
    "line",
    [*EXACT, "highest(high, 5) > high 3 ago", "bars_since_highest(high, 20) < 5", "is_swing_low(2)", "low > low 1 ago held 2"],
)
def test_the_mirror_sees_on_prices_turned_over_what_the_rule_sees(line: str) -> None:
    bars = build_bars({"A": made.walk(made.weekdays(200), np.random.default_rng(9))})
    straight, turned = Evaluator(Market((bars,), benchmark="A")), Evaluator(Market((upside_down(bars),), benchmark="A"))
    other = mirror(line).text.split("\n\n")[1].strip()
    assert straight.column(check_expression(line).op).tolist() == turned.column(check_expression(other).op).tolist()


# -- read aloud ------------------------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("line", "said"),
    [
        ("close > sma(50)", "The close is above the 50-bar average."),
        ("sma(20) > sma(50) > sma(200)", "The 20-bar average is above the 50-bar average and that is above the 200-bar average."),
        (
            "close > highest(high, 60) 1 ago once in 3",
            "The close is above the highest high of 60 bars, 1 bar ago, at least once in the last 3 bars.",
        ),
        ("on(week, rsi(14) > 80)", "On weekly bars, the 14-bar RSI is above 80."),
        ("volume > 1.5 * sma(volume, 20)", "Volume is more than 1.5 times the 20-bar average of volume."),
        ("off_high(52w) > -25%", "The distance from the 52-week high is above minus 25%."),
        ("squeeze held 5", "The bands lie inside the channel (a squeeze), on each of the last 5 bars."),
        ("falling(close, 2)", "The close has fallen 2 times in a row."),
        ("hammer", "A hammer has formed."),
        ('sector in ("Power", "Metals")', "Sector is one of Power, Metals."),
        ('use "Base"', "Everything that “Base” asks."),
        ("stacked(sma, 20, 50)", "The 20 over 50 sma averages stand in order."),
    ],
)
def test_a_line_is_read_aloud(line: str, said: str) -> None:
    assert read_aloud(line)[0][1] == said


@pytest.mark.parametrize("name", sorted(CATALOGUE.entries))
def test_every_entry_can_be_written_mirrored_and_read(name: str) -> None:
    """Its example: laid out it means the same, mirrored it still checks, and aloud it is a sentence without a hole."""
    example = CATALOGUE[name].example
    laid = format_rule(example)
    assert check_rule(laid, base="5min").lines[0].op.key == check_rule(example, base="5min").lines[0].op.key
    found = mirror(example)
    check_rule(found.text, base="5min")
    if not found.notes:
        assert mirror(found.text).text == laid
    ((_, said),) = read_aloud(example)
    assert said.endswith(".")
    assert "{" not in said
    assert "  " not in said


def test_nothing_aloud_is_left_out() -> None:
    text = STARTERS[2].read_text()
    assert len(read_aloud(text)) == sum(1 for _ in parse(text).statements)
