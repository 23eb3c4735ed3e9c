"""Imports undone, in any order: what an import touched is put back as it was, save where a later one has said it anew; that one then remembers
what this one had found."""

import itertools
import json
from collections.abc import Callable
from typing import Any

import numpy as np
from django.db import transaction
from django.utils import timezone

from upperwick.base.errors import Refused
from upperwick.data.importing.import_service import (
    BENCHMARK,
    RENAMED,
    packed,
    packed_rows,
    unpacked,
    unpacked_places,
    unpacked_rows,
)
from upperwick.data.importing.rows import SAID, Row, key_of, remove, stored_rows, write
from upperwick.data.models import Before, Import
from upperwick.data.reading.tables import TABLES
from upperwick.market.merging import put_back
from upperwick.market.models import BarBlock, DataVersion, Instrument
from upperwick.market.staging import clear, importing, staged
from upperwick.market.store import another_version
from upperwick.market.symbol_references import name_back
from wickcore.bars.merge import Table, table_keys


def undoable() -> list[int]:
    """The imports that can be undone, the newest first."""
    return list(Import.objects.filter(undone__isnull=True, before__isnull=False).distinct().values_list("id", flat=True))


def undo(import_id: int, tell: Callable[[float], None] = lambda share: None) -> Import:
    """Undoes one import, whatever was imported since. Raises Refused where it cannot be, AnotherImport while another has the data."""
    one = Import.objects.filter(id=import_id).first()
    if one is None:
        raise Refused("There is no such import.", 404)
    if one.undone is not None:
        raise Refused("This import was undone already.", 409)
    before = list(Before.objects.filter(of=one).exclude(table=RENAMED))
    if not before and any(c["added"] + c["replaced"] for c in one.counts.values()):
        raise Refused("What stood before this import is no longer kept: the last ten can be undone.", 409)
    with importing(), staged() as stage:
        emptied: list[tuple[str, str, int]] = []
        changed: list[Before] = []
        bars = [b for b in before if b.table == "bars"]
        for i, row in enumerate(bars):
            tell(i / len(bars))
            mine = _handed_on(one, row, unpacked(row.data), changed)
            if len(mine["days"]):
                emptied += [(row.symbol, row.frame, year) for year in put_back(row.symbol, row.frame, mine, stage)]
        stage.flush()
        with transaction.atomic():
            stage.stand(dict(Instrument.objects.values_list("symbol", "id")))
            for symbol, frame, year in emptied:
                BarBlock.objects.filter(instrument__symbol=symbol, frame=frame, year=year).delete()
            rows = {b.table: _rows_handed_on(one, b, changed) for b in before if b.table != "bars"}
            # What others speak of goes last: an instrument, once nothing hangs on it.
            for table in reversed([t for t in TABLES if t in rows]):
                _put_back_rows(table, rows[table])
            Before.objects.bulk_update(changed, ["data"], batch_size=100)
            back: dict[str, str] = {}
            for named in Before.objects.filter(of=one, table=RENAMED):
                symbol, places = unpacked_places(named.data)
                name_back(named.symbol, symbol, places)
                latest = DataVersion.objects.last()
                if BENCHMARK in places and latest is not None and latest.benchmark == symbol:
                    back["benchmark"] = named.symbol
            _hand_on_new(one, rows.get("instruments", {}))
            Before.objects.filter(of=one).delete()
            Import.objects.filter(id=one.id).update(undone=timezone.now())
            another_version(f"Undone: {one.what}", **back)
        if emptied:
            clear()
    one.refresh_from_db()
    return one


def forget_imports() -> None:
    """Another market stands in place of the one they went into: nothing of them can be put back any more."""
    Before.objects.all().delete()


def _later(one: Import, row: Before) -> list[Before]:
    """What later imports remember of the same table, the earliest first."""
    return list(
        Before.objects.filter(of__id__gt=one.id, of__undone__isnull=True, table=row.table, symbol=row.symbol, frame=row.frame).order_by("of_id")
    )  # fmt: skip


