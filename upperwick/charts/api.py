"""What charts show beside bars: facts of an instrument, and what was drawn."""

from datetime import date
from typing import Literal

from django.http import HttpRequest
from ninja import Router, Schema, Status
from pydantic import Field

from upperwick.charts import drawings
from upperwick.charts.facts import facts
from wickcore.bars.frame_names import ChartFrame

router = Router(tags=["market"])


class FigureOut(Schema):
    label: str
    text: str
    shown: str
    value: float | None


class ReportOut(Schema):
    day: date
    revenue: float
    earnings: float
    revenue_growth: float | None
    eps_growth: float | None
    eps_surprise: float | None


class FactsOut(Schema):
    symbol: str
    name: str
    kind: str
    sector: str
    optionable: bool
    weekly_options: bool
    listed: date | None
    delisted: date | None
    delisted_reason: str
    universes: list[str]
    figures: list[FigureOut]
    reports: list[ReportOut]


@router.get("/facts/{symbol}", response=FactsOut, operation_id="facts")
def facts_route(request: HttpRequest, symbol: str, as_of: str | None = None):
    """What is known of an instrument on the as-of day, with its last eight reports."""
    return facts(symbol, as_of)


class PointIn(Schema):
    day: date
    price: float = Field(ge=-1e12, le=1e12, allow_inf_nan=False)


class DrawingIn(Schema):
    kind: Literal["line", "level", "range", "text"]
    points: list[PointIn] = Field(min_length=1, max_length=2)
    text: str = Field("", max_length=200)


class PointOut(Schema):
    day: str
    price: float


class DrawingOut(Schema):
    """today: a line's price on the as-of day. touches: days on which prices touched it. support: whether it lies below prices.
    values: of
    a line, one a bar of the frame, the latest last. change, bars: how far and how long a range reaches."""

    id: int
    kind: str
    text: str
    points: list[PointOut]
    today: float | None
    touches: list[str]
    support: bool | None
    values: list[float | None]
    change: float | None
    bars: int | None


@router.get("/drawings/{symbol}", response=list[DrawingOut], operation_id="drawings")
def all_drawings(request: HttpRequest, symbol: str, as_of: str | None = None, frame: ChartFrame = "day"):
    """The account's drawings on an instrument, on the as-of day's scale."""
    return drawings.drawings_of(request.user, symbol, as_of, frame)


@router.post("/drawings/{symbol}", response=DrawingOut, operation_id="draw")
def draw(request: HttpRequest, symbol: str, body: DrawingIn, as_of: str | None = None, frame: ChartFrame = "day"):
    return drawings.draw(request.user, symbol, as_of, body.dict(), frame)


@router.put("/drawings/{symbol}/{drawing_id}", response=DrawingOut, operation_id="redraw")
def redraw(
    request: HttpRequest, symbol: str, drawing_id: int, body: DrawingIn, as_of: str | None = None, frame: ChartFrame = "day"
):
    """Moves a drawing or changes its text."""
    return drawings.draw(request.user, symbol, as_of, body.dict(), frame, drawing_id)


@router.delete("/drawings/{symbol}/{drawing_id}", response={204: None}, operation_id="erase")
def erase(request: HttpRequest, symbol: str, drawing_id: int):
    drawings.erase(request.user, symbol, drawing_id)
    return Status(204, None)


@router.post("/drawings/{symbol}/{drawing_id}/restore", response={204: None}, operation_id="restore_drawing")
def restore(request: HttpRequest, symbol: str, drawing_id: int):
    """Undoes an erasure: what waits at the drawing goes on."""
    drawings.restore(request.user, symbol, drawing_id)
    return Status(204, None)
