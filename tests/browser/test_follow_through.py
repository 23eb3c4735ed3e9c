"""A study taken apart: the path, hits through time, what each line is worth, breakdowns, names."""

import json
import re

import pytest
from playwright.sync_api import Page, expect

from tests.browser.test_rules import open_rule

pytestmark = pytest.mark.browser


def test_a_study_is_taken_apart_and_saved(page: Page) -> None:
    open_rule(page, "Sixty-day high with range expansion")
    page.keyboard.press("Control+Enter")
    parts = page.get_by_role("region", name="Taken apart")
    expect(parts.get_by_role("img", name=re.compile("^The path of the hits from -20 to 60"))).to_be_visible(timeout=60_000)
    expect(parts.get_by_role("row", name=re.compile("rel_volume"))).to_contain_text("%")
    for title, least in (
        ("By year", 10),
        ("By month", 12),
        ("By weekday of the entry", 5),
        ("By sector", 8),
        ("By hits that day", 3),
    ):
        assert parts.get_by_role("table", name=title).get_by_role("row").count() > least
    names = parts.get_by_role("table").last
    expect(names.get_by_role("row").nth(1)).to_contain_text("All")
    parts.get_by_role("button", name="Times").click()
    expect(names.get_by_role("row").nth(2).get_by_role("cell").first).to_have_text("1")
    with page.expect_download() as caught:
        parts.get_by_role("button", name="Save all as JSON").click()
    saved = json.loads(caught.value.path().read_text())
    assert saved["horizon"] == 5
    assert len(saved["path"]) == 81
    # Another horizon is taken apart anew.
    page.get_by_role("button", name="20 bars", exact=True).click()
    expect(parts.get_by_role("heading", name="What each line is worth at 20 bars")).to_be_visible(timeout=60_000)
    # An event's chart stands on its day.
    symbol = page.locator("button[title='Its chart on that day']").first
    said = symbol.inner_text()
    symbol.click()
    expect(page.get_by_role("region", name=f"Chart of {said}")).to_be_visible()
    page.get_by_role("tab", name="Follow-through").click()
    expect(parts.get_by_role("img", name=re.compile("^The path of the hits"))).to_be_visible(timeout=60_000)
    # A click on the strip lists that day's hits.
    strip = parts.get_by_role("img", name=re.compile("^Hits a day through time"))
    strip.scroll_into_view_if_needed()
    box = strip.bounding_box()
    assert box
    page.mouse.move(box["x"] + box["width"] / 2, box["y"] + 30)
    page.mouse.move(box["x"] + box["width"] / 2 + 1, box["y"] + 30)
    expect(strip).to_have_attribute("title", re.compile("Click lists them"))
    page.mouse.click(box["x"] + box["width"] / 2 + 1, box["y"] + 30)
    expect(page.get_by_role("status").filter(has_text="You stand on")).to_be_visible()
    expect(page.locator("tr[data-symbol]").first).to_be_visible()
    page.get_by_role("button", name="Back to the latest").click()
