"""The rule language evaluated the slow, obvious way: one value at a time, straight from the words of its definition.

Shares nothing with the engine but the parser's tree and the names of parameters. The value of an expression on frame F at the base
bar p is made from the positions of F's finished bars before p's own period and p itself, so nothing later can enter.
"""

import math
from bisect import bisect_left
from collections.abc import Iterable
from typing import Any

from tests.core import slow_candles, slow_momentum, slow_patterns, slow_stops
from tests.core.slow_entries import SLOW
from tests.core.slow_forms import Forms
from tests.core.slow_functions import CROSS, compared
from tests.core.slow_series import Log, Series, period
from tests.core.slow_sessions import Sessions
from wickcore.bars.market import Market
from wickcore.language import tree
from wickcore.language.catalogue import CATALOGUE
from wickcore.language.parser import parse_expression

ENTRIES = (slow_candles, slow_momentum, slow_patterns, slow_stops)  # known once they are imported
Value = Any  # float, bool, str or None for unknown


class Slow(Forms, Sessions):
    """One instrument of a market. Values on the continuous scale; degrees are carried along to meet money.

    Its rows are its five-minute bars (if the market has any) and its daily bars, in the order in which they are known; `minute` is None on a
    daily bar. `own` are the rows of the table that is asked about.
    """

    def __init__(self, market: Market, symbol: str, table: str = "day") -> None:
        self.market, self.symbol, self.table = market, symbol, table
        self.k = market.bars.number[symbol]
        rows: list[tuple[int, int, int | None, float, dict[str, float]]] = []
        for name in ("day", *(t.frame for t in market.tables if t.frame != "day")):
            bars = market.table(name)
            self.opens, self.closes = bars.calendar.opens, bars.calendar.closes
            for i in range(int(bars.offsets[self.k]), int(bars.offsets[self.k + 1])):
                minute = None if bars.minute is None else int(bars.minute[i])
                factor = float(bars.factor[i])
                values = {n: float(getattr(bars, n)[i]) * factor for n in ("open", "high", "low", "close")}
                values["volume"] = float(bars.volume[i]) / factor
                rows.append((int(bars.days[i]), 10_000 if minute is None else minute, minute, factor, values))
        rows.sort(key=lambda row: row[:2])
        self.days, self.minute, self.factor = [r[0] for r in rows], [r[2] for r in rows], [r[3] for r in rows]
        self.columns = {n: [r[4][n] for r in rows] for n in ("open", "high", "low", "close", "volume")}
        self.own = [i for i, minute in enumerate(self.minute) if (minute is None) == (table == "day")]
        self._counted: dict[bool, list[int]] = {}
        self._ends: dict[tuple[str, int], list[int]] = {}
        self._memo: dict[Any, tuple[Value, int | None]] = {}
        self._fields: dict[tuple[str, str, int], float] = {}
        self._nodes: list[tree.Node] = []
        self.lets: dict[str, tree.Node] = {}
        self.prior: tuple[Value, int | None] | None = None
        self.others: dict[str, Slow] = {}
        self.pattern_bars: dict[Any, tuple] = {}  # see slow_patterns
        self.at_open = False  # whether what is asked decides at the open

    def expression(self, text: str, frame: str, at: Iterable[int] | None = None) -> list[Value]:
        """The expression on every bar of the table, or on those at some places; numbers on the continuous scale."""
        node = parse_expression(text)
        self._nodes.append(node)  # kept alive, so that the memo's ids stay its own
        return [self.value(node, frame, p)[0] for p in (self.own if at is None else [self.own[i] for i in at])]

    def known_day(self, p: int) -> int:
        """The last day whose reports are known at the bar: its own from its session's close on."""
        minute = self.minute[p]
        within = minute is not None and minute + 5 < self.closes
        return self.days[p] - (1 if within or self.at_open else 0)

    def _period_of(self, p: int, frame: str) -> Any:
        return period(self.days[p], frame, self.minute[p], self.opens)

    def counted(self, frame: str, p: int) -> list[int]:
        """The rows before p at which a bar of the frame can end: within the day its five-minute bars, else the last row of each day."""
        inside = frame.endswith("min")
        if inside not in self._counted:
            rows = range(len(self.days))
            ends = [q for q in rows if q + 1 == len(self.days) or self.days[q + 1] != self.days[q]]
            self._counted[inside] = [q for q in rows if self.minute[q] is not None] if inside else ends
        found = self._counted[inside]
        return found[: bisect_left(found, p)]

    def ends(self, frame: str, p: int) -> list[int]:
        """The last row of each finished period before p's own, then p."""
        key = (frame, p)
        if key not in self._ends:
            here = self._period_of(p, frame)
            found = [p]
            for q in reversed(self.counted(frame, p)):
                now = self._period_of(q, frame)
                if now != here:
                    found.append(q)
                    here = now
            self._ends[key] = found[::-1]
        return self._ends[key]

    def field(self, name: str, frame: str, q: int) -> float:
        """A field of the frame's bar so far at q. A day is its own bar once that is there, and its five-minute bars until then."""
        own = self._period_of(q, frame)
        inside = frame.endswith("min")
        rows = []
        for r in range(q, -1, -1):
            if not inside or self.minute[r] is not None:
                if self._period_of(r, frame) != own:
                    break
                rows.insert(0, r)
        if not inside:
            whole = {self.days[r] for r in rows if self.minute[r] is None}
            rows = [r for r in rows if self.minute[r] is None or self.days[r] not in whole]
        values = [self.columns[name][r] for r in rows]
        return {"open": values[0], "high": max(values), "low": min(values), "close": values[-1], "volume": sum(values)}[name]

    def same_moment(self, other: "Slow", p: int) -> int | None:
        """The other instrument's row of the same moment as this one's p."""
        rows = [q for q, day in enumerate(other.days) if day == self.days[p] and other.minute[q] == self.minute[p]]
        return rows[0] if rows else None

    def cached_field(self, name: str, frame: str, q: int) -> float:
        key = (name, frame, q)
        if key not in self._fields:
            self._fields[key] = self.field(name, frame, q)
        return self._fields[key]

    def value(self, node: tree.Node, frame: str, p: int) -> tuple[Value, int | None]:
        """(value, degree); the degree of a plain number is None. Within the day a day stands where its latest five-minute bar does."""
        if frame.endswith("min") and self.minute[p] is None:
            inner = [q for q in range(p) if self.days[q] == self.days[p]]
            if not inner:
                return None, None
            value, degree = self.value(node, frame, inner[-1])
            return value, degree
        key = (id(node), frame, p, self.at_open)
        if key not in self._memo:
            self._memo[key] = getattr(self, "_" + type(node).__name__.lower())(node, frame, p)
        return self._memo[key]

    def series(self, node: tree.Node, frame: str, p: int) -> tuple[list[Value], int | None]:
        found = [self.value(node, frame, q) for q in self.ends(frame, p)]
        return [v for v, _ in found], found[-1][1]

    # -- leaves ------------------------------------------------------------------------------------------------------

    def _number(self, node: tree.Number, frame: str, p: int) -> tuple[Value, int | None]:
        return node.value, None

    def _count(self, node: tree.Count, frame: str, p: int) -> tuple[Value, int | None]:
        return node.amount, None

    def _countof(self, node: tree.CountOf, frame: str, p: int) -> tuple[Value, int | None]:
        found = [self.value(c, frame, p)[0] for c in node.conditions]
        return (None if None in found else float(sum(found))), 0

    def _name(self, node: tree.Name, frame: str, p: int) -> tuple[Value, int | None]:
        if node.name == "prior":
            assert self.prior is not None
            return self.prior
        if node.name in self.lets:
            return self.value(self.lets[node.name], frame, p)
        return self._call(tree.Call(node.name, (), node.span, node.span), frame, p)

    def _part(self, node: tree.Part, frame: str, p: int) -> tuple[Value, int | None]:
        return self._call(tree.Call(f"{node.name}.{node.part}", node.arguments, node.span, node.span), frame, p)

    # -- calls -------------------------------------------------------------------------------------------------------

    def _call(self, node: tree.Call, frame: str, p: int) -> tuple[Value, int | None]:
        if node.name == "on":
            wanted = node.arguments[0].value
            assert isinstance(wanted, tree.Name)
            return self.value(node.arguments[1].value, wanted.name, p)
        if node.name in self.columns:
            return self.field(node.name, frame, p), -1 if node.name == "volume" else 1
        form = getattr(self, f"_form_{node.name.partition('.')[0]}", None)
        if form is not None:
            return form(node, frame, p)
        entry = CATALOGUE[node.name]
        if entry.kind in ("fact", "text"):
            return CROSS[entry.kind](self, node.name, p), 0
        given, frame = self._arguments(entry, node, frame)
        if node.name in ("max", "min"):
            a, b, degree = self._both(self.value(given["a"], frame, p), self.value(given["b"], frame, p), p)
            return (None if a is None or b is None else {"max": max, "min": min}[node.name](a, b)), degree
        if node.name == "pick":
            condition = self.value(given["condition"], frame, p)[0]
            a, b, degree = self._both(self.value(given["a"], frame, p), self.value(given["b"], frame, p), p)
            return (None if condition is None else a if condition else b), degree
        if node.name in ("sqrt", "log", "exp", "sign", "round", "floor", "ceil", "mod"):
            return self._plain(node.name, given, frame, p)
        arguments: dict[str, Any] = {}
        degree: int | None = None
        windows = [v for v in given.values() if isinstance(v, tree.Since)]
        if windows and not any(q.takes == "condition" and given[q.name] is windows[0] for q in entry.parameters):
            n = self._bars_of(windows[0], frame, p)
            if windows[0].condition is None:  # from the first bar on which the source is known
                sources = [given[q.name] for q in entry.parameters if q.takes in ("number", "condition")]
                rows = zip(*(self.series(source, frame, p)[0] for source in sources), strict=True)
                known = [i for i, row in enumerate(rows) if None not in row]
                n = len(self.ends(frame, p)) - known[0] if known else None
            if n is None:
                return None, 0
            given = {k: tree.Number(n, v.span) if isinstance(v, tree.Since) else v for k, v in given.items()}
            self._nodes.extend(given.values())
        given = {k: v.condition if isinstance(v, tree.Since) else v for k, v in given.items()}
        for parameter in entry.parameters:
            argument = given[parameter.name]
            if parameter.takes in ("bars", "constant"):
                arguments[parameter.name] = self.value(argument, frame, p)[0]
            elif parameter.takes in ("word", "event"):
                arguments[parameter.name] = getattr(argument, "name", None) or getattr(argument, "value", None)
            else:
                arguments[parameter.name], mine = self.series(argument, frame, p)
                if isinstance(mine, Log) and entry.of_sums is None and entry.kind == "kernel":
                    places = self.ends(frame, p)
                    arguments[parameter.name] = [
                        self._settled((v, mine), q)[0] for v, q in zip(arguments[parameter.name], places, strict=True)
                    ]
                    mine = 0
                degree = mine if degree is None else degree
        series = Series(self, frame, p)
        series.degree = degree
        result, own = SLOW[node.name](series, **arguments)
        if isinstance(result, float | int) and not math.isfinite(result):
            result = None
        if isinstance(degree, Log) and own == "x":
            # How often what is added to the argument comes out again: found by adding it.
            more = {k: [None if v is None else v + 1.0 for v in a] if isinstance(a, list) else a for k, a in arguments.items()}
            moved, _ = SLOW[node.name](series, **more)
            times = 0 if result is None or moved is None else round(moved - result)
            return result, (Log(degree.shift * times) if times else 0)
        return result, (degree if own == "x" else own)

    def _plain(self, name: str, given: dict[str, Any], frame: str, p: int) -> tuple[Value, Any]:
        """A function of one bar: of the continuous scale where that comes out of it again, else of the prices as printed."""
        values = [self.value(v, frame, p) for v in given.values()]
        if name == "exp" and isinstance(values[0][1], Log):
            return SLOW["exp"](None, [values[0][0]])[0], values[0][1].shift
        if name == "mod":
            a, b, degree = self._both(*values, p)
            values = [(a, degree), (b, degree)]
        values = [self._settled(v, p) for v in values]
        degree = values[0][1] or 0
        if name in ("sqrt", "log", "sign"):
            found = SLOW[name](None, [values[0][0]])[0]
            return found, {"sqrt": degree / 2, "log": Log(degree) if degree else 0, "sign": 0}[name]
        found = SLOW[name](None, *([None if v is None else v / self.factor[p] ** degree] for v, _ in values))[0]
        if name == "exp":
            return found, 0
        return (None if found is None else found * self.factor[p] ** degree), degree

    def _bars_of(self, window: tree.Since, frame: str, p: int) -> int | None:
        """How many bars the window holds: from the latest on which its condition was true."""
        ends = self.ends(frame, p)
        if window.condition is None:
            return len(ends)
        true = [i for i, q in enumerate(ends) if self.value(window.condition, frame, q)[0] is True]
        return len(ends) - true[-1] if true else None

    # -- operators ---------------------------------------------------------------------------------------------------

    def _settled(self, found: tuple[Value, Any], p: int) -> tuple[Value, Any]:
        """A logarithm as that of its own day's price."""
        value, degree = found
        if not isinstance(degree, Log):
            return found
        return (None if value is None else value - degree.shift * math.log(self.factor[p])), 0

    def _scale(self, value: Value, degree: int | None, wanted: int, p: int) -> Value:
        return value * self.factor[p] ** wanted if degree is None and wanted and value is not None else value

    def _both(self, left: tuple[Value, int | None], right: tuple[Value, int | None], p: int) -> tuple[Value, Value, int | None]:
        if left[1] != right[1]:
            left, right = self._settled(left, p), self._settled(right, p)
        (a, da), (b, db) = left, right
        if da == db:
            return a, b, da
        if da is None or db is None:
            degree = db if da is None else da
            assert degree is not None
            return self._scale(a, da, degree, p), self._scale(b, db, degree, p), degree
        down = [None if v is None else v / self.factor[p] ** d for v, d in ((a, da), (b, db))]
        return down[0], down[1], 0

    def _unary(self, node: tree.Unary, frame: str, p: int) -> tuple[Value, int | None]:
        value, degree = self.value(node.operand, frame, p)
        if value is None:
            return None, degree
        turned = Log(-degree.shift) if isinstance(degree, Log) else degree
        return (not value) if node.operator == "not" else -value, turned

    def _binary(self, node: tree.Binary, frame: str, p: int) -> tuple[Value, int | None]:
        left, right = self.value(node.left, frame, p), self.value(node.right, frame, p)
        if node.operator == "and":
            pair = (left[0], right[0])
            return (False if False in pair else None if None in pair else True), 0
        if node.operator == "or":
            pair = (left[0], right[0])
            return (True if True in pair else None if None in pair else False), 0
        logs = [d.shift if isinstance(d, Log) else 0.0 for d in (left[1], right[1])]
        if node.operator == "^":
            (a, da), (b, db) = self._settled(left, p), self._settled(right, p)
            if db is not None:
                a, da = (None if v is None else v / self.factor[p] ** (d or 0) for v, d in ((a, da), (b, db))), 0
                a, b = a
            if a is None or b is None:
                return None, da
            try:
                found = a**b
            except (OverflowError, ZeroDivisionError):
                found = None
            plain = found is None or isinstance(found, complex) or not math.isfinite(found)
            return (None if plain else found), (da or 0) * b if db is None else 0
        if node.operator in "+-" and any(logs) and all(isinstance(d, Log) or not d for d in (left[1], right[1])):
            shift = logs[0] + (logs[1] if node.operator == "+" else -logs[1])
            if left[0] is None or right[0] is None:
                return None, Log(shift) if shift else 0
            return left[0] + right[0] if node.operator == "+" else left[0] - right[0], Log(shift) if shift else 0
        if node.operator in "+-":
            a, b, degree = self._both(left, right, p)
            if a is None or b is None:
                return None, degree
            return a + b if node.operator == "+" else a - b, degree
        sign = 1 if node.operator == "*" else -1
        if any(logs):
            for (value, degree), (other, plain) in ((left, right), (right, left)):
                if isinstance(degree, Log) and plain is None and (sign == 1 or value is left[0]):
                    by = other if sign == 1 else 1 / other
                    return (None if value is None else value * by), Log(degree.shift * by)
            left, right = self._settled(left, p), self._settled(right, p)
        (a, da), (b, db) = left, right
        degree = None if da is None and db is None else (da or 0) + sign * (db or 0)
        if a is None or b is None or (node.operator == "/" and b == 0):
            return None, degree
        return a * b if node.operator == "*" else a / b, degree

    def _ago(self, node: tree.Ago, frame: str, p: int) -> tuple[Value, int | None]:
        frame = node.count.frame or frame
        ends = self.ends(frame, p)
        n = int(self._amount(node.count))
        _, degree = self.value(node.value, frame, p)
        if n >= len(ends):
            return None, degree
        before, self.at_open = self.at_open, self.at_open and not n
        value = self.value(node.value, frame, ends[-1 - n])[0]
        self.at_open = before
        return value, degree

    def _amount(self, count: tree.Count) -> float:
        assert isinstance(count.amount, float)
        return count.amount

    def _over(self, node: tree.Over, frame: str, p: int) -> tuple[Value, int | None]:
        frame = node.count.frame or frame
        n = int(self._amount(node.count))
        values = self.series(node.value, frame, p)[0][-n:]
        values = [None] * (n - len(values)) + values
        if node.kind == "held":
            return (False if False in values else None if None in values else True), 0
        return (True if True in values else None if None in values else False), 0

    def _compare(self, node: tree.Compare, frame: str, p: int) -> tuple[Value, int | None]:
        if any(isinstance(o, tree.Text) for o in node.operands):
            left, right = (o.value if isinstance(o, tree.Text) else self.value(o, frame, p)[0] for o in node.operands)
            same = left == right
            return (None if not left or not right else same if node.operators[0] == "==" else not same), 0
        values = [self.value(o, frame, p) for o in node.operands]
        held = [self._pair(values[i], o, values[i + 1], p) for i, o in enumerate(node.operators)]
        return (False if False in held else None if None in held else True), 0

    def _pair(self, left: tuple[Value, int | None], operator: str, right: tuple[Value, int | None], p: int) -> bool | None:
        a, b, _ = self._both(left, right, p)
        if a is None or b is None:
            return None
        return compared(a, operator, b)

    def _crosses(self, node: tree.Crosses, frame: str, p: int) -> tuple[Value, int | None]:
        ends = self.ends(frame, p)
        now, before = (">", "<=") if node.direction == "above" else ("<", ">=")
        today = self._pair(self.value(node.left, frame, p), now, self.value(node.right, frame, p), p)
        yesterday = None
        if len(ends) > 1:  # on today's scale, as `1 ago` is
            q = ends[-2]
            yesterday = self._pair(self.value(node.left, frame, q), before, self.value(node.right, frame, q), p)
        pair = (today, yesterday)
        return (False if False in pair else None if None in pair else True), 0

    def _between(self, node: tree.Between, frame: str, p: int) -> tuple[Value, int | None]:
        value = self.value(node.value, frame, p)
        pair = (
            self._pair(value, ">=", self.value(node.low, frame, p), p),
            self._pair(value, "<=", self.value(node.high, frame, p), p),
        )
        return (False if False in pair else None if None in pair else True), 0

    def _near(self, node: tree.Near, frame: str, p: int) -> tuple[Value, int | None]:
        a, b, degree = self._both(self.value(node.value, frame, p), self.value(node.target, frame, p), p)
        by, by_degree = self.value(node.by, frame, p)
        if a is None or b is None or by is None:
            return None, 0
        if isinstance(node.by, tree.Number) and node.by.percent:
            return (None if b == 0 else abs(a / b - 1) <= by), 0
        return abs(a - b) <= self._scale(by, by_degree, degree or 0, p), 0

    def _within(self, node: tree.Within, frame: str, p: int) -> tuple[Value, int | None]:
        value = self.value(node.value, frame, p)[0]
        return (None if not value else value in [t.value for t in node.texts]), 0
