"""The rule for the other side.

Mirroring stands on one idea: what prices do turned upside down on a log scale. A price level keeps its place in the rule and every
comparison of levels turns round; a move changes its sign; an oscillator p of a hundred becomes 100 - p; what has no side (volume, money
traded, ranges, sizes of companies, dates) stays. Mirroring twice gives the rule back. What has no mirror is said, not guessed.
"""

from dataclasses import dataclass, replace

from wickcore.language import tree
from wickcore.language.catalogue import CATALOGUE
from wickcore.language.entry import Entry
from wickcore.language.formatter import statement, write
from wickcore.language.layout import has_comments, lay_out
from wickcore.language.parser import parse
from wickcore.language.shapes import LINE, OPPOSITE, SHAPES
from wickcore.language.tree import Span

LEVEL, MOVE, HUNDRED, WILLIAMS, SHARE, OFF, RATIO, PLAIN, TRUTH = (
    "level", "move", "hundred", "williams", "share", "off", "ratio", "plain", "truth"
)  # fmt: skip
OTHER = {entry.name: entry.other for entry in CATALOGUE.entries.values() if entry.other}
OTHER |= {a: b for pair in OPPOSITE for a, b in (pair, pair[::-1])}
_PARTS = {"low1": "high1", "low2": "high2", "high1": "low1", "high2": "low2"}
_PARTS |= {f"{line}.{part}": f"{other}.{part}" for line, other in (("upper", "lower"), ("lower", "upper")) for part in LINE}
_TURNED = {">": "<", "<": ">", ">=": "<=", "<=": ">=", "==": "==", "!=": "!="}


LEFT_OUT = "The description and the comments are left out: they speak of the side that was mirrored."


def _entry(name: str) -> Entry | None:
    return CATALOGUE.entries.get(name)


def _of_close(name: str) -> bool:
    """Whether an entry without a source is of the close, which is a level."""
    entry = _entry(name)
    return entry is not None and (entry.side == "follows" or entry.side_of_levels is not None or entry.sided_by_argument)


class NoMirror(ValueError):
    """A part that has no mirror; the message says which."""


@dataclass(frozen=True, slots=True)
class Mirrored:
    """text: the rule for the other side. notes: (line, sentence) for what stayed because it has no mirror; line 0 for what is
    of the whole text."""

    text: str
    notes: tuple[tuple[int, str], ...]


def mirror(text: str) -> Mirrored:
    """The rule for the other side. Raises RuleError where the text cannot be read."""
    rule = parse(text)
    side = rule.headers.get("side", ("long",))[0]
    names: dict[str, str] = {}
    notes: list[tuple[int, str]] = []
    worker = MirrorOf(rule.text, names)

    def turned(node: tree.Statement, source: str) -> str:
        line = source.count("\n", 0, node.span.start) + 1
        try:
            match node:
                case tree.Let():
                    value, names[node.name] = worker.value(node.value)
                    return f"let {node.name} = {write(value, source)}"
                case tree.Condition():
                    made = replace(node, value=worker.condition(node.value))
                    return statement(made, source)
                case tree.Dial():
                    names[node.name] = PLAIN
                case tree.Use():
                    notes.append((line, f"“{node.name}” is used as it is: mirror that rule too, and use its mirror here."))
        except NoMirror as error:
            notes.append((line, f"{error} The line stays as it is."))
            if isinstance(node, tree.Let):
                names[node.name] = PLAIN
        return statement(node, source)

    if rule.headers.get("about", ("",))[0] or has_comments(rule.text):
        notes.append((0, LEFT_OUT))
    headers = {"side": "short" if side == "long" else "long", "about": ""}
    return Mirrored(lay_out(rule, turned, headers, comments=False), tuple(notes))


