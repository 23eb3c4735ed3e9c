"""Whole instruments evaluated together: the plumbing between operations and kernels."""

from collections.abc import Callable, Mapping
from functools import partial
from typing import Any

import numpy as np

from wickcore.bars.bars import STEP, Days, Floats, Ints
from wickcore.bars.frames import commits, number_of, period, so_far
from wickcore.bars.market import Market
from wickcore.language.operations import MANY, Op
from wickcore.measures import pointwise, sessions, swings
from wickcore.measures.facts import FactReader
from wickcore.measures.frame import FALSE, TRUE, UNKNOWN, Frame
from wickcore.measures.recurrence import carry
from wickcore.patterns.columns import Columns, Seen, pattern, seen
from wickcore.scan.cross_section import ACROSS
from wickcore.scan.kernels import POINTWISE, WINDOWED, Column
from wickcore.scan.plan import Place, by_bar, home, parts

DEEP = 50  # operations below one another, of which each takes a few of Python's calls


class Block:
    """Instruments first:last on every table they are asked for on; every operation is computed once.

    check: called before each operation; raises when it is time to stop. given: whole columns of operations known already, by table and key,
    among them those that look across instruments; under a table's name `by_bar`, with one value a bar whatever they are. uses: how often each
    column is asked for; after the last time it is let go.
    """

    def __init__(
        self,
        market: Market,
        first: int,
        last: int,
        check: Callable[[], None],
        given: Mapping[Place, Column],
        uses: dict[Place, int],
    ) -> None:
        self.market, self.first, self.last, self.check, self.given = market, first, last, check, given
        self._left = dict(uses)
        self._done: dict[Place, Column] = {}
        self._rows: dict[str, Rows] = {}
        self._climbing = False

    def rows(self, table: str) -> "Rows":
        """The block's part of a table."""
        found = self._rows.get(table)
        if found is None:
            found = self._rows[table] = Rows(self.market, table, self.first, self.last)
        return found

    def full(self, op: Op, table: str) -> Column:
        """The operation's column, one value a bar even where it is a constant."""
        with np.errstate(all="ignore"):  # the unknown is a NaN and meant to pass through
            column = self.evaluate(op, table)
        return np.full(self.rows(table).size, column) if np.ndim(column) == 0 else column

    def take(self, op: Op, table: str) -> Column:
        """As `full`, for what was asked for from outside: its use is counted."""
        column = self.full(op, table)
        self._leave((table, op.key))
        return column

    def take_at(self, op: Op, table: str, places: Ints) -> Column:
        """As `take`, on some of the rows; what is worked out bar by bar is so on these alone."""
        with np.errstate(all="ignore"):
            column = self._at(op, table, places)
        self._leave((table, op.key))
        return column

    def _at(self, op: Op, table: str, places: Ints) -> Column:
        place, bar_by_bar = (table, op.key), op.kind in POINTWISE or op.kind == "compare"
        known = place in self._done or place in self.given or (by_bar(table), op.key) in self.given
        printed = op.kind in SUMS and not self.rows(table).bars.plain
        if not bar_by_bar or known or printed or self._left.get(place, 1) > 1 or op.depth > DEEP or home(op, table) != table:
            return self.full(op, table)[places]
        self.check()
        sides = [self._at(arg, table, places) for arg in op.args]
        for part, on in parts(op, table):
            self._leave((on, part.key))
        work = POINTWISE[op.kind] if op.kind in POINTWISE else pointwise.COMPARE[str(op.params[0])]
        return np.asarray(work(*sides))

    def evaluate(self, op: Op, table: str) -> Column:
        """The operation's column on a table, or a single value for a constant."""
        place = table, op.key
        done = self._done.get(place)
        if done is None:
            self.check()
            if op.depth > DEEP and not self._climbing:
                self._climb(op, table)
            done = self._done[place] = self._evaluate(op, table)
            for part, on in parts(op, table):
                self._leave((on, part.key))
        return done

    def _climb(self, op: Op, table: str) -> None:
        """Evaluates what lies below, the innermost first: operations can lie deeper than Python calls."""
        self._climbing = True
        opened: set[Place] = set()
        waiting = [*parts(op, table)]
        while waiting:
            below, on = waiting[-1]
            place = on, below.key
            if place in self._done:
                waiting.pop()
            elif place in opened:
                waiting.pop()
                self.evaluate(below, on)
            else:
                opened.add(place)
                waiting += parts(below, on)
        self._climbing = False

    def _leave(self, place: Place) -> None:
        left = self._left[place] = self._left.get(place, 1) - 1
        if not left:
            self._done.pop(place, None)

    def _evaluate(self, op: Op, table: str) -> Column:
        own = home(op, table)
        rows = self.rows(table)
        laid = self.given.get((by_bar(table), op.key))
        if laid is not None:
            return laid[rows.begin : rows.end]
        if own != table:
            return self._brought(self.full(op, own), op, own, table)
        given = self.given.get((table, op.key))
        if given is not None:
            across = ACROSS.get(op.kind)
            at = rows.bars.step[rows.begin : rows.end] if across is not None and across.by_step else slice(rows.begin, rows.end)
            return given[at]
        printed = None if rows.bars.plain or op.kind not in SUMS or op.spread >= MANY else self._printed(op, rows)
        if printed is not None:
            return rows.scaled(*printed)
        if op.kind in POINTWISE:
            return POINTWISE[op.kind](*(self.evaluate(a, table) for a in op.args))
        if op.kind in WINDOWED:
            whole = [int(p) for p in op.params]
            return WINDOWED[op.kind](*(self.full(a, table) for a in op.args), rows.frame(op.frame), *whole)
        return SPECIAL[op.kind](self, op, table)

    def _printed(self, op: Op, rows: "Rows") -> tuple[Column, float] | None:
        """What adds up this bar's own prices (or volumes), of the prices as printed, with its degree; None for all else. So two sums that
        are equal as printed stay equal on the continuous scale, whatever its factor does to their last digits. Asked of sums of few only:
        they are added up anew by whatever adds them."""
        if op.kind == "field" and op.frame == rows.bars.frame:
            name = str(op.params[0])
            return getattr(rows.bars, name)[rows.begin : rows.end], -1.0 if name == "volume" else 1.0
        if op.kind == "money":
            return np.float64(op.params[0]), float(op.params[1])
        if op.kind not in SUMS:
            return None
        if op.kind in ("*", "/"):
            factors = [a for a in op.args if a.kind != "constant"]
            if len(factors) != 1 or (op.kind == "/" and factors[0] is not op.args[0]):
                return None
            found = self._printed(factors[0], rows)
            if found is None:
                return None
            sides = [found[0] if a is factors[0] else np.float64(a.params[0]) for a in op.args]
            return POINTWISE[op.kind](*sides), found[1]
        found_all = [self._printed(a, rows) for a in op.args]
        first = found_all[0]
        if first is None or any(x is None or x[1] != first[1] for x in found_all):
            return None
        return POINTWISE[op.kind](*(x[0] for x in found_all if x is not None)), first[1]

    def _brought(self, column: Column, op: Op, own: str, table: str) -> Column:
        """A column of one table as it stands on the bars of another; unknown where the day has no bar of it."""
        here, there = self.rows(table), self.rows(own)
        mixed = self.market.mixed
        place = mixed.rows if own == "mixed" else mixed.latest if table == "mixed" else self.market.inner_of_day
        at = place[here.begin : here.end] - there.begin
        if own == "mixed":
            return column[at]
        unknown = UNKNOWN if op.result == "condition" else np.nan
        if not len(column):
            return np.full(here.size, unknown, column.dtype)
        return np.where(place[here.begin : here.end] >= 0, column[np.maximum(at, 0)], column.dtype.type(unknown))

    # -- operations with a meaning of their own -----------------------------------------------------------------------

    def _constant(self, op: Op, table: str) -> Column:
        return np.float64(op.params[0])

    def _money(self, op: Op, table: str) -> Column:
        return self.rows(table).scaled(np.float64(op.params[0]), float(op.params[1]))

    def _field(self, op: Op, table: str) -> Floats:
        rows, name = self.rows(table), str(op.params[0])
        printed = getattr(rows.bars, name)[rows.begin : rows.end]
        scaled: Floats = rows.scaled(printed, -1 if name == "volume" else 1)
        if op.frame == rows.bars.frame:
            return scaled
        return so_far(scaled, name, rows.bars, rows.period(op.frame), self.first, self.last)

    def _fact(self, op: Op, table: str) -> Floats:
        name, *at_open = op.params
        return FactReader(self.market, self.rows(table).bars, self.first, self.last, bool(at_open)).read(str(name))

    def _overnight(self, op: Op, table: str) -> Column:
        rows, part = self.rows(table), str(op.params[0])
        found = FactReader(self.market, rows.bars, self.first, self.last).overnight(part)
        if op.result != "condition":
            return rows.scaled(found, 1)
        return np.where(np.isnan(found), np.int8(UNKNOWN), np.where(found > 0, np.int8(TRUE), np.int8(FALSE)))

    def _opening(self, op: Op, table: str) -> Floats:
        rows, (part, n) = self.rows(table), op.params
        fields = tuple(rows.scaled(getattr(rows.bars, name)[rows.begin : rows.end], 1) for name in sessions.PARTS)
        return sessions.first_minutes(fields, str(part), int(n), rows.offsets, *rows.clock, STEP)

    def _pace(self, op: Op, table: str) -> Floats:
        rows = self.rows(table)
        volume, (days, begins), hours = rows.scaled(rows.bars.volume[rows.begin : rows.end], -1), rows.clock, rows.bars.calendar
        slots = max(1, -(-(hours.closes - hours.opens) // STEP))
        return sessions.pace(volume, int(op.params[0]), rows.offsets, days, begins // STEP, slots)

    def _at_report(self, op: Op, table: str) -> Floats:
        name, n, *at_open = op.params
        return FactReader(self.market, self.rows(table).bars, self.first, self.last, bool(at_open)).earlier(str(name), int(n))

    def _text_in(self, op: Op, table: str) -> Column:
        name = str(op.args[0].params[0])
        if name == "weekday":
            rows = self.rows(table)
            days = (rows.bars.days[rows.begin : rows.end].astype(np.int64) + 3) % 7  # day 0 was a Thursday
            return np.where(np.isin(days, [WEEKDAYS.index(t) for t in op.params if t in WEEKDAYS]), np.int8(TRUE), np.int8(FALSE))
        texts = self.market.bars.symbols if name == "symbol" else self.market.texts.get(name, ())
        wanted = set(op.params)
        per = np.full(self.last - self.first, UNKNOWN, np.int8)
        for j, text in enumerate(texts[self.first : self.last]):
            if text:
                per[j] = TRUE if text in wanted else FALSE
        return np.repeat(per, np.diff(self.rows(table).offsets))

    def _event(self, op: Op, table: str) -> Column:
        rows, days = self.rows(table), self.market.events.get(str(op.params[0]))
        if days is None:
            return np.full(rows.size, UNKNOWN, np.int8)
        return np.where(np.isin(rows.bars.days[rows.begin : rows.end], days), np.int8(TRUE), np.int8(FALSE))

    def _compare(self, op: Op, table: str) -> Column:
        a, b = (self.evaluate(x, table) for x in op.args)
        return np.asarray(pointwise.COMPARE[str(op.params[0])](a, b))

    def _unscale(self, op: Op, table: str) -> Column:
        return self.rows(table).scaled(self.evaluate(op.args[0], table), -float(op.params[0]))

    def _factor(self, op: Op, table: str) -> Column:
        rows = self.rows(table)
        return np.float64(1.0) if rows.bars.plain else rows.bars.factor[rows.begin : rows.end]

    def _unlend(self, op: Op, table: str) -> Column:
        """What is of another instrument, whose split factor is the second operand, as of each day's own price of that one."""
        found, factor = (self.evaluate(a, table) for a in op.args)
        degree, shift = (float(p) for p in op.params)
        found = found - shift * np.log(factor) if shift else found
        return found if not degree else found / factor if degree == 1 else found * np.power(factor, -degree)

    def _unshift(self, op: Op, table: str) -> Column:
        """A logarithm as that of each day's own price."""
        rows, found = self.rows(table), self.evaluate(op.args[0], table)
        return found if rows.bars.plain else found - float(op.params[0]) * np.log(rows.bars.factor[rows.begin : rows.end])

    def _least(self, op: Op, table: str) -> Column:
        return pointwise.least(tuple(self.full(a, table) for a in op.args), int(op.params[0]))

    def _none(self, op: Op, table: str) -> Column:
        return pointwise.not_(pointwise.or_(*(self.full(a, table) for a in op.args)))

    def _pattern(self, op: Op, table: str) -> Column:
        name, part, *numbers = op.params
        columns = Columns(*(self.full(a, table) for a in op.args))
        return pattern(columns, self.rows(table).frame(op.frame), str(name), str(part), [float(n) for n in numbers])

    def seen(self, op: Op, table: str, at: int) -> list[Seen]:
        """The patterns that an operation speaks of, as they stand on bar `at` of the one instrument of this block."""
        name, _, *numbers = op.params
        frame = self.rows(table).frame(op.frame)
        commit = None if frame.commit is None else frame.commit[: at + 1]
        columns = Columns(*(self.full(a, table) for a in op.args)).upto(at + 1)
        return seen(columns, Frame.of(np.array([0, at + 1]), commit), str(name), [float(n) for n in numbers])

    def _recently(self, op: Op, table: str) -> Column:
        return np.where(self.full(op.args[0], table) < float(op.params[0]), np.int8(TRUE), np.int8(FALSE))

    def _opens(self, op: Op, table: str) -> Column:
        rows = self.rows(table)
        return swings.opens(rows.period(str(op.params[0])), rows.frame(op.frame))

    def _carry(self, op: Op, table: str) -> Column:
        first, *columns = (self.full(a, table) for a in op.args)
        return carry(first, columns, str(op.params[0]), self.rows(table).frame(op.frame))

    def _last_of(self, op: Op, table: str) -> Column:
        rows, frame = self.rows(table), str(op.params[0])
        days = rows.bars.days[rows.begin : rows.end]
        last = number_of(rows.bars.calendar.following(days), frame) != number_of(days, frame)
        return np.where(last, np.int8(TRUE), np.int8(FALSE))

    def _begins(self, op: Op, table: str) -> Column:
        """Whether a bar belongs to its instrument's first bar of the frame."""
        rows = self.rows(table)
        period, offsets = rows.period(op.frame), rows.offsets
        lengths = np.diff(offsets)
        first = period[np.minimum(offsets[:-1], max(len(period) - 1, 0))] if len(period) else period
        return np.where(period == np.repeat(first, lengths), np.int8(TRUE), np.int8(FALSE))


WEEKDAYS = ("Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday")
SUMS = ("+", "-", "*", "/", "negate", "abs", "max", "min")  # what keeps the degree of the prices it is made of
SPECIAL: dict[str, Callable[[Block, Op, str], Column]] = {
    "constant": Block._constant, "money": Block._money, "field": Block._field, "fact": Block._fact, "text_in": Block._text_in,
    "event": Block._event, "compare": Block._compare, "unscale": Block._unscale, "unshift": Block._unshift,
    "factor": Block._factor, "unlend": Block._unlend,
    "least": Block._least, "none": Block._none,
    "pattern": Block._pattern, "recently": Block._recently, "opens": Block._opens, 
    "begins": Block._begins, "last_of": Block._last_of, "carry": Block._carry, "at_report": Block._at_report,
    "overnight": Block._overnight, "opening": Block._opening, "pace": Block._pace,
}  # fmt: skip


class Rows:
    """The bars of instruments first:last in one table: their frames, periods and scale."""

    def __init__(self, market: Market, table: str, first: int, last: int) -> None:
        self.bars = bars = market.table(table)
        self.first, self.last = first, last
        self.begin, self.end = int(bars.offsets[first]), int(bars.offsets[last])
        self.size = self.end - self.begin
        self.offsets: Ints = bars.offsets[first : last + 1] - self.begin
        self._frames: dict[str, Frame] = {}
        self._periods: dict[str, Ints] = {}

    def frame(self, name: str) -> Frame:
        """The frame's bars as kernels count them."""
        if name not in self._frames:
            told = None if self.bars.before is None else partial(_part, self.bars.before, name, self.first, self.last)
            self._frames[name] = Frame.of(self.offsets, commits(self.bars, name, self.first, self.last), told)
        return self._frames[name]

    @property
    def clock(self) -> tuple[Days, Ints]:
        """Each bar's day and, of bars within the day, the minutes from the session's open to its beginning."""
        assert self.bars.minute is not None
        part = slice(self.begin, self.end)
        return self.bars.days[part], self.bars.minute[part].astype(np.int64) - self.bars.calendar.opens

    def period(self, frame: str) -> Ints:
        """The number of the frame's bar that each bar lies in."""
        if frame not in self._periods:
            self._periods[frame] = period(self.bars, frame, slice(self.begin, self.end))
        return self._periods[frame]

    def scaled(self, x: Floats | np.float64, degree: float) -> Any:
        """x * factor ** degree, rounded exactly as the fields are, so that a printed price equals the money it meets."""
        if self.bars.plain:
            return x
        factor = self.bars.factor[self.begin : self.end]
        if degree == 1:
            return x * factor
        if degree == -1:
            return x / factor
        return np.asarray(x * np.power(factor, degree))


def _part(before: Callable[[str], Ints], frame: str, first: int, last: int) -> Ints:
    return before(frame)[first:last]
