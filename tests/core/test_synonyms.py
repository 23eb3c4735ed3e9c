"""What people write from habit (common practice): each leads to one line that checks; what is not understood gets no wrong mend."""

import pytest

from wickcore.language.check import check_expression, check_rule
from wickcore.language.mirror import mirror
from wickcore.language.problems import Problem, RuleError
from wickcore.language.synonyms import CALLED, written_here

LEADS = [
    ("price > 10", "close > 10"),
    ("avgvol > 500k", "sma(volume, 20) > 500k"),
    ("average volume > 500k", "sma(volume, 20) > 500k"),
    ("avg_volume(50) > 1m", "sma(volume, 50) > 1m"),
    ("dollar volume > 5m", "turnover > 5m"),
    ("avg dollar volume > 5m", "avg_turnover(20) > 5m"),
    ("marketcap > 1b", "market_cap > 1b"),
    ("Market Cap > 1b", "market_cap > 1b"),
    ("mcap > 1b", "market_cap > 1b"),
    ("mktcap > 1bn", "market_cap > 1b"),
    ("perf > 10%", "change(21) > 10%"),
    ("performance(63) > 20%", "change(63) > 20%"),
    ("earnings > 5", "days_to_report > 5"),
    ("days_to_earnings < 3", "days_to_report < 3"),
    ("new high", "close > highest(high, 52w) 1 ago"),
    ("new 52 week low", "close < lowest(low, 52w) 1 ago"),
    ("52 week high", "close > highest(high, 52w) 1 ago"),
    ("close > high52", "close > highest(high, 52w)"),
    ("close == ath", "close == highest(high, all)"),
    ("close > yesterday", "close > close 1 ago"),
    ("close > prev", "close > close 1 ago"),
    ("low > yesterday high", "low > high 1 ago"),
    ("close > close[1]", "close > close 1 ago"),
    ("sma(5)[2] < close", "sma(5) 2 ago < close"),
    ("close > close.1", "close > close 1 ago"),
    ("rsi(14) is at most 30", "rsi(14) <= 30"),
    ("close is > 5", "close > 5"),
    ('sector is "Metals"', 'sector == "Metals"'),
    ("close within 5% of sma(50)", "close near sma(50) by 5%"),
    ("close within 5% of its 52-week high", "close near highest(high, 52w) by 5%"),
    ("close > open in the last 3 bars", "close > open once in 3"),
    ("close > sma(50) for 5 days", "close > sma(50) held 5"),
    ("close > 75% of highest(high, 52w)", "close > 75% * highest(high, 52w)"),
    ("volume > 1,500,000", "volume > 1500000"),
    ("close > $2", "close > 2"),
    ("atr% > 3", "natr(14) > 3%"),
    ("atr% > 3%", "natr(14) > 3%"),
    ("squeeze >= 5", "squeeze held 5"),
    ("low near sma(50)", "low near sma(50) by 2%"),
    ("optionable == true", "optionable"),
    ("has_options", "optionable"),
    ("close = 5", "close == 5"),
    ("close => 5", "close >= 5"),
    ("close <> 5", "close != 5"),
    ("!squeeze", "not squeeze"),
    ("close > 5 && volume > 1m", "close > 5 and volume > 1m"),
    ("close > 5 || close < 2", "close > 5 or close < 2"),
    ("volume > 2x avgvol", "volume > 2 * sma(volume, 20)"),
    ("close > 50dma", "close > sma(50)"),
    ("ema9 > ema21", "ema(9) > ema(21)"),
    ("close > ma(50)", "close > sma(50)"),
    ("close > 50 day moving average", "close > sma(50)"),
    ("macd line > signal", "macd > macd_signal"),
    ("stochastic > 80", "stoch_k > 80"),
    ("upper_band < close", "bb_upper < close"),
    ("p/e < 20", "pe < 20"),
    ("gap up", "gap > 0"),
    ("green", "close > open"),
    ("crossover(close, sma(50))", "close crosses above sma(50)"),
    ('sector in "Metals"', 'sector in ("Metals")'),
    ("cross(sma(50), sma(200))", "sma(50) crosses above sma(200)"),
    ("close between 5 to 10", "close between 5 and 10"),
    ("abs(change) > 5 %", "abs(change) > 5%"),
    ("rvol > 2", "rel_volume(20) > 2"),
    ("let a = price\nclose > a", "let a = close"),
    ("skip price > 5\nclose > 1", "skip close > 5"),
    ('price > 5  # the "price" paid', 'close > 5  # the "price" paid'),
    ("any of:\n    mcap > 1b\n    close > 5", "market_cap > 1b"),
]


