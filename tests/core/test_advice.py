"""Advice: each kind fires, offers its mend, and stays silent beside it."""

import numpy as np
import pytest

from tests import made
from wickcore.bars.bars import build_bars
from wickcore.bars.market import Market
from wickcore.language.check import check_rule
from wickcore.scan.advice import from_data, history_needed
from wickcore.scan.evaluate import Evaluator

FIRES = [
    ("close > highest(high, 20)", "never hold", "highest(high, 20) 1 ago"),
    ("high > highest(high, 20)", "never hold", "highest(high, 20) 1 ago"),
    ("close < lowest(low, 20)", "never hold", "lowest(low, 20) 1 ago"),
    ("highest(high, 20) < close", "never hold", "highest(high, 20) 1 ago"),
    ("close < low", "never hold", None),
    ("open > high", "never hold", None),
    ("rsi(14) > 100", "never hold", None),
    ("willr(14) > 0", "never hold", None),
    ("off_high(52w) > 0", "never hold", None),
    ("closing_place > 100%", "never hold", None),
    ("corr(close, volume, 20) > 1", "never hold", None),
    ("close >= low", "always holds", None),
    ("high >= close", "always holds", None),
    ("volume >= 0", "always holds", None),
    ("adx(14) >= 0", "always holds", None),
    ("close <= highest(high, 5)", "always holds", None),
    ("close > 50\nclose < 20", "beside `close > 50`", None),
    ("rsi(14) < 30\nvolume > 1k\nrsi(14) > 60", "beside `rsi(14) < 30`", None),
    ("close > 10\nclose > 20", "says nothing more than `close > 20`", None),
    ("close > 20\nclose > 10", "says nothing more than `close > 20`", None),
    ("close > 20\n20 < close", "says nothing more than `close > 20`", None),
    ("close > volume", "unlike things", None),
    ("close > change", "unlike things", None),
    ("on(year, change) 1 ago > 0", "counts day bars", "on(year, change 1 ago)"),
    ("close > on(week, sma(10)) 2 ago", "For weeks before, write it inside", "on(week, sma(10) 2 ago)"),
    ("any of:\n    close > 20\n    on(week, close) 1 ago > 5  # then", "counts day bars", "on(week, close 1 ago)"),
    ("on(month, close > open) 1 ago", "the month so far", "on(month, (close > open) 1 ago)"),
    ("volume > 2 * sma(volume, 20)", "includes today's own volume", "(2 * sma(volume, 20) 1 ago)"),
    ("volume > sma(volume, 50)", "includes today's own volume", "sma(volume, 50) 1 ago"),
    ("change > 5", "5 means 500%", "5%"),
    ("off_high(52w) > -25", "", None),
    ("close < highest(high, 20) - 3%", "takes away 0.03", "highest(high, 20) * 97%"),
    ("close > sma(50) + 2.5%", "adds 0.025", "sma(50) * 102.5%"),
    ("close < (sma(20) + atr(14)) - 1%", "takes away 0.01", "(sma(20) + atr(14)) * 99%"),
    ("volume > (sma(volume, 20) 1 ago) + 50%", "adds 0.5", "sma(volume, 20) 1 ago * 150%"),
    ("high >= highest(60)", "is of closes", "highest(high, 60)"),
    ("high > highest(60) 1 ago", "is of closes", "highest(high, 60)"),
    ("low < lowest(20) 1 ago", "is of closes", "lowest(low, 20)"),
    ("squeeze(5)", "length of its bands", "squeeze held 5"),
    ("close crosses above highest(high, 60)", "can never hold", "highest(high, 60) 1 ago"),
    ("low crosses below lowest(low, 60)", "can never hold", "lowest(low, 60) 1 ago"),
    ("on(month, change) > 20%", "since the end of last month", "change(21)"),
    ("on(month, change > 20%)", "since the end of last month", "change(21) > 20%"),
    ("close > sma(52w)\nchange(252) > 10%", "a year is 252 bars", "52w"),
]
SILENT = [
    "close > highest(high, 20) 1 ago", "close >= highest(high, 20)", "close > highest(low, 20)", "close > highest(close, 20) 1 ago",
    "close < open", "rsi(14) > 99", "closing_place > 99%", "close > low", "volume > 0", "close > 20\nclose < 50", "close > 10\nopen > 20",
    "close > 10\nskip close > 20", "any of:\n    close > 50\n    close < 20", "volume > 2 * (sma(volume, 20) 1 ago)", "rel_volume(20) > 2",
    "change > 5%", "change > 0", "change(20) > change(60) + 3%", "off_high(20) < change(3) - 3%", "close >= highest(60)",
    "high > highest(high, 60) 1 ago", "squeeze(20)", "squeeze held 5", "close crosses above highest(high, 60) 1 ago", "on(month, close) > 5",
    "on(week, change > 10%)", "change(252) > 10%", "close > sma(52w)", "close > sma(52w)  # not 252 bars", 
    "turnover > 5m", "close > sma(20)", "atr(14) > 1", "on(week, close) > highest(close, 20) 1 ago",
]  # fmt: skip


