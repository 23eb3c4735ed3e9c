"""What a checked rule asks to be computed: a graph of operations in which equal parts are one.

An `Op` knows its kind by name only; `wickcore.scan.evaluate` looks the kind up among the measures' kernels.
"""

import hashlib
from collections.abc import Callable, Iterator, Sequence
from typing import Literal

Result = Literal["number", "condition", "text"]
Scalar = float | str

MANY = 64
AT_OPEN = "at open"  # the last param of what reads facts at the open, when those dated that day are not known yet


class Op:
    """One operation on whole columns.

    kind: the operation's name, such as `field`, `compare`, `sma`.
    args: operands, evaluated first. params: constants (windows, names). frame: whose bars it counts.
    result: what it yields. Two operations are equal when their `key` is; it is made when first asked for, since checking a rule makes
    thousands of operations and looks at few of their keys.
    """

    __slots__ = ("_depth", "_key", "_spread", "args", "frame", "kind", "params", "result")

    def __init__(
        self, kind: str, args: tuple["Op", ...] = (), params: tuple[Scalar, ...] = (), frame: str = "day", result: Result = "number"
    ) -> None:
        self.kind, self.args, self.params, self.frame, self.result = kind, args, params, frame, result
        self._key = ""
        self._spread = self._depth = 0

    @property
    def spread(self) -> int:
        """How many operations stand in it where whatever it names is written out, counted up to MANY."""
        return self._spread or self._measured()._spread

    @property
    def depth(self) -> int:
        """How many operations lie on the longest way down from it, itself included."""
        return self._depth or self._measured()._depth

    def _measured(self) -> "Op":
        for op in inner_first((self,), lambda op: not op._spread):
            op._spread = min(MANY, 1 + sum(a._spread for a in op.args))
            op._depth = 1 + max((a._depth for a in op.args), default=0)
        return self

    @property
    def key(self) -> str:
        return self._key or self._made()

    def _made(self) -> str:
        for op in inner_first((self,), lambda op: not op._key):
            # Nothing of it can hold the sign between the parts: kinds and frames are names, and texts among the params are escaped.
            said = "\x1f".join((op.kind, repr(op.params), op.frame, *[a._key for a in op.args]))
            op._key = hashlib.blake2b(said.encode(), digest_size=12).hexdigest()
        return self._key

    def __repr__(self) -> str:
        return f"Op({self.kind} {self.params} {self.frame})"

    def __eq__(self, other: object) -> bool:
        if self is other:
            return True
        # Most differ in what costs nothing to look at.
        return (
            isinstance(other, Op)
            and self.kind == other.kind
            and self.params == other.params
            and len(self.args) == len(other.args)
            and self.key == other.key
        )

    def __hash__(self) -> int:
        return hash(self.key)


def constant(value: float) -> Op:
    return Op("constant", (), (value,))


def every(ops: list[Op]) -> Op:
    """All of the conditions together."""
    joined = ops[0]
    for op in ops[1:]:
        joined = Op("and", (joined, op), result="condition")
    return joined


def joined(kind: str, ops: list[Op], least: float | None) -> Op:
    """Conditions of a group as one: `all`, `any`, `none`, or at `least` so many of them."""
    if kind == "all":
        return every(ops)
    if kind == "none":
        return Op("not", (joined("any", ops, None),), result="condition")
    if kind == "least" and least is not None:
        return Op("least", tuple(ops), (least,), result="condition")
    made = ops[0]
    for op in ops[1:]:
        made = Op("or", (made, op), result="condition")
    return made


def inner_first(ops: Sequence[Op], lacks: Callable[[Op], bool]) -> Iterator[Op]:
    """The operations that lack something and those below that do, operands before what is made of them. Whoever asks gives each what it
    lacks before the next; by hand, since they can lie deeper than Python calls."""
    waiting = list(reversed(ops))
    while waiting:
        op = waiting[-1]
        if not lacks(op):
            waiting.pop()
            continue
        below = [a for a in op.args if lacks(a)]
        if below:
            waiting += reversed(below)
        else:
            yield op


def each(*ops: Op) -> Iterator[Op]:
    """Every operation that these rest on and they themselves, each once, operands before what is made of them. What a rule names is shared:
    a walk along all ways to a name would take twice as long with each line that uses it twice."""
    seen: set[str] = set()
    for op in inner_first(ops, lambda op: op.key not in seen):
        seen.add(op.key)
        yield op
