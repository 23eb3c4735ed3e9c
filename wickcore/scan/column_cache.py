"""Computed columns that are kept, bounded by bytes: what was not asked for longest goes first."""

from collections import OrderedDict
from collections.abc import Callable, Iterable
from threading import Lock
from typing import Any

from wickcore.scan.plan import Place

Column = Any


class KeptColumns:
    """Columns by table and operation. Safe to share between threads."""

    def __init__(self, most_bytes: int) -> None:
        self.most = most_bytes
        self._columns: OrderedDict[Place, Column] = OrderedDict()
        self._bytes = 0
        self._lock = Lock()

    @property
    def nbytes(self) -> int:
        """What all kept columns take."""
        return self._bytes

    def those_of(self, places: Iterable[Place]) -> dict[Place, Column]:
        """The columns that are there."""
        with self._lock:
            found = {place: self._columns[place] for place in places if place in self._columns}
            for place in found:
                self._columns.move_to_end(place)
        return found

    def keep(self, made: dict[Place, Column]) -> None:
        """Keeps columns, read-only from then on."""
        with self._lock:
            for place, column in made.items():
                column.setflags(write=False)
                if place not in self._columns:
                    self._columns[place] = column
                    self._bytes += column.nbytes
            while self._bytes > self.most and self._columns:
                _, old = self._columns.popitem(last=False)
                self._bytes -= old.nbytes

    def made(self, place: Place, make: Callable[[], Column]) -> Column:
        """The column, made where it is not there."""
        found = self.those_of([place])
        if not found:
            found = {place: make()}
            self.keep(found)
        return found[place]
