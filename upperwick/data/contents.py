"""What is there of the market, through time: for the place Data."""

from collections import defaultdict
from datetime import date
from pathlib import Path
from typing import Any

from django.conf import settings
from django.db.models import Count, F, Max, Min, Sum

from upperwick.data.importing.undo import undoable
from upperwick.data.models import Import
from upperwick.market.block_spans import year_of
from upperwick.market.models import (
    BarBlock,
    CalendarEvent,
    DataVersion,
    Dividend,
    Instrument,
    Member,
    OvernightBar,
    OwnFact,
    Rename,
    Report,
    Split,
)
from upperwick.market.packing import fits, unpack
from wickcore.bars.frame_names import within_day
from wickcore.bars.moment import CLOSE, Moment

IMPORTS_SHOWN = 50


def contents() -> dict[str, Any]:
    """Instruments by kind, frames with their first and last moment and their coverage by year, universes by year, facts by kind, size."""
    latest = DataVersion.objects.last()
    kinds = dict(Instrument.objects.filter(blocks__isnull=False).values_list("kind").annotate(n=Count("id", distinct=True)))
    return {
        "invented": bool(latest and latest.invented),
        "benchmark": latest.benchmark if latest else "",
        "zone": latest.zone if latest else "",
        "kinds": [{"kind": kind, "instruments": n} for kind, n in sorted(kinds.items(), key=lambda one: -one[1])],
        "waiting": Instrument.objects.filter(blocks__isnull=True).exclude(symbol__in=Rename.objects.values("former")).count(),
        "frames": [_frame(frame) for frame in ("day", "5min") if BarBlock.objects.filter(frame=frame).exists()],
        "universes": _universes(),
        "facts": _facts(),
        "bytes": _size(),
    }


def _frame(frame: str) -> dict[str, Any]:
    stored = BarBlock.objects.filter(frame=frame)
    of_year = F("year") / 12 if within_day(frame) else F("year")  # as of `spans`
    years = stored.values(of=of_year).annotate(bars=Sum("rows"), instruments=Count("instrument", distinct=True)).order_by("of")
    ends = stored.aggregate(first=Min("year"), last=Max("year"), bars=Sum("rows"), instruments=Count("instrument", distinct=True))
    return {
        "frame": frame,
        "bars": ends["bars"],
        "instruments": ends["instruments"],
        "first": _edge(frame, ends["first"], min),
        "last": _edge(frame, ends["last"], max),
        "years": [{"year": y["of"], "bars": y["bars"], "instruments": y["instruments"]} for y in years],
    }


def _edge(frame: str, span: int, which: Any) -> str | None:
    """The first or the last moment of a span's blocks; of many instruments a sample tells: the longest, and the last written."""
    found = []
    blocks = BarBlock.objects.filter(frame=frame, year=span).values_list("checksum", "content__data")
    for checksum, data in [*blocks.order_by("-rows")[:40], *blocks.order_by("-id")[:40]]:
        if fits(checksum, data):
            table = unpack(data)
            at = 0 if which is min else -1
            found.append(Moment(int(table["days"][at]), int(table["minute"][at]) if "minute" in table else CLOSE))
    return str(which(found)) if found else None


def _universes() -> list[dict[str, Any]]:
    """By year, how many were members on some day of it."""
    spans: dict[str, list[tuple[date, date]]] = defaultdict(list)
    for name, first, last in Member.objects.order_by("universe__name").values_list("universe__name", "first", "last"):
        spans[name].append((first, last))
    ends = BarBlock.objects.values("frame").annotate(first=Min("year"), last=Max("year"))
    if not ends:
        return []
    years = range(min(year_of(e["frame"], e["first"]) for e in ends), max(year_of(e["frame"], e["last"]) for e in ends) + 1)
    return [
        {
            "name": name,
            "now": sum(last >= date(years[-1], 12, 31) for _, last in dated),
            "years": [
                {"year": y, "members": sum(first <= date(y, 12, 31) and last >= date(y, 1, 1) for first, last in dated)} for y in years
            ],
        }
        for name, dated in spans.items()
    ]  # fmt: skip


def _facts() -> list[dict[str, Any]]:
    """How many rows of each table there are, with their first and last day."""
    found = []
    for table, model in (
        ("renames", Rename),
        ("splits", Split),
        ("dividends", Dividend),
        ("reports", Report),
        ("overnight", OvernightBar),
        ("calendar", CalendarEvent),
    ):
        of = model.objects.aggregate(rows=Count("id"), first=Min("day"), last=Max("day"))
        if of["rows"]:
            found.append({"table": table, "name": "", **of})
    for row in OwnFact.objects.values("name").annotate(rows=Count("id"), first=Min("day"), last=Max("day")).order_by("name"):
        found.append({"table": "own", "name": row["name"], "rows": row["rows"], "first": row["first"], "last": row["last"]})
    return found


def _size() -> int:
    """Bytes of the database."""
    path = Path(settings.DATA_DIR) / "upperwick.sqlite3"
    return sum(p.stat().st_size for p in (path, path.with_name(path.name + "-wal")) if p.exists())


def imports() -> list[dict[str, Any]]:
    """The latest imports, and which of them can be undone."""
    can = set(undoable())
    return [
        {
            "id": one.id, "at": one.at, "by": one.by.get_username() if one.by else "", "source": one.source, "what": one.what,
            "tables": one.counts, "changes": one.changes, "notes": one.notes, "undone": one.undone, "undoable": one.id in can,
        }
        for one in Import.objects.select_related("by")[:IMPORTS_SHOWN]
    ]  # fmt: skip
