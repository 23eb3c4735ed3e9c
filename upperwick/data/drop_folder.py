"""The drop folder: files that are laid there are imported once they are whole.

    DATA/incoming           a file here is imported within seconds while the application is served
    DATA/incoming/done      then it is here
    DATA/incoming/asked     or here, while it waits for an answer that a person gives at the place Data
    DATA/incoming/refused   or here, with a report of what was wrong beside it

Whatever is taken in hand is moved to `.taking` first, so that it is imported once: a file that was taken when a process was
killed is known for it
afterwards (by its digest) and is never imported twice. Files that are there together come in as one import. No file, whatever
it holds or is called,
ends the watch: what cannot be read is refused with its reason.
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

from upperwick.base.files import keep_from_others
from upperwick.data import vendors
from upperwick.data.importing.import_service import take
from upperwick.data.models import Import
from upperwick.data.quality import issues
from upperwick.data.reading.batch import Read
from upperwick.data.reading.endings import PRICE_FILES
from upperwick.data.reading.grouping import display_name
from upperwick.market.models import BarBlock
from upperwick.market.staging import AnotherImport, clear, importing

LOOK_MILLISECONDS = 700  # a file that has not changed between two looks is whole
NOT_YET = (".part", ".tmp", ".crdownload", ".partial")  # endings under which files are still being written
REPORT = ".why.txt"
FEED = "feed"  # the source of what our own feed lays while a session runs
# What the feed of this process has laid whole, by name, and whether it is a step of a session that runs: that is nothing to be taken back.
# Anybody else's files are told by nothing but what they hold, whatever they are called.
laid: dict[str, bool] = {}
SHOWN, REPORTED = 6, 200
MAX_NAME = 180  # bytes of a name, with room for a stamp before it and a report's ending after it
REST_SECONDS = 2.0  # after something that no file can be blamed for
_log = logging.getLogger("upperwick")


def folder() -> Path:
    """The drop folder, made where there is none."""
    place = Path(settings.DATA_DIR) / "incoming"
    for part in (place, place / "done", place / "refused", place / "asked", place / ".taking"):
        keep_from_others(part)
    return place


def keep_watch(ending: Event) -> None:
    """Brings in what is laid into the folder, until told to end; nothing that happens there ends it. To be called by the one worker of a data
    folder."""
    try:
        while not ending.is_set():
            try:
                _watch(ending)
            except Exception:
                _log.exception("The drop folder could not be watched; it is tried again.")
                connection.close()
                ending.wait(REST_SECONDS)
    finally:
        connection.close()


def _watch(ending: Event) -> None:
    place = folder()
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


def look(place: Path, seen: dict[Path, tuple[int, int]]) -> dict[Path, tuple[int, int]]:
    """Brings in the files that have not changed since they were seen. Returns what is seen now: size and time of each."""
    now = _waiting(place)
    whole = [p for p, state in now.items() if seen.get(p) == state or p.name in laid]
    if whole:
        bring_in(place, whole)
    return {p: state for p, state in now.items() if p not in whole}


def _waiting(place: Path) -> dict[Path, tuple[int, int]]:
    """The files that lie in the folder with their size and time, the oldest first."""
    files = {}
    for path in place.iterdir():
        with suppress(OSError):  # gone meanwhile
            if path.is_file() and not path.name.startswith(".") and path.suffix.lower() not in NOT_YET:
                status = path.stat()
                files[path] = (status.st_size, status.st_mtime_ns)
    return dict(sorted(files.items(), key=lambda one: (one[1][1], one[0].name)))


def bring_in(place: Path, files: list[Path]) -> Import | None:
    """Imports files together. Those that cannot be are refused, each with its report; those that a person has to be asked
    about wait. Returns the
    import, None where nothing was left of it. What is no file's fault is raised, and then all of them lie in the folder again."""
    steps = [laid.pop(p.name, None) for p in files]
    taken = {display_name(path): path for path in (_take_aside(place, file) for file in files)}
    try:
        for name in [name for name, path in taken.items() if path.suffix.lower() not in (*PRICE_FILES, ".zip")]:
            ending = taken[name].suffix[:20] or "nothing"
            why = f"A file that ends in {ending} is not understood; {', '.join((*PRICE_FILES, '.zip'))} are."
            _refuse(place, taken.pop(name), [why])
        read = _read(place, taken)
        if not taken or read is None:
            return None
        is_steps = any(steps) and None not in steps
        made = _import(place, taken, read, is_steps)
    except (OSError, DatabaseError, AnotherImport):
        for path in taken.values():
            with suppress(OSError):
                path.rename(place / path.name)
        raise
    for path in taken.values():
        _away(path, place / "done")
    issues.settle_gone("asked", [path.name[:300] for path in asked_files()])
    return made


def _take_aside(place: Path, file: Path) -> Path:
    """Moves a file into `.taking`, under a name that can be written down and has room for what is put around it."""
    name = display_name(file)
    ending = file.suffix if len(file.suffix.encode()) <= 12 else ""
    while len(name.encode()) > MAX_NAME:
        name = name.removesuffix(ending)[:-8] + ending
    target, again = place / ".taking" / name, 1
    while target.exists():
        again += 1
        target = place / ".taking" / f"{again}-{name}"
    return file.rename(target)


