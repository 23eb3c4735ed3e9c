"""The grammar in words, read by a general LALR parser: slow and plain, to hold the quick reader of statements against."""

import re
from collections.abc import Callable
from pathlib import Path
from typing import Any

from lark import Lark, Token, Transformer, v_args
from lark.tree import Meta

from wickcore.language import tree
from wickcore.language.statement import FRAME_OF_SUFFIX, read_number
from wickcore.language.tree import Span


def read_slowly(text: str) -> tree.Statement:
    """The statement's tree; raises one of Lark's errors, or ValueError where only a `skip` is misplaced."""
    built = _Build().transform(_LARK.parse(text))
    assert isinstance(built, tree.Let | tree.Dial | tree.Use | tree.Condition | tree.Group)
    return built


def _binary(operator: str) -> Callable[..., tree.Node]:
    def build(self: "_Build", meta: Meta, left: tree.Node, right: tree.Node) -> tree.Node:
        return tree.Binary(operator, left, right, self.span(meta))

    return build


@v_args(meta=True, inline=True)
class _Build(Transformer[Token, Any]):
    """Lark's tree to ours; spans are offsets into the whole rule's text."""

    def span(self, meta: Meta | Token) -> Span:
        return Span(meta.start_pos or 0, meta.end_pos or 0)

    or_expr = _binary("or")
    and_expr = _binary("and")

    def negated(self, meta: Meta, operand: tree.Node) -> tree.Node:
        return tree.Unary("not", operand, self.span(meta))

    def negate(self, meta: Meta, _minus: Token, operand: tree.Node) -> tree.Node:
        return tree.Unary("-", operand, self.span(meta))

    def sum(self, meta: Meta, left: tree.Node, operator: Token, right: tree.Node) -> tree.Node:
        return tree.Binary(str(operator), left, right, self.span(meta))

    product = sum
    raised = sum

    def count_of(self, meta: Meta, _word: Token, *conditions: tree.Node) -> tree.Node:
        return tree.CountOf(conditions, self.span(meta))

    def since_event(self, meta: Meta, _word: Token, condition: tree.Node) -> tree.Node:
        return tree.Since(condition, self.span(meta))

    def since_first(self, meta: Meta) -> tree.Node:
        return tree.Since(None, self.span(meta))

    def number(self, meta: Meta, token: Token) -> tree.Node:
        return tree.Number(read_number(token), self.span(meta), token.endswith("%"))

    def text(self, meta: Meta, token: Token) -> tree.Node:
        return tree.Text(str(token)[1:-1], self.span(meta))

    def name(self, meta: Meta, token: Token) -> tree.Node:
        return tree.Name(str(token), self.span(meta))

    def dotted(self, meta: Meta, *names: Token) -> str:
        return ".".join(names)

    def part(self, meta: Meta, name: Token, part: str) -> tree.Node:
        return tree.Part(str(name), str(part), self.span(meta))

    def part_of_call(self, meta: Meta, name: Token, *rest: Any) -> tree.Node:
        *arguments, part = rest
        given = tuple(a for a in arguments if a is not None)
        return tree.Part(str(name), str(part), self.span(meta), given)

    def _count(self, token: Token) -> tree.Count:
        span = self.span(token)
        if token.type in ("NAME", "DIAL"):
            return tree.Count(tree.Name(str(token), span), None, span)
        if token.type == "FRAMED":
            match = re.fullmatch(r"([0-9]+)(d|w|mo|y)", token)
            assert match
            if match.group(2) == "y":
                return tree.Count(float(match.group(1)) * 52, "week", span)
            return tree.Count(float(match.group(1)), FRAME_OF_SUFFIX[match.group(2)], span)
        return tree.Count(read_number(token), None, span)

    def count(self, meta: Meta, token: Token) -> tree.Count:
        return self._count(token)

    back = count

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
        return tree.Compare(
            tuple(parts[::2]),
            tuple({"a": ">", "b": "<"}[p.split()[1][0]] if p[0] == "i" else str(p) for p in parts[1::2]),
            self.span(meta),
        )

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
        raise ValueError("Only a condition or a group can be skipped.")


_GRAMMAR = Path(__file__).parent / "grammar.lark"
_LARK = Lark(_GRAMMAR.read_text(), start="statement", parser="lalr", propagate_positions=True, maybe_placeholders=False)
