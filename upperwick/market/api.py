"""Routes of the market and the language reference."""

from django.http import HttpRequest
from ninja import Router, Schema

from upperwick.market.services import overview
from wickcore.language.catalogue import CATALOGUE, FRAMES

router = Router(tags=["market"])


class MarketOut(Schema):
    version: str
    invented: bool
    sessions: list[str]
    universes: list[str]
    sectors: list[str]
    events: list[str]
    instruments: int
    benchmark: str | None


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


class CatalogueOut(Schema):
    entries: list[EntryOut]
    frames: list[str]


@router.get("/market", response=MarketOut, operation_id="market")
def market(request: HttpRequest):
    """Sessions, universes and the data version."""
    return overview()


@router.get("/catalogue", response=CatalogueOut, operation_id="catalogue")
def catalogue(request: HttpRequest):
    """Every name a rule may use."""
    entries = [
        {
            "name": e.name, "signature": e.signature, "family": e.family, "result": e.result, "bare": e.bare, "help": e.help,
            "formula": e.formula, "warm_up": e.unknown_for, "source": e.source, "example": e.example,
        }
        for e in CATALOGUE.entries.values()
    ]  # fmt: skip
    return {"entries": entries, "frames": list(FRAMES)}
