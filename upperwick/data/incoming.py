"""The drop folder: a file laid into it is brought in, or refused whole with a report of what was wrong.

A file is looked at once it has stopped growing. It is taken aside before it is imported, so that one that was taken when a process was killed is
known for it afterwards (by its digest) and is never imported twice. Files that are there together come in as one import.
"""

import hashlib
import logging
from collections.abc import Iterator
from contextlib import suppress
from datetime import datetime
from pathlib import Path
from threading import Event
from typing import Any

from django.conf import settings
from django.db import DatabaseError, connection
from django.utils import timezone
from watchfiles import watch

from upperwick.data.models import Import
from upperwick.data.reading.batch import Read, read_all
from upperwick.data.reading.endings import PRICE_FILES
from upperwick.data.reading.infer import Answers
from upperwick.data.reading.source import PriceFileError
from upperwick.data.taking import take
from upperwick.market.aside import AnotherImport, clear, importing
from upperwick.market.models import BarBlock, DataVersion

LOOK_MILLISECONDS = 700  # a file that has not changed between two looks is whole
NOT_YET = (".part", ".tmp", ".crdownload", ".partial")  # endings under which files are still being written
REPORT = ".why.txt"
FEED = "feed"  # the source of what our own feed lays while a session runs
# What the feed of this process has laid whole, by name, and whether it is a step of a session that runs: that is nothing to be taken back.
# Anybody else's files are told by nothing but what they hold, whatever they are called.
laid: dict[str, bool] = {}
SHOWN, REPORTED = 6, 200
_log = logging.getLogger("upperwick")


def folder() -> Path:
    """The drop folder, made where there is none."""
    found = Path(settings.DATA_DIR) / "incoming"
    for part in (found, found / "done", found / "refused", found / ".taking"):
        part.mkdir(parents=True, exist_ok=True)
    return found


def keep_watch(ending: Event) -> None:
    """Brings in what is laid into the folder, until told to end. To be called by the one worker of a data folder."""
    place = folder()
    try:
        _settle_what_was_taken(place)
        with suppress(AnotherImport, DatabaseError), importing():  # of imports that were killed; with the next start where not now
            clear()
        seen: dict[Path, tuple[int, int]] = {}
        for _ in watch(
            place, recursive=False, stop_event=ending, yield_on_timeout=True, rust_timeout=LOOK_MILLISECONDS, debounce=200, step=50,
            raise_interrupt=False,
        ):  # fmt: skip
            try:
                seen = look(place, seen)
            except (OSError, DatabaseError, AnotherImport):  # tried again with the next look
                _log.warning("The drop folder could not be looked at.", exc_info=True)
                connection.close()
    finally:
        connection.close()


def look(place: Path, seen: dict[Path, tuple[int, int]]) -> dict[Path, tuple[int, int]]:
    """Brings in the files that have not changed since they were seen. Returns what is seen now: size and time of each."""
    now = {p: _state(p) for p in _waiting(place)}
    whole = [p for p, state in now.items() if seen.get(p) == state or p.name in laid]
    if whole:
        bring_in(place, whole)
    return {p: state for p, state in now.items() if p not in whole}


def _state(path: Path) -> tuple[int, int]:
    found = path.stat()
    return found.st_size, found.st_mtime_ns


def _waiting(place: Path) -> list[Path]:
    """The files that lie in the folder, the oldest first."""
    files = [p for p in place.iterdir() if p.is_file() and not p.name.startswith(".") and p.suffix.lower() not in NOT_YET]
    return sorted(files, key=lambda p: (p.stat().st_mtime_ns, p.name))


def bring_in(place: Path, files: list[Path]) -> Import | None:
    """Imports files together; those that cannot be are refused, each with its report. Returns the import, None where nothing was left of it."""
    good: list[Path] = []
    alone: Read | None = None
    for file in files:
        aside = file.rename(place / ".taking" / file.name)
        why, alone = _looked_through(aside)
        if why:
            _refuse(place, aside, why)
        else:
            good.append(aside)
    if not good:
        return None
    try:
        read = alone if len(files) == 1 and alone is not None else _read(good)
        ours = [laid.pop(p.name, None) for p in good]
        steps = any(ours) and None not in ours
        source = FEED if steps else "drop folder"
        made = take(read, source=source, digests=[digest(p) for p in good], undoable=not steps, **_market_of(read))
        if steps:
            _with_step_before(made)
    except AnotherImport:  # they wait for it in the folder
        for file in good:
            file.rename(place / file.name)
        raise
    except Exception as error:
        _log.exception("Files of the drop folder could not be taken.")
        for file in good:
            _refuse(place, file, [f"It could not be taken: {error}."])
        return None
    for file in good:
        _away(file, place / "done")
    return made


