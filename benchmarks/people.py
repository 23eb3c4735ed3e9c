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


def resident(pid: int) -> int:
    """Megabytes that a process holds, the market's files included that all of them share."""
    status = Path(f"/proc/{pid}/status").read_text()
    return int(next(line for line in status.splitlines() if line.startswith("VmRSS")).split()[1]) // 1024


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("--people", type=int, default=50)
    parser.add_argument("--processes", type=int, default=2)
    parser.add_argument("--pause", type=float, default=5.0)
    parser.add_argument("--rounds", type=int, default=4)
    given = parser.parse_args()
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        port = probe.getsockname()[1]
    address = f"http://127.0.0.1:{port}"
    with tempfile.TemporaryDirectory() as folder:
        os.environ["UPPERWICK_DATA"] = folder
        subprocess.run([COMMAND, "warm"], check=True)
        subprocess.run([COMMAND, "demo"], check=True, stdout=subprocess.DEVNULL)
        people = sessions(given.people)
        server = subprocess.Popen(
            [COMMAND, "serve", "--port", str(port), "--processes", str(given.processes)], stdout=subprocess.DEVNULL
        )
        try:
            for _ in range(300):
                try:
                    urllib.request.urlopen(f"{address}/api/session")
                    break
                except OSError:
                    time.sleep(0.1)
            time.sleep(5)
            took, failed = ask(address, people, given.pause, given.rounds)
            children = Path(f"/proc/{server.pid}/task/{server.pid}/children").read_text().split()
            serving = [
                pid for pid in (server.pid, *map(int, children)) if b"worker" not in Path(f"/proc/{pid}/cmdline").read_bytes()
            ]
            held = max(resident(pid) for pid in serving)
        finally:
            server.terminate()
            server.wait(20)
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
