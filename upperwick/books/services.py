"""What can be done with books: keep, version, name, delete and bring back, as with rules; and begin one from a rule."""

import re
from pathlib import Path
from typing import Any

from django.db import transaction
from django.db.models import Count
from django.utils import timezone

from upperwick.accounts.preferences import account_choice
from upperwick.base.errors import Refused
from upperwick.books.models import Book, BookVersion
from upperwick.market.starters import at_home
from upperwick.rules import services as rules
from upperwick.rules.naming import cleaned, header_in
from wickcore.language.book_check import check_book
from wickcore.language.book_text import read_book_head
from wickcore.language.named_texts import key_of, named_in, renamed_in
from wickcore.language.parser import MAX_CHARACTERS
from wickcore.language.problems import RuleError

STARTERS = Path(__file__).parent / "starters"
MOST_BOOKS = 500
_NAME = re.compile(r"^[ \t]*name[ \t]*:.*$", re.MULTILINE | re.IGNORECASE)
_ENTER = re.compile(r'^[ \t]*enter[ \t]+"([^"\n]+)"', re.MULTILINE)


def books_of(owner: Any) -> Any:
    """The owner's books that are not deleted."""
    return Book.objects.filter(owner=owner, deleted__isnull=True)


def find(owner: Any, book_id: int, deleted: bool = False) -> Book:
    """One book of the owner. Raises Refused (404) for another's or none."""
    book = Book.objects.filter(owner=owner, id=book_id, deleted__isnull=not deleted).first()
    if book is None:
        raise Refused("There is no such book.", 404)
    return book


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
    _check_size(text)
    if books_of(owner).count() >= MOST_BOOKS:
        raise Refused(f"An account holds at most {MOST_BOOKS:,} books; delete some first.")
    name = _free_name(owner, cleaned(name) or cleaned(read_book_head(text).get("name", "")) or "Untitled book")
    book = Book.objects.create(owner=owner, name=name, text=with_name(text, name))
    BookVersion.objects.create(book=book, number=1, name=name, text=book.text)
    return book


@transaction.atomic
def save(book: Book, text: str, seen: str | None = None) -> Book:
    """Saves a text as the book's next version; the same text again, or under another name alone, makes none. It may have errors:
    nothing a person
    wrote is refused. seen: the mark of the text on which the new one builds; raises Refused (409), with the book as it is now,
    where
    another was saved since."""
    _check_size(text)
    book = Book.objects.select_for_update().get(id=book.id)
    name = cleaned(read_book_head(text).get("name", "")) or book.name
    text = with_name(text, name)
    if text == book.text:
        return book
    if seen is not None and seen != rules.mark_of(book.text):
        raise Refused("This book was saved elsewhere while you were writing.", 409, theirs=detail(book))
    if name != book.name:
        _check_name_free(book, name)
    if with_name(text, "-") == with_name(book.text, "-"):
        return rename(book, name)
    book.name, book.text = name, text
    book.save()
    latest = book.versions.last()
    BookVersion.objects.create(book=book, number=latest.number + 1 if latest else 1, name=name, text=text)
    return book


@transaction.atomic
def rename(book: Book, name: str) -> Book:
    """Gives the book another name, in its text too; no version is made of that."""
    name = cleaned(name)
    if not name:
        raise Refused("A book needs a name.")
    _check_name_free(book, name)
    book.name, book.text = name, with_name(book.text, name)
    book.save()
    _latest_says(book)
    return book


def _latest_says(book: Book) -> None:
    latest = book.versions.last()
    if latest:
        latest.name, latest.text = book.name, book.text
        latest.save(update_fields=["name", "text"])


def duplicate(book: Book) -> Book:
    return create(book.owner, book.text, f"{book.name[:100]} copy")


def delete(book: Book) -> None:
    """Puts the book away; `restore` brings it back with all its versions."""
    book.deleted = timezone.now()
    book.save(update_fields=["deleted"])


@transaction.atomic
def restore(book: Book) -> Book:
    """Brings a deleted book back, under a free name."""
    name = _free_name(book.owner, book.name)
    book.deleted, book.name, book.text = None, name, with_name(book.text, name)
    book.save()
    return book


def rule_renamed(owner: Any, was: str, name: str) -> None:
    """Books that enter a rule by its former name enter it by its new one; no version is made of that."""
    for book in books_of(owner).filter(text__contains=f'enter "{was}"'):
        book.text = book.text.replace(f'enter "{was}"', f'enter "{name}"').replace(f'== "{was}"', f'== "{name}"')
        book.save()
        _latest_says(book)


def breadth_renamed(owner: Any, was: str, name: str) -> None:
    """Books that name a breadth by its former name name it by its new one; no version is made of that."""
    for book in books_of(owner).filter(text__contains=f'"{was}"'):
        if key_of(was) in named_in(book.text):
            book.text = renamed_in(book.text, was, name)
            book.save()
            _latest_says(book)


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


def version_of(book: Book, text: str) -> int | None:
    """The number of the latest saved version that reads so, None for a text that is not saved."""
    found = book.versions.filter(text=text).last()
    return found.number if found else None


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
    return {**summary(book, rules.parts_of(book.owner)), "text": book.text, "mark": rules.mark_of(book.text)}


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


def _check_size(text: str) -> None:
    if len(text) > MAX_CHARACTERS:
        raise Refused(f"A book is at most {MAX_CHARACTERS:,} characters; this one has {len(text):,}.")


def _check_name_free(book: Book, name: str) -> None:
    if books_of(book.owner).filter(name=name).exclude(id=book.id).exists():
        raise Refused(f"You have another book named “{name}”; choose another name.", 409)


def _free_name(owner: Any, wanted: str) -> str:
    taken = set(books_of(owner).values_list("name", flat=True))
    name, number = wanted, 2
    while name in taken:
        name, number = f"{wanted[:110]} {number}", number + 1
    return name
