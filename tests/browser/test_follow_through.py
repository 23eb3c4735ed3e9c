"""A study taken apart: the path, hits through time, what each line is worth, breakdowns, names."""

import json
import re

import pytest
from playwright.sync_api import Page, expect

from tests.browser.test_rules import open_rule, write_rule

pytestmark = pytest.mark.browser


def test_a_study_is_taken_apart_and_saved(page: Page) -> None:
    open_rule(page, "Sixty-day high with range expansion")
    page.keyboard.press("Control+Enter")
    parts = page.get_by_role("region", name="Taken apart")
    expect(page.get_by_role("img", name=re.compile("^The path of the hits from -20 to 60"))).to_be_visible(timeout=60_000)
    expect(parts.get_by_role("row", name=re.compile("rel_volume"))).to_contain_text("%")
    for title, least in (
        ("By year", 10),
        ("By month", 12),
        ("By weekday of the entry", 5),
        ("By sector", 8),
        ("By hits that day", 3),
    ):
        assert parts.get_by_role("table", name=title).get_by_role("row").count() > least
    names = parts.get_by_role("table").filter(has_text="Symbol")
    expect(names.get_by_role("row").nth(1)).to_contain_text("All")
    parts.get_by_role("button", name="Times").click()
    expect(names.get_by_role("row").nth(2).get_by_role("cell").first).to_have_text("1")
    with page.expect_download() as caught:
        parts.get_by_role("button", name="Export all as JSON").click()
    saved = json.loads(caught.value.path().read_text())
    assert saved["horizon"] == 5
    assert len(saved["path"]) == 81
    # Another horizon is taken apart anew.
    page.get_by_role("button", name="20 bars", exact=True).click()
    expect(parts.get_by_role("heading", name="What each line is worth at 20 bars")).to_be_visible(timeout=60_000)
    # A hit's chart tells how it was traded, and the next one's.
    symbol = page.locator("button[title^='Its chart with']").nth(150)
    said = symbol.inner_text()
    symbol.click()
    trade = page.get_by_role("region", name=f"Trade in {said}")
    expect(trade).to_contain_text(re.compile("In on .* out on .* after costs, baseline"))
    expect(trade.get_by_role("img", name=re.compile("^Price chart"))).to_be_visible()
    page.keyboard.press("j")
    expect(page.get_by_text("152 of")).to_be_visible()
    page.keyboard.press("Escape")
    expect(trade).to_be_hidden()
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


def test_settings_are_turned_compared_kept_and_counted(page: Page) -> None:
    open_rule(page, "Sixty-day high with range expansion")
    page.keyboard.press("Control+Enter")
    page.get_by_role("heading", name="Hits through time").wait_for(timeout=60_000)
    look = page.get_by_role("group", name="What to look at")
    # The dial over its range: a verdict, a cell that sets the dial.
    look.get_by_role("button", name="sweep").click()
    page.get_by_label("by", exact=True).fill("50")
    page.get_by_role("button", name="Run sweep", exact=True).click()
    expect(page.get_by_role("heading", name=re.compile("^5 settings tried at 5 bars"))).to_be_visible(timeout=60_000)
    page.get_by_role("button", name="120", exact=True).click()
    expect(page.get_by_label("Lines of the rule")).to_contain_text("dial reach = 120")
    # The changed rule beside the saved version.
    look.get_by_role("button", name="compare").click()
    page.get_by_role("button", name="Compare", exact=True).click()
    expect(page.get_by_role("heading", name=re.compile("at 5 bars"))).to_be_visible(timeout=60_000)
    expect(page.get_by_role("heading", name=re.compile("^Only the first has [1-9]"))).to_be_visible()
    # All of it is kept, and each setting was a try.
    look.get_by_role("button", name="kept").click()
    table = page.get_by_role("table", name="Kept studies")
    expect(table).to_contain_text("version 1")
    expect(table.get_by_role("button", name="sweep")).to_be_visible()
    look.get_by_role("button", name="figures").click()
    page.get_by_label("Measure follow-through").click()
    expect(page.get_by_text(re.compile("settings of this rule were measured"))).to_be_visible(timeout=60_000)
    # A study survives a reload: it is there at once.
    page.reload()
    expect(page.get_by_role("heading", name=re.compile("bars"), level=2).first).to_be_visible(timeout=60_000)
    with page.expect_download() as caught:
        page.get_by_role("link", name="Report").click()
    assert "<svg" in caught.value.path().read_text()
    page.get_by_role("button", name="More", exact=True).click()
    page.get_by_role("menuitem", name="Back to the saved text").click()


def test_the_seal_is_broken_once_and_knowingly(page: Page) -> None:
    write_rule(page, "universe: Harbour 500\nclose crosses above sma(20)\n")
    page.keyboard.press("Escape")
    page.keyboard.press("Control+s")
    page.get_by_role("tab", name="Follow-through").click()
    expect(page.get_by_text("the last quarter of history stays unseen")).to_be_visible()
    page.get_by_role("button", name="Break the seal …").click()
    dialog = page.get_by_role("alertdialog")
    expect(dialog).to_contain_text("They can do so once")
    dialog.get_by_role("button", name="Keep the seal").click()
    expect(page.get_by_text("the last quarter of history stays unseen")).to_be_visible()
    page.get_by_role("button", name="Break the seal …").click()
    dialog.get_by_role("button", name="Break the seal").click()
    expect(page.get_by_text(re.compile("Seal broken on .* at version"))).to_be_visible()
    halves = page.get_by_role("table", name=re.compile("^Before the seal and after it"))
    expect(halves.get_by_role("row")).to_have_count(3, timeout=60_000)
