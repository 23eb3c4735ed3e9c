"""The kinds of alerts, with all that is known of each: how it is set, when it fires, how it is said.

about, by kind: price {level, shown, way}: the level on the continuous scale, and as printed when it was set; line {drawing, way}; rule {rule,
scope}: of one instrument, or of a list or universe, or of the rule's own; report {days, scope}; breadth {name, universe, level, way}.
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

from upperwick.alerts.conditions import Fired, look_at_breadth, look_at_line, look_at_price, look_at_report, look_at_rule
from upperwick.alerts.models import Alert
from upperwick.alerts.scheduled_scans import ScansByMoment
from upperwick.base.errors import Refused
from upperwick.bench.lists import universe_key
from upperwick.bench.models import STAGES
from upperwick.market.models import Drawing
from upperwick.rules.checking import prepared, with_universes
from upperwick.rules.services import find as find_rule
from upperwick.rules.services import parts_for
from wickcore.bars.market import Market
from wickcore.bars.moment import Moment
from wickcore.language.breadth import check_breadth
from wickcore.language.named_texts import key_of
from wickcore.language.problems import nearest
from wickcore.language.ready_breadths import READY

MEETS = {"up": "rises to", "down": "falls to", "either": "meets"}


@dataclass(frozen=True, slots=True)
class Asked:
    """What an alert is asked to be. fields: as they came; symbol, scope: known ones, or ""."""

    owner: Any
    market: Market
    fields: dict[str, Any]
    symbol: str
    scope: str

    @property
    def way(self) -> str:
        return self.fields.get("way") or "either"

    @property
    def note(self) -> str:
        return (self.fields.get("note") or "")[:200]


@dataclass(frozen=True, slots=True)
class AlertKind:
    """check: what is kept of it (see above); raises Refused for what could never fire. look: what it has to tell of the moments, ascending,
    after the one it was looked at last; raises Refused, RuleError and Stopped. words: what it waits for. of_a_price: it is about one
    instrument's price. by_evening: evenings that came at once are looked at one by one. stays: armed after it fired."""

    check: Callable[[Asked], dict[str, Any]]
    look: Callable[[Alert, Market, Sequence[Moment], ScansByMoment], list[Fired]]
    words: Callable[[Alert], str]
    of_a_price: bool = False
    by_evening: bool = False
    stays: bool = False


def checked(owner: Any, market: Market, fields: dict[str, Any]) -> tuple[str, dict[str, Any]]:
    """The symbol and what an alert is about, as they are kept. Raises Refused for what could never fire."""
    kind, symbol = KINDS[fields["kind"]], (fields.get("symbol") or "").upper()
    if symbol and symbol not in market.bars.number:
        near = nearest(symbol, market.bars.symbols)
        raise Refused(f"There is no instrument {symbol}{f'; did you mean {near}?' if near else '.'}", 422)
    if kind.of_a_price and not symbol:
        raise Refused("Whose price? Name an instrument.", 422)
    scope = (fields.get("scope") or "").strip()
    if scope:
        universe_key(owner, market, scope)
    asked = Asked(owner, market, fields, symbol, scope)
    return "" if fields["kind"] == "breadth" else symbol, kind.check(asked)


def looked_at(alert: Alert, market: Market, moments: Sequence[Moment], scans: ScansByMoment) -> list[Fired]:
    """What an alert has to tell of the moments, ascending, after the one it was looked at last. Raises Refused, RuleError and Stopped."""
    kind = KINDS.get(alert.kind)
    if kind is None:
        raise Refused(f"This version knows no alert of the kind “{alert.kind}”; delete it, or set it anew.")
    return kind.look(alert, market, moments, scans)


def words_of(alert: Alert) -> str:
    """What an alert waits for, in words."""
    kind = KINDS.get(alert.kind)
    return kind.words(alert) if kind is not None else f"an alert of a kind that this version does not know: {alert.kind}"


# -- a price, a drawn line ---------------------------------------------------------------------------------------------------