def first(text: str, parts: dict[str, str] | None = None) -> Problem:
    with pytest.raises(RuleError) as caught:
        check_rule(text, parts)
    return caught.value.problems[0]


def put(text: str, problem: Problem) -> str:
    lines = text.split("\n")
    line = lines[problem.line - 1]
    assert problem.mend is not None
    lines[problem.line - 1] = line[: problem.column - 1] + problem.mend + line[problem.column - 1 + problem.length :]
    return "\n".join(lines)


@pytest.mark.parametrize(("text", "line"), LEADS)
def test_what_people_call_it_leads_to_the_line(text: str, line: str) -> None:
    problem = first(text)
    done = put(text, problem)
    assert done.split("\n")[problem.line - 1].strip() == line
    assert f"`{problem.mend}`" in problem.message
    check_rule(done)


@pytest.mark.parametrize("text", ['include "Uptrend stack"', 'rule("Uptrend stack")', 'import "Uptrend stack"'])
def test_another_rule_is_used(text: str) -> None:
    parts = {"Uptrend stack": "close > sma(50)"}
    problem = first(text, parts)
    assert problem.mend == 'use "Uptrend stack"'
    check_rule(put(text, problem), parts)
    assert first(text).mend is None  # where there is no such rule there is nothing to use


@pytest.mark.parametrize("text", ["true", "for 5", "float < 10m", "bollinger", "sentiment > 5", "has_news", "volume > whatever"])
def test_what_nobody_can_have_meant_is_not_proposed(text: str) -> None:
    problem = first(text)
    assert problem.mend is None
    assert "did you mean" not in problem.message


@pytest.mark.parametrize(
    ("text", "mend"),
    [("close > smaa(50)", "sma"), ("clsoe > 5", "close"), ("double_botom", "double_bottom"), ("volme > 5", "volume")],
)
def test_a_slip_of_the_hand_still_finds_its_name(text: str, mend: str) -> None:
    problem = first(text)
    assert problem.mend == mend
    check_rule(put(text, problem))


def test_each_of_several_slips_has_its_mend() -> None:
    with pytest.raises(RuleError) as caught:
        check_rule("clsoe > 5\nprice > 5\nvolme > sma(50)")
    assert [p.mend for p in caught.value.problems] == ["close", "close > 5", "volume"]


@pytest.mark.parametrize("text", ['sector == "Price is $5"', "close > 5  # is above $2", "let price = close\nprice > 5"])
def test_what_stands_is_left_alone(text: str) -> None:
    check_rule(text)
    if "let" not in text:
        assert written_here(text) == text


def test_names_of_the_rule_keep_their_meaning() -> None:
    """`last` is the rule's own: a mend that made the close of it would say something else."""
    problem = first("let last = low 1 ago\nprice > last")
    assert problem.mend == "close > last"
    problem = first("dial mcap = 5 from 1 to 9\nprice > mcap")
    assert problem.mend == "close > mcap"


@pytest.mark.parametrize(
    ("text", "line"),
    [
        ("price > 5 and flag_bull(least=7)", "close > 5 and flag_bull(least=7)"),
        ("stacked(sma, 20,100,200) and price > 5", "stacked(sma, 20,100,200) and close > 5"),
        ("price > max(1,500)", "close > max(1,500)"),
        ("price = 5 and flag_bull(least=7)", "close == 5 and flag_bull(least=7)"),
    ],
)
def test_arguments_are_left_as_they_are(text: str, line: str) -> None:
    assert put(text, first(text)) == line


def test_the_table_says_a_thing_once() -> None:
    patterns = [pattern for pattern, _ in CALLED]
    assert len(set(patterns)) == len(patterns)


def test_options_are_a_condition_where_one_is_asked_for() -> None:
    plain, compared = check_rule("optionable"), check_rule("optionable == 1")
    assert plain.lines[0].op.key == compared.lines[0].op.key
    check_rule("optionable and not weekly_options")
    check_rule("let has = optionable\nhas held 5")
    assert check_expression("optionable").type == "number"
    assert "optionable" in mirror("optionable\nclose > 5").text
