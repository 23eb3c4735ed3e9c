"""What a run of a book asks, as it is kept: all that its answer depends on besides the data."""

from typing import Any

from upperwick.bench.lists import universe_key
from upperwick.books.models import BookSeal
from upperwick.books.services import rules_for
from upperwick.jobs.services import digest_of
from upperwick.market.services import as_of_day, members_of, open_market
from upperwick.rules.checking import with_universes
from upperwick.studies.cache_key import day_of, seal_day
from wickcore.bars.bars import Bools
from wickcore.bars.moment import iso
from wickcore.book.settings import BookChoice, chosen_from
from wickcore.book.simulation import Trial
from wickcore.language.book_check import check_book
from wickcore.language.book_text import read_book_head

Question = dict[str, Any]


def question_of(owner: Any, book: Any, body: dict[str, Any]) -> Question:
    """A run as asked, made whole: the rules' texts, the evening, days and seal are written out. book: whose text it is, None for
    one that is
    not kept. Raises Refused."""
    market = open_market().market
    as_of = as_of_day(market, body.get("as_of"))
    seal = seal_day()
    broken = book is not None and BookSeal.objects.filter(book=book).exists()
    return {
        "text": body["text"],
        "rules": rules_for(owner, body["text"]),
        "dials": body.get("dials") or {},
        "universe": body.get("universe"),
        "sealed_from": None if seal is None or as_of < seal else iso(seal),
        "unsealed": broken,
        **chosen_from(body),
        "as_of": iso(as_of),
    }


def checked(owner: Any, text: str, rules: dict[str, str], dials: dict[str, float], universe: str | None = None) -> Any:
    """A book checked for its owner. Raises RuleError and Refused."""
    engine = open_market()
    key = _key(owner, text, universe)
    return check_book(text, with_universes(owner, engine.market, text, rules, everything=True), dials, key, engine.market.finest)


def _key(owner: Any, text: str, universe: str | None) -> str | None:
    """The universe as the core calls it; None where the book says `only` or names none."""
    wanted = universe or read_book_head(text).get("universe", "")
    if not wanted or wanted.lower().startswith("only"):
        return None
    return universe_key(owner, open_market().market, wanted)[0]


def set_up(owner: Any, question: Question) -> Trial:
    """The question checked and set up over the market; it ends at the seal unless that is broken. Raises RuleError and Refused."""
    engine = open_market()
    market = engine.market
    text, own = question["text"], question["dials"]
    rules = with_universes(owner, market, text, question["rules"], everything=True)
    key = _key(owner, text, question["universe"])
    until = as_of_day(market, question["as_of"])
    if question["sealed_from"] and not question["unsealed"]:
        until = int(market.bars.sessions[market.bars.session_on(day_of(question["sealed_from"]) - 1)])
    choice = BookChoice.model_validate({**chosen_from(question), "as_of": until})

    def members(universe: str | None, table: str) -> Bools | None:
        named = universe if universe == key else universe_key(owner, market, universe)[0]
        return members_of(market, named, table)

    return Trial(engine, lambda dials: check_book(text, rules, {**own, **dials}, key, market.finest), members, choice)


def try_digest(trial: Trial, question: Question, dials: dict[str, float]) -> str:
    """What makes a setting another try: the text without its name and what it is about, the rules, the dials and the days."""
    lines = [line.strip() for line in question["text"].split("\n") if not line.strip().lower().startswith(("name:", "about:", "#"))]
    values = {name: float(value) for name, value in {**trial.book.settings, "slots": trial.book.slots, **dials}.items()}
    return digest_of([line for line in lines if line], question["rules"], values, question["universe"], question["first"], question["last"],
                     question["unsealed"])  # fmt: skip
