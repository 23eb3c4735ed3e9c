"""Find anything: instruments, rules, books, lists, breadths and names of the language, by letters that come near."""

import re
from dataclasses import dataclass
from typing import Any

from rapidfuzz import fuzz, process, utils

from upperwick.bench.lists import lists_of
from upperwick.books.models import Book
from upperwick.market.load import evaluator
from upperwick.rules.breadths import breadths_of
from upperwick.rules.services import rules_of
from wickcore.language.catalogue import CATALOGUE
from wickcore.language.ready_breadths import READY

MOST, EACH, LEAST = 24, 8, 70.0


@dataclass(frozen=True)
class Thing:
    """kind: what it is. name: how it is called; more: what is said beside it. place: where it opens."""

    kind: str
    name: str
    more: str
    place: str


_instruments: dict[str, tuple[list[Thing], list[str]]] = {}


def _market() -> tuple[list[Thing], list[str]]:
    """The instruments of the market, by its version, with what is looked through."""
    market = evaluator().market
    if market.version not in _instruments:
        _instruments.clear()
        names = market.names or market.bars.symbols
        things = [
            Thing("instrument", s, n if n != s else "", f"/symbol/{s}") for s, n in zip(market.bars.symbols, names, strict=True)
        ]
        _instruments[market.version] = things, [utils.default_process(f"{t.name} {t.more}") for t in things]
    return _instruments[market.version]


def _own(owner: Any) -> list[Thing]:
    return [
        *(Thing("rule", name, "", f"/rules/{pk}") for pk, name in rules_of(owner).values_list("id", "name")),
        *(
            Thing("book", name, "", f"/books/{pk}")
            for pk, name in Book.objects.filter(owner=owner, deleted__isnull=True).values_list("id", "name")
        ),
        *(Thing("breadth", name, "", f"/breadth/{pk}") for pk, name in breadths_of(owner).values_list("id", "name")),
        *(Thing("breadth", name, "always there", "/breadth") for name in READY),
        *(
            Thing("list", name, f"{len(symbols)} instruments", "/rules")
            for name, symbols in lists_of(owner).values_list("name", "symbols")
        ),
        *(
            Thing("word", e.name, e.help.split(". ")[0], f"/reference/{e.name}")
            for e in CATALOGUE.entries.values()
            if "." not in e.name
        ),
    ]


def find(owner: Any, asked: str) -> list[Thing]:
    """What comes nearest, the nearest first."""
    wanted = utils.default_process(asked)[:60]
    if not wanted:
        return []
    things, said = _market()
    own = _own(owner)
    everything = [*things, *own]
    texts = [*said, *(utils.default_process(t.name) for t in own)]
    near = process.extract(wanted, texts, scorer=fuzz.WRatio, processor=None, score_cutoff=LEAST, limit=160)
    begun = re.compile(rf"(^|\s){re.escape(wanted)}")
    words = wanted.split()
    scored: dict[int, float] = {at: score for _, score, at in near}
    for at, text in enumerate(texts):
        if wanted in text or all(re.search(rf"(^|\s){re.escape(w)}", text) for w in words):
            name = text.split(" ", 1)[0] if at < len(things) else text
            scored[at] = 300.0 if name == wanted else 250.0 if name.startswith(wanted) else 200.0 if begun.search(text) else 150.0
    order = sorted(scored, key=lambda at: (-scored[at], len(texts[at]), texts[at]))
    found, taken = [], {}  # type: list[Thing], dict[str, int]
    for at in order:
        kind = everything[at].kind
        if taken.get(kind, 0) < EACH:
            taken[kind] = taken.get(kind, 0) + 1
            found.append(everything[at])
    return found[:MOST]
