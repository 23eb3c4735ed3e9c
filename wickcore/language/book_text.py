"""The text of a book to its tree. Lines are those of the rule language, and some of a book's own."""

import re
from dataclasses import dataclass
from typing import Any

from wickcore.language import tree
from wickcore.language.parser import MAX_CHARACTERS, MAX_LINES, TooLong, _Logical, _RuleParser, mask_comment
from wickcore.language.problems import Problem, RuleError, nearest
from wickcore.language.statement import StatementReader
from wickcore.language.tree import Span

# The book's own settings, in the order in which they are laid out; those of `LEVELS` may stand more than once.
HEAD = ("name", "about", "universe", "bars", "start", "slots", "size", "rank", "only while", "out unless", "gross", "cash earns")
TAIL = ("borrow costs", "cost", "slip", "leaves", "delisting", "fractions")
SETTINGS = (*HEAD, *TAIL)
LEVELS = ("stop", "follow", "target")
SIDES = ("long", "short")
EXPRESSIONS = ("rank", "only while", "out unless")
WORDS = ("enter", "exit", "let", "dial")
_KEY = re.compile(r"\s*([A-Za-z]+(?:[ \t]+[A-Za-z]+)?)[ \t]*:(?!\s*=)")
_EXIT = re.compile(
    r"\s*exit\b(?:[ \t]+(at[ \t]+close))?(?:[ \t]+(long|short))?(?:[ \t]+(at[ \t]+close))?[ \t]+when\b", re.IGNORECASE
)
_GROUP = re.compile(r"\s*(any|all|none)[ \t]+of[ \t]*:\s*$", re.IGNORECASE)
_PART = re.compile(r",[ \t]*(half|third|quarter|[0-9.]+[ \t]*%|[a-z_][a-z0-9_]*)[ \t]*$", re.IGNORECASE)
PARTS = {"half": 0.5, "third": 1 / 3, "quarter": 0.25}


@dataclass(slots=True)
class Setting:
    """`key: value`. text: the value as written. node: its tree where it is an expression."""

    key: str
    text: str
    value_span: Span
    span: Span
    node: tree.Node | None = None


@dataclass(slots=True)
class Enters:
    """`enter "RULE" at …`. kind: next open, close, price."""

    name: str
    name_span: Span
    kind: str
    price: tree.Node | None
    bars: "tree.Count | None"
    span: Span


@dataclass(slots=True)
class LevelLine:
    """`stop:`, `follow:` or `target:`, of one side or of both (""). part: as written after the comma, "" for all of it."""

    key: str
    side: str
    node: tree.Node
    part: str
    span: Span


@dataclass(slots=True)
class Exits:
    """`exit when …`. kind: `any`, `all`, `none` with conditions below, "" for one condition on the line itself."""

    side: str
    at_close: bool
    kind: str
    conditions: tuple["tree.Condition | tree.Group", ...]
    span: Span


BookStatement = Setting | Enters | LevelLine | Exits | tree.Let | tree.Dial


@dataclass(slots=True)
class BookText:
    """A whole book as written."""

    text: str
    statements: tuple[BookStatement, ...]

    def setting(self, key: str) -> Setting | None:
        return next((s for s in self.statements if isinstance(s, Setting) and s.key == key), None)


def parse_book(text: str) -> BookText:
    """The tree of a whole book. Raises RuleError with every syntax problem found."""
    found, problems = read_book(text)
    if problems:
        raise RuleError(problems)
    return found


def read_book(text: str) -> tuple[BookText, list[Problem]]:
    """The tree of all that can be read of a book, and what is wrong with the rest. Raises RuleError for a text over the limits."""
    reader = _BookParser(text)
    return reader.read(), reader.problems


def read_book_head(text: str) -> dict[str, str]:
    """The plain settings at any place of a text, whatever else is wrong with it."""
    found: dict[str, str] = {}
    for line in text.split("\n")[: MAX_LINES + 1]:
        match = _KEY.match(line)
        if match and " ".join(match.group(1).lower().split()) in SETTINGS:
            key = " ".join(match.group(1).lower().split())
            value = line[match.end() :] if key in ("name", "about") else mask_comment(line)[match.end() :]
            found.setdefault(key, value.strip())
    return found


class _Reader(StatementReader):
    """Reads what a line of a book holds besides statements of the rule language."""

    def whole(self) -> tree.Node:
        """One expression to the end of the line."""
        value = self.expression()
        if self.kinds[self.i] != "end":
            self.unexpected()
        return value

    def enters(self) -> Enters:
        begin = self.begins[0]
        self.i += 1
        name, name_span = self.take("string")[1:-1], self.last()
        if self.kinds[self.i] == "end":
            return Enters(name, name_span, "next open", None, None, self.since(begin))
        self.word("at")
        if self.at_word("next") and self.texts[self.i + 1] == "open":
            self.i += 2
            kind, price = "next open", None
        elif self.at_word("close") and self.kinds[self.i + 1] == "end":
            self.i += 1
            kind, price = "close", None
        else:
            kind, price = "price", self.expression()
        bars = None
        if self.at_word("for"):
            if price is None:
                self.fail(self.here(), f"Only an order at a price rests for bars; one at the {kind} is filled there.")
            self.i += 1
            bars = self._count()
        if self.kinds[self.i] != "end":
            self.unexpected(("for",))
        return Enters(name, name_span, kind, price, bars, self.since(begin))


