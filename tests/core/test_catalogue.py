"""The catalogue as a whole: examples that check, warm-ups that are true, splits that change nothing."""

import re
from dataclasses import replace

import numpy as np
import pytest

from tests import made
from tests.core.test_meaning import WINDOWS, example_of
from wickcore.bars.bars import Bars, build_bars
from wickcore.bars.market import Market
from wickcore.language.catalogue import CATALOGUE
from wickcore.language.check import check_expression, check_rule
from wickcore.language.entry import Entry
from wickcore.language.ideas import FORMS, IDEAS
from wickcore.language.operations import each
from wickcore.language.problems import RuleError
from wickcore.measures.frame import UNKNOWN
from wickcore.scan.cross_section import ACROSS
from wickcore.scan.evaluate import Evaluator
from wickcore.scan.kernels import WINDOWED

NAMES = sorted(CATALOGUE.entries)


@pytest.mark.parametrize("name", NAMES)
def test_the_entry_is_written_out(name: str) -> None:
    entry = CATALOGUE[name]
    assert entry.help.endswith(".")
    assert entry.formula
    assert entry.source
    assert check_rule(entry.example, base="5min" if entry.inner else "day").lines  # each example is a line as it stands


@pytest.fixture(scope="module")
def clean() -> Evaluator:
    """One instrument without gaps or flat bars, its benchmark the same."""
    bars = build_bars({"A": made.walk(made.weekdays(220), np.random.default_rng(8))})
    return Evaluator(Market((bars,), benchmark="A", texts={"sector": ("Power",)}))


def warm_up_of(entry: Entry) -> int | None:
    """The stated warm-up with the arguments of the test's example put in."""
    if entry.warm_up.startswith("until"):
        return None
    text = entry.warm_up
    for p in sorted(entry.parameters, key=lambda p: -len(p.name)):
        text = re.sub(rf"\b{p.name}\b", str(WINDOWS.get(p.name, 5)), text)
    value = check_expression(text).constant
    assert value is not None
    return int(value)


OWN_EXAMPLE = {
    "kama": 4,
    "is_swing_low": 2,
    "event": None,
    "beta": 6,
    "corr": 6,
    "stacked": None,
    "first_of": None,
    "bb_place": 4,
    "total": 1,
}
# A condition over several bars may be false before all of them are there: unknown and false is false.
SEVERAL = {n for n, e in CATALOGUE.entries.items() if e.family == "candles"} | {
    "squeeze_released",
    "rising",
    "falling",
    "rank",
    "squeeze",
}


def expected_warm_up(name: str) -> int | None:
    """How many bars the entry's example is unknown for; None where that is no number of bars."""
    return 6 if name in ("corr", "beta") else OWN_EXAMPLE.get(name, warm_up_of(CATALOGUE[name]))


COUNTED = [
    n
    for n in NAMES
    if CATALOGUE[n].kind in ("kernel", "definition", "form", "field") and n not in SEVERAL and not CATALOGUE[n].inner
]


@pytest.mark.parametrize("name", [n for n in COUNTED if expected_warm_up(n) is not None])
def test_an_entry_is_unknown_as_long_as_it_says(clean: Evaluator, name: str) -> None:
    entry = CATALOGUE[name]
    expected = expected_warm_up(name)
    column = clean.rows([check_expression(example_of(name)).op], "A")[0]
    unknown = column == UNKNOWN if entry.result == "condition" else np.isnan(column)
    assert unknown[:expected].all()
    if name != "up_down_volume":  # five bars in a row may all have risen: then there is nothing to divide by
        assert not unknown[expected:].any(), (name, np.flatnonzero(unknown))


# With plain numbers these are of the day's money, which a split changes.
OF_THE_DAY = ("max", "min", "pick", "round", "floor", "ceil", "exp", "mod")


@pytest.fixture(scope="module")
def whole_and_split() -> tuple[Evaluator, Evaluator]:
    plain = {s: t for s, t in made.tables(5, 3, 90, splits=False).items()}
    cut = plain
    for at in range(8, 80, 8):
        cut = {s: made.split_at(t, min(at, len(t["days"]) - 1), 2.0 if at % 16 else 0.5) for s, t in cut.items()}
    return Evaluator(made.dress(build_bars(plain))), Evaluator(made.dress(build_bars(cut)))


@pytest.mark.parametrize(
    "name",
    [n for n in NAMES if CATALOGUE[n].kind in ("kernel", "definition", "form") and n not in OF_THE_DAY and not CATALOGUE[n].inner],
)
def test_splits_change_nothing_but_the_scale(name: str, whole_and_split: tuple[Evaluator, Evaluator]) -> None:
    """The same prices with a split every eight bars, so that one lies in the middle of every window: ratios, oscillators and truths
    are the same to the last digits, prices and volumes the same on the continuous scale."""
    value = check_expression(example_of(name).replace("total(change)", "total(close)"))
    whole, parts = whole_and_split
    for symbol in whole.bars.symbols:
        a, b = whole.rows([value.op], symbol)[0], parts.rows([value.op], symbol)[0]
        if value.type == "condition":
            assert a.tolist() == b.tolist()
        elif name in ("rank", "benchmark", "of"):
            scale = 1.0 if name == "rank" else factor_of(parts.market.bars, "S02")
            np.testing.assert_allclose(a if name == "rank" else np.isnan(a), b if name == "rank" else np.isnan(b * np.mean(scale)))
        else:
            np.testing.assert_allclose(b, a, rtol=1e-8, atol=1e-9)


