"""A book in the browser: written, run, looked at trade by trade, asked further, and begun from a rule."""

import re

import pytest
from playwright.sync_api import Page, expect

from tests.browser.states import undo
from tests.browser.test_rules import open_rule

pytestmark = pytest.mark.browser
PLACE = "[data-book]"


def stands(page: Page, state: str = "run") -> None:
    """The figures on the page are of the book as it stands (`run`), or it has something to mend."""
    expect(page.locator(PLACE)).to_have_attribute("data-book", state, timeout=90_000)


def open_book(page: Page, name: str) -> None:
    page.get_by_role("link", name="Books", exact=True).click()
    page.get_by_role("link", name=name).click()
    stands(page)


def test_a_book_is_run_and_its_trades_are_looked_at_one_by_one(page: Page) -> None:
    open_book(page, "Squeeze release on a resting order")
    expect(page.get_by_role("heading", name=re.compile("a year against .* for holding the index"))).to_be_visible()
    expect(page.get_by_role("img", name=re.compile("^Equity of the book beside"))).to_be_visible()
    # The day under the crosshair says what was held.
    chart = page.get_by_role("img", name=re.compile("^Equity of the book"))
    # Said last, above the chart.
    expect(page.get_by_role("heading", name=re.compile("luck of the pick"))).to_be_visible(timeout=90_000)
    chart.hover(position={"x": 300, "y": 100})
    chart.hover(position={"x": 303, "y": 100})
    expect(page.locator("[aria-live=off]")).to_contain_text(re.compile(r"\d+\s+positions?, \d+% invested"))
    page.get_by_role("tab", name=re.compile("^Trades")).click()
    page.get_by_role("button", name="Gain").click()
    page.locator("tbody th button").first.click()
    trade = page.get_by_role("region", name=re.compile("^Trade in"))
    expect(trade).to_contain_text("1 of")
    expect(trade).to_contain_text(re.compile(r"Bought\s.* stop at .*(Stopped|Left|Target|Still open)", re.DOTALL))
    expect(trade.get_by_role("img", name=re.compile("^Price chart"))).to_be_visible()
    page.keyboard.press("j")
    expect(trade).to_contain_text("2 of")
    page.keyboard.press("k")
    expect(trade).to_contain_text("1 of")
    page.keyboard.press("Escape")
    expect(trade).to_be_hidden()
    # What came of the signals that were not traded, with their charts.
    page.get_by_role("button", name=re.compile("^order not filled")).click()
    expect(page.get_by_text("Signals: order not filled")).to_be_visible()
    page.locator("tbody th button").first.click()
    expect(
        page.get_by_role("region", name=re.compile("^Signal in")).get_by_role("img", name=re.compile("^Price chart"))
    ).to_be_visible()
    page.keyboard.press("Escape")
    with page.expect_download() as caught:
        page.get_by_role("button", name="back to the trades").click()
        page.get_by_role("link", name="CSV").click()
    assert caught.value.path().read_text().startswith('"number","symbol"')


def test_a_book_is_mended_turned_saved_and_kept(page: Page) -> None:
    page.get_by_role("link", name="Books", exact=True).click()
    page.get_by_role("button", name="Duplicate Short-term dip, tight exit").click()
    page.get_by_role("link", name="Short-term dip, tight exit copy").click()
    stands(page)
    lines = page.get_by_role("textbox", name="Lines of the book")
    lines.click()
    page.keyboard.press("Control+End")
    page.keyboard.insert_text("target: 20%\n")
    stands(page, "errors")
    page.get_by_role("button", name="Write entry * 120%").click()
    stands(page, "not run")
    expect(page.get_by_text("Something changed since this was run.")).to_be_visible()
    page.keyboard.press("Control+Enter")
    stands(page)
    expect(page.get_by_text("2 settings run.")).to_be_visible()
    page.keyboard.press("Control+s")
    expect(page.get_by_text("Saved as version 2.")).to_be_visible()
    page.get_by_role("tab", name="Kept").click()
    expect(page.get_by_role("row").filter(has_text="not saved")).to_have_count(1)
    page.get_by_role("button", name="version 1").click()
    expect(page.get_by_text("A kept run of version 1")).to_be_visible()
    page.get_by_role("button", name="Back to the book as it stands").click()
    stands(page)
    page.reload()
    stands(page)
    page.get_by_role("button", name="More").click()
    page.get_by_role("menuitem", name="Delete").click()
    expect(page.get_by_text("is deleted.")).to_be_visible()
    undo(page, "“Short-term dip, tight exit copy” is deleted.")
    stands(page)
    page.get_by_role("button", name="More").click()
    page.get_by_role("menuitem", name="Delete").click()
    expect(page.get_by_role("heading", name="Books")).to_be_visible()


def test_luck_sweep_walk_and_orders_are_asked_of_a_run(page: Page) -> None:
    open_book(page, "Wide-band breakout, held long")
    page.get_by_role("tab", name="Luck").click()
    expect(page.get_by_role("heading", name=re.compile("A random pick among the signals makes"))).to_be_visible(timeout=90_000)
    expect(page.get_by_role("row").filter(has_text="twice the costs")).to_contain_text("%", timeout=90_000)
    page.get_by_role("tab", name="Sweep").click()
    page.get_by_role("button", name="Run sweep", exact=True).click()
    expect(page.get_by_role("heading", name=re.compile("9 settings tried"))).to_be_visible(timeout=90_000)
    page.get_by_role("tab", name="Walk forward").click()
    page.get_by_role("button", name="Run walk-forward", exact=True).click()
    expect(page.get_by_role("heading", name=re.compile("Walking forward made"))).to_be_visible(timeout=90_000)
    page.get_by_role("tab", name="Open and orders").click()
    expect(page.get_by_role("heading", name=re.compile("for the session after 28 Jun 2024"))).to_be_visible(timeout=60_000)
    expect(page.get_by_text("what they made is not told")).to_be_visible()


def test_a_rule_is_run_as_a_book_in_one_click(page: Page) -> None:
    open_rule(page, "Flat base near the high")
    page.get_by_role("tab", name="Book", exact=True).click()
    page.get_by_role("button", name="Run as a book").click()
    stands(page)
    expect(page.get_by_role("textbox", name="Name of the book")).to_have_value("Flat base near the high as a book")
    page.get_by_role("button", name="More").click()
    page.get_by_role("menuitem", name="Delete").click()
    expect(page.get_by_role("heading", name="Books")).to_be_visible()
