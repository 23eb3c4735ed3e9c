"""An instrument's technical state, and what the watched rules say of it."""

from typing import Any

from upperwick.alerts.models import Alert, Watched
from upperwick.base.errors import Refused
from upperwick.market.services import open_market
from upperwick.positions.overview import WORDS, values_of


def state(owner: Any, symbol: str, as_of: str | None) -> dict[str, Any]:
    """An instrument's technical state, in figures and in a sentence, and what the watched rules say of it. Raises Refused."""
    market = open_market().market
    if symbol not in market.bars.number:
        raise Refused(f"There is no instrument {symbol}.", 404)
    day, values = values_of([symbol], as_of, tuple(WORDS))
    v = values[symbol]
    watched = Watched.on_desk.filter(rule__owner=owner).select_related("rule")
    rules = [
        {"rule": w.rule_id, "name": w.rule.name, "hit": symbol in w.hits, "fresh": symbol in w.fresh}
        for w in watched
        if w.moment[:10] == str(day)[:10]
    ]
    return {
        "symbol": symbol, "day": str(day), **v, "trend": _trend(v), "rules": sorted(rules, key=lambda r: (not r["hit"], r["name"])),
        "alerts": Alert.objects.filter(owner=owner, symbol=symbol, armed=True, deleted__isnull=True).count(),
    }  # fmt: skip


def _trend(v: dict[str, float | None]) -> str:
    """The trend by its averages, in words."""
    close, averages = v["close"], [(n, v[f"sma{n}"]) for n in (20, 50, 200)]
    if close is None:
        return "It has no bar of that session."
    known = [(n, a) for n, a in averages if a is not None]
    if not known:
        return "It is too young for averages."
    above = [str(n) for n, a in known if close > a]
    below = [str(n) for n, a in known if close <= a]
    said = " and ".join(
        part
        for part in (f"above its {', '.join(above)}-day" if above else "", f"under its {', '.join(below)}-day" if below else "")
        if part
    )
    order = ""
    if len(known) == 3:
        a, b, c = (value for _, value in known)
        order = ", which are in order" if a > b > c else ", which are in order downwards" if a < b < c else ""
    return f"It closed {said} average{'s' if len(known) > 1 else ''}{order}."
