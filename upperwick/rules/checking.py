"""A rule as its owner wrote it, checked against what the owner has: parts, lists and the market's universes."""

from dataclasses import dataclass, field
from typing import Any

from upperwick.bench.services import universe_key
from upperwick.market.services import members_of, open_market
from upperwick.problems import Refused
from upperwick.rules.naming import header_in
from upperwick.rules.services import parts_for
from wickcore.bars.bars import Bools
from wickcore.language.check import RuleNames, check_named
from wickcore.language.rule import CheckedRule
from wickcore.scan.evaluate import Evaluator


@dataclass(frozen=True)
class Asked:
    """names: the rule's own, for columns over them. universe: as written. lists: the owner's lists in it, which know nothing of dates.
    members: by bar, None for all."""

    rule: CheckedRule
    names: RuleNames
    engine: Evaluator
    members: Bools | None
    universe: str | None
    lists: list[str] = field(default_factory=list)


def asked(owner: Any, text: str, dials: dict[str, float] | None = None, universe: str | None = None) -> Asked:
    """Checks a rule for its owner. universe: one chosen instead of the rule's own. Raises RuleError and Refused."""
    engine = open_market()
    wanted = universe or header_in(text, "universe")
    key, lists = universe_key(owner, engine.market, wanted)
    rule, names = check_named(text, parts_for(owner, text), dials, key)
    return Asked(rule, names, engine, members_of(engine.market, key), wanted or None, lists)


def names_of(owner: Any, text: str) -> RuleNames:
    """The names of a text that need be no rule yet; a universe that does not exist is let be. Raises RuleError for one over the limits."""
    try:
        key, _ = universe_key(owner, open_market().market, header_in(text, "universe"))
    except Refused:
        key = ""
    return RuleNames.of(text, parts_for(owner, text), key)
