"""Routes of precedents."""

from django.http import HttpRequest
from ninja import Router

from upperwick.precedents import precedents as service
from upperwick.precedents.schemas import PrecedentsIn, PrecedentsOut, SessionChart

router = Router(tags=["precedents"])


@router.post("", response=PrecedentsOut, operation_id="precedents")
def precedents(request: HttpRequest, body: PrecedentsIn):
    """What is true of a morning, and how the sessions went that began so."""
    return service.looked(request.user, body.dict())


@router.get("/session", response=SessionChart, operation_id="session_chart")
def session_chart(request: HttpRequest, symbol: str, day: str):
    """One session's five-minute bars with the night before them."""
    return service.session_chart(symbol, day)
