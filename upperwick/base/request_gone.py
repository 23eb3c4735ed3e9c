"""Whether whoever made a request still waits for its answer: a browser gives up the question before as the next key is pressed."""

import contextvars
from threading import Event

_gone: contextvars.ContextVar[Event | None] = contextvars.ContextVar("gone", default=None)


def gone() -> Event | None:
    """Set once whoever made the request that this thread answers has gone; None where no request is answered."""
    return _gone.get()


def watched(event: Event) -> None:
    """What is done from here on is for a request; the event is set once whoever made it has gone."""
    _gone.set(event)
