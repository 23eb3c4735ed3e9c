"""Evaluates operations over a market, in blocks of whole instruments, on two threads.

Equal operations are computed once. Results asked for are kept by operation, bounded by bytes, so that a rule edited in one line
recomputes that line.
"""

import os
import time
from collections import OrderedDict
from collections.abc import Iterable, Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from itertools import pairwise
from threading import Event, Lock
from typing import Any

import numpy as np
from numba import njit

from wickcore.bars.bars import Bools, Ints, Truth
from wickcore.bars.market import Market
from wickcore.bars.universe import UnknownUniverse
from wickcore.language.operations import Op
from wickcore.measures import cross
from wickcore.measures.frame import TRUE, UNKNOWN
from wickcore.patterns.columns import Seen
from wickcore.scan.block import Block, Column

BLOCK_BARS = 1 << 17
BATCH_BYTES = 256_000_000
SUMMED = 4  # parts in which a column is counted, as many as threads take in turn
MOST_DAYS = 500  # columns of one day that are kept: those of the table of hits, on the evenings last looked at
# What columns that look across instruments may take at one time: each is needed whole before any block can be computed.
ACROSS_BYTES = 600_000_000
# About how many nanoseconds an operation takes a bar; those that look at each bar of their window anew take that many a bar of it.
NANOSECONDS, AGAIN = 4.0, {"corr": 1.5, "mean_dev": 1.0, "median": 0.4, "percentile": 0.4}


class Stopped(Exception):
    """The evaluation was cancelled or ran past its deadline."""


class Limits:
    """When to give up: a deadline in seconds from now and a flag that anyone may set."""

    def __init__(self, seconds: float | None = None, cancel: Event | None = None) -> None:
        self.seconds = seconds
        self.until = None if seconds is None else time.monotonic() + seconds
        self.cancel = cancel

    def check(self) -> None:
        """Raises Stopped when it is time."""
        if self.cancel is not None and self.cancel.is_set():
            raise Stopped("The computation was stopped.")
        if self.until is not None and time.monotonic() > self.until:
            raise Stopped("This took longer than a request may; simplify the rule or narrow the universe.")

    def allow(self, seconds: float) -> None:
        """Raises Stopped at once for what would surely take longer than there is time for."""
        if self.seconds is not None and seconds > 5 * self.seconds:
            raise Stopped(f"This would take about {seconds:,.0f} seconds; use shorter windows, or fewer lines with long ones.")


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


