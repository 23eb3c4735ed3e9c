"""The text of a breadth: a rule, whose members that pass are counted on each session, with what is counted written in its head.

    name: New highs less new lows
    universe: Harbour 500
    shows: count
    less: low <= lowest(low, 52w)

    high >= highest(high, 52w)

`less:` is a condition whose members are taken off, `weight:` a number by which members count instead of one each, `shows:` one of share,
count and sum (the running sum of the counts). What is left of the text is a rule like any other.
"""

import re
from collections.abc import Mapping
from dataclasses import dataclass, replace

from wickcore.bars.frame_names import within_day
from wickcore.language.check import check_named
from wickcore.language.named_texts import universe_said
from wickcore.language.operations import Op, every
from wickcore.language.problems import Problem, RuleError, nearest
from wickcore.language.rule import CheckedRule, Value
from wickcore.language.scope import Size

SHOWS = ("share", "count", "sum")
OWN_HEAD = ("shows", "less", "weight")
_HEAD = re.compile(rf"^({'|'.join(OWN_HEAD)})[ \t]*:(.*)$", re.IGNORECASE)
_HEADER = re.compile(r"^[A-Za-z_]+[ \t]*:")


@dataclass(frozen=True, slots=True)
class BreadthHead:
    """What the head of a text says of a breadth, with the text as a rule: its lines stand where they stood. lines: where each was said."""

    rule: str
    shows: str = "share"
    less: str = ""
    weight: str = ""
    lines: Mapping[str, int] | None = None


def read_breadth(text: str) -> BreadthHead:
    """The head of a breadth and the rule below it. Raises RuleError for a head that cannot be."""
    found: dict[str, str] = {}
    places: dict[str, int] = {}
    lines = text.replace("\r\n", "\n").replace("\r", "\n").split("\n")
    for i, line in enumerate(lines):
        own = _HEAD.match(line)
        if own is None:
            if line.strip() and not line.lstrip().startswith("#") and not _HEADER.match(line):
                break
            continue
        key = own[1].lower()
        if key in found:
            raise RuleError([Problem(i + 1, 1, len(line), f"`{key}` is given twice; keep one.")])
        found[key], places[key] = own[2].split("#")[0].strip(), i + 1
        lines[i] = "#"
    shows = found.get("shows") or "share"
    if shows not in SHOWS:
        near = nearest(shows, SHOWS)
        said = f"`shows` is one of {', '.join(SHOWS)}; this says `{shows}`."
        raise RuleError([Problem(places["shows"], 1, len(shows), said, near)])
    return BreadthHead("\n".join(lines), shows, found.get("less", ""), found.get("weight", ""), places)


@dataclass(frozen=True, slots=True)
class CheckedBreadth:
    """A breadth that can be computed. rule: the condition, as a rule. less: whose members are taken off. weight: by what they count.
    universe: as the core calls it, "" for all shares."""

    rule: CheckedRule
    shows: str = "share"
    less: Op | None = None
    weight: Op | None = None
    universe: str = ""

    @property
    def frame(self) -> str:
        return self.rule.frame

    @property
    def passes(self) -> Op:
        """True on the bars that pass every line."""
        return every([line.op for line in self.rule.deciding])

    @property
    def op(self) -> Op:
        """The breadth as a number, one a moment."""
        given = [("less", self.less), ("weight", self.weight)]
        told = " ".join(name for name, op in given if op is not None)
        args = (self.passes, *(op for _, op in given if op is not None))
        return Op("breadth", args, (self.universe, self.shows, self.frame, told))

    @property
    def signed(self) -> bool:
        """Whether it can be below zero."""
        return self.less is not None

    def over(self, universe: str) -> "CheckedBreadth":
        """The same of another universe."""
        return replace(self, universe=universe)


def check_breadth(
    text: str,
    parts: Mapping[str, str] | None = None,
    universe: str | None = None,
    base: str = "day",
    opened: tuple[str, ...] = (),
    size: Size | None = None,
) -> CheckedBreadth:
    """Checks the text of a breadth.

    parts: texts of the rules it can `use` and of the breadths it can name, as `check_rule` takes them. universe: one instead of its own.
    opened: names of the breadths that lead here. size: what is left of the size of the rule that names it. Raises RuleError.
    """
    head = read_breadth(text)
    rule, names = check_named(head.rule, parts, None, universe, base, opened, size)
    if within_day(rule.frame):
        line = next((i for i, s in enumerate(head.rule.split("\n"), 1) if s.startswith("bars")), 1)
        raise RuleError(
            [Problem(line, 1, 4, "A breadth has a value a session: its `bars:` are day, week, month, quarter or year.", "day")]
        )

    def said(key: str, type_: str) -> Value | None:
        written = getattr(head, key)
        if not written:
            return None
        line = (head.lines or {})[key]
        try:
            value = names.check(written)
        except RuleError as error:
            first = error.problems[0]
            raise RuleError([Problem(line, 1, len(written), f"In `{key}`: {first.message}", first.mend)]) from None
        if value.type != type_:
            raise RuleError([Problem(line, 1, len(written), f"`{key}` is a {type_}; `{written}` is a {value.type}.")])
        return value

    less, weight = said("less", "condition"), said("weight", "number")
    own = rule.universe or ""
    if universe is None:
        own = (parts or {}).get(universe_said(own), own)
    return CheckedBreadth(rule, head.shows, None if less is None else less.op, None if weight is None else _unscaled(weight), own)


def _unscaled(value: Value) -> Op:
    """Money or shares as they were on each day: they are added across instruments."""
    return Op("unscale", (value.op,), (value.degree,)) if value.degree else value.op
