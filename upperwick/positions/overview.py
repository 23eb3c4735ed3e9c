"""The bench as the interface asks for it: each item with how it stands."""

import math
from collections import Counter, defaultdict
from typing import Any

import numpy as np

from upperwick.bench.items import items_of
from upperwick.bench.models import BenchEvent, BenchItem, Fill, PositionNotice
from upperwick.market.services import as_of_moment, open_market, request_limits
from upperwick.positions.fills import rail_of
from upperwick.positions.plans import state_of
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


def values_of(symbols: list[str], as_of: str | None, names: tuple[str, ...]) -> tuple[Moment, dict[str, dict[str, float | None]]]:
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
    day, values = values_of(symbols, as_of, LISTED)
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
