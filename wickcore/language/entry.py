"""What an entry of the catalogue is, and how the entries are written down.

An entry is a `kernel` (an operation the measures compute), a `pattern` (an object found on the chart, or a part of one), a `definition` (an
expression of the rule language itself, expanded where it is used), a `form` with a meaning of its own to the checker, or a column of the
market: a price `field`, a `fact` known that day, or a `text`.
"""

import math
from collections.abc import Mapping
from dataclasses import dataclass
from functools import cached_property
from typing import Literal, TypedDict, Unpack

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


YES_OR_NO = "1 or 0"  # the formula of a fact that is a condition where one is asked for
# Values an entry cannot leave.
HUNDRED, SHARE, POSITIVE, GAIN, SIGNED = (0.0, 100.0), (0.0, 1.0), (0.0, math.inf), (-1.0, math.inf), (-1.0, 1.0)
# What becomes of a value when prices are turned upside down: a price level keeps its place while comparisons turn round; a move changes its
# sign; a reading of a hundred becomes a hundred less it, one of -100 to 0 and a share likewise; a distance from an extreme and a ratio turn as
# ratios do; what follows is of its argument's side; what is plain has no side and stays.
Side = Literal["level", "move", "hundred", "williams", "share", "off", "ratio", "follows", "plain"]
Scale = Literal["own", "same", "printed", "any", "root", "logarithm", "exponential"]
OfSums = Literal["kept", "gone", "n times"] | None


class Traits(TypedDict, total=False):
    """What else is known of an entry; each is told at `Entry`."""

    bounds: tuple[float, float] | None
    fraction: bool
    amount: bool
    other: str | None
    side: Side
    side_of_levels: Side
    sided_by_argument: bool
    turns: Mapping[str, Side]
    said: str
    level_of_x: float
    scale: Scale
    of_sums: OfSums
    uses_close: bool
    again: float
    later: bool
    inner: bool


@dataclass(frozen=True)
class Entry:
    """One name of the language.

    degree: how the value scales with splits: 1 prices, -1 volumes, 0 ratios; None takes it from the arguments.
    level: whether it is a price level, so that a chart draws it.
    formula, source, example, warm_up: for the reference. warm_up: the number of bars before the first known value, as an expression
    in the arguments, or a sentence that begins with "until".
    bounds: the values it cannot leave, whatever its arguments. fraction: people say it in percent. amount: it is more or less, not above or
    below, when read aloud.
    other: its mirror, the name for the other side. side: how its value mirrors; side_of_levels: how it does where its argument is a level or
    a move (plain otherwise). sided_by_argument: it has another side only where its argument has one.
    turns: the sides of an argument with which it has a mirror, and its own then; None where it has with any.
    said: how it is read aloud: {n} and other names are the arguments, {of x} the source, left out where that is the close, {the x} the
    source with its article; {by:given|left out} one of two ways to say it.
    level_of_x: how much of its argument's price level is in it: 1 for averages of prices, 0 for ranges of them; None where that has no meaning.
    scale: `own`, or of an operation: `same` for arguments brought on one scale, `printed` for that day's money, `any` for whatever it is
    given, `root`, `logarithm` and `exponential` for what becomes of a scale under them.
    of_sums: what becomes of an amount that is added to all its arguments: `kept` as in an average, `gone` as in a deviation, `n times` as in a
    sum; None where that cannot be said.
    uses_close: the fact is made with the day's close. again: nanoseconds it takes a bar of its window, looking at each of them anew.
    inner: it is made of bars shorter than a day, and can be asked only where there are any.
    later: it came to the language when rules had been written, which may have given its name to something of their own: theirs goes before it.
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
    bounds: tuple[float, float] | None = None
    fraction: bool = False
    amount: bool = False
    other: str | None = None
    side: Side = "plain"
    side_of_levels: Side | None = None
    sided_by_argument: bool = False
    turns: Mapping[str, Side] | None = None
    said: str = ""
    level_of_x: float | None = None
    scale: Scale = "own"
    of_sums: OfSums = None
    uses_close: bool = False
    again: float = 0.0
    later: bool = False
    inner: bool = False

    @property
    def frameless(self) -> bool:
        """Whether it looks at one bar alone, so that it counts bars of no frame."""
        return self.scale != "own"

    @property
    def of_session(self) -> bool:
        """Whether it is of a session or of the night before one: such names have parts, as those of patterns have."""
        return self.family in ("overnight", "sessions")

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
        return not self.needed and (self.kind != "form" or self.of_session)

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
    **traits: Unpack[Traits],
) -> Entry:  # fmt: skip
    """An entry that a kernel computes."""
    return Entry(name, family, "kernel", result, help, formula, warm_up, source, example, parameters, None, degree, level, **traits)


def defined(
    name: str, family: str, help: str, definition: str, warm_up: str, example: str, *parameters: Parameter,
    result: Literal["number", "condition"] = "number", source: str = "common practice", formula: str | None = None, level: bool = False,
    **traits: Unpack[Traits],
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
        **traits,
    )
