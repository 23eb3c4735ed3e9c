"""The real server on a port of its own, over the demo market, and headless Chromium."""

import fcntl
import json
import os
import socket
import subprocess
import sys
import time
import urllib.request
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import pytest
from playwright.sync_api import Browser, Page, expect, sync_playwright

ROOT = Path(__file__).resolve().parents[2]
COMMAND = str(Path(sys.executable).with_name("upperwick"))
FLAGS = ["--no-sandbox", "--disable-gpu", "--disable-background-networking", "--disable-component-update", "--no-first-run"]
# Each process works with an account of its own: what one chooses or saves is not the other's.
_PROCESS = os.environ.get("PYTEST_XDIST_WORKER", "gw0")
ACCOUNT = ("trader" if _PROCESS == "gw0" else f"trader-{_PROCESS}", "candle-and-wick")
# How long a thing may take to appear: the tests run beside others on small machines, and time nothing.
expect.set_options(timeout=20_000)


@contextmanager
def shared(folder: Path) -> Iterator[dict[str, Any]]:
    """What the processes of a run tell each other of the server, under a lock: its address and folder, and who uses it."""
    told = folder / "served.json"
    with (folder / "served.lock").open("w") as held:
        fcntl.flock(held, fcntl.LOCK_EX)
        found = json.loads(told.read_text()) if told.exists() else {}
        yield found
        told.write_text(json.dumps(found))


def serve(data: Path) -> tuple[subprocess.Popen[bytes], str]:
    """Makes the demo market in a fresh folder and serves it, with everything compiled."""
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        port = probe.getsockname()[1]
    # A server whose test was killed ends with it.
    env = {**os.environ, "UPPERWICK_DATA": str(data), "UPPERWICK_CHILD": "1"}
    subprocess.run(
        [COMMAND, "warm"], env=env, check=True, capture_output=True, timeout=400
    )  # so that no page is served while kernels compile
    subprocess.run([COMMAND, "demo"], env=env, check=True, capture_output=True, timeout=300)
    server = subprocess.Popen(
        [COMMAND, "serve", "--port", str(port)], env=env, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL
    )
    for _ in range(300):
        try:
            urllib.request.urlopen(f"http://127.0.0.1:{port}/api/session", timeout=5)
            return server, f"http://127.0.0.1:{port}"
        except OSError:
            time.sleep(0.2)
    server.kill()
    raise AssertionError("the server never answered")


@pytest.fixture(scope="session")
def address(tmp_path_factory: pytest.TempPathFactory, worker_id: str) -> Iterator[str]:
    """The address of the one server of this run: the first process that wants it starts it, and ends it once nobody uses it."""
    base = tmp_path_factory.getbasetemp()
    folder = base if worker_id == "master" else base.parent
    server = None
    with shared(folder) as told:
        if "address" not in told:
            data = folder / "served"
            data.mkdir()
            server, told["address"] = serve(data)
            told["data"] = str(data)
        told["users"] = [*told.get("users", []), os.getpid()]
        found, data = str(told["address"]), Path(told["data"])
    if ACCOUNT[0] != "trader":
        env = {**os.environ, "UPPERWICK_DATA": str(data)}
        subprocess.run(
            [COMMAND, "account", "add", ACCOUNT[0]], env=env, input=ACCOUNT[1] + "\n", text=True, check=True, timeout=120
        )
    try:
        yield found
    finally:
        with shared(folder) as told:
            told["users"].remove(os.getpid())
        while server is not None:
            with shared(folder) as told:
                told["users"] = [pid for pid in told["users"] if Path(f"/proc/{pid}").exists()]
                if not told["users"]:
                    server.terminate()
                    server.wait(20)
                    server = None
                    continue
            time.sleep(0.2)


@pytest.fixture(scope="session")
def browser() -> Iterator[Browser]:
    with sync_playwright() as play:
        made = play.chromium.launch(executable_path="/usr/bin/chromium", args=FLAGS)
        yield made
        made.close()


@pytest.fixture(scope="session")
def signed_in(browser: Browser, address: str) -> Any:
    """The cookies of a browser that has signed in: hashing a password takes its time."""
    context = browser.new_context()
    made = context.new_page()
    made.goto(address)
    sign_in(made)
    state = context.storage_state()
    context.close()
    return state


@pytest.fixture
def page(browser: Browser, address: str, signed_in: Any) -> Iterator[Page]:
    """A signed-in page; any error in its console or script fails the test."""
    context = browser.new_context(
        viewport={"width": 1280, "height": 800}, permissions=["clipboard-read", "clipboard-write"], storage_state=signed_in
    )
    context.set_default_timeout(15_000)
    made = context.new_page()
    errors: list[str] = []
    made.on("pageerror", lambda e: errors.append(str(e)))
    made.on("console", lambda m: errors.append(m.text) if m.type == "error" and "Failed to load resource" not in m.text else None)
    made.on("request", lambda r: errors.append(f"asked {r.url}") if not r.url.startswith((address, "data:", "blob:")) else None)
    made.goto(address)
    made.get_by_role("heading", name="Rules").wait_for()
    yield made
    context.close()
    assert errors == []


def sign_in(page: Page) -> None:
    page.get_by_label("Name").fill(ACCOUNT[0])
    page.get_by_label("Password").fill(ACCOUNT[1])
    page.keyboard.press("Enter")
    page.get_by_role("heading", name="Rules").wait_for()
