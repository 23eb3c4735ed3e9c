"""Routes of the market and the language reference."""

import gzip
from datetime import date
from functools import cache
from typing import Literal

from django.http import HttpRequest, HttpResponse
from django.utils.cache import patch_vary_headers
from ninja import Router, Schema, Status
from pydantic import Field

from upperwick.market import drawings
from upperwick.market.facts import facts
from upperwick.market.services import overview
from wickcore.bars.frame_names import FRAMES, ChartFrame
from wickcore.language.catalogue import CATALOGUE
from wickcore.language.ideas import ALIKE, FORMS, IDEAS

router = Router(tags=["market"])


class DamagedOut(Schema):
    symbol: str
    frame: str
    year: int


class HoursOut(Schema):
    """opens, closes: minutes of the day. since: the first session with bars within the day."""

    opens: int
    closes: int
    since: str


class MarketOut(Schema):
    """latest: the newest moment, a day for its close. hours: of sessions, where there are bars within the day. own: facts of one's own,
    by name. frames: those a rule may step on. compiling: the parts of the measures that are still being compiled, on a first start.
    damaged: stored bars that cannot be read, and are left out of everything."""

    version: str
    invented: bool
    sessions: list[str]
    latest: str | None
    hours: HoursOut | None
    universes: list[str]
    sectors: list[str]
    kinds: list[str]
    events: list[str]
    own: list[str]
    frames: list[str]
    instruments: int
    benchmark: str | None
    compiling: list[str]
    damaged: list[DamagedOut]


class EntryOut(Schema):
    name: str
    signature: str
    family: str
    result: str
    bare: bool
    help: str
    formula: str
    warm_up: str
    source: str
    example: str


class IdeaOut(Schema):
    said: str
    line: str


class CatalogueOut(Schema):
    """ideas: everyday ideas as ready lines; forms: ways of writing that are no lines by themselves. alike: words that mean the
    same to who
    looks for something."""

    entries: list[EntryOut]
    frames: list[str]
    ideas: list[IdeaOut]
    forms: list[IdeaOut]
    alike: list[list[str]]


@router.get("/market", response=MarketOut, operation_id="market")
def market(request: HttpRequest):
    """Sessions, universes and the data version."""
    return overview()


@router.get("/catalogue", response=CatalogueOut, operation_id="catalogue")
def catalogue(request: HttpRequest):
    """Every name a rule may use."""
    squeezed = "gzip" in request.headers.get("Accept-Encoding", "")
    response = HttpResponse(_catalogue(squeezed), content_type="application/json; charset=utf-8")
    patch_vary_headers(response, ("Accept-Encoding",))
    if squeezed:
        response["Content-Encoding"] = "gzip"
    return response


@cache
def _catalogue(squeezed: bool) -> bytes:
    """The answer as it goes out: the same as long as the program is, and asked for with each page that is opened."""
    entries = [
        {
            "name": e.name, "signature": e.signature, "family": e.family, "result": e.result, "bare": e.bare, "help": e.help,
            "formula": e.formula, "warm_up": e.unknown_for, "source": e.source, "example": e.example,
        }
        for e in CATALOGUE.entries.values()
    ]  # fmt: skip
    ideas, forms = ([{"said": said, "line": line} for said, line in table] for table in (IDEAS, FORMS))
    alike = [list(words) for words in ALIKE]
    found = CatalogueOut(entries=entries, frames=list(FRAMES), ideas=ideas, forms=forms, alike=alike).model_dump_json().encode()
    return gzip.compress(found, mtime=0) if squeezed else found


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
