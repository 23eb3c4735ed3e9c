"""What an import brings, put aside in portions until all of it is there, and then in place of what was there in a moment."""

import fcntl
from collections.abc import Iterator
from contextlib import contextmanager

from django.conf import settings
from django.db import connection, transaction

from upperwick.market.models import BarBlock, BlockData

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
        self._placed: list[tuple[str, str, int, int, str]] = []
        self._contents: list[int] = []
        self._replaced: list[int] = []

    def add(self, symbol: str, frame: str, year: int, rows: int, checksum: str, data: bytes) -> None:
        """Puts one block aside."""
        self._placed.append((symbol, frame, year, rows, checksum))
        self._waiting.append(data)
        self._size += len(data)
        if self._size > PORTION_BYTES or len(self._waiting) >= PORTION_BLOCKS:
            self.flush()

    def flush(self) -> None:
        """Writes what waits, in one short transaction."""
        with transaction.atomic():
            made = BlockData.objects.bulk_create([BlockData(data=data) for data in self._waiting])
        self._contents += [one.id for one in made]
        self._waiting, self._size = [], 0

    def stand(self, owners: dict[str, int]) -> None:
        """Puts the blocks in place of those of the same instruments, frames and years. owners: instruments' ids by symbol. To be called
        inside the transaction that makes the import true."""
        table = BarBlock._meta.db_table
        rows = [
            (owners[symbol], frame, year, count, checksum, content)
            for (symbol, frame, year, count, checksum), content in zip(self._placed, self._contents, strict=True)
        ]
        wanted = {row[:3] for row in rows}
        stood = BarBlock.objects.filter(frame__in={row[1] for row in rows}, year__in={row[2] for row in rows}).order_by()
        for *place, content in stood.values_list("instrument_id", "frame", "year", "content_id").iterator(PORTION_BLOCKS):
            if tuple(place) in wanted:
                self._replaced.append(content)
        with connection.cursor() as cursor:
            # Straight into the table: making objects of a hundred thousand rows would hold everybody up for seconds.
            cursor.executemany(
                f"INSERT OR REPLACE INTO {table} (instrument_id, frame, year, rows, checksum, content_id) VALUES (%s, %s, %s, %s, %s, %s)",
                rows,
            )

    def clear_replaced(self) -> None:
        """Clears away what stood before."""
        for part in _portions(self._replaced):
            BlockData.objects.filter(id__in=part).delete()

    def clear_what_is_not_led_to(self) -> None:
        """Clears away what was put aside and did not come to stand, or was replaced: where something failed, it is looked up which."""
        for part in _portions([*self._contents, *self._replaced]):
            led_to = set(BarBlock.objects.filter(content__in=part).values_list("content_id", flat=True))
            BlockData.objects.filter(id__in=[i for i in part if i not in led_to]).delete()


def _portions(ids: list[int]) -> Iterator[list[int]]:
    for begin in range(0, len(ids), PORTION_BLOCKS):
        yield ids[begin : begin + PORTION_BLOCKS]
