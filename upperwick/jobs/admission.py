"""Whose question is computed next: a few at a time, and what a person waits for before what only completes a page."""

from collections import deque
from collections.abc import Iterator
from contextlib import contextmanager
from threading import Condition
from time import monotonic
from typing import Any

from upperwick.base.errors import Refused
from upperwick.base.processes import processes
from upperwick.base.request_gone import gone
from wickcore.scan.limits import Stopped

# Requests that compute at one time, each on two threads: more would only hold memory while they wait for a processor.
AT_ONCE = 2 if processes() == 1 else 1
REQUEST_SECONDS = 9.0  # what is under way when it ends may take a moment more
LOOK_SECONDS = 0.1
LATE = "Many are asking just now, and the turn of this question did not come in time; ask again in a moment."

_turn = Condition()
_free = AT_ONCE
_waiting: deque[object] = deque()  # whoever came first is the first to go
_latest: dict[Any, object] = {}  # by account, what it asked last that may wait


@contextmanager
def in_turn() -> Iterator[None]:
    """Held while a request computes. Raises Stopped for one whose turn does not come in time, or that nobody waits for any more."""
    global _free
    mine, until = object(), monotonic() + REQUEST_SECONDS
    with _turn:
        _waiting.append(mine)
        try:
            while not (_free > 0 and _waiting[0] is mine):
                _check(until)
                _turn.wait(LOOK_SECONDS)
            _free -= 1
        finally:
            _waiting.remove(mine)
            _turn.notify_all()
    try:
        yield
    finally:
        _give_back()


@contextmanager
def behind(owner: Any) -> Iterator[None]:
    """As `in_turn`, for what may wait until nobody waits for anything else. Raises Refused once its owner has asked for another such thing, and
    Stopped as `in_turn` does."""
    global _free
    mine, until = object(), monotonic() + REQUEST_SECONDS
    with _turn:
        _latest[owner] = mine
        try:
            while not _free or _waiting:
                if _latest.get(owner) is not mine:
                    raise Refused("Another question was asked meanwhile.", 409)
                _check(until)
                _turn.wait(LOOK_SECONDS)
        except Stopped:
            del _latest[owner]
            raise
        _free -= 1
    try:
        yield
    finally:
        with _turn:
            if _latest.get(owner) is mine:
                del _latest[owner]
        _give_back()


def _check(until: float) -> None:
    left = gone()
    if left is not None and left.is_set():
        raise Stopped("Nobody waits for this any more.")
    if monotonic() > until:
        raise Stopped(LATE)


def _give_back() -> None:
    global _free
    with _turn:
        _free += 1
        _turn.notify_all()