def _with_step_before(made: Import) -> None:
    """The steps of one session stand as one import."""
    before = Import.objects.filter(source=FEED, id__lt=made.id).first()
    name = made.files[-1].rpartition("-")[0]  # of all steps of that session
    if before is None or before.files[-1].rpartition("-")[0] != name:
        return
    for table, counts in before.counts.items():
        own = made.counts.setdefault(table, dict.fromkeys(counts, 0))
        made.counts[table] = {**own, **{n: own[n] + counts[n] for n in ("added", "replaced", "same")}}
    bars = made.counts["bars"]["added"]
    made.what = f"{name} as the session goes: {bars:,} five-minute bars"
    made.save(update_fields=["counts", "what"])
    before.delete()


def _read(files: list[Path]) -> Read:
    latest = DataVersion.objects.last()
    return read_all(files, Answers(zone=latest.zone if latest else ""))


def _market_of(read: Read) -> dict[str, Any]:
    first = read.market and not BarBlock.objects.exists()
    return {k: v for k, v in read.market.items() if k in ("benchmark", "zone", "invented") and v} if first else {}


def _looked_through(file: Path) -> tuple[list[str], Read | None]:
    """What is wrong with a file, in sentences; empty where it can be taken. And what was read of it."""
    if file.suffix.lower() not in (*PRICE_FILES, ".zip"):
        return [f"A file that ends in {file.suffix or 'nothing'} is not understood; {', '.join((*PRICE_FILES, '.zip'))} are."], None
    try:
        read = _read([file])
    except PriceFileError as error:
        return [str(error).replace(f"{file.parent}/", "")], None
    if read.questions:
        name, question = read.questions[0]
        said = " or ".join(option for _, option in question.options)
        return [f"{name}: {question.ask} {said}".strip(), "Bring it in at the place Data, where that can be answered."], None
    if read.bad:
        return [*read.bad, f"{len(read.bad):,} rows cannot be taken, so nothing of the file was."], None
    return (["It holds no usable row."] if read.empty else []), read


def _refuse(place: Path, file: Path, why: list[str]) -> None:
    away = _away(file, place / "refused")
    more = [f"… and {len(why) - REPORTED} more."] if len(why) > REPORTED else []
    away.with_name(away.name + REPORT).write_text("\n".join([*why[:REPORTED], *more]) + "\n", encoding="utf-8")


def _away(file: Path, to: Path) -> Path:
    """Moves a file to where no other has its name: by the time it went."""
    stamp = f"{timezone.localtime():%Y%m%d-%H%M%S}"
    target, again = to / f"{stamp}-{file.name}", 1
    while target.exists():
        again += 1
        target = to / f"{stamp}-{again}-{file.name}"
    return file.rename(target)


def digest(file: Path) -> str:
    """A name of a file's content."""
    with file.open("rb") as content:
        return hashlib.file_digest(content, "blake2b").hexdigest()[:32]


def _settle_what_was_taken(place: Path) -> None:
    """What a process that was killed had taken aside: done where its import stands, else laid back."""
    for file in (place / ".taking").iterdir():
        own = digest(file)
        stands = any(
            own in one.digests for one in Import.objects.filter(source__in=["drop folder", FEED], undone__isnull=True)[:50]
        )
        if stands:
            _away(file, place / "done")
        else:
            file.rename(place / file.name)


def shown() -> dict[str, Any]:
    """What the place Data says of the folder."""
    place = folder()
    return {
        "path": str(place),
        "waiting": [p.name for p in _waiting(place)][:20],
        "refused": list(_refused(place))[:SHOWN],
    }


def _refused(place: Path) -> Iterator[dict[str, Any]]:
    reports = sorted((place / "refused").glob(f"*{REPORT}"), key=lambda p: p.stat().st_mtime_ns, reverse=True)
    for report in reports[:SHOWN]:
        first = report.read_text(encoding="utf-8", errors="replace").strip().splitlines()
        at = datetime.fromtimestamp(report.stat().st_mtime).astimezone()
        yield {"name": report.name.removesuffix(REPORT).split("-", 2)[-1], "why": first[0][:300] if first else "", "at": at}


def moved_mark() -> float:
    """Changes whenever a file was refused; for whoever looks at what moved."""
    try:
        return (Path(settings.DATA_DIR) / "incoming" / "refused").stat().st_mtime
    except OSError:
        return 0.0
