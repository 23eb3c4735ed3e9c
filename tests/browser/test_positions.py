"""Positions by keys: a plan left to the clock, fills by hand, the rail on the bench and on the desk."""

import re

import pytest
from playwright.sync_api import Locator, Page, expect

from tests.browser.states import counted, undo
from tests.browser.test_desk import settled
from tests.browser.test_evening import serious
from tests.browser.test_rules import open_rule

pytestmark = pytest.mark.browser


def planned(page: Page) -> str:
    """A hit of a rule with its plan kept, in view on the bench."""
    open_rule(page, "Two-day dip")
    counted(page)
    chart = page.get_by_role("region", name=re.compile("^Chart of"))
    expect(chart).to_be_visible()
    symbol = (chart.get_attribute("aria-label") or "").split()[-1]
    page.keyboard.press("s")
    expect(page.get_by_text(re.compile(f"{symbol} is (shortlisted|on the bench already)"))).to_be_visible()
    page.keyboard.press("g")
    page.keyboard.press("n")
    page.get_by_role("list", name="On this stage").get_by_role("button", name=re.compile(symbol)).click()
    page.keyboard.press("m")
    expect(page.get_by_text(f"{symbol} is planned now.")).to_be_visible()
    page.get_by_role("link", name=re.compile("^planned")).click()
    page.get_by_role("list", name="On this stage").get_by_role("button", name=re.compile(symbol)).click()
    plan = page.get_by_role("group", name="The plan", exact=True)
    expect(plan.get_by_label("Shares")).to_have_value(re.compile(r"^\d+$"))
    plan.get_by_role("button", name="Save plan").click()
    expect(plan.get_by_text("saved", exact=True)).to_be_visible()
    return symbol


def fill(page: Page, symbol: str, what: str, shares: str) -> Locator:
    page.keyboard.press("b")
    form = page.get_by_role("form", name=f"A fill of {symbol}")
    expect(form.get_by_label("what")).to_be_focused()
    form.get_by_label("what").select_option(label=what)
    form.get_by_label("shares").fill(shares)
    return form


def test_a_plan_goes_to_the_clock_and_back_and_is_filled_by_hand(page: Page, address: str) -> None:
    symbol = planned(page)
    plan = page.get_by_role("group", name="The plan", exact=True)
    plan.get_by_label("Trailing stop").select_option(label="3 ATR under the best")
    plan.get_by_role("button", name="and another").click()
    expect(plan.get_by_label("Target 2", exact=True)).to_be_visible()
    expect(plan.get_by_text(re.compile(r"\d\.\d and \d\.\d R"))).to_be_visible()
    expect(page.get_by_role("button", name="Trade on paper")).to_be_disabled()  # what is tried is not what is kept
    plan.get_by_role("button", name="Save plan").click()
    expect(plan.get_by_text("saved", exact=True)).to_be_visible()
    position = page.get_by_role("group", name=f"Position of {symbol}")
    position.get_by_role("button", name="Trade on paper").click()
    expect(position.get_by_text(re.compile(r"^Order on paper: buy [\d,]+ at"))).to_be_visible()
    page.goto(f"{address}/desk")
    expect(
        page.get_by_role("table", name="Orders for the next session").get_by_role("row", name=re.compile(symbol))
    ).to_be_visible()
    page.get_by_role("link", name=symbol).first.click()
    expect(page).to_have_url(re.compile(r"/bench/planned/\d+"))
    expect(position.get_by_role("button", name="Stop trading on paper")).to_be_visible()
    page.keyboard.press("b")
    by_hand = page.get_by_role("form", name=f"A fill of {symbol}")
    expect(by_hand.get_by_role("alert")).to_contain_text("is traded on paper: stop that")
    expect(by_hand.get_by_role("button", name="Save fill")).to_be_disabled()
    by_hand.get_by_role("button", name="Cancel").click()
    position.get_by_role("button", name="Stop trading on paper").click()
    expect(page.get_by_text(f"{symbol} is no longer traded on paper.")).to_be_visible()

    form = fill(page, symbol, "bought", "120")
    form.get_by_role("button", name="Save fill").click()
    expect(page.get_by_text(re.compile(f"^{symbol}: bought 120 at"))).to_be_visible()
    expect(page).to_have_url(re.compile("/bench/holding"))  # the address goes where the item went
    expect(position.get_by_text(re.compile("^Holding"))).to_be_visible()
    expect(position.get_by_role("img", name=re.compile("^stop .*entry .*now "))).to_be_visible()
    form = fill(page, symbol, "sold", "500")
    form.get_by_role("button", name="Save fill").click()
    expect(form.get_by_role("alert")).to_have_text("500 shares cannot be left: 120 were held then.")
    form.get_by_label("shares").fill("20")
    form.get_by_role("button", name="Save fill").click()
    expect(page.get_by_role("table", name=f"Fills of {symbol}").get_by_role("row")).to_have_count(2)
    page.get_by_role("table", name=f"Fills of {symbol}").get_by_role("button", name="Delete this fill").last.click()
    expect(page.get_by_role("table", name=f"Fills of {symbol}").get_by_role("row")).to_have_count(1)
    undo(page, "The fill is deleted.")
    expect(page.get_by_role("table", name=f"Fills of {symbol}").get_by_role("row")).to_have_count(2)
    page.keyboard.press("m")
    expect(page.get_by_text("100 of it are held; enter what was sold, and it is closed by that.")).to_be_visible()

    for width in (1280, 1000, 400):
        page.set_viewport_size({"width": width, "height": 800})
        for place in ("/bench/holding", "/desk"):
            page.goto(address + place)
            expect(page.get_by_role("img", name=re.compile("^stop .*entry .*now ")).first).to_be_visible()
            assert serious(page) == [], (width, place)
            assert page.evaluate("document.documentElement.scrollWidth <= window.innerWidth"), (width, place)
    page.set_viewport_size({"width": 1280, "height": 800})
    page.goto(f"{address}/bench/holding")
    settled(page)
    expect(position).to_be_visible()
    form = fill(page, symbol, "sold", "100")
    form.get_by_role("button", name="Save fill").click()
    expect(page).to_have_url(re.compile("/bench/closed"))
    expect(position.get_by_text(re.compile("^Closed at"))).to_be_visible()
    page.keyboard.press("x")
    expect(page.get_by_text(f"{symbol} is off the bench.")).to_be_visible()
