"""The real server on a port of its own, over the demo market, and headless Chromium."""

import fcntl
import hashlib
import os
import shutil
import socket
import subprocess
import sys
from collections.abc import Iterator
from contextlib import ExitStack, contextmanager
from pathlib import Path
from typing import Any

import pytest
import requests
from playwright.sync_api import Browser, Page, expect, sync_playwright
from requests.adapters import HTTPAdapter
from urllib3.util import Retry

ROOT = Path(__file__).resolve().parents[2]
COMMAND = str(Path(sys.executable).with_name("upperwick"))
CHROMIUM = shutil.which("chromium-headless-shell") or "/usr/bin/chromium"
FLAGS = ["--no-sandbox", "--disable-gpu", "--disable-background-networking", "--disable-component-update", "--no-first-run"]
# Each process works with an account of its own: what one chooses or saves is not the other's.
_PROCESS = os.environ.get("PYTEST_XDIST_WORKER", "gw0")
ACCOUNT = ("trader" if _PROCESS == "gw0" else f"trader-{_PROCESS}", "candle-and-wick")
# Every answer of the server, in a page, later by up to so many seconds: what depends on which of two comes first is seen so.
SLOW = float(os.environ.get("SLOW_ANSWERS", "0"))
LATER = """most => {
  const [ask, wait] = [window.fetch.bind(window), () => new Promise(go => setTimeout(go, Math.random() * most * 500))];
  window.fetch = async (...asked) => { await wait(); const answer = await ask(...asked); await wait(); return answer; };
}"""
# How long a thing may take to appear: the tests run beside others on small machines, and time nothing.
expect.set_options(timeout=60_000)


@contextmanager
def locked(path: Path, how: int = fcntl.LOCK_EX) -> Iterator[None]:
    """Holds a lock among the processes of a run: alone, or (LOCK_SH) with others of that kind. It ends with the process, too."""
    with path.open("w") as held:
        fcntl.flock(held, how)
        yield


def serve(data: Path) -> tuple[subprocess.Popen[bytes], str]:
    """Makes the demo market in a fresh folder and serves it, with everything compiled."""
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        port = probe.getsockname()[1]
    # A server whose test was killed ends with it.
    env = {**os.environ, "UPPERWICK_DATA": str(data), "UPPERWICK_PARENT": str(os.getpid())}
    subprocess.run(
        [COMMAND, "warm"], env=env, check=True, capture_output=True, timeout=400
    )  # so that no page is served while kernels compile
    _demo(data, env)
    server = subprocess.Popen(
        [COMMAND, "serve", "--port", str(port)], env=env, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL
    )
    answered = requests.Session()
    # Asked again until it listens, a little later each time.
    answered.mount("http://", HTTPAdapter(max_retries=Retry(connect=12, backoff_factor=0.05, backoff_max=10)))
    try:
        answered.get(f"http://127.0.0.1:{port}/api/session", timeout=60)
    except requests.ConnectionError:
        server.kill()
        raise AssertionError("the server never answered") from None
    return server, f"http://127.0.0.1:{port}"


def _demo(data: Path, env: dict[str, str]) -> None:
    """The demo market in the folder: that of the run before, where nothing that makes it has changed since."""
    kept = ROOT / ".stamps" / "test-data" / f"demo-{_made_of()}"
    if not kept.exists():
        subprocess.run([COMMAND, "demo"], env=env, check=True, capture_output=True, timeout=300)
        for old in kept.parent.glob("demo-*"):
            shutil.rmtree(old, ignore_errors=True)
        part = kept.with_name(f"{kept.name}.part")
        shutil.copytree(data, part)
        part.rename(kept)
    else:
        shutil.copytree(kept, data, dirs_exist_ok=True)


def _made_of() -> str:
    """A short name of all that the demo market and what is stored with it are made of."""
    parts = ["wickcore/demo", "wickcore/bars", "upperwick"]
    sources = sorted(p for part in parts for end in ("*.py", "*.rule", "*.book") for p in (ROOT / part).rglob(end))
    return hashlib.blake2b(b"\0".join(p.read_bytes() for p in sources), digest_size=8).hexdigest()


@pytest.fixture(scope="session")
def address(tmp_path_factory: pytest.TempPathFactory, worker_id: str) -> Iterator[str]:
    """The address of the one server of this run: the first process that wants it starts it, and ends it once nobody uses it."""
    base = tmp_path_factory.getbasetemp()
    folder = base if worker_id == "master" else base.parent
    told, data, server = folder / "address", folder / "served", None
    try:
        with ExitStack() as using:
            with locked(folder / "serving.lock"):
                if not told.exists():
                    data.mkdir()
                    server, made = serve(data)
                    told.write_text(made)
                using.enter_context(locked(folder / "users.lock", fcntl.LOCK_SH))
            if ACCOUNT[0] != "trader":
                env = {**os.environ, "UPPERWICK_DATA": str(data)}
                add = [COMMAND, "account", "add", ACCOUNT[0], "--staff"]
                subprocess.run(add, env=env, input=ACCOUNT[1] + "\n", text=True, check=True, timeout=120)
            yield told.read_text()
    finally:
        if server is not None:
            with locked(folder / "users.lock"):  # once nobody uses it any more
                server.terminate()
                server.wait(20)


@pytest.fixture(scope="session")
def browser() -> Iterator[Browser]:
    with sync_playwright() as play:
        made = play.chromium.launch(executable_path=CHROMIUM, args=FLAGS)
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
    context.set_default_timeout(60_000)
    if SLOW:
        context.add_init_script(f"({LATER})({SLOW})")
    made = context.new_page()
    errors: list[str] = []
    made.on("pageerror", lambda e: errors.append(str(e)))
    made.on("console", lambda m: errors.append(m.text) if m.type == "error" and "Failed to load resource" not in m.text else None)
    made.on("request", lambda r: errors.append(f"asked {r.url}") if not r.url.startswith((address, "data:", "blob:")) else None)
    made.goto(f"{address}/rules")
    made.get_by_role("heading", name="Rules").wait_for()
    yield made
    context.close()
    assert errors == []


def sign_in(page: Page) -> None:
    page.get_by_label("Name").fill(ACCOUNT[0])
    page.get_by_label("Password").fill(ACCOUNT[1])
    page.keyboard.press("Enter")
    page.get_by_role("navigation", name="Places").wait_for()
