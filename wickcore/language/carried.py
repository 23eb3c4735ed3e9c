"""What `carry` works out from bar to bar, as a short program: all that does not hang on its own earlier value is a column, and the rest is
written behind its operands, to be worked out with a stack."""

from wickcore.language.operations import Op

PRIOR = "prior"
# What can be done with the earlier value; windows, other instruments and earlier bars of it cannot.
CARRIED = frozenset(
    ("+", "-", "*", "/", "^", "max", "min", "abs", "negate", "sqrt", "log", "exp", "sign", "pick", "compare", "and", "or", "not")
)
MOST_STEPS = 200


class NotCarried(ValueError):
    """Something that cannot be worked out from bar to bar; the message says what."""


def program_of(op: Op) -> tuple[list[Op], str]:
    """The columns that the operation rests on, and its steps: `c0` a column, `p` the earlier value, `k1.5` a number, else an operation; a
    comparison with its sign, as in `compare>`. Raises NotCarried."""
    columns: dict[str, tuple[int, Op]] = {}
    steps: list[str] = []
    _add(op, columns, steps, {})
    if len(steps) > MOST_STEPS:
        raise NotCarried(f"What `carry` does on each bar comes to at most {MOST_STEPS} steps; this has {len(steps)}.")
    return [column for _, column in columns.values()], " ".join(steps)


def _add(op: Op, columns: dict[str, tuple[int, Op]], steps: list[str], known: dict[str, bool]) -> None:
    if op.kind == PRIOR:
        steps.append("p")
    elif op.kind == "constant":
        steps.append(f"k{float(op.params[0])!r}")
    elif not _hangs(op, known):
        number, _ = columns.setdefault(op.key, (len(columns), op))
        steps.append(f"c{number}")
    elif op.kind not in CARRIED:
        raise NotCarried(f"`prior` can be added, compared and chosen; `{op.kind}` of it would need its earlier values too.")
    else:
        said = op.kind + (str(op.params[0]) if op.kind == "compare" else "")
        for i, part in enumerate(op.args):
            _add(part, columns, steps, known)
            if op.kind in ("and", "or") and 0 < i < len(op.args) - 1:  # of several, two at a time
                steps.append(said)
        steps.append(said)
        if len(steps) > 10 * MOST_STEPS:
            raise NotCarried(f"What `carry` does on each bar comes to at most {MOST_STEPS} steps; this has more.")


def _hangs(op: Op, known: dict[str, bool]) -> bool:
    """Whether the earlier value is in it."""
    if op.key not in known:
        known[op.key] = op.kind == PRIOR or any(_hangs(a, known) for a in op.args)
    return known[op.key]
