"""What a job's own process begins with; read in before the first is started."""

import os

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "upperwick.settings")

import django

django.setup()

from upperwick.base.processes import die_with_parent, limit_memory, step_back, wait_for_copies  # noqa: E402
from upperwick.jobs.registry import KINDS  # noqa: E402
from upperwick.jobs.services import carry_out  # noqa: E402


def run(job_id: int, memory: int) -> None:
    """Answers one job, within a limit to its memory."""
    die_with_parent()
    step_back()
    limit_memory(memory)
    assert KINDS
    carry_out(job_id, watched=True)
    wait_for_copies()
    os._exit(0)
