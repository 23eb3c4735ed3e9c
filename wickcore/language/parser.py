"""Text to tree. Finds every syntax error of a rule, not only the first; never executes anything."""

import re
from collections.abc import Callable
from functools import lru_cache
from pathlib import Path
from typing import Any

from lark import Lark, Token, Transformer, UnexpectedCharacters, UnexpectedEOF, UnexpectedToken, v_args
from lark.exceptions import VisitError
from lark.tree import Meta

from wickcore.language import tree
from wickcore.language.problems import Places, Problem, RuleError, nearest
from wickcore.language.tree import Span, shift

MAX_LINES, MAX_CHARACTERS, MAX_NESTING, MAX_OPERATORS = 200, 20_000, 32, 100
HEADERS = ("name", "about", "side", "bars", "decide", "universe")
FRAME_OF_SUFFIX = {"d": "day", "w": "week", "mo": "month"}
_SUFFIX = {"%": 0.01, "k": 1e3, "m": 1e6, "b": 1e9}
_GRAMMAR = (Path(__file__).parent / "grammar.lark").read_text()
_HEADER = re.compile(r"([A-Za-z_]+)[ \t]*:(?!\s*=)")
_GROUP = re.compile(r"\s*(skip\s+)?(any|all|none|at)\b")


def read_number(text: str) -> float:
    """`1.5`, `20%`, `300k`, `5m`, `10b` as a float; percentages are fractions."""
    if text[-1] == "%":
        return float(text[:-1]) / 100.0
    factor = _SUFFIX.get(text[-1])
    return float(text[:-1]) * factor if factor else float(text)


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


def parse_expression(text: str) -> tree.Node:
    """The tree of one expression, as typed for a column or `upperwick values`."""
    places = Places(text)
    if len(text) > MAX_CHARACTERS:
        raise RuleError([Problem(1, 1, 1, f"An expression is at most {MAX_CHARACTERS} characters; this has {len(text)}.")])
    line = mask_comment(text)
    problem = _nesting_problem(line, 0, places)
    if problem:
        raise RuleError([problem])
    statement = _statement(line, 0, places)
    if not isinstance(statement, tree.Condition) or statement.skip:
        raise RuleError([Problem(1, 1, max(1, len(text)), "An expression is needed here, such as `range / atr(14)`.")])
    return statement.value


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

    def run(self) -> tree.RuleText:
        if len(self.text) > MAX_CHARACTERS:
            message = f"A rule is at most {MAX_CHARACTERS:,} characters; this one has {len(self.text):,}."
            raise RuleError([Problem(1, 1, 1, message)])
        if len(self.places.starts) > MAX_LINES + 1:
            raise RuleError([Problem(MAX_LINES + 1, 1, 1, f"A rule is at most {MAX_LINES} lines.")])
        logical = self._read_headers(self._logical_lines())
        statements = self._block(logical, 0, len(logical), 0)
        return tree.RuleText(self.text, self.headers, tuple(statements))

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
        problem = _nesting_problem(line.text, line.start, self.places)
        if problem:
            self.problems.append(problem)
            return None
        try:
            return _statement(line.text, line.start, self.places)
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


def _nesting_problem(text: str, start: int, places: Places) -> Problem | None:
    """Refuses what would nest the tree too deep, before anything recursive sees it."""
    depth = operators = 0
    for match in re.finditer(r'"[^"]*"|[()]|\b(?:not|ago|held|once|and|or)\b|[-+*/]', text):
        span = Span(start + match.start(), start + match.end())
        if match.group() == "(":
            depth += 1
            if depth > MAX_NESTING:
                return places.problem(span, f"Brackets nest at most {MAX_NESTING} deep.")
        elif match.group() == ")":
            depth -= 1
        elif match.group()[0] != '"':
            operators += 1
            if operators > MAX_OPERATORS:
                return places.problem(span, f"A line holds at most {MAX_OPERATORS} operators; split it with `let`.")
    return None


@lru_cache(maxsize=4_096)
def _built(text: str) -> Any:
    """One line's tree, its places counted from the line's own begin: as a person types, all lines but one are read from here."""
    return _Build(0).transform(_LARK.parse(text))


def _statement(text: str, start: int, places: Places) -> tree.Statement:
    try:
        built = shift(_built(text), start)
    except UnexpectedCharacters as error:
        raise RuleError([_explain_character(text, start, error.pos_in_stream or 0, places)]) from None
    except UnexpectedEOF:
        at = Span(start + len(text.rstrip()), start + len(text.rstrip()) + 1)
        raise RuleError([places.problem(at, "The line ends too early.")]) from None
    except UnexpectedToken as error:
        raise RuleError([_explain_token(text, start, error, places)]) from None
    except VisitError as error:
        if isinstance(error.orig_exc, _BadCount):
            raise RuleError([places.problem(shift(error.orig_exc.span, start), error.orig_exc.message)]) from None
        raise
    assert isinstance(built, tree.Let | tree.Dial | tree.Use | tree.Condition | tree.Group)
    return built


