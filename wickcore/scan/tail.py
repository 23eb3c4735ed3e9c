"""The end of a table of bars as a table of its own, for what is asked of one moment: a scan reads the last few hundred bars of each instrument
instead of all its history, and comes out the same to the last digit.

What looks back over a window of n bars is worked out on the tail alone: sums over windows are made afresh at bars that are told by their place
among all of the instrument (wickcore.measures.rolling), so they come out the same behind twice their window. What a bar long ago may still be
in (smoothed averages, streaks, patterns, windows since an event, what other instruments did at earlier moments) is worked out over the whole
history and laid beside; its values are kept while the market stands.

A tail of bars within the day begins with a session and stands beside all daily bars: what days, weeks and months tell is worked out on those and
the sessions of the tail, and is whole.
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from functools import cache, cached_property, partial
from weakref import ref

import numpy as np

from wickcore.bars.bars import Bars, Ints
from wickcore.bars.frame_names import DAYS, MINUTES, within_day
from wickcore.bars.frames import count_before
from wickcore.bars.moment import Moment
from wickcore.language.operations import Op, each
from wickcore.scan.column_cache import KeptColumns
from wickcore.scan.cross_section import ACROSS
from wickcore.scan.evaluate import Evaluator, Limits
from wickcore.scan.kernels import FRAMED, POINTWISE, WINDOWED, Column

SIZES = (128, 192, 256, 384, 512, 768, 1024, 1536, 2048)  # bars of each instrument: few sizes, so that rules share them
SPARE = 48  # bars beyond what a rule needs, over which a run of hits is followed back
MOST_TAILS = 3
MOST_BARS = 6_000_000  # of all tails that are kept, and of the daily bars woven into them, 64 bytes each
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
    it looks across instruments at its own moment. within: whether bars within the day are in it. days: on bars within the day, how many daily
    bars before its day's it may hang on; None for all."""

    bars: int
    laid: frozenset[Op] = frozenset()
    across: bool = False
    within: bool = False
    days: int | None = 0


def reach(op: Op, frame: str, alone: bool = False) -> Reach:
    """Of an operation on a table with bars of that frame. alone: whether there are days that only bars within them tell."""
    found: dict[str, Reach] = {}
    for one in each(op):
        found[one.key] = _reach(one, [found[a.key] for a in one.args], frame, alone)
    return found[op.key]


def _reach(op: Op, inner: Sequence[Reach], frame: str, alone: bool) -> Reach:
    within = any(r.within for r in inner) or (op.kind in FRAMED and within_day(op.frame))
    # Days beside bars within them: their history is there, whatever the tail leaves out.
    beside = within_day(frame) and not within and not any(r.laid for r in inner)
    own_days: int | None = 0
    if op.kind in ACROSS:
        summed = op.kind == "breadth" and op.params[1] == "sum"
        own, own_days = (None, 0) if summed and not beside else (0, None if summed else 0)
    elif beside and op.kind in FRAMED:
        own, own_days = 0, _own(op, "day")
        if own_days != 0 and any(r.across for r in inner):  # a day that ended with a bar within it met what others were then
            own, own_days = None if alone else 0, None
    else:
        own = _own(op, frame)
    # What others did at earlier moments may lie before their tails.
    if own is None or (own and any(r.across for r in inner)):
        return Reach(0, frozenset((op,)), within=within)
    return Reach(
        own + max((r.bars for r in inner), default=0),
        frozenset().union(*(r.laid for r in inner)),
        op.kind in ACROSS or any(r.across for r in inner),
        within,
        _sum(own_days, *(r.days for r in inner)),
    )


