"""A rule as its owner wrote it, checked against what the owner has: parts, lists and the market's universes."""

import contextlib
from dataclasses import dataclass, field
from functools import lru_cache
from typing import Any

from upperwick.base.errors import Refused
from upperwick.bench.lists import universe_key
from upperwick.market.services import as_of_moment, members_of, open_market
from upperwick.rules.naming import header_in
from upperwick.rules.services import parts_for
from wickcore.bars.bars import Bools
from wickcore.bars.market import Market
from wickcore.language.check import RuleNames, check_named
from wickcore.language.named_texts import name_of, those_used, universe_said, universes_in
from wickcore.language.rule import CheckedRule
from wickcore.scan.evaluate import Evaluator

KEPT, SMALL = 400, 20_000  # texts that were checked, with parts of no more characters: all of them go with each


@dataclass(frozen=True)
class PreparedRule:
    """engine: on the bars that the rule steps on. names: the rule's own, for columns over them. universe: as written; key: as the core calls it.
    lists: the owner's lists in it, which know nothing of dates.
    members: by bar, None for all."""

    rule: CheckedRule
    names: RuleNames
    engine: Evaluator
    members: Bools | None
    universe: str | None
    lists: list[str] = field(default_factory=list)
    parts: dict[str, str] = field(default_factory=dict)
    key: str = ""

    def with_dials(self, dials: dict[str, float]) -> CheckedRule:
        """The same rule with dials turned. Raises RuleError for one out of its range."""
        return _checked(self.rule.text, self.parts, dials, self.key, self.engine.market.finest)[0]


def _checked(
    text: str, parts: dict[str, str], dials: dict[str, float] | None, key: str, finest: str
) -> tuple[CheckedRule, RuleNames]:
    """As `check_named`. What a text means hangs on nothing but these: one that is counted, charted and explained at once, or looked at evening
    after evening, is read once."""
    work = _kept if sum(map(len, parts.values())) <= SMALL else _kept.__wrapped__
    return work(text, tuple(parts.items()), tuple((dials or {}).items()), key, finest)


@lru_cache(KEPT)
def _kept(
    text: str, parts: tuple[tuple[str, str], ...], dials: tuple[tuple[str, float], ...], key: str, finest: str
) -> tuple[CheckedRule, RuleNames]:
    return check_named(text, dict(parts), dict(dials), key, finest)


def prepared(
    owner: Any,
    text: str,
    dials: dict[str, float] | None = None,
    universe: str | None = None,
    parts: dict[str, str] | None = None,
    as_of: str | None = None,
) -> PreparedRule:
    """Checks a rule for its owner. universe: one chosen instead of the rule's own. parts: instead of the owner's. as_of: the moment that is
    stood on: inside a session the rule steps on the day so far. Raises RuleError and Refused."""
    engine = open_market()
    wanted = universe or header_in(text, "universe")
    key, lists = universe_key(owner, engine.market, wanted)
    parts = with_universes(owner, engine.market, text, parts_for(owner, text) if parts is None else parts)
    rule, names = _checked(text, parts, dials, key, engine.market.finest)
    engine = engine.stepping(rule.frame, as_of_moment(engine.market, as_of) if as_of else None)
    return PreparedRule(rule, names, engine, members_of(engine.market, key, engine.table), wanted or None, lists, parts, key)


def names_of(owner: Any, text: str) -> RuleNames:
    """The names of a text that need be no rule yet; a universe that does not exist is let be. Raises RuleError for one over the limits."""
    market = open_market().market
    try:
        key, _ = universe_key(owner, market, header_in(text, "universe"))
    except Refused:
        key = ""
    parts = parts_for(owner, text)
    with contextlib.suppress(Refused):
        parts = with_universes(owner, market, text, parts)
    return RuleNames.of(text, parts, key, market.finest)


def with_universes(owner: Any, market: Market, text: str, parts: dict[str, str], everything: bool = False) -> dict[str, str]:
    """The parts, and what the core calls the universes that breadths name in those that the text uses, and in itself: an owner's list goes by
    its symbols. everything: all parts are used. Raises Refused for a universe that does not exist."""
    used = parts if everything else those_used(text, parts)
    named = {header_in(part, "universe") for key, part in used.items() if name_of(key) is not None}
    named.update(name for part in (text, *used.values()) for name in universes_in(part))
    found = {name: universe_key(owner, market, name)[0] for name in named if name}
    return {**parts, **{universe_said(name): key for name, key in found.items() if key != name}}
