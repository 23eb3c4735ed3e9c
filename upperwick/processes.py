"""In how many processes the application is served: each has an interpreter of its own, and all share the columns of the market on disk."""

import os

NAME = "UPPERWICK_PROCESSES"


def processes() -> int:
    """How many serve, this one among them; 1 for a command and for the worker."""
    return int(os.environ.get(NAME, "1"))


def threads() -> int | None:
    """On how many threads one of them evaluates; None for as many as the machine is good for."""
    return None if processes() == 1 else max(1, (os.cpu_count() or 1) // processes())
