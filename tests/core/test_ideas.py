"""What a trader would look for, as it is written in the rule language: each can be said without an error or advice, means the same once laid
out, and happens in a made market."""

from functools import cache
from pathlib import Path

import numpy as np
import pytest

from tests import made
from wickcore.language.check import check_rule
from wickcore.language.layout import format_rule
from wickcore.scan.evaluate import Evaluator

IDEAS = [
    tuple(part.strip() for part in line.split("=>", 1))
    for line in Path(__file__).with_name("ideas_of_the_trade.txt").read_text().splitlines()
    if "=>" in line
]


@cache
def engine() -> Evaluator:
    return Evaluator(made.demo_market(40, 5, ("day", "5min")))


@pytest.mark.parametrize(("idea", "lines"), IDEAS, ids=[idea for idea, _ in IDEAS])
def test_an_idea_of_the_trade_can_be_said(idea: str, lines: str) -> None:
    text = lines.replace(" ;; ", "\n")
    rule = check_rule(text, base="5min")
    assert rule.advice == ()
    again = check_rule(format_rule(text), base="5min")
    assert [line.op.key for line in again.lines] == [line.op.key for line in rule.lines]
    stepping = engine().stepping(rule.frame)
    hits = np.ones(len(stepping.bars), np.bool_)
    for line in rule.deciding:
        stepping.require(hits, stepping.column(line.op))
    assert 0 < hits.sum() < len(hits)
