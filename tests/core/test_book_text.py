"""Books as they are written: laid out, read aloud, mirrored; what is wrong in one is said where it stands."""

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.core.books import RULES, random_book
from upperwick.books.services import STARTERS as BOOKS
from upperwick.rules.naming import name_in
from upperwick.rules.services import STARTERS as RULE_FILES
from wickcore.language.book_check import check_book
from wickcore.language.book_layout import format_book, mirror_book, read_book_aloud
from wickcore.language.problems import RuleError

STARTER_RULES = {name_in(p.read_text()): p.read_text() for p in RULE_FILES.rglob("*.rule")}
STARTER_BOOKS = {p.stem: p.read_text() for p in sorted(BOOKS.glob("*.book"))}


@pytest.mark.parametrize("text", [*STARTER_BOOKS.values(), *(random_book(seed) for seed in range(40))])
def test_a_book_is_laid_out_once_and_for_all_and_read_aloud(text: str) -> None:
    laid = format_book(text)
    assert format_book(laid) == laid
    rules = {**RULES, **STARTER_RULES}
    one, other = (check_book(t, rules, universe="") for t in (text, laid))
    assert (one.long, one.short, one.slots, one.sizing, one.size, one.cost) == (
        other.long, other.short, other.slots, other.sizing, other.size, other.cost,
    )  # fmt: skip
    assert all(said.strip()[0].isupper() or said.strip()[0] in "0123456789“" for _, said in read_book_aloud(text))
    back = mirror_book(mirror_book(laid).text).text
    kept = [line for line in laid.split("\n") if not line.strip().startswith(("#", "about:"))]
    assert [bool(line) for line in back.split("\n")].count(True) == [bool(line) for line in kept].count(True)
    assert "#" not in back


PIECES = st.sampled_from(
    "enter|2 * atr(14)|\"Up\"|at|next|open|close|for|3|bars|exit|when|any of:|stop:|follow:|target:|entry|-|best|gain|>|20%|"
    "\n|    |:|size:|risk 1%|slots:|rank:|only while:|(|)|,|half|\"|long|#|let x = 3|"
    "dial d = 1 from 0 to 2|universe: only S01|bars: week|at least 2".split("|")
)  # fmt: skip


@settings(max_examples=400, deadline=None)
@given(st.lists(PIECES, max_size=40))
def test_hostile_books_are_answered_with_errors_of_the_text_only(pieces: list[str]) -> None:
    text = " ".join(pieces)
    try:
        check_book(text, RULES)
    except RuleError as error:
        lines = text.split("\n")
        assert error.problems
        assert all(1 <= p.line <= len(lines) + 1 and p.message.endswith((".", "?", "`", "”")) for p in error.problems)


@pytest.mark.parametrize(
    ("line", "said", "mend"),
    [
        ("stop: 8%", "a share", "entry * 92%"),
        ("follow: 12%", "a share", "best * 88%"),
        ("target: 20%", "a share", "entry * 120%"),
        ("stop: best - 1", "`best` is known of a position", None),
        ("size: risk 3", "Is `3%` meant?", "3%"),
        ("size: 2%", "`size` is", "risk 2%"),
        ("slotz: 3", "did you mean `slots`", "slots"),
        ("close > 3", "A line of a book", None),
        ("exit close < 3", "An exit says when", None),
        ("exit when gain < 0 held 3", "would need its earlier values", None),
        ('exit when held_rule == "Upp"', "did you mean “Up”", None),
        ("slots: 0", "a whole number from 1", None),
        ("size: risk 1%", "counted from a stop", None),
        ('enter "Up" at close', "entered twice", None),
        ('enter "Upp"', "did you mean “Up”", '"Up"'),
        ("slots: 3\nslots: 4", "given twice", None),
        ("stop: close / open", "is a price", None),
        ("leaves: sell", "is one of hold, exit", "hold"),
    ],
)
def test_what_is_wrong_is_said_with_its_mend(line: str, said: str, mend: str | None) -> None:
    with pytest.raises(RuleError) as caught:
        check_book(f'enter "Up" at next open\n{line}', RULES)
    problem = next(p for p in caught.value.problems if said in p.message)
    assert problem.line >= 2 or "counted from" in said
    if mend is not None:
        assert problem.mend == mend


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ('enter "Up"\nstop: entry + 1', "on the wrong side"),
        ('enter "Down"\nstop: entry - 1', "on the wrong side"),
        ('enter "Up"\nstop: entry - 1\ntarget: entry * 100.1%', "getting in and out costs"),
        ('enter "Up"', "Nothing ends a long position"),
        ('enter "Up"\nstop: entry - 1\nstop short: entry + 1', "no rule of this book is entered short"),
        ('enter "Up"\nenter "Down"\nstop: entry - 1', "Write one for each side"),
        ('bars: week\nenter "Up"\nstop: entry - 1', "“Up” is entered on any of its own bars"),
    ],
)
def test_advice_on_a_book(text: str, said: str) -> None:
    assert any(said in p.message for p in check_book(text, RULES).advice)
