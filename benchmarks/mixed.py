"""Many people doing different things at once over one server, on the demo market; they and it share the machine.

    python benchmarks/mixed.py [--people 50] [--processes 2] [--pause 3] [--seconds 90] [--import]

Each person has a rule that nobody else has and thinks for about so many seconds, then does one of these, drawn by lot: types (three new
texts half a second apart, each counted, then the history of the last), looks at five charts one after another, opens a sheet of twelve, saves
the rule, puts an instrument on the bench and moves it, or has the rule measured and waits for the study. With --import, a file of two million
daily bars of other instruments is brought in meanwhile. Prints the seconds from question to answer for each kind, and for all that a person
waits for on the page.
"""

import argparse
import random
import subprocess
import sys
import tempfile
import threading
import time
from collections import defaultdict
from collections.abc import Callable
from pathlib import Path

import numpy as np
import requests
from people import COMMAND, processor, resident, rule, served

KINDS = {"type": 45, "charts": 22, "sheet": 8, "save": 9, "bench": 9, "study": 7}  # out of a hundred
PAGE = ("scan", "chart", "sheet", "save", "bench")  # what a page waits for; a history completes it later, a study goes on beside
SYMBOLS, BARS = 400, 5_000  # of the file that is brought in


class Person:
    """One account at its page. took: seconds by kind."""

    def __init__(self, n: int, key: str, address: str, took: dict[str, list[float]], failed: list[str]) -> None:
        self.rng, self.address, self.took, self.failed = random.Random(n), address, took, failed
        self.session = requests.Session()
        token = "a" * 32
        self.session.cookies.update({"sessionid": key, "csrftoken": token})
        self.session.headers.update({"X-CSRFToken": token, "Referer": address})
        self.text, self.saved, self.mark = rule(self.rng), 0, ""
        self.symbols: list[str] = []
        self.hits: list[str] = []

    def ask(self, kind: str, method: str, path: str, body: object = None, wanted: tuple[int, ...] = (200, 204)) -> dict:
        begun = time.perf_counter()
        try:
            answer = self.session.request(method, f"{self.address}/api{path}", json=body, timeout=90)
        except requests.RequestException as error:
            self.failed.append(f"{kind}: {type(error).__name__}")
            return {}
        self.took[kind].append(time.perf_counter() - begun)
        if answer.status_code not in wanted:
            self.failed.append(f"{kind}: {answer.status_code} {answer.text[:80]}")
        return answer.json() if answer.status_code == 200 else {}

    def begin(self) -> None:
        """What stands before the clock: the rule is saved, and instruments are known by name."""
        made = self.ask("begin", "POST", "/rules", {"text": self.text})
        self.saved, self.mark = made["id"], made["mark"]
        found = self.ask("begin", "POST", "/scan", {"text": "close > 1\n", "columns": ["close"]})
        self.symbols = [hit["symbol"] for hit in found["hits"]]

    def type(self) -> None:
        for _ in range(3):
            self.text = rule(self.rng)
            found = self.ask("scan", "POST", "/scan", {"text": self.text})
            self.hits = [hit["symbol"] for hit in found.get("hits", ())]
            time.sleep(0.5)
        self.ask("history", "POST", "/history", {"text": self.text}, (200, 409, 503))

    def charts(self) -> None:
        for symbol in self.rng.sample(self.hits if len(self.hits) >= 5 else self.symbols, 5):
            self.ask("chart", "POST", "/chart", {"symbol": symbol, "text": self.text})
            time.sleep(0.4)

    def sheet(self) -> None:
        self.ask("sheet", "POST", "/charts", {"symbols": self.rng.sample(self.symbols, 12), "text": self.text})

    def save(self) -> None:
        found = self.ask("save", "PUT", f"/rules/{self.saved}", {"text": self.text, "seen": self.mark})
        self.mark = found.get("mark", self.mark)

    def bench(self) -> None:
        item = self.ask("bench", "POST", "/bench", {"symbol": self.rng.choice(self.symbols)}).get("id")
        self.ask("bench", "PATCH", f"/bench/{item}", {"stage": self.rng.choice(["shortlisted", "planned"])})
        self.ask("bench", "GET", "/bench")

    def study(self) -> None:
        begun = time.perf_counter()
        run = self.ask("study asked", "POST", "/studies", {"text": self.text, "rule_id": self.saved})
        while run.get("state") in ("waiting", "running"):
            time.sleep(0.5)  # the page is told; what it fetches then is little
            run = self.ask("study looked at", "GET", f"/studies/{run['id']}")
        self.took["study"].append(time.perf_counter() - begun)
        if run.get("state") != "done":
            self.failed.append(f"study: {run.get('state')} {run.get('detail')}")


