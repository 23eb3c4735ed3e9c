"""Stored blocks of bars read into columns, many at once."""

from collections import deque
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from itertools import groupby, islice, pairwise
from threading import Lock
from typing import Any, NamedTuple

import numpy as np

from upperwick.market.packing import DamagedBlock, fits
from wickcore.bars.bars import FIELDS

CHUNK, AHEAD = 1_000, 4  # blocks read at once, and how many such chunks may wait for their place
FEW_ROWS = 16  # a piece, from which on pieces are put in their place one by one
Room = Callable[[str, int, Any], Any]  # an empty column of a name, of so many values of a type


class Place(NamedTuple):
    """A block. span: as of `spans`."""

    symbol: str
    frame: str
    span: int


class Damaged(Exception):
    """Blocks that cannot be read."""

    def __init__(self, places: frozenset[Place]) -> None:
        super().__init__()
        self.places = places


class Columns:
    """All bars of a frame as columns, instrument by instrument in the order of their symbols.

    A thousand blocks at a time are read as one Arrow stream and put in their places on other threads, while the database hands out the next
    thousand. room: makes the columns. minute: None for daily bars. ratio: None where no block has one, unknown (NaN) in blocks without.
    """

    def __init__(self, frame: str, symbols: dict[int, str], total: int, room: Room | None = None) -> None:
        self._frame, self._symbols = frame, symbols
        self._room = room = room or _in_memory
        self._damaged: set[Place] = set()
        self.days = room("days", total, np.int32)
        self.prices = {name: room(name, total, np.float64) for name in FIELDS}
        self.ratio: Any = None
        self.minute: Any = None
        self._lock = Lock()

    def read(self, stored: Any, place: Callable[[int, int, int], int]) -> None:
        """Reads blocks. place: where the bars of an instrument's block go, by its id, the block's content and rows. Raises Damaged."""
        named = stored.values_list("instrument_id", "year", "checksum", "content__data", "rows", "content_id")
        rows = named.iterator(CHUNK)
        waiting: deque[Any] = deque()
        with ThreadPoolExecutor(2) as pool:
            while chunk := list(islice(rows, CHUNK)):
                places = [place(owner, content, count) for owner, _, _, _, count, content in chunk]
                waiting.append(pool.submit(self._take, [block[:5] for block in chunk], places))
                if len(waiting) > AHEAD:
                    waiting.popleft().result()
            while waiting:
                waiting.popleft().result()
        if self._damaged:
            raise Damaged(frozenset(self._damaged))

    def _take(self, chunk: list[tuple[int, int, str, bytes, int]], places: list[int]) -> None:
        """Puts the blocks where they belong; those whose bytes do not fit their checksum, or their rows, are noted instead."""
        whole = []
        for block, at in zip(chunk, places, strict=True):
            if fits(block[2], block[3]):
                whole.append((block, at))
            else:
                self._note(block)
        for _, part in groupby(whole, lambda one: _schema(one[0][3])):
            alike = list(part)
            try:
                self._put([(block[3], block[4], at) for block, at in alike])
            except DamagedBlock:
                # One by one, to find which.
                for block, _ in alike:
                    if not _as_it_should_be(block[3], block[4]):
                        self._note(block)
                if not self._damaged:
                    raise

    def _note(self, block: tuple[int, int, str, bytes, int]) -> None:
        with self._lock:
            self._damaged.add(Place(self._symbols[block[0]], self._frame, block[1]))

    def _put(self, blocks: list[tuple[bytes, int, int]]) -> None:
        """Blocks of the same columns: (stream, rows, place)."""
        table = _read([data for data, _, _ in blocks]).combine_chunks()
        if table.num_rows != sum(rows for _, rows, _ in blocks):
            raise DamagedBlock("Some of the stored bars hold more or fewer rows than they should; import the prices again.")
        lengths = np.array([rows for _, rows, _ in blocks])
        begins = np.array([at for *_, at in blocks])
        # To where each row of the table goes. Where neighbours in the table are neighbours in the columns, in one piece.
        to = np.repeat(begins - (np.cumsum(lengths) - lengths), lengths) + np.arange(table.num_rows)
        edges = np.flatnonzero(np.diff(to) != 1) + 1
        pieces = list(pairwise([0, *edges.tolist(), len(to)])) if len(edges) < len(to) / FEW_ROWS else None
        for name in table.column_names:
            column, values = self.column(name), table[name].to_numpy()
            if pieces is None:
                column[to] = values
            else:
                for begin, end in pieces:
                    column[to[begin] : to[begin] + end - begin] = values[begin:end]

    @property
    def names(self) -> list[str]:
        """The columns that have values."""
        return ["days", *FIELDS, *(name for name in ("minute", "ratio") if getattr(self, name) is not None)]

    def column(self, name: str) -> Any:
        """A column; one that had no values yet is made, unknown throughout."""
        if name == "days":
            return self.days
        if name in self.prices:
            return self.prices[name]
        with self._lock:
            if getattr(self, name) is None:
                made = self._room(name, len(self.days), np.int32 if name == "minute" else np.float64)
                made[:] = 0 if name == "minute" else np.nan
                setattr(self, name, made)
        return getattr(self, name)


def _in_memory(name: str, length: int, kind: Any) -> Any:
    return np.empty(length, kind)


def one_after_another(begins: dict[int, int]) -> Callable[[int, int, int], int]:
    """Where blocks go that come in the order of their bars. begins: where each instrument's first bar goes; it is used up."""

    def place(owner: int, content: int, rows: int) -> int:
        at = begins[owner]
        begins[owner] += rows
        return at

    return place


def _schema(data: bytes) -> bytes:
    """The first message of an Arrow stream, which says its columns (Arrow columnar format, “Encapsulated message format”)."""
    return data[: 8 + int.from_bytes(data[4:8], "little")]


def _read(streams: list[bytes]) -> Any:
    """Streams of the same columns as one Arrow table: one schema, all batches, one end. Raises DamagedBlock where that is no stream."""
    import pyarrow as pa

    head, end = _schema(streams[0]), streams[0][-8:]
    try:
        with pa.ipc.open_stream(b"".join([head, *(s[len(head) : -8] for s in streams), end])) as reader:
            return reader.read_all()
    except (pa.ArrowException, OSError) as error:
        raise DamagedBlock(f"Some of the stored bars cannot be read ({error}); import the prices again.") from None


def _as_it_should_be(data: bytes, rows: int) -> bool:
    try:
        return bool(_read([data]).num_rows == rows)
    except DamagedBlock:
        return False