class MirrorOf:
    """Mirrors expressions: each is turned into another and said what kind of thing it is."""

    def __init__(self, text: str, names: dict[str, str]) -> None:
        self.text, self.names = text, names

    # -- conditions --------------------------------------------------------------------------------------------------

    def condition(self, node: tree.Node) -> tree.Node:
        made, kind = self.value(node)
        if kind != TRUTH:
            raise NoMirror(f"`{write(node, self.text)}` is no condition.")
        return made

    def _compare(self, node: tree.Compare) -> tree.Node:
        if any(isinstance(o, tree.Text) for o in node.operands):
            return node
        parts = [self.value(o) for o in node.operands]
        kinds = {kind for operand, (_, kind) in zip(node.operands, parts, strict=True) if not _constant(operand, self.names)}
        if kinds <= {PLAIN}:
            return replace(node, operands=tuple(made for made, _ in parts))
        if len(kinds) > 1 or not kinds & {LEVEL, MOVE, HUNDRED, WILLIAMS, SHARE, OFF, RATIO}:
            if kinds == {MOVE, PLAIN}:
                return self._moves(node, parts)
            raise NoMirror(f"`{write(node, self.text)}` compares things that mirror differently.")
        (kind,) = kinds
        constants = [_constant(o, self.names) for o in node.operands]
        if kind == LEVEL and any(constants):
            return node  # a floor under the price stays where it is
        operands = tuple(
            opposite(o, kind) if is_constant else made
            for o, (made, _), is_constant in zip(node.operands, parts, constants, strict=True)
        )
        return replace(node, operands=operands, operators=tuple(_TURNED[o] for o in node.operators))

    def _moves(self, node: tree.Compare, parts: list[tuple[tree.Node, str]]) -> tree.Node:
        """Moves against sizes without a side: `change > 2 * natr(14)` becomes `change < -2 * natr(14)`."""
        operands = tuple(
            made if kind == MOVE and not _constant(o, self.names) else negative(made)
            for o, (made, kind) in zip(node.operands, parts, strict=True)
        )
        return replace(node, operands=operands, operators=tuple(_TURNED[o] for o in node.operators))

    def _between(self, node: tree.Between) -> tree.Node:
        value, kind = self.value(node.value)
        low, high = node.low, node.high
        if kind == PLAIN or (kind == LEVEL and (_constant(low, self.names) or _constant(high, self.names))):
            return node
        turned = [opposite(b, kind) if _constant(b, self.names) else self.value(b)[0] for b in (low, high)]
        return replace(node, value=value, low=turned[1], high=turned[0])

    # -- values ------------------------------------------------------------------------------------------------------

    def value(self, node: tree.Node) -> tuple[tree.Node, str]:
        """The mirrored expression and its kind."""
        match node:
            case tree.Number() | tree.Count() | tree.Text():
                return node, PLAIN
            case tree.Name():
                if node.name in self.names:
                    return node, self.names[node.name]
                return self._call(tree.Call(node.name, (), node.span, node.span), bare=True)
            case tree.Call():
                return self._call(node, bare=False)
            case tree.Part():
                return self._part(node)
            case tree.Ago():
                made, kind = self.value(node.value)
                return replace(node, value=made), kind
            case tree.Over():
                return replace(node, value=self.condition(node.value)), TRUTH
            case tree.Compare():
                return self._compare(node), TRUTH
            case tree.Between():
                return self._between(node), TRUTH
            case tree.Crosses():
                return self._crosses(node), TRUTH
            case tree.Near():
                return replace(node, value=self.value(node.value)[0], target=self.value(node.target)[0]), TRUTH
            case tree.Within():
                return node, TRUTH
            case tree.Since():
                return replace(node, condition=node.condition and self.condition(node.condition)), PLAIN
            case tree.CountOf():
                return replace(node, conditions=tuple(self.condition(c) for c in node.conditions)), PLAIN
            case tree.Unary():
                made, kind = self.value(node.operand)
                return replace(node, operand=made), kind
            case tree.Binary():
                return self._binary(node)
        raise NoMirror(f"`{write(node, self.text)}` has no mirror.")

    def _crosses(self, node: tree.Crosses) -> tree.Node:
        (left, a), (right, b) = self.value(node.left), self.value(node.right)
        kinds = {k for o, k in ((node.left, a), (node.right, b)) if not _constant(o, self.names)}
        if len(kinds) != 1:
            raise NoMirror(f"`{write(node, self.text)}` crosses things that mirror differently.")
        (kind,) = kinds
        if kind == PLAIN or (kind == LEVEL and (_constant(node.left, self.names) or _constant(node.right, self.names))):
            return replace(node, left=left, right=right)
        left = opposite(node.left, kind) if _constant(node.left, self.names) else left
        right = opposite(node.right, kind) if _constant(node.right, self.names) else right
        return replace(node, left=left, right=right, direction="below" if node.direction == "above" else "above")

    def _binary(self, node: tree.Binary) -> tuple[tree.Node, str]:
        if node.operator in ("and", "or"):
            return replace(node, left=self.condition(node.left), right=self.condition(node.right)), TRUTH
        (left, a), (right, b) = self.value(node.left), self.value(node.right)
        operator = node.operator
        if a == b == PLAIN:
            return replace(node, left=left, right=right), PLAIN
        if a == b == LEVEL and operator in "-/":
            return replace(node, left=right, right=left), PLAIN
        if LEVEL in (a, b) and PLAIN in (a, b):
            made = _of_level(node, left, right, a == LEVEL)
            if made is not None:
                return made, LEVEL
        if a == b == LEVEL and operator == "+":
            return replace(node, left=left, right=right), LEVEL
        if (
            MOVE in (a, b)
            and (a == b or PLAIN in (a, b))
            and not (operator in "*/" and a == b)
            and not (operator in "+-" and a != b)
        ):
            return replace(node, left=left, right=right), MOVE
        raise NoMirror(f"`{write(node, self.text)}` has no mirror.")

    def _part(self, node: tree.Part) -> tuple[tree.Node, str]:
        if node.name in ("own", "own_age"):
            return node, PLAIN
        whole = f"{node.name}.{node.part}"
        if whole in CATALOGUE and CATALOGUE[whole].of_session:
            entry = CATALOGUE[whole]
            name, _, part = (entry.other or whole).partition(".")
            return replace(node, name=name, part=part), TRUTH if entry.result == "condition" else entry.side
        two_way = node.name in SHAPES and SHAPES[node.name].side == 0
        if whole in OTHER and node.name not in SHAPES:  # of a swing
            other = tree.Call(node.name, node.arguments, node.span, node.span)
            turned = self._call(other, bare=False)[0]
            assert isinstance(turned, tree.Call)
            return replace(node, name=turned.name, arguments=turned.arguments), PLAIN
        if not (node.name in OTHER or two_way) or whole not in CATALOGUE:
            raise NoMirror(f"`{write(node, self.text)}` has no mirror.")
        point, _, rest = node.part.partition(".")
        part = f"{_PARTS.get(point, point)}.age" if rest == "age" else _PARTS.get(node.part, node.part)
        name = node.name if two_way else OTHER[node.name]
        given = _other_way(node.arguments, node.span) if two_way else node.arguments
        turned = replace(node, name=name, part=part, arguments=given)
        kind = LEVEL if CATALOGUE[whole].level else MOVE if node.part.endswith("slope") else PLAIN
        return turned, kind

    def _call(self, node: tree.Call, bare: bool) -> tuple[tree.Node, str]:
        name = node.name
        if name == "on":
            made, kind = self.value(node.arguments[1].value)
            return replace(node, arguments=(node.arguments[0], replace(node.arguments[1], value=made))), kind
        if name in ("triggered", "failed"):
            first, *rest = node.arguments
            return replace(node, arguments=(replace(first, value=self.value(first.value)[0]), *rest)), TRUTH
        if name in SHAPES and SHAPES[name].side == 0:
            given = _other_way(node.arguments, node.span)
            return (replace(node, arguments=given) if given else tree.Name(name, node.span)), TRUTH
        if name == "stacked":
            return replace(node, arguments=(node.arguments[0], *node.arguments[:0:-1])), TRUTH
        arguments, kinds = [], []
        for argument in node.arguments:
            counts = _counts(argument) and not isinstance(argument.value, tree.Since)
            made, kind = (argument.value, PLAIN) if counts else self.value(argument.value)
            arguments.append(replace(argument, value=made))
            kinds.append("" if counts or isinstance(argument.value, tree.Since | tree.Text) else kind)
        own = next((k for k in kinds if k and k != TRUTH), LEVEL if _of_close(name) else PLAIN)
        entry = _entry(name)
        sided = name in OTHER and (entry is None or not entry.sided_by_argument or own != PLAIN)
        turned = {"max": "min", "min": "max"}.get(name, name) if own != PLAIN else name
        turned = OTHER[name] if sided else turned
        made = self._rebuilt(node, turned, tuple(arguments), bare)
        return made, self._kind(node, name, own, kinds)

    def _rebuilt(self, node: tree.Call, name: str, arguments: tuple[tree.Argument, ...], bare: bool) -> tree.Node:
        return tree.Name(name, node.span) if bare else tree.Call(name, arguments, node.span, node.name_span)

    def _kind(self, node: tree.Call, name: str, own: str, kinds: list[str]) -> str:
        entry = _entry(name)
        if entry is None:
            return PLAIN
        if entry.result == "condition":
            return TRUTH
        if entry.side == "follows":
            return TRUTH if {*kinds} - {""} == {TRUTH} else own
        if entry.side_of_levels is not None:
            return entry.side_of_levels if own in (LEVEL, MOVE) else PLAIN
        if entry.turns is not None and own != PLAIN:
            if own not in entry.turns:
                raise NoMirror(f"`{write(node, self.text)}` has no mirror.")
            return entry.turns[own]
        return entry.side