def _check_price(asked: Asked) -> dict[str, Any]:
    level, market = asked.fields.get("level"), asked.market
    if level is None or not level > 0:
        raise Refused("At which price? It is above zero.", 422)
    k = market.bars.number[asked.symbol]
    end = int(market.bars.ends(market.latest)[k])
    factor = float(market.bars.factor[end - 1]) if end > market.bars.offsets[k] else 1.0
    return {"level": level * factor, "shown": level, "way": asked.way, "note": asked.note}


def _check_line(asked: Asked) -> dict[str, Any]:
    drawings = Drawing.objects.filter(owner=asked.owner, instrument__symbol=asked.symbol, deleted__isnull=True)
    drawing = drawings.filter(id=asked.fields.get("drawing")).first()
    if drawing is None or drawing.kind not in ("line", "level"):
        raise Refused("There is no such line on its chart.", 422)
    return {"drawing": drawing.id, "way": asked.way, "note": asked.note}


# -- a rule, reports, a breadth ------------------------------------------------------------------------------------------------


def _check_rule(asked: Asked) -> dict[str, Any]:
    rule = find_rule(asked.owner, asked.fields.get("rule") or 0)
    prepared(asked.owner, rule.text)
    return {"rule": rule.id, "name": rule.name, "scope": asked.scope}


def _check_report(asked: Asked) -> dict[str, Any]:
    days = asked.fields.get("days")
    if days is None or not 0 <= days <= 60:
        raise Refused("How many days before a report? From 0 to 60.", 422)
    return {"days": days, "scope": asked.scope}


def _check_breadth(asked: Asked) -> dict[str, Any]:
    fields, owner = asked.fields, asked.owner
    name, level = fields.get("breadth") or "", fields.get("level")
    if level is None:
        raise Refused("Past which level?", 422)
    text = fields.get("text") or READY.get(name) or parts_for(owner, "breadth").get(key_of(name))
    if text is None:
        raise Refused(f"There is no breadth named “{name}”.", 422)
    check_breadth(text, with_universes(owner, asked.market, text, parts_for(owner, text)), None, asked.market.finest)
    kept = {"text": fields["text"]} if fields.get("text") else {}
    way = asked.way if asked.way in ("below", "above") else "below"
    return {**kept, "name": name or "The breadth", "universe": asked.scope, "level": level, "way": way, "by": fields.get("by") or "day",
            "smooth": fields.get("smooth") or 1}  # fmt: skip


def _whom(alert: Alert) -> str:
    scope = alert.about.get("scope") or ""
    on_bench = bool(scope) and all(part in STAGES for part in scope.split(" or "))
    return alert.symbol or (f"one of {'bench: ' if on_bench else ''}{scope}" if scope else "any instrument")


def _report_words(alert: Alert) -> str:
    days = alert.about["days"]
    return f"{_whom(alert)} reports within {days} day{'' if days == 1 else 's'}"


def _breadth_words(alert: Alert) -> str:
    about, scope = alert.about, alert.about.get("scope") or ""
    level = f"{about['level']:.0%}" if abs(about["level"]) <= 1 else f"{about['level']:g}"
    passes = "rises over" if about.get("way") == "below" else "falls under"
    return f"{about['name']}{f' of {scope}' if scope else ''} {passes} {level}"


KINDS: dict[str, AlertKind] = {
    "price": AlertKind(
        _check_price, look_at_price, lambda a: f"{a.symbol} {MEETS[a.about['way']]} {a.about['shown']:g}", of_a_price=True
    ),
    "line": AlertKind(_check_line, look_at_line, lambda a: f"{a.symbol} {MEETS[a.about['way']]} your drawn line", of_a_price=True),
    "rule": AlertKind(_check_rule, look_at_rule, lambda a: f"“{a.about['name']}” becomes true for {_whom(a)}", by_evening=True),
    "report": AlertKind(_check_report, look_at_report, _report_words, by_evening=True, stays=True),
    "breadth": AlertKind(_check_breadth, look_at_breadth, _breadth_words, by_evening=True),
}
