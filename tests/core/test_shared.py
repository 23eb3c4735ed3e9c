"""Rules whose lines use the line above twice: written out they are longer than anything can read; no walk over them takes the long way."""

from contextlib import suppress

import pytest

from tests import made
from wickcore.language.check import check_rule
from wickcore.language.layout import format_rule
from wickcore.language.mirror import NoMirror, mirror
from wickcore.language.operations import MANY, each
from wickcore.language.problems import RuleError
from wickcore.language.read_aloud import read_aloud
from wickcore.scan.advice import from_data, history_needed
from wickcore.scan.evaluate import Evaluator, Limits, Stopped
from wickcore.scan.explain import explain
from wickcore.scan.missing_data import lacking
from wickcore.scan.patterns import of_rule
from wickcore.scan.scan import scan
from wickcore.study.follow import study
from wickcore.study.settings import StudySettings
from wickcore.study.worth import line_worth

DEPTH = 190
TWICE = [
    "{0} + {0}", "{0} * {0}", "{0} * 2 - {0} / 3", "max({0}, {0})", "pick({0} > 5, {0}, close)", "sma({0}, 2) / sma({0}, 3)",
    "rank({0}) + {0}", "abs({0} - {0})", "sma(volume, 3) * {0} * {0}", "carry({0}, max(prior, {0}))",
]  # fmt: skip


def doubled(step: str, begin: str, end: str) -> str:
    lines = [f"let a0 = {begin}"] + [f"let a{i + 1} = {step.format(f'a{i}')}" for i in range(DEPTH)]
    return "\n".join([*lines, end.format(f"a{DEPTH}")])


RULES = [doubled(step, "close", "{0} > 1") for step in TWICE] + [
    doubled("{0} and {0} 1 ago", "close > open", "{0}"),
    doubled("not ({0} or {0})", "double_bottom", "{0}"),
    doubled("{0} + {0}", "sma(volume, 5)", "volume > {0}"),
    doubled("{0} + {0}", "double_bottom.low1", "close > {0}"),
]


@pytest.mark.timeout(120)
@pytest.mark.parametrize("text", RULES)
def test_every_walk_is_linear_in_what_is_written(text: str) -> None:
    engine = Evaluator(made.market(seed=1, count=2, length=60))
    day = int(engine.bars.days[engine.bars.offsets[1] - 1])  # of the first instrument
    rule = check_rule(text)
    (line,) = rule.lines
    assert len(list(each(line.op))) < 12 * DEPTH
    assert line.op.spread == MANY
    assert history_needed(line.op, "day") >= 0
    assert lacking(engine.market, line.op) is not None
    assert len(of_rule([line.op])) <= 1
    scan(engine, rule, day)
    list(from_data(engine, rule))
    explain(engine, rule, engine.bars.symbols[0], day)
    found = study(engine, rule, StudySettings())
    line_worth(engine, rule, found, 5, None)
    assert read_aloud(text)
    assert format_rule(text)
    with suppress(NoMirror):
        assert mirror(text).text


def test_a_universe_is_no_longer_than_a_person_writes() -> None:
    check_rule(f"universe: {'A ' * 250}\nclose > 1")
    with pytest.raises(RuleError, match="A universe is at most 500 characters; this has 1,001"):
        check_rule(f"universe: {'A' * 1_001}\nclose > 1")
    with pytest.raises(RuleError, match="at most 500"):
        check_rule("close > 1", universe="A" * 501)


def test_explaining_and_advising_end_when_they_are_told_to() -> None:
    engine = Evaluator(made.market(seed=1, count=2, length=60))
    rule, gone = check_rule("close > sma(7)"), Limits(0.0)
    with pytest.raises(Stopped):
        explain(engine, rule, engine.bars.symbols[0], int(engine.bars.days[engine.bars.offsets[1] - 1]), gone)
    with pytest.raises(Stopped):
        list(from_data(engine, rule, gone))