def _other_way(arguments: tuple[tree.Argument, ...], span: Span) -> tuple[tree.Argument, ...]:
    """The arguments of a pattern that goes either way, for the other: up is what goes without saying."""
    said = next((a for a in arguments if a.name == "breaks"), None)
    rest = tuple(a for a in arguments if a is not said)
    if said is not None and isinstance(said.value, tree.Name) and said.value.name == "down":
        return rest
    return (*rest, tree.Argument("breaks", tree.Name("down", span), span))


def _of_level(node: tree.Binary, left: tree.Node, right: tree.Node, level_first: bool) -> tree.Node | None:
    """A level plus, less, times or over something without a side: each form has one of its own on the other side, and comes back."""
    operator = node.operator
    if level_first:
        if operator in "+-":
            return replace(node, left=left, operator="-" if operator == "+" else "+", right=right)
        if operator == "/":
            return replace(node, left=right, operator="*", right=left)
        one = tree.Binary("/", tree.Number(1.0, Span(0, 0)), right, node.span)
        return replace(node, left=one, operator="*", right=left)
    if operator == "+":
        return replace(node, left=right, operator="-", right=left)
    if operator == "*":
        match left:
            case tree.Binary(operator="/", left=tree.Number(value=1.0), right=inner):
                return replace(node, left=right, right=inner)
        return replace(node, left=right, operator="/", right=left)
    return None


