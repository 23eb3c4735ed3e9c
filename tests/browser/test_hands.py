"""Windows of any width, lines of any length, and keys in place of the mouse."""

import re

import pytest
from playwright.sync_api import Page, Route, expect

from tests.browser.states import choices_kept, counted
from tests.browser.test_rules import open_rule, write_rule

pytestmark = pytest.mark.browser


@pytest.mark.parametrize(
    ("width", "height"),
    [(960, 700), (640, 400), (400, 700)],
)
def test_one_pane_at_a_time_where_there_is_no_room_for_two(page: Page, width: int, height: int) -> None:
    open_rule(page, "Above the 200-day average")
    page.set_viewport_size({"width": width, "height": height})
    counted(page)
    expect(page.locator("tr[data-symbol]").first).to_be_visible()
    expect(page.locator("canvas").first).to_be_attached()
    assert page.locator("canvas").first.bounding_box()["height"] >= 240  # type: ignore[index]
    assert page.evaluate("document.documentElement.scrollWidth") <= width
    page.get_by_role("button", name="The rule", exact=True).click()
    expect(page.get_by_label("Lines of the rule")).to_be_visible()
    expect(page.locator("tr[data-symbol]").first).to_be_hidden()
    page.get_by_role("button", name=re.compile("^Results")).click()
    expect(page.get_by_label("Lines of the rule")).to_be_hidden()


def test_a_long_line_goes_on_below_and_the_taper_follows(page: Page) -> None:
    write_rule(page, "close > 1 and close > 2 and close > 3 and close > 4 and close > 5 and close > 6 and close > 7\nvolume > 1")
    counted(page)
    taper = page.get_by_label("What each line leaves").get_by_role("listitem")
    expect(taper).to_have_count(2)
    lines = page.locator(".cm-line")
    for n in range(2):
        line, row = lines.nth(n).bounding_box(), taper.nth(n).bounding_box()
        assert line is not None
        assert row is not None
        assert (line["y"], line["height"]) == pytest.approx((row["y"], row["height"]), abs=1.5)
    assert page.locator(".cm-scroller").evaluate("e => e.scrollWidth <= e.clientWidth")


def test_escape_empties_the_filter_and_then_leaves_it(page: Page) -> None:
    open_rule(page, "Above the 200-day average")
    counted(page)
    all_of_them = page.locator("tr[data-symbol]").count()
    page.keyboard.press("/")
    box = page.get_by_label("Filter the hits")
    expect(box).to_be_focused()
    box.fill("no such name at all")
    expect(page.locator("tr[data-symbol]")).to_have_count(0)
    page.keyboard.press("Escape")
    expect(box).to_have_value("")
    expect(page.locator("tr[data-symbol]")).to_have_count(all_of_them)
    page.keyboard.press("Escape")
    expect(box).not_to_be_focused()
    page.keyboard.press("g")  # which works from wherever nothing is typed
    page.keyboard.press("r")
    expect(page.get_by_role("heading", name="Rules", exact=True)).to_be_visible()


def test_the_list_of_rules_by_keys(page: Page) -> None:
    expect(page.locator("li > a").nth(2)).to_be_visible()
    page.keyboard.press("j")
    page.keyboard.press("j")
    expect(page.locator("li > a").nth(2)).to_be_focused()
    page.keyboard.press("k")
    expect(page.locator("li > a").nth(1)).to_be_focused()
    page.keyboard.press("/")
    page.keyboard.type("uptrend stack")
    page.keyboard.press("Enter")
    expect(page.get_by_label("Name of the rule")).to_have_value("Uptrend stack")


def test_a_table_of_bars_is_no_picture(page: Page) -> None:
    open_rule(page, "Above the 200-day average")
    counted(page)
    page.get_by_role("button", name="as table").click()
    expect(page.get_by_role("button", name="PNG")).to_have_count(0)
    page.get_by_role("button", name="as chart").click()
    expect(page.get_by_role("button", name="PNG")).to_be_visible()


def test_a_menu_that_closes_lets_the_click_through(page: Page) -> None:
    open_rule(page, "Above the 200-day average")
    counted(page)
    page.get_by_role("button", name="Copy", exact=True).click()
    expect(page.get_by_role("menu")).to_be_visible()
    page.locator("tr[data-symbol]").nth(2).click()
    expect(page.get_by_role("menu")).to_have_count(0)
    expect(page.locator("tr[data-symbol]").nth(2)).to_have_attribute("aria-selected", "true")


def test_the_panes_keep_their_widths_wherever_one_signs_in(page: Page) -> None:
    open_rule(page, "Above the 200-day average")
    handle = page.get_by_role("separator", name="Width of the rule's pane")
    box = handle.bounding_box()
    assert box is not None
    page.mouse.move(box["x"] + 2, 300)
    page.mouse.down()
    page.mouse.move(box["x"] - 80, 300, steps=4)
    page.mouse.up()
    choices_kept(page)
    page.evaluate("localStorage.clear()")
    held: list[Route] = []  # however late they come
    page.route("**/api/preferences", lambda route: held.append(route))
    with (
        page.expect_response("**/api/lists"),
        page.expect_response("**/api/market"),
        page.expect_response("**/api/catalogue"),
        page.expect_request("**/api/preferences"),
    ):
        page.reload()
    expect(page.get_by_text("Loading the market …")).to_be_visible()
    held[0].continue_()
    page.unroute("**/api/preferences")
    expect(handle).to_have_attribute("aria-valuenow", str(round(box["x"]) - 80 if box["x"] % 1 == 0 else round(box["x"] - 80)))
    page.mouse.move(box["x"] - 78, 300)
    page.mouse.down()
    page.mouse.move(box["x"] + 2, 300, steps=4)
    page.mouse.up()
    choices_kept(page)


def test_the_whole_of_what_a_rule_is_about_can_be_read(page: Page) -> None:
    open_rule(page, "Uptrend stack")
    page.get_by_role("button", name="read on").click()
    expect(page.get_by_text("or nearer the high.")).to_be_in_viewport()
    page.get_by_role("button", name="less").click()
    expect(page.get_by_role("button", name="read on")).to_be_visible()


def test_each_part_of_a_page_and_each_row_are_a_few_keys_away(page: Page) -> None:
    row = page.locator("main li a[href*='/rules/']")
    expect(row.first).to_be_visible()
    page.keyboard.press("F6")
    expect(page.get_by_label("Find a rule")).to_be_focused()
    page.keyboard.press("F6")
    expect(row.nth(0)).to_be_focused()
    page.keyboard.press("ArrowDown")
    expect(row.nth(1)).to_be_focused()
    page.keyboard.press("ArrowDown")
    page.keyboard.press("ArrowUp")
    expect(row.nth(1)).to_be_focused()
    page.keyboard.press("Shift+F6")
    expect(row.nth(0)).to_be_focused()
    page.keyboard.press("Shift+F6")
    expect(page.get_by_label("Find a rule")).to_be_focused()
    page.keyboard.press("F6")
    page.keyboard.press("Enter")
    expect(page.get_by_label("Lines of the rule")).to_be_visible()
    page.get_by_label("Lines of the rule").click()
    before = page.locator(".cm-content").text_content()
    page.keyboard.press("F6")
    expect(page.locator(".cm-content")).not_to_be_focused()
    assert page.locator(".cm-content").text_content() == before