def life(person: Person, pause: float, until: float) -> None:
    names, weights = list(KINDS), list(KINDS.values())
    doing: dict[str, Callable[[], None]] = {name: getattr(person, name) for name in names}
    while True:
        time.sleep(person.rng.random() * 2 * pause)
        if time.perf_counter() > until:
            return
        doing[person.rng.choices(names, weights)[0]]()


def long_file(path: Path) -> None:
    """Daily bars of invented instruments that the market does not have."""
    days = np.arange(np.datetime64("2001-01-01"), np.datetime64("2024-06-28"))
    days = days[np.is_busday(days)][-BARS:].astype(str)
    rng = np.random.default_rng(5)
    with path.open("w") as out:
        out.write("symbol,date,open,high,low,close,volume\n")
        for k in range(SYMBOLS):
            close = 20 * np.exp(np.cumsum(rng.normal(0, 0.01, BARS)))
            for day, price in zip(days, close, strict=True):
                out.write(f"LOAD{k},{day},{price:.2f},{price * 1.01:.2f},{price * 0.99:.2f},{price:.2f},{100_000}\n")


def table(took: dict[str, list[float]]) -> None:
    took["page"] = [seconds for kind in PAGE for seconds in took[kind]]
    for kind in (*PAGE, "history", "study asked", "study", "page"):
        each = sorted(took[kind])
        if each:
            at = [each[int(share * len(each))] for share in (0.5, 0.95)]
            print(f"{kind:12} {len(each):6}   half within {at[0]:6.2f}   p95 {at[1]:6.2f}   slowest {each[-1]:6.2f}")


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("--people", type=int, default=50)
    parser.add_argument("--processes", type=int, default=2)
    parser.add_argument("--pause", type=float, default=3.0)
    parser.add_argument("--seconds", type=float, default=90.0)
    parser.add_argument("--import", dest="brings", action="store_true")
    given = parser.parse_args()
    with served(given.people, given.processes) as (address, keys, server), tempfile.TemporaryDirectory() as folder:
        file = Path(folder) / "long.csv"
        if given.brings:
            long_file(file)
        took: dict[str, list[float]] = defaultdict(list)
        failed: list[str] = []
        people = [Person(n, key, address, took, failed) for n, key in enumerate(keys)]
        for person in people:
            person.begin()
        before = processor(server)
        until = time.perf_counter() + given.seconds
        doing = [threading.Thread(target=life, args=(person, given.pause, until)) for person in people]
        for thread in doing:
            thread.start()
        brought = 0.0
        if given.brings:
            begun = time.perf_counter()
            subprocess.run([COMMAND, "import", str(file)], stdout=subprocess.DEVNULL, check=True)
            brought = time.perf_counter() - begun
        for thread in doing:
            thread.join()
        held, spent = resident(server), {does: seconds - before[does] for does, seconds in processor(server).items()}
    print(
        f"{given.people} people, {given.processes} processes, about {given.pause:g} s between; the largest process holds {held} MB"
    )
    if brought:
        print(f"{SYMBOLS * BARS:,} bars were brought in within {brought:.0f} s")
    print(f"processor: {spent['serves']:.0f} s in what serves, {spent['works']:.0f} s in the worker")
    table(took)
    for sentence in sorted(set(failed)):
        print(f"  {failed.count(sentence)} failed  {sentence}")
    sys.exit(bool(failed))


if __name__ == "__main__":
    main()
