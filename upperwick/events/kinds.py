"""The kinds of events that are told to open pages, each with the queries of the interface whose answers it makes stale."""

STALE: dict[str, tuple[str, ...]] = {
    "market": ("market", "catalogue", "bars", "rules", "data", "alerts", "bench"),  # new prices or facts
    "compiling": ("market",),  # the kernels are being compiled, or are ready
    "rules": ("rules",),
    "books": ("books",),
    "lists": ("lists", "bars"),
    "data": ("data",),  # imports, findings, the drop folder
    "breadths": ("breadths", "bars", "rules"),  # rules that name a breadth count otherwise when it is another
    "alerts": ("alerts",),  # messages, alerts, schedules
    "bench": ("bench",),
}
JOB = "job"  # a job moved: only those who watch it, or list it, ask again
SIGNED_OUT = "signed out"  # of some session of the account: each stream looks whether it was its own
EVERYTHING = "everything"  # a stream begins, or lost events: whatever is on show may be of before
OTHERS = (JOB, SIGNED_OUT, EVERYTHING)


def known(kind: str) -> str:
    """The kind. Raises ValueError for one that is not declared here: no page would heed it."""
    if kind not in STALE and kind not in OTHERS:
        raise ValueError(f"`{kind}` is no kind of event; declare it in upperwick/events/kinds.py.")
    return kind


def stale_after() -> dict[str, list[str]]:
    """What each kind makes stale, as the interface has it; `everything` is all of it, and the lists of jobs."""
    return {
        **{kind: list(queries) for kind, queries in STALE.items()},
        EVERYTHING: sorted({"jobs", *(q for of in STALE.values() for q in of)}),
    }
