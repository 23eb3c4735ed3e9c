"""What a person waits for, measured in headless Chromium: medians of 20, on the demo market and on a large one.

    python benchmarks/browser.py            the demo market
    python benchmarks/browser.py --instruments 5000 --length 5000

Each is the time from the key or click until what was asked for stands in the page, server and network of this machine included.
"""

import argparse
import os
import shutil
import socket
import statistics
import subprocess
import sys
import tempfile
import time
import urllib.request
from collections.abc import Callable
from pathlib import Path
from typing import Any

from playwright.sync_api import Page, sync_playwright

ROOT = Path(__file__).resolve().parent.parent
COMMAND = str(Path(sys.executable).with_name("upperwick"))
RUNS = 20
# Resolves with the milliseconds until `done` holds, looked at once a frame, after `act` has been called.
WATCH = """async ([act, done, given]) => {
    const [doIt, isDone] = [eval(act), eval(done)]
    const begun = performance.now()
    const state = doIt(given)
    for (;;) {
        if (isDone(given, state)) return performance.now() - begun
        if (performance.now() - begun > 20000) return -1
        await new Promise(requestAnimationFrame)
    }
}"""
PRESS = """key => (document.activeElement ?? document.body).dispatchEvent(
    new KeyboardEvent('keydown', {key, bubbles: true, cancelable: true}))"""


def served(folder: str) -> tuple[subprocess.Popen, str]:
    """A server over the data of a folder."""
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        port = probe.getsockname()[1]
    server = subprocess.Popen(
        [COMMAND, "serve", "--port", str(port)], env={**os.environ, "UPPERWICK_DATA": folder}, stdout=subprocess.DEVNULL
    )
    address = f"http://127.0.0.1:{port}"
    for _ in range(600):
        try:
            urllib.request.urlopen(f"{address}/api/session", timeout=60)
            return server, address
        except OSError:
            time.sleep(0.2)
    raise SystemExit("The server never answered.")


def fill(folder: str, instruments: int, length: int) -> None:
    """The demo account, over the demo market or over a large one."""
    environment = {**os.environ, "UPPERWICK_DATA": folder}
    command = [COMMAND, "demo"]
    if instruments:
        command = [sys.executable, "-c", f"from benchmarks.store import store; store({instruments}, {length})"]
    subprocess.run(command, env=environment, check=True, stdout=subprocess.DEVNULL, cwd=ROOT)


def watched(page: Page, act: str, done: str, given: Any) -> float:
    taken = page.evaluate(WATCH, [act, done, given])
    if taken < 0:
        raise SystemExit(f"Never done: {done}")
    page.wait_for_timeout(250)
    return taken / 1000


def typing(page: Page) -> list[float]:
    """A digit of a line is changed until its new count stands beside it. The wait for the next key that might come is part of it."""
    found = []
    editor = page.get_by_label("Lines of the rule")
    editor.click()
    for run in range(RUNS + 2):
        page.keyboard.press("Control+End")
        page.keyboard.press("Backspace")
        page.wait_for_timeout(900)
        page.evaluate(
            "() => { window.seen = null; window.begun = null;"
            " document.addEventListener('keydown', () => (window.begun ??= performance.now()), {capture: true, once: true});"
            " new MutationObserver(() => (window.seen ??= performance.now()))"
            ".observe(document.querySelector('[aria-label=\"What each line leaves\"]'), {subtree: true, childList: true,"
            " characterData: true, attributes: true}) }"
        )
        page.keyboard.press(str(1 + run % 9))
        page.wait_for_function("() => window.seen !== null", timeout=20_000)
        found.append(page.evaluate("() => (window.seen - window.begun) / 1000"))
    return found[2:]


def flicking(page: Page) -> list[float]:
    done = "(key, before) => { const at = document.querySelector('tr[aria-selected=true]')?.dataset.symbol;"
    done += " const said = document.querySelector('section[aria-label^=\"Chart of\"] span.font-semibold')?.textContent;"
    done += " return at !== before && said === at }"
    act = f"key => {{ const before = document.querySelector('tr[aria-selected=true]').dataset.symbol; ({PRESS})(key); return before }}"
    return [watched(page, act, done, "j") for _ in range(RUNS)]


