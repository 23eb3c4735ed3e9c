"""Jobs: asked for, carried out by the worker or at once where they are small, watched, stopped, kept."""

import gzip
import hashlib
import json
import logging
import time
from collections.abc import Callable
from threading import Event, Thread
from typing import Any

from django.db import DatabaseError, OperationalError, connection, transaction
from django.db.models import QuerySet
from django.utils import timezone

from upperwick.base.errors import Refused
from upperwick.base.kernels import state_of_core
from upperwick.jobs.models import INTERRUPTED, SILENT_SECONDS, UNFINISHED, Job
from upperwick.jobs.registry import KINDS
from wickcore.language.problems import RuleError
from wickcore.scan.limits import Limits, Stopped

LONGEST_SECONDS, BEAT_SECONDS = 900.0, 0.2
KEPT = 40
NO_MEMORY = "This needs more memory than it may use; split the files, or ask for less at once. Nothing of it was kept."


def digest_of(*parts: Any) -> str:
    """A short name of anything that JSON can hold."""
    return hashlib.blake2b(json.dumps(parts, sort_keys=True).encode(), digest_size=16).hexdigest()


def _answers(kind: str, question: dict[str, Any], version: str, subject: tuple[str, int | None]) -> str:
    """What an answer is of: the question, the data, and the core that computes it. After an update an older answer is another's."""
    return digest_of(kind, question, version, state_of_core(), *subject)


def ask(
    owner: Any, kind: str, question: dict[str, Any], *, name: str, subject: tuple[str, int | None] = ("", None),
    note: dict[str, Any] | None = None, small: bool = False, again: bool = False,
) -> Job:  # fmt: skip
    """A job that answers the question: the one that already does, or is about to, and a new one where there is none or `again` is meant.

    Two who ask the same at one time get the same job. subject: what it is about; an unfinished job of the kind about the same is stopped: its
    question has been replaced. small: whether it is carried out before this returns.
    """
    version = KINDS[kind].version()
    digest = _answers(kind, question, version, subject)
    mine = Job.objects.filter(owner=owner, kind=kind)
    with transaction.atomic():  # which means to write: nobody else asks meanwhile
        _interrupt_silent(mine)
        known = mine.filter(digest=digest, state__in=(*UNFINISHED, "done"), cancel=False).first()
        if known is not None and (known.state in UNFINISHED or not again):
            return known
        for old in mine.filter(subject_kind=subject[0], subject_id=subject[1], state__in=UNFINISHED):
            stop(owner, old.id)
        job = Job.objects.create(
            owner=owner, kind=kind, subject_kind=subject[0], subject_id=subject[1], name=name, note=note or {}, question=question,
            digest=digest, data_version=version, stage="Waiting for the worker",
        )  # fmt: skip
        finished = mine.exclude(state__in=UNFINISHED).values_list("id", flat=True)
        Job.objects.filter(id__in=list(finished[KEPT:])).delete()
    if small:
        carry_out(job.id)
    return find(owner, job.id)


def find(owner: Any, job_id: int, kind: str | None = None) -> Job:
    """A job of this account. Raises Refused (404)."""
    job = Job.objects.filter(owner=owner, id=job_id).select_related("owner").first()
    if job is None or (kind is not None and job.kind != kind):
        raise Refused("This is no longer kept; ask for it again.", 404)
    return job


def answered(owner: Any, kind: str, question: dict[str, Any], subject: tuple[str, int | None]) -> Job | None:
    """The finished job that answers a question over the data as they are; None where there is none."""
    digest = _answers(kind, question, KINDS[kind].version(), subject)
    return Job.objects.filter(owner=owner, kind=kind, digest=digest, state="done").first()


def stands(job: Job) -> bool:
    """Whether what the job answered is what it would answer now: over the same data, by the same core."""
    return job.digest == _answers(job.kind, job.question, KINDS[job.kind].version(), (job.subject_kind, job.subject_id))


def stop(owner: Any, job_id: int) -> Job:
    """Asks a job to stop: at once where it waits, else at its next step."""
    job = find(owner, job_id)
    waiting = Job.objects.filter(id=job.id, state="waiting")
    if not waiting.update(state="stopped", detail="It was stopped before it began."):
        Job.objects.filter(id=job.id, state="running").update(cancel=True)
    return find(owner, job_id)


