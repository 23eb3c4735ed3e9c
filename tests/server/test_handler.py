"""How requests are answered: on one thread each, streams in pieces, and nothing more for whoever has gone."""

import asyncio
import errno
import json
from collections.abc import Awaitable, Callable
from concurrent.futures import ThreadPoolExecutor
from threading import Event
from typing import Any

import pytest
from django.http import HttpResponse, StreamingHttpResponse
from django.test import override_settings
from django.urls import path

from upperwick.base.request_gone import gone
from upperwick.handler import Handler
from upperwick.jobs import admission
from wickcore.scan.limits import Stopped

seen: dict[str, Any] = {}


def plain(request: Any) -> HttpResponse:
    seen["body"] = request.body
    return HttpResponse("plain", headers={"X-Kept": "yes"})


def pieces(request: Any) -> StreamingHttpResponse:
    return StreamingHttpResponse(iter([b"one ", b"two ", b"three"]))


def waits(request: Any) -> HttpResponse:
    left = gone()
    assert left is not None
    seen["waiting"].set()
    seen["told"] = left.wait(20)
    try:
        with admission.in_turn():
            seen["went"] = True
    except Stopped as error:
        seen["stopped"] = str(error)
    return HttpResponse("too late")


urlpatterns = [path("plain", plain), path("pieces", pieces), path("waits", waits)]


def asked(*given: Any, **more: Any) -> tuple[int, dict[bytes, bytes], bytes]:
    """As `ask`, on a loop and a thread of their own: a browser of other tests may have one here."""
    with ThreadPoolExecutor(1) as pool:
        return pool.submit(lambda: asyncio.run(ask(*given, **more))).result(60)


async def ask(
    where: str, body: bytes = b"", leave: Callable[[], Awaitable[Any]] | None = None
) -> tuple[int, dict[bytes, bytes], bytes]:
    """Status, headers and body of one answer. leave: awaited before whoever asks goes."""
    given = [{"type": "http.request", "body": body, "more_body": False}]
    answered: list[dict[str, Any]] = []

    async def receive() -> dict[str, Any]:
        if given:
            return given.pop()
        if leave is None:
            await asyncio.Event().wait()
        else:
            await leave()
        return {"type": "http.disconnect"}

    async def send(message: dict[str, Any]) -> None:
        answered.append(message)

    scope = {
        "type": "http", "method": "POST" if body else "GET", "path": where, "query_string": b"", "http_version": "1.1", "scheme": "http",
        "headers": [(b"host", b"127.0.0.1"), (b"content-length", str(len(body)).encode())], "client": ("127.0.0.1", 1),
    }  # fmt: skip
    await Handler()(scope, receive, send)
    return answered[0]["status"], dict(answered[0]["headers"]), b"".join(m.get("body", b"") for m in answered[1:])


@override_settings(ROOT_URLCONF=__name__, MIDDLEWARE=[])
def test_answers_and_streams_come_whole() -> None:
    status, headers, body = asked("/plain", b"what is sent")
    assert (status, headers[b"X-Kept"], body, seen["body"]) == (200, b"yes", b"plain", b"what is sent")
    assert asked("/pieces")[2] == b"one two three"
    assert asked("/nowhere")[0] == 404


@override_settings(ROOT_URLCONF=__name__, MIDDLEWARE=[])
def test_what_nobody_waits_for_any_more_is_not_computed(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(admission, "_free", 0)
    seen["waiting"] = Event()
    asked("/waits", leave=lambda: asyncio.to_thread(seen["waiting"].wait, 20))
    assert seen["told"]
    assert seen["stopped"] == "Nobody waits for this any more."
    assert "went" not in seen
    assert not admission._waiting


def test_a_body_that_finds_the_disk_full_is_answered_with_a_sentence(monkeypatch: pytest.MonkeyPatch) -> None:
    async def full(self: Handler, receive: Any) -> Any:
        raise OSError(errno.ENOSPC, "No space left on device")

    monkeypatch.setattr(Handler, "read_body", full)
    status, _, body = asked("/api/data/imports", b"a file")
    assert status == 503
    assert "The disk is full" in json.loads(body)["detail"]
