"""What is known of one instrument on the as-of day: who it is, its latest figures, and its last eight reports."""

from typing import Any

import numpy as np

from upperwick.market.charts import place
from upperwick.market.files import iso
from upperwick.market.models import Instrument, Report
from upperwick.market.services import LIST_KEY, as_of_day, open_market, request_limits, shown_as
from wickcore.language.check import check_expression

QUARTERS = 8
FIGURES = {
    "Market cap": "market_cap", "Earnings a share, 4 quarters": "eps", "Price to earnings": "pe", "Dividend yield": "dividend_yield",
    "Money a day, 20 bars": "avg_turnover(20)", "Off the 52-week high": "off_high(52w)", "Above the 52-week low": "above_low(52w)",
    "ADR": "adr(20)", "ATR": "atr(14)", "Beta, 252 bars": "beta(252)", "Days to report": "days_to_report",
}  # fmt: skip


def facts(symbol: str, as_of: str | None) -> dict[str, Any]:
    """Raises Refused for an unknown symbol. Nothing later than the as-of day is told: a delisting to come is not known yet."""
    engine = open_market()
    market, table = engine.market, engine.market.bars
    day = as_of_day(market, as_of)
    k, begin, end = place(table, symbol, day)
    stored = Instrument.objects.get(symbol=symbol)
    at = end - begin - 1
    values = {label: check_expression(text) for label, text in FIGURES.items()}
    rows = engine.rows([v.op for v in values.values()], symbol, request_limits())
    scale = float(table.factor[end - 1]) if at >= 0 else 1.0
    figures = []
    for (label, value), row in zip(values.items(), rows, strict=True):
        found = row[at] / (scale ** float(value.degree or 0)) if at >= 0 else np.nan
        figures.append(
            {"label": label, "text": FIGURES[label], "shown": shown_as(value), "value": None if np.isnan(found) else float(found)}
        )
    gone = stored.delisted is not None and np.datetime64(stored.delisted, "D").astype(int) <= day
    return {
        "symbol": symbol,
        "name": stored.name,
        "kind": stored.kind,
        "sector": stored.sector,
        "optionable": stored.optionable,
        "weekly_options": stored.weekly_options,
        "listed": stored.listed,
        "delisted": stored.delisted if gone else None,
        "delisted_reason": stored.delisted_reason if gone else "",
        "universes": [
            name
            for name, dated in sorted(market.universes.items())
            if not name.startswith(LIST_KEY) and bool(np.any((dated.instrument == k) & (dated.first <= day) & (dated.last >= day)))
        ],
        "figures": figures,
        "reports": _reports(stored, iso(day)),
    }


def _reports(stored: Instrument, day: str) -> list[dict[str, Any]]:
    """The last eight, latest first, each beside the quarter a year before it."""
    rows = list(Report.objects.filter(instrument=stored, day__lte=day).order_by("-day")[: QUARTERS + 4])
    found = []
    for i, report in enumerate(rows[:QUARTERS]):
        year = rows[i + 4] if i + 4 < len(rows) else None
        found.append(
            {
                "day": report.day,
                "revenue": report.revenue,
                "earnings": report.earnings,
                "revenue_growth": report.revenue / year.revenue - 1 if year and year.revenue else None,
                "earnings_growth": report.earnings / year.earnings - 1 if year and year.earnings > 0 else None,
                "surprise": (report.earnings - report.expected) / abs(report.expected) if report.expected else None,
            }
        )
    return found
