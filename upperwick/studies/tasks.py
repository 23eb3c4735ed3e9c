"""What the worker takes from its queue."""

from django_tasks import task


@task()
def carry_out_run(run_id: int) -> None:
    """Answers one run."""
    from upperwick.studies import runs

    runs.carry_out(run_id, watched=True)
