"""Whole instruments evaluated together: the plumbing between operations and kernels."""

from collections.abc import Callable
from typing import Any

import numpy as np

from wickcore.bars.bars import Floats, Ints
from wickcore.bars.frames import commits, period, so_far
from wickcore.bars.market import Market
from wickcore.language.operations import Op
from wickcore.measures import counts, fits, ordered, pointwise, swings, windows
from wickcore.measures.facts import FactReader
from wickcore.measures.frame import FALSE, TRUE, UNKNOWN, Frame
from wickcore.patterns.columns import Columns, Seen, pattern, seen

Column = Any  # Floats or Truth, by the operation's result

# Kernels over a window take their columns, the frame, then the operation's whole numbers.
WINDOWED: dict[str, Callable[..., Column]] = {
    "sma": windows.sma, "ema": windows.ema, "rma": windows.rma, "wma": windows.wma, "stdev": windows.stdev, "sum": windows.sum_,
    "highest": windows.highest, "lowest": windows.lowest, "mean_dev": windows.mean_dev, "ema_by": windows.ema_by,
    "ago": counts.ago, "held": counts.held, "once": counts.once, "count": counts.count, "bars_since": counts.bars_since,
    "streak": counts.streak, "value_at": counts.value_at, "sum_since": counts.sum_since, "total": counts.total,
    "slope": fits.slope, "fit": fits.fit, "corr": fits.corr, "median": ordered.median, "percentile": ordered.percentile,
    "bars_since_highest": ordered.bars_since_highest, "bars_since_lowest": ordered.bars_since_lowest, "ha_open": swings.ha_open,
    "swing_high": swings.swing_high, "swing_low": swings.swing_low, "is_swing_high": swings.is_swing_high,
    "is_swing_low": swings.is_swing_low, "zigzag_high": swings.zigzag_high, "zigzag_low": swings.zigzag_low,
    "is_zigzag_high": swings.is_zigzag_high, "is_zigzag_low": swings.is_zigzag_low,
}  # fmt: skip
POINTWISE: dict[str, Callable[..., Column]] = {
    "+": np.add, "-": np.subtract, "*": pointwise.multiply, "/": pointwise.divide, "negate": np.negative, "abs": np.abs,
    "sqrt": pointwise.sqrt, "log": pointwise.log, "round": pointwise.rounded, "max": np.maximum, "min": np.minimum,
    "pick": pointwise.pick, "not": pointwise.not_, "and": pointwise.and_, "or": pointwise.or_, "any": pointwise.or_,
    "all": pointwise.and_,
}  # fmt: skip


