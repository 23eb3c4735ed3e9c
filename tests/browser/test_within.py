"""Inside a session, and the place Data: a minute is stood on, charts have bars within the day, a file is looked at before it is taken."""

import re

import pytest
from playwright.sync_api import Page, expect

from tests.browser.states import choices_kept, counted
from tests.browser.test_rules import open_rule

pytestmark = pytest.mark.browser


def test_a_minute_of_the_session_is_stood_on(page: Page) -> None:
    open_rule(page, "Opening range broken")
    counted(page)
    minute = page.get_by_label("The minute of the session to stand on")
    minute.select_option("10:35")
    banner = page.get_by_role("status").filter(has_text="You stand on")
    expect(banner.locator("b")).to_have_text("Fri 28 Jun 2024, 10:35")
    expect(page).to_have_url(re.compile(r"at=2024-06-28T10%3A35|at=2024-06-28T10:35"))
    counted(page)
    page.keyboard.press("=")
    expect(minute).to_have_value("10:40")
    page.keyboard.press("-")
    page.keyboard.press("-")
    expect(minute).to_have_value("10:30")
    page.reload()
    expect(banner.locator("b")).to_have_text("Fri 28 Jun 2024, 10:30")
    page.keyboard.press("[")  # a session back is its close
    expect(banner.locator("b")).to_have_text("Thu 27 Jun 2024")
    page.get_by_role("button", name="Back to the latest").click()
    expect(minute).to_have_value("")
    counted(page)


def test_a_chart_has_bars_within_the_day(page: Page) -> None:
    open_rule(page, "Uptrend stack")
    counted(page)
    frames = page.get_by_role("group", name="Frame of the chart")
    frames.get_by_role("button", name="15min", exact=True).click()
    spans = page.get_by_role("group", name="How much of the past")
    expect(spans.get_by_role("button", name="2d", exact=True)).to_have_attribute("aria-pressed", "true")
    spans.get_by_role("button", name="all", exact=True).click()
    image = page.get_by_role("img", name=re.compile("^Price chart"))
    expect(image).to_have_attribute("aria-label", re.compile(r", 1560 bars to 2024-06-28T15:45"))
    page.get_by_role("button", name="as table").click()
    expect(page.get_by_role("rowheader").first).to_have_text("2024-06-28 15:45")
    page.get_by_role("button", name="as chart").click()
    spans.get_by_role("button", name="2d", exact=True).click()
    frames.get_by_role("button", name="day", exact=True).click()
    expect(spans.get_by_role("button", name="6m", exact=True)).to_be_visible()
    choices_kept(page)


def test_a_file_is_looked_at_before_it_is_taken(page: Page) -> None:
    page.keyboard.press("g")
    page.keyboard.press("d")
    expect(page.get_by_role("heading", name="Data", exact=True)).to_be_visible()
    there = page.get_by_role("region", name="Findings")
    expect(there).to_contain_text(re.compile("Nothing looks wrong|being looked through"))
    rows = "symbol;date;open;high;low;close;volume\nISTYAR;03/07/2024;55,1;56,2;54,9;56,0;1000\nISTYAR;04/07/2024;56,0;55,0;54,0;54,5;900\n"
    page.get_by_label("Files to bring in").set_input_files({"name": "mine.csv", "mimeType": "text/csv", "buffer": rows.encode()})
    bring = page.get_by_role("region", name="Import data")
    expect(bring).to_contain_text("Which day is 03/07/2024?")
    take = bring.get_by_role("button", name=re.compile(r"^Import( \d+ rows?)?$"))
    expect(take).to_be_disabled()
    bring.get_by_label(re.compile("3 July 2024")).check()
    expect(bring).to_contain_text("1 row cannot be taken")
    expect(take).to_be_disabled()
    bring.get_by_label("leave them out, and take the rest").check()
    expect(take).to_be_enabled()
    bring.get_by_role("button", name="Cancel import").click()
    expect(bring).not_to_contain_text("mine.csv")
