"""What a file brings, merged with the stored bars and put aside: by instrument, frame and moment, the file's winning.

Most imports bring what follows: one more bar of each instrument. Such bars lie beside those that are there, as one more part of their span, so
that an evening of thousands of instruments reads and rewrites nothing. When there is time, many parts become one (`join_parts`).
"""

from collections import Counter, defaultdict
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import NamedTuple

import numpy as np
from django.db import transaction
from django.db.models import Count, Max, QuerySet, Sum

from upperwick.market.block_spans import spans, year_of
from upperwick.market.models import BarBlock, BlockData, Instrument
from upperwick.market.packing import COLUMNS, DamagedBlock, Packed, blocks, digest, fits, pack_each, unpack
from upperwick.market.staging import Stage
from wickcore.bars.merge import CHANGES_KEPT, Change, Merged, Table, merge, table_keys, touched, untouched, without

AT_ONCE = 200  # instruments whose bars are merged together
FEW = 400  # instruments that are asked for by name
PARTS, MOST = 12, 40  # of a span: with more than so many they are joined when there is time, and beyond the most at once
Record = Callable[[str, str, Table], None]  # told symbol, frame, and what stood at the bars that an import touched (see `touched`)
Read = list[tuple[int, int, str, bytes]]  # blocks: span, rows, checksum, bytes


@dataclass(slots=True)
class Imported:
    """What an import did, in bars: new ones, stored ones that it changed, those that said what was stored already, and those of the same
    symbols and frame that it did not hold. changes: some of the changed ones, by symbol. notes: sentences that a person should read."""

    symbols: int = 0
    added: int = 0
    replaced: int = 0
    same: int = 0
    left: int = 0
    changes: list[tuple[str, Change]] = field(default_factory=list)
    notes: list[str] = field(default_factory=list)


def merge_all(
    tables: dict[str, dict[str, Table]], done: Imported, stage: Stage | None, record: Record | None, tell: Callable[[float], None]
) -> None:
    """Merges all tables, by frame and symbol, into what is stored of them. stage: where it is put aside; None to count only. tell: told the
    share done."""
    total = sum(map(len, tables.values())) or 1
    merged = 0
    for frame, by_symbol in tables.items():
        kept = _Stored(frame, by_symbol)
        done.left += kept.rows
        symbols = list(by_symbol)
        for begin in range(0, len(symbols), AT_ONCE):
            tell(merged / total)
            part = {symbol: by_symbol[symbol] for symbol in symbols[begin : begin + AT_ONCE]}
            follow = {symbol: table for symbol, table in part.items() if kept.followed_by(symbol, table)}
            _put_beside(kept, follow, done, stage, record)
            others = {symbol: table for symbol, table in part.items() if symbol not in follow}
            read = kept.read(others)
            for symbol, table in others.items():
                _merge_aside(kept, symbol, table, read.get(symbol, []), done, stage, record)
            merged += len(part)


class _Head(NamedTuple):
    """What is stored of a span: the last part's number, the key of the latest bar, and of how many parts that is not known."""

    part: int
    last: int | None
    unknown: int


