"""The bench as the interface asks for it: each item with how it stands, and an instrument's technical state."""

import math
from collections import Counter, defaultdict
from typing import Any

import numpy as np

from upperwick.base.errors import Refused
from upperwick.bench.items import items_of
from upperwick.bench.models import BenchEvent, BenchItem, Fill, PositionNotice
from upperwick.keeping.models import Alert, Watched
from upperwick.keeping.plan import state_of
from upperwick.keeping.positions import rail_of
from upperwick.market.services import as_of_moment, open_market, request_limits
from wickcore.bars.moment import Moment
from wickcore.language.check import check_expression
from wickcore.plan.holdings import last_price
from wickcore.scan.scan import values_at

WORDS = {
    "close": "close", "change": "change", "off_high": "off_high(52w)", "above_low": "above_low(52w)", "strength": "rank(change(63))",
    "sma20": "sma(20)", "sma50": "sma(50)", "sma200": "sma(200)", "adr": "adr(20)", "atr": "atr(14)", "squeeze": "squeeze_bars",
    "report": "days_to_report", "rel_volume": "rel_volume(20)",
}  # fmt: skip
LISTED = ("close", "change", "report")


def _values(symbols: list[str], as_of: str | None, names: tuple[str, ...]) -> tuple[Moment, dict[str, dict[str, float | None]]]:
    """Figures of instruments on the latest session that is over at a moment, by symbol and name; None where unknown."""
    engine = open_market()
    market = engine.market
    at = as_of_moment(market, as_of)
    day = at if at.closed else Moment(int(market.bars.sessions[max(0, market.bars.session_on(at.day - 1))]))
    numbers = np.array([market.bars.number[s] for s in symbols], np.int64)
    found = values_at(engine.on("day"), {n: check_expression(WORDS[n]) for n in names}, numbers, day, request_limits())
    told = {s: {n: None if np.isnan(found[n][i]) else float(found[n][i]) for n in names} for i, s in enumerate(symbols)}
    return day, told


def listed(owner: Any, as_of: str | None) -> list[dict[str, Any]]:
    """All items, the latest first."""
    items = list(items_of(owner))
    market = open_market().market
    symbols = sorted({i.symbol for i in items if i.symbol in market.bars.number})
    day, values = _values(symbols, as_of, LISTED)
    names = market.names or market.bars.symbols
    now = as_of_moment(market, as_of)
    if not now.closed:  # inside a session the last price is the day's so far, as on the chart
        for symbol in symbols:
            (price, scale), (before, old) = last_price(market, symbol, now), last_price(market, symbol, day)
            change = price * scale / (before * old) - 1 if price > 0 and before > 0 else math.nan
            values[symbol] |= {"close": None if math.isnan(price) else price, "change": None if math.isnan(change) else change}
    at, notes, fills = now, defaultdict(list), defaultdict(list)
    notices = Counter(PositionNotice.objects.filter(item__in=items, settled__isnull=True).values_list("item_id", flat=True))
    for note in BenchEvent.objects.filter(item__in=items, kind="note"):
        notes[note.item_id].append(note.text)
    for fill in Fill.objects.filter(item__in=items, deleted__isnull=True):
        fills[fill.item_id].append(fill)
    return [
        {
            "id": i.id, "symbol": i.symbol, "name": names[market.bars.number[i.symbol]] if i.symbol in market.bars.number else "",
            "stage": i.stage, "rule": i.rule, "rule_name": i.rule_name, "version": i.version, "since": i.since, "moved": i.moved,
            **values.get(i.symbol, dict.fromkeys(LISTED)), "notes": "\n".join(notes[i.id]), "paper": state_of(i),
            "rail": rail_of(market, i, at, fills[i.id]) if fills[i.id] else None,
            "notices": notices[i.id],
            "planned": _planned(i, last_price(market, i.symbol, at)) if i.symbol in market.bars.number else None,
        }
        for i in items
    ]  # fmt: skip


def _planned(item: BenchItem, last: tuple[float, float]) -> dict[str, Any] | None:
    """A plan in a line: how far the last price is from its entry, as a fraction that is positive while the entry lies ahead; and what its last
    target would bring in R."""
    plan, (price, scale) = item.plan, last
    if plan is None or math.isnan(price):
        return None
    up, close = (1 if plan["side"] == "long" else -1), price * scale
    risk = abs(plan["entry"] - plan["stop"])
    rs = [(level - plan["entry"]) * up / risk for level, _ in plan["targets"]] if risk else []
    return {"away": up * (plan["entry"] / close - 1), "r": max(rs) if rs else None, "until": plan["until"]}


def history(item: BenchItem) -> list[dict[str, Any]]:
    """What happened to an item, the latest first."""
    return [{"id": e.id, "kind": e.kind, "moment": e.moment, "at": e.at, "text": e.text} for e in item.events.all()]


def state(owner: Any, symbol: str, as_of: str | None) -> dict[str, Any]:
    """An instrument's technical state, in figures and in a sentence, and what the watched rules say of it. Raises Refused."""
    market = open_market().market
    if symbol not in market.bars.number:
        raise Refused(f"There is no instrument {symbol}.", 404)
    day, values = _values([symbol], as_of, tuple(WORDS))
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