def _sum(own: int | None, *inner: int | None) -> int | None:
    known = [d for d in inner if d is not None]
    return None if own is None or len(known) < len(inner) else own + max(known, default=0)


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
    """The last so many bars of each instrument up to a moment. rows: their positions in the whole table, one after another. numbers: the only
    instruments that are in it; None for all."""

    def __init__(self, whole: Evaluator, size: int, at: Moment, numbers: Ints | None = None) -> None:
        self.market, self.table, self.size, self.at = whole.market, whole.table, size, at
        self._shared = ref(whole.shared)  # which holds the tail: nothing large waits for the collector when a market goes
        bars, market = whole.bars, whole.market
        ends = bars.ends(at)
        begins = np.maximum(bars.offsets[:-1], ends - size)
        if within_day(bars.frame):  # whole sessions, and all that no daily bar tells
            begins = np.minimum(_with_session(bars, begins), bars.ends_of(market.first_alone - 1))
        if numbers is not None:
            begins = np.where(np.isin(np.arange(len(begins)), numbers), begins, ends)
        lengths = ends - begins
        offsets = np.concatenate([[0], np.cumsum(lengths)]).astype(np.int64)
        self.rows: Ints = np.repeat(begins - offsets[:-1], lengths) + np.arange(offsets[-1])
        self.begins, self.offsets, self.complete = begins, offsets, begins == bars.offsets[:-1]
        taken = bars.runs(begins, offsets, whole.shared.pool.map)
        self._table = replace(taken, before=cache(partial(count_before, bars, rows=begins)))
        self._near: dict[int, Evaluator] = {}
        self._room = whole.shared.kept.most
        self._laid = KeptColumns(self._room // 8)

    @property
    def whole(self) -> Evaluator:
        """The evaluator of the whole history: whoever asks a tail has it."""
        shared = self._shared()
        assert shared is not None
        return Evaluator(self.market, table=self.table, shared=shared)

    @cached_property
    def engine(self) -> Evaluator:
        """On the tail's bars; beside them, where they are within the day, stand all daily bars."""
        market = self.market
        others = (t for t in (market.bars, *market.tables) if t.frame != self._table.frame)
        return self._beside((*{t.frame: t for t in others}.values(), self._table), "")

    def engine_for(self, needed: Reach) -> Evaluator:
        """As `engine`; where no more than so many daily bars are needed, only those stand beside."""
        size = None if needed.days is None else next((one for one in SIZES[:5:4] if one >= needed.days), None)
        if self.table == "day" or size is None:
            return self.engine
        with self.whole.shared.lock:
            if size not in self._near:
                self._near[size] = self._beside((self._days(size), self._table), f" {size} days")
            return self._near[size]

    def _beside(self, tables: tuple[Bars, ...], said: str) -> Evaluator:
        version = f"{self.market.version} tail {self.size}{said} {self.at}"
        return self.whole.beside(replace(self.market, tables=tables, version=version), self._room // 16)

    def _days(self, size: int) -> Bars:
        """The daily bars of the tail's sessions, and so many before each instrument's first of them."""
        bars, at = self.market.bars, self.at.day
        first = np.full(len(bars.symbols), at)
        some = np.diff(self.offsets) > 0
        first[some] = self._table.days[self.offsets[:-1][some]]
        begins = np.maximum(bars.ends_of(first - 1) - size, bars.offsets[:-1])
        lengths = bars.ends_of(np.full(len(first), at)) - begins
        offsets = np.concatenate([[0], np.cumsum(lengths)]).astype(np.int64)
        return replace(
            bars.runs(begins, offsets, self.whole.shared.pool.map), before=cache(partial(count_before, bars, rows=begins))
        )

    @property
    def held(self) -> int:
        """How many bars it holds in memory."""
        woven = within_day(self._table.frame) and "engine" in self.__dict__
        return len(self.rows) + (len(self.market.bars) if woven else 0)

    @cached_property
    def last_step(self) -> int:
        """The index of the moment among those of the tail."""
        return int(self._table.step.max(initial=0))

    def place(self, positions: Ints) -> Ints:
        """Where bars of the whole table, none before its tail, stand in it."""
        owner = np.searchsorted(self.whole.bars.offsets, positions, "right") - 1
        return self.offsets[owner] + positions - self.begins[owner]

    def columns(self, ops: Sequence[Op], reaches: Sequence[Reach], limits: Limits | None = None) -> list[Column]:
        """The operations on the tail's bars; true to the whole history from `sound` on."""
        below = {(self.table, op.key): op for r in reaches for op in r.laid}
        laid = self._laid.those_of(below)
        missing = {place: op for place, op in below.items() if place not in laid}
        if missing:
            made = dict(zip(missing, self.whole.some(list(missing.values()), self.rows, self.offsets, limits), strict=True))
            laid |= made
            self._laid.keep(made)
        given = {key: column for (_, key), column in laid.items()}
        return self._by_engine(ops, reaches, lambda engine, own: engine.columns(own, limits, given))

    def at_places(self, ops: Sequence[Op], reaches: Sequence[Reach], places: Ints, limits: Limits | None = None) -> list[Column]:
        """Operations of which nothing is laid, on some bars of the tail."""
        return self._by_engine(ops, reaches, lambda engine, own: engine.at(own, places, limits))

    def _by_engine(
        self, ops: Sequence[Op], reaches: Sequence[Reach], work: Callable[[Evaluator, list[Op]], list[Column]]
    ) -> list[Column]:
        engines = [self.engine_for(needed) for needed in reaches]
        found: dict[int, Column] = {}
        for engine in {id(one): one for one in engines}.values():
            own = [i for i, one in enumerate(engines) if one is engine]
            found |= zip(own, work(engine, [ops[i] for i in own]), strict=True)
        return [found[i] for i in range(len(ops))]

    def sound(self, needed: Reach) -> Ints:
        """For each instrument the first place in the tail at which what needs so much is true to the whole history."""
        first = self.offsets[:-1] + np.where(self.complete, 0, needed.bars)
        if needed.across:  # so far back as every instrument's bar of the moment is sure to be in its tail
            bars = self._table
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


def reaches_of(whole: Evaluator, ops: Sequence[Op]) -> list[Reach]:
    """Of operations on the evaluator's table."""
    inner = within_day(whole.bars.frame)
    alone = inner and bool((whole.market.first_alone < whole.bars.last_moment.day).any())
    return [reach(op, whole.bars.frame, alone) for op in ops]


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
    reaches = reaches_of(whole, ops)
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
        while len(shared.tails) > MOST_TAILS or (len(shared.tails) > 1 and sum(t.held for t in shared.tails.values()) > MOST_BARS):
            shared.tails.popitem(last=False)
    return found
