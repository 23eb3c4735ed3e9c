"""A night by itself, on a server of its own: a file in the drop folder that has to be asked about, and what its bars do to a position."""

import re
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
from playwright.sync_api import Browser, BrowserContext, Page, expect

from tests.browser.conftest import ACCOUNT, serve
from tests.browser.states import choices_kept
from tests.browser.test_positions import fill, planned

pytestmark = pytest.mark.browser

# The browser's notifications, with what they would show handed to the test; allowed for all pages once a page was allowed to.
NOTIFICATIONS = """
window.Notification = class {
  static get permission() { return localStorage.getItem('stub-permission') ?? 'default' }
  static async requestPermission() { localStorage.setItem('stub-permission', 'granted'); return 'granted' }
  constructor(title) { window.shown(title) }
  close() {}
}
"""
HEAD = "Ticker,Trade Date,Open,High,Low,Last,Vol\n"


@pytest.fixture
def own(tmp_path: Path) -> Iterator[tuple[str, Path]]:
    """The address of a server that no other test uses, and its drop folder."""
    data = tmp_path / "data"
    data.mkdir()
    server, address = serve(data)
    yield address, data / "incoming"
    server.terminate()
    server.wait(20)


@pytest.fixture
def two_tabs(browser: Browser, own: tuple[str, Path]) -> Iterator[tuple[BrowserContext, list[str]]]:
    """A browser without a session, and the titles of the notifications that it showed."""
    shown: list[str] = []
    context = browser.new_context(viewport={"width": 1280, "height": 800})
    context.set_default_timeout(60_000)
    context.expose_binding("shown", lambda _, title: shown.append(title))
    context.add_init_script(NOTIFICATIONS)
    yield context, shown
    context.close()


def lay(folder: Path, name: str, rows: str) -> None:
    part = folder / f".{name}"
    part.write_text(HEAD + rows)
    part.rename(folder / name)


def signed_in(page: Page, address: str) -> Page:
    page.goto(address)
    page.get_by_label("Name").fill("trader")  # on this server there is no other account
    page.get_by_label("Password").fill(ACCOUNT[1])
    page.keyboard.press("Enter")
    page.get_by_role("navigation", name="Places").wait_for()
    return page


def test_a_file_that_asks_is_answered_and_the_stop_it_breaks_is_told_once(
    browser: Browser, own: tuple[str, Path], two_tabs: Any
) -> None:
    (address, folder), (context, shown) = own, two_tabs
    page = signed_in(context.new_page(), address)
    page.goto(f"{address}/rules")
    symbol = planned(page)
    form = fill(page, symbol, "bought", "100")
    form.get_by_role("button", name="Save fill").click()
    expect(page.get_by_text(re.compile(f"^{symbol}: bought 100 at"))).to_be_visible()
    page.goto(f"{address}/account")
    assert shown == []
    page.get_by_label(re.compile("notifications of this browser")).check()
    choices_kept(page)
    other = context.new_page()
    other.goto(f"{address}/outbox")
    expect(other.get_by_role("heading", level=1)).to_be_visible()

    # 1 July, or 7 January: nothing is taken before somebody says which.
    page.goto(f"{address}/data")
    expect(page.get_by_role("region", name="The drop folder").get_by_text(str(folder))).to_be_visible()
    lay(folder, "night-20240701.csv", f"{symbol},01/07/2024,0.5,0.6,0.4,0.5,1000\n")
    page.goto(f"{address}/desk")
    attention = page.get_by_role("region", name="Needs attention")
    expect(attention.get_by_role("listitem").first).to_contain_text("night-20240701.csv")
    attention.get_by_role("link", name="Answer", exact=True).click()
    page.get_by_role("button", name="Answer", exact=True).click()
    page.get_by_label("day first: 1 July 2024").check()
    expect(page.get_by_role("checkbox", name="remember how these files are read")).to_be_checked()
    page.get_by_role("button", name="Import 1 row").click()
    expect(page.get_by_role("region", name="Needs attention").get_by_text("night-20240701.csv")).to_have_count(0)
    page.get_by_role("link", name="Desk").click()
    first = attention.get_by_role("listitem").first
    expect(first).to_contain_text(re.compile(f"{symbol}.*stop"))
    other.bring_to_front()
    expect(other.get_by_role("link", name=re.compile(f"^{symbol}.*stop")).first).to_be_visible()
    told = [title for title in shown if symbol in title]
    assert len(told) == 1, shown

    # Dealt with, it no longer stands first; it can be had back.
    page.bring_to_front()
    first.get_by_role("button", name=re.compile(f"^Dismiss: {symbol}")).click()
    expect(attention.get_by_text(re.compile(f"{symbol}.*stop"))).to_have_count(0)

    # The night after is read by itself as the one before; a browser that has signed out is told nothing more.
    before = list(shown)
    page.get_by_role("button", name=re.compile("Sign out")).click()
    page.get_by_label("Password").wait_for()
    lay(folder, "night-20240702.csv", f"{symbol},02/07/2024,0.5,0.6,0.4,0.45,1000\n")
    elsewhere = browser.new_context()
    watching = signed_in(elsewhere.new_page(), address)
    watching.goto(f"{address}/data")
    expect(watching.get_by_role("region", name="Imports").get_by_text("night-20240702.csv").first).to_be_visible()
    (folder / "broken.zip").write_bytes(b"PK\x03\x04" + bytes(200))
    expect(watching.get_by_role("region", name="Needs attention").get_by_text("broken.zip")).to_be_visible()
    watching.goto(f"{address}/outbox")
    expect(watching.get_by_role("link", name=re.compile("broken.zip")).first).to_be_visible()
    elsewhere.close()
    assert shown == before
