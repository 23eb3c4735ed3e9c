"""Text to tree. Finds every syntax error of a rule, not only the first; never executes anything."""

import re
from typing import Any, NamedTuple

from wickcore.language import tree
from wickcore.language.problems import Places, Problem, RuleError, nearest
from wickcore.language.statement import MAX_NESTING, StatementReader, read_statement
from wickcore.language.tree import Span

MAX_LINES, MAX_CHARACTERS, MAX_WORDS, MAX_UNIVERSE = 200, 20_000, 4_000, 500
HEADERS = ("name", "about", "side", "bars", "decide", "universe")
_HEADER = re.compile(r"([A-Za-z_]+)[ \t]*:(?!\s*=)")
_OWN_ALL = re.compile(r"\s*(?:let|dial)\s+all\b")
_GROUP = re.compile(r"\s*(skip\s+)?(any|all|none|at)\b")


def parse(text: str) -> tree.RuleText:
    """The tree of a whole rule. Raises RuleError with every syntax problem found."""
    found, problems = read(text)
    if problems:
        raise RuleError(problems)
    return found


def read(text: str) -> tuple[tree.RuleText, list[Problem]]:
    """The tree of all that can be read of a rule, and the syntax problems of the rest, so that a checker can say its own beside them.

    Raises RuleError only for a text over the limits.
    """
    reader = _RuleParser(text)
    return reader.run(), reader.problems


class HeaderLine(NamedTuple):
    """What a header line says, and on which line of the text, counted from 1."""

    value: str
    line: int


def read_head(text: str) -> dict[str, HeaderLine]:
    """The header lines at the top of a text by their names, whatever comes after them: the text may be too long, or wrong further down."""
    reader = _RuleParser(text[:MAX_CHARACTERS])
    reader.read_head()
    return {key: HeaderLine(value, reader.places.problem(span, "").line) for key, (value, span) in reader.headers.items()}


def parse_expression(text: str) -> tree.Node:
    """The tree of one expression, as typed for a column or `upperwick values`."""
    places = Places(text)
    if len(text) > MAX_CHARACTERS:
        raise RuleError([Problem(1, 1, 1, f"An expression is at most {MAX_CHARACTERS} characters; this has {len(text)}.")])
    statement = read_statement(mask_comment(text), 0, places)
    if not isinstance(statement, tree.Condition) or statement.skip:
        raise RuleError([Problem(1, 1, max(1, len(text)), "An expression is needed here, such as `range / atr(14)`.")])
    return statement.value


class TooLong(RuleError):
    """A text over the limits, of which nothing more is said."""


class _Logical:
    """One statement's text with its place: continued lines inside brackets are one."""

    def __init__(self, start: int, text: str) -> None:
        self.start, self.text = start, text

    @property
    def indent(self) -> int:
        return len(self.text) - len(self.text.lstrip(" \t"))


