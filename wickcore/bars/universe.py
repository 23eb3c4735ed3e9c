"""Universes put together: `A and B` (both of), `A or B` (either of), `A without B`, read from left to right."""

import re
from collections.abc import Callable, Collection

from wickcore.bars.bars import Bools

JOINS = ("and", "or", "without")
_JOIN = re.compile(r"\s+(and|or|without)\s+")


class UnknownUniverse(ValueError):
    """A name that no universe has. `name` is the part of the text that was not understood."""

    def __init__(self, name: str) -> None:
        super().__init__(f"There is no universe named “{name}”.")
        self.name = name


def read_universe(text: str, known: Collection[str]) -> list[tuple[str, str]]:
    """The text as pairs of a join ("" for the first) and a known name.

    Names may themselves hold the joining words: the longest known name at each place is meant. Raises UnknownUniverse.
    """
    rest, join, found = text.strip(), "", []
    while True:
        name = max((k for k in known if rest == k or (rest.startswith(k) and _JOIN.match(rest, len(k)))), key=len, default=None)
        if name is None:
            raise UnknownUniverse(_JOIN.split(rest)[0])
        found.append((join, name))
        after = _JOIN.match(rest, len(name))
        if after is None:
            return found
        join, rest = after.group(1), rest[after.end() :]


def combine(parts: list[tuple[str, str]], members: Callable[[str], Bools]) -> Bools:
    """Membership by bar of universes put together; `members` gives that of one name."""
    whole = members(parts[0][1])
    for join, name in parts[1:]:
        other = members(name)
        whole = whole & other if join == "and" else whole | other if join == "or" else whole & ~other
    return whole
