"""Which operation is computed on which table of bars, how often its column is asked for, and what it costs.

Operations are asked for on the bars of one table: `day`, `5min`, or `mixed` (wickcore.bars.mixed). One that counts bars of its own frame has a
table that it is at home on; its column is computed there and then read from the other table's bars: in a daily rule a five-minute value is
that of the day's latest five-minute bar, in a five-minute rule a daily value that of the day so far.
"""

from collections.abc import Iterable, Set

from wickcore.bars.frame_names import within_day
from wickcore.language.catalogue import CATALOGUE
from wickcore.language.operations import Op
from wickcore.scan.cross_section import ACROSS
from wickcore.scan.kernels import FRAMED

Place = tuple[str, str]  # a table's name and an operation's key
# What reads of its arguments the same bar only.
POINTWISE = frozenset(("compare", "and", "or", "not", "any", "all", "least", "+", "-", "*", "/", "negate", "abs"))
NANOSECONDS = 4.0  # about what an operation takes a bar; what it takes a bar of its window, its entry tells


def by_bar(table: str) -> str:
    """Under which name columns of a table are given that have one value a bar, though their operation has one a moment."""
    return f"{table} by bar"


def home(op: Op, table: str) -> str:
    """The table on which an operation, asked for on `table`, is computed."""
    if op.kind not in FRAMED:
        return table
    if within_day(op.frame):
        return "5min"
    return "day" if table == "day" else "mixed"


def parts(op: Op, table: str) -> tuple[tuple[Op, str], ...]:
    """What has to be there before the operation can be computed for a table: itself on its home table, or its arguments."""
    own = home(op, table)
    return ((op, own),) if own != table else tuple((arg, table) for arg in op.args)


def walk(ops: Iterable[Op], table: str, known: Set[str] = frozenset()) -> list[tuple[Op, str]]:
    """Every distinct operation below the given ones, these included, with the table it is asked for on; inner ones first. known: keys of those
    that are not worked out, and nothing below them."""
    found: dict[Place, tuple[Op, str]] = {}
    opened: set[Place] = set()
    waiting = [(op, table) for op in ops][::-1]  # by hand: operations can lie deeper than Python calls
    while waiting:
        op, on = waiting[-1]
        place = on, op.key
        if place in found or place in opened:
            waiting.pop()
            found.setdefault(place, (op, on))
        else:
            opened.add(place)
            waiting += () if op.key in known else parts(op, on)
    return [one for one in found.values() if one[0].key not in known] if known else list(found.values())


def uses(ops: Iterable[Op], table: str) -> dict[Place, int]:
    """How often each operation's column is asked for: once by each distinct operation over it, and once from outside."""
    asked = list(ops)
    found: dict[Place, int] = {}
    for op in asked:
        found[table, op.key] = found.get((table, op.key), 0) + 1
    for op, on in walk(asked, table):
        for part, of in parts(op, on):
            found[of, part.key] = found.get((of, part.key), 0) + 1
    return found


def cost(ops: Iterable[Op], table: str = "day") -> float:
    """About how many nanoseconds a bar the operations take, each distinct one once."""
    return sum(_own_cost(op) for op, _ in walk(ops, table))


def heaviest(ops: Iterable[Op], table: str = "day") -> str:
    """The operation that takes most of it, in words."""
    op = max((op for op, _ in walk(ops, table)), key=_own_cost)
    windows = [f"{float(p):g}" for p in op.params if not isinstance(p, str)]
    return f"`{op.kind}`" + (f" over {' and '.join(windows)} bars" if windows else "")


def _own_cost(op: Op) -> float:
    carried = NANOSECONDS * str(op.params[0]).count(" ") if op.kind == "carry" else 0.0
    window = max((float(p) for p in op.params if not isinstance(p, str)), default=0.0)
    return carried + NANOSECONDS + (CATALOGUE[op.kind].again if op.kind in CATALOGUE else 0.0) * window


def momentary(ops: Iterable[Op], table: str) -> set[Place]:
    """The ranks of which only the value on the bar itself counts: nothing over them looks at other bars."""
    direct: list[Op] = []
    beneath: list[Op] = []
    waiting, seen = list(ops), set[str]()
    while waiting:
        op = waiting.pop()
        if op.key in seen:
            continue
        seen.add(op.key)
        if op.kind in POINTWISE:
            waiting += op.args
        elif op.kind == "rank":
            direct.append(op)
            beneath += op.args
        else:
            beneath.append(op)
    elsewhere = {(on, op.key) for op, on in walk(beneath, table) if op.kind == "rank"}
    return {(table, op.key) for op in direct} - elsewhere


def across(op: Op, table: str) -> set[Place]:
    """The operations across instruments that one operation rests on and that need a value a bar."""
    return {(on, o.key) for o, on in walk([op], table) if o.kind in ACROSS and not ACROSS[o.kind].by_step}


def looks_across(ops: Iterable[Op], table: str) -> bool:
    """Whether anything in the operations looks at other instruments than the one it stands on."""
    return any(op.kind in ACROSS for op, _ in walk(ops, table))
