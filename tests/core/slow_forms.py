"""The calls whose arguments are no plain values, once more: each moment by itself."""

import math
from functools import cache
from typing import Any

from tests.core.slow_series import period
from wickcore.language import tree
from wickcore.language.parser import parse_expression

Value = Any  # float, bool, str or None for unknown


@cache
def _default(text: str) -> tree.Node:
    """One tree for a default, so that what was worked out of it is known again."""
    return parse_expression(text)


class Forms:
    """What Slow does with each of them; made of its values."""

    def _form_stacked(self: Any, node: tree.Call, frame: str, p: int) -> tuple[Value, int | None]:
        named = node.arguments[0].value
        assert isinstance(named, tree.Name)
        calls = [tree.Call(named.name, (a,), a.span, named.span) for a in node.arguments[1:]]
        self._nodes.extend(calls)
        values = [self._call(c, frame, p) for c in calls]
        held = [self._pair(a, ">", b, p) for a, b in zip(values, values[1:], strict=False)]
        return (False if False in held else None if None in held else True), 0

    def _form_first_of(self: Any, node: tree.Call, frame: str, p: int) -> tuple[Value, int | None]:
        wanted = node.arguments[0].value
        assert isinstance(wanted, tree.Name)
        ends = self.ends(frame, p)
        if len(ends) < 2:
            return None, 0
        return self._period_of(p, wanted.name) != self._period_of(ends[-2], wanted.name), 0

    def _form_last_of(self: Any, node: tree.Call, frame: str, p: int) -> tuple[Value, int | None]:
        wanted = node.arguments[0].value
        assert isinstance(wanted, tree.Name)
        following = self.days[p] + 1
        holidays = self.market.bars.calendar.holidays
        while following in holidays or (following + 3) % 7 > 4:
            following += 1
        return period(following, wanted.name, None, 0) != period(self.days[p], wanted.name, None, 0), 0

    def _form_triggered(self: Any, node: tree.Call, frame: str, p: int, part: str = "since_trigger") -> tuple[Value, int | None]:
        named = node.arguments[0].value
        arguments = named.arguments if isinstance(named, tree.Call) else ()
        n = self.value(node.arguments[1].value, frame, p)[0] if len(node.arguments) > 1 else 5
        since = self._call(tree.Call(f"{named.name}.{part}", arguments, node.span, node.span), frame, p)[0]
        return since is not None and since < n, 0

    def _form_failed(self: Any, node: tree.Call, frame: str, p: int) -> tuple[Value, int | None]:
        return self._form_triggered(node, frame, p, "since_failed")

    def _form_event(self: Any, node: tree.Call, frame: str, p: int) -> tuple[Value, int | None]:
        name = node.arguments[0].value
        assert isinstance(name, tree.Text)
        return self.days[p] in self.market.events[name.value].tolist(), 0

    def _other(self: Any, symbol: str) -> Any:
        if symbol not in self.others:
            self.others[symbol] = type(self)(self.market, symbol, self.table)
            self.others[symbol].others = self.others
        return self.others[symbol]

    def _form_rank(self: Any, node: tree.Call, frame: str, p: int) -> tuple[Value, int | None]:
        sector, kind = self.market.texts["sector"], self.market.texts.get("kind", ("",) * len(self.market.bars.symbols))
        within = any(a.name == "in" and getattr(a.value, "name", "") == "sector" for a in node.arguments)
        found: dict[str, float] = {}
        for k, symbol in enumerate(self.market.bars.symbols):
            other = self if symbol == self.symbol else self._other(symbol)
            q = self.same_moment(other, p)
            if q is None or kind[k] != kind[self.k] or (within and sector[k] != sector[self.k]):
                continue
            value, degree = other._settled(other.value(node.arguments[0].value, frame, q), q)
            if value is not None:
                found[symbol] = value / other.factor[q] ** (degree or 0)
        if self.symbol not in found or len(found) < 2:
            return None, 0
        mine = found[self.symbol]
        lower, same = sum(v < mine for v in found.values()), sum(v == mine for v in found.values()) - 1
        return 100 * (lower + same / 2) / (len(found) - 1), 0

    def _form_carry(self: Any, node: tree.Call, frame: str, p: int) -> tuple[Value, int | None]:
        """From the first bar on; what hangs on the value before is never remembered."""
        first, following = (a.value for a in node.arguments)
        prior: tuple[Value, int | None] = (None, None)
        memo = self._memo
        for q in self.ends(frame, p):
            if prior[0] is None:
                prior = self._settled(self.value(first, frame, q), q)
                prior = prior[0], prior[1] or 0
            else:
                self.prior, self._memo = prior, {}
                value, degree = self._settled(self.value(following, frame, q), q)
                self.prior, self._memo = None, memo
                value, _, _ = self._both((value, degree), (None, prior[1]), q)
                prior = (value if value is None or math.isfinite(value) else None), prior[1]
        return prior

    def _form_at_report(self: Any, node: tree.Call, frame: str, p: int) -> tuple[Value, int | None]:
        named, facts = node.arguments[0].value, self.market.facts
        assert isinstance(named, tree.Name)
        n = int(self.value(node.arguments[1].value, frame, p)[0]) if len(node.arguments) > 1 else 1
        known = [r for r in range(int(facts.offsets[self.k]), int(facts.offsets[self.k + 1])) if facts.days[r] <= self.known_day(p)]
        reports = [r for r in known if facts.is_report[r]]
        if len(reports) <= n:
            return None, 0
        at = reports[-1 - n]
        name = "shares" if named.name == "shares_outstanding" else named.name
        value = float(facts.columns[name][at])
        if name in ("shares", "eps"):
            for r in known:
                if r > at and not facts.is_report[r]:
                    more = float(facts.columns["shares"][r] / facts.columns["shares"][r - 1])
                    value = value * more if name == "shares" else value / more
        return (None if math.isnan(value) else value), 0

    def _form_group(self: Any, node: tree.Call, frame: str, p: int) -> tuple[Value, int | None]:
        sector, kind = self.market.texts["sector"], self.market.texts.get("kind", ("",) * len(self.market.bars.symbols))
        within = any(a.name == "by" and getattr(a.value, "name", "") == "sector" for a in node.arguments)
        found: list[float] = []
        for k, symbol in enumerate(self.market.bars.symbols):
            other = self if symbol == self.symbol else self._other(symbol)
            q = self.same_moment(other, p)
            if q is None or (any(kind) and kind[k] != "share") or (within and (not sector[k] or sector[k] != sector[self.k])):
                continue
            value, degree = other._settled(other.value(node.arguments[0].value, frame, q), q)
            if value is not None:
                found.append(value / other.factor[q] ** (degree or 0))
        return (sum(found) / len(found) if found else None), 0

    def _form_breadth(self: Any, node: tree.Call, frame: str, p: int) -> tuple[Value, int | None]:
        kind = self.market.texts.get("kind", ("",) * len(self.market.bars.symbols))
        over = next((a.value.value for a in node.arguments if a.name == "for"), "")  # type: ignore[union-attr]
        found: list[bool] = []
        for k, symbol in enumerate(self.market.bars.symbols):
            other = self if symbol == self.symbol else self._other(symbol)
            q = self.same_moment(other, p)
            if q is None or (not over and any(kind) and kind[k] != "share") or (over and not self._belongs(over, k, other.days[q])):
                continue
            value = other.value(node.arguments[0].value, frame, q)[0]
            if value is not None:
                found.append(bool(value))
        return (sum(found) / len(found) if found else None), 0

    def _belongs(self: Any, universe: str, k: int, day: int) -> bool:
        dated = self.market.universes[universe]
        return any(i == k and a <= day <= b for i, a, b in zip(dated.instrument, dated.first, dated.last, strict=True))

    def _form_benchmark(self: Any, node: tree.Call, frame: str, p: int) -> tuple[Value, int | None]:
        assert self.market.benchmark is not None
        return self._of_symbol(self.market.benchmark, node.arguments[0].value, frame, p)

    def _form_of(self: Any, node: tree.Call, frame: str, p: int) -> tuple[Value, int | None]:
        symbol = node.arguments[0].value
        assert isinstance(symbol, tree.Text)
        return self._of_symbol(symbol.value, node.arguments[1].value, frame, p)

    def _of_symbol(self: Any, symbol: str, node: tree.Node, frame: str, p: int) -> tuple[Value, int | None]:
        if symbol not in self.market.bars.number:
            return None, 0
        other = self if symbol == self.symbol else self._other(symbol)
        q = self.same_moment(other, p)
        if q is None:
            return None, 0
        value, degree = other._settled(other.value(node, frame, q), q)
        return (value if isinstance(value, bool) or value is None else value / other.factor[q] ** (degree or 0)), 0

    def _arguments(self: Any, entry: Any, node: tree.Call, frame: str) -> tuple[dict[str, Any], str]:
        parameters = list(entry.parameters)
        positional = [a.value for a in node.arguments if a.name is None]
        plain = positional and isinstance(positional[0], tree.Number | tree.Count | tree.Since)
        if parameters and parameters[0].name == "x" and parameters[0].default and plain:
            parameters = parameters[1:]
        given = {a.name: a.value for a in node.arguments if a.name}
        given.update({parameter.name: value for parameter, value in zip(parameters, positional, strict=False)})
        units = {v.frame for v in given.values() if isinstance(v, tree.Count) and v.frame}
        for parameter in entry.parameters:
            if parameter.name not in given and parameter.default in given:
                given[parameter.name] = given[parameter.default]
            elif parameter.name not in given:
                given[parameter.name] = _default(parameter.default)
        return given, units.pop() if units else frame