def _counts(argument: tree.Argument) -> bool:
    """Whether an argument is a plain number or a number of bars."""
    return isinstance(argument.value, tree.Number | tree.Count) or argument.name in (
        "n",
        "k",
        "nth",
        "in",
        "width",
        "upper",
        "lower",
    )


def _constant(node: tree.Node, names: dict[str, str]) -> bool:
    """Whether the expression is made of plain numbers and dials alone."""
    match node:
        case tree.Number():
            return True
        case tree.Name():
            return names.get(node.name) == PLAIN
        case tree.Unary():
            return _constant(node.operand, names)
        case tree.Binary():
            return _constant(node.left, names) and _constant(node.right, names)
    return False


def negative(node: tree.Node) -> tree.Node:
    """-x, without a second minus."""
    match node:
        case tree.Unary(operator="-"):
            return node.operand
        case tree.Number():
            return node if node.value == 0 else tree.Unary("-", node, node.span)
        case tree.Binary(operator="*" | "/"):
            return replace(node, left=negative(node.left))
    return tree.Unary("-", node, node.span)


def opposite(node: tree.Node, kind: str) -> tree.Node:
    """The bound on the other side: -p of a move, 100 - p of a hundred, 1 - p of a share, 1 / (1 + p) - 1 of a distance from an extreme,
    1 / p of a ratio."""
    if kind == MOVE:
        return negative(node)
    from_top = {HUNDRED: 100.0, WILLIAMS: -100.0, SHARE: 1.0}
    plain = _plain(node)
    if kind in from_top:
        top = from_top[kind]
        if plain is not None:
            return _number(top - plain.value, plain)
        if isinstance(node, tree.Binary) and node.operator == "-" and isinstance(node.left, tree.Number) and node.left.value == top:
            return node.right
        return tree.Binary("-", tree.Number(top, node.span, kind == SHARE), node, node.span)
    if plain is not None:
        return _number(_turned_value(plain.value, kind), plain)
    one = tree.Number(1.0, Span(0, 0))
    match node:
        case tree.Binary(operator="-", left=tree.Binary(operator="/", right=tree.Binary(operator="+", right=inner))) if kind == OFF:
            return inner
        case tree.Binary(operator="/", left=tree.Number(value=1.0), right=inner) if kind == RATIO:
            return inner
    if kind == RATIO:
        return tree.Binary("/", one, node, node.span)
    return tree.Binary("-", tree.Binary("/", one, tree.Binary("+", one, node, node.span), node.span), one, node.span)


def _turned_value(p: float, kind: str) -> float:
    def turn(v: float) -> float:
        return float(f"{1.0 / (1.0 + v) - 1.0 if kind == OFF else 1.0 / v:.9g}")

    value = turn(p)
    short = round(value, 4)
    # What was written with few digits comes back as it was written.
    return short if short and turn(short) == p else value


def _plain(node: tree.Node) -> tree.Number | None:
    """A number, with its sign."""
    if isinstance(node, tree.Unary) and isinstance(node.operand, tree.Number):
        return replace(node.operand, value=-node.operand.value)
    return node if isinstance(node, tree.Number) else None


def _number(value: float, like: tree.Number) -> tree.Node:
    made = tree.Number(abs(value), Span(0, 0), like.percent)
    return tree.Unary("-", made, made.span) if value < 0 else made
