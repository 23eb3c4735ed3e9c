"""In how many processes the application is served: each has an interpreter of its own, and all share the columns of the market on disk."""

import ctypes
import os

# What the C library's `mallopt` calls them (malloc.h), and what suits columns of a megabyte that come and go on many threads.
M_TRIM_THRESHOLD, M_MMAP_THRESHOLD, M_ARENA_MAX = -1, -3, -8
ARENAS, MAPPED_FROM, KEPT_FREE = 2, 32 << 20, 128 << 20
NAME = "UPPERWICK_PROCESSES"


def processes() -> int:
    """How many serve, this one among them; 1 for a command and for the worker."""
    return int(os.environ.get(NAME, "1"))


def threads() -> int | None:
    """On how many threads one of them evaluates; None for as many as the machine is good for."""
    return None if processes() == 1 else max(1, (os.cpu_count() or 1) // processes())


def steady_memory() -> None:
    """Where the C library can be told so, memory that is freed is used again by whichever thread asks, instead of being kept for the one that
    had it, or handed to the system, which clears it anew each time. With fifty people scanning a process so holds 0.95 GB instead of 1.5."""
    mallopt = getattr(ctypes.CDLL(None), "mallopt", None) if os.name == "posix" else None
    if mallopt is not None:
        for what, amount in ((M_ARENA_MAX, ARENAS), (M_MMAP_THRESHOLD, MAPPED_FROM), (M_TRIM_THRESHOLD, KEPT_FREE)):
            mallopt(what, amount)