def _explain_character(text: str, start: int, position: int, places: Places) -> Problem:
    char = text[position]
    at = Span(start + position, start + position + 1)
    mends = {"≥": ">=", "≤": "<=", "−": "-", "×": "*", "÷": "/", "≠": "!=", "“": '"', "”": '"', "'": '"'}
    if char in mends:
        return places.problem(at, f"`{char}` is written `{mends[char]}` here.", mends[char])
    if char.isupper():
        word = re.match(r"\w+", text[position:])
        assert word
        at = Span(start + position, start + position + word.end())
        return places.problem(at, "Names are in lower case.", word.group().lower())
    if char == '"':
        return places.problem(at, "A text in quotes is never closed; end it with a quote on the same line.")
    if char in "&|":
        word_for = "and" if char == "&" else "or"
        return places.problem(at, f"`{char}` means nothing here; write `{word_for}`.", word_for)
    return places.problem(at, f"`{char}` means nothing in a rule.")


def _explain_token(text: str, start: int, error: UnexpectedToken, places: Places) -> Problem:
    token = error.token
    if token.type == "$END":
        end = len(text.rstrip())
        message = "The line ends too early: a value is missing at the end."
        if text.count("(") > text.count(")"):
            return places.problem(Span(start + end, start + end + 1), "A bracket is never closed; add `)`.", ")")
        if set(error.expected) == {"AGO"}:
            return places.problem(
                Span(start + end - 1, start + end), "A number after a value needs `ago` behind it, or an operator between them."
            )
        if "COLON" in error.expected:
            return places.problem(Span(start + end, start + end + 1), "A group's first line ends with a colon.", ":")
        return places.problem(Span(start + max(0, end - 1), start + end), message)
    at = Span(start + (token.start_pos or 0), start + (token.end_pos or 0))
    if token.type == "EQUAL":
        return places.problem(at, "A comparison for equality is written `==`.", "==")
    if token.type == "RPAR":
        if text.count(")") > text.count("("):
            return places.problem(at, "This bracket closes nothing; take it out.", "")
        return places.problem(at, "A value is missing before this bracket.")
    if token.type == "NUMBER" and {"COMPARISON", "PLUS"} & error.expected:
        return places.problem(at, f"`{token}` follows a value without an operator, such as `>` or `+`, between them.")
    if token.type == "COMPARISON" and not {"COMPARISON", "PLUS"} & error.expected:
        return places.problem(at, f"A value is missing before `{token}`.")
    if token.type == "NAME":
        words = [str(t).lower() for t in error.expected if t.isalpha() and t not in ("NAME", "NUMBER", "STRING")]
        near = nearest(str(token), words) if words else None
        if near:
            return places.problem(at, f"`{token}` does not fit here: did you mean `{near}`?", near)
    return places.problem(at, f"`{token}` does not fit here.")


class _BadCount(Exception):
    def __init__(self, span: Span, message: str) -> None:
        self.span, self.message = span, message


def _binary(operator: str) -> Callable[..., tree.Node]:
    def build(self: "_Build", meta: Meta, left: tree.Node, right: tree.Node) -> tree.Node:
        return tree.Binary(operator, left, right, self.span(meta))

    return build


