"""What the rest of the application asks of the market: the evaluator, the as-of day, universes, charts."""

import re
from typing import Any

import numpy as np

from upperwick.market.files import iso
from upperwick.market.load import evaluator
from upperwick.market.models import DataVersion
from upperwick.problems import Refused
from wickcore.bars.bars import Bools
from wickcore.bars.market import Market
from wickcore.language.check import check_expression
from wickcore.language.rule import CheckedRule, Value
from wickcore.measures.frame import TRUE
from wickcore.scan.evaluate import Evaluator, Limits

REQUEST_SECONDS = 9.0  # what is under way when it ends may take a moment more
CHART_BARS = 4_000


def open_market() -> Evaluator:
    """The evaluator over the stored market. Raises Refused when nothing is stored yet."""
    found = evaluator()
    if not len(found.market.bars):
        raise Refused("There are no prices yet: load the demo market with `make demo`, or import your own.", 409)
    return found


def request_limits() -> Limits:
    """The deadline of one request's computing."""
    return Limits(REQUEST_SECONDS)


def as_of_day(market: Market, said: str | None) -> int:
    """The session meant by a date: that day, or the last session before it; the latest one where nothing is said."""
    if not said:
        return market.bars.last_day
    if not re.fullmatch(r"\d{4}-\d{2}-\d{2}", said):
        raise Refused(f"`{said}` is not a date of the form 2024-06-28.")
    try:
        day = int(np.datetime64(said, "D").astype(int))
    except ValueError:
        raise Refused(f"`{said}` is no day of the calendar.") from None
    index = market.bars.session_on(day)
    if index < 0:
        raise Refused(f"The prices begin on {iso(market.bars.sessions[0])}; {said} lies before that.")
    return int(market.bars.sessions[index])


_members: dict[tuple[str, str], Bools] = {}


def members_of(market: Market, universe: str | None) -> Bools | None:
    """Membership by bar; None for all instruments. Raises Refused for an unknown universe."""
    if not universe:
        return None
    if universe not in market.universes:
        known = ", ".join(sorted(market.universes)) or "none"
        raise Refused(f"There is no universe named “{universe}”; known are: {known}.")
    key = (market.version, universe)
    if key not in _members:
        for old in [k for k in _members if k[0] != market.version]:
            del _members[old]
        _members[key] = market.members(universe)  # type: ignore[assignment]
    return _members[key]


def overview() -> dict[str, Any]:
    """What the interface needs to know of the market before anything else."""
    market = open_market().market
    latest = DataVersion.objects.last()
    return {
        "version": market.version,
        "invented": bool(latest and latest.invented),
        "sessions": [iso(d) for d in market.bars.sessions],
        "universes": sorted(market.universes),
        "sectors": sorted(set(market.texts.get("sector", ())) - {""}),
        "events": sorted(market.events),
        "instruments": len(market.bars.symbols),
        "benchmark": market.benchmark,
    }


def column(text: str) -> Value:
    """A checked column expression."""
    return check_expression(text)


def chart(
    symbol: str, as_of: str | None, bars: int, rule: CheckedRule | None, members: Bools | None, facts: bool = True
) -> dict[str, Any]:
    """One instrument's bars up to the as-of day on that day's scale, the rule's price levels, and its hits.

    facts: whether the figures of the latest bar are wanted too. Raises Refused for an unknown symbol.
    """
    engine = open_market()
    market, table = engine.market, engine.market.bars
    if symbol not in table.number:
        raise Refused(f"There is no instrument {symbol}.", 404)
    day = as_of_day(market, as_of)
    k = table.number[symbol]
    begin, end = int(table.offsets[k]), int(table.ends(day)[k])
    first = max(begin, end - min(max(bars, 1), CHART_BARS))
    part = slice(first, end)
    local = slice(first - begin, end - begin)
    scale = table.factor[end - 1] if end > begin else 1.0
    relative = table.factor[part] / scale
    columns = {f: _rounded(getattr(table, f)[part] * relative) for f in ("open", "high", "low", "close")}
    overlays, hits = [], []
    if rule is not None:
        levels = rule.overlays
        rows = engine.rows([*(o.op for o in levels), *(line.op for line in rule.deciding)], symbol, request_limits())
        for overlay, row in zip(levels, rows, strict=False):
            overlays.append({"label": overlay.label, "values": _rounded(row[local] / scale)})
        truth = np.all([row == TRUE for row in rows[len(levels) :]], axis=0)[local]
        if members is not None:
            truth = truth & members[part]
        hits = np.flatnonzero(truth).tolist()
    return {
        "symbol": symbol,
        "name": market.names[k] if market.names else symbol,
        "days": [iso(d) for d in table.days[part]],
        **columns,
        "volume": [float(v) for v in np.round(table.volume[part] / relative)],
        "change": _rounded(engine.rows([column("change").op], symbol)[0][local]),
        "overlays": overlays,
        "hits": hits,
        "facts": _facts(engine, symbol, end - 1 - begin) if facts and end > begin else {},
    }


_FACTS = {
    "change": "change", "rel_volume": "rel_volume(20)", "off_high": "off_high(52w)", "adr": "adr(20)", "natr": "natr(14)",
    "days_to_report": "days_to_report", "market_cap": "market_cap", "pe": "pe",
}  # fmt: skip


def _facts(engine: Evaluator, symbol: str, at: int) -> dict[str, float | None]:
    rows = engine.rows([column(text).op for text in _FACTS.values()], symbol)
    return {name: None if np.isnan(row[at]) else float(row[at]) for name, row in zip(_FACTS, rows, strict=True)}


def _rounded(values: Any) -> list[float | None]:
    return [None if np.isnan(v) else float(f"{v:.6g}") for v in values]
