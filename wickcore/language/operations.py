"""What a checked rule asks to be computed: a graph of operations in which equal parts are one.

An `Op` knows its kind by name only; `wickcore.scan.evaluate` looks the kind up among the measures' kernels.
"""

import hashlib
from dataclasses import dataclass, field
from typing import Literal

Result = Literal["number", "condition", "text"]
Scalar = float | str


@dataclass(frozen=True, slots=True, eq=False, repr=False)
class Op:
    """One operation on whole columns.

    kind: the operation's name, such as `field`, `compare`, `sma`.
    args: operands, evaluated first. params: constants (windows, names). frame: whose bars it counts.
    result: what it yields. Two operations are equal when their `key` is.
    """

    kind: str
    args: tuple["Op", ...] = ()
    params: tuple[Scalar, ...] = ()
    frame: str = "day"
    result: Result = "number"
    key: str = field(init=False)

    def __post_init__(self) -> None:
        # Nothing of it can hold the sign between the parts: kinds and frames are names, and texts among the params are escaped.
        said = "\x1f".join((self.kind, repr(self.params), self.frame, *[a.key for a in self.args]))
        object.__setattr__(self, "key", hashlib.blake2b(said.encode(), digest_size=12).hexdigest())

    def __repr__(self) -> str:
        return f"Op({self.kind} {self.params} {self.frame})"

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Op) and other.key == self.key

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