def _handed_on(one: Import, row: Before, mine: Table, changed: list[Before]) -> Table:
    """The bars to put back: those that no later import touched. To the others the next import that did remembers what this one had found."""
    for other in _later(one, row):
        known = next((c for c in changed if c.pk == other.pk), other)
        theirs = unpacked(known.data)
        own, their = table_keys(mine), table_keys(theirs)
        shared = np.isin(own, their) & ~mine["same"].astype(np.bool_)
        if not shared.any():
            continue
        at = np.searchsorted(their, own[shared])
        names = [n for n in {*mine, *theirs} if n not in ("days", "minute")]
        made = {n: (np.array(theirs[n]) if n in theirs else np.full(len(their), np.nan)) for n in names}
        for n in names:
            made[n][at] = mine[n][shared] if n in mine else np.nan  # `same` becomes untrue with it
        known.data = packed({**{n: theirs[n] for n in ("days", "minute") if n in theirs}, **made})
        if known not in changed:
            changed.append(known)
        mine = {n: column[~shared] for n, column in mine.items()}
    return mine


def _rows_handed_on(one: Import, row: Before, changed: list[Before]) -> dict[str, Row | None]:
    """The rows to put back. Where later imports touched a row too, it keeps what they said, and loses what only this one did."""
    mine = unpacked_rows(row.data)
    later = [next((c for c in changed if c.pk == other.pk), other) for other in _later(one, row)]
    said = [unpacked_rows(other.data) for other in later]
    both = {key for key in mine if any(key in rows for rows in said)}
    if not both:
        return mine
    symbols = (
        {str(json.loads(key)[TABLES[row.table].key.index("symbol")]) for key in both} if "symbol" in TABLES[row.table].key else None
    )
    now = {key_of(row.table, r): r for r in stored_rows(row.table, symbols)}
    for key in both:
        touching = [rows for rows in said if key in rows]
        stood = [*(rows[key] for rows in touching), now.get(key)]
        stands = _without_first(mine[key], stood)
        for rows, state in zip(touching, stands, strict=False):
            spoke = (rows[key] or {}).get(SAID)
            rows[key] = {**state, SAID: spoke} if state is not None and spoke is not None else state
        mine[key] = stands[-1]
    for other, rows in zip(later, said, strict=True):
        other.data = packed_rows(rows)
        if other not in changed:
            changed.append(other)
    return mine


def _hand_on_new(one: Import, rows: dict[str, Row | None]) -> None:
    """Instruments that this import made and that later ones speak of stay with those: each of them remembers that they had not been there, so
    that they go with the last of them, whichever that is; with the next import where none speaks of them."""
    made = [key for key, row in rows.items() if row is None]
    symbols = {str(json.loads(key)[0]): key for key in made}
    stay = set(Instrument.objects.filter(symbol__in=symbols).values_list("symbol", flat=True))
    later = list(Import.objects.filter(id__gt=one.id, undone__isnull=True, before__isnull=False).distinct().order_by("id"))
    if not later or not stay:
        return
    spoken = {of.id: stay & _spoken_of(of) for of in later}
    spoken[later[0].id] |= stay - set().union(*spoken.values())
    for of in later:
        if not spoken[of.id]:
            continue
        kept = Before.objects.filter(of=of, table="instruments").first() or Before(of=of, table="instruments")
        known = unpacked_rows(kept.data) if kept.pk else {}
        kept.data = packed_rows({**{symbols[symbol]: None for symbol in sorted(spoken[of.id])}, **known})
        kept.save()


def _spoken_of(one: Import) -> set[str]:
    """The instruments that an import says anything of."""
    found = set(Before.objects.filter(of=one, table="bars").values_list("symbol", flat=True))
    for row in Before.objects.filter(of=one).exclude(table__in=["bars", RENAMED]):
        if "symbol" in TABLES[row.table].key:
            at = TABLES[row.table].key.index("symbol")
            found |= {str(json.loads(key)[at]) for key in unpacked_rows(row.data)}
    return found


def _without_first(first: Row | None, stood: list[Row | None]) -> list[Row | None]:
    """States of a row one after another, as they would have been without the change from `first` to the first of them. What an import spoke of
    stands as it said, be it that it was so already."""
    found = [first]
    for before, after in itertools.pairwise(stood):
        last = found[-1]
        if after is None or before is None or last is None:
            found.append(after)
            continue
        spoke = before.get(SAID, [n for n in after if after[n] != before.get(n)])
        found.append({n: after[n] if n in spoke else last.get(n) for n in after if n != SAID})
    return found


def _put_back_rows(table: str, rows: dict[str, Row | None]) -> None:
    gone: list[dict[str, Any]] = []
    for key, row in rows.items():
        if row is None:
            gone.append(dict(zip(TABLES[table].key, json.loads(key), strict=True)))
    write(table, [row for row in rows.values() if row is not None])
    remove(table, gone)
