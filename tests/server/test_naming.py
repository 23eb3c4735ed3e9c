"""The head of a rule is read by the parser, also where the rest cannot be read."""

import pytest

from upperwick.rules.naming import header_in, name_in, with_name
from wickcore.language.parser import MAX_CHARACTERS


@pytest.mark.parametrize(
    ("text", "renamed"),
    [
        ("close > 5", "name: New\nclose > 5"),
        ("name:  Old  \nside: short\nclose > 5", "name: New\nside: short\nclose > 5"),
        ("about:\tlong\nname:\tOld\nclose >", "about:\tlong\nname: New\nclose >"),
        ("side: long\r\nname: Old\r\nclose > 5", "side: long\nname: New\nclose > 5"),
        ("name:\nclose > 5", "name: New\nclose > 5"),
        ("close > 5\nname: Late", "name: New\nclose > 5\nname: Late"),
    ],
)
def test_only_the_line_of_the_name_changes(text, renamed):
    assert with_name(text, "New") == renamed
    assert name_in(with_name(text, "New")) == "New"


def test_the_head_of_a_text_that_cannot_be_read_is_read():
    head = "name: Broken # not a comment\nuniverse: First or Second # a comment\n"
    for rest in ("close >>> (", "x" * (2 * MAX_CHARACTERS), 'rank("'):
        assert name_in(head + rest) == "Broken # not a comment"
        assert header_in(head + rest, "universe") == "First or Second"
        assert header_in(head + rest, "about") == ""


def test_a_colon_further_down_is_no_header():
    assert name_in("close > 5\nname: no") == ""
    assert name_in("any of:\n    close > 5") == ""
    assert header_in('let universe = 5\nuniverse: "x"', "universe") == ""
