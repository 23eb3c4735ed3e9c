"""Universes put together, and lists as universes."""

import numpy as np
import pytest

from tests import made
from wickcore.bars.universe import UnknownUniverse, combine, read_universe
from wickcore.language.check import check_rule
from wickcore.scan.evaluate import Evaluator

KNOWN = {"Large", "Small", "Highs and lows", "Highs"}


@pytest.mark.parametrize(
    ("text", "parts"),
    [
        ("Large", [("", "Large")]),
        (" Large and Small ", [("", "Large"), ("and", "Small")]),
        ("Highs and lows", [("", "Highs and lows")]),
        ("Highs and Large", [("", "Highs"), ("and", "Large")]),
        ("Large without Highs and lows or Small", [("", "Large"), ("without", "Highs and lows"), ("or", "Small")]),
    ],
)
def test_names_are_read_with_their_joins(text: str, parts: list[tuple[str, str]]) -> None:
    assert read_universe(text, KNOWN) == parts


@pytest.mark.parametrize(("text", "name"), [("Larg", "Larg"), ("Large and Tiny", "Tiny"), ("Large and", "Large and"), ("", "")])
def test_what_is_no_universe_is_named(text: str, name: str) -> None:
    with pytest.raises(UnknownUniverse) as caught:
        read_universe(text, KNOWN)
    assert caught.value.name == name


def test_both_either_and_without_from_left_to_right() -> None:
    sets = {"A": np.array([True, True, False, False]), "B": np.array([True, False, True, False])}

    def of(*parts: tuple[str, str]) -> list[bool]:
        return combine(list(parts), sets.__getitem__).tolist()

    assert of(("", "A"), ("and", "B")) == [True, False, False, False]
    assert of(("", "A"), ("or", "B")) == [True, True, True, False]
    assert of(("", "A"), ("without", "B")) == [False, True, False, False]
    assert of(("", "A"), ("without", "B"), ("or", "B")) == [True, True, True, False]


def test_a_list_is_a_universe_on_every_day_and_ranks_among_its_own() -> None:
    market = made.market(count=5, length=40)
    symbols = list(market.bars.symbols[:2])
    market.add_list("~two", symbols)
    owner = np.array(market.bars.symbols, object)[market.bars.owner]
    assert (market.members("~two") == np.isin(owner, symbols)).all()
    op = check_rule("rank(close) >= 0", universe="~two").lines[0].op
    ranks = Evaluator(market).column(op.args[0])
    mine = np.isin(owner, symbols)
    shared = next(d for d in market.bars.sessions[::-1] if np.sum(mine & (market.bars.days == d)) == 2)
    assert sorted(ranks[mine & (market.bars.days == shared)]) == [0, 100]
