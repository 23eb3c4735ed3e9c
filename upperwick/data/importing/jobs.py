"""What each kind of job about the data does: look at files, take them, undo an import, write everything out."""

import re
from collections.abc import Callable
from pathlib import Path
from typing import Any

from django.conf import settings
from django.utils import timezone

from upperwick.base.errors import Refused
from upperwick.base.files import keep_from_others
from upperwick.data import drop_folder
from upperwick.data.importing.import_service import Counts, count, take
from upperwick.data.importing.package import write_package
from upperwick.data.importing.undo import undo
from upperwick.data.importing.uploads import asked_of, files_of, forget
from upperwick.data.reading.answers import Answers
from upperwick.data.reading.batch import Read
from upperwick.data.reading.source import PriceFileError
from upperwick.data.vendors import read_files, remember
from upperwick.jobs.registry import Done, Tell
from upperwick.market.models import BarBlock
from upperwick.market.staging import AnotherImport
from wickcore.scan.limits import Limits

SHOWN_BAD = 20


def _read(owner: Any, question: dict[str, Any], limits: Limits, tell: Tell, lenient: bool = False) -> Read:
    def told(stage: str, share: float) -> None:
        limits.check()
        tell(stage, 0.5 * share)

    answers = Answers(zone=question.get("zone") or "")
    by_group = {name: Answers(**given) for name, given in question.get("answers", {}).items()}
    try:
        return read_files(
            files_of(owner, question["upload"]),
            answers,
            any_date=question.get("any_date", False),
            by_group=by_group,
            lenient=lenient,
            tell=told,
        )
    except PriceFileError as error:
        raise Refused(_without_folder(str(error), owner, question["upload"])) from None


def _without_folder(text: str, owner: Any, upload: str) -> str:
    """A sentence that names a file as the person did, not where it lies here."""
    return re.sub(r"/\S*?/upperwick-[^/\s]+/(?:\d+/)?", "", text.replace(f"{files_of(owner, upload)[0].parent}/", ""))


def look(owner: Any, question: dict[str, Any], version: str, limits: Limits, tell: Tell) -> Done:
    """What the files are, and what taking them would do; nothing is taken."""
    read = _read(owner, question, limits, tell, lenient=True)
    tell("Counting what would change", 0.6)
    try:
        counts = count(read, _share(limits, tell, "Counting what would change"))
    except PriceFileError as error:
        raise Refused(str(error)) from None
    files = [
        {
            "name": g.name, "files": len(g.files), "table": g.table, "frame": g.frame, "rows": g.rows, "dates": g.dates, "decimal": g.decimal,
            "columns": [{"heading": h, "name": n} for h, n in g.headings], "first": g.first,
           "notes": [*([g.span] if g.span else []), *g.notes], "vendor": g.vendor,
            "adjusted": g.answers.adjusted,
            "questions": [
                {"key": q.key, "ask": q.ask, "heading": q.heading, "options": [{"answer": a, "said": s} for a, s in q.options]}
                for q in g.questions
            ],
        }
        for g in read.groups
    ]  # fmt: skip
    return Done({"files": files, **_counted(counts), **_bad(read), **_outside(read)}, _sentence(counts, read))


def take_in(owner: Any, question: dict[str, Any], version: str, limits: Limits, tell: Tell) -> Done:
    """Takes the files: all that is good in them, or nothing."""
    read = _read(owner, question, limits, tell)
    if read.questions:
        name, asked = read.questions[0]
        raise Refused(f"{name}: {asked.ask} Answer that first; nothing was taken.")
    if read.bad and not question.get("skip_bad"):
        raise Refused(f"{len(read.bad):,} rows cannot be taken; nothing was. Fix them, or leave them out.")
    if read.empty:
        raise Refused("The files hold nothing that can be taken.")
    try:
        made = take(
            read, source="browser", by=owner, universe=question.get("universe") or None,
            tell=_share(limits, tell, "Putting the bars aside"), **_market_said(question, read),
        )  # fmt: skip
    except (AnotherImport, PriceFileError) as error:
        raise Refused(str(error)) from None
    names = asked_of(owner, question["upload"])
    if (remember(read) if question.get("remember", True) else []) or names:
        drop_folder.answered(names)
    forget(owner, question["upload"])
    return Done({"import": made.id, "tables": made.counts, "changes": made.changes, "notes": made.notes}, made.what)


def _market_said(question: dict[str, Any], read: Read) -> dict[str, Any]:
    """What else is true from now on: a zone that was answered; and what a package says of its market, where it is the first that comes."""
    changed: dict[str, Any] = {}
    zones = [given["zone"] for given in question.get("answers", {}).values() if given.get("zone")]
    if zones:
        changed["zone"] = zones[-1]
    if read.market and not BarBlock.objects.exists():
        changed |= {k: v for k, v in read.market.items() if k in ("benchmark", "zone", "invented") and v}
    return changed


def take_back(owner: Any, question: dict[str, Any], version: str, limits: Limits, tell: Tell) -> Done:
    """Undoes an import."""
    try:
        one = undo(question["import"], _share(limits, tell, "Putting back what stood before"))
    except AnotherImport as error:
        raise Refused(str(error)) from None
    return Done({"import": one.id}, f"Undone: {one.what}")


def write_out(owner: Any, question: dict[str, Any], version: str, limits: Limits, tell: Tell) -> Done:
    """Writes everything as one zip, to be fetched."""
    folder = exports()
    for old in folder.iterdir():  # one at a time is kept
        old.unlink(missing_ok=True)
    name = f"market-{timezone.now():%Y%m%d-%H%M%S}.zip"

    def told(stage: str, share: float) -> None:
        limits.check()
        tell(stage, share)

    try:
        counts = write_package(folder / name, question.get("text", False), told)
    except PriceFileError as error:
        raise Refused(str(error)) from None
    size = (folder / name).stat().st_size
    return Done({"file": name, "bytes": size, "rows": counts}, f"{name}, {size / 1e6:,.1f} MB")


def exports() -> Path:
    return keep_from_others(Path(settings.DATA_DIR) / "exports")


def _share(limits: Limits, tell: Tell, stage: str) -> Callable[[float], None]:
    def told(share: float) -> None:
        limits.check()
        tell(stage, 0.5 + 0.5 * share)

    return told


def _counted(counts: Counts) -> dict[str, Any]:
    return {"tables": counts.tables, "changes": counts.changes, "notes": counts.notes, "symbols": counts.symbols}


def _bad(read: Read) -> dict[str, Any]:
    return {"bad": read.bad[:SHOWN_BAD], "bad_rows": len(read.bad)}


def _outside(read: Read) -> dict[str, Any]:
    return {"outside": read.outside}


def _sentence(counts: Counts, read: Read) -> str:
    if read.questions:
        return f"{len(read.questions)} question{'' if len(read.questions) == 1 else 's'} first."
    added, replaced, same = (sum(t[n] for t in counts.tables.values()) for n in ("added", "replaced", "same"))
    return f"{added:,} rows to add, {replaced:,} to change, {same:,} stored already."


WORK = {"data-look": look, "data-import": take_in, "data-undo": take_back, "data-export": write_out}
