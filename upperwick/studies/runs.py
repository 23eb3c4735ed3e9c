"""Runs: asked for, carried out by the worker or at once where they are small, watched, stopped, kept."""

import gzip
import json
import time
from threading import Event, Thread
from typing import Any

from django.db import connection
from django.utils import timezone

from upperwick.market.load import data_version
from upperwick.market.services import open_market
from upperwick.problems import Refused
from upperwick.rules import services as rules
from upperwick.studies import tries
from upperwick.studies.models import StudyRun
from upperwick.studies.questions import digest_of
from upperwick.studies.tasks import carry_out_run
from upperwick.studies.work import WORK
from wickcore.language.problems import RuleError
from wickcore.scan.evaluate import Limits, Stopped

SMALL_BARS = 1_000_000  # bars times studies: under half a second
LONGEST_SECONDS, SILENT_SECONDS, BEAT_SECONDS = 900.0, 20.0, 0.2
KEPT = 40
UNFINISHED = ("waiting", "running")
SHOWN = ("as_of", "first", "last", "universe", "dials", "horizons", "entry", "repeats", "cost", "slippage", "survivors", "unsealed")


def ask(owner: Any, kind: str, question: dict[str, Any], rule: Any = None, studies: int = 1, again: bool = False) -> StudyRun:
    """A run that answers the question: the one that already does, or is about to, and a new one where there is none or `again` is meant.

    studies: how many are in it; few on a small market are carried out before this returns. An unfinished run of the kind and rule is
    stopped: its question has been replaced.
    """
    version = data_version()
    digest = digest_of(kind, question, version, rule.id if rule else None)
    mine = StudyRun.objects.filter(owner=owner, kind=kind)
    known = mine.filter(digest=digest, state__in=(*UNFINISHED, "done"), cancel=False).first()
    if known is not None:
        known = _settled(known)
        if known.state in UNFINISHED or (known.state == "done" and not again):
            return known
    for old in mine.filter(rule=rule, state__in=UNFINISHED):
        stop(owner, old.id)
    of = _study_in(question)
    run = StudyRun.objects.create(
        owner=owner, rule=rule, kind=kind, question=question, digest=digest, data_version=version,
        version=rules.version_of(rule, of["text"]) if rule else None, name=rule.name if rule else "A rule that is not kept",
        seed=of["seed"], stage="Waiting for the worker",
    )  # fmt: skip
    for old in mine.filter(state__in=("done", "stopped", "failed", "interrupted")).values_list("id", flat=True)[KEPT:]:
        StudyRun.objects.filter(id=old).delete()
    if studies * len(open_market().market.bars) <= SMALL_BARS:
        carry_out(run.id)
    else:
        carry_out_run.enqueue(run.id)
    return find(owner, run.id)


def find(owner: Any, run_id: int, kind: str | None = None) -> StudyRun:
    """A run of this account. Raises Refused (404)."""
    run = StudyRun.objects.filter(owner=owner, id=run_id).select_related("owner", "rule").first()
    if run is None or (kind is not None and run.kind != kind):
        raise Refused("This study is no longer kept; measure again.", 404)
    return _settled(run)


def kept(owner: Any, rule_id: int | None) -> list[StudyRun]:
    """The account's latest runs, without their answers; of one rule where it is named. Parts belong to their study and are left out."""
    found = StudyRun.objects.filter(owner=owner).exclude(kind="parts").defer("answer")
    return [_settled(run) for run in (found.filter(rule_id=rule_id) if rule_id else found)[:KEPT]]


def stop(owner: Any, run_id: int) -> StudyRun:
    """Asks a run to stop: at once where it waits, else at its next step."""
    run = find(owner, run_id)
    waiting = StudyRun.objects.filter(id=run.id, state="waiting")
    if not waiting.update(state="stopped", detail="It was stopped before it began."):
        StudyRun.objects.filter(id=run.id, state="running").update(cancel=True)
    return find(owner, run_id)


def again(owner: Any, run_id: int) -> StudyRun:
    """The same question once more, over the data of today."""
    run = find(owner, run_id)
    return ask(owner, run.kind, run.question, run.rule, _studies(run), again=True)


def answer_of(run: StudyRun) -> bytes | None:
    """The answer's JSON; the same bytes each time the question was answered."""
    return gzip.decompress(bytes(run.answer)) if run.answer is not None else None


def told(run: StudyRun) -> dict[str, Any]:
    """A run without its answer, as its schema says."""
    question = _study_in(run.question)
    names = (
        "id",
        "kind",
        "state",
        "stage",
        "share",
        "detail",
        "rule_id",
        "name",
        "version",
        "data_version",
        "seed",
        "seconds",
        "headline",
    )
    return {
        **{name: getattr(run, name) for name in names},
        "asked": run.asked.isoformat(),
        "settings": {name: question[name] for name in SHOWN},
        "beside": _beside(run),
    }


