"""In how many processes the application is served: each has an interpreter of its own, and all share the columns of the market on disk."""

import ctypes
import os
import resource
import signal
import threading
import time
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from typing import TypeVar

# What the C library's `mallopt` calls them (malloc.h), and what suits columns of a megabyte that come and go on many threads.
M_TRIM_THRESHOLD, M_MMAP_THRESHOLD, M_ARENA_MAX = -1, -3, -8
ARENAS, MAPPED_FROM, KEPT_FREE = 2, 32 << 20, 128 << 20
NAME = "UPPERWICK_PROCESSES"
PARENT = "UPPERWICK_PARENT"  # the number of the process that a child shall not outlive
PR_SET_PDEATHSIG = 1  # sys/prctl.h
LOOK_SECONDS = 1.0
COPY_SECONDS = 120.0  # that threads may still write for
T = TypeVar("T")
_in_front: ThreadPoolExecutor | None = None
STEPS_BACK = 5  # nice(2): a third of the share that others have


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


def step_back() -> None:
    """Lets whoever waits for a page go before this thread and those that it starts, where processors are short: an import that takes minutes
    may take some more. To be called in the thread that does the work, once a process."""
    global _in_front
    if hasattr(os, "setpriority"):
        _in_front = ThreadPoolExecutor(1, "in front")
        _in_front.submit(int).result()  # there now, and so with the priority that this thread still has
        os.setpriority(os.PRIO_PROCESS, threading.get_native_id(), STEPS_BACK)


def in_front(work: Callable[[], T]) -> T:
    """Does what others wait for, as a lock that is held, without stepping back for them meanwhile. It has a database connection of its own."""
    return work() if _in_front is None else _in_front.submit(work).result()


def as_child() -> dict[str, str]:
    """The environment of a process that shall not outlive this one. It has to be started by a thread that lives as long as this process: the
    system tells a child of the end of its parent's thread (prctl(2), PR_SET_PDEATHSIG)."""
    return {**os.environ, PARENT: str(os.getpid())}


def end_with_parent() -> None:
    """Where this process was started as somebody's child, it ends when they do, however that happens, and at once where they are gone already.
    To be called before anything else is done."""
    parent = os.environ.get(PARENT)
    if parent is None:
        return
    told = die_with_parent()
    if str(os.getppid()) != parent:  # gone before it could be told
        os._exit(1)
    if not told:
        threading.Thread(target=_end_with, args=(os.getppid(),), daemon=True).start()


def die_with_parent() -> bool:
    """Has the system end this process with the one that started it. Returns whether it can."""
    prctl = getattr(ctypes.CDLL(None), "prctl", None) if os.name == "posix" else None
    if prctl is not None:
        prctl(PR_SET_PDEATHSIG, signal.SIGKILL)
    return prctl is not None


def _end_with(parent: int) -> None:
    while os.getppid() == parent:
        time.sleep(LOOK_SECONDS)
    os.kill(os.getpid(), signal.SIGKILL)


def limit_memory(most: int) -> None:
    """Memory that this process takes beyond that is refused to it; files that are mapped do not count."""
    resource.setrlimit(resource.RLIMIT_DATA, (most, most))


def wait_for_copies() -> None:
    """What threads still write, such as columns that are copied ahead, is finished."""
    ends = time.monotonic() + COPY_SECONDS
    for thread in threading.enumerate():
        if thread is not threading.current_thread() and thread is not threading.main_thread():
            thread.join(max(0.0, ends - time.monotonic()))
