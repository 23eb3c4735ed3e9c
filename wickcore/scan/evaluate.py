"""Evaluates operations over a market, in blocks of whole instruments, on two threads.

Equal operations are computed once. Results asked for are kept by table and operation, bounded by bytes, so that a rule edited in one line
recomputes that line.
"""

import os
from collections import OrderedDict
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from concurrent.futures import FIRST_EXCEPTION, ThreadPoolExecutor, wait
from dataclasses import dataclass, field
from functools import cached_property, partial
from itertools import pairwise
from threading import Event, Lock
from typing import Any

import numpy as np
from numba import njit

from wickcore.bars.bars import Bars, Bools, Ints, Truth
from wickcore.bars.market import Market
from wickcore.bars.moment import Moment, moment_of
from wickcore.language.operations import Op
from wickcore.measures.frame import TRUE
from wickcore.patterns.columns import Seen
from wickcore.scan.block import Block
from wickcore.scan.column_cache import KeptColumns
from wickcore.scan.cross_section import ACROSS, named, rank_at
from wickcore.scan.kernels import Column
from wickcore.scan.limits import Limits as Limits
from wickcore.scan.limits import Stopped as Stopped
from wickcore.scan.limits import TooHeavy
from wickcore.scan.plan import Place, across, by_bar, cost, heaviest, momentary, uses, walk

# Columns of a megabyte: longer ones leave the processor's cache, and of shorter ones there are so many that handing them out takes its time.
BLOCK_BARS = 1 << 17
BATCH_BYTES = 256_000_000
SUMMED = 4  # parts in which a column is counted, as many as threads take in turn
MOST_HISTORIES = 5_000
FEW = 20  # moments that are asked for are few where there are so many times as many
# What columns that look across instruments may take at one time: each is needed whole before any block can be computed.
ACROSS_BYTES = 600_000_000
NOTHING: Mapping[str, Column] = {}


@dataclass(frozen=True, slots=True)
class History:
    """true, unknown: shares of all bars. instruments: for how many it was ever true."""

    true: float
    unknown: float
    instruments: int


@njit(nogil=True, cache=True)
def _summary(column: Truth, offsets: Ints) -> Any:
    true, unknown, instruments = 0, 0, 0
    for k in range(len(offsets) - 1):
        ones, twos = 0, 0
        for i in range(offsets[k], offsets[k + 1]):
            ones += column[i] & 1
            twos += column[i] >> 1
        true += twos
        unknown += ones
        instruments += twos > 0
    return true, unknown, instruments


@njit(nogil=True, cache=True)
def _require(hits: Bools, column: Truth) -> None:
    for i in range(len(hits)):
        hits[i] &= column[i] == TRUE


class Shared:
    """What the evaluators of one market, each standing on a table of its own, have in common."""

    def __init__(self, market: Market, cache_bytes: int, threads: int | None, pool: ThreadPoolExecutor | None = None) -> None:
        self.market = market
        self.kept = KeptColumns(cache_bytes)
        self.histories: dict[Place, History] = {}
        self.moments: OrderedDict[tuple[str, str, Moment], Column] = OrderedDict()  # of wickcore.scan.at_moment
        self.tails: OrderedDict[tuple[str, int, Moment], Any] = OrderedDict()  # of wickcore.scan.tail
        self.lock = Lock()
        self.pool = pool or ThreadPoolExecutor(threads or min(2, os.cpu_count() or 1), "evaluate")

    def run(self, work: Callable[[Any], None], items: Iterable[Any], stop: Event) -> None:
        """Does the work for every item on the pool's threads. When one fails the others are stopped, and it is raised once all have ended:
        nothing goes on working for a caller who was told that it is over. A single item is worked on here: handing it over costs more than most
        small tables do."""
        items = list(items)
        if len(items) == 1:
            work(items[0])
            return
        waiting = [self.pool.submit(work, item) for item in items]
        done, left = wait(waiting, return_when=FIRST_EXCEPTION)
        if left:
            stop.set()
            for future in left:
                future.cancel()
            wait(left)
        failed = [error for future in done if (error := future.exception()) is not None]
        if failed:
            raise failed[0]


