"""Counts that are kept for who asks the same next: a rule that two people have, or that somebody comes back to, is counted once."""

import hashlib
from threading import Lock
from weakref import WeakKeyDictionary

from cachetools import LRUCache

from upperwick.base.processes import processes
from wickcore.scan.evaluate import Shared

MOST_BYTES = 16_000_000  # in all processes together

_by_market: WeakKeyDictionary[Shared, LRUCache[bytes, bytes]] = WeakKeyDictionary()
_lock = Lock()


def key_of(*question: object) -> bytes:
    """A short name of a question: all rules of an account may be a part of it, and are not to be kept with every answer."""
    return hashlib.blake2b(repr(question).encode(), digest_size=16).digest()


def kept_answer(market: Shared, key: bytes) -> bytes | None:
    """The answer that was made for this question on this market, where it is kept."""
    with _lock:
        answers = _by_market.get(market)
        return None if answers is None else answers.get(key)


def keep_answer(market: Shared, key: bytes, answer: bytes) -> None:
    """Keeps an answer as long as the market stands and there is room; what was not asked for longest goes first."""
    with _lock:
        if market not in _by_market:
            _by_market[market] = LRUCache(MOST_BYTES // processes(), getsizeof=len)
        if len(answer) <= _by_market[market].maxsize:
            _by_market[market][key] = answer
