"""A study as one HTML page that needs nothing else: figures, plots as SVG in the page, every table."""

import io
import itertools
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any

from django.utils.safestring import SafeString, mark_safe

from upperwick.reports import render
from upperwick.reports.palette import LIGHT

TEMPLATE = Path(__file__).parent / "templates" / "report.html"
NAMES, EVENTS = 60, 500
TITLES = {
    "year": "By year",
    "month": "By month",
    "weekday": "By weekday of the entry",
    "sector": "By sector",
    "size": "By size, thirds of market value",
    "market": "By market: its 200-day average",
    "crowd": "By hits that day",
}
INK, DIM, HAIR, EMBER, GAIN, LOSS = (LIGHT[name] for name in ("ink", "ink3", "hair", "ember", "gain", "loss"))


def report(title: str, text: str, told: dict[str, Any], study: dict[str, Any], parts: dict[str, Any]) -> str:
    """The page. told: what the run says of itself (settings, version, seed). study, parts: their answers."""
    horizon = next(h for h in study["horizons"] if h["bars"] == parts["horizon"])
    context = {
        "title": title,
        "text": text,
        "told": told,
        "study": study,
        "h": horizon,
        "verdict": study["verdicts"][str(horizon["bars"])],
        "horizons": study["horizons"],
        "parts": parts,
        "breakdowns": [(TITLES.get(kind, kind), rows) for kind, rows in parts["breakdowns"].items()],
        "names": parts["names"][:NAMES],
        "more_names": max(0, len(parts["names"]) - NAMES),
        "stops": parts["stops"][3::4][:12],
        "events": [{**e, "shown": list(e["returns"].values())} for e in reversed(study["events"][-EVENTS:])],
        "more_events": max(0, study["hits"] - EVENTS),
        "path": _path(parts["path"]),
        "spread": _spread(horizon),
        "days": _days(parts["days"]),
        "depth": _depth(parts["scatter"]),
    }
    return render(TEMPLATE, context)


def plot(draw: Callable[[Any], None], height: float) -> SafeString:
    """What is drawn, as SVG within a page. height: in inches, at a width of 8.6."""
    # Imported here: nothing but a report needs it.
    from matplotlib import rc_context
    from matplotlib.backends.backend_svg import FigureCanvasSVG
    from matplotlib.figure import Figure

    settings = {
        "svg.hashsalt": "report", "svg.fonttype": "none", "font.family": "monospace", "font.size": 8, "axes.edgecolor": HAIR,
        "xtick.color": DIM, "ytick.color": DIM, "axes.spines.top": False, "axes.spines.right": False, "axes.spines.left": False,
    }  # fmt: skip
    with rc_context(settings):
        figure = Figure(figsize=(8.6, height), layout="constrained")
        figure.patch.set_alpha(0)
        FigureCanvasSVG(figure)
        axes = figure.add_subplot()
        axes.patch.set_alpha(0)
        axes.tick_params(length=0)
        draw(axes)
        sink = io.StringIO()
        figure.savefig(sink, format="svg", metadata={"Date": None, "Creator": None})
    svg = sink.getvalue()
    return mark_safe(svg[svg.index("<svg") :])  # made by the library from numbers alone


def percents(axes: Any, *which: str) -> None:
    """Axes (x, y) in percent."""
    from matplotlib.ticker import PercentFormatter

    for one in which:
        getattr(axes, f"{one}axis").set_major_formatter(PercentFormatter(1.0, decimals=1))


def _path(points: Sequence[dict[str, Any]]) -> SafeString:
    def draw(axes: Any) -> None:
        at = [p["offset"] for p in points]

        def column(key: str) -> list[float]:
            return [float("nan") if p[key] is None else p[key] for p in points]

        axes.fill_between(at, column("low"), column("high"), color=EMBER, alpha=0.16, linewidth=0)
        axes.plot(at, column("baseline"), color=DIM, linewidth=1, label="baseline")
        axes.plot(at, column("median"), color=INK, linewidth=1, linestyle="--", label="median")
        axes.plot(at, column("mean"), color=EMBER, linewidth=1.6, label="mean")
        axes.axhline(0, color=HAIR, linewidth=0.8)
        axes.axvline(0, color=HAIR, linewidth=0.8)
        axes.legend(frameon=False, loc="upper left")
        percents(axes, "y")

    return plot(draw, 2.6)


def _spread(horizon: dict[str, Any]) -> SafeString:
    def draw(axes: Any) -> None:
        edges, counts = horizon["histogram"]["edges"], horizon["histogram"]["counts"]
        widths = [b - a for a, b in itertools.pairwise(edges)]
        colours = [GAIN if (a + b) / 2 > 0 else LOSS for a, b in itertools.pairwise(edges)]
        axes.bar(edges[:-1], counts, [w * 0.9 for w in widths], align="edge", color=colours)
        axes.set_yticks([])
        percents(axes, "x")

    return plot(draw, 1.9)


def _days(days: Sequence[dict[str, Any]]) -> SafeString:
    from datetime import date

    def draw(axes: Any) -> None:
        axes.vlines([date.fromisoformat(d["day"]) for d in days], 0, [d["count"] for d in days], color=EMBER, linewidth=0.6)
        axes.set_ylim(bottom=0)

    return plot(draw, 1.5)


def _depth(dots: Sequence[dict[str, Any]]) -> SafeString:
    def draw(axes: Any) -> None:
        axes.scatter([d["adverse"] for d in dots], [d["end"] for d in dots], s=4, color=INK, alpha=0.35, linewidths=0)
        axes.axhline(0, color=HAIR, linewidth=0.8)
        axes.set_xlabel("worst on the way")
        axes.set_ylabel("at the end")
        percents(axes, "x", "y")

    return plot(draw, 2.6)
