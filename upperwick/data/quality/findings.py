"""Findings of the checks of the data: looked for after each change, kept, and settled by people."""

import logging
import tempfile
import time
from datetime import date
from pathlib import Path
from threading import Event
from typing import Any

import numpy as np
from django.db import DatabaseError, connection, transaction
from django.utils import timezone

from upperwick.base.errors import Refused
from upperwick.data.importing.import_service import packed, take
from upperwick.data.importing.nights import check_nights
from upperwick.data.models import Before, Feed, Import, Settled
from upperwick.data.reading.answers import Answers
from upperwick.data.reading.batch import read_all
from upperwick.data.reading.source import PriceFileError
from upperwick.market.assembly import by_instrument
from upperwick.market.load import data_version, evaluator
from upperwick.market.merging import bars_of, join_parts, put_back
from upperwick.market.models import BarBlock, Checked, Dividend, Finding, Instrument, Split
from upperwick.market.staging import clear, importing, staged
from upperwick.market.store import another_version
from wickcore.bars.bars import FIELDS
from wickcore.bars.moment import iso, to_date, to_day
from wickcore.bars.quality import KINDS, Recorded, findings

WAYS = {
    "split": "Take it as a split",
    "rename": "Join the two: a new name of the same instrument",
    "true": "Take it as true",
    "out": "Leave out that bar",
    "never": "Ask never again of this kind and name",
}
MENDS = {
    "split": "split",
    "rename": "renamed",
}  # ways that mend the data, by their kind: nothing is settled, so undone it is asked again
OF_A_BAR = {"spike", "impossible", "still", "volume", "split"}  # kinds in which one daily bar can be left out
EVER = date(1, 1, 1)  # the day of what is settled for all days
STILL_SECONDS = 3.0  # since the data last changed, before they are looked through
NIGHT_SECONDS = (
    600.0  # since the data last changed, before what is missing of a night is looked for: an evening comes in several files
)
SHOWN = 200
_log = logging.getLogger("upperwick")


def way_text(kind: str, way: str) -> str:
    """A way in words."""
    return "Leave them apart" if (kind, way) == ("renamed", "true") else WAYS[way]


def ways_of(kind: str) -> list[str]:
    """How a finding of a kind can be settled."""
    return [way for way in WAYS if (way not in MENDS or MENDS[way] == kind) and (way != "out" or kind in OF_A_BAR)]


def look_through() -> int:
    """Looks through the data as they are now and keeps what was found. Returns how many findings are open."""
    version = data_version()
    market = evaluator().market
    names = dict(Instrument.objects.values_list("id", "symbol"))
    splits, dividends = (
        {names[i]: rows for i, rows in by_instrument(m, c).items()} for m, c in ((Split, "ratio"), (Dividend, "amount"))
    )
    found = findings(market, Recorded(splits, dividends)) if len(market.bars) else []
    settled = set(Settled.objects.values_list("kind", "symbol", "day"))
    rows = {
        (f.kind, f.symbol, f.day, f.said): Finding(
            kind=f.kind, symbol=f.symbol, day=to_date(f.day), until=to_date(f.until), said=f.said[:300], ratio=f.ratio, former=f.former,
            open=not {(f.kind, f.symbol, to_date(f.day)), (f.kind, f.symbol, EVER)} & settled,
        )
        for f in found
    }  # fmt: skip
    with transaction.atomic():
        Finding.objects.all().delete()
        Finding.objects.bulk_create(rows.values(), batch_size=500)
        Checked.objects.update_or_create(id=1, defaults={"version": version})
    return sum(row.open for row in rows.values())


def keep_looking(ending: Event) -> None:
    """Looks through the data whenever they have changed and then stood for a moment, and joins what lies in many parts. To be called by the one
    worker of a data folder."""
    seen, since, joined = "", time.monotonic(), ""
    night_checked = ("", 0.0)  # of which data, and when
    try:
        while not ending.wait(1.0):
            try:
                version = data_version()
                if version != seen:
                    seen, since = version, time.monotonic()
                if joined != seen and time.monotonic() - since > 1.0 and not _joined_some():
                    joined = seen
                running = Feed.objects.exclude(going="").exists()
                if not running and time.monotonic() - since > STILL_SECONDS and not is_fresh():
                    look_through()
                stood = time.monotonic() - since > NIGHT_SECONDS
                if not running and stood and (night_checked[0] != seen or time.monotonic() - night_checked[1] > NIGHT_SECONDS):
                    check_nights()
                    night_checked = (seen, time.monotonic())
            except DatabaseError:
                connection.close()
            except Exception:
                _log.exception("The data could not be looked through.")
                Checked.objects.update_or_create(id=1, defaults={"version": seen})  # not again before something changes
    finally:
        connection.close()


def _joined_some() -> int:
    """How many were joined; an error of that is told, and keeps nobody from looking through the data."""
    try:
        return join_parts()
    except DatabaseError:
        raise
    except Exception:
        _log.exception("What is stored in many parts could not be joined.")
        return 0


def is_fresh() -> bool:
    """Whether the findings are of the data as they are."""
    return Checked.objects.filter(version=data_version()).exists()


