"""What a person has drawn on an instrument's chart. Kept on the scale of the instrument's first bar, so that splits move it along."""

from typing import Any

import numpy as np

from upperwick.market.charts import frame_ends, place, rounded
from upperwick.market.models import Drawing, Instrument
from upperwick.market.services import as_of_day, as_of_moment, open_market, request_limits
from upperwick.refused import Refused
from wickcore.bars.bars import Bars, Ints
from wickcore.bars.frame_names import within_day
from wickcore.bars.market import Market
from wickcore.bars.moment import iso
from wickcore.language.check import check_expression
from wickcore.measures.drawn import drawn_line, drawn_range

MOST = 200
POINTS = {"line": 2, "level": 1, "range": 2, "text": 1}


def drawings_of(owner: Any, symbol: str, as_of: str | None, frame: str = "day") -> list[dict[str, Any]]:
    """The drawings whose every point had been reached by the as-of day. Raises Refused for an unknown symbol."""
    found = Drawing.objects.filter(owner=owner, instrument__symbol=symbol).order_by("id")
    told = [_told(drawing, symbol, as_of, frame) for drawing in found]
    return [t for t in told if t is not None]


def draw(
    owner: Any, symbol: str, as_of: str | None, asked: dict[str, Any], frame: str = "day", drawing_id: int | None = None
) -> dict[str, Any]:
    """Keeps a new drawing, or moves and renames one. Raises Refused."""
    market = open_market().market
    bars, day = market.bars, as_of_day(market, as_of)
    _, begin, end = place(bars, symbol, day)
    kind, points = asked["kind"], asked["points"]
    if len(points) != POINTS[kind]:
        raise Refused(f"A {kind} has {POINTS[kind]} point{'s' if POINTS[kind] > 1 else ''}.", 422)
    if any(not p["price"] > 0 for p in points):
        raise Refused("A drawing's prices are above zero.", 422)
    scale = float(bars.factor[end - 1]) if end > begin else 1.0
    kept = [[p["day"].isoformat(), p["price"] * scale] for p in points]
    if kind == "line" and _bar(bars, begin, end, kept[0][0]) == _bar(bars, begin, end, kept[1][0]):
        raise Refused("A trend line runs between two different bars.", 422)
    if any(p[0] > iso(day) for p in kept):
        raise Refused("A drawing lies on days up to the as-of day.", 422)
    if drawing_id is None:
        if Drawing.objects.filter(owner=owner, instrument__symbol=symbol).count() >= MOST:
            raise Refused(f"A chart holds at most {MOST} drawings; delete some first.", 422)
        drawing = Drawing(owner=owner, instrument=Instrument.objects.get(symbol=symbol))
    else:
        drawing = find(owner, symbol, drawing_id)
    drawing.kind, drawing.points, drawing.text = kind, kept, asked["text"][:200]
    drawing.save()
    told = _told(drawing, symbol, as_of, frame)
    assert told is not None
    return told


def find(owner: Any, symbol: str, drawing_id: int) -> Drawing:
    """One drawing of the owner on an instrument. Raises Refused (404)."""
    found = Drawing.objects.filter(owner=owner, id=drawing_id, instrument__symbol=symbol).first()
    if found is None:
        raise Refused("There is no such drawing.", 404)
    return found


def _bar(bars: Bars, begin: int, end: int, day: str) -> int:
    """The bar of a day, or the last one before it; the first where there is none before."""
    return max(0, int(np.searchsorted(bars.days[begin:end], np.datetime64(day, "D").astype(int), "right")) - 1)


def _days_within(market: Market, symbol: str, as_of: str | None, frame: str, begin: int, end: int) -> Ints:
    """For each bar within the day up to the as-of moment the place of its day's own bar, or of the last before it, among those from `begin`."""
    if market.finest == "day":
        return np.empty(0, np.int64)
    inner = market.table("5min")
    _, first, last = place(inner, symbol, as_of_moment(market, as_of))
    ends = frame_ends(inner, frame, first, last)
    return np.maximum(np.searchsorted(market.bars.days[begin:end], inner.days[first:last][ends], "right") - 1, 0)


def _told(drawing: Drawing, symbol: str, as_of: str | None, frame: str) -> dict[str, Any] | None:
    engine = open_market()
    bars = engine.market.bars
    day = as_of_day(engine.market, as_of)
    _, begin, end = place(bars, symbol, day)
    if end <= begin or any(p[0] > iso(day) for p in drawing.points):
        return None
    scale = float(bars.factor[end - 1])
    line: dict[str, Any] = {"today": None, "touches": [], "support": None, "values": [], "change": None, "bars": None}
    at = [_bar(bars, begin, end, p[0]) for p in drawing.points]
    prices = [p[1] for p in drawing.points]
    if drawing.kind in ("line", "level"):
        names = ("high", "low", "close", "atr(14)")
        rows = engine.rows([check_expression(n).op for n in names], symbol, request_limits())
        high, low, close, atr = (row[: end - begin] for row in rows)
        found = drawn_line(((at[0], prices[0]), (at[-1], prices[-1])), high, low, close, atr)
        ends = (
            frame_ends(bars, frame, begin, end)
            if not within_day(frame)
            else _days_within(engine.market, symbol, as_of, frame, begin, end)
        )
        line |= {
            "today": rounded(found.values[-1:] / scale)[0],
            "touches": [iso(bars.days[begin + t]) for t in found.touches],
            "support": found.below,
            "values": rounded(found.values[ends[ends >= min(at)]] / scale),
        }
    elif drawing.kind == "range":
        reach = drawn_range(((at[0], prices[0]), (at[1], prices[1])))
        line |= {"change": reach.change, "bars": reach.bars}
    return {
        "id": drawing.id,
        "kind": drawing.kind,
        "text": drawing.text,
        "points": [{"day": d, "price": p / scale} for d, p in drawing.points],
        **line,
    }