class _RuleParser:
    def __init__(self, text: str) -> None:
        self.text = text.replace("\r\n", "\n").replace("\r", "\n").replace("\t", "    ")
        self.places = Places(self.text)
        self.problems: list[Problem] = []
        self.headers: dict[str, tuple[str, Span]] = {}
        self.words = 0
        self.own_all = False

    def run(self) -> tree.RuleText:
        if len(self.text) > MAX_CHARACTERS:
            message = f"A rule is at most {MAX_CHARACTERS:,} characters; this one has {len(self.text):,}."
            raise TooLong([Problem(1, 1, 1, message)])
        if len(self.places.starts) > MAX_LINES + 1:
            raise TooLong([Problem(MAX_LINES + 1, 1, 1, f"A rule is at most {MAX_LINES} lines.")])
        logical = self.read_head()
        self.own_all = any(_OWN_ALL.match(line.text) for line in logical)
        statements = self._block(logical, 0, len(logical), 0)
        return tree.RuleText(self.text, self.headers, tuple(statements))

    def read_head(self) -> list[_Logical]:
        """Takes in the header lines. Returns the lines after them."""
        return self._read_headers(self._logical_lines())

    def _logical_lines(self) -> list[_Logical]:
        found: list[_Logical] = []
        parts: list[str] = []
        depth, offset, start = 0, 0, 0
        for raw in self.text.split("\n"):
            masked = mask_comment(raw)
            if not parts:
                start = offset
            parts.append(masked)
            outside = re.sub(r'"[^"]*"', "", masked)
            depth = max(0, depth + outside.count("(") - outside.count(")"))
            offset += len(raw) + 1
            if depth == 0:
                joined = "\n".join(parts)
                if joined.strip():
                    found.append(_Logical(start, joined))
                parts = []
        if parts:
            # A bracket that never closes must not swallow the rest of the rule: each line is then read alone.
            position = start
            for part in parts:
                if part.strip():
                    found.append(_Logical(position, part))
                position += len(part) + 1
        return found

    def _read_headers(self, lines: list[_Logical]) -> list[_Logical]:
        for i, line in enumerate(lines):
            match = _HEADER.match(line.text)
            if not match or _GROUP.match(line.text):
                return lines[i:]
            key = match.group(1).lower()
            raw = self.text[line.start + match.end() : line.start + len(line.text)]
            value = raw.strip() if key in ("name", "about") else mask_comment(raw).strip()
            begin = line.start + match.end() + (len(raw) - len(raw.lstrip()))
            span = Span(begin, begin + max(1, len(value)))
            if key not in HEADERS:
                near = nearest(key, HEADERS)
                hint = f": did you mean `{near}`?" if near else f"; known are {', '.join(HEADERS)}."
                self._say(Span(line.start, line.start + len(key)), f"`{key}` is not a header line{hint}", near)
            elif key in self.headers:
                self._say(Span(line.start, line.start + len(key)), f"`{key}` is given twice; keep one.")
            else:
                self.headers[key] = (value, span)
        return []

    def _block(self, lines: list[_Logical], i: int, end: int, depth: int) -> list[Any]:
        """The statements lines[i:end] that share one indentation; groups take the deeper lines below them."""
        found: list[Any] = []
        indent = lines[i].indent if i < end else 0
        while i < end:
            line = lines[i]
            below = i + 1
            while below < end and lines[below].indent > indent:
                below += 1
            span = Span(line.start + line.indent, line.start + len(line.text.rstrip()))
            statement = self._read(line)
            if line.indent != indent or (depth == 0 and line.indent and not found):
                self._say(Span(line.start, span.start), "This line is indented, but no group is open above it.", "")
            if isinstance(statement, tree.Group):
                if depth >= MAX_NESTING:
                    self._say(span, f"Groups nest at most {MAX_NESTING} deep.")
                elif below == i + 1:
                    self._say(span, "A group needs its lines below it, indented.")
                children = self._block(lines, i + 1, below, depth + 1) if depth < MAX_NESTING else []
                for child in children:
                    if not isinstance(child, tree.Condition | tree.Group):
                        self._say(child.span, "Only conditions and groups can stand in a group; move this line out of it.")
                kept = tuple(c for c in children if isinstance(c, tree.Condition | tree.Group))
                found.append(tree.Group(statement.kind, statement.least, kept, statement.span, statement.skip))
            else:
                if statement is not None:
                    found.append(statement)
                if below > i + 1:
                    first = lines[i + 1]
                    self._say(
                        Span(first.start, first.start + first.indent), "This line is indented, but no group is open above it.", ""
                    )
                    self._block(lines, i + 1, below, depth)
            i = below
        return found

    def _read(self, line: _Logical) -> tree.Statement | None:
        match = _HEADER.match(line.text)
        if match and match.group(1).lower() in HEADERS and not _GROUP.match(line.text):
            self._say(Span(line.start, line.start + match.end()), "Header lines come first, before the rule's other lines.")
            return None
        try:
            reader = StatementReader(line.text, line.start, self.places, self.own_all)
            self.words += reader.words
            if self.words > MAX_WORDS:
                message = f"A rule is at most {MAX_WORDS:,} words and signs, which end here. Save lines as a rule of their own and `use` it."
                raise TooLong([self.places.problem(Span(line.start, line.start + 1), message)])
            return reader.read()
        except TooLong:
            raise
        except RuleError as error:
            self.problems.extend(error.problems)
            return None

    def _say(self, span: Span, message: str, mend: str | None = None) -> None:
        self.problems.append(self.places.problem(span, message, mend))


def mask_comment(line: str) -> str:
    """The line with its comment blanked out, so that positions stay."""
    quoted = False
    for i, char in enumerate(line):
        if char == '"':
            quoted = not quoted
        elif char == "#" and not quoted:
            return line[:i].rstrip() if not line[:i].strip() else line[:i] + " " * (len(line) - i)
    return line
