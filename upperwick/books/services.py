"""What can be done with books: keep, version, name, delete and bring back, as with rules; and begin one from a rule."""

import re
from pathlib import Path
from typing import Any

from django.db import transaction
from django.db.models import Count

from upperwick.accounts.preferences import account_choice
from upperwick.base.errors import Refused
from upperwick.books.models import Book
from upperwick.market.starters import at_home
from upperwick.rules import services as rules
from upperwick.rules.naming import cleaned, header_in
from wickcore.language.book_check import check_book
from wickcore.language.book_text import read_book_head
from wickcore.language.named_texts import key_of, named_in, renamed_in
from wickcore.language.problems import RuleError

STARTERS = Path(__file__).parent / "starters"
_NAME = re.compile(r"^[ \t]*name[ \t]*:.*$", re.MULTILINE | re.IGNORECASE)
_ENTER = re.compile(r'^[ \t]*enter[ \t]+"([^"\n]+)"', re.MULTILINE)


books_of = Book.of
find = Book.find


def entered(text: str) -> list[str]:
    """The names of the rules that a text enters."""
    return _ENTER.findall(text)


def rules_for(owner: Any, text: str) -> dict[str, str]:
    """The texts of the owner's rules that a book enters, and of what these and the book itself name."""
    mine = rules.parts_of(owner)
    found = rules.used_parts(owner, text)
    for name in entered(text):
        if name in mine:
            found[name] = mine[name]
            found |= rules.used_parts(owner, mine[name], name)
    return found


def with_name(text: str, name: str) -> str:
    """The text with its `name:` line set, added on top where there was none."""
    if _NAME.search(text):
        return _NAME.sub(lambda _: f"name: {name}", text, count=1)
    return f"name: {name}\n{text}"


@transaction.atomic
def create(owner: Any, text: str, name: str = "") -> Book:
    """Keeps a new book as version 1. A taken name gets a number behind it."""
    Book.check_size(text)
    Book.check_room(owner)
    name = Book.free_name(owner, cleaned(name) or cleaned(read_book_head(text).get("name", "")) or "Untitled book")
    book = Book.objects.create(owner=owner, name=name, text=with_name(text, name))
    book.add_version()
    return book


@transaction.atomic
def save(book: Book, text: str, seen: str | None = None) -> Book:
    """Saves a text as the book's next version; the same text again, or under another name alone, makes none. It may have errors:
    nothing a person
    wrote is refused. seen: the mark of the text on which the new one builds; raises Refused (409), with the book as it is now,
    where
    another was saved since."""
    Book.check_size(text)
    book = Book.objects.select_for_update().get(id=book.id)
    name = cleaned(read_book_head(text).get("name", "")) or book.name
    text = with_name(text, name)
    if text == book.text:
        return book
    if seen is not None and seen != book.mark:
        raise Refused("This book was saved elsewhere while you were writing.", 409, theirs=detail(book))
    if name != book.name:
        book.check_name_free(name)
    if with_name(text, "-") == with_name(book.text, "-"):
        return rename(book, name)
    book.name, book.text = name, text
    book.save()
    book.add_version()
    return book


@transaction.atomic
def rename(book: Book, name: str) -> Book:
    """Gives the book another name, in its text too; no version is made of that."""
    name = cleaned(name)
    if not name:
        raise Refused("A book needs a name.")
    book.check_name_free(name)
    book.name, book.text = name, with_name(book.text, name)
    book.save()
    book.reword_latest()
    return book


def duplicate(book: Book) -> Book:
    return create(book.owner, book.text, f"{book.name[:100]} copy")


def delete(book: Book) -> None:
    """Puts the book away; `restore` brings it back with all its versions."""
    book.put_away()


@transaction.atomic
def restore(book: Book) -> Book:
    """Brings a deleted book back, under a free name."""
    name = Book.free_name(book.owner, book.name)
    book.deleted, book.name, book.text = None, name, with_name(book.text, name)
    book.save()
    return book


def rule_renamed(owner: Any, was: str, name: str) -> None:
    """Books that enter a rule by its former name enter it by its new one; no version is made of that."""
    for book in books_of(owner).filter(text__contains=f'enter "{was}"'):
        book.text = book.text.replace(f'enter "{was}"', f'enter "{name}"').replace(f'== "{was}"', f'== "{name}"')
        book.save()
        book.reword_latest()


def breadth_renamed(owner: Any, was: str, name: str) -> None:
    """Books that name a breadth by its former name name it by its new one; no version is made of that."""
    for book in books_of(owner).filter(text__contains=f'"{was}"'):
        if key_of(was) in named_in(book.text):
            book.text = renamed_in(book.text, was, name)
            book.save()
            book.reword_latest()


def text_from_rule(owner: Any, rule_id: int) -> str:
    """A book that trades a rule, with defaults that make sense for its side, and the account's size, risk and costs, written down."""
    rule = rules.find(owner, rule_id)
    account = account_choice(owner)
    risk, most = (account.risk, account.most) if account.size is not None else (0.0075, 0.1)
    short = rule.read.get("side") == "short"
    universe = header_in(rule.text, "universe")
    sign = "+" if short else "-"
    average = "close > sma(20)" if short else "close < sma(20)"
    lines = [
        f"name: {rule.name[:100]} as a book",
        f"universe: {universe}" if universe else "",
        f"start: {account.size or 100_000:.12g}",
        "slots: 10",
        f"size: risk {risk * 100:.6g}%, at most {most * 100:.6g}%",
        f"rank: {'-' if short else ''}relative_strength(63)",
        "borrow costs: 3%" if short else "",
        f"cost: {account.cost * 100:.6g}%",
        "slip: 0.05%",
        "",
        "dial far = 3 from 2 to 6 step 0.5",
        "",
        f'enter "{rule.name}" at next open',
        "",
        f"stop: entry {sign} 2 * atr(14)",
        f"follow: best {sign} far * atr(14)",
        "exit when any of:",
        f"    {average} held 2",
        "    bars_held >= 60",
    ]
    return "\n".join(line for i, line in enumerate(lines) if line or (i and lines[i - 1])) + "\n"


def summary(book: Book, mine: dict[str, str]) -> dict[str, Any]:
    """What the list of books shows of one; reading it never fails on a book with errors."""
    head = read_book_head(book.text)
    try:
        check_book(book.text, mine, base="5min")
        valid = True
    except RuleError:
        valid = False
    kept = getattr(book, "versions_kept", None)
    return {
        "id": book.id, "name": book.name, "about": head.get("about", ""), "universe": head.get("universe", ""), "rules": entered(book.text),
        "valid": valid, "saved": book.saved, "version": book.versions.count() if kept is None else kept,
    }  # fmt: skip


def detail(book: Book) -> dict[str, Any]:
    """A book as it is opened."""
    return {**summary(book, rules.parts_of(book.owner)), "text": book.text, "mark": book.mark}


def listed(owner: Any) -> list[dict[str, Any]]:
    mine = rules.parts_of(owner)
    return [summary(book, mine) for book in books_of(owner).annotate(versions_kept=Count("versions"))]


def add_starters(owner: Any) -> None:
    """Gives an account that never had a book the starter books."""
    if Book.objects.filter(owner=owner).exists():
        return
    with transaction.atomic():
        for path in sorted(STARTERS.glob("*.book")):
            create(owner, at_home(path.read_text(encoding="utf-8")))
