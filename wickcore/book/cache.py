"""What was worked out for a book before: settings of one sweep share most of it."""

from collections import OrderedDict
from collections.abc import Callable, Hashable
from threading import Lock
from typing import Any

MEMO_BYTES = 300_000_000


class Memo:
    """Values by what they hang on, bounded by bytes; the one not asked for longest goes first. Safe between threads."""

    def __init__(self, most: int = MEMO_BYTES) -> None:
        self.most, self._kept, self._lock = most, OrderedDict(), Lock()  # type: int, OrderedDict[Hashable, Any], Lock

    def of(self, key: Hashable, make: Callable[[], Any]) -> Any:
        """The value of a key: the one that is kept, or a new one."""
        with self._lock:
            if key in self._kept:
                self._kept.move_to_end(key)
                return self._kept[key]
        made = make()
        with self._lock:
            self._kept[key] = made
            while len(self._kept) > 1 and sum(_bytes(value) for value in self._kept.values()) > self.most:
                self._kept.popitem(last=False)
        return made


def _bytes(value: Any) -> int:
    return sum(_bytes(v) for v in value) if isinstance(value, tuple | list) else int(getattr(value, "nbytes", 0))
