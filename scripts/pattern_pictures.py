"""Draws three hits of every chart pattern on the demo market into docs/patterns/, to be looked at and judged.

    python scripts/pattern_pictures.py

The hits are drawn by lot among the bars on which a close confirmed the pattern, with a fixed seed: they are not the best ones. The line
across a picture is that bar; what comes after it is dimmed, since nobody knew it.
"""

import sys
from pathlib import Path
from typing import Any

sys.path.insert(0, str(Path(__file__).resolve().parent.parent))

import numpy as np
from matplotlib.figure import Figure
from matplotlib.ticker import NullLocator

from benchmarks.studies import stored
from wickcore.language.check import check_expression
from wickcore.language.shapes import in_words
from wickcore.measures.frame import TRUE
from wickcore.scan.evaluate import Evaluator
from wickcore.scan.patterns import Drawn, drawn

TARGET = Path(__file__).resolve().parent.parent / "docs" / "patterns"
PAPER, INK, PALE, HAIR, EMBER = "#f5f0e4", "#26221b", "#b9b09c", "#d9cfb8", "#b5430f"
AFTER, BEFORE, HITS, SEED = 15, 25, 3, 11
PAGES = {
    "reversals": ("double_bottom", "double_top", "inverse_head_shoulders", "head_shoulders"),
    "triangles": ("triangle_up", "triangle_down", "triangle", "triangle(breaks=down)"),
    "wedges-and-channels": ("wedge_falling", "wedge_rising", "channel_up", "channel_down"),
    "bases-and-levels": ("base", "base(breaks=down)", "level", "level(breaks=down)"),
    "flags-and-pennants": ("flag_bull", "flag_bear", "pennant_bull", "pennant_bear"),
    "saucers": ("saucer", "rounding_top", "cup", "inverse_cup"),
    "handles-and-trend-lines": ("cup_handle", "inverse_cup_handle", "trend_line_up", "trend_line_down"),
    "published-1": ("lmw_inverse_head_shoulders", "lmw_head_shoulders", "lmw_broadening_bottom", "lmw_broadening_top"),
    "published-2": ("lmw_triangle_bottom", "lmw_triangle_top", "lmw_rectangle_bottom", "lmw_rectangle_top"),
    "published-3": ("lmw_double_bottom", "lmw_double_top"),
}


def bars(ax: Any, x: Any, table: dict[str, Any], colour: str) -> None:
    """Hollow where the close is above the open, filled where it is not."""
    up = table["close"] >= table["open"]
    ax.vlines(x, table["low"], table["high"], color=colour, lw=0.7, zorder=1)
    for chosen, face in ((up, PAPER), (~up, colour)):
        bottom, top = (f(table["open"], table["close"])[chosen] for f in (np.minimum, np.maximum))
        ax.bar(x[chosen], np.maximum(top - bottom, top * 1e-4), 0.62, bottom, color=face, edgecolor=colour, lw=0.6, zorder=2)


def one(ax: Any, engine: Evaluator, name: str, at: int) -> None:
    market = engine.market.bars
    k = int(np.searchsorted(market.offsets, at, side="right")) - 1
    begin, end = int(market.offsets[k]), int(market.offsets[k + 1])
    found: Drawn = next(drawn(engine, [check_expression(f"{name}.state").op], market.symbols[k], at - begin))
    first = max([ago for ago, _ in found.points] + [stroke.points[0][0] for stroke in found.strokes])
    part = slice(max(begin, at - first - BEFORE), min(end, at + AFTER + 1))
    x = np.arange(part.start, part.stop) - at
    table = {n: getattr(market, n)[part] * market.factor[part] for n in ("open", "high", "low", "close")}
    for chosen, colour in ((x <= 0, INK), (x > 0, PALE)):
        bars(ax, x[chosen], {n: v[chosen] for n, v in table.items()}, colour)
    if found.joined:
        ax.plot([-ago for ago, _ in found.points], [price for _, price in found.points], color=EMBER, lw=1.1, zorder=3)
    for stroke in found.strokes:
        ax.plot([-ago for ago, _ in stroke.points], [price for _, price in stroke.points], color=EMBER, lw=1.3, zorder=3)
    ax.plot([-ago for ago, _ in found.points], [p for _, p in found.points], "o", mfc=PAPER, mec=EMBER, ms=4, zorder=4)
    for value, dashes in ((found.trigger, (5, 3)), (found.invalid, (1.5, 3))):
        ax.plot([0, AFTER], [value, value], color=EMBER, lw=0.8, dashes=dashes, zorder=3)
    ax.axvline(0, color=HAIR, lw=1, zorder=0)
    day = np.datetime64(int(market.days[at]), "D")
    ax.set_title(
        f"{in_words(found.name)}, {market.symbols[k]}, {day}; quality {found.quality:.0f}", fontsize=8, color=INK, loc="left"
    )
    ax.set_yscale("log")
    ax.set_facecolor(PAPER)
    for axis in (ax.xaxis, ax.yaxis):
        axis.set_major_locator(NullLocator())
        axis.set_minor_locator(NullLocator())
    for spine in ax.spines.values():
        spine.set_color(HAIR)


def main() -> None:
    engine = stored()
    members = engine.market.members("Harbour 500")
    TARGET.mkdir(exist_ok=True)
    for page, names in PAGES.items():
        rng = np.random.default_rng(SEED)
        fig = Figure(figsize=(12.8, 2.3 * len(names)), facecolor=PAPER)
        axes = fig.subplots(len(names), HITS, squeeze=False)
        for row, name in zip(axes, names, strict=True):
            triggered = engine.column(check_expression(f"triggered({name}, 1)").op) == TRUE
            hits = np.flatnonzero(triggered & members)
            for ax, at in zip(row, rng.choice(hits, HITS, replace=False), strict=True):
                one(ax, engine, name, int(at))
        fig.tight_layout()
        fig.savefig(TARGET / f"{page}.png", dpi=100, facecolor=PAPER, pil_kwargs={"optimize": True})


if __name__ == "__main__":
    main()