class Evaluator:
    """Columns of operations over one market, on the bars of one of its tables. Safe to share between threads.

    table: `day`, `5min` or `mixed`: the bars that columns have a value for.
    """

    def __init__(
        self, market: Market, cache_bytes: int = 400_000_000, threads: int | None = None, table: str = "day", shared: Shared | None = None
    ) -> None:  # fmt: skip
        self._shared = shared or Shared(market, cache_bytes, threads)
        self.market, self.table = market, table

    @cached_property
    def bars(self) -> Bars:
        """The bars of its table."""
        return self.market.table(self.table)

    def on(self, table: str) -> "Evaluator":
        """The evaluator of the same market on another table's bars; what is computed is shared."""
        return self if table == self.table else Evaluator(self.market, table=table, shared=self._shared)

    def beside(self, market: Market, cache_bytes: int) -> "Evaluator":
        """An evaluator of another market on the same table and threads."""
        return Evaluator(market, table=self.table, shared=Shared(market, cache_bytes, None, self._shared.pool))

    @property
    def shared(self) -> Shared:
        """What is common to all evaluators of this market."""
        return self._shared

    def stepping(self, frame: str, at: Moment | int | None = None) -> "Evaluator":
        """The evaluator on whose bars a rule of this frame stands at a moment."""
        return self.on(self.market.stepping(frame, None if at is None else moment_of(at)))

    def columns(self, ops: Sequence[Op], limits: Limits | None = None, laid: Mapping[str, Column] = NOTHING) -> list[Column]:
        """One column an operation, one value a bar: float64 (NaN unknown) for numbers, int8 (0, 1, 2) for conditions.

        laid: columns of operations below them that are known already, by key. Raises Stopped when `limits` say so; nothing half-made is kept.
        """
        known = self._shared.kept.those_of((self.table, op.key) for op in ops)
        missing = list({op.key: op for op in ops if (self.table, op.key) not in known}.values())
        if missing:
            made = self._compute(missing, limits or Limits(), laid=laid)
            known.update(made)
            self._shared.kept.keep(made)
        return [known[self.table, op.key] for op in ops]

    def column(self, op: Op, limits: Limits | None = None) -> Column:
        """The column of one operation."""
        return self.columns([op], limits)[0]

    def each(self, ops: Sequence[Op], limits: Limits | None = None) -> Iterator[tuple[Op, Column]]:
        """The columns of many operations, a few in memory at a time."""
        size = max(1, BATCH_BYTES // max(1, len(self.bars)))
        for portion in self._portions(ops):
            for first in range(0, len(portion), size):
                part = portion[first : first + size]
                yield from zip(part, self.columns(part, limits), strict=True)

    def _portions(self, ops: Sequence[Op]) -> Iterator[Sequence[Op]]:
        """The operations in turn, as many at a time as their columns across instruments leave room for."""
        most = max(1, ACROSS_BYTES // max(1, 8 * len(self.bars)))
        part: list[Op] = []
        needed: set[Place] = set()
        for op in ops:
            own = across(op, self.table)
            if len(own) > most:
                raise TooHeavy(
                    f"One line ranks {len(own)} things at once; in a market of this size a line can rank {most}. Split it.", True
                )
            if len(needed | own) > most:
                yield part
                part, needed = [], set()
            part.append(op)
            needed |= own
        if part:
            yield part

    def _allow(self, ops: Sequence[Op], limits: Limits) -> None:
        limits.allow(cost(ops, self.table) * len(self.bars) / 1e9 / 2, lambda: heaviest(ops, self.table))

    def at(self, ops: Sequence[Op], positions: Ints, limits: Limits | None = None) -> list[Column]:
        """The operations' values on some bars only; no column of the whole market is made."""
        limits = limits or Limits()
        self._allow(ops, limits)
        return [column for part in self._portions(ops) for column in self._at(part, positions, limits)]

    def at_apart(self, ops: Sequence[Op], positions: Ints, owners: Ints, limits: Limits | None = None) -> list[Column]:
        """As `at`, of few instruments, worked out for them alone; nothing that looks across. owners: the instrument of each position."""
        small = self.beside(self.market.of_some(np.unique(owners), self._shared.pool.map), 0)
        moved = small.bars.offsets[:-1] - self.bars.offsets[:-1]
        return small.at(ops, positions + moved[owners], limits)

    def _at(self, ops: Sequence[Op], positions: Ints, limits: Limits) -> list[Column]:
        out = [np.empty(len(positions), np.int8 if op.result == "condition" else np.float64) for op in ops]
        given, asked = self._given(ops, limits, positions), uses(ops, self.table)
        blocks, stop = self._blocks(), Event()
        edges = self.bars.offsets[[first for first, _ in blocks] + [len(self.bars.symbols)]]
        place = np.searchsorted(edges, positions, "right") - 1

        def run(number: int) -> None:
            part = Block(self.market, *blocks[number], _checking(limits, stop), given, asked)
            here = np.flatnonzero(place == number)
            begin = part.rows(self.table).begin
            for op, column in zip(ops, out, strict=True):
                column[here] = part.take_at(op, self.table, positions[here] - begin)

        self._shared.run(run, np.unique(place).tolist(), stop)
        return out

    def some(self, ops: Sequence[Op], rows: Ints, offsets: Ints, limits: Limits | None = None) -> list[Column]:
        """The operations' values on some bars of each instrument: rows[offsets[k]:offsets[k + 1]] are positions of instrument k's, ascending. No
        column of the whole market is made."""
        limits, stop = limits or Limits(), Event()
        self._allow(ops, limits)
        out = [np.empty(len(rows), np.int8 if op.result == "condition" else np.float64) for op in ops]
        for part in self._portions(ops):
            given, asked, made = self._given(part, limits), uses(part, self.table), {op.key: i for i, op in enumerate(ops)}

            def run(
                block: tuple[int, int], part: Sequence[Op] = part, given: Any = given, asked: Any = asked, made: Any = made
            ) -> None:
                inner = Block(self.market, *block, _checking(limits, stop), given, asked)
                here, begin = slice(offsets[block[0]], offsets[block[1]]), inner.rows(self.table).begin
                for op in part:
                    out[made[op.key]][here] = inner.take(op, self.table)[rows[here] - begin]

            self._shared.run(run, self._blocks(), stop)
        return out

    def rows(self, ops: Sequence[Op], symbol: str, limits: Limits | None = None) -> list[Column]:
        """The columns of one instrument only, computed for it alone."""
        block = self._one(ops, self.market.bars.number[symbol], limits or Limits())
        return [block.take(op, self.table) for op in ops]

    def seen(self, patterns: Sequence[Op], symbol: str, at: int, limits: Limits | None = None) -> list[list[Seen]]:
        """The patterns that each operation speaks of, as they stand on the instrument's bar number `at` (from 0)."""
        block = self._one([arg for op in patterns for arg in op.args], self.market.bars.number[symbol], limits or Limits())
        return [block.seen(op, self.table, at) for op in patterns]

    def _one(self, ops: Sequence[Op], k: int, limits: Limits) -> Block:
        engine = self._beside_few(ops, k)
        return Block(engine.market, k, k + 1, limits.check, engine._given(ops, limits), uses(ops, self.table))

    def _beside_few(self, ops: Sequence[Op], k: int) -> "Evaluator":
        """Where days and minutes stand in one table those of all need not be put in order for one instrument and the few that it is held
        against; itself where it is held against all."""
        few, number = {k}, self.market.bars.number
        for op, _ in walk(ops, self.table):
            if op.kind in ACROSS:
                symbol = named(op, self.market)
                if symbol is None:
                    return self
                few |= {number[symbol]} if symbol in number else set()
        return self if self.table == "day" else self.beside(self.market.of_some(sorted(few)), 0)

    def history(self, op: Op, limits: Limits | None = None) -> History:
        """What a condition was over the whole history."""
        place, histories = (self.table, op.key), self._shared.histories
        found = histories.get(place)
        if found is None:
            column = self.column(op, limits)
            edges = np.linspace(0, len(self.bars.symbols), SUMMED + 1).astype(np.int64)
            parts = [self.bars.offsets[a : b + 1] for a, b in pairwise(edges)]
            true, unknown, instruments = np.sum(list(self._shared.pool.map(lambda part: _summary(column, part), parts)), axis=0)
            size = max(1, len(column))
            found = History(float(true / size), float(unknown / size), int(instruments))
            if len(histories) > MOST_HISTORIES:
                histories.clear()
            histories[place] = found
        return found

    def require(self, hits: Bools, column: Truth) -> None:
        """Leaves of the hits those on which the column is true."""
        edges = np.linspace(0, len(hits), SUMMED + 1).astype(np.int64)
        list(self._shared.pool.map(lambda part: _require(hits[slice(*part)], column[slice(*part)]), pairwise(edges)))

    def _blocks(self) -> list[tuple[int, int]]:
        """Instruments that are computed together: first, and the one after the last."""
        offsets = self.bars.offsets
        blocks, first = [], 0
        for k in range(1, len(offsets)):
            if offsets[k] - offsets[first] >= BLOCK_BARS or k == len(offsets) - 1:
                blocks.append((first, k))
                first = k
        return blocks

    def whole(self, limits: Limits | None = None) -> "_Whole":
        """What the registry of operations across instruments computes with."""
        return _Whole(self, {}, limits or Limits())

    def write(self, ops: Sequence[Op], out: Sequence[Column], limits: Limits | None = None) -> None:
        """Writes the operations' columns into rows that are there already; nothing is kept. Raises Stopped."""
        self._compute(list(ops), limits or Limits(), {(self.table, op.key): row for op, row in zip(ops, out, strict=True)})

    def _compute(
        self, ops: list[Op], limits: Limits, out: dict[Place, Column] | None = None, laid: Mapping[str, Column] = NOTHING
    ) -> dict[Place, Column]:
        total, table = len(self.bars), self.table
        self._allow(ops, limits)
        if out is None:
            out = {(table, op.key): np.empty(total, np.int8 if op.result == "condition" else np.float64) for op in ops}
        given, asked, stop = self._given(ops, limits, laid=laid), uses(ops, table), Event()
        given |= {} if laid else self._sides(ops, limits)

        def run(block: tuple[int, int]) -> None:
            part = Block(self.market, *block, _checking(limits, stop), given, asked)
            rows = part.rows(table)
            for op in ops:
                out[table, op.key][rows.begin : rows.end] = part.take(op, table)

        self._shared.run(run, self._blocks(), stop)
        return out

    def _sides(self, ops: list[Op], limits: Limits) -> dict[Place, Column]:
        """What a single line compares with a plain number, kept where there is room: a person who has turned the number once will turn
        it again, and then only the comparison is left to do."""
        if len(ops) != 1 or ops[0].kind != "compare" or ops[0].args[1].kind not in ("constant", "money"):
            return {}
        side = ops[0].args[0]
        place = self.table, side.key
        if 8 * len(self.bars) > self._shared.kept.most / 2:
            return {}
        return {(by_bar(self.table), side.key): self._shared.kept.made(place, lambda: self._compute([side], limits)[place])}

    def _given(
        self, ops: Iterable[Op], limits: Limits, positions: Ints | None = None, laid: Mapping[str, Column] = NOTHING
    ) -> dict[Place, Column]:
        """Whole columns of the operations that look across instruments, inner ones first, and what is laid already, which they may rest on.
        positions: the only bars that are asked for: a rank that is read on these alone is not worked out at all other moments."""
        found: dict[Place, Column] = {(by_bar(self.table), key): column for key, column in laid.items()}
        ops, at, steps = list(ops), set(), np.empty(0, np.int64)
        if positions is not None and (momentarily := momentary(ops, self.table)):
            steps = np.unique(self.bars.step[positions])
            at = momentarily if len(steps) * FEW < len(self.bars.moments) else set()
        for op, table in walk(ops, self.table, laid.keys()):
            if (table, op.key) in at and not self._shared.kept.those_of([(table, op.key)]):
                found[table, op.key] = rank_at(_Whole(self, found, limits), op, table, steps)
            elif op.kind in ACROSS:
                entry = ACROSS[op.kind]
                made = partial(entry.make, _Whole(self, found, limits, laid), op, table)
                # One value a moment is no column of the table, and must not be taken for one.
                kept_as = f"{table} by moment" if entry.by_step else table
                found[table, op.key] = self._shared.kept.made((kept_as, op.key), made)
        return found


@dataclass(frozen=True, slots=True)
class _Whole:
    """What the registry of `across` needs, with the whole columns made so far."""

    evaluator: Evaluator
    given: dict[Place, Column]
    limits: Limits
    laid: Mapping[str, Column] = field(default_factory=dict)

    @property
    def market(self) -> Market:
        return self.evaluator.market

    def whole(self, op: Op, table: str) -> Column:
        own = self.laid if table == self.evaluator.table else NOTHING
        return self.evaluator.on(table).columns([op], self.limits, own)[0]

    def some(self, op: Op, table: str, rows: Ints) -> Column:
        return self.evaluator.on(table).at([op], rows, self.limits)[0]

    def of_one(self, op: Op, table: str, instrument: int) -> Column:
        block = Block(self.market, instrument, instrument + 1, self.limits.check, self.given, uses([op], table))
        return block.take(op, table)


def _checking(limits: Limits, stop: Event) -> Callable[[], None]:
    """The limits' check that also heeds the failure of another block."""

    def check() -> None:
        if stop.is_set():
            raise Stopped("The computation was stopped.")
        limits.check()

    return check
