"""Headers that keep the page to itself: nothing loads from another host, and nothing of ours runs in another's frame."""

from collections.abc import Callable
from inspect import iscoroutinefunction
from typing import Any

from django.http import HttpRequest, HttpResponse
from django.utils.decorators import sync_and_async_middleware

POLICY = (
    "default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data: blob:; "
    "frame-ancestors 'none'; base-uri 'self'; form-action 'self'"
)


def _with_policy(request: HttpRequest, response: HttpResponse) -> HttpResponse:
    response["Content-Security-Policy"] = POLICY
    if request.path.startswith("/api/"):
        response.headers.setdefault("Cache-Control", "no-store")
    return response


@sync_and_async_middleware
def content_policy(get_response: Callable[[HttpRequest], Any]) -> Callable[[HttpRequest], Any]:
    """Adds the Content-Security-Policy header to every answer."""

    async def waiting(request: HttpRequest) -> HttpResponse:
        return _with_policy(request, await get_response(request))

    def plain(request: HttpRequest) -> HttpResponse:
        return _with_policy(request, get_response(request))

    return waiting if iscoroutinefunction(get_response) else plain