@pytest.mark.parametrize(("text", "words", "mend"), FIRES)
def test_it_fires_and_its_mend_ends_it(text: str, words: str, mend: str | None) -> None:
    found = check_rule(text).advice
    assert any(words in p.message for p in found), found
    if mend is None:
        return
    one = next(p for p in found if p.mend == mend)
    lines = text.split("\n")
    line = lines[one.line - 1]
    lines[one.line - 1] = line[: one.column - 1] + mend + line[one.column - 1 + one.length :]
    assert not check_rule("\n".join(lines)).advice


@pytest.mark.parametrize("text", SILENT)
def test_it_is_silent(text: str) -> None:
    assert check_rule(text).advice == ()


def test_an_always_or_never_is_true_of_the_data() -> None:
    """What advice calls certain is certain on made bars."""
    engine = Evaluator(made.market(3, 4, 120))
    for text, words, _ in FIRES:
        if "\n" in text or words not in ("never hold", "always holds"):
            continue
        column = engine.column(check_rule(text).lines[0].op)
        assert set(np.unique(column)) <= ({0, 1} if words == "never hold" else {1, 2}), text


def data_advice(text: str, engine: Evaluator) -> list[tuple[int, str]]:
    return [(p.line, p.message) for p in from_data(engine, check_rule(text))]


def test_what_the_history_says() -> None:
    rng = np.random.default_rng(2)
    tables = {f"S{k}": made.walk(made.weekdays(300), rng, start=10.0 + k, spread=0.005) for k in range(4)}
    tables["TALL"] = made.walk(made.weekdays(300), rng, start=900.0, spread=0.005)
    engine = Evaluator(Market((build_bars(tables),)))
    for text, line, words in [
        ("close > 5000", 1, "never true"),
        ("close > 1", 1, "true on every bar"),
        ("close > sma(10)\nclose > close 1 ago\nsma(10) < close", 3, "equals `close > sma(10)`"),
        ("close > 500", 1, "one instrument only"),
        ("close > sma(150)", 1, "unknown on 50% of all bars"),
        ("close > sma(400)", 1, "needs about 400 bars of history; most instruments have 300"),
        ("on(week, close > sma(90))", 1, "needs about 450 bars"),
    ]:
        assert any(n == line and words in m for n, m in data_advice(text, engine)), (text, data_advice(text, engine))
    for text in ("close > sma(10)", "close > close 1 ago\nclose > sma(20)", "close > 11"):
        assert data_advice(text, engine) == []


def test_history_needed_adds_up_along_the_expression() -> None:
    (line,) = check_rule("sma(50) > sma(50) 20 ago").lines
    assert history_needed(line.op, "day") == 70
    (line,) = check_rule("on(week, close > sma(40))").lines
    assert history_needed(line.op, "day") == 200


def test_a_line_is_told_once_however_many_say_more() -> None:
    advice = check_rule("\n".join(f"volume > {n}k" for n in range(1, 31))).advice
    assert [p.line for p in advice] == list(range(1, 30))


def test_a_text_that_nothing_has_is_told_with_those_there_are() -> None:
    engine = Evaluator(made.market(seed=1, count=6, length=60))
    sectors = sorted({*engine.market.texts["sector"]} - {""})
    (said,) = [p.message for p in from_data(engine, check_rule(f'sector == "{sectors[0]}s"')) if "Nothing here" in p.message]
    assert said == f"Nothing here has the sector “{sectors[0]}s”. Is “{sectors[0]}” meant? There are: {', '.join(sectors)}."
    assert not [p for p in from_data(engine, check_rule(f'sector == "{sectors[0]}"')) if "Nothing here" in p.message]
    (said,) = [p.message for p in from_data(engine, check_rule('weekday in ("Monday", "Tusday")')) if "Nothing here" in p.message]
    assert "Is “Tuesday” meant?" in said
