"""Text to checked rule: the one door into the language."""

import math
import re
from collections.abc import Mapping, Sequence

from wickcore.bars.frame_names import FRAMES, OLD_FRAMES, finer
from wickcore.language import tree
from wickcore.language.advice import about_lines, outside_ago
from wickcore.language.catalogue import CATALOGUE
from wickcore.language.expressions import Expressions
from wickcore.language.lint import two_years
from wickcore.language.named_texts import name_of
from wickcore.language.operations import Op, constant
from wickcore.language.parser import MAX_UNIVERSE, parse, parse_expression, read
from wickcore.language.problems import Places, Problem, RuleError, nearest
from wickcore.language.rule import CheckedRule, DialState, Line, Value
from wickcore.language.scope import Size, Unresolved
from wickcore.language.synonyms import mended
from wickcore.language.tree import Span

MAX_PARTS, MAX_ADVICE = 32, 200
READ = 8  # so many characters of a used rule count as one step
_NAMED = re.compile(r"^\s*(?:let|dial)\s+([a-z_][a-z0-9_]*)", re.MULTILINE)


def check_rule(
    text: str,
    parts: Mapping[str, str] | None = None,
    dials: Mapping[str, float] | None = None,
    universe: str | None = None,
    base: str = "day",
) -> CheckedRule:
    """Checks a whole rule.

    parts: texts of the rules that `use` can name. dials: settings that replace the defaults, by name. universe: one chosen instead
    of the rule's own. base: the finest frame the market has bars of. Raises RuleError carrying every problem found.
    """
    return check_named(text, parts, dials, universe, base)[0]


def check_named(
    text: str,
    parts: Mapping[str, str] | None = None,
    dials: Mapping[str, float] | None = None,
    universe: str | None = None,
    base: str = "day",
    opened: tuple[str, ...] = (),
    size: Size | None = None,
) -> "tuple[CheckedRule, RuleNames]":
    """As `check_rule`, with the rule's names for further expressions over them. opened, size: of the rule that names this one's breadth.
    Raises RuleError."""
    check = _Check(text, parts or {}, dials or {}, universe, base, opened, size)
    try:
        return check.run(), RuleNames(check)
    except RuleError as error:

        def again(other: str) -> Sequence[Problem]:
            try:
                _Check(other, parts or {}, dials or {}, universe, base, opened).run()
            except RuleError as found:
                return found.problems
            return ()

        raise RuleError(mended(error.problems, text, again)) from None


def check_expression(
    text: str, frame: str = "day", base: str = "day", universe: str = "", parts: Mapping[str, str] | None = None, lent: bool = False
) -> Value:
    """Checks one expression, such as a column or an argument of `upperwick values`, on bars of `frame`. parts: the breadths it can name.
    lent: whether what is of another instrument stays on that one's continuous scale, for a line that is drawn over its splits; else it is of
    each day's own prices. Raises RuleError."""
    try:
        value, scope = _expression(text, frame, base, universe, parts)
        return value if lent else scope.returned(value)
    except RuleError as error:

        def again(other: str) -> Sequence[Problem]:
            try:
                _expression(other, frame, base, universe, parts)
            except RuleError as found:
                return found.problems
            return ()

        raise RuleError(mended(error.problems, text, again)) from None


def _expression(text: str, frame: str, base: str, universe: str, parts: Mapping[str, str] | None) -> tuple[Value, Expressions]:
    node = parse_expression(text)
    places, problems = Places(text), []  # type: Places, list[Problem]
    say, silent = (lambda s, m, e: problems.append(places.problem(s, m, e))), (lambda s, m, e: None)
    expressions = Expressions(text, say, silent, frame, "close", base, universe, None, parts)
    try:
        return expressions.check(node), expressions
    except Unresolved:
        raise RuleError(problems) from None


class RuleNames:
    """The dials and lets of a rule, for expressions that may name them. What is wrong elsewhere in the rule is let be."""

    def __init__(self, rule: "_Check") -> None:
        self._rule = rule

    @staticmethod
    def of(text: str, parts: Mapping[str, str] | None = None, universe: str | None = None, base: str = "day") -> "RuleNames":
        """The names of a text that need be no rule yet. Raises RuleError only for one over the limits."""
        rule = _Check(text, parts or {}, {}, universe, base)
        rule.scope()
        return RuleNames(rule)

    def check(self, expression: str) -> Value:
        """Checks an expression on the rule's frame; `rank` ranks among the rule's universe. Raises RuleError."""
        rule = self._rule
        places, problems = Places(expression), []  # type: Places, list[Problem]
        say, silent = (lambda s, m, e: problems.append(places.problem(s, m, e))), (lambda s, m, e: None)
        inside = Expressions(expression, say, silent, rule.frame, "close", rule.base, rule.universe, None, rule.parts, rule.opened)
        inside.dials, inside.lets = rule.expressions.dials, rule.expressions.lets
        try:
            return inside.returned(inside.check(parse_expression(expression)))
        except Unresolved:
            raise RuleError(problems) from None