class Block:
    """Instruments first:last; every operation is computed once.

    check: called before each operation; raises when it is time to stop. given: whole columns of operations known already, by key,
    among them those that look across instruments (`benchmark` one value a session, all others one a bar of the market).
    """

    def __init__(
        self, market: Market, first: int, last: int, check: Callable[[], None], given: dict[str, Column], uses: dict[str, int]
    ) -> None:
        bars = market.bars
        self.market, self.first, self.last, self.check, self.given = market, first, last, check, given
        self.begin, self.end = int(bars.offsets[first]), int(bars.offsets[last])
        self.offsets: Ints = bars.offsets[first : last + 1] - self.begin
        self.days = bars.days[self.begin : self.end]
        self._left = dict(uses)
        self._done: dict[str, Column] = {}
        self._frames: dict[str, Frame] = {}
        self._periods: dict[str, Ints] = {}

    def full(self, op: Op) -> Column:
        """The operation's column, one value a bar even where it is a constant."""
        with np.errstate(all="ignore"):  # the unknown is a NaN and meant to pass through
            column = self.evaluate(op)
        if np.ndim(column) == 0:
            return np.full(self.end - self.begin, column)
        return column

    def take(self, op: Op) -> Column:
        """As `full`, for what was asked for from outside: its use is counted."""
        column = self.full(op)
        self._leave(op.key)
        return column

    def evaluate(self, op: Op) -> Column:
        """The operation's column, or a single value for a constant."""
        done = self._done.get(op.key)
        if done is None:
            self.check()
            done = self._done[op.key] = self._evaluate(op)
            for arg in op.args:
                self._leave(arg.key)
        return done

    def _leave(self, key: str) -> None:
        left = self._left[key] = self._left.get(key, 1) - 1
        if not left:
            self._done.pop(key, None)

    def _evaluate(self, op: Op) -> Column:
        kind = op.kind
        if op.key in self.given and kind != "benchmark":
            return self.given[op.key][self.begin : self.end]
        if kind in POINTWISE:
            return POINTWISE[kind](*(self.evaluate(a) for a in op.args))
        if kind in WINDOWED:
            whole = [int(p) for p in op.params]
            return WINDOWED[kind](*(self.full(a) for a in op.args), self._frame(op.frame), *whole)
        special: Callable[[Op], Column] = getattr(self, f"_{kind}")
        return special(op)

    # -- leaves ------------------------------------------------------------------------------------------------------

    def _constant(self, op: Op) -> Column:
        return np.float64(op.params[0])

    def _money(self, op: Op) -> Column:
        return self._scale(np.float64(op.params[0]), float(op.params[1]))

    def _field(self, op: Op) -> Floats:
        name = str(op.params[0])
        printed = getattr(self.market.bars, name)[self.begin : self.end]
        scaled = self._scale(printed, -1 if name == "volume" else 1)
        if op.frame == self.market.bars.frame:
            return scaled
        return so_far(scaled, name, self.offsets, self._period(op.frame))

    def _fact(self, op: Op) -> Floats:
        return FactReader(self.market, self.first, self.last).read(str(op.params[0]))

    def _text_in(self, op: Op) -> Column:
        name = str(op.args[0].params[0])
        texts = self.market.bars.symbols if name == "symbol" else self.market.texts.get(name, ())
        wanted = set(op.params)
        per = np.full(self.last - self.first, UNKNOWN, np.int8)
        for j, text in enumerate(texts[self.first : self.last]):
            if text:
                per[j] = TRUE if text in wanted else FALSE
        return np.repeat(per, np.diff(self.offsets))

    def _event(self, op: Op) -> Column:
        days = self.market.events.get(str(op.params[0]))
        if days is None:
            return np.full(self.end - self.begin, UNKNOWN, np.int8)
        return np.where(np.isin(self.days, days), np.int8(TRUE), np.int8(FALSE))

    # -- operations with a meaning of their own -----------------------------------------------------------------------

    def _compare(self, op: Op) -> Column:
        a, b = (self.evaluate(x) for x in op.args)
        return np.asarray(pointwise.COMPARE[str(op.params[0])](a, b))

    def _unscale(self, op: Op) -> Column:
        return self._scale(self.evaluate(op.args[0]), -float(op.params[0]))

    def _least(self, op: Op) -> Column:
        return pointwise.least(tuple(self.full(a) for a in op.args), int(op.params[0]))

    def _none(self, op: Op) -> Column:
        return pointwise.not_(pointwise.or_(*(self.full(a) for a in op.args)))

    def _pattern(self, op: Op) -> Column:
        name, part, *numbers = op.params
        columns = Columns(*(self.full(a) for a in op.args))
        return pattern(columns, self._frame(op.frame), str(name), str(part), [float(n) for n in numbers])

    def seen(self, op: Op, at: int) -> list[Seen]:
        """The patterns that an operation speaks of, as they stand on bar `at` of the one instrument of this block."""
        name, _, *numbers = op.params
        frame = self._frame(op.frame)
        commit = None if frame.commit is None else frame.commit[: at + 1]
        columns = Columns(*(self.full(a) for a in op.args)).upto(at + 1)
        return seen(columns, Frame.of(np.array([0, at + 1]), commit), str(name), [float(n) for n in numbers])

    def _recently(self, op: Op) -> Column:
        return np.where(self.full(op.args[0]) < float(op.params[0]), np.int8(TRUE), np.int8(FALSE))

    def _opens(self, op: Op) -> Column:
        return swings.opens(self._period(str(op.params[0])), self._frame(op.frame))

    def _benchmark(self, op: Op) -> Column:
        return self.given[op.key][self.market.bars.session[self.begin : self.end]]

    # -- frames and scales -------------------------------------------------------------------------------------------

    def _frame(self, name: str) -> Frame:
        if name not in self._frames:
            self._frames[name] = Frame.of(self.offsets, commits(self.market.bars, name, self.first, self.last))
        return self._frames[name]

    def _period(self, frame: str) -> Ints:
        if frame not in self._periods:
            self._periods[frame] = period(self.market.bars, frame, slice(self.begin, self.end))
        return self._periods[frame]

    def _scale(self, x: Floats | np.float64, degree: float) -> Any:
        """x * factor ** degree, rounded exactly as the fields are, so that a printed price equals the money it meets."""
        if self.market.bars.plain:
            return x
        factor = self.market.bars.factor[self.begin : self.end]
        if degree == 1:
            return x * factor
        if degree == -1:
            return x / factor
        return np.asarray(x * np.power(factor, degree))
