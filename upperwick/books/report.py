"""A run of a book as one HTML page that needs nothing else: figures, plots as SVG in the page, every table."""

from datetime import date
from pathlib import Path
from typing import Any

from django.utils.safestring import SafeString

from upperwick.books.words import OUTCOMES, REASONS
from upperwick.reports import render
from upperwick.studies.report import DIM, EMBER, HAIR, INK, percents, plot

TEMPLATE = Path(__file__).parent / "templates" / "book.html"
TRADES = 500
GROUPS = {
    "rule": "By rule",
    "reason": "By reason of the exit",
    "sector": "By sector",
    "rank": "By rank within the day",
    "side": "By side",
}


def page(title: str, text: str, told: dict[str, Any], result: dict[str, Any]) -> str:
    """The page. told: what the run says of itself; result: its answer."""
    groups = {kind: [{**g, "label": REASONS.get(g["label"], g["label"])} for g in rows] for kind, rows in result["groups"].items()}
    index = {y["year"]: y for y in result["index_months"] or []}
    context = {
        "title": title,
        "text": text,
        "told": told,
        "r": result,
        "f": result["figures"],
        "signals": [(OUTCOMES[name], n) for name, n in result["signals"].items() if n],
        "groups": [(GROUPS[kind], rows) for kind, rows in groups.items() if kind != "side" or len(rows) > 1],
        "years": [{**y, "index": index.get(y["year"], {}).get("whole")} for y in result["months"]],
        "trades": [{**x, "why": REASONS[x["reason"]]} for x in reversed(result["trades"][-TRADES:])],
        "more_trades": max(0, result["trade_count"] - TRADES),
        "equity": _equity(result),
        "falls": _falls(result),
        "exposure": _exposure(result),
    }
    return render(TEMPLATE, context)


def _days(result: dict[str, Any]) -> list[date]:
    return [date.fromisoformat(e["day"]) for e in result["equity"]]


def _equity(result: dict[str, Any]) -> SafeString:
    def draw(axes: Any) -> None:
        days = _days(result)
        if result["index"] is not None:
            axes.plot(days, result["index"], color=DIM, linewidth=0.9, label=result["benchmark"]["symbol"])
        axes.plot(days, [max(e["equity"], 1e-9) for e in result["equity"]], color=EMBER, linewidth=1.4, label="book")
        axes.set_yscale("log")
        axes.minorticks_off()
        axes.legend(frameon=False, loc="upper left")

    return plot(draw, 3.4)


def _falls(result: dict[str, Any]) -> SafeString:
    def draw(axes: Any) -> None:
        days = _days(result)
        if result["index_falls"] is not None:
            axes.fill_between(days, result["index_falls"], 0, color=HAIR, linewidth=0)
        axes.plot(days, result["falls"], color=EMBER, linewidth=1)
        axes.axhline(0, color=INK, linewidth=0.6)
        percents(axes, "y")

    return plot(draw, 1.6)


def _exposure(result: dict[str, Any]) -> SafeString:
    def draw(axes: Any) -> None:
        axes.fill_between(_days(result), [e["exposure"] for e in result["equity"]], 0, color=EMBER, alpha=0.3, linewidth=0)
        axes.set_ylim(bottom=0)
        percents(axes, "y")

    return plot(draw, 1.2)
