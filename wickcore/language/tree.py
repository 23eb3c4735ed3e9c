"""The parsed rule, before it means anything: nodes with their place in the text.

Nobody changes a node once it is made. They are not frozen because a frozen one takes four times as long to make, and a rule as long as the
limits allow has thousands.
"""

from dataclasses import dataclass


@dataclass(slots=True, unsafe_hash=True)
class Span:
    """Half-open range of character offsets in the rule's text."""

    start: int
    end: int


@dataclass(slots=True, unsafe_hash=True)
class Number:
    value: float
    span: Span
    percent: bool = False


@dataclass(slots=True, unsafe_hash=True)
class Text:
    value: str
    span: Span


@dataclass(slots=True, unsafe_hash=True)
class Count:
    """A number of bars: of the current frame (`frame` None), or of a named one (`52w`). `amount` may name a dial."""

    amount: "float | Name"
    frame: str | None
    span: Span


@dataclass(slots=True, unsafe_hash=True)
class Name:
    name: str
    span: Span


@dataclass(slots=True, unsafe_hash=True)
class Part:
    """`name.part` or `name(arguments).part`."""

    name: str
    part: str
    span: Span
    arguments: "tuple[Argument, ...]" = ()


@dataclass(slots=True, unsafe_hash=True)
class Argument:
    name: str | None
    value: "Node"
    span: Span


@dataclass(slots=True, unsafe_hash=True)
class Call:
    name: str
    arguments: tuple[Argument, ...]
    span: Span
    name_span: Span


@dataclass(slots=True, unsafe_hash=True)
class Unary:
    """`-x` or `not c`."""

    operator: str
    operand: "Node"
    span: Span


@dataclass(slots=True, unsafe_hash=True)
class Binary:
    """`+ - * / ^ and or`."""

    operator: str
    left: "Node"
    right: "Node"
    span: Span


@dataclass(slots=True, unsafe_hash=True)
class Compare:
    """A chained comparison: each neighbouring pair of operands must hold."""

    operands: tuple["Node", ...]
    operators: tuple[str, ...]
    span: Span


@dataclass(slots=True, unsafe_hash=True)
class Crosses:
    left: "Node"
    direction: str
    right: "Node"
    span: Span


@dataclass(slots=True, unsafe_hash=True)
class Between:
    value: "Node"
    low: "Node"
    high: "Node"
    span: Span


@dataclass(slots=True, unsafe_hash=True)
class Near:
    value: "Node"
    target: "Node"
    by: "Node"
    span: Span


@dataclass(slots=True, unsafe_hash=True)
class Within:
    """`sector in ("Energy", "Shipping")`."""

    value: "Node"
    texts: tuple[Text, ...]
    span: Span


@dataclass(slots=True, unsafe_hash=True)
class Ago:
    value: "Node"
    count: Count
    span: Span


@dataclass(slots=True, unsafe_hash=True)
class Over:
    """`c held n` (kind "held") or `c once in n` (kind "once")."""

    kind: str
    value: "Node"
    count: Count
    span: Span


@dataclass(slots=True, unsafe_hash=True)
class Since:
    """In the place of a number of bars: `since c`, from the latest bar on which c was true; `all` (condition None), from the first bar."""

    condition: "Node | None"
    span: Span


@dataclass(slots=True, unsafe_hash=True)
class CountOf:
    """`count of (a, b, c)`: how many of the conditions are true."""

    conditions: tuple["Node", ...]
    span: Span


Node = (
    Number
    | Text
    | Count
    | Name
    | Part
    | Call
    | Unary
    | Binary
    | Compare
    | Crosses
    | Between
    | Near
    | Within
    | Ago
    | Over
    | Since
    | CountOf
)


@dataclass(slots=True, unsafe_hash=True)
class Let:
    name: str
    value: Node
    span: Span
    name_span: Span


@dataclass(slots=True, unsafe_hash=True)
class Dial:
    name: str
    default: float
    low: float | None
    high: float | None
    step: float | None
    span: Span
    name_span: Span
    percent: bool = False


@dataclass(slots=True, unsafe_hash=True)
class Use:
    name: str
    span: Span


@dataclass(slots=True, unsafe_hash=True)
class Condition:
    """One line of the rule."""

    value: Node
    span: Span
    skip: bool = False


@dataclass(slots=True, unsafe_hash=True)
class Group:
    """`any of:`, `all of:`, `none of:`, `at least N of:` and the lines below; `least` is N where there is one."""

    kind: str
    least: "float | Name | None"
    children: tuple["Condition | Group", ...]
    span: Span
    skip: bool = False


Statement = Let | Dial | Use | Condition | Group


@dataclass(slots=True, unsafe_hash=True)
class RuleText:
    """A whole rule as written: header keys in order with the span of each value, then the statements."""

    text: str
    headers: dict[str, tuple[str, Span]]
    statements: tuple[Statement, ...]
