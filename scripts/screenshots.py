"""The pictures of docs/screenshots anew, of the demo market that is served: `scripts/screenshots.py http://127.0.0.1:8000 [name ...]`.

Those of the desk, the bench and the outbox show what a person has put there: `scene` puts it there, so they are taken of a demo that is
thrown away.
"""

import re
import shutil
import sys
from collections.abc import Callable
from pathlib import Path
from typing import Any

from playwright.sync_api import Page, sync_playwright

FOLDER = Path(__file__).resolve().parent.parent / "docs" / "screenshots"
ACCOUNT = ("trader", "candle-and-wick")
LONG = 120_000
BREAKOUT, STACK = "Sixty-day high with range expansion", "Uptrend stack"


def opened(page: Page, name: str) -> None:
    page.goto("/rules")
    page.get_by_role("link", name=re.compile(f"^{re.escape(name)}")).first.click()
    page.locator("[data-counts=counted]").wait_for()


def rule(page: Page, name: str) -> None:
    opened(page, name)
    page.get_by_role("img", name=re.compile("^Price chart")).wait_for()


def rules(page: Page) -> None:
    page.goto("/rules")
    page.get_by_role("link", name=re.compile(f"^{STACK}")).first.wait_for()


def dark(page: Page) -> None:
    rule(page, BREAKOUT)
    page.get_by_role("button", name="Dark theme").click()


def chart(page: Page) -> None:
    rule(page, STACK)
    page.get_by_role("button", name="full", exact=True).click()


def patterns(page: Page) -> None:
    rule(page, "Double bottom before its break")
    page.get_by_role("button", name="full", exact=True).click()
    for _ in range(7):  # the last of its hits: a double bottom after a long fall
        page.keyboard.press("j")
    page.get_by_role("button", name="patterns", exact=True).click()
    page.get_by_role("heading", name=re.compile("^Patterns as of")).wait_for(timeout=LONG)


def sheet(page: Page) -> None:
    rule(page, STACK)
    page.get_by_role("tab", name="Sheet").click()
    page.wait_for_load_state("networkidle")


def measured(page: Page, name: str) -> None:
    rule(page, name)
    page.keyboard.press("Control+Enter")
    page.get_by_role("heading", name="Hits through time").wait_for(timeout=LONG)


def follow_through(page: Page) -> None:
    measured(page, STACK)


def taken_apart(page: Page) -> None:
    measured(page, STACK)
    page.get_by_role("table", name="By year").wait_for(timeout=LONG)
    page.get_by_role("table", name="By year").evaluate("e => e.scrollIntoView()")


def sweep(page: Page) -> None:
    measured(page, BREAKOUT)
    page.get_by_role("group", name="What to look at").get_by_role("button", name="sweep").click()
    page.get_by_label("by", exact=True).fill("30")
    page.get_by_role("button", name="Run sweep", exact=True).click()
    page.get_by_role("heading", name=re.compile("settings tried at 5 bars")).wait_for(timeout=LONG)


def book(page: Page) -> None:
    page.goto("/books")
    page.get_by_role("link", name=re.compile("^Squeeze release on a resting order")).first.click()
    page.get_by_role("heading", name=re.compile("luck of the pick")).wait_for(timeout=LONG)


def book_trade(page: Page) -> None:
    book(page)
    page.get_by_role("tab", name=re.compile("^Trades")).click()
    page.get_by_role("button", name="Gain").click()
    page.locator("tbody th button").first.click()
    page.get_by_role("region", name=re.compile("^Trade in")).get_by_role("img", name=re.compile("^Price chart")).wait_for()


def data(page: Page) -> None:
    page.goto("/data")
    page.wait_for_load_state("networkidle")


def reference(page: Page) -> None:
    page.goto("/reference")
    page.wait_for_load_state("networkidle")


def within(page: Page) -> None:
    opened(page, "Opening range broken")
    page.get_by_label("The minute of the session to stand on").select_option("10:35")
    page.get_by_role("status").filter(has_text="You stand on").wait_for()
    page.get_by_role("button", name="5min", exact=True).click()
    page.get_by_role("button", name="2d", exact=True).click()
    page.get_by_role("img", name=re.compile("^Price chart")).wait_for()
    page.locator("[data-counts=counted]").wait_for()


ASK = """async ([method, path, body]) => {
  const token = document.cookie.split('; ').find(part => part.startsWith('csrftoken=')).slice(10);
  const headers = {'Content-Type': 'application/json', 'X-CSRFToken': token};
  const answer = await fetch('/api' + path, {method, headers, body: body ? JSON.stringify(body) : undefined});
  const text = await answer.text();
  if (!answer.ok) throw new Error(method + ' ' + path + ': ' + text);
  return text ? JSON.parse(text) : null;
}"""