class _Stored:
    """What is stored of some instruments in a frame. rows: how many bars they have in all."""

    def __init__(self, frame: str, given: dict[str, Table]) -> None:
        self.frame = frame
        self._blocks = BarBlock.objects.filter(frame=frame).order_by()
        stored = self._blocks if len(given) > FEW else self._blocks.filter(instrument__symbol__in=list(given))
        names = dict(Instrument.objects.order_by().values_list("id", "symbol"))
        if len(given) <= FEW or given.keys() >= set(names.values()):
            self.rows = _rows(stored)
        else:
            by_owner = stored.values_list("instrument_id").annotate(Sum("rows"))
            self.rows = sum(rows for owner, rows in by_owner if names[owner] in given)
        ends = {name: np.concatenate([t[name][[0, -1]] for t in given.values()]) for name in _marks(given)}
        self._ends = dict(zip(given, spans(ends).reshape(-1, 2).tolist(), strict=True))
        self._keys = dict(zip(given, table_keys(ends).reshape(-1, 2).tolist(), strict=True))
        latest = stored.filter(year__in=sorted({last for _, last in self._ends.values()})).values_list("instrument_id", "year")
        latest = latest.annotate(Max("part"), Max("last"), unknown=Count("id") - Count("last"))
        self._heads = {(names[owner], year): _Head(*head) for owner, year, *head in latest}

    def followed_by(self, symbol: str, table: Table) -> bool:
        """Whether the bars are all of one span and follow those that it has, so that they can lie beside them."""
        first, last = self._ends[symbol]
        there = self._heads.get((symbol, last))
        if first != last or there is None or "ratio" in table or there.unknown or there.last is None:
            return False
        return there.part < MOST and there.last < self._keys[symbol][0]

    def next_part(self, symbol: str, data: bytes, rows: int) -> tuple[Packed, int]:
        """The file's bars that follow, packed, and the number of their part."""
        span = self._ends[symbol][1]
        return Packed(span, rows, data, self._keys[symbol][1]), 1 + self._heads[symbol, span].part

    def read(self, given: dict[str, Table]) -> dict[str, Read]:
        """The blocks of the years that the files of some instruments touch, and of those beside them where it needs them."""
        # With adjusted closes, the spans beside those a file touches are where it meets what is stored.
        beside = (-1, 0, 1) if any("ratio" in table for table in given.values()) else (0,)
        years = sorted({int(y) + by for table in given.values() for y in np.unique(spans(table)) for by in beside})
        found: dict[str, Read] = defaultdict(list)
        stored = self._blocks.filter(instrument__symbol__in=list(given), year__in=years).order_by("year", "part")
        for symbol, *block in (
            stored.values_list("instrument__symbol", "year", "rows", "checksum", "content__data") if given else ()
        ):
            found[symbol].append(tuple(block))
        return found

    def rows_of(self, symbol: str) -> int:
        """How many bars one has."""
        return _rows(self._blocks.filter(instrument__symbol=symbol))

    def all_of(self, symbol: str) -> Read:
        """All of an instrument's blocks."""
        stored = self._blocks.filter(instrument__symbol=symbol).order_by("year", "part")
        return list(stored.values_list("year", "rows", "checksum", "content__data"))


def _rows(stored: QuerySet[BarBlock]) -> int:
    found: int = stored.aggregate(rows=Sum("rows"))["rows"] or 0
    return found


def _marks(given: dict[str, Table]) -> list[str]:
    return [name for name in ("days", "minute") if name in next(iter(given.values()))]


def _put_beside(kept: _Stored, given: dict[str, Table], done: Imported, stage: Stage | None, record: Record | None) -> None:
    """Bars that follow what is stored of their instruments, as parts beside it."""
    if stage is not None:
        tables = [{name: table[name] for name in COLUMNS if name in table} for table in given.values()]
        for symbol, table, data in zip(given, tables, pack_each(tables), strict=True):
            stage.add(symbol, kept.frame, *kept.next_part(symbol, data, len(table["days"])))
    for symbol, table in given.items():
        if record is not None:
            record(symbol, kept.frame, untouched(table))
        done.added += len(table["days"])


def _merge_aside(
    kept: _Stored, symbol: str, table: Table, read: Read, done: Imported, stage: Stage | None, record: Record | None
) -> None:  # fmt: skip
    merged, years, table = _merged(symbol, kept.frame, table, read, done)
    if merged is not None and (merged.moved or merged.rescaled) and len(read) < len(everything := kept.all_of(symbol)):
        read = everything  # its adjusted closes move those of every year
        merged, years, table = _merged(symbol, kept.frame, table, read, done)
    if merged is None:
        done.left -= kept.rows_of(symbol)
        return
    sound = [(year, data) for year, _, checksum, data in read if fits(checksum, data)]
    changed = set(years) if not merged.rescaled else {year for year, _ in sound} | set(years)
    if stage is not None:
        for block in blocks(merged.table, changed):
            stage.add(symbol, kept.frame, block)
    if record is not None:
        new = merged.added == len(table["days"]) and not merged.rescaled  # then nothing stood where it touches
        stood = None if new else _joined([unpack(data) for _, data in sound])
        record(symbol, kept.frame, untouched(table) if new else touched(stood, table, merged.table))
    done.added += merged.added
    done.replaced += merged.replaced
    done.same += merged.same
    done.left -= merged.replaced + merged.same
    done.changes += [(symbol, change) for change in merged.changes][: CHANGES_KEPT - len(done.changes)]
    if merged.seam:
        done.notes.append(
            f"{symbol}: its adjusted closes jump by {merged.seam:+.0%} where the file meets the stored bars, and its closes "
            "do not: the two were adjusted on different days. Import the file again with a day of the stored bars in it."
        )


