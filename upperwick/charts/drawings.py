"""What a person has drawn on an instrument's chart. Kept on the scale of the instrument's first bar, so that splits move it along."""

from typing import Any

import numpy as np
from django.db.models import QuerySet
from django.utils import timezone

from upperwick.base.errors import Refused
from upperwick.charts.bars_at import Standing, standing
from upperwick.charts.series import rounded
from upperwick.market.models import Drawing, Instrument
from upperwick.market.services import open_market, request_limits
from wickcore.bars.bars import Days, Ints
from wickcore.bars.frame_names import within_day
from wickcore.bars.moment import iso
from wickcore.language.check import check_expression
from wickcore.measures.drawn import drawn_line, drawn_range
from wickcore.scan.evaluate import Evaluator

MOST = 200
POINTS = {"line": 2, "level": 1, "range": 2, "text": 1}


def drawings_of(owner: Any, symbol: str, as_of: str | None, frame: str = "day") -> list[dict[str, Any]]:
    """The drawings whose every point had been reached by the as-of day. Raises Refused for an unknown symbol."""
    found = _kept(owner, symbol).order_by("id")
    told = [_told(drawing, symbol, as_of, frame) for drawing in found]
    return [t for t in told if t is not None]


def draw(
    owner: Any, symbol: str, as_of: str | None, asked: dict[str, Any], frame: str = "day", drawing_id: int | None = None
) -> dict[str, Any]:
    """Keeps a new drawing, or moves and renames one. Raises Refused."""
    stand = standing(open_market(), symbol, as_of)
    days = _days(stand)
    kind, points = asked["kind"], asked["points"]
    if len(points) != POINTS[kind]:
        raise Refused(f"A {kind} has {POINTS[kind]} point{'s' if POINTS[kind] > 1 else ''}.", 422)
    if any(not p["price"] > 0 for p in points):
        raise Refused("A drawing's prices are above zero.", 422)
    kept = [[p["day"].isoformat(), p["price"] * stand.scale] for p in points]
    if kind == "line" and _bar(days, kept[0][0]) == _bar(days, kept[1][0]):
        raise Refused("A trend line runs between two different bars.", 422)
    if any(p[0] > iso(stand.at.day) for p in kept):
        raise Refused("A drawing lies on days up to the as-of day.", 422)
    if drawing_id is None:
        _room(owner, symbol)
        drawing = Drawing(owner=owner, instrument=Instrument.objects.get(symbol=symbol))
    else:
        drawing = find(owner, symbol, drawing_id)
    drawing.kind, drawing.points, drawing.text = kind, kept, asked["text"][:200]
    drawing.save()
    told = _told(drawing, symbol, as_of, frame)
    assert told is not None
    return told


def erase(owner: Any, symbol: str, drawing_id: int) -> None:
    """Puts a drawing away; `restore` brings it back. Raises Refused (404)."""
    found = find(owner, symbol, drawing_id)
    found.deleted = timezone.now()
    found.save(update_fields=["deleted"])
    erased = _kept(owner, symbol, deleted=True).order_by("-deleted").values_list("id", flat=True)
    Drawing.objects.filter(id__in=list(erased[MOST:])).delete()


def restore(owner: Any, symbol: str, drawing_id: int) -> None:
    """Brings an erased drawing back, as the one it was. Raises Refused."""
    found = find(owner, symbol, drawing_id, deleted=True)
    _room(owner, symbol)
    found.deleted = None
    found.save(update_fields=["deleted"])


def find(owner: Any, symbol: str, drawing_id: int, deleted: bool = False) -> Drawing:
    """One drawing of the owner on an instrument. Raises Refused (404)."""
    found = _kept(owner, symbol, deleted).filter(id=drawing_id).first()
    if found is None:
        raise Refused("There is no such drawing.", 404)
    return found


def _kept(owner: Any, symbol: str, deleted: bool = False) -> QuerySet[Drawing]:
    return Drawing.objects.filter(owner=owner, instrument__symbol=symbol, deleted__isnull=not deleted)


def _room(owner: Any, symbol: str) -> None:
    if _kept(owner, symbol).count() >= MOST:
        raise Refused(f"A chart holds at most {MOST} drawings; delete some first.", 422)


def _days(stand: Standing) -> Days:
    """The days of the instrument's daily bars, the last of them the day so far."""
    return stand.bars.days[stand.begin : stand.end][stand.ends("day")]


def _bar(days: Days, day: str) -> int:
    """The bar of a day, or the last one before it; the first where there is none before."""
    return max(0, int(np.searchsorted(days, np.datetime64(day, "D").astype(int), "right")) - 1)


def _told(drawing: Drawing, symbol: str, as_of: str | None, frame: str) -> dict[str, Any] | None:
    engine = open_market()
    stand = standing(engine, symbol, as_of)
    days = _days(stand)
    if not len(days) or any(p[0] > iso(stand.at.day) for p in drawing.points):
        return None
    scale = stand.scale
    line: dict[str, Any] = {"today": None, "touches": [], "support": None, "values": [], "change": None, "bars": None}
    at = [_bar(days, p[0]) for p in drawing.points]
    prices = [p[1] for p in drawing.points]
    if drawing.kind in ("line", "level"):
        names = ("high", "low", "close", "atr(14)")
        rows = stand.engine.rows([check_expression(n).op for n in names], symbol, request_limits())
        own = stand.ends("day")
        high, low, close, atr = (row[own] for row in rows)
        found = drawn_line(((at[0], prices[0]), (at[-1], prices[-1])), high, low, close, atr)
        ends = _days_within(engine, symbol, as_of, frame, days) if within_day(frame) else np.searchsorted(own, stand.ends(frame))
        line |= {
            "today": rounded(found.values[-1:] / scale)[0],
            "touches": [iso(days[t]) for t in found.touches],
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


def _days_within(engine: Evaluator, symbol: str, as_of: str | None, frame: str, days: Days) -> Ints:
    """For each bar within the day up to the as-of moment the place of its day, or of the last before it, among the days."""
    if engine.market.finest == "day":
        return np.empty(0, np.int64)
    within = standing(engine, symbol, as_of, frame)
    of_bars = within.bars.days[within.begin : within.end][within.ends(frame)]
    return np.maximum(np.searchsorted(days, of_bars, "right") - 1, 0)
