"""Who is computed for next, and the application served by several processes over one folder of data."""

import json
import os
import select
import signal
import socket
import subprocess
import sys
import time
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from threading import Event
from typing import Any

import numpy as np
import pytest
import requests
from django.contrib.auth import get_user_model
from requests.adapters import HTTPAdapter
from urllib3.util import Retry

from tests.commands import script
from tests.server.conftest import Api
from upperwick.base.errors import Refused
from upperwick.jobs import admission
from upperwick.market import load
from upperwick.rules import scan
from wickcore.scan.limits import Stopped


@pytest.fixture
def one_at_a_time(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(admission, "_free", 1)
    monkeypatch.setattr(admission, "LOOK_SECONDS", 0.01)


def _until(true: Callable[[], bool]) -> None:
    """Looks whenever a turn was taken or given back, and now and then."""
    end = time.monotonic() + 30
    with admission._turn:
        while not true():
            assert time.monotonic() < end, "it never came so far"
            admission._turn.wait(0.01)


def test_whoever_came_first_is_the_first_to_go_and_what_may_wait_goes_last(one_at_a_time: None) -> None:
    held, gone = Event(), []

    def front(name: str) -> None:
        with admission.in_turn():
            gone.append(name)

    def back(name: str, owner: int) -> str:
        try:
            with admission.behind(owner):
                gone.append(name)
            return "went"
        except Refused as error:
            return str(error)

    def hold() -> None:
        with admission.in_turn():
            held.wait(20)

    with ThreadPoolExecutor(8) as pool:
        first = pool.submit(hold)
        _until(lambda: admission._free == 0)
        older = pool.submit(back, "of one, before", 1)
        _until(lambda: 1 in admission._latest)
        before = admission._latest[1]
        newer, other = pool.submit(back, "of one", 1), pool.submit(back, "of two", 2)
        _until(lambda: admission._latest[1] is not before and 2 in admission._latest)
        fronts = []
        for n in range(3):
            fronts.append(pool.submit(front, f"front {n}"))
            _until(lambda n=n: len(admission._waiting) == n + 1)
        assert older.result(20) == "Another question was asked meanwhile."
        held.set()
        assert newer.result(20) == other.result(20) == "went"
        first.result(20)
    assert gone[:3] == ["front 0", "front 1", "front 2"]
    assert sorted(gone[3:]) == ["of one", "of two"]
    assert admission._free == 1
    assert not admission._waiting
    assert not admission._latest


def test_a_turn_that_does_not_come_is_said(one_at_a_time: None, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(admission, "REQUEST_SECONDS", 0.05)
    with admission.in_turn(), ThreadPoolExecutor(1) as pool:
        for way in (admission.in_turn, lambda: admission.behind(1)):

            def late(way: Any = way) -> None:
                with way():
                    raise AssertionError("it was another's turn")

            with pytest.raises(Stopped, match="did not come in time"):
                pool.submit(late).result(20)
    assert not admission._waiting


def test_the_whole_history_is_told_beside_the_counts(api: Api) -> None:
    text = "close > 0\nclose > sma(20)\nany of:\n    close > open\n    close <= open"
    scan, found = api.post("/scan", {"text": text}).json(), api.post("/history", {"text": text}).json()
    assert len(found["ever"]) == len(scan["lines"]) == 5
    assert found["ever"][0] == 1.0
    assert 0.2 < found["ever"][1] < 0.8
    assert found["ever"][2] == 1.0
    assert abs(found["ever"][3] + found["ever"][4] - 1.0) < 1e-12
    # Since when each is a hit: with the history to its end, with the counts as far as is looked.
    assert found["as_of"] == scan["as_of"]
    assert found["runs"].keys() == {h["symbol"] for h in scan["hits"]}
    assert all(found["runs"][h["symbol"]] == h["days"] for h in scan["hits"] if not h["longer"])
    always = api.post("/scan", {"text": "close > 0"}).json()["hits"]
    runs = api.post("/history", {"text": "close > 0"}).json()["runs"]
    bars = load.evaluator().market.bars
    lengths = dict(zip(bars.symbols, np.diff(bars.offsets).tolist(), strict=True))
    assert runs == {h["symbol"]: lengths[h["symbol"]] for h in always}  # since its first bar
    assert any(h["longer"] for h in always)
    assert all(1 < h["days"] < runs[h["symbol"]] for h in always if h["longer"])
    earlier = api.post("/history", {"text": text, "as_of": "2024-05-20"}).json()
    assert (earlier["as_of"], earlier["runs"] != found["runs"]) == ("2024-05-20", True)
    messages = [a["message"] for a in found["advice"]]
    assert any("true on every bar of the history" in m for m in messages)
    assert not any("history" in a["message"] for a in scan["advice"])
    broken = api.post("/history", {"text": "close >"})
    assert broken.status_code == 422
    assert broken.json()["errors"]


def test_what_two_people_ask_is_counted_once_and_only_what_is_the_same(
    api: Api, other: Api, monkeypatch: pytest.MonkeyPatch
) -> None:
    asked: list[str] = []

    def counting(engine: Any, rule: Any, *given: Any, **more: Any) -> Any:
        asked.append(rule.text)
        return scanned(engine, rule, *given, **more)

    scanned = scan.scan
    monkeypatch.setattr(scan, "scan", counting)
    text = "universe: Few\ndial n = 21 from 5 to 60\nclose > sma(n)"
    symbols = [hit["symbol"] for hit in api.post("/scan", {"text": "close > 3"}).json()["hits"]]
    for owner, few in ((api, symbols[:30]), (other, symbols[:30])):
        owner.post("/lists", {"name": "Few", "symbols": few})
    asked.clear()
    first = api.post("/scan", {"text": text})
    assert first.headers["Content-Type"] == "application/json"
    assert api.post("/scan", {"text": text}).content == other.post("/scan", {"text": text}).content == first.content
    assert len(asked) == 1
    whole = scan.count(get_user_model().objects.get(username="ada"), text, None, None, {})  # with all bars in a row, and never kept
    assert [{**hit, "days": 0, "longer": False} for hit in first.json()["hits"]] == [
        {**hit, "days": 0, "longer": False} for hit in json.loads(json.dumps(whole["hits"]))
    ]
    # Another moment, dial, column or list of that name is another question.
    for more in ({"as_of": "2024-05-20"}, {"dials": {"n": 30}}, {"columns": ["close"]}, {"universe": "Harbour 500"}):
        assert api.post("/scan", {"text": text, **more}).json() != first.json()
    other.post("/lists", {"name": "Few", "symbols": symbols[:10]})
    assert other.post("/scan", {"text": text}).json()["scanned"] < first.json()["scanned"]
    assert api.post("/scan", {"text": text}).content == first.content


def test_two_processes_serve_one_folder(tmp_path: Path) -> None:
    made = (
        "import django; django.setup(); from upperwick.market.demo import save_demo; from wickcore.demo.market import make_market; "
    )
    made += "from django.core.management import call_command; call_command('migrate', verbosity=0); "
    made += "from upperwick.accounts.services import add_account; add_account('ada', 'a-long-secret-word', staff=True); "
    assert script(made + "save_demo(make_market(listed=12, delisted=2, index_within=20))", data=tmp_path).ended().returncode == 0
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        port = probe.getsockname()[1]
    env = {**os.environ, "UPPERWICK_DATA": str(tmp_path), "UPPERWICK_PARENT": str(os.getpid())}
    command = [sys.executable, "-m", "upperwick.cli", "serve", "--port", str(port), "--processes", "2"]
    server = subprocess.Popen(command, env=env, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
    try:
        session = requests.Session()
        session.mount("http://", HTTPAdapter(max_retries=Retry(connect=14, backoff_factor=0.05, backoff_max=10)))
        address = f"http://127.0.0.1:{port}"
        session.get(f"{address}/api/session", timeout=60).raise_for_status()
        head = {"Referer": address, "X-CSRFToken": session.cookies["csrftoken"]}
        signed = session.post(
            f"{address}/api/session", json={"name": "ada", "password": "a-long-secret-word"}, headers=head, timeout=60
        )
        assert signed.status_code == 200, signed.text
        head["X-CSRFToken"] = session.cookies["csrftoken"]
        # What is still being compiled behind goes on without it.
        serving = [pid for pid in _children(server.pid) if b"warm" not in Path(f"/proc/{pid}/cmdline").read_bytes()]
        assert len(serving) >= 2
        for _ in range(6):  # each by a connection of its own, whichever process takes it
            asked = requests.post(
                f"{address}/api/scan",
                json={"text": "close > sma(50)"},
                headers=head,
                cookies=session.cookies.get_dict(),
                timeout=60,
            )
            assert asked.status_code in (200, 503), asked.text
            if asked.status_code == 200:
                assert asked.json()["scanned"] > 5
        ended = [os.pidfd_open(pid) for pid in serving]
        server.send_signal(signal.SIGTERM)
        server.wait(20)
        assert all(select.select([process], [], [], 20)[0] for process in ended)
    finally:
        server.kill()
        server.wait(20)


def _children(pid: int) -> list[int]:
    return [int(child) for task in Path(f"/proc/{pid}/task").iterdir() for child in (task / "children").read_text().split()]
