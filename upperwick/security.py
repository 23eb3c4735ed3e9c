"""Headers that keep the page to itself: nothing loads from another host, and nothing of ours runs in another's frame."""

from collections.abc import Awaitable, Callable
from inspect import iscoroutinefunction

from django.http import HttpRequest, HttpResponse
from django.utils.decorators import sync_and_async_middleware

POLICY = (
    "default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data: blob:; "
    "frame-ancestors 'none'; base-uri 'self'; form-action 'self'"
)


@sync_and_async_middleware
def content_policy(get_response: Callable[[HttpRequest], HttpResponse | Awaitable[HttpResponse]]):
    """Adds the Content-Security-Policy header to every answer."""
    if iscoroutinefunction(get_response):

        async def answer(request: HttpRequest) -> HttpResponse:
            response = await get_response(request)
            response["Content-Security-Policy"] = POLICY
            return response

    else:

        def answer(request: HttpRequest) -> HttpResponse:
            response = get_response(request)
            response["Content-Security-Policy"] = POLICY
            return response

    return answer