class _BookParser(_RuleParser):
    def read(self) -> BookText:
        if len(self.text) > MAX_CHARACTERS:
            said = f"A book is at most {MAX_CHARACTERS:,} characters; this one has {len(self.text):,}."
            raise TooLong([Problem(1, 1, 1, said)])
        if len(self.places.starts) > MAX_LINES + 1:
            raise TooLong([Problem(MAX_LINES + 1, 1, 1, f"A book is at most {MAX_LINES} lines.")])
        lines, found, i = self._logical_lines(), [], 0
        while i < len(lines):
            below = i + 1
            while below < len(lines) and lines[below].indent > 0:
                below += 1
            if lines[i].indent:
                self._say(
                    Span(lines[i].start, lines[i].start + lines[i].indent),
                    "This line is indented, but no group is open above it.",
                    "",
                )
            try:
                statement = self._statement(lines[i], lines, i + 1, below)
                if statement is not None:
                    found.append(statement)
            except RuleError as error:
                self.problems.extend(error.problems)
            i = below
        return BookText(self.text, tuple(found))

    def _statement(self, line: _Logical, lines: list[_Logical], first: int, below: int) -> BookStatement | None:
        if (match := _EXIT.match(line.text)) is not None:
            return self._exits(line, match, lines, first, below)
        if below > first:
            begin = lines[first].start
            self._say(Span(begin, begin + lines[first].indent), "This line is indented, but no group is open above it.", "")
        word = line.text.split(maxsplit=1)[0].lower()
        if word in ("let", "dial"):
            made: Any = StatementReader(line.text, line.start, self.places).read()
            assert isinstance(made, tree.Let | tree.Dial)
            return made
        if word == "enter":
            return _Reader(line.text, line.start, self.places).enters()
        match = _KEY.match(line.text)
        if match is None:
            self._unknown(line, word)
            return None
        return self._keyed(line, " ".join(match.group(1).lower().split()), match.end())

    def _keyed(self, line: _Logical, key: str, after: int) -> BookStatement | None:
        raw = self.text[line.start + after : line.start + len(line.text)] if key in ("name", "about") else line.text[after:]
        value = raw.strip()
        begin = line.start + after + (len(raw) - len(raw.lstrip()))
        span, whole = Span(begin, begin + max(1, len(value))), Span(line.start + line.indent, line.start + len(line.text.rstrip()))
        base, _, side = key.partition(" ")
        if base in LEVELS and side in ("", *SIDES):
            part, text = "", line.text[after:]
            if base == "target" and (found := _PART.search(text)):
                part, text = found.group(1), text[: found.start()]
            return LevelLine(base, side, _Reader(text, line.start + after, self.places).whole(), part, whole)
        if key not in SETTINGS:
            near = nearest(key, (*SETTINGS, *LEVELS))
            hint = f": did you mean `{near}`?" if near else f"; known are {', '.join((*SETTINGS, *LEVELS))}."
            self._say(Span(line.start + line.indent, line.start + after - 1), f"`{key}` is no line of a book{hint}", near)
            return None
        node = _Reader(line.text[after:], line.start + after, self.places).whole() if key in EXPRESSIONS else None
        return Setting(key, value, span, whole, node)

    def _exits(self, line: _Logical, match: "re.Match[str]", lines: list[_Logical], first: int, below: int) -> Exits:
        whole = Span(line.start + line.indent, line.start + len(line.text.rstrip()))
        side, at_close = (match.group(2) or "").lower(), bool(match.group(1) or match.group(3))
        rest = line.text[match.end() :]
        group = _GROUP.match(rest)
        if group is None:
            if below > first:
                begin = lines[first].start
                self._say(Span(begin, begin + lines[first].indent), "This line is indented, but no group is open above it.", "")
            value = _Reader(rest, line.start + match.end(), self.places).whole()
            return Exits(side, at_close, "", (tree.Condition(value, value.span),), whole)
        if below == first:
            self._say(whole, "A group needs its lines below it, indented.")
        children = []
        for child in self._block(lines, first, below, 1):
            if isinstance(child, tree.Condition | tree.Group):
                children.append(child)
            else:
                self._say(child.span, "Only conditions and groups can stand in a group; move this line out of it.")
        return Exits(side, at_close, group.group(1).lower(), tuple(children), whole)

    def _unknown(self, line: _Logical, word: str) -> None:
        begin = line.start + line.indent
        span = Span(begin, line.start + len(line.text.rstrip()))
        if word == "exit":
            self._say(span, "An exit says when: `exit when close < ema(21)`, or `exit when any of:` with its lines below.")
            return
        near = nearest(word.rstrip(":"), (*WORDS, *SETTINGS, *LEVELS))
        if near:
            self._say(Span(begin, begin + len(word)), f"`{word}` begins no line of a book: did you mean `{near}`?", near)
            return
        said = 'A line of a book is `enter "RULE" at next open`, `exit when …`, or a setting such as `stop: entry - 2 * atr(14)`.'
        self._say(span, f"{said} A condition of its own belongs under `exit when any of:`, or in a rule.")
