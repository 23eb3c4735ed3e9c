"""The workspace around a rule: words, the other side, reading aloud, skipping, the contact sheet, versions, the reference."""

import re

import pytest
from playwright.sync_api import Page, expect

from tests.browser.states import undo
from tests.browser.test_rules import open_rule, write_rule

pytestmark = pytest.mark.browser


def test_a_phrase_becomes_a_line(page: Page) -> None:
    write_rule(page, "close > 10\n")
    box = page.get_by_label("Say a condition in words")
    box.fill("RSI over 80 on the weekly")
    expect(page.get_by_role("status").filter(has_text="on(week, rsi(14) > 80)")).to_be_visible()
    box.press("Enter")
    expect(page.get_by_label("Lines of the rule")).to_contain_text("on(week, rsi(14) > 80)")
    box.fill("price above its glorious average")
    expect(page.get_by_text("Not understood:")).to_contain_text("glorious")


def test_the_other_side_is_a_rule_of_its_own(page: Page) -> None:
    open_rule(page, "Near the year's high")
    page.get_by_role("button", name="Mirror").click()
    expect(page.get_by_label("Name of the rule")).to_have_value("Near the year's high, other side")
    expect(page.get_by_label("Side")).to_have_value("short")
    expect(page.get_by_label("Lines of the rule")).to_contain_text("off_high(52w) < -33.3333333%")


def test_the_rule_is_read_aloud(page: Page) -> None:
    open_rule(page, "Uptrend stack")
    page.get_by_role("button", name="Read aloud").click()
    expect(page.get_by_label("The rule read aloud")).to_contain_text("The close is above the 50-bar average.")


def test_a_click_on_its_bar_skips_a_line(page: Page) -> None:
    open_rule(page, "Leaders of the month")
    hits = page.get_by_role("tab", name=re.compile("Hits"))
    expect(hits).to_have_text(re.compile(r"\d"))
    before = int(re.sub(r"\D", "", hits.inner_text()))
    page.get_by_label("What each line leaves").get_by_role("button", name=re.compile(r"^change\(21\)")).click()
    expect(page.get_by_label("Lines of the rule")).to_contain_text("skip change(21) > 15%")
    page.wait_for_function("n => Number(document.querySelector('[role=tab]').innerText.replace(/\\D/g, '')) > n", arg=before)
    page.get_by_label("What each line leaves").get_by_role("button", name=re.compile(r"^change\(21\)")).click()
    expect(page.get_by_label("Lines of the rule")).not_to_contain_text("skip change(21)")


def test_the_contact_sheet_by_keyboard(page: Page) -> None:
    open_rule(page, "Uptrend stack")
    page.get_by_role("tab", name="Sheet").click()
    cells = page.locator("article")
    expect(cells).to_have_count(12)
    expect(cells.first.get_by_role("img")).to_be_visible()
    page.get_by_role("group", name="Charts a page").get_by_role("button", name="6", exact=True).click()
    expect(cells).to_have_count(6)
    page.locator("article").first.click()
    page.keyboard.press("j")
    second = page.locator("article[aria-current=true]")
    symbol = str(second.get_attribute("aria-label")).split(",")[0]
    page.keyboard.press("x")
    expect(second).to_have_attribute("aria-label", re.compile("dismissed"))
    page.reload()
    expect(page.locator("article").nth(1)).to_have_attribute("aria-label", re.compile("dismissed"))
    page.locator("article").nth(1).click()
    page.keyboard.press("x")
    expect(page.locator("article").nth(1)).not_to_have_attribute("aria-label", re.compile("dismissed"))
    page.keyboard.press("PageDown")
    expect(page.get_by_text(re.compile(r"^2 of \d+$"))).to_be_visible()
    page.keyboard.press("PageUp")
    page.keyboard.press("j")
    page.keyboard.press("Enter")
    expect(page.get_by_role("region", name=f"Chart of {symbol}")).to_be_visible()


def test_versions_differ_and_come_back(page: Page) -> None:
    write_rule(page, "close > 10\nclose > sma(50)\n")
    page.keyboard.press("Control+s")
    expect(page.get_by_text(re.compile("Saved as version"))).to_be_visible()
    page.keyboard.press("Control+End")
    page.keyboard.insert_text("rsi(14) < 40\n")
    page.keyboard.press("Control+s")
    page.get_by_role("tab", name="Versions").click()
    items = page.locator("ol > li").filter(has=page.get_by_role("heading", name=re.compile("Version")))
    expect(items.first).to_contain_text("+ rsi(14) < 40")
    items.first.get_by_role("button", name="Hits gained and lost").click()
    expect(items.first).to_contain_text("0 gained")
    items.nth(1).get_by_role("button", name="Restore").click()
    expect(page.get_by_label("Lines of the rule")).not_to_contain_text("rsi(14)")
    undo(page, "Version 2 of")
    expect(page.get_by_label("Lines of the rule")).to_contain_text("rsi(14)")


def test_the_reference_is_searched_and_opened_from_a_name(page: Page) -> None:
    page.get_by_role("link", name="Reference").click()
    page.get_by_label("Search the reference").fill("squeeze")
    expect(page.get_by_text("a squeeze at least five bars old")).to_be_visible()
    expect(page.locator("dt").first).to_contain_text("squeeze")
    page.get_by_label("Search the reference").fill("no such thing anywhere")
    expect(page.get_by_text("Nothing speaks of")).to_be_visible()
    page.get_by_role("link", name="Rules").click()
    open_rule(page, "Uptrend stack")
    page.get_by_label("Lines of the rule").click()
    page.keyboard.press("Control+Home")
    page.keyboard.press("F1")
    expect(page.get_by_label("Search the reference")).to_have_value("kind")


def test_the_layout_is_made_canonical(page: Page) -> None:
    write_rule(page, "close>10\nclose>sma( 50 )# above\n")
    page.get_by_role("button", name="More").click()
    page.get_by_role("menuitem", name="Format").click()
    expect(page.get_by_label("Lines of the rule")).to_contain_text("close > sma(50)  # above")


def test_measuring_works_from_a_tab_that_has_the_focus(page: Page) -> None:
    write_rule(page, "close > sma(50)\n")
    page.get_by_role("tab", name="Sheet").click()
    page.keyboard.press("Control+Enter")
    expect(page.get_by_role("tab", name="Follow-through")).to_have_attribute("aria-selected", "true")
    expect(page.get_by_text("Excess at 5 bars")).to_be_visible(timeout=60_000)
