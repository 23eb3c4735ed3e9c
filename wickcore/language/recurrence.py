"""What is worked out from bar to bar, as a short program: all that does not hang on a value known only then is a column, and the rest is
written behind its operands, to be worked out with a stack (wickcore.measures.program)."""

from collections.abc import Sequence

from wickcore.language.operations import Op, each

PRIOR = "prior"  # the value that `carry` had on the bar before
POSITION = "position"  # what a book knows of a position; the parameter says which
# What can be done with the earlier value; windows, other instruments and earlier bars of it cannot.
CARRIED = frozenset(
    ("+", "-", "*", "/", "^", "max", "min", "abs", "negate", "sqrt", "log", "exp", "sign", "pick", "compare", "and", "or", "not")
)
MOST_STEPS = 200


class NotCarried(ValueError):
    """Something that cannot be worked out from bar to bar; the message says what."""


def hangs(op: Op) -> bool:
    """Whether an operation hangs on what is known only from bar to bar: it can be on no other instrument's scale, which a column has."""
    return any(one.kind in (PRIOR, POSITION) for one in each(op))


def program_of(op: Op, names: Sequence[str] = (), apart: bool = False) -> tuple[list[Op], str]:
    """The columns that the operation rests on, and its steps: `c0` a column, `p0` what is known by hand, `k1.5` a number, else an operation;
    a comparison with its sign, as in `compare>`. Raises NotCarried.

    names: what is known by hand, by place; `prior` alone where there are none. apart: conditions among the columns are `t0`, counted by
    themselves, and stand behind the numbers in the list.
    """
    writer = _Writer({name: i for i, name in enumerate(names)}, apart)
    writer.add(op)
    if len(writer.steps) > MOST_STEPS:
        raise NotCarried(f"What `carry` does on each bar comes to at most {MOST_STEPS} steps; this has {len(writer.steps)}.")
    return [*writer.columns.values(), *writer.truths.values()], " ".join(writer.steps)


class _Writer:
    def __init__(self, own: dict[str, int], apart: bool) -> None:
        self.own, self.apart = own, apart
        self.columns: dict[str, Op] = {}
        self.truths: dict[str, Op] = {}
        self.steps: list[str] = []
        self._known: dict[str, bool] = {}

    def add(self, op: Op) -> None:
        if op.kind == PRIOR:
            self.steps.append("p0")
        elif op.kind == POSITION:
            self.steps.append(f"p{self.own[str(op.params[0])]}")
        elif op.kind == "constant":
            self.steps.append(f"k{float(op.params[0])!r}")
        elif not self._hangs(op):
            truth = self.apart and op.result == "condition"
            columns = self.truths if truth else self.columns
            columns.setdefault(op.key, op)
            self.steps.append(f"{'t' if truth else 'c'}{list(columns).index(op.key)}")
        elif op.kind not in CARRIED:
            what = self._named(op)
            raise NotCarried(f"{what} can be added, compared and chosen; `{op.kind}` of it would need its earlier values too.")
        else:
            said = op.kind + (str(op.params[0]) if op.kind == "compare" else "")
            for i, part in enumerate(op.args):
                self.add(part)
                if op.kind in ("and", "or") and 0 < i < len(op.args) - 1:  # of several, two at a time
                    self.steps.append(said)
            self.steps.append(said)
            if len(self.steps) > 10 * MOST_STEPS:
                raise NotCarried(f"What `carry` does on each bar comes to at most {MOST_STEPS} steps; this has more.")

    def _named(self, op: Op) -> str:
        """The name that stands in it."""
        found = next((f"`{o.params[0]}`" for o in each(op) if o.kind == POSITION), None)
        return found or "`prior`"

    def _hangs(self, op: Op) -> bool:
        """Whether something known by hand only is in it."""
        if op.key not in self._known:
            self._known[op.key] = op.kind in (PRIOR, POSITION) or any(self._hangs(a) for a in op.args)
        return self._known[op.key]
