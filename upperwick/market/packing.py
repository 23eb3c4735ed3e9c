"""Bars as the bytes of stored blocks: Arrow IPC streams, and their checksums.

Arrow is read when it is needed: a command that finds its columns made does without it.
"""

import hashlib
import zlib
from collections import defaultdict
from collections.abc import Iterator
from typing import NamedTuple

import numpy as np

from upperwick.market.block_spans import spans
from wickcore.bars.bars import FIELDS
from wickcore.bars.merge import Table, table_keys

COLUMNS = ("days", "minute", *FIELDS, "ratio")
END = b"\xff\xff\xff\xff\x00\x00\x00\x00"  # of a stream (Arrow columnar format, “IPC streaming format”)


class DamagedBlock(RuntimeError):
    """A stored block whose checksum does not fit its bytes."""


class Packed(NamedTuple):
    """Bars of one span. last: the key of the latest of them, where bars that follow can be put beside them as they are; else None."""

    span: int
    rows: int
    data: bytes
    last: int | None


def digest(data: bytes) -> str:
    """The checksum kept beside a block: CRC-32 (ISO 3309), eight hexadecimal digits. It is there to notice damage, not deceit."""
    return f"{zlib.crc32(data):08x}"


def fits(checksum: str, data: bytes | None) -> bool:
    """Whether a block's bytes are there, and are those its checksum was made of; older blocks have a BLAKE2b digest."""
    return data is not None and checksum == (
        digest(data) if len(checksum) == 8 else hashlib.blake2b(data, digest_size=16).hexdigest()
    )


def pack(table: Table) -> bytes:
    """Columns to an Arrow IPC stream."""
    return pack_each([{name: table[name] for name in COLUMNS if name in table}])[0]


def pack_each(tables: list[Table]) -> list[bytes]:
    """Each table as an Arrow IPC stream of its own. Those of the same columns are made together: of thousands of tables of one bar each,
    the beginning and the end are written once."""
    import pyarrow as pa

    alike: dict[tuple[str, ...], list[int]] = defaultdict(list)
    for i, table in enumerate(tables):
        alike[tuple(table)].append(i)
    found: dict[int, bytes] = {}
    for names, numbers in alike.items():
        columns = [np.concatenate([tables[i][name] for i in numbers]) for name in names]
        batch = pa.record_batch([pa.array(column) for column in columns], names=list(names))
        head, at = batch.schema.serialize().to_pybytes(), 0
        for i in numbers:
            rows = len(tables[i][names[0]])
            found[i] = b"".join([head, batch.slice(at, rows).serialize().to_pybytes(), END])
            at += rows
    return [found[i] for i in range(len(tables))]


def unpack(data: bytes) -> Table:
    """An Arrow IPC stream to columns."""
    import pyarrow as pa

    with pa.ipc.open_stream(data) as reader:
        table = reader.read_all()
    return {name: table[name].to_numpy() for name in table.column_names}


def last_key(table: Table) -> int | None:
    """See `Packed.last`: adjusted closes may move those before them, so that bars with them are always merged."""
    return (
        None if "ratio" in table else int(table_keys({name: table[name][-1:] for name in ("days", "minute") if name in table})[0])
    )


def blocks(table: Table, only: set[int] | None = None) -> Iterator[Packed]:
    """One block a span of the table, or of some spans."""
    years = spans(table)
    for year in np.unique(years):
        if only is not None and int(year) not in only:
            continue
        rows = years == year
        part = {name: np.ascontiguousarray(column[rows]) for name, column in table.items()}
        yield Packed(int(year), int(rows.sum()), pack(part), last_key(part))
