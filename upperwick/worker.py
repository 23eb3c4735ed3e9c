"""The background worker: one a data folder, started with the server and again should it be ended."""

import fcntl
import signal
import subprocess
import sys
import threading
from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any

from django.conf import settings

from upperwick.base.processes import NAME, as_child, steady_memory

POLL_SECONDS, REST_SECONDS, PATIENCE_SECONDS = 0.1, 1.0, 3.0


class AlreadyRunning(RuntimeError):
    """Another worker has this data folder."""


def work() -> None:
    """Takes work from the queue until it is told to end, or the server that started it is gone. Raises AlreadyRunning."""
    from upperwick.alerts.look import keep_sending, keep_telling
    from upperwick.data.drop_folder import keep_watch
    from upperwick.data.feed import keep_feeding
    from upperwick.data.quality.findings import keep_looking
    from upperwick.jobs.lanes import lanes
    from upperwick.jobs.services import interrupt_all
    from upperwick.market.columns.watch import keep_comparing
    from upperwick.market.load import evaluator

    held = _lock()
    steady_memory()
    interrupt_all()
    # Before the first study asks for them: the prices, and the days that all studies up to the seal or the last session draw.
    _draw_ahead(evaluator().market.bars.sessions)
    ending = threading.Event()
    beside = [
        threading.Thread(target=keep_watch, args=(ending,), daemon=True, name="drop folder"),
        threading.Thread(target=keep_feeding, args=(ending,), daemon=True, name="feed"),
        threading.Thread(target=keep_looking, args=(ending,), daemon=True, name="findings"),
        threading.Thread(target=keep_comparing, args=(ending,), daemon=True, name="columns"),
        threading.Thread(target=keep_telling, args=(ending,), daemon=True, name="alerts"),
        threading.Thread(target=keep_sending, args=(ending,), daemon=True, name="mail"),
        *lanes(ending),
    ]
    for thread in beside:
        thread.start()
    for told in (signal.SIGTERM, signal.SIGINT):
        signal.signal(told, lambda *_: ending.set())
    ending.wait()
    for thread in beside:
        thread.join(PATIENCE_SECONDS)
    held.close()


def _draw_ahead(sessions: Any) -> None:
    from wickcore.study.intervals import DRAWS, drawn_days
    from wickcore.study.seal import sealed_from
    from wickcore.study.settings import HORIZONS, StudySettings

    seal = sealed_from(sessions)
    size = len(sessions) if seal is None else int(sessions.searchsorted(seal))
    for h in HORIZONS if size else ():
        drawn_days(size, h, StudySettings().seed + h, DRAWS)


def _lock() -> Any:
    file = (settings.DATA_DIR / "worker.lock").open("w")
    try:
        fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except OSError:
        raise AlreadyRunning("A worker is running over this data folder already.") from None
    return file


def _is_free() -> bool:
    """Whether no worker has the data folder."""
    try:
        _lock().close()
    except AlreadyRunning:
        return False
    return True


@contextmanager
def supervised(started: threading.Event | None = None) -> Iterator[None]:
    """A worker beside this process: begun once it has started, again when it ends by itself, and ended with the block."""
    ending = threading.Event()
    child: list[subprocess.Popen[bytes]] = []

    def keep() -> None:
        while started is not None and not ending.is_set() and not started.wait(POLL_SECONDS):
            pass
        while not ending.is_set():
            # Beside another server of the same folder it waits until that one's worker is gone.
            if _is_free():
                child[:] = [subprocess.Popen([sys.executable, "-m", "upperwick.cli", "worker"], env={**as_child(), NAME: "1"})]
                child[0].wait()
            ending.wait(REST_SECONDS)

    keeper = threading.Thread(target=keep, daemon=True)
    keeper.start()
    try:
        yield
    finally:
        ending.set()
        for process in child:
            process.terminate()
            try:
                process.wait(PATIENCE_SECONDS)
            except subprocess.TimeoutExpired:
                process.kill()
        keeper.join(PATIENCE_SECONDS)