class Evaluator:
    """Columns of operations over one market. Safe to share between threads."""

    def __init__(self, market: Market, cache_bytes: int = 400_000_000, threads: int | None = None) -> None:
        self.market = market
        self._cache: OrderedDict[str, Column] = OrderedDict()
        self._histories: dict[str, History] = {}
        self._days: OrderedDict[tuple[str, int], Column] = OrderedDict()
        self._bytes, self._most = 0, cache_bytes
        self._lock = Lock()
        self._pool = ThreadPoolExecutor(threads or min(2, os.cpu_count() or 1), "evaluate")
        self._blocks = self._split()

    def _split(self) -> list[tuple[int, int]]:
        offsets = self.market.bars.offsets
        blocks, first = [], 0
        for k in range(1, len(offsets)):
            if offsets[k] - offsets[first] >= BLOCK_BARS or k == len(offsets) - 1:
                blocks.append((first, k))
                first = k
        return blocks

    def columns(self, ops: Sequence[Op], limits: Limits | None = None) -> list[Column]:
        """One column an operation, one value a bar: float64 (NaN unknown) for numbers, int8 (0, 1, 2) for conditions.

        Raises Stopped when `limits` say so; nothing half-made is kept.
        """
        with self._lock:
            known = {op.key: self._cache[op.key] for op in ops if op.key in self._cache}
            for key in known:
                self._cache.move_to_end(key)
        missing = list({op.key: op for op in ops if op.key not in known}.values())
        if missing:
            made = self._compute(missing, limits or Limits())
            known.update(made)
            self._keep(made)
        return [known[op.key] for op in ops]

    def column(self, op: Op, limits: Limits | None = None) -> Column:
        """The column of one operation."""
        return self.columns([op], limits)[0]

    def each(self, ops: Sequence[Op], limits: Limits | None = None) -> Iterator[tuple[Op, Column]]:
        """The columns of many operations, a few in memory at a time."""
        size = max(1, BATCH_BYTES // max(1, len(self.market.bars)))
        for portion in self._portions(ops):
            for first in range(0, len(portion), size):
                part = portion[first : first + size]
                yield from zip(part, self.columns(part, limits), strict=True)

    def _portions(self, ops: Sequence[Op]) -> Iterator[Sequence[Op]]:
        """The operations in turn, as many at a time as their columns across instruments leave room for."""
        most = max(1, ACROSS_BYTES // max(1, 8 * len(self.market.bars)))
        part: list[Op] = []
        needed: set[str] = set()
        for op in ops:
            own = _across(op)
            if len(own) > most:
                raise Stopped(
                    f"One line ranks {len(own)} things at once; in a market of this size a line can rank {most}. Split it."
                )
            if len(needed | own) > most:
                yield part
                part, needed = [], set()
            part.append(op)
            needed |= own
        if part:
            yield part

    def at(self, ops: Sequence[Op], positions: Ints, limits: Limits | None = None) -> list[Column]:
        """The operations' values on some bars only; no column of the whole market is made."""
        limits = limits or Limits()
        limits.allow(cost(ops) * len(self.market.bars) / 1e9 / 2)
        return [column for part in self._portions(ops) for column in self._at(part, positions, limits)]

    def on_day(self, ops: Sequence[Op], day: int, limits: Limits | None = None) -> list[Column]:
        """The operations' values on each instrument's bar of one day (NaN or unknown where it has none), kept for the next who asks."""
        keys = [(op.key, day) for op in ops]
        with self._lock:
            found = {key: self._days[key] for key in keys if key in self._days}
        missing = {op.key: op for op, key in zip(ops, keys, strict=True) if key not in found}
        if missing:
            position = self.market.bars.on(day)
            there = np.flatnonzero(position >= 0)
            for op, column in zip(missing.values(), self.at(list(missing.values()), position[there], limits), strict=True):
                whole = np.full(len(position), UNKNOWN if op.result == "condition" else np.nan, column.dtype)
                whole[there] = column
                found[op.key, day] = whole
        with self._lock:
            for key in keys:
                self._days[key] = found[key]
                self._days.move_to_end(key)
            while len(self._days) > MOST_DAYS:
                self._days.popitem(last=False)
        return [found[key] for key in keys]

    def _at(self, ops: Sequence[Op], positions: Ints, limits: Limits) -> list[Column]:
        out = [np.empty(len(positions), np.int8 if op.result == "condition" else np.float64) for op in ops]
        given, uses = self._given(ops, limits), _uses(ops)
        edges = self.market.bars.offsets[[first for first, _ in self._blocks] + [len(self.market.bars.symbols)]]
        place = np.searchsorted(edges, positions, "right") - 1

        def run(number: int) -> None:
            part = Block(self.market, *self._blocks[number], limits.check, given, uses)
            here = np.flatnonzero(place == number)
            for op, column in zip(ops, out, strict=True):
                column[here] = part.take(op)[positions[here] - part.begin]

        list(self._pool.map(run, np.unique(place).tolist()))
        return out

    def rows(self, ops: Sequence[Op], symbol: str, limits: Limits | None = None) -> list[Column]:
        """The columns of one instrument only, computed for it alone."""
        k = self.market.bars.number[symbol]
        limits = limits or Limits()
        block = Block(self.market, k, k + 1, limits.check, self._given(ops, limits), _uses(ops))
        return [block.take(op) for op in ops]

    def seen(self, patterns: Sequence[Op], symbol: str, at: int, limits: Limits | None = None) -> list[list[Seen]]:
        """The patterns that each operation speaks of, as they stand on the instrument's bar number `at` (from 0)."""
        k = self.market.bars.number[symbol]
        limits = limits or Limits()
        columns = [arg for op in patterns for arg in op.args]
        block = Block(self.market, k, k + 1, limits.check, self._given(columns, limits), _uses(columns))
        return [block.seen(op, at) for op in patterns]

    def history(self, op: Op, limits: Limits | None = None) -> History:
        """What a condition was over the whole history."""
        if op.key not in self._histories:
            bars = self.market.bars
            column = self.column(op, limits)
            edges = np.linspace(0, len(bars.symbols), SUMMED + 1).astype(np.int64)
            parts = [bars.offsets[a : b + 1] for a, b in pairwise(edges)]
            true, unknown, instruments = np.sum(list(self._pool.map(lambda part: _summary(column, part), parts)), axis=0)
            size = max(1, len(column))
            if len(self._histories) > 5_000:
                self._histories.clear()
            self._histories[op.key] = History(float(true / size), float(unknown / size), int(instruments))
        return self._histories[op.key]

    def require(self, hits: Bools, column: Truth) -> None:
        """Leaves of the hits those on which the column is true."""
        edges = np.linspace(0, len(hits), SUMMED + 1).astype(np.int64)
        list(self._pool.map(lambda part: _require(hits[slice(*part)], column[slice(*part)]), pairwise(edges)))

    def _compute(self, ops: list[Op], limits: Limits) -> dict[str, Column]:
        total = len(self.market.bars)
        limits.allow(cost(ops) * total / 1e9 / 2)
        out = {op.key: np.empty(total, np.int8 if op.result == "condition" else np.float64) for op in ops}
        given, uses = self._given(ops, limits) | self._sides(ops, limits), _uses(ops)

        def run(block: tuple[int, int]) -> None:
            part = Block(self.market, *block, limits.check, given, uses)
            for op in ops:
                out[op.key][part.begin : part.end] = part.take(op)

        list(self._pool.map(run, self._blocks))
        for column in out.values():
            column.setflags(write=False)
        return out

    def _sides(self, ops: list[Op], limits: Limits) -> dict[str, Column]:
        """What a single line compares with a plain number, kept where there is room: a person who has turned the number once will turn
        it again, and then only the comparison is left to do."""
        if len(ops) != 1 or ops[0].kind != "compare" or ops[0].args[1].kind not in ("constant", "money"):
            return {}
        side = ops[0].args[0]
        fits = 8 * len(self.market.bars) <= self._most / 2
        return {side.key: self._kept(side, lambda: self._compute([side], limits)[side.key])} if fits else {}

    # -- what one block cannot know ----------------------------------------------------------------------------------

    def _given(self, ops: Iterable[Op], limits: Limits) -> dict[str, Column]:
        """Whole columns of the operations that look across instruments, by key; inner ones first."""
        found: dict[str, Column] = {}
        for op in ops:
            self._collect(op, found, set(), limits)
        return found

    def _collect(self, op: Op, found: dict[str, Column], seen: set[str], limits: Limits) -> None:
        if op.key in seen or op.key in found:
            return
        seen.add(op.key)
        for arg in op.args:
            self._collect(arg, found, seen, limits)
        if op.kind == "rank":
            found[op.key] = self._kept(op, lambda: self._rank(op, limits))
        elif op.kind == "benchmark":
            found[op.key] = self._benchmark(op, found, limits)

    def _kept(self, op: Op, make: Any) -> Column:
        with self._lock:
            if op.key in self._cache:
                self._cache.move_to_end(op.key)
                return self._cache[op.key]
        column = make()
        self._keep({op.key: column})
        return column

    def _rank(self, op: Op, limits: Limits) -> Column:
        bars = self.market.bars
        x = self.column(op.args[0], limits)
        group: Ints = bars.session.astype(np.int64)
        counted = self._members(str(op.params[0]))
        if op.params[1] == "sector":
            codes = self.market.sector_codes[bars.owner]
            group = group * (int(codes.max(initial=0)) + 1) + codes
            counted = codes >= 0 if counted is None else counted & (codes >= 0)
        return cross.rank(x, group, counted)

    def _members(self, universe: str) -> Bools | None:
        try:
            return self.market.members(universe)
        except UnknownUniverse:
            return None  # prices from files hold no universes: all symbols are ranked

    def _benchmark(self, op: Op, found: dict[str, Column], limits: Limits) -> Column:
        """By session: the expression on the benchmark's bar of that day."""
        bars = self.market.bars
        condition = op.result == "condition"
        out = np.full(len(bars.sessions), UNKNOWN if condition else np.nan, np.int8 if condition else np.float64)
        k = bars.number.get(self.market.benchmark or "", -1)
        if k >= 0:
            block = Block(self.market, k, k + 1, limits.check, found, _uses([op.args[0]]))
            out[bars.session[block.begin : block.end]] = block.take(op.args[0])
        return out

    def _keep(self, made: dict[str, Column]) -> None:
        with self._lock:
            for key, column in made.items():
                if key not in self._cache:
                    self._cache[key] = column
                    self._bytes += column.nbytes
            while self._bytes > self._most and self._cache:
                _, old = self._cache.popitem(last=False)
                self._bytes -= old.nbytes


def cost(ops: Iterable[Op]) -> float:
    """About how many nanoseconds a bar the operations take, each distinct one once."""
    seen: set[str] = set()

    def walk(op: Op) -> float:
        if op.key in seen:
            return 0.0
        seen.add(op.key)
        window = max((float(p) for p in op.params if not isinstance(p, str)), default=0.0)
        return NANOSECONDS + AGAIN.get(op.kind, 0.0) * window + sum(walk(a) for a in op.args)

    return sum(walk(op) for op in ops)


def _across(op: Op) -> set[str]:
    """The keys of the operations across instruments that one operation rests on."""
    found: set[str] = set()
    seen: set[str] = set()

    def walk(op: Op) -> None:
        if op.key not in seen:
            seen.add(op.key)
            if op.kind == "rank":
                found.add(op.key)
            for arg in op.args:
                walk(arg)

    walk(op)
    return found


def _uses(ops: Iterable[Op]) -> dict[str, int]:
    """How often each operation's column is asked for: once by each distinct operation over it, and once from outside."""
    found: dict[str, int] = {}
    seen: set[str] = set()

    def walk(op: Op) -> None:
        if op.key in seen:
            return
        seen.add(op.key)
        for arg in op.args:
            found[arg.key] = found.get(arg.key, 0) + 1
            walk(arg)

    for op in ops:
        found[op.key] = found.get(op.key, 0) + 1
        walk(op)
    return found