def answer_of(job: Job) -> bytes | None:
    """The answer's JSON; the same bytes each time the question was answered."""
    return gzip.decompress(bytes(job.answer)) if job.answer is not None else None


def interrupt_all() -> None:
    """What a worker that was killed has left: called when the next one starts."""
    Job.objects.filter(state="running").update(state="interrupted", detail=INTERRUPTED)


def _interrupt_silent(jobs: "QuerySet[Job]") -> None:
    since = timezone.now() - timezone.timedelta(seconds=SILENT_SECONDS)
    jobs.filter(state="running", beat__lt=since).update(state="interrupted", detail=INTERRUPTED)


class _Watch:
    """Carries progress to the database and the wish to stop back from it, beside the computation."""

    def __init__(self, job_id: int) -> None:
        self.cancel, self._done = Event(), Event()
        self._job_id, self.stage, self.share = job_id, "Beginning", 0.0
        self._thread = Thread(target=self._watch, daemon=True)

    def tell(self, stage: str, share: float) -> None:
        self.stage, self.share = stage, min(max(share, 0.0), 1.0)

    def __enter__(self) -> "_Watch":
        self._thread.start()
        return self

    def __exit__(self, *error: object) -> None:
        self._done.set()
        self._thread.join()

    def _watch(self) -> None:
        try:
            while not self._done.wait(BEAT_SECONDS):
                try:
                    self._beat()
                except DatabaseError:  # busy: told again with the next beat
                    logging.getLogger("upperwick").warning("How far a job is could not be told.", exc_info=True)
                    connection.close()
        finally:
            connection.close()

    def _beat(self) -> None:
        row = Job.objects.filter(id=self._job_id)
        row.update(stage=self.stage, share=self.share, beat=timezone.now())
        if row.values_list("cancel", flat=True).first() is not False:  # stopped, or deleted with its subject or account
            self.cancel.set()


class _NoWatch(_Watch):
    def _watch(self) -> None:
        return


def carry_out(job_id: int, watched: bool = False) -> None:
    """Answers a waiting job and keeps what comes of it. watched: by a worker, with progress and Stop."""
    if not Job.objects.filter(id=job_id, state="waiting").update(state="running", beat=timezone.now()):
        return
    job = Job.objects.select_related("owner").get(id=job_id)
    kind = KINDS[job.kind]
    began = time.perf_counter()
    job.data_version = kind.version()  # the data may have changed since it was asked
    job.digest = _answers(job.kind, job.question, job.data_version, (job.subject_kind, job.subject_id))
    changed: dict[str, Any] = {}
    with (_Watch if watched else _NoWatch)(job_id) as watch:
        try:
            done = kind.work(job.owner, job.question, job.data_version, Limits(LONGEST_SECONDS, watch.cancel), watch.tell)
            text = json.dumps(done.answer, ensure_ascii=False, allow_nan=False, separators=(",", ":"))
            if done.keep is not None:
                done.keep(job)
            changed = {"state": "done", "headline": done.headline, "answer": gzip.compress(text.encode(), 5, mtime=0), "share": 1.0}
        except MemoryError:
            logging.getLogger("upperwick").exception("A job had too little memory: %s", job.kind)
            changed = {"state": "failed", "detail": NO_MEMORY}
        except Stopped as stopped:
            changed = {"state": "stopped", "detail": str(stopped)}
        except (ValueError, RuleError) as error:
            changed = {"state": "failed", "detail": str(error)}
        except Refused as error:
            changed = {"state": "failed", "detail": error.detail}
        except Exception:
            logging.getLogger("upperwick").exception("A job failed: %s", job.kind)
            changed = {"state": "failed", "detail": "This met an error of its own; it is written in the server's log."}
    seconds = time.perf_counter() - began
    _patiently(
        lambda: Job.objects.filter(id=job_id).update(seconds=seconds, data_version=job.data_version, digest=job.digest, **changed)
    )


def _patiently(act: Callable[[], Any], tries: int = 5) -> None:
    """Carries out what must not be lost because somebody else writes for long: each try waits as long as the database's own timeout."""
    for left in reversed(range(tries)):
        try:
            act()
            return
        except OperationalError:
            if not left:
                raise
            time.sleep(1)
