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
    """A place to put blocks aside. Whatever no block leads to in the end is cleared away: what was replaced, and what an import that failed, or
    one before that was killed, had put aside."""
    try:
        yield Stage()
    finally:
        _clear()


def _clear() -> None:
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
        with connection.cursor() as cursor:
            # Straight into the table: making objects of a hundred thousand rows would hold everybody up for seconds.
            cursor.executemany(
                f"INSERT OR REPLACE INTO {table} (instrument_id, frame, year, rows, checksum, content_id) VALUES (%s, %s, %s, %s, %s, %s)",
                rows,
            )
