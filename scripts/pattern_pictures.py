"""Draws chart patterns of the demo market, by lot, to be looked at and judged.

    python scripts/pattern_pictures.py                       # three of each into docs/patterns/
    python scripts/pattern_pictures.py --lots FOLDER [--seed 1]  # twenty of each, a picture a kind

Drawn by lot, with a fixed seed, are days on which a pattern was forming, of a member of the index: they are not the best ones, and each is
as a person saw it on that day. What comes after the day, the line across the picture, is dimmed, since nobody knew it.
"""

import argparse
import sys
from pathlib import Path
from typing import Any

sys.path.insert(0, str(Path(__file__).resolve().parent.parent))

import numpy as np
from matplotlib.figure import Figure
from matplotlib.ticker import NullLocator

from benchmarks.studies import stored
from upperwick.reports.palette import LIGHT
from wickcore.language.check import check_expression
from wickcore.language.shapes import in_words
from wickcore.measures.frame import TRUE
from wickcore.scan.evaluate import Evaluator
from wickcore.scan.patterns import Drawn, drawn

TARGET = Path(__file__).resolve().parent.parent / "docs" / "patterns"
PAPER, INK, PALE, HAIR, EMBER = LIGHT["paper"], LIGHT["ink"], "#b9b09c", LIGHT["hair"], LIGHT["ember"]
AFTER, BEFORE, SHOWN, LOT, SEED = 15, 40, 3, 20, 11
PAGES = {
    "reversals": ("double_bottom", "double_top", "inverse_head_shoulders", "head_shoulders"),
    "triangles": ("triangle_up", "triangle_down", "triangle", "triangle(breaks=down)"),
    "wedges-and-channels": ("wedge_falling", "wedge_rising", "channel_up", "channel_down"),
    "bases-and-levels": ("base", "base(breaks=down)", "level", "level(breaks=down)"),
    "flags-and-pennants": ("flag_bull", "flag_bear", "pennant_bull", "pennant_bear"),
    "saucers": ("saucer", "rounding_top", "cup", "inverse_cup"),
    "handles-and-trend-lines": ("cup_handle", "inverse_cup_handle", "trend_line_up", "trend_line_down"),
    "published-1": (
        "published_inverse_head_shoulders",
        "published_head_shoulders",
        "published_broadening_bottom",
        "published_broadening_top",
    ),
    "published-2": ("published_triangle_bottom", "published_triangle_top", "published_rectangle_bottom", "published_rectangle_top"),
    "published-3": ("published_double_bottom", "published_double_top"),
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


def lot(engine: Evaluator, name: str, members: Any, seed: int) -> list[int]:
    """Bars on which one is forming, of different instruments."""
    market = engine.market.bars
    forming = np.random.default_rng(seed).permutation(np.flatnonzero((engine.column(check_expression(name).op) == TRUE) & members))
    _, firsts = np.unique(market.owner[forming], return_index=True)
    return [int(at) for at in forming[np.sort(firsts)[:LOT]]]


def picture(engine: Evaluator, rows: list[list[tuple[str, int]]], path: Path) -> None:
    fig = Figure(figsize=(4.2 * len(rows[0]), 2.3 * len(rows)), facecolor=PAPER)
    for axes, row in zip(fig.subplots(len(rows), len(rows[0]), squeeze=False), rows, strict=True):
        for ax, (name, at) in zip(axes, row, strict=False):
            one(ax, engine, name, at)
    fig.tight_layout()
    path.parent.mkdir(exist_ok=True)
    fig.savefig(path, dpi=100, facecolor=PAPER, pil_kwargs={"optimize": True})


def main() -> None:
    options = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    options.add_argument("--lots", type=Path, metavar="FOLDER", help="twenty of each into this folder")
    options.add_argument("--seed", type=int, default=SEED)
    given = options.parse_args()
    engine = stored()
    members = engine.market.members("Harbour 500")
    for page, names in PAGES.items():
        lots = [[(name, at) for at in lot(engine, name, members, given.seed)] for name in names]
        if given.lots is None:
            picture(engine, [row[:SHOWN] for row in lots], TARGET / f"{page}.png")
            continue
        for row in filter(None, lots):
            name = row[0][0].replace("(breaks=down)", "_down")
            picture(engine, [row[i : i + 5] for i in range(0, len(row), 5)], given.lots / f"{name}.png")


if __name__ == "__main__":
    main()
