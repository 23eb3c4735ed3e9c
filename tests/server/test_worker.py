"""Servers that are killed: no process of theirs outlives them, and a second start gets a worker."""

import os
import random
import signal
import socket
import subprocess
import sys
import time
from contextlib import suppress
from pathlib import Path

from tests.commands import script

KILLS = int(os.environ.get("KILLS", "4"))  # two hundred in `make trials`
FIRST_SECONDS, GONE_SECONDS = 10.0, 3.0


def of_folder(data: Path) -> list[int]:
    """The processes that have the data folder in their environment."""
    running = []
    for place in Path("/proc").glob("[0-9]*"):
        with suppress(OSError):
            state = (place / "stat").read_text().rpartition(")")[2].split()[0]
            if state != "Z" and f"UPPERWICK_DATA={data}\0".encode() in (place / "environ").read_bytes() + b"\0":
                running.append(int(place.name))
    return running


def serve(data: Path, *options: str) -> subprocess.Popen[bytes]:
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        port = probe.getsockname()[1]
    env = {**os.environ, "UPPERWICK_DATA": str(data), "UPPERWICK_PARENT": str(os.getpid())}
    command = [sys.executable, "-m", "upperwick.cli", "serve", "--port", str(port), *options]
    return subprocess.Popen(command, env=env, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)


def wait_until(true: object, seconds: float) -> bool:
    ends = time.monotonic() + seconds
    while time.monotonic() < ends:
        if true():  # type: ignore[operator]
            return True
        time.sleep(0.05)
    return bool(true())  # type: ignore[operator]


def has_worker(data: Path) -> bool:
    commands = (Path(f"/proc/{pid}/cmdline") for pid in of_folder(data))
    for command in commands:
        with suppress(OSError):
            if b"worker" in command.read_bytes().split(b"\0"):
                return True
    return False


def test_no_process_outlives_a_server_that_is_killed_and_the_next_one_gets_a_worker(tmp_path: Path) -> None:
    made = "import django; django.setup(); from django.core.management import call_command; call_command('migrate', verbosity=0)"
    assert script(made, data=tmp_path).ended().returncode == 0
    moments = random.Random(7)
    for kill in range(KILLS):
        server = serve(tmp_path, "--processes", str(1 + kill % 2))
        time.sleep(moments.uniform(0.0, FIRST_SECONDS))
        server.send_signal(signal.SIGKILL)
        server.wait(10)
        assert wait_until(lambda: not of_folder(tmp_path), GONE_SECONDS), (kill, of_folder(tmp_path))
    first = serve(tmp_path)
    assert wait_until(lambda: has_worker(tmp_path), 120)
    second = serve(tmp_path)  # beside the first: its worker begins once that of the first is gone
    time.sleep(3)
    first.send_signal(signal.SIGKILL)
    first.wait(10)
    assert wait_until(lambda: has_worker(tmp_path), 120)
    second.send_signal(signal.SIGTERM)
    second.wait(20)
    assert wait_until(lambda: not of_folder(tmp_path), GONE_SECONDS)
