"""The stream of what moved, one for each tab that is looked at."""

import asyncio
import json
from collections.abc import AsyncIterator
from importlib import import_module
from typing import Any

from asgiref.sync import sync_to_async
from django.conf import settings
from django.contrib.auth import get_user
from django.http import HttpRequest, HttpResponse, StreamingHttpResponse

from upperwick.base.problem_documents import problem
from upperwick.events.bus import Listener, listening
from upperwick.events.kinds import EVERYTHING, SIGNED_OUT
from upperwick.events.watch import begin

MOST_STREAMS = 20  # of one account
ALIVE_SECONDS, LEAVING_SECONDS = 15.0, 0.3


async def events(request: HttpRequest) -> HttpResponse | StreamingHttpResponse:
    """Server-sent events, each a JSON object whose `what` is one of the kinds (kinds.py)."""
    user = await request.auser()
    if request.method != "GET":
        return problem(405, "This cannot be done", "The stream can only be read.")
    if not user.is_authenticated:
        return problem(401, "Not signed in", "Sign in first.")
    if listening(user.pk) >= MOST_STREAMS:
        return problem(429, "Too many streams", f"More than {MOST_STREAMS} pages of this account are open; close some.")
    return StreamingHttpResponse(
        _stream(user.pk, request.session.session_key),
        content_type="text/event-stream",
        # Named, so that nothing compresses it, which would hold it back.
        headers={"Cache-Control": "no-cache", "Content-Encoding": "identity", "X-Accel-Buffering": "no"},
    )


async def _stream(owner_id: int, session_key: str) -> AsyncIterator[str]:
    with Listener(owner_id) as listener:
        begin()
        yield "retry: 2000\n\n" + _line({"what": EVERYTHING})
        while True:
            event = await listener.next(ALIVE_SECONDS)
            left = event is not None and event["what"] == SIGNED_OUT
            if left:
                await asyncio.sleep(LEAVING_SECONDS)  # told before the session is gone
            if (event is None or left) and not await _signed_in(session_key):
                return
            yield ": still here\n\n" if event is None or left else _line(event)


def _line(event: Any) -> str:
    return f"data: {json.dumps(event, ensure_ascii=False)}\n\n"


@sync_to_async
def _signed_in(session_key: str) -> bool:
    """Whether the session still belongs to somebody who may sign in."""
    fresh: Any = HttpRequest()
    fresh.session = import_module(settings.SESSION_ENGINE).SessionStore(session_key)
    return bool(get_user(fresh).is_authenticated)
