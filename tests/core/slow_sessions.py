"""What only sessions have, once more: each moment by itself, from the five-minute bars that had ended by then."""

from typing import Any

from wickcore.bars.moment import CLOSE
from wickcore.language import tree

Found = tuple[Any, Any]


class Sessions:
    """What Slow does with the night before, the first minutes, the minute, and the pace."""

    def _inner(self: Any, p: int) -> int | None:
        """The five-minute bar that row p stands at: itself, or of a day's own bar the latest of that day."""
        if self.minute[p] is not None:
            return p
        own = [q for q in range(p) if self.days[q] == self.days[p] and self.minute[q] is not None]
        return own[-1] if own else None

    def _session(self: Any, p: int) -> list[int]:
        """The five-minute bars of p's session up to p."""
        return [q for q in range(p + 1) if self.days[q] == self.days[p] and self.minute[q] is not None]

    def _n(self: Any, node: tree.Call, usual: int) -> int:
        return int(node.arguments[0].value.value) if node.arguments else usual

    def _form_opening_range(self: Any, node: tree.Call, frame: str, p: int) -> Found:
        part, at = node.name.partition(".")[2], self._inner(p)
        degree, n = 0 if part == "place" else 1, self._n(node, 30)
        if at is None or self.minute[at] + 5 < self.opens + n:
            return None, degree
        rows = [q for q in self._session(at) if self.minute[q] < self.opens + n]
        if not rows:
            return None, degree
        high, low = max(self.columns["high"][q] for q in rows), min(self.columns["low"][q] for q in rows)
        first, last = self.columns["open"][rows[0]], self.columns["close"][rows[-1]]
        if part == "place":
            return (None if high == low else (last - low) / (high - low)), 0
        return {"open": first, "high": high, "low": low, "close": last, "range": high - low}[part], 1

    def _form_first_hour(self: Any, node: tree.Call, frame: str, p: int) -> Found:
        part = node.name.partition(".")[2]
        sixty = tree.Argument(None, tree.Number(60.0, node.span), node.span)
        return self._form_opening_range(tree.Call(f"opening_range.{part}", (sixty,), node.span, node.span), frame, p)

    def _form_overnight(self: Any, node: tree.Call, frame: str, p: int) -> Found:
        part = node.name.partition(".")[2]
        columns = {}
        for name, dated in self.market.overnight.items():
            own = range(int(dated.offsets[self.k]), int(dated.offsets[self.k + 1]))
            here = [float(dated.values[r]) for r in own if dated.days[r] == self.days[p]]
            columns[name] = (here or [None])[0]
        if columns.get("open") is None:
            return None, 0 if part == "place" else 1
        if part in ("low_first", "high_first"):
            return (columns["low_first"] == 1) == (part == "low_first"), 0
        high, low = columns["high"], columns["low"]
        if part == "place":
            return (None if high == low else (columns["close"] - low) / (high - low)), 0
        return (high - low if part == "range" else columns[part]) * self.factor[p], 1

    def _form_since_open(self: Any, node: tree.Call, frame: str, p: int) -> Found:
        return self.field("close", "day", p) / self.field("open", "day", p) - 1, 0

    def _form_minute(self: Any, node: tree.Call, frame: str, p: int) -> Found:
        closes = self.market.table(self.market.finest).calendar.closes
        minute = self.minute[p]
        return float(closes - self.opens if minute is None or minute == CLOSE else minute + 5 - self.opens), 0

    def _form_pace(self: Any, node: tree.Call, frame: str, p: int) -> Found:
        at, n = self._inner(p), self._n(node, 20)
        if at is None:
            return None, 0
        sessions = sorted({self.days[q] for q in range(at) if self.minute[q] is not None} - {self.days[at]})[-n:]
        if len(sessions) < n:
            return None, 0

        def by_then(day: int) -> float:
            rows = [q for q in range(at + 1) if self.days[q] == day and self.minute[q] is not None]
            return sum(self.columns["volume"][q] for q in rows if self.minute[q] <= self.minute[at])

        usual = sum(map(by_then, sessions)) / n
        return (by_then(self.days[at]) / usual if usual else None), 0
