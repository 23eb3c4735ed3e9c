"""The catalogue: every name a rule may use, in one place.

The parser's completion, the checker, the in-app reference and docs/language.md are all made from it.
"""

from collections.abc import Mapping
from functools import cached_property

from wickcore.language.entries import (
    averages,
    bands,
    candles,
    forms,
    market,
    momentum,
    patterns,
    prices,
    sessions,
    statistics,
    swings,
    trails,
    volume,
)
from wickcore.language.entry import Entry

MODULES = (prices, averages, bands, momentum, volume, statistics, candles, swings, trails, sessions, patterns, market, forms)


class Catalogue:
    """Look-ups over the entries."""

    def __init__(self, entries: Mapping[str, Entry]) -> None:
        self.entries = entries

    @cached_property
    def names(self) -> tuple[str, ...]:
        """All names, sorted."""
        return tuple(sorted(self.entries))

    def __contains__(self, name: str) -> bool:
        return name in self.entries

    def __getitem__(self, name: str) -> Entry:
        return self.entries[name]


def _build() -> dict[str, Entry]:
    found: dict[str, Entry] = {}
    for module in MODULES:
        for entry in module.ENTRIES:
            if entry.name in found:
                raise ValueError(f"{entry.name} stands twice in the catalogue")
            found[entry.name] = entry
    return found


CATALOGUE = Catalogue(_build())
