"""The catalogue: every name a rule may use, in one place.

The parser's completion, the checker, the in-app reference and docs/language.md are all made from it. An entry is either
`kernel` (an operation the measures compute), a `definition` (an expression of the rule language itself, expanded where it is
used), or a column of the market: a price `field`, a `fact` known that day, or a `text`.
"""

from dataclasses import dataclass
from typing import Literal

from wickcore.bars.frames import FRAMES as FRAMES

Kind = Literal["field", "fact", "text", "kernel", "definition", "form"]
Takes = Literal["number", "condition", "bars", "constant", "frame"]


@dataclass(frozen=True, slots=True)
class Parameter:
    """One argument. `default` is an expression of the rule language; None means it must be given."""

    name: str
    takes: Takes
    default: str | None = None
    help: str = ""
    low: float | None = None


@dataclass(frozen=True, slots=True)
class Entry:
    """One name of the language.

    degree: how the value scales with splits: 1 prices, -1 volumes, 0 ratios; None takes it from the arguments.
    formula, warm_up, source, example: for the reference. warm_up is the number of bars before the first known value.
    """

    name: str
    family: str
    kind: Kind
    result: Literal["number", "condition", "text"]
    help: str
    formula: str = ""
    warm_up: str = "none"
    source: str = "common practice"
    example: str = ""
    parameters: tuple[Parameter, ...] = ()
    definition: str | None = None
    degree: int | None = 0

    @property
    def signature(self) -> str:
        if not self.parameters:
            return self.name
        said = ", ".join(p.name if p.default is None else f"{p.name}={p.default}" for p in self.parameters)
        return f"{self.name}({said})"

    @property
    def bare(self) -> bool:
        """Whether the name may stand without brackets."""
        return all(p.default is not None for p in self.parameters)

    @property
    def source_optional(self) -> bool:
        """Whether the first argument is a source that may be left out."""
        return bool(self.parameters) and self.parameters[0].name == "x" and self.parameters[0].default is not None


X = Parameter("x", "number", "close", "what is measured; the close where it is left out")
CONDITION = Parameter("condition", "condition", None, "a condition")


def bars(default: int | None = None, low: int = 1, name: str = "n") -> Parameter:
    return Parameter(name, "bars", None if default is None else str(default), "how many bars, this one included", low)


def constant(name: str, default: str, help: str = "") -> Parameter:
    return Parameter(name, "constant", default, help)


def _build() -> dict[str, Entry]:
    from wickcore.language.entries import averages, forms, market, prices, ranges

    found: dict[str, Entry] = {}
    for module in (prices, averages, ranges, market, forms):
        for entry in module.ENTRIES:
            if entry.name in found:
                raise ValueError(f"{entry.name} stands twice in the catalogue")
            found[entry.name] = entry
    return found


class Catalogue:
    """Look-ups over the entries, built once on first use."""

    def __init__(self) -> None:
        self._entries: dict[str, Entry] | None = None

    @property
    def entries(self) -> dict[str, Entry]:
        if self._entries is None:
            self._entries = _build()
        return self._entries

    def __contains__(self, name: str) -> bool:
        return name in self.entries

    def __getitem__(self, name: str) -> Entry:
        return self.entries[name]


CATALOGUE = Catalogue()