def _beside(run: StudyRun) -> str:
    """What the rule of a comparison was set beside, by what differs; empty for runs of other kinds."""
    if run.kind != "compare":
        return ""
    first, second, said = run.question["first"], run.question["second"], []
    if first["text"] != second["text"]:
        number = rules.version_of(run.rule, first["text"]) if run.rule else None
        said.append(f"version {number}" if number else "another text or universe")
    for name in sorted({*first["dials"], *second["dials"]}):
        if first["dials"].get(name) != second["dials"].get(name):
            said.append(f"{name} {first['dials'][name]:g}" if name in first["dials"] else f"{name} as written")
    if first["universe"] != second["universe"]:
        said.append(first["universe"] or "the rule's own universe")
    if first["entry"] != second["entry"]:
        said.append("entry at the signal’s close" if first["entry"] == "signal-close" else "entry at the next open")
    if first["survivors"] != second["survivors"]:
        said.append("today’s members only" if first["survivors"] else "the members of that day")
    return ", ".join(said) or "the same rule"


def _study_in(question: dict[str, Any]) -> dict[str, Any]:
    """The study that a question of any kind is about: of two compared the second."""
    found: dict[str, Any] = question.get("study", question.get("second", question))
    return found


def _studies(run: StudyRun) -> int:
    return {"study": 1, "parts": 2, "compare": 2}.get(run.kind, 1_000)


def _settled(run: StudyRun) -> StudyRun:
    """A run that claims to be running but has long given no sign of life was interrupted."""
    if run.state == "running" and run.beat and (timezone.now() - run.beat).total_seconds() > SILENT_SECONDS:
        _interrupt(StudyRun.objects.filter(id=run.id, state="running"))
        run.refresh_from_db(fields=["state", "detail"])
    return run


def interrupt_all() -> None:
    """What a worker that was killed has left: called when the next one starts."""
    _interrupt(StudyRun.objects.filter(state="running"))


def _interrupt(runs: Any) -> None:
    runs.update(state="interrupted", detail="The worker was ended in the middle of this; nothing was kept. It can be run again.")


class _Watch:
    """Carries progress to the database and the wish to stop back from it, beside the computation."""

    def __init__(self, run_id: int) -> None:
        self.cancel, self._done = Event(), Event()
        self._run_id, self.stage, self.share = run_id, "Evaluating the lines", 0.0
        self._thread = Thread(target=self._watch, daemon=True)

    def tell(self, stage: str, share: float) -> None:
        self.stage, self.share = stage, share

    def __enter__(self) -> "_Watch":
        self._thread.start()
        return self

    def __exit__(self, *error: object) -> None:
        self._done.set()
        self._thread.join()

    def _watch(self) -> None:
        try:
            while not self._done.wait(BEAT_SECONDS):
                row = StudyRun.objects.filter(id=self._run_id)
                row.update(stage=self.stage, share=self.share, beat=timezone.now())
                if row.values_list("cancel", flat=True).first() is not False:  # stopped, or deleted with its rule or account
                    self.cancel.set()
        finally:
            connection.close()


class _NoWatch(_Watch):
    def _watch(self) -> None:
        return


def carry_out(run_id: int, watched: bool = False) -> None:
    """Answers a waiting run and keeps what comes of it. watched: by a worker, with progress and Stop."""
    if not StudyRun.objects.filter(id=run_id, state="waiting").update(state="running", beat=timezone.now()):
        return
    run = StudyRun.objects.select_related("owner", "rule").get(id=run_id)
    began = time.perf_counter()
    version = data_version()  # prices may have come in since it was asked
    run.data_version, run.digest = version, digest_of(run.kind, run.question, version, run.rule_id)
    changed: dict[str, Any] = {}
    with (_Watch if watched else _NoWatch)(run_id) as watch:
        try:
            done = WORK[run.kind](run.owner, run.question, run.data_version, Limits(LONGEST_SECONDS, watch.cancel), watch.tell)
            text = json.dumps(done.answer, ensure_ascii=False, allow_nan=False, separators=(",", ":"))
            tries.record(run, done.tried)
            changed = {"state": "done", "headline": done.headline, "answer": gzip.compress(text.encode(), 5, mtime=0), "share": 1.0}
        except Stopped as stopped:
            changed = {"state": "stopped", "detail": str(stopped)}
        except (ValueError, RuleError) as error:
            changed = {"state": "failed", "detail": str(error)}
        except Refused as error:
            changed = {"state": "failed", "detail": error.detail}
        except Exception:
            import logging

            logging.getLogger("upperwick").exception("A study failed")
            changed = {"state": "failed", "detail": "The study met an error of its own; it is written in the server's log."}
    StudyRun.objects.filter(id=run_id).update(
        seconds=time.perf_counter() - began, data_version=version, digest=run.digest, **changed
    )