def _merged(symbol: str, frame: str, table: Table, read: Read, done: Imported) -> tuple[Merged | None, list[int], Table]:
    """A file's bars merged with stored blocks, the years the file touches, and what of the file is taken; None where nothing can be."""
    years = np.unique(spans(table))
    # What is damaged is restored by a file that has all of it, and by none that has less: the rest would be gone for good.
    damaged: Counter[int] = Counter()
    short: set[int] = set()
    for year, rows, checksum, data in read:
        if not fits(checksum, data):
            damaged[year] += rows
    old = _joined([unpack(data) for _, _, checksum, data in read if fits(checksum, data)])
    if damaged:  # what else the file has of that year is in sound parts
        alone = np.ones(len(table["days"]), np.bool_) if old is None else ~np.isin(table_keys(table), table_keys(old))
        short = {year for year, rows in damaged.items() if year in years and int(np.sum(alone & (spans(table) == year))) < rows}
    if short:
        said = [
            f"{symbol}: its stored bars of {year_of(frame, year)} are damaged, and the file has fewer than there were ({damaged[year]:,}). "
            "Nothing of them was taken; import the whole of that year."
            for year in sorted(short)
        ]
        done.notes += [note for note in said if note not in done.notes]
        kept = ~np.isin(spans(table), list(short))
        table = {name: column[kept] for name, column in table.items()}
        years = np.unique(spans(table))
        if not len(years):
            return None, [], table
    return merge(old, table), years.tolist(), table


def join_parts(at_once: int = 50) -> int:
    """Makes one block of each span with many parts, of some instruments. Returns how many. The bars stay what they are, and so does the version
    of the data; whoever imports meanwhile is not in the way, since what is read here is written in the same transaction."""
    many = BarBlock.objects.order_by().values_list("instrument_id", "frame", "year").annotate(parts=Count("id"))
    places = list(many.filter(parts__gt=PARTS)[:at_once])
    joined = 0
    with transaction.atomic():
        for owner, frame, span, _ in places:
            stored = BarBlock.objects.filter(instrument_id=owner, frame=frame, year=span).order_by("part")
            read = list(stored.values_list("content_id", "checksum", "content__data"))
            if len(read) <= PARTS or not all(fits(checksum, data) for _, checksum, data in read):
                continue  # joined by somebody else meanwhile, or damaged, which is said elsewhere
            (block,) = blocks(_joined([unpack(data) for *_, data in read]) or {})
            content = BlockData.objects.create(data=block.data)
            stored.delete()
            BarBlock.objects.create(
                instrument_id=owner, frame=frame, year=span, rows=block.rows, last=block.last, checksum=digest(block.data), content=content
            )  # fmt: skip
            BlockData.objects.filter(id__in=[one[0] for one in read]).delete()
            joined += 1
    return joined


def put_back(symbol: str, frame: str, before: Table, stage: Stage) -> list[int]:
    """Puts aside the blocks of an instrument as they were before an import touched the bars of `before` (see `touched`). Returns the years
    that then have no bars at all. Raises DamagedBlock where what is stored cannot be read."""
    years = np.unique(spans(before)).tolist()
    stored = BarBlock.objects.filter(instrument__symbol=symbol, frame=frame, year__in=years).order_by("year", "part")
    read = list(stored.values_list("checksum", "content__data"))
    whole = without(_joined(_sound(symbol, read)), before)
    left = set(years)
    for block in blocks(whole) if whole is not None and len(whole["days"]) else ():
        stage.add(symbol, frame, block)
        left.discard(block.span)
    return sorted(left)


def bars_of(symbol: str, frame: str, span: int | None = None) -> Table:
    """The stored bars of an instrument, or of one span of it; empty where there are none. Raises DamagedBlock where they cannot be read."""
    stored = BarBlock.objects.filter(instrument__symbol=symbol, frame=frame).order_by("year", "part")
    stored = stored if span is None else stored.filter(year=span)
    return _joined(_sound(symbol, list(stored.values_list("checksum", "content__data")))) or {}


def _sound(symbol: str, read: list[tuple[str, bytes]]) -> list[Table]:
    if not all(fits(checksum, data) for checksum, data in read):
        raise DamagedBlock(f"The stored bars of {symbol} are damaged; import them again first.")
    return [unpack(data) for _, data in read]


def _joined(tables: list[Table]) -> Table | None:
    """Tables one after another; where only some have ratios, the others' are unknown."""
    if not tables:
        return None
    names = [n for n in COLUMNS if any(n in t for t in tables)]
    return {n: np.concatenate([t[n] if n in t else np.full(len(t["days"]), np.nan) for t in tables]) for n in names}