@v_args(meta=True, inline=True)
class _Build(Transformer[Token, Any]):
    """Lark's tree to ours; spans are offsets into the whole rule's text."""

    def __init__(self, start: int) -> None:
        super().__init__()
        self.start = start

    def span(self, meta: Meta | Token) -> Span:
        return Span(self.start + (meta.start_pos or 0), self.start + (meta.end_pos or 0))

    or_expr = _binary("or")
    and_expr = _binary("and")

    def negated(self, meta: Meta, operand: tree.Node) -> tree.Node:
        return tree.Unary("not", operand, self.span(meta))

    def negate(self, meta: Meta, _minus: Token, operand: tree.Node) -> tree.Node:
        return tree.Unary("-", operand, self.span(meta))

    def sum(self, meta: Meta, left: tree.Node, operator: Token, right: tree.Node) -> tree.Node:
        return tree.Binary(str(operator), left, right, self.span(meta))

    product = sum

    def number(self, meta: Meta, token: Token) -> tree.Node:
        return tree.Number(read_number(token), self.span(meta), token.endswith("%"))

    def text(self, meta: Meta, token: Token) -> tree.Node:
        return tree.Text(str(token)[1:-1], self.span(meta))

    def name(self, meta: Meta, token: Token) -> tree.Node:
        return tree.Name(str(token), self.span(meta))

    def part(self, meta: Meta, name: Token, part: Token) -> tree.Node:
        return tree.Part(str(name), str(part), self.span(meta))

    def _count(self, token: Token) -> tree.Count:
        span = self.span(token)
        if token.type == "NAME":
            return tree.Count(tree.Name(str(token), span), None, span)
        if token.type == "FRAMED":
            match = re.fullmatch(r"(\d+)(d|w|mo)", token)
            assert match
            return tree.Count(float(match.group(1)), FRAME_OF_SUFFIX[match.group(2)], span)
        return tree.Count(read_number(token), None, span)

    def count(self, meta: Meta, token: Token) -> tree.Count:
        return self._count(token)

    def plain_count(self, meta: Meta, token: Token) -> tree.Node:
        return self._count(token)

    framed = plain_count

    def argument(self, meta: Meta, value: tree.Node) -> tree.Argument:
        return tree.Argument(None, value, self.span(meta))

    def named(self, meta: Meta, name: Token, value: tree.Node) -> tree.Argument:
        return tree.Argument(str(name), value, self.span(meta))

    def call(self, meta: Meta, name: Token, *arguments: tree.Argument | None) -> tree.Node:
        given = tuple(a for a in arguments if a is not None)
        return tree.Call(str(name), given, self.span(meta), self.span(name))

    def ago(self, meta: Meta, value: tree.Node, count: tree.Count) -> tree.Node:
        return tree.Ago(value, count, self.span(meta))

    def held_for(self, meta: Meta, value: tree.Node, count: tree.Count) -> tree.Node:
        return tree.Over("held", value, count, self.span(meta))

    def once_in(self, meta: Meta, value: tree.Node, *rest: Any) -> tree.Node:
        return tree.Over("once", value, rest[-1], self.span(meta))

    def compare(self, meta: Meta, *parts: Any) -> tree.Node:
        return tree.Compare(tuple(parts[::2]), tuple(str(p) for p in parts[1::2]), self.span(meta))

    def crosses(self, meta: Meta, left: tree.Node, direction: Token, right: tree.Node) -> tree.Node:
        return tree.Crosses(left, str(direction), right, self.span(meta))

    def between(self, meta: Meta, value: tree.Node, low: tree.Node, high: tree.Node) -> tree.Node:
        return tree.Between(value, low, high, self.span(meta))

    def near(self, meta: Meta, value: tree.Node, target: tree.Node, by: tree.Node) -> tree.Node:
        return tree.Near(value, target, by, self.span(meta))

    def within(self, meta: Meta, value: tree.Node, *texts: Token) -> tree.Node:
        strings = [t for t in texts if t.type == "STRING"]
        return tree.Within(value, tuple(tree.Text(str(t)[1:-1], self.span(t)) for t in strings), self.span(meta))

    def signed(self, meta: Meta, *tokens: Token) -> tree.Number:
        value = read_number(tokens[-1])
        return tree.Number(-value if len(tokens) == 2 else value, self.span(meta), tokens[-1].endswith("%"))

    def let_line(self, meta: Meta, name: Token, value: tree.Node) -> tree.Let:
        return tree.Let(str(name), value, self.span(meta), self.span(name))

    def dial_line(self, meta: Meta, name: Token, default: tree.Number, *rest: tree.Number) -> tree.Dial:
        low, high, step = (*(n.value for n in rest), None, None, None)[:3]
        return tree.Dial(str(name), default.value, low, high, step, self.span(meta), self.span(name), default.percent)

    def use_line(self, meta: Meta, name: Token) -> tree.Use:
        return tree.Use(str(name)[1:-1], self.span(meta))

    def amount(self, meta: Meta, token: Token) -> "float | tree.Name":
        return read_number(token) if token.type == "NUMBER" else tree.Name(str(token), self.span(token))

    def any_of(self, meta: Meta, *_: Token) -> tree.Group:
        return tree.Group("any", None, (), self.span(meta))

    def all_of(self, meta: Meta, *_: Token) -> tree.Group:
        return tree.Group("all", None, (), self.span(meta))

    def none_of(self, meta: Meta, *_: Token) -> tree.Group:
        return tree.Group("none", None, (), self.span(meta))

    def at_least(self, meta: Meta, least: "float | tree.Name") -> tree.Group:
        return tree.Group("least", least, (), self.span(meta))

    def condition_line(self, meta: Meta, value: tree.Node) -> tree.Condition:
        return tree.Condition(value, self.span(meta))

    def statement(self, meta: Meta, body: tree.Statement) -> tree.Statement:
        return body

    def skipped(self, meta: Meta, body: tree.Statement) -> tree.Statement:
        if isinstance(body, tree.Condition):
            return tree.Condition(body.value, body.span, True)
        if isinstance(body, tree.Group):
            return tree.Group(body.kind, body.least, body.children, body.span, True)
        raise _BadCount(self.span(meta), "Only a condition or a group can be skipped.")


_LARK = Lark(_GRAMMAR, start="statement", parser="lalr", propagate_positions=True, maybe_placeholders=False)
