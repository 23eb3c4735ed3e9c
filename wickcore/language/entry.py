"""What an entry of the catalogue is, and how the entries are written down.

An entry is a `kernel` (an operation the measures compute), a `pattern` (an object found on the chart, or a part of one), a `definition` (an
expression of the rule language itself, expanded where it is used), a `form` with a meaning of its own to the checker, or a column of the
market: a price `field`, a `fact` known that day, or a `text`.
"""

from dataclasses import dataclass
from functools import cached_property
from typing import Literal

Kind = Literal["field", "fact", "text", "kernel", "definition", "form", "pattern"]
Takes = Literal["number", "condition", "bars", "constant", "frame", "word", "text"]


@dataclass(frozen=True, slots=True)
class Parameter:
    """One argument. `default` is an expression of the rule language and may name an argument before it; None means it must be
    given. low: the smallest number of bars."""

    name: str
    takes: Takes
    default: str | None = None
    help: str = ""
    low: float | None = None


@dataclass(frozen=True)
class Entry:
    """One name of the language.

    degree: how the value scales with splits: 1 prices, -1 volumes, 0 ratios; None takes it from the arguments.
    level: whether it is a price level, so that a chart draws it.
    formula, source, example, warm_up: for the reference. warm_up: the number of bars before the first known value, as an expression
    in the arguments, or a sentence that begins with "until".
    """

    name: str
    family: str
    kind: Kind
    result: Literal["number", "condition", "text"]
    help: str
    formula: str = ""
    warm_up: str = "0"
    source: str = "common practice"
    example: str = ""
    parameters: tuple[Parameter, ...] = ()
    definition: str | None = None
    degree: int | None = 0
    level: bool = False

    @cached_property
    def signature(self) -> str:
        """The name with its arguments and their defaults."""
        if not self.parameters:
            return self.name
        said = ", ".join(p.name if p.default is None else f"{p.name}={p.default}" for p in self.parameters)
        base, dot, part = self.name.partition(".")
        return f"{base}({said}){dot}{part}"

    @cached_property
    def bare(self) -> bool:
        """Whether the name may stand without brackets."""
        return self.kind != "form" and not self.needed

    @cached_property
    def source_optional(self) -> bool:
        """Whether the first argument is a source that may be left out."""
        return bool(self.parameters) and self.parameters[0].name == "x" and self.parameters[0].default is not None

    @cached_property
    def needed(self) -> tuple[str, ...]:
        """The arguments that cannot be left out."""
        return tuple(p.name for p in self.parameters if p.default is None)

    @property
    def unknown_for(self) -> str:
        """The warm-up in words."""
        if self.warm_up == "0":
            return "never" if self.kind != "fact" else "until first published"
        return self.warm_up if self.warm_up.startswith("until") else f"the first {self.warm_up} bars"


X = Parameter("x", "number", "close", "what is measured; the close where it is left out")
CONDITION = Parameter("condition", "condition", None, "a condition")


def number(name: str, help: str = "") -> Parameter:
    """An argument that is any expression yielding a number."""
    return Parameter(name, "number", None, help)


def bars(
    default: int | str | None = None, low: int = 1, name: str = "n", help: str = "how many bars, this one included"
) -> Parameter:
    """An argument that counts bars."""
    return Parameter(name, "bars", None if default is None else str(default), help, low)


def constant(name: str, default: str, help: str = "") -> Parameter:
    """An argument that is a plain number or a dial."""
    return Parameter(name, "constant", default, help)


def kernel(
    name: str, family: str, help: str, formula: str, warm_up: str, example: str, *parameters: Parameter,
    result: Literal["number", "condition"] = "number", source: str = "common practice", degree: int | None = None, level: bool = False,
) -> Entry:  # fmt: skip
    """An entry that a kernel computes."""
    return Entry(name, family, "kernel", result, help, formula, warm_up, source, example, parameters, None, degree, level)


def defined(
    name: str, family: str, help: str, definition: str, warm_up: str, example: str, *parameters: Parameter,
    result: Literal["number", "condition"] = "number", source: str = "common practice", formula: str | None = None, level: bool = False,
) -> Entry:  # fmt: skip
    """An entry that is an expression of the language itself."""
    return Entry(
        name,
        family,
        "definition",
        result,
        help,
        formula or definition,
        warm_up,
        source,
        example,
        parameters,
        definition,
        None,
        level,
    )
