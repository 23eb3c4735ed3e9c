"""Who listens, and how what moved reaches them. Nothing is kept: a tab that begins to listen asks for everything anew."""

import asyncio
import logging
import uuid
from contextlib import suppress
from threading import Lock
from typing import Any

from django.db import DatabaseError

from upperwick.base.processes import processes
from upperwick.events.kinds import EVERYTHING, known

MOST_WAITING = 200
KEPT = 1_000  # events that are kept for other processes
PROCESS = uuid.uuid4().hex

_listeners: set["Listener"] = set()
_heard: set[int] = set()  # of the bench: events whose owners were told here as they were written
_lock = Lock()


class Listener:
    """One tab's stream. To be made inside the event loop that serves it."""

    def __init__(self, owner_id: int) -> None:
        self.owner_id = owner_id
        self._loop = asyncio.get_running_loop()
        self._waiting: asyncio.Queue[dict[str, Any]] = asyncio.Queue(MOST_WAITING)

    def __enter__(self) -> "Listener":
        with _lock:
            _listeners.add(self)
        return self

    def __exit__(self, *error: object) -> None:
        with _lock:
            _listeners.discard(self)

    async def next(self, seconds: float) -> dict[str, Any] | None:
        """What moved next; None where nothing did for so long."""
        try:
            return await asyncio.wait_for(self._waiting.get(), seconds)
        except TimeoutError:
            return None

    def tell(self, event: dict[str, Any]) -> None:
        """Hands an event over, from any thread."""
        with suppress(RuntimeError):  # its loop has ended with the server
            self._loop.call_soon_threadsafe(self._put, event)

    def _put(self, event: dict[str, Any]) -> None:
        if self._waiting.full():
            while not self._waiting.empty():
                self._waiting.get_nowait()
            event = {"what": EVERYTHING}
        self._waiting.put_nowait(event)


def publish(what: str, owner_id: int | None = None, **more: Any) -> None:
    """Tells an account's tabs, or everybody's, that something moved; those of other serving processes too."""
    tell_here(what, owner_id, **more)
    if processes() > 1:
        _write(what, owner_id, more)


def _write(what: str, owner_id: int | None, more: dict[str, Any]) -> None:
    from upperwick.events.models import Told

    try:
        told = Told.objects.create(process=PROCESS, what=what, owner=owner_id, more=more)
        if told.pk % KEPT == 0:
            Told.objects.filter(pk__lte=told.pk - KEPT).delete()
    except DatabaseError:  # busy beyond patience: the others' tabs go on with what they have until the next thing moves
        logging.getLogger("upperwick").warning("Other processes could not be told of %s.", what, exc_info=True)


def tell_here(what: str, owner_id: int | None = None, **more: Any) -> None:
    """Tells the tabs that this process serves. event: number of what happened on the bench, which need not be looked for any more.
    Raises ValueError for a kind that is not declared."""
    known(what)
    with _lock:
        if "event" in more:
            if len(_heard) >= KEPT:  # nobody listens, and nobody looks
                _heard.clear()
            _heard.add(more.pop("event"))
        listeners = [x for x in _listeners if owner_id is None or x.owner_id == owner_id]
    for listener in listeners:
        listener.tell({"what": what, **more})


def heard(event: int) -> bool:
    """Whether what happened on the bench was told here already; asked once."""
    with _lock:
        known = event in _heard
        _heard.discard(event)
        return known


def owners() -> set[int]:
    """The accounts of which somebody listens."""
    with _lock:
        return {listener.owner_id for listener in _listeners}


def listening(owner_id: int) -> int:
    """How many of an account's tabs listen."""
    with _lock:
        return sum(listener.owner_id == owner_id for listener in _listeners)
