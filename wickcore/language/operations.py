"""What a checked rule asks to be computed: a graph of operations in which equal parts are one.

An `Op` knows its kind by name only; `wickcore.scan.evaluate` looks the kind up among the measures' kernels.
"""

import hashlib
from typing import Literal

Result = Literal["number", "condition", "text"]
Scalar = float | str


class Op:
    """One operation on whole columns.

    kind: the operation's name, such as `field`, `compare`, `sma`.
    args: operands, evaluated first. params: constants (windows, names). frame: whose bars it counts.
    result: what it yields. Two operations are equal when their `key` is; it is made when first asked for, since checking a rule makes
    thousands of operations and looks at few of their keys.
    """

    __slots__ = ("_key", "args", "frame", "kind", "params", "result")

    def __init__(
        self, kind: str, args: tuple["Op", ...] = (), params: tuple[Scalar, ...] = (), frame: str = "day", result: Result = "number"
    ) -> None:
        self.kind, self.args, self.params, self.frame, self.result = kind, args, params, frame, result
        self._key = ""

    @property
    def key(self) -> str:
        return self._key or self._made()

    def _made(self) -> str:
        """The key, after those of all operations below; by hand, since they can lie deeper than Python calls."""
        waiting = [self]
        while waiting:
            op = waiting[-1]
            open_ = [a for a in op.args if not a._key]
            if open_:
                waiting += open_
                continue
            waiting.pop()
            if not op._key:
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
