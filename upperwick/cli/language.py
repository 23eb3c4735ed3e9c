"""The commands about the language alone: check, format, mirror, read, phrase. They need no prices, and import little."""

import sys
from argparse import Namespace
from typing import Any

from upperwick.cli.books import is_book, read_book_file
from upperwick.cli.shared import emit, read_rule, rule_error
from wickcore.language.book_check import check_book
from wickcore.language.check import check_rule
from wickcore.language.problems import RuleError

FINEST = "5min"  # without a market at hand, every frame the language has


def check(given: Namespace) -> int:
    """Errors and advice. Exits with 2 where there are errors, after saying them."""
    text, parts = read_rule(given.rule)
    errors: list[Any] = []
    advice: list[Any] = []
    try:
        if is_book(text):
            _, rules = read_book_file(given.rule) if given.rule != "-" else ("", parts)
            advice = list(check_book(text, rules, base=FINEST).advice)
        else:
            advice = list(check_rule(text, parts, base=FINEST).advice)
    except RuleError as error:
        errors = error.problems
    if given.json:
        emit({"errors": [_problem(p) for p in errors], "advice": [_problem(p) for p in advice]})
    for p in errors:
        print(f"line {p.line}, column {p.column}: {p.message}", file=sys.stderr)
    if not given.json:
        for p in advice:
            print(f"advice, line {p.line}, column {p.column}: {p.message}")
        if not errors and not advice:
            print("No errors, no advice.")
    return 2 if errors else 0


def lay_out(given: Namespace) -> None:
    """The canonical layout."""
    from wickcore.language.book_layout import format_book
    from wickcore.language.layout import format_rule

    text, _ = read_rule(given.rule)
    try:
        print(format_book(text) if is_book(text) else format_rule(text), end="")
    except RuleError as error:
        raise rule_error(error) from None


def turn(given: Namespace) -> None:
    """The rule for the other side; what stayed as it was is said on standard error."""
    from wickcore.language.book_layout import mirror_book
    from wickcore.language.mirror import mirror

    text, parts = read_rule(given.rule)
    try:
        if given.rule != "-" and not is_book(text):
            check_rule(text, parts, base=FINEST)
        found = mirror_book(text) if is_book(text) else mirror(text)
    except RuleError as error:
        raise rule_error(error) from None
    print(found.text, end="")
    for line, said in found.notes:
        print(f"line {line}: {said}" if line else said, file=sys.stderr)


def read(given: Namespace) -> None:
    """Plain sentences."""
    from wickcore.language.book_layout import read_book_aloud
    from wickcore.language.read_aloud import read_aloud

    text, _ = read_rule(given.rule)
    try:
        for line, said in read_book_aloud(text) if is_book(text) else read_aloud(text):
            print(f"{line:>4}  {said}")
    except RuleError as error:
        raise rule_error(error) from None


def phrase(given: Namespace) -> int | None:
    """A phrase as lines."""
    from wickcore.language.phrases import from_phrase

    found = from_phrase(" ".join(given.phrase))
    if given.json:
        emit({"lines": list(found.lines), "unknown": list(found.unknown)})
    else:
        print("\n".join(found.lines), end="\n" if found.lines else "")
    if not found.lines:
        print(f"Not understood: {', '.join(found.unknown) or 'nothing was said'}.", file=sys.stderr)
    return None if found.lines else 2


def _problem(p: Any) -> dict[str, Any]:
    return {"line": p.line, "column": p.column, "length": p.length, "message": p.message, "mend": p.mend}
