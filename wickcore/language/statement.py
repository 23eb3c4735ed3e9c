"""One statement of a rule, from text to tree, by precedence climbing.

The grammar it follows is written down in tests/core/grammar.lark, and held against it there by a general parser.
"""

from typing import NoReturn

from wickcore.language import tree
from wickcore.language.old_names import OLD_NAMES
from wickcore.language.problems import Places
from wickcore.language.tokens import COMPARISONS, JOINING, TokenReader
from wickcore.language.tree import Span

FRAME_OF_SUFFIX = {"d": "day", "w": "week", "mo": "month"}
WEEKS_OF_YEAR = 52
MAX_NESTING, MAX_OPERATORS = 32, 100
_SUFFIX = {"%": 0.01, "k": 1e3, "m": 1e6, "b": 1e9}


def read_number(text: str) -> float:
    """`1.5`, `20%`, `300k`, `5m`, `10b` as a float; percentages are fractions. `1bn` and `500_000` are read too, and laid out as the others."""
    text = text.replace("_", "").removesuffix("n")
    if text[-1] == "%":
        return float(text[:-1]) / 100.0
    factor = _SUFFIX.get(text[-1])
    return float(text[:-1]) * factor if factor else float(text)


def read_statement(text: str, start: int, places: Places) -> tree.Statement:
    """The statement written in `text`, which begins at offset `start` of the rule. Raises RuleError with one problem."""
    return StatementReader(text, start, places).read()


