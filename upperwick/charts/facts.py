"""What is known of one instrument on the as-of day: who it is, its latest figures, and its last eight reports."""

from typing import Any

import numpy as np

from upperwick.charts.bars_at import standing
from upperwick.market.models import Instrument, Report
from upperwick.market.services import as_of_day, open_market, request_limits, shown_as
from wickcore.bars.market import Market
from wickcore.bars.moment import iso, to_date, to_day
from wickcore.language.check import check_expression
from wickcore.scan.scales import on_scale

QUARTERS = 8
FIGURES = {
    "Market cap": "market_cap", "Earnings a share, 4 quarters": "eps", "Price to earnings": "pe", "Dividend yield": "dividend_yield",
    "Money a day, 20 bars": "avg_turnover(20)", "Off the 52-week high": "off_high(52w)", "Above the 52-week low": "above_low(52w)",
    "ADR": "adr(20)", "ATR": "atr(14)", "Beta, 252 bars": "beta(252)", "Days to report": "days_to_report",
}  # fmt: skip


def facts(symbol: str, as_of: str | None) -> dict[str, Any]:
    """Raises Refused for an unknown symbol. Nothing later than the as-of day is told: a delisting to come is not known yet."""
    engine = open_market()
    market = engine.market
    stand = standing(engine, symbol, as_of)
    day, k = as_of_day(market, as_of), stand.number
    stored = Instrument.objects.get(symbol=symbol)
    at = stand.end - stand.begin - 1
    texts = {**FIGURES, **own_figures(market, k)}
    values = {label: check_expression(text) for label, text in texts.items()}
    rows = stand.engine.rows([v.op for v in values.values()], symbol, request_limits())
    figures = []
    for (label, value), row in zip(values.items(), rows, strict=True):
        found = on_scale(row[at], value, stand.scale) if at >= 0 else np.nan
        figures.append({"label": label, "text": texts[label], "shown": shown_as(value), "value": _known(found)})
    gone = stored.delisted is not None and np.datetime64(stored.delisted, "D").astype(int) <= day
    return {
        "symbol": symbol,
        "name": stored.name,
        "kind": stored.kind,
        "sector": stored.sector,
        "optionable": stored.optionable,
        "weekly_options": stored.weekly_options,
        "listed": to_date(int(market.listed[k])),
        "delisted": stored.delisted if gone else None,
        "delisted_reason": stored.delisted_reason if gone else "",
        "universes": [
            name
            for name, dated in sorted(market.universes.items())
            if np.any((dated.instrument == k) & (dated.first <= day) & (dated.last >= day))
        ],
        "figures": figures,
        "reports": _reports(stored, market, k, day),
    }


def own_figures(market: Market, instrument: int) -> dict[str, str]:
    """A label and an expression for each fact of one's own this instrument has values of, in order of name."""
    told = [name for name, dated in sorted(market.own.items()) if dated.offsets[instrument + 1] > dated.offsets[instrument]]
    return {name.replace("_", " ").capitalize(): f"own.{name}" for name in told}


def _reports(stored: Instrument, market: Market, k: int, day: int) -> list[dict[str, Any]]:
    """The last eight published by the day, latest first: the money as stored, growth and surprise as the rules see them."""
    assert market.facts is not None
    facts = market.facts
    part = slice(int(facts.offsets[k]), int(facts.offsets[k + 1]))
    told = {
        int(d): {name: _known(facts.columns[name][part][i]) for name in ("revenue_growth", "eps_growth", "eps_surprise")}
        for i, d in enumerate(facts.days[part])
        if facts.is_report[part][i]
    }
    rows = Report.objects.filter(instrument=stored, day__lte=iso(day)).order_by("-day")[:QUARTERS]
    return [{"day": r.day, "revenue": r.revenue, "earnings": r.earnings, **told[to_day(r.day)]} for r in rows]


def _known(value: Any) -> float | None:
    return None if np.isnan(value) else float(value)
