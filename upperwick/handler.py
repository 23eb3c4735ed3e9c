"""How a request is answered: on one thread from its first middleware to its last, with one way there and one back.

Django's own handler changes between the event loop and a thread for every middleware that is not written for the loop, some seventeen times a
request; on a busy machine each time is a wait. What is a stream stays on the loop.
"""

import asyncio
import contextvars
from collections.abc import Awaitable, Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from threading import Event
from typing import Any

from django.core import signals
from django.core.exceptions import RequestAborted
from django.core.handlers.asgi import ASGIHandler, ASGIRequest, get_script_prefix
from django.core.handlers.base import BaseHandler
from django.http import HttpResponseBase
from django.urls import set_script_prefix

from upperwick.base.request_gone import watched
from upperwick.problems import disk_problem

STREAMS = ("/api/events",)
# Those that wait for their turn to compute wait on a thread each; what is answered at once is not to wait behind them.
THREADS = 200


class Handler(ASGIHandler):
    """Answers on a thread of its own pool; streams as Django does."""

    def __init__(self) -> None:
        super().__init__()
        self._plain = BaseHandler()
        self._plain.load_middleware(is_async=False)
        self._threads = ThreadPoolExecutor(THREADS, "request")

    async def __call__(self, scope: Any, receive: Callable[[], Awaitable[Any]], send: Callable[[Any], Awaitable[None]]) -> None:
        if scope["type"] != "http" or scope["path"] in STREAMS:
            await super().__call__(scope, receive, send)
            return
        try:
            body = await self.read_body(receive)
        except RequestAborted:
            return
        except OSError as error:  # what is too large for memory goes to the disk
            told = disk_problem(error)
            if told is None:
                raise
            await self.send_response(told, send)
            return
        request, refused = self.create_request(scope, body)
        if request is None:
            body.close()
            await self.send_response(refused, send)
            return
        left = Event()
        watching = asyncio.create_task(self._watch(receive, left))
        try:
            response = await self._on_a_thread(left, self._answer, scope, request)
            await self._send(response, send, left)
        finally:
            watching.cancel()
            body.close()

    async def _watch(self, receive: Callable[[], Awaitable[Any]], left: Event) -> None:
        while (await receive())["type"] != "http.disconnect":
            pass
        left.set()

    async def _on_a_thread(self, left: Event, work: Callable[..., Any], *given: Any) -> Any:
        context = contextvars.copy_context()
        context.run(watched, left)
        return await asyncio.get_running_loop().run_in_executor(self._threads, context.run, work, *given)

    def _answer(self, scope: Any, request: ASGIRequest) -> HttpResponseBase:
        set_script_prefix(get_script_prefix(scope))
        signals.request_started.send(sender=self.__class__, scope=scope)
        response = self._plain.get_response(request)
        if not response.streaming:
            response.close()  # on the thread whose connection to the database it is
        return response

    async def _send(self, response: Any, send: Callable[[Any], Awaitable[None]], left: Event) -> None:
        if not response.streaming:
            await self.send_response(response, send)
            return
        if hasattr(response, "block_size"):
            response.block_size = self.chunk_size
        parts: Iterator[bytes] = iter(response)
        try:
            await send({"type": "http.response.start", "status": response.status_code, "headers": _headers(response)})
            more = True
            while more and not left.is_set():
                part = await self._on_a_thread(left, next, parts, None)
                more = part is not None
                await send({"type": "http.response.body", "body": part or b"", "more_body": more})
        finally:
            await self._on_a_thread(left, response.close)


def _headers(response: HttpResponseBase) -> list[tuple[bytes, bytes]]:
    cookies = [(b"Set-Cookie", cookie.output(header="").encode("ascii").strip()) for cookie in response.cookies.values()]
    return [(name.encode("ascii"), value.encode("latin1")) for name, value in response.items()] + cookies