class StatementReader(TokenReader):
    """Reads one statement."""

    # -- steps -------------------------------------------------------------------------------------------------------

    def at_word(self, word: str) -> bool:
        return self.texts[self.i] == word

    def word(self, word: str) -> None:
        if self.texts[self.i] != word:
            self.unexpected((word,))
        self.i += 1

    def take(self, kind: str) -> str:
        if self.kinds[self.i] != kind:
            self.unexpected()
        self.i += 1
        return self.texts[self.i - 1]

    def since(self, begin: int) -> Span:
        return Span(begin, self.ends[self.i - 1])

    def last(self) -> Span:
        return Span(self.begins[self.i - 1], self.ends[self.i - 1])

    def operator(self) -> None:
        self.operators += 1
        if self.operators > MAX_OPERATORS:
            self.fail(self.here(), f"A line holds at most {MAX_OPERATORS} operators; split it with `let`.")

    # -- statements --------------------------------------------------------------------------------------------------

    def read(self) -> tree.Statement:
        """A group comes without its lines, which stand below it. Raises RuleError with one problem."""
        begin = self.begins[0]
        skip = self.at_word("skip")
        self.i += skip
        body = self._body()
        if self.kinds[self.i] != "end":
            self.unexpected(JOINING)
        if not skip:
            return body
        if isinstance(body, tree.Condition):
            return tree.Condition(body.value, body.span, True)
        if isinstance(body, tree.Group):
            return tree.Group(body.kind, body.least, body.children, body.span, True)
        self.fail(Span(begin, body.span.end), "Only a condition or a group can be skipped.")

    def _body(self) -> tree.Statement:
        word, begin = self.texts[self.i], self.begins[self.i]
        if word == "let":
            self.i += 1
            name, name_span = self.take("name"), self.last()
            self.word("=")
            value = self.expression()
            return tree.Let(name, value, self.since(begin), name_span)
        if word == "dial":
            return self._dial(begin)
        if word == "use":
            self.i += 1
            text = self.take("string")
            return tree.Use(text[1:-1], self.since(begin))
        if word in ("any", "all", "none"):
            self.i += 1
            self.word("of")
            self.word(":")
            return tree.Group(word, None, (), self.since(begin))
        if word == "at":
            self.i += 1
            self.word("least")
            if self.kinds[self.i] not in ("number", "name"):
                self.unexpected()
            amount = self.texts[self.i]
            self.i += 1
            least = read_number(amount) if self.kinds[self.i - 1] == "number" else tree.Name(amount, self.last())
            self.word("of")
            self.word(":")
            return tree.Group("least", least, (), self.since(begin))
        value = self.expression()
        return tree.Condition(value, self.since(begin))

    def _dial(self, begin: int) -> tree.Dial:
        self.i += 1
        name, name_span = self.take("name"), self.last()
        self.word("=")
        default, percent = self._signed()
        low = high = step = None
        if self.at_word("from"):
            self.i += 1
            low = self._signed()[0]
            self.word("to")
            high = self._signed()[0]
            if self.at_word("step"):
                self.i += 1
                step = self._signed()[0]
        elif self.kinds[self.i] != "end":
            self.unexpected(("from",))
        return tree.Dial(name, default, low, high, step, self.since(begin), name_span, percent)

    def _signed(self) -> tuple[float, bool]:
        minus = self.kinds[self.i] == "-"
        self.i += minus
        text = self.take("number")
        return (-read_number(text) if minus else read_number(text)), text[-1] == "%"

    # -- expressions, loosest first ----------------------------------------------------------------------------------

    def expression(self) -> tree.Node:
        begin = self.begins[self.i]
        left = self._and()
        while self.texts[self.i] == "or":
            self.operator()
            self.i += 1
            left = tree.Binary("or", left, self._and(), self.since(begin))
        return left

    def _and(self) -> tree.Node:
        begin = self.begins[self.i]
        left = self._not()
        while self.texts[self.i] == "and":
            self.operator()
            self.i += 1
            left = tree.Binary("and", left, self._not(), self.since(begin))
        return left

    def _not(self) -> tree.Node:
        begin = self.begins[self.i]
        if self.texts[self.i] == "not":
            self.operator()
            self.i += 1
            return tree.Unary("not", self._not(), self.since(begin))
        value = self._comparison(begin)
        while (word := self.texts[self.i]) in ("held", "once"):
            self.operator()
            self.i += 1
            if word == "once":
                self.word("in")
            value = tree.Over(word, value, self._count(), self.since(begin))
        return value

    def _comparison(self, begin: int) -> tree.Node:
        left = self._sum()
        word = self.texts[self.i]
        if self.kinds[self.i] in COMPARISONS:
            operands, operators = [left], []
            while self.kinds[self.i] in COMPARISONS:
                operators.append(self.texts[self.i])
                self.i += 1
                operands.append(self._sum())
            return tree.Compare(tuple(operands), tuple(operators), self.since(begin))
        if word == "crosses":
            self.i += 1
            direction = self.texts[self.i]
            if direction not in ("above", "below"):
                self.unexpected(("above", "below"))
            self.i += 1
            return tree.Crosses(left, direction, self._sum(), self.since(begin))
        if word == "between":
            self.i += 1
            low = self._sum()
            self.operator()
            self.word("and")
            return tree.Between(left, low, self._sum(), self.since(begin))
        if word == "near":
            self.i += 1
            target = self._sum()
            self.word("by")
            return tree.Near(left, target, self._sum(), self.since(begin))
        if word == "in":
            return self._within(left, begin)
        return left

    def _within(self, value: tree.Node, begin: int) -> tree.Node:
        self.i += 1
        self.word("(")
        texts = []
        while True:
            text = self.take("string")
            texts.append(tree.Text(text[1:-1], self.last()))
            if self.kinds[self.i] != ",":
                break
            self.i += 1
        self.word(")")
        return tree.Within(value, tuple(texts), self.since(begin))

    def _sum(self) -> tree.Node:
        begin = self.begins[self.i]
        left = self._product()
        while (sign := self.kinds[self.i]) == "+" or sign == "-":
            self.operator()
            self.i += 1
            left = tree.Binary(sign, left, self._product(), self.since(begin))
        return left

    def _product(self) -> tree.Node:
        begin = self.begins[self.i]
        left = self._unary()
        while (sign := self.kinds[self.i]) == "*" or sign == "/":
            self.operator()
            self.i += 1
            left = tree.Binary(sign, left, self._unary(), self.since(begin))
        return left

    def _unary(self) -> tree.Node:
        begin = self.begins[self.i]
        if self.kinds[self.i] == "-":
            self.operator()
            self.i += 1
            return tree.Unary("-", self._unary(), self.since(begin))
        value = self._postfix()
        if self.kinds[self.i] == "^":  # binds to the right: 2 ^ 3 ^ 2 is 2 ^ 9
            self.operator()
            self.i += 1
            return tree.Binary("^", value, self._unary(), self.since(begin))
        return value

    def _postfix(self) -> tree.Node:
        begin = self.begins[self.i]
        value = self._atom()
        while self._counts():
            count = self._count(expect=("ago",))
            self.operator()
            self.word("ago")
            value = tree.Ago(value, count, self.since(begin))
        return value

    def _counts(self) -> bool:
        """Whether a number of bars stands here, `ago` being what can follow."""
        kind = self.kinds[self.i]
        if kind == "name":
            return self.texts[self.i] not in JOINING and self.texts[self.i + 1] in ("ago", "bar", "bars")
        return (kind == "number" or kind == "framed") and self.kinds[self.i + 1] in ("name", "end")

    def _count(self, expect: tuple[str, ...] = ()) -> tree.Count:
        kind, text, span = self.kinds[self.i], self.texts[self.i], self.here()
        if kind not in ("name", "number", "framed"):
            self.unexpected(expect)
        self.i += 1
        if kind == "framed":
            return _framed(text, span)
        if self.texts[self.i] in ("bar", "bars"):
            self.i += 1
        return tree.Count(tree.Name(text, span) if kind == "name" else read_number(text), None, span)

    def _parts(self) -> str:
        """What follows a name after dots: a part, or a part of a part, such as `upper.now`."""
        found: list[str] = []
        while self.kinds[self.i] == "." and len(found) < 2:
            self.i += 1
            found.append(self.take("name"))
        return ".".join(found)

    def _atom(self) -> tree.Node:
        kind, text, begin = self.kinds[self.i], self.texts[self.i], self.begins[self.i]
        if kind == "name":
            self.i += 1
            text = OLD_NAMES.get(text, text)
            if text == "count" and self.texts[self.i] == "of":
                return self._count_of(begin)
            after = self.kinds[self.i]
            if after == "(" and self.kinds[self.i + 1] in ("number", "framed") and self.texts[self.i + 2] == "ago":
                self._ago_in_brackets()
            if after == "(":
                call = self._call(text, begin)
                if self.kinds[self.i] != ".":
                    return call
                return tree.Part(text, self._parts(), self.since(begin), call.arguments)
            if after == ".":
                return tree.Part(text, self._parts(), self.since(begin))
            return tree.Name(text, self.last())
        if kind == "number":
            self.i += 1
            span = self.last()
            if self.texts[self.i] in ("bar", "bars"):
                self.i += 1
                return tree.Count(read_number(text), None, span)
            return tree.Number(read_number(text), span, text[-1] == "%")
        if kind == "(":
            self._open()
            value = self.expression()
            self._close()
            return value
        if kind == "string":
            self.i += 1
            return tree.Text(text[1:-1], self.last())
        if kind == "framed":
            self.i += 1
            return _framed(text, self.last())
        if kind == "intraday":
            self.i += 1
            return tree.Name(text, self.last())
        self.unexpected()

    def _window(self) -> tree.Since | None:
        """`since c` or `all`, in the place of a number of bars."""
        word, begin = self.texts[self.i], self.begins[self.i]
        if word not in ("since", "all") or self.kinds[self.i] != "name":
            return None
        if self.own_all if word == "all" else self.kinds[self.i + 1] in (",", ")"):
            return None  # a name of the rule's own
        self.i += 1
        return tree.Since(self.expression() if word == "since" else None, self.since(begin))

    def _count_of(self, begin: int) -> tree.CountOf:
        self.i += 1
        if self.kinds[self.i] != "(":
            self.unexpected(("(",))
        self._open()
        found = [self.expression()]
        while self.kinds[self.i] == ",":
            self.i += 1
            found.append(self.expression())
        self._close()
        return tree.CountOf(tuple(found), self.since(begin))

    def _ago_in_brackets(self) -> NoReturn:
        """`close (5 ago)`: read as a call it is none."""
        said = f"{self.texts[self.i + 1]} ago"
        closed = self.kinds[self.i + 3] == ")"
        begin = self.begins[self.i]
        apart = " " if begin == self.ends[self.i - 1] else ""
        span = Span(begin, self.ends[self.i + (3 if closed else 2)])
        self.fail(span, f"The number of bars back stands without brackets: `{self.texts[self.i - 1]} {said}`.", f"{apart}{said}")

    def _call(self, name: str, begin: int) -> tree.Call:
        name_span = self.last()
        self._open()
        arguments: list[tree.Argument] = []
        while self.kinds[self.i] != ")" or arguments:
            at, given = self.begins[self.i], None
            if self.kinds[self.i] == "name" and self.kinds[self.i + 1] == "=":
                given = self.texts[self.i]
                self.i += 2
            value = self._window() or self.expression()
            arguments.append(tree.Argument(given, value, self.since(at)))
            if self.kinds[self.i] != ",":
                break
            self.i += 1
        self._close()
        return tree.Call(name, tuple(arguments), self.since(begin), name_span)

    def _open(self) -> None:
        self.depth += 1
        if self.depth > MAX_NESTING:
            self.fail(self.here(), f"Brackets nest at most {MAX_NESTING} deep.")
        self.i += 1

    def _close(self) -> None:
        if self.kinds[self.i] != ")":
            self.unexpected((*JOINING, ")"))
        self.depth -= 1
        self.i += 1


def _framed(text: str, span: Span) -> tree.Count:
    digits = text.rstrip("dwmoy")
    if text[-1] == "y":  # a year is said in weeks, as its high and low are
        return tree.Count(float(digits) * WEEKS_OF_YEAR, "week", span)
    return tree.Count(float(digits), FRAME_OF_SUFFIX[text[len(digits) :]], span)