@pytest.fixture(scope="module")
def with_and_without() -> tuple[Evaluator, Evaluator]:
    """The same market, of which S02 lacks a bar in the middle."""
    tables = made.tables(5, 3, 90)
    less = {**tables, "S02": {name: np.delete(column, 45) for name, column in tables["S02"].items()}}
    whole, torn = build_bars(tables), build_bars(less)
    market = made.dress(whole)
    return Evaluator(market), Evaluator(replace(market, tables=(torn,)))


@pytest.mark.parametrize("name", [n for n in NAMES if CATALOGUE[n].family != "across the universe" and not CATALOGUE[n].inner])
def test_a_bar_that_one_name_lacks_changes_no_others_own_measures(name: str, with_and_without: tuple[Evaluator, Evaluator]) -> None:
    op = check_rule(CATALOGUE[name].example).lines[0].op
    if any(one.kind in ACROSS for one in each(op)):
        return  # its example is of several
    for symbol in ("S00", "S01"):
        a, b = (engine.rows([op], symbol)[0] for engine in with_and_without)
        np.testing.assert_array_equal(a, b)


def factor_of(bars: Bars, symbol: str) -> np.ndarray:
    k = bars.number[symbol]
    return bars.factor[bars.offsets[k] : bars.offsets[k + 1]]


def test_the_ideas_of_the_reference_are_lines_without_advice() -> None:
    assert len(IDEAS) > 40
    for _, line in IDEAS:
        assert check_rule(line).advice == (), line


def test_the_forms_of_the_reference_can_be_written() -> None:
    for said, line in FORMS:
        text = f"{line}\nclose > 1" if line.startswith(("let ", "dial ")) else line
        assert check_rule(text, {"Uptrend stack": "close > 1"}).lines, said


SIDES = {"level", "move", "hundred", "williams", "share", "off", "ratio", "follows", "plain"}


@pytest.mark.parametrize("name", NAMES)
def test_all_that_is_known_of_an_entry_stands_in_it(name: str) -> None:
    """How it is read aloud, what it cannot leave, its mirror, what it keeps: each fact once, and no list of names beside the entries."""
    entry = CATALOGUE[name]
    forms = {"on", "stacked", "at_report", "triggered", "failed", "event"}  # said by what stands in them
    assert entry.said or entry.kind in ("pattern", "text") or name in forms, "how it is read aloud"
    names = {p.name for p in entry.parameters}
    assert set(re.findall(r"\{(\w+)\}", entry.said)) <= names | {"x"}
    assert set(re.findall(r"\{(\w+):", entry.said)) <= names
    assert {*(entry.turns or {})} | {*(entry.turns or {}).values()} <= SIDES
    assert entry.side in SIDES
    assert entry.side_of_levels is None or entry.side_of_levels in SIDES
    if entry.other:
        assert CATALOGUE[entry.other].other == name
        assert CATALOGUE[entry.other].result == entry.result
    if entry.side == "level":
        assert entry.level or entry.degree == 1 or entry.definition or name in ("obv", "ad_line")
    if (
        entry.side in ("hundred", "williams", "share", "off") and name != "bb_place"
    ):  # outside its bands a price lies beyond 0 and 1
        assert entry.bounds is not None
    if entry.bounds:
        assert entry.bounds[0] < entry.bounds[1]
    assert entry.fraction is False or entry.result == "number"
    assert entry.again == 0 or entry.kind == "kernel"
    if entry.kind == "kernel" and not entry.frameless:
        assert name in WINDOWED


def test_no_value_of_an_entry_leaves_its_bounds(clean: Evaluator) -> None:
    for name, entry in CATALOGUE.entries.items():
        if entry.bounds and entry.kind != "pattern" and not entry.inner:
            column = clean.rows([check_expression(example_of(name)).op], "A")[0]
            known = column[~np.isnan(column)]
            assert (known >= entry.bounds[0] - 1e-9).all(), name
            assert (known <= entry.bounds[1] + 1e-9).all(), name


@pytest.mark.parametrize("name", [n for n in NAMES if CATALOGUE[n].kind == "fact" and CATALOGUE[n].family != "calendar"])
def test_a_fact_nobody_told_is_unknown(name: str) -> None:
    """Prices from a file carry no reports, listings or payments."""
    bare = Evaluator(Market((build_bars({"A": made.walk(made.weekdays(40), np.random.default_rng(2))}),)))
    assert np.isnan(bare.rows([check_expression(name).op], "A")[0]).all()


LATER_NAMES = sorted(e.name for e in CATALOGUE.entries.values() if e.later and e.name != "month")  # a frame before


@pytest.mark.parametrize("name", [*LATER_NAMES, "quarter", "year", "since", "all"])
def test_a_rule_keeps_the_names_it_gave_before_the_language_had_them(name: str) -> None:
    """And what the language's own definitions say stays the language's."""
    other = "psar > 0" if name.startswith(("trend", "stop")) else "trend_stop > 0"
    rule = check_rule(f"dial {name} = 5 from 1 to 9\nclose > sma({name})\n{other}")
    assert rule.lines[0].op == check_rule("close > sma(5)").lines[0].op
    assert rule.lines[1].op == check_rule(other).lines[0].op
    named = check_rule(f"let {name} = sma(5)\nclose > {name}\nlog(close) > sma(log(close), 5)")
    assert named.lines[0].op == check_rule("close > sma(5)").lines[0].op


def test_the_oldest_names_cannot_be_taken() -> None:
    for name in ("close", "sma", "month", "week"):
        with pytest.raises(RuleError, match="is a name of the language; choose another"):
            check_rule(f"let {name} = 5\nclose > 5")
