"""The end of a table of bars as a table of its own, for what is asked of one moment: a scan reads the last few hundred bars of each instrument
instead of all its history, and comes out the same to the last digit.

What looks back over a window of n bars is worked out on the tail alone: sums over windows are made afresh at bars that are told by their place
among all of the instrument (wickcore.measures.rolling), so they come out the same behind twice their window. What a bar long ago may still be
in (smoothed averages, streaks, patterns, windows since an event, what other instruments did at earlier moments) is worked out over the whole
history and laid beside; its values are kept while the market stands.

A tail of bars within the day begins with a session and stands beside all daily bars: what days, weeks and months tell is worked out on those and
the sessions of the tail, and is whole.
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cache, cached_property, partial

import numpy as np

from wickcore.bars.bars import Bars, Ints
from wickcore.bars.frame_names import DAYS, MINUTES, within_day
from wickcore.bars.frames import count_before
from wickcore.bars.moment import Moment
from wickcore.language.operations import Op, each
from wickcore.scan.across import ACROSS
from wickcore.scan.evaluate import Evaluator, Limits
from wickcore.scan.kept import KeptColumns
from wickcore.scan.kernels import FRAMED, POINTWISE, WINDOWED, Column

SIZES = (128, 192, 256, 384, 512, 768, 1024, 1536, 2048)  # bars of each instrument: few sizes, so that rules share them
SPARE = 48  # bars beyond what a rule needs, over which a run of hits is followed back
MOST_TAILS = 3
MOST_BARS = 4_000_000  # of all tails that are kept, 64 bytes each
WORTH = 2  # so many times as long as the tail is a history that is worth one
# Of a window of n bars: how many bars before its own its value may hang on.
ONCE = frozenset(
    ("ago", "held", "once", "count", "highest", "lowest", "bars_since_highest", "bars_since_lowest", "median", "percentile", "corr")
)
TWICE = frozenset(("sma", "stdev", "sum", "wma", "slope", "fit", "mean_dev"))
# What reads the same bar only.
HERE = (
    frozenset(POINTWISE)
    | frozenset(
        ("constant", "money", "fact", "text_in", "event", "compare", "unscale", "unshift", "unlend", "factor", "least", "none")
    )
    | frozenset(("text", "literal", "recently", "at_report", "overnight", "last_of"))
)
assert WINDOWED.keys() >= ONCE | TWICE


@dataclass(frozen=True, slots=True)
class Reach:
    """bars: how many before its own an operation's value may hang on. laid: what below it is worked out over the whole history. across: whether
    it looks across instruments at its own moment. within: whether bars within the day are in it."""

    bars: int
    laid: frozenset[Op] = frozenset()
    across: bool = False
    within: bool = False


def reach(op: Op, frame: str) -> Reach:
    """Of an operation on a table with bars of that frame."""
    found: dict[str, Reach] = {}
    for one in each(op):
        found[one.key] = _reach(one, [found[a.key] for a in one.args], frame)
    return found[op.key]


def _reach(op: Op, inner: Sequence[Reach], frame: str) -> Reach:
    within = any(r.within for r in inner) or (op.kind in FRAMED and within_day(op.frame))
    # Days beside bars within them: their history is there, whatever the tail leaves out.
    beside = within_day(frame) and not within and not any(r.laid for r in inner)
    if op.kind in ACROSS:
        own = 0 if beside or op.kind != "breadth" or op.params[1] != "sum" else None
    else:
        own = 0 if beside and op.kind in FRAMED else _own(op, frame)
    # What others did at earlier moments may lie before their tails.
    if own is None or (own and any(r.across for r in inner)):
        return Reach(0, frozenset((op,)), within=within)
    return Reach(
        own + max((r.bars for r in inner), default=0),
        frozenset().union(*(r.laid for r in inner)),
        op.kind in ACROSS or any(r.across for r in inner),
        within,
    )


def _own(op: Op, frame: str) -> int | None:
    """How many bars before its own the operation itself looks at; None where that has no bound."""
    if op.kind in HERE:
        return 0
    n = max((int(p) for p in op.params if not isinstance(p, str)), default=0)
    own = 0 if op.kind == "field" else n if op.kind in ONCE else 2 * n if op.kind in TWICE else None
    if own is None or op.frame == frame:
        return own
    most = _most_in(op.frame, frame)
    return None if most is None else most * (own + 1)  # the first of the coarser frame's bars may be torn


def _most_in(coarse: str, frame: str) -> int | None:
    """How many bars of a frame a bar of a coarser one holds at most."""
    if frame == "day":
        return DAYS.get(coarse)
    return MINUTES[coarse] // MINUTES[frame] if within_day(coarse) and within_day(frame) else None


class Tail:
    """The last so many bars of each instrument up to a moment. rows: their positions in the whole table, one after another."""

    def __init__(self, whole: Evaluator, size: int, at: Moment) -> None:
        self.whole, self.size, self.at = whole, size, at
        bars = whole.bars
        ends = bars.ends(at)
        begins = np.maximum(bars.offsets[:-1], ends - size)
        if within_day(bars.frame):
            begins = _with_session(bars, begins)
        lengths = ends - begins
        offsets = np.concatenate([[0], np.cumsum(lengths)]).astype(np.int64)
        self.rows: Ints = np.repeat(begins - offsets[:-1], lengths) + np.arange(offsets[-1])
        self.begins, self.offsets, self.complete = begins, offsets, begins == bars.offsets[:-1]
        table = replace(bars.taken(self.rows, offsets), before=cache(partial(count_before, bars, rows=begins)))
        market = whole.market
        tables = tuple(table if one.frame == bars.frame else one for one in (*market.tables, *(() if _stored(whole) else (bars,))))
        small = replace(market, tables=tables, version=f"{market.version} tail {size} {at}")
        room = whole.shared.kept.most
        self.engine, self._laid = whole.beside(small, room // 16), KeptColumns(room // 8)

    @cached_property
    def last_step(self) -> int:
        """The index of the moment among those of the tail."""
        return int(self.engine.bars.step.max(initial=0))

    def place(self, positions: Ints) -> Ints:
        """Where bars of the whole table, none before its tail, stand in it."""
        owner = np.searchsorted(self.whole.bars.offsets, positions, "right") - 1
        return self.offsets[owner] + positions - self.begins[owner]

    def columns(self, ops: Sequence[Op], reaches: Sequence[Reach], limits: Limits | None = None) -> list[Column]:
        """The operations on the tail's bars; true to the whole history from `sound` on."""
        below = {(self.whole.table, op.key): op for r in reaches for op in r.laid}
        laid = self._laid.those_of(below)
        missing = {place: op for place, op in below.items() if place not in laid}
        if missing:
            made = dict(zip(missing, self.whole.some(list(missing.values()), self.rows, self.offsets, limits), strict=True))
            laid |= made
            self._laid.keep(made)
        return self.engine.columns(ops, limits, {key: column for (_, key), column in laid.items()})

    def sound(self, needed: Reach) -> Ints:
        """For each instrument the first place in the tail at which what needs so much is true to the whole history."""
        first = self.offsets[:-1] + np.where(self.complete, 0, needed.bars)
        if needed.across:  # so far back as every instrument's bar of the moment is sure to be in its tail
            bars = self.engine.bars
            oldest = self.last_step - (self.size - needed.bars) + 1
            late = np.append(0, np.cumsum(bars.step < oldest))
            first = np.maximum(first, self.offsets[:-1] + late[self.offsets[1:]] - late[self.offsets[:-1]])
        return first