def ask(page: Page, method: str, path: str, body: Any = None) -> Any:
    return page.evaluate(ASK, [method, path, body])


def scene(page: Page) -> None:
    """An evening that somebody has lived through: rules watched, two positions held, a plan traded on paper, alerts; and the next close."""
    names = (
        "Sixty-day high with range expansion",
        "Tight squeeze near the high",
        "Pullback in an uptrend",
        "Two-day dip",
        "Inside bar in a trend",
    )
    for one in ask(page, "GET", "/rules"):
        if one["name"] in names:
            ask(page, "PUT", f"/watched/{one['id']}", {"on": True})
    if ask(page, "GET", "/bench"):
        return
    rule(page, STACK)
    for _ in range(5):
        page.keyboard.press("s")
        page.get_by_role("status").filter(has_text="shortlisted").wait_for()
        page.keyboard.press("j")
        page.get_by_role("status").filter(has_text="shortlisted").wait_for(state="hidden")
    market = ask(page, "GET", "/market")
    items = ask(page, "GET", "/bench")
    for n, item in enumerate(items[:3]):
        near = ask(page, "POST", f"/bench/{item['id']}/plan", {})
        close = near["proposal"]["close"]
        stop = round(close * (0.997 if n == 0 else 0.93), 2)
        plan = {**near["plan"], "stop": stop, "targets": [{"price": round(close * 1.12, 2), "part": 1}]}
        if n < 2:
            fill = {
                "action": "buy",
                "shares": 120 - 40 * n,
                "price": round(close * 0.97, 2),
                "cost": 4,
                "day": market["sessions"][-9],
            }
            ask(page, "POST", f"/bench/{item['id']}/fills", fill)
        ask(page, "PUT", f"/bench/{item['id']}/plan", {"plan": plan})
        if n == 2:
            ask(page, "PUT", f"/bench/{item['id']}/clock", {})
        level = round(close * 1.002, 2)
        ask(page, "POST", "/alerts", {"kind": "price", "symbol": item["symbol"], "level": level, "way": "up"})
    ask(page, "POST", "/data/feed", {"way": "close"})
    page.goto("/desk")
    page.get_by_role("region", name="Needs attention").wait_for(timeout=LONG)


def desk(page: Page) -> None:
    scene(page)
    page.goto("/desk")
    page.locator("[data-state=counted]").wait_for(timeout=LONG)


def bench(page: Page) -> None:
    scene(page)
    page.goto("/bench/holding")
    page.get_by_role("slider", name="The plan’s stop").wait_for(timeout=LONG)


def outbox(page: Page) -> None:
    scene(page)
    page.goto("/outbox")
    page.get_by_role("link", name=re.compile("stop of")).first.click()
    page.wait_for_load_state("networkidle")


def breadth(page: Page) -> None:
    page.goto("/breadth")
    page.locator("[data-state=counted]").wait_for(timeout=LONG)


def precedents(page: Page) -> None:
    page.goto("/precedents")
    for n in (1, 4):
        page.get_by_role("checkbox").nth(n).check()
    page.locator("[data-state=counted]").wait_for(timeout=LONG)


BACK = {"rule-dark": "Light theme", "within": "day"}
VIEWS: dict[str, Callable[[Page], None]] = {
    "rules": rules, "rule": lambda page: rule(page, BREAKOUT), "rule-dark": dark, "chart": chart, "patterns": patterns, "sheet": sheet,
    "follow-through": follow_through, "taken-apart": taken_apart, "sweep": sweep, "book": book, "book-trade": book_trade, "data": data,
    "reference": reference, "within": within, "breadth": breadth, "precedents": precedents, "desk": desk, "bench": bench, "outbox": outbox,
}  # fmt: skip


def main(address: str, *names: str) -> None:
    with sync_playwright() as play:
        chromium = shutil.which("chromium-headless-shell") or "/usr/bin/chromium"
        browser = play.chromium.launch(executable_path=chromium, args=["--no-sandbox", "--disable-gpu"])
        for name in names or VIEWS:
            page = browser.new_context(viewport={"width": 1280, "height": 800}, base_url=address).new_page()
            page.goto("/")
            page.get_by_label("Name").fill(ACCOUNT[0])
            page.get_by_label("Password").fill(ACCOUNT[1])
            page.keyboard.press("Enter")
            page.get_by_role("navigation", name="Places").wait_for()
            VIEWS[name](page)
            page.wait_for_timeout(1_500)  # until nothing moves any more
            page.screenshot(path=FOLDER / f"{name}.png")
            # What was chosen for a picture is the account's from then on.
            if name in BACK:
                page.get_by_role("button", name=BACK[name], exact=True).click()
                page.wait_for_timeout(1_000)
            page.context.close()
            print(name, flush=True)
        browser.close()


if __name__ == "__main__":
    main(*sys.argv[1:])