class _Check:
    def __init__(
        self,
        text: str,
        parts: Mapping[str, str],
        settings: Mapping[str, float],
        universe: str | None,
        base: str,
        opened: tuple[str, ...] = (),
        size: Size | None = None,
    ) -> None:
        self.rule, self.problems = read(text)
        self.parts, self.settings = parts, settings
        self.advice: list[Problem] = []
        self.places = Places(self.rule.text)
        self.lines: list[Line] = []
        self.dials: list[DialState] = []
        self.lets: dict[str, Value] = {}
        self.base, self.size, self.opened = base, size or Size(), opened
        frame = self._choice("bars", FRAMES, "day")
        if finer(frame, base):
            said = f"There are no {frame} bars in this market; {base} bars and longer ones can be used."
            self._say(self.rule.headers["bars"][1], said)
            frame = base
        self.frame = frame
        self.decide = self._choice("decide", ("close", "open"), "close")
        own, place = self.rule.headers.get("universe", ("", Span(0, 1)))
        self.universe = own if universe is None else universe
        if len(self.universe) > MAX_UNIVERSE:
            said = f"A universe is at most {MAX_UNIVERSE} characters; this has {len(self.universe):,}. Make a list of them, and name that."
            self._say(place if universe is None else Span(0, 1), said)
        self.used: list[str] = []
        self._read: dict[str, tree.RuleText] = {}

    def run(self) -> CheckedRule:
        headers = self.rule.headers
        side = self._choice("side", ("long", "short"), "long")
        self.scope()
        if not any(line.decides for line in self.lines) and not self.problems:
            self._say(Span(0, 1), "This rule has no line that decides anything; write a condition, such as `close > sma(50)`.")
        unknown = set(self.settings) - {d.name for d in self.dials}
        if unknown:
            self._say(Span(0, 1), f"There is no dial named `{sorted(unknown)[0]}` in this rule.")
        if self.problems:
            raise RuleError(self.problems)
        self.advice += [*about_lines(self.lines), *outside_ago(self.rule.text, self.frame), *two_years(self.rule.text, self.places)]
        return CheckedRule(
            self.rule.text, headers.get("name", ("", Span(0, 0)))[0], headers.get("about", ("", Span(0, 0)))[0], side, self.frame,
            self.decide, self.universe or None, tuple(self.lines), tuple(self.dials), self.lets,
            tuple(sorted(set(self.advice))),
        )  # fmt: skip

    def scope(self) -> None:
        """Reads all statements: their names and lines are known afterwards, and their problems."""
        self.expressions = self._scope(self.rule.text, self._say)
        # A name whose own line could not be read is not unknown as well wherever it is used.
        read = {s.name for s in self.rule.statements if isinstance(s, tree.Let | tree.Dial)}
        self.expressions.unread = set(_NAMED.findall(self.rule.text)) - read - set(CATALOGUE.entries)
        self._statements(self.rule, self.expressions, None, None)

    def _scope(self, text: str, say: "object") -> Expressions:
        def advise(span: Span, message: str, mend: str | None) -> None:
            if text is self.rule.text and len(self.advice) < MAX_ADVICE:
                self.advice.append(self.places.problem(span, message, mend))

        shared = self.size, self.parts, self.opened
        return Expressions(text, say, advise, self.frame, self.decide, self.base, self.universe, *shared)  # type: ignore[arg-type]

    def _choice(self, key: str, allowed: tuple[str, ...], default: str) -> str:
        if key not in self.rule.headers:
            return default
        value, span = self.rule.headers[key]
        if value not in allowed:
            near = nearest(value, allowed) if value else None
            self._say(span, f"`{key}` is one of {', '.join(allowed)}; this says `{value}`.", near)
            return default
        return value

    def _say(self, span: Span, message: str, mend: str | None = None) -> None:
        self.problems.append(self.places.problem(span, message, mend))

    # -- statements --------------------------------------------------------------------------------------------------

    def _statements(self, rule: tree.RuleText, scope: Expressions, part: str | None, at: Span | None) -> None:
        for statement in rule.statements:
            try:
                if isinstance(statement, tree.Dial):
                    self._dial(statement, scope, at)
                elif isinstance(statement, tree.Let):
                    self._let(statement, scope)
                elif isinstance(statement, tree.Use):
                    self._use(statement, scope, at)
                else:
                    self._line(statement, scope, 0, False, part, at)
            except Unresolved:
                continue

    def _new_name(self, name: str, span: Span, scope: Expressions) -> None:
        if (name in CATALOGUE and not CATALOGUE[name].later) or name in OLD_FRAMES:
            scope.fail(span, f"`{name}` is a name of the language; choose another.")
        if name in scope.lets or name in scope.dials:
            scope.fail(span, f"`{name}` is already named above; choose another.")

    def _dial(self, dial: tree.Dial, scope: Expressions, at: Span | None) -> None:
        self._new_name(dial.name, dial.name_span, scope)
        value = self.settings.get(dial.name, dial.default)
        scope.dials[dial.name] = Value(constant(value), "number", None, value, 0.0, dial.percent)
        if not all(math.isfinite(n) for n in (value, dial.low, dial.high, dial.step) if n is not None):
            scope.fail(dial.span, f"A number of `{dial.name}` is larger than any that can be computed with.")
        if dial.low is not None and dial.high is not None:
            if dial.low > dial.high:
                scope.fail(dial.span, f"The range of `{dial.name}` runs from {dial.low:g} down to {dial.high:g}; swap the two.")
            if not dial.low <= value <= dial.high:
                scope.fail(dial.span, f"`{dial.name}` is {value:g}, outside its range {dial.low:g} to {dial.high:g}.")
        if dial.step is not None and dial.step <= 0:
            scope.fail(dial.span, "A dial's step is above zero.")
        line = self.places.line_of((at or dial.span).start)
        self.dials.append(DialState(dial.name, value, dial.low, dial.high, dial.step, dial.percent, line))

    def _let(self, let: tree.Let, scope: Expressions) -> None:
        self._new_name(let.name, let.name_span, scope)
        try:
            self.lets[let.name] = scope.returned(scope.check(let.value))
        finally:
            # Named even when wrong, so that each later use does not complain again of an unknown name.
            scope.lets[let.name] = let.value
            scope.pairs, scope.overlays = [], []

    def _use(self, use: tree.Use, scope: Expressions, at: Span | None) -> None:
        place = at or use.span
        if use.name not in self.parts:
            rules = [name for name in self.parts if name_of(name) is None]
            near = nearest(use.name, rules) if rules else None
            hint = f": did you mean “{near}”?" if near else "; save it first, or take this line out."
            self._say(place, f"There is no rule named “{use.name}”{hint}", f'use "{near}"' if near else None)
            raise Unresolved
        if use.name in self.used:
            self._say(place, f"“{use.name}” uses itself, directly or through another rule; break the circle.")
            raise Unresolved
        if len(self.used) >= MAX_PARTS:
            self._say(place, f"Rules use one another at most {MAX_PARTS} deep.")
            raise Unresolved
        self.size.left -= 1 + len(self.parts[use.name]) // READ
        if self.size.left < 0:
            scope.too_large(use.span)
        try:
            inner = self._read.get(use.name) or self._read.setdefault(use.name, parse(self.parts[use.name]))
        except RuleError as error:
            self._say(place, f"In “{use.name}”, line {error.problems[0].line}: {error.problems[0].message}")
            raise Unresolved from None
        places = Places(inner.text)

        def say(span: Span, message: str, mend: str | None = None) -> None:
            self._say(place, f"In “{use.name}”, line {places.line_of(span.start)}: {message}")

        inside = self._scope(inner.text, say)
        inside.dials, inside.lets = scope.dials, scope.lets
        inside._let_values = scope._let_values
        self.used.append(use.name)
        self._statements(inner, inside, use.name, place)
        self.used.pop()

    def _line(
        self, node: tree.Condition | tree.Group, scope: Expressions, depth: int, skip: bool, part: str | None, at: Span | None
    ) -> Op:
        skip = skip or node.skip
        number = self.places.line_of((at or node.span).start)
        text = " ".join(scope.text[node.span.start : node.span.end].split())
        if isinstance(node, tree.Condition):
            scope.pairs, scope.overlays = [], []
            value = scope.condition(node.value)
            self.lines.append(Line(number, text, value.op, depth, skip, part, tuple(scope.pairs), tuple(scope.overlays)))
            return value.op
        place = len(self.lines)
        failed, ops = False, []
        for child in node.children:
            try:
                ops.append(self._line(child, scope, depth + 1, skip, part, at))
            except Unresolved:
                failed = True
        least = self._least(node, scope)
        if failed or not ops:
            raise Unresolved
        kind = {"any": "any", "all": "all", "none": "none", "least": "least"}[node.kind]
        op = Op(kind, tuple(ops), (float(least),) if kind == "least" else (), result="condition")
        self.lines.insert(place, Line(number, text, op, depth, skip, part))
        return op

    def _least(self, node: tree.Group, scope: Expressions) -> int:
        if node.least is None:
            return 0
        if self.problems:
            return 1  # a line of the group may be among what could not be read; the rule will not run anyway
        amount = scope.number(node.least).constant if isinstance(node.least, tree.Name) else node.least
        deciding = sum(1 for c in node.children)
        if amount is None or not 1 <= amount <= max(1, deciding) or amount != int(amount):
            scope.fail(node.span, f"“at least” takes a whole number from 1 to the {deciding} lines below it.")
        return int(amount)
