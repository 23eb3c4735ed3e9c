"""Many people scanning different rules over one server, on the demo market; they and it share the machine.

    python benchmarks/people.py [--people 50] [--processes 2] [--pause 5] [--rounds 4]

Each person asks a rule that nobody asked before (six lines: averages, an RSI, volume, a breakout, of random lengths), over and over, with so
many seconds between, a little more or less. Prints the seconds from question to answer, and the memory that the largest serving process holds.
"""

import argparse
import os
import random
import secrets
import socket
import subprocess
import sys
import tempfile
import threading
import time
import urllib.request
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import requests

COMMAND = str(Path(sys.executable).with_name("upperwick"))


def rule(rng: random.Random) -> str:
    short, long = rng.randint(5, 60), rng.randint(61, 250)
    return "\n".join(
        (
            f"close > {rng.randint(3, 20)}",
            f"close > sma({long})",
            f"ema({short}) > sma({long})",
            f"rsi({rng.randint(5, 30)}) between {rng.randint(20, 45)} and {rng.randint(50, 80)}",
            f"volume > 1.{rng.randint(1, 9)} * (sma(volume, {short}) 1 ago)",
            f"close > highest(high, {short}) 1 ago once in 5",
        )
    )


def sessions(count: int) -> list[str]:
    """Signed-in sessions of so many new accounts: fifty people do not sign in at the same second."""
    os.environ["DJANGO_SETTINGS_MODULE"] = "upperwick.settings"
    import django

    django.setup()
    from importlib import import_module

    from django.conf import settings
    from django.contrib.auth import BACKEND_SESSION_KEY, HASH_SESSION_KEY, SESSION_KEY, get_user_model

    found = []
    for n in range(count):
        user = get_user_model().objects.create_user(f"person {n} {secrets.token_hex(3)}")
        store: Any = import_module(settings.SESSION_ENGINE).SessionStore()
        backend = settings.AUTHENTICATION_BACKENDS[-1]
        store[SESSION_KEY], store[BACKEND_SESSION_KEY], store[HASH_SESSION_KEY] = (
            str(user.pk),
            backend,
            user.get_session_auth_hash(),
        )
        store.save()
        found.append(str(store.session_key))
    return found


def below(server: int) -> dict[int, str]:
    """The processes of a server by number, itself among them: what each does, `serves` or `works`."""
    found, todo = {}, [server]
    while todo:
        pid = todo.pop()
        found[pid] = "works" if b"worker" in Path(f"/proc/{pid}/cmdline").read_bytes() else "serves"
        for task in Path(f"/proc/{pid}/task").iterdir():
            todo += map(int, (task / "children").read_text().split())
    return found


def resident(server: int) -> int:
    """Megabytes that the largest of the processes that serve holds, the market's files included that all of them share."""
    status = [Path(f"/proc/{pid}/status").read_text() for pid, does in below(server).items() if does == "serves"]
    return max(int(next(line for line in s.splitlines() if line.startswith("VmRSS")).split()[1]) // 1024 for s in status)


def processor(server: int) -> dict[str, float]:
    """Seconds of processor so far by what a process does."""
    found = {"serves": 0.0, "works": 0.0}
    for pid, does in below(server).items():
        ticks = Path(f"/proc/{pid}/stat").read_text().rpartition(")")[2].split()[11:13]
        found[does] += sum(map(int, ticks)) / os.sysconf("SC_CLK_TCK")
    return found


@contextmanager
def served(people: int, processes: int) -> Iterator[tuple[str, list[str], int]]:
    """Serves a demo market of its own: yields the address, the sessions of so many people, and the number of the process."""
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        port = probe.getsockname()[1]
    address = f"http://127.0.0.1:{port}"
    with tempfile.TemporaryDirectory() as folder:
        os.environ["UPPERWICK_DATA"] = folder
        subprocess.run([COMMAND, "warm"], check=True)
        subprocess.run([COMMAND, "demo"], check=True, stdout=subprocess.DEVNULL)
        keys = sessions(people)
        server = subprocess.Popen([COMMAND, "serve", "--port", str(port), "--processes", str(processes)], stdout=subprocess.DEVNULL)
        try:
            for _ in range(300):
                try:
                    urllib.request.urlopen(f"{address}/api/session")
                    break
                except OSError:
                    time.sleep(0.1)
            time.sleep(5)
            yield address, keys, server.pid
        finally:
            server.terminate()
            server.wait(20)


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("--people", type=int, default=50)
    parser.add_argument("--processes", type=int, default=2)
    parser.add_argument("--pause", type=float, default=5.0)
    parser.add_argument("--rounds", type=int, default=4)
    given = parser.parse_args()
    with served(given.people, given.processes) as (address, keys, server):
        took, failed = ask(address, keys, given.pause, given.rounds)
        held = resident(server)
    took.sort()
    at = {share: took[int(share * len(took))] for share in (0.5, 0.95)}
    print(
        f"{given.people} people, {given.processes} processes, about {given.pause:g} s between: {len(took)} answers, {failed} failed"
    )
    print(f"half within {at[0.5]:.2f} s, p95 {at[0.95]:.2f} s, the slowest {took[-1]:.2f} s; the largest process holds {held} MB")


def ask(address: str, people: list[str], pause: float, rounds: int) -> tuple[list[float], int]:
    """The seconds of each answer, and how many failed."""
    took: list[float] = []
    failed: list[int] = []

    def person(n: int, key: str) -> None:
        rng, session = random.Random(n), requests.Session()
        token = "a" * 32
        session.cookies.update({"sessionid": key, "csrftoken": token})
        head = {"X-CSRFToken": token, "Referer": address}
        for _ in range(rounds):
            time.sleep(rng.random() * 2 * pause)
            begun = time.perf_counter()
            answer = session.post(f"{address}/api/scan", json={"text": rule(rng)}, headers=head, timeout=60)
            took.append(time.perf_counter() - begun)
            if answer.status_code != 200:
                failed.append(answer.status_code)

    threads = [threading.Thread(target=person, args=one) for one in enumerate(people)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    return took, len(failed)


if __name__ == "__main__":
    main()
