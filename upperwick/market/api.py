"""Routes of the market and the language reference."""

import gzip
from functools import cache

from django.http import HttpRequest, HttpResponse
from django.utils.cache import patch_vary_headers
from ninja import Router, Schema

from upperwick.market.services import overview
from wickcore.bars.frame_names import FRAMES
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