def _read(place: Path, taken: dict[str, Path]) -> Read | None:
    """Reads the files that were taken. Those that are refused, and those that have to be asked about, are moved away and leave
    `taken`; None where
    none is left."""
    while taken:
        read = vendors.read_files(list(taken.values()), one_by_one=True)
        asked = {
            origin: f"{question.ask} {' or '.join(text for _, text in question.options)}".strip()
            for group in read.groups
            for question in group.questions[:1]
            for origin in group.origins
        }
        # A zip of which one file cannot be read is refused whole: then what it brought besides is not taken either.
        mixed = [
            name for name in (*read.refused, *asked)
            if name in taken and any(name in g.origins and not g.questions for g in read.groups) and taken[name].suffix.lower() == ".zip"
        ]  # fmt: skip
        for name, why in read.refused.items():
            if name in taken:
                _refuse(place, taken.pop(name), why)
        for name, ask in asked.items():
            if name in taken:
                _ask(place, taken.pop(name), ask)
        if mixed:
            continue
        read.groups = [group for group in read.groups if not group.questions]
        if not taken:
            return None
        if not read.empty:
            return read
        for name in list(taken):
            _refuse(place, taken.pop(name), ["It holds no usable row."])
    return None


def _import(place: Path, taken: dict[str, Path], read: Read, is_steps: bool) -> Import | None:
    """Takes what was read. Where that fails for a reason of one of the files, each is tried by itself and that one refused."""
    digests = [digest(p) for p in taken.values()]
    source = FEED if is_steps else "drop folder"
    try:
        made = take(read, source=source, digests=digests, undoable=not is_steps, **_market_of(read))
    except (DatabaseError, AnotherImport, OSError):
        raise
    except Exception as error:
        _log.exception("Files of the drop folder could not be taken.")
        if len(taken) == 1:
            for name in list(taken):
                _refuse(place, taken.pop(name), [f"It could not be taken: {error or type(error).__name__}."])
            return None
        last = None
        for name, path in list(taken.items()):
            alone = {name: path}
            part = _read(place, alone)
            last = (_import(place, alone, part, is_steps) if part is not None else None) or last
            if not alone:
                taken.pop(name)
        return last
    vendors.remember(read)
    if is_steps:
        _with_step_before(made)
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


def _market_of(read: Read) -> dict[str, Any]:
    first = read.market and not BarBlock.objects.exists()
    return {k: v for k, v in read.market.items() if k in ("benchmark", "zone", "invented") and v} if first else {}


def _refuse(place: Path, file: Path, why: list[str]) -> None:
    away = _away(file, place / "refused")
    more = [f"… and {len(why) - REPORTED} more."] if len(why) > REPORTED else []
    text = "\n".join([*why[:REPORTED], *more]) + "\n"
    away.with_name(away.name + REPORT).write_text(text, encoding="utf-8", errors="replace")
    name = display_name(file)
    issues.raise_issue("refused", f"refused {away.name}", f"{name} was refused: {why[0] if why else 'it cannot be read'}", name)


def _ask(place: Path, file: Path, ask: str) -> None:
    away = _away(file, place / "asked")
    name = display_name(file)
    issues.raise_issue("asked", _asked_key(away), f"{name} waits for an answer: {ask}", away.name, reopen=True)


def _asked_key(file: Path) -> str:
    """One issue a content: a file that is asked about again is not told again."""
    return f"asked {digest(file)}"


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


# -- files that wait for an answer -----------------------------------------------------------------------------------


def asked_files() -> list[Path]:
    """The files that wait for an answer, the oldest first."""
    return sorted(p for p in (folder() / "asked").iterdir() if p.is_file())


def plain_name(file: Path) -> str:
    """A file's name without the stamp that it was moved with."""
    parts = display_name(file).split("-", 2)
    return parts[2] if len(parts) == 3 and parts[0].isdigit() else display_name(file)


def answered(names: list[str]) -> None:
    """Those files were imported with an answer: they are done, and the others that wait are laid into the folder again, since what was answered
    may count for them."""
    place = folder()
    for file in asked_files():
        issues.settle(_asked_key(file))
        if file.name in names:
            _away(file.rename(place / "asked" / plain_name(file)), place / "done")
        else:
            file.rename(place / plain_name(file))


def discard_asked() -> int:
    """Refuses the files that wait for an answer. Returns how many."""
    files = asked_files()
    for file in files:
        issues.settle(_asked_key(file))
        away = _away(file.rename(file.with_name(plain_name(file))), folder() / "refused")
        away.with_name(away.name + REPORT).write_text(
            "Nobody answered what was asked about it; it was put away by hand.\n", encoding="utf-8"
        )
    return len(files)


# -- what is shown ---------------------------------------------------------------------------------------------------


def shown() -> dict[str, Any]:
    """What the place Data says of the folder."""
    place = folder()
    return {
        "path": str(place),
        "waiting": [display_name(p) for p in _waiting(place)][:20],
        "asked": [plain_name(p) for p in asked_files()],
        "refused": list(_refused(place))[:SHOWN],
    }


def _refused(place: Path) -> Iterator[dict[str, Any]]:
    reports = sorted((place / "refused").glob(f"*{REPORT}"), key=lambda p: p.stat().st_mtime_ns, reverse=True)
    for report in reports[:SHOWN]:
        first = report.read_text(encoding="utf-8", errors="replace").strip().splitlines()
        at = datetime.fromtimestamp(report.stat().st_mtime).astimezone()
        name = display_name(report).removesuffix(REPORT).split("-", 2)[-1]
        yield {"name": name, "why": first[0][:300] if first else "", "at": at}


def moved_mark() -> tuple[float, ...]:
    """Changes whenever a file was refused, or waits for an answer; for whoever looks at what moved."""
    place = Path(settings.DATA_DIR) / "incoming"
    try:
        return tuple((place / part).stat().st_mtime for part in ("refused", "asked"))
    except OSError:
        return ()
