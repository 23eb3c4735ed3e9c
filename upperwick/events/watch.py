"""Looks at what other processes change: the worker's jobs, an import's data, the compiling of a first start. One thread for all who listen, and
none while nobody does."""

import logging
import time
from collections import defaultdict
from threading import Lock, Thread
from typing import Any

from django.db import connection
from django.db.models import Count, Max, Q, Sum

from upperwick.alerts.models import Alert, Watched
from upperwick.base.kernels import missing
from upperwick.base.processes import processes
from upperwick.bench.models import BenchEvent, PositionNotice
from upperwick.data import feed
from upperwick.data.drop_folder import moved_mark
from upperwick.data.models import DataIssue
from upperwick.data.quality import findings
from upperwick.events.bus import PROCESS, heard, owners, tell_here
from upperwick.events.kinds import EVERYTHING, JOB
from upperwick.events.models import Told
from upperwick.jobs.models import UNFINISHED, Job
from upperwick.market.load import data_version
from upperwick.outbox.models import Message

LOOK_SECONDS = 0.2
SHOWN = ("id", "owner_id", "kind", "subject_kind", "subject_id", "state", "stage", "share", "detail")

_lock = Lock()
_thread: Thread | None = None


def begin() -> None:
    """Sees to it that somebody looks; to be called by one who listens already."""
    global _thread
    with _lock:
        if _thread is None or not _thread.is_alive():
            _thread = Thread(target=_look, daemon=True, name="events")
            _thread.start()


def _wanted() -> bool:
    """Whether somebody listens. Decided under the lock, so that none who begins to is left to a thread that is about to end."""
    global _thread
    with _lock:
        if not owners():
            _thread = None
        return _thread is not None


def _look() -> None:
    watch, failed = None, False
    try:
        while _wanted():
            try:
                watch = watch or Watch()
                watch.look()
                if failed:
                    tell_here(EVERYTHING)
                failed = False
            except Exception:  # busy, or being restored: looked at again in a moment
                failed = True
                logging.getLogger("upperwick").warning("What moved could not be looked at.", exc_info=True)
                connection.close()
            time.sleep(LOOK_SECONDS)
    finally:
        connection.close()


class Watch:
    """What was seen last, and what of it has moved since."""

    def __init__(self) -> None:
        self._version, self._compiling, self._data = data_version(), missing(), self._of_data()
        self._kept = self._of_alerts()
        self._message, self._bench = (model.objects.aggregate(latest=Max("id"))["latest"] or 0 for model in (Message, BenchEvent))
        self._notice = PositionNotice.objects.aggregate(latest=Max("id"))["latest"] or 0
        self._issues = self._of_issues()
        self._newest = Job.objects.aggregate(newest=Max("id"))["newest"] or 0
        self._seen: dict[int, tuple[Any, ...]] = {}
        self._told = Told.objects.aggregate(latest=Max("id"))["latest"] or 0

    def _of_data(self) -> tuple[Any, ...]:
        return moved_mark(), feed.mark(), findings.mark()

    def _of_issues(self) -> tuple[Any, ...]:
        found = DataIssue.objects.order_by().aggregate(latest=Max("id"), open=Count("id", filter=Q(settled__isnull=True)))
        return tuple(found.values())

    def _of_alerts(self) -> dict[int, list[Any]]:
        """By account: what the desk's rules have found, which alerts are armed."""
        found: dict[int, list[Any]] = defaultdict(list)
        armed = Alert.objects.filter(armed=True, deleted__isnull=True).order_by().values("owner_id")
        for owner, *told in armed.annotate(n=Count("id"), latest=Max("seen"), arm=Sum("armings")).values_list(
            "owner_id", "n", "latest", "arm"
        ):
            found[owner].append(told)
        for owner, *told in Watched.on_desk.order_by("id").values_list("rule__owner_id", "id", "digest"):
            found[owner].append(told)
        return dict(found)

    def _look_at_alerts(self) -> None:
        """Tells each account of its own: what is kept is nobody else's. What about the data has to be known stands on everybody's desk."""
        issues = self._of_issues()
        if issues != self._issues:
            self._issues = issues
            tell_here("alerts")
            tell_here("data")
        kept, before = self._of_alerts(), self._kept
        moved = {owner for owner in {*kept, *before} if kept.get(owner) != before.get(owner)}
        self._kept = kept
        for number, owner in Message.objects.filter(id__gt=self._message).order_by("id").values_list("id", "owner_id"):
            self._message = number
            moved.add(owner)
        for owner in sorted(moved):
            tell_here("alerts", owner)
        played: set[int] = set()  # by the clock, in another process
        for number, owner in PositionNotice.objects.filter(id__gt=self._notice).order_by("id").values_list("id", "item__owner_id"):
            self._notice = number
            played.add(owner)
            tell_here("alerts", owner)
        for number, owner in BenchEvent.objects.filter(id__gt=self._bench).order_by("id").values_list("id", "item__owner_id"):
            self._bench = number
            if not heard(number):
                played.add(owner)
        for owner in sorted(played):
            tell_here("bench", owner)

    def look(self) -> None:
        """Tells what moved since the last look. Each serving process looks for itself, so that none has to tell another of it."""
        if processes() > 1:
            for told in Told.objects.filter(id__gt=self._told).order_by("id"):
                self._told = told.pk
                if told.process != PROCESS:
                    tell_here(told.what, told.owner, **told.more)
        version, compiling = data_version(), missing()
        if (version, compiling) != (self._version, self._compiling):
            tell_here("market" if version != self._version else "compiling")
            self._version, self._compiling = version, compiling
        self._look_at_alerts()
        if (data := self._of_data()) != self._data:
            tell_here("data")
            self._data = data
        rows = Job.objects.filter(Q(state__in=UNFINISHED) | Q(id__in=self._seen) | Q(id__gt=self._newest))
        seen: dict[int, tuple[Any, ...]] = {}
        for row in rows.order_by("id").values_list(*SHOWN):
            job = dict(zip(SHOWN, row, strict=True))
            self._newest = max(self._newest, job["id"])
            if self._seen.get(job["id"]) != row:
                tell_here(JOB, job.pop("owner_id"), **job)
            if job["state"] in UNFINISHED:
                seen[job["id"]] = row
        self._seen = seen