def _with_session(bars: Bars, rows: Ints) -> Ints:
    """Each instrument's row moved back to its session's first."""
    rows = rows.copy()
    first = bars.offsets[:-1]
    while True:
        back = rows > first
        back[back] = bars.days[rows[back]] == bars.days[rows[back] - 1]
        if not back.any():
            return rows
        rows -= back


def _stored(whole: Evaluator) -> bool:
    return any(one.frame == whole.bars.frame for one in whole.market.tables)


def size_for(whole: Evaluator, reaches: Sequence[Reach]) -> int | None:
    """How many bars of each instrument a tail has that is long enough; None where the whole history is hardly longer."""
    bars = whole.bars
    most = max((r.bars for r in reaches), default=0) + SPARE
    size = next((one for one in SIZES if one >= most), None)
    if size is None or bars.day_ends is not None or WORTH * size * len(bars.symbols) > len(bars):
        return None
    return size


def tail_of(whole: Evaluator, ops: Sequence[Op], at: Moment) -> tuple[Tail, list[Reach]] | None:
    """A tail long enough for the operations at a moment, and their reaches; None where the whole history is hardly longer."""
    reaches = [reach(op, whole.bars.frame) for op in ops]
    size = size_for(whole, reaches)
    return None if size is None else (tail_of_size(whole, size, at), reaches)


def tail_of_size(whole: Evaluator, size: int, at: Moment) -> Tail:
    """The tail of so many bars, kept for the next who asks."""
    shared, key = whole.shared, (whole.table, size, at)
    with shared.lock:
        found = shared.tails.get(key)
    if found is None:
        found = Tail(whole, size, at)
    with shared.lock:
        shared.tails[key] = found
        shared.tails.move_to_end(key)
        while len(shared.tails) > MOST_TAILS or (
            len(shared.tails) > 1 and sum(len(t.rows) for t in shared.tails.values()) > MOST_BARS
        ):
            shared.tails.popitem(last=False)
    return found
