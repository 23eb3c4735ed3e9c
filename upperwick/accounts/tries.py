"""Whether a password is a name's own. Wrong ones are counted in the database (django-axes), for the name and for the address each."""

from threading import Lock
from typing import Any

from django.contrib.auth import authenticate
from django.http import HttpRequest

from upperwick.refused import Refused

TOO_MANY = "Too many wrong passwords for this name, or from this address; wait five minutes and try again."
CROWDED = "Many are signing in just now; try again in a moment."
# One password is hashed at a time, so that one try is counted before the next is looked at, and guessing leaves the rest of the machine alone.
_hashing, MOST_WAITING, PATIENCE = Lock(), 60, 10.0
_waiting: list[None] = []


def known(request: HttpRequest, name: str, password: str) -> Any:
    """The account of a name and its password; None where they do not fit. Raises Refused (429) for tries that have to wait."""
    if len(_waiting) >= MOST_WAITING:
        raise Refused(CROWDED, 429)
    _waiting.append(None)
    try:
        if not _hashing.acquire(timeout=PATIENCE):
            raise Refused(CROWDED, 429)
        try:
            user = authenticate(request, username=name, password=password)
        finally:
            _hashing.release()
    finally:
        _waiting.pop()
    if user is None and getattr(request, "axes_locked_out", False):
        raise Refused(TOO_MANY, 429)
    return user