def jumping(page: Page) -> list[float]:
    """A click on a hit far from the one on show, so that nothing was fetched ahead."""
    found = []
    for run in range(RUNS):
        act = "n => { const rows = [...document.querySelectorAll('tr[data-symbol]')];"
        act += " const row = rows[(n * 7) % rows.length]; row.click(); return row.dataset.symbol }"
        done = (
            "(n, symbol) => document.querySelector('section[aria-label^=\"Chart of\"] span.font-semibold')?.textContent === symbol"
        )
        found.append(watched(page, act, done, run + 1))
    return found


def sorting(page: Page) -> list[float]:
    act = "n => { const head = document.querySelectorAll('th[data-head]')[n % 2 ? 4 : 5]; const before ="
    act += (
        " document.querySelector('tr[data-symbol]').dataset.symbol; head.querySelector('button').click(); return [head, before] }"
    )
    done = "(n, [head, before]) => head.ariaSort !== 'none' && document.querySelector('tr[data-symbol]').dataset.symbol !== before"
    return [watched(page, act, done, run) for run in range(RUNS)]


def opening(page: Page) -> list[float]:
    """The contact sheet's first page of twelve, from the click on its tab."""
    found = []
    for _ in range(RUNS):
        page.get_by_role("tab", name="Hits").click()
        page.locator("tr[data-symbol]").first.wait_for()
        page.wait_for_timeout(300)
        act = "() => [...document.querySelectorAll('[role=tab]')].find(t => t.innerText.startsWith('Sheet')).click()"
        done = "() => { const all = [...document.querySelectorAll('article')];"
        done += " return all.length === 12 && all.every(a => a.querySelector('canvas')) }"
        found.append(watched(page, act, done, None))
    return found


def leafing(page: Page) -> list[float]:
    """The next page of twelve charts. The page after the one on show is fetched ahead, as it is for a person."""
    found = []
    for run in range(RUNS):
        page.wait_for_timeout(500)
        key = "PageDown" if run % 6 < 3 else "PageUp"
        act = f"key => {{ const before = document.querySelector('article').ariaLabel; ({PRESS})(key); return before }}"
        done = "(key, before) => { const all = [...document.querySelectorAll('article')];"
        done += " return all[0]?.ariaLabel !== before && all.every(a => a.querySelector('canvas')) }"
        found.append(watched(page, act, done, key))
    return found


def main() -> None:
    options = argparse.ArgumentParser(description=__doc__)
    options.add_argument("--instruments", type=int, default=0)
    options.add_argument("--length", type=int, default=5_000)
    options.add_argument("--data", help="a folder filled before, kept; else one is filled and thrown away")
    given = options.parse_args()
    with tempfile.TemporaryDirectory() as folder, sync_playwright() as play:
        if not given.data:
            fill(folder, given.instruments, given.length)
        server, address = served(given.data or folder)
        browser = play.chromium.launch(
            executable_path=shutil.which("chromium-headless-shell") or "/usr/bin/chromium",
            args=["--no-sandbox", "--disable-gpu", "--disable-background-networking", "--disable-component-update"],
        )
        try:
            page = browser.new_page(viewport={"width": 1280, "height": 800})
            page.set_default_timeout(120_000)
            page.goto(address)
            page.get_by_label("Name").fill("trader")
            page.get_by_label("Password").fill("candle-and-wick")
            page.keyboard.press("Enter")
            page.get_by_role("button", name="Write a rule").click()
            page.get_by_label("Lines of the rule").click()
            page.keyboard.insert_text("close > sma(50)\nrsi(14) between 40 and 90\nsma(20) > sma(200)\natr(14) > 0.0")
            page.locator("tr[data-symbol]").first.wait_for()
            page.wait_for_timeout(3_000)
            print(f"{page.get_by_role('tab').first.inner_text()}; medians of {RUNS}\n\n| what | s | slowest |\n|---|---|---|")
            rows: list[tuple[str, Callable[[Page], list[float]]]] = [
                ("a key until the new counts stand", typing),
                ("`j` until the next chart stands", flicking),
                ("a click on a far hit until its chart stands", jumping),
                ("a click on a head until the table is sorted", sorting),
            ]
            for name, work in rows:
                taken = work(page)
                print(f"| {name} | {statistics.median(taken):.3f} | {max(taken):.3f} |", flush=True)
                page.keyboard.press("Escape")
            taken = opening(page)
            print(f"| the first page of the contact sheet | {statistics.median(taken):.3f} | {max(taken):.3f} |", flush=True)
            taken = leafing(page)
            print(f"| the next page of the contact sheet | {statistics.median(taken):.3f} | {max(taken):.3f} |")
        finally:
            browser.close()
            server.terminate()


if __name__ == "__main__":
    main()