def shown() -> dict[str, Any]:
    """What the place Data says of the findings: how many by kind, and the first of those that are open."""
    rows = Finding.objects.filter(open=True)
    counts = {kind: rows.filter(kind=kind).count() for kind in KINDS}
    first = sorted(rows[: 10 * SHOWN], key=lambda f: (list(KINDS).index(f.kind), f.symbol, f.day))[:SHOWN]
    return {
        "fresh": is_fresh(),
        "kinds": [{"kind": kind, "title": KINDS[kind], "open": n} for kind, n in counts.items() if n],
        "open": [
            {
                "kind": f.kind, "symbol": f.symbol, "day": f.day, "until": f.until, "said": f.said,
                "ways": [{"way": way, "said": way_text(f.kind, way)} for way in ways_of(f.kind)],
            }
            for f in first
        ],
        "settled": Settled.objects.count(),
    }  # fmt: skip


def settle(user: Any, kind: str, symbol: str, day: date, how: str) -> None:
    """Settles a finding, and does what that means. Raises Refused, and AnotherImport where the data are being changed."""
    found = Finding.objects.filter(kind=kind, symbol=symbol, day=day).first()
    if found is None:
        raise Refused("There is no such finding any more.", 404)
    if how not in ways_of(kind):
        raise Refused(f"A finding of this kind is not settled by “{how}”.", 422)
    if not is_fresh():
        raise Refused("The data have changed since this was found; they are being looked through again. Look in a moment.", 409)
    if how in MENDS:
        if how == "split":
            _take_table(user, f"symbol,day,ratio\n{symbol},{day},{found.ratio!r}\n")
        else:
            _take_table(user, f"symbol,former,day\n{symbol},{found.former},{day}\n")
        found.delete()
        return
    if how == "out":
        leave_out(user, symbol, day)
        found.delete()
        # The session that is missing now is meant to be.
        Settled.objects.update_or_create(kind="missing", symbol=symbol, day=day, defaults={"by": user, "how": how})
        return
    Settled.objects.update_or_create(
        kind=kind, symbol=symbol, day=EVER if how == "never" else day, defaults={"by": user, "how": how, "at": timezone.now()}
    )
    of_it = Finding.objects.filter(kind=kind, symbol=symbol)
    (of_it if how == "never" else of_it.filter(day=day)).update(open=False)


def open_again(kind: str, symbol: str, day: date) -> None:
    """Asks about a finding again: takes back what was settled, for its day or for all days."""
    Settled.objects.filter(kind=kind, symbol=symbol, day__in=[day, EVER]).delete()
    Finding.objects.filter(kind=kind, symbol=symbol).update(open=True)
    for one in Settled.objects.filter(kind=kind, symbol=symbol):
        Finding.objects.filter(kind=kind, symbol=symbol, day=one.day).update(open=False)


def _take_table(user: Any, text: str) -> None:
    """Takes a table that a finding comes to, as an import that can be undone. Raises Refused where it cannot be."""
    with tempfile.TemporaryDirectory() as room:
        file = Path(room) / "finding.csv"
        file.write_text(text, encoding="utf-8")
        try:
            take(read_all([file], Answers()), source="finding", by=user)
        except PriceFileError as error:
            raise Refused(str(error), 409) from None


def leave_out(user: Any, symbol: str, day: date) -> Import:
    """Takes one daily bar out, as an import that can be undone. Raises Refused where there is none."""
    market = evaluator().market
    bars, number = market.bars, to_day(day)
    k = bars.number.get(symbol, -1)
    at = int(bars.on(number)[k]) if k >= 0 else -1
    if at < 0:
        raise Refused(f"{symbol} has no bar on {day}.", 404)
    table = bars_of(symbol, "day", day.year)
    row = np.flatnonzero(table["days"] == number)
    # As `touched` would have it of a bar that was added: what stood before is nothing. So putting back takes it out …
    added = {"days": table["days"][row], "had": np.array([False]), "same": np.array([False])}
    was = {name: table[name][row] for name in (*FIELDS, "ratio") if name in table}
    with importing(), staged() as stage:
        emptied = put_back(symbol, "day", {**added, **{name: np.full(1, np.nan) for name in was}}, stage)
        stage.flush()
        with transaction.atomic():
            stage.stand(dict(Instrument.objects.values_list("symbol", "id")))
            for year in emptied:
                BarBlock.objects.filter(instrument__symbol=symbol, frame="day", year=year).delete()
            one = Import.objects.create(
                by=user, source="finding", what=f"The bar of {symbol} on {iso(number)} left out", files=[], digests=[],
                counts={"bars": {"added": 0, "replaced": 1, "same": 0, "left": 0}}, changes=[], notes=[],
            )  # fmt: skip
            # … and undoing that puts it back.
            before = {**added, "had": np.array([True]), **was}
            Before.objects.create(of=one, table="bars", symbol=symbol, frame="day", data=packed(before))
            another_version(one.what, touched="bars")
        if emptied:
            clear()
    return one


def open_in(symbols: list[str] | None) -> int:
    """How many findings are open of some instruments, or of all."""
    rows = Finding.objects.filter(open=True)
    if symbols is None:
        return rows.count()
    wanted = set(symbols)
    return sum(s in wanted for s in rows.values_list("symbol", flat=True))


def mark() -> tuple[Any, ...]:
    """Changes whenever the findings have; for whoever looks at what moved."""
    return Checked.objects.values_list("version", flat=True).first(), Finding.objects.filter(open=True).count()
