"""What an import brings, put aside in portions until all of it is there, and then in place of what was there in a moment."""

import fcntl
from collections.abc import Iterator
from contextlib import contextmanager

from django.conf import settings
from django.db import connection, transaction

from upperwick.base.processes import in_front
from upperwick.market.models import BarBlock, BlockData
from upperwick.market.packing import Packed, digest

PORTION_BYTES, PORTION_BLOCKS = 8_000_000, 400  # of one short transaction


class AnotherImport(RuntimeError):
    """Another import has this data folder."""


@contextmanager
def importing() -> Iterator[None]:
    """Held by the one import of a data folder at a time. Raises AnotherImport."""
    with (settings.DATA_DIR / "import.lock").open("w") as held:
        try:
            fcntl.flock(held, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError:
            raise AnotherImport(
                "Another import is under way; this one has taken nothing. Begin it again once that is done."
            ) from None
        yield


@contextmanager
def staged() -> Iterator["Stage"]:
    """A place to put blocks aside. What was replaced is cleared away in the end, and of what did not come to stand all of it. To be opened while
    `importing`."""
    stage = Stage()
    try:
        yield stage
    except BaseException:
        stage.clear_what_is_not_led_to()
        raise
    stage.clear_replaced()


def clear() -> None:
    """Clears away all bytes that no block leads to: those of imports that were killed, and of blocks that were taken away. To be called while
    `importing`."""
    used = BarBlock.objects.filter(content__isnull=False).values("content")
    while alone := list(BlockData.objects.exclude(id__in=used).values_list("id", flat=True)[:PORTION_BLOCKS]):
        BlockData.objects.filter(id__in=alone).delete()


class Stage:
    """Blocks put aside: their bytes in the database, where they will stand in memory."""

    def __init__(self) -> None:
        self._waiting: list[bytes] = []
        self._size = 0
        self._placed: list[tuple[str, str, int, int, int, int | None, str]] = []
        self._contents: list[int] = []
        self._replaced: list[int] = []

    def add(self, symbol: str, frame: str, block: Packed, part: int = 0) -> None:
        """Puts one block aside: in place of all parts of its span, or, with a number, as a part beside them."""
        self._placed.append((symbol, frame, block.span, part, block.rows, block.last, digest(block.data)))
        self._waiting.append(block.data)
        self._size += len(block.data)
        if self._size > PORTION_BYTES or len(self._waiting) >= PORTION_BLOCKS:
            self.flush()

    def flush(self) -> None:
        """Writes what waits, in one short transaction."""
        if self._waiting:
            in_front(self._flush)

    def _flush(self) -> None:
        with transaction.atomic(), connection.cursor() as cursor:
            values = ", ".join(["(%s)"] * len(self._waiting))
            cursor.execute(f"INSERT INTO {BlockData._meta.db_table} (data) VALUES {values} RETURNING id", self._waiting)
            self._contents += sorted(number for (number,) in cursor.fetchall())  # given one after another
        self._waiting, self._size = [], 0

    def stand(self, owners: dict[str, int]) -> None:
        """Puts the blocks in place of those of the same instruments, frames and spans, or beside them. owners: instruments' ids by symbol. To be
        called inside the transaction that makes the import true."""
        table = BarBlock._meta.db_table
        rows = [(owners[symbol], *rest, content) for (symbol, *rest), content in zip(self._placed, self._contents, strict=True)]
        whole = {row[:3] for row in rows if row[3] == 0}
        frames, years = {place[1] for place in whole}, {place[2] for place in whole}
        stood = BarBlock.objects.filter(frame__in=frames, year__in=years).order_by()
        parts: list[int] = []
        places = stood.values_list("instrument_id", "frame", "year", "id", "part", "content_id")
        for *place, number, part, content in places.iterator(PORTION_BLOCKS) if whole else ():
            if tuple(place) in whole:
                self._replaced.append(content)
                if part:
                    parts.append(number)
        for portion in _portions(parts):
            BarBlock.objects.filter(id__in=portion).delete()
        columns = "instrument_id, frame, year, part, rows, last, checksum, content_id"
        with connection.cursor() as cursor:
            # Straight into the table: making objects of a hundred thousand rows would hold everybody up for seconds.
            cursor.executemany(f"INSERT OR REPLACE INTO {table} ({columns}) VALUES (%s, %s, %s, %s, %s, %s, %s, %s)", rows)

    def clear_replaced(self) -> None:
        """Clears away what stood before."""
        for part in _portions(self._replaced):
            in_front(BlockData.objects.filter(id__in=part).delete)

    def clear_what_is_not_led_to(self) -> None:
        """Clears away what was put aside and did not come to stand, or was replaced: where something failed, it is looked up which."""
        for part in _portions([*self._contents, *self._replaced]):
            led_to = set(BarBlock.objects.filter(content__in=part).values_list("content_id", flat=True))
            BlockData.objects.filter(id__in=[i for i in part if i not in led_to]).delete()


def _portions(ids: list[int]) -> Iterator[list[int]]:
    for begin in range(0, len(ids), PORTION_BLOCKS):
        yield ids[begin : begin + PORTION_BLOCKS]
