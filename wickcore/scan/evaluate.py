"""Evaluates operations over a market, in blocks of whole instruments, on two threads.

Equal operations are computed once. Results asked for are kept by operation, bounded by bytes, so that a rule edited in one line
recomputes that line.
"""

import os
import time
from collections import OrderedDict
from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor
from threading import Event, Lock
from typing import Any

import numpy as np

from wickcore.bars.bars import Bools, Floats, Ints
from wickcore.bars.frames import commits, so_far
from wickcore.bars.market import Market
from wickcore.language.operations import Op
from wickcore.measures import pointwise, windows
from wickcore.measures.facts import FactReader

BLOCK_BARS = 1 << 16
Column = Any  # Floats or Truth, by the operation's result

_WINDOWS: dict[str, Callable[..., Column]] = {
    "sma": windows.sma, "ema": windows.ema, "rma": windows.rma, "wma": windows.wma, "stdev": windows.stdev, "sum": windows.sum_,
    "highest": windows.highest, "lowest": windows.lowest, "held": windows.held, "once": windows.once, "count": windows.count,
    "bars_since": windows.bars_since,
}  # fmt: skip
_POINTWISE: dict[str, Callable[..., Column]] = {
    "+": pointwise.add, "-": pointwise.subtract, "*": pointwise.multiply, "/": pointwise.divide, "negate": pointwise.negate,
    "abs": np.abs, "sqrt": pointwise.sqrt, "log": pointwise.log, "max": np.maximum, "min": np.minimum, "not": pointwise.not_,
    "and": pointwise.and_, "or": pointwise.or_, "any": pointwise.or_, "all": pointwise.and_,
}  # fmt: skip


class Stopped(Exception):
    """The evaluation was cancelled or ran past its deadline."""


class Limits:
    """When to give up: a deadline in seconds from now and a flag that anyone may set."""

    def __init__(self, seconds: float | None = None, cancel: Event | None = None) -> None:
        self.until = None if seconds is None else time.monotonic() + seconds
        self.cancel = cancel

    def check(self) -> None:
        """Raises Stopped when it is time."""
        if self.cancel is not None and self.cancel.is_set():
            raise Stopped("The computation was stopped.")
        if self.until is not None and time.monotonic() > self.until:
            raise Stopped("This took longer than a request may; simplify the rule or narrow the universe.")


class Evaluator:
    """Columns of operations over one market. Safe to share between threads."""

    def __init__(self, market: Market, cache_bytes: int = 400_000_000, threads: int | None = None) -> None:
        self.market = market
        self._cache: OrderedDict[str, Column] = OrderedDict()
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

    def rows(self, ops: Sequence[Op], symbol: str) -> list[Column]:
        """The columns of one instrument only, computed for it alone."""
        k = self.market.bars.number[symbol]
        block = Block(self.market, k, k + 1, Limits())
        return [block.full(op) for op in ops]

    def _compute(self, ops: list[Op], limits: Limits) -> dict[str, Column]:
        total = len(self.market.bars)
        out = {op.key: np.empty(total, np.int8 if op.result == "condition" else np.float64) for op in ops}

        def run(block: tuple[int, int]) -> None:
            part = Block(self.market, *block, limits)
            for op in ops:
                out[op.key][part.begin : part.end] = part.full(op)

        list(self._pool.map(run, self._blocks))
        for column in out.values():
            column.setflags(write=False)
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


class Block:
    """Whole instruments first:last, evaluated together; every operation once."""

    def __init__(self, market: Market, first: int, last: int, limits: Limits) -> None:
        bars = market.bars
        self.market, self.first, self.last, self.limits = market, first, last, limits
        self.begin, self.end = int(bars.offsets[first]), int(bars.offsets[last])
        self.offsets: Ints = bars.offsets[first : last + 1] - self.begin
        self.days = bars.days[self.begin : self.end]
        self.factor = bars.factor[self.begin : self.end]
        self._done: dict[str, Column] = {}
        self._commits: dict[str, Bools] = {}

    def full(self, op: Op) -> Column:
        """The operation's column, one value a bar even where it is a constant."""
        column = self.evaluate(op)
        if np.ndim(column) == 0:
            return np.full(self.end - self.begin, column)
        return column

    def evaluate(self, op: Op) -> Column:
        done = self._done.get(op.key)
        if done is None:
            self.limits.check()
            done = self._done[op.key] = self._evaluate(op)
        return done

    def _commit(self, frame: str) -> Bools:
        if frame not in self._commits:
            self._commits[frame] = commits(self.days, self.offsets, frame)
        return self._commits[frame]

    def _evaluate(self, op: Op) -> Column:
        kind = op.kind
        if kind == "constant":
            return np.float64(op.params[0])
        if kind == "money":
            return self._scale(np.float64(op.params[0]), float(op.params[1]))
        if kind == "field":
            return self._field(str(op.params[0]), op.frame)
        if kind == "fact":
            return FactReader(self.market, self.first, self.last).read(str(op.params[0]))
        if kind == "text_in":
            return self._text_in(op)
        if kind == "compare":
            a, b = (np.atleast_1d(self.evaluate(x)) for x in op.args)
            out = pointwise.compare(a, b, str(op.params[0]))
            return out if len(out) == self.end - self.begin else np.full(self.end - self.begin, out[0])
        if kind == "unscale":
            return self._scale(self.evaluate(op.args[0]), -float(op.params[0]))
        if kind in ("least", "none"):
            parts = tuple(self.full(a) for a in op.args)
            return pointwise.at_least(parts, int(op.params[0])) if kind == "least" else pointwise.not_(pointwise.or_(*parts))
        if kind in _POINTWISE:
            return _POINTWISE[kind](*(np.asarray(self.evaluate(a)) for a in op.args))
        return self._windowed(op)

    def _windowed(self, op: Op) -> Column:
        x = self.full(op.args[0])
        commit = self._commit(op.frame)
        n = [int(p) for p in op.params]
        if op.kind == "ago":
            kernel = windows.ago_truth if op.result == "condition" else windows.ago
            return kernel(x, self.offsets, commit, n[0])
        return _WINDOWS[op.kind](x, self.offsets, commit, *n)

    def _scale(self, x: Floats | np.float64, degree: float) -> Floats:
        """x * factor ** degree, rounded exactly as the fields are, so that a printed price equals the money it meets."""
        if degree == 1:
            return np.asarray(x * self.factor)
        if degree == -1:
            return np.asarray(x / self.factor)
        return np.asarray(x * np.power(self.factor, degree))

    def _field(self, name: str, frame: str) -> Floats:
        printed = getattr(self.market.bars, name)[self.begin : self.end]
        scaled = self._scale(printed, -1 if name == "volume" else 1)
        return so_far(scaled, name, self.days, self.offsets, frame)

    def _text_in(self, op: Op) -> Column:
        name = str(op.args[0].params[0])
        texts = self.market.bars.symbols if name == "symbol" else self.market.texts.get(name, ())
        wanted = set(op.params)
        per = np.full(self.last - self.first, windows.UNKNOWN, np.int8)
        for j, text in enumerate(texts[self.first : self.last]):
            if text:
                per[j] = windows.TRUE if text in wanted else windows.FALSE
        return np.repeat(per, np.diff(self.offsets))
