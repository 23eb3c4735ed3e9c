"""Who is next: what waits is carried out in lanes of its own, and within a lane by turns of accounts."""

import logging
from collections import defaultdict
from collections.abc import Callable
from threading import Event, Thread

from django.db import DatabaseError, connection

from upperwick.jobs.isolated import carry_out_apart
from upperwick.jobs.models import Job
from upperwick.jobs.registry import KINDS, LANES
from upperwick.jobs.services import carry_out

POLL_SECONDS, REST_SECONDS = 0.1, 1.0
_log = logging.getLogger("upperwick")


class Lane:
    """A lane, and who was served in it when."""

    def __init__(self, name: str) -> None:
        self.name = name
        self._served: dict[int, int] = defaultdict(int)
        self._turn = 0

    def next(self) -> int | None:
        """The job whose turn it is: the oldest of the account that was served longest ago; None where none waits."""
        kinds = [name for name, kind in KINDS.items() if kind.lane == self.name]
        first: dict[int, int] = {}
        for job, owner in Job.objects.filter(state="waiting", kind__in=kinds).order_by("id").values_list("id", "owner_id"):
            first.setdefault(owner, job)
        if not first:
            return None
        owner = min(first, key=lambda one: (self._served[one], first[one]))
        self._turn += 1
        self._served[owner] = self._turn
        return first[owner]


def lanes(ending: Event) -> list[Thread]:
    """A thread for each lane, that works until it is told to end."""
    return [Thread(target=_work, args=(Lane(name), ending), daemon=True, name=f"jobs: {name}") for name in LANES]


def _carry_out(job: int, watched: bool) -> None:
    kind = Job.objects.filter(id=job).values_list("kind", flat=True).first()
    if kind is not None and KINDS[kind].apart:
        carry_out_apart(job)
    else:
        carry_out(job, watched)


def _work(lane: Lane, ending: Event, carry: Callable[..., None] = _carry_out) -> None:
    try:
        while not ending.wait(POLL_SECONDS):
            try:
                job = lane.next()
                while job is not None and not ending.is_set():
                    carry(job, watched=True)
                    job = lane.next()
            except DatabaseError:
                _log.warning("What waits could not be looked at; it is tried again.", exc_info=True)
                connection.close()
                ending.wait(REST_SECONDS)
            except Exception:  # of one job; the others are carried out all the same
                _log.exception("A job could not be carried out.")
                ending.wait(REST_SECONDS)
    finally:
        connection.close()
