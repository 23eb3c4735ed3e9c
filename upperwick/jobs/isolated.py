"""Jobs carried out in a process of their own: with a limit to its memory, a deadline, and an end within two seconds of Stop.

Each is started from one small process that has the application read in, so that starting it takes a moment only.
"""

import logging
import multiprocessing
import os
import threading
import time

from django.utils import timezone

from upperwick.jobs.models import Job
from upperwick.jobs.services import LONGEST_SECONDS

LOOK_SECONDS, GRACE_SECONDS, LATE_SECONDS = 0.2, 1.0, 30.0
GIGABYTE = 1 << 30
MOST_GIGABYTES, SHARE_OF_MACHINE = 16, 0.8
_log = logging.getLogger("upperwick")
_lock = threading.Lock()


def memory_limit() -> int:
    """In bytes: what the settings say, or what most of this machine's memory comes to."""
    chosen = os.environ.get("UPPERWICK_IMPORT_MEMORY_GB")
    if chosen:
        return int(float(chosen) * GIGABYTE)
    whole = os.sysconf("SC_PAGE_SIZE") * os.sysconf("SC_PHYS_PAGES")
    return min(MOST_GIGABYTES * GIGABYTE, int(SHARE_OF_MACHINE * whole))


def carry_out_apart(job_id: int, watched: bool = True) -> None:
    """Answers a waiting job as `services.carry_out` does. What ends the process otherwise is said in the job."""
    with _lock:
        context = multiprocessing.get_context("forkserver")
        context.set_forkserver_preload(["upperwick.jobs.isolated_start"])
        from upperwick.jobs.isolated_start import run

        process = context.Process(target=run, args=(job_id, memory_limit()), daemon=True)
        process.start()
    deadline, told = time.monotonic() + LONGEST_SECONDS + LATE_SECONDS, None
    while process.is_alive():
        process.join(LOOK_SECONDS)
        state = Job.objects.filter(id=job_id).values_list("state", "cancel").first()
        if state is not None and state[0] not in ("waiting", "running"):
            return  # what it does yet is its own: it may still be copying
        if told is None and (state is None or state[1]):
            told = time.monotonic()
        if (told is not None and time.monotonic() > told + GRACE_SECONDS) or time.monotonic() > deadline:
            process.kill()
            process.join()
            changed = ("stopped", "The computation was stopped.") if told else ("failed", "This took longer than it may.")
            return _ended(job_id, *changed)
    _log.error("A job's process ended by itself: %s, %s", job_id, process.exitcode)
    return _ended(job_id, "failed", "This met an error of its own; it is written in the server's log.")


def _ended(job_id: int, state: str, detail: str) -> None:
    Job.objects.filter(id=job_id, state__in=("waiting", "running")).update(state=state, detail=detail, beat=timezone.now())
