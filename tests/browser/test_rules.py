"""An evening in the place Rules, driven as a person would."""

import re

import pytest
from playwright.sync_api import Page, expect

from tests.browser.conftest import ACCOUNT, sign_in
from tests.browser.states import undo

pytestmark = pytest.mark.browser


def write_rule(page: Page, text: str) -> None:
    page.get_by_role("button", name="Write a rule").click()
    editor = page.get_by_label("Lines of the rule")
    editor.click()
    page.keyboard.insert_text(text)


def open_rule(page: Page, name: str) -> None:
    page.get_by_role("link", name=re.compile(f"^{name}")).click()
    expect(page.get_by_label("What each line leaves")).to_be_visible()


def test_a_wrong_password_is_said(page: Page, address: str) -> None:
    page.context.clear_cookies()  # a session of its own: signing out ends it for all that share it
    page.reload()
    sign_in(page)
    page.get_by_role("button", name=re.compile("Sign out")).click()
    page.get_by_label("Name").fill(ACCOUNT[0])
    page.get_by_label("Password").fill("wrong")
    page.keyboard.press("Enter")
    expect(page.get_by_text("The name or the password is wrong.")).to_be_visible()


def test_write_mend_save_reload(page: Page) -> None:
    write_rule(page, "close > 10\nclose > smaa(50)\nrsi(14) < 60")
    expect(page.get_by_role("region", name="The rule").get_by_text("did you mean `sma`?")).to_be_visible()
    page.keyboard.press("Escape")  # the list of completions
    page.get_by_label("Lines of the rule").click()
    page.keyboard.press("Alt+Enter")
    taper = page.get_by_label("What each line leaves")
    expect(taper.get_by_role("listitem")).to_have_count(3)
    expect(page.get_by_text("did you mean")).to_have_count(0)
    name = page.get_by_label("Name of the rule")
    name.fill("Made in a test")
    name.press("Enter")
    page.get_by_role("button", name="Save", exact=True).click()
    expect(page.get_by_text("Saved as version")).to_be_visible()
    page.reload()
    expect(page.get_by_label("Name of the rule")).to_have_value("Made in a test")
    expect(page.get_by_label("Lines of the rule")).to_contain_text("close > sma(50)")
    page.get_by_role("link", name="Rules").click()
    expect(page.get_by_role("link", name=re.compile("Made in a test"))).to_be_visible()


def test_typing_and_undo_go_on_through_a_save(page: Page) -> None:
    page.get_by_role("button", name="Write a rule").click()
    editor = page.get_by_label("Lines of the rule")
    editor.click()
    page.keyboard.type("close > 1", delay=15)
    page.keyboard.press("Control+s")
    expect(page.get_by_text("Saved as version")).to_be_visible()
    page.keyboard.type("2 ", delay=15)  # the cursor is where it was
    expect(editor).to_have_text("close > 12 ")
    for _ in range(6):
        page.keyboard.press("Control+z")
    expect(editor).not_to_contain_text("12")


def test_unsaved_text_survives_a_reload(page: Page) -> None:
    write_rule(page, "close > 77")
    expect(page.get_by_text("not saved yet")).to_be_visible()
    page.reload()
    expect(page.get_by_label("Lines of the rule")).to_contain_text("close > 77")
    expect(page.get_by_text("Unsaved changes from before are kept.")).to_be_visible()


def test_the_taper_narrows_as_one_types(page: Page) -> None:
    open_rule(page, "Uptrend stack")
    hits = page.get_by_role("tab", name=re.compile("Hits"))
    before = int(re.sub(r"\D", "", hits.inner_text()))
    page.get_by_label("Lines of the rule").click()
    page.keyboard.press("Control+End")
    page.keyboard.insert_text("\nclose > 60")
    expect(page.get_by_label("What each line leaves")).to_contain_text(re.compile(r"\d"))
    page.wait_for_function(
        "before => Number(document.querySelector('[role=tab]').innerText.replace(/\\D/g, '')) < before", arg=before
    )


def test_sort_flick_filter_and_why(page: Page) -> None:
    open_rule(page, "Uptrend stack")
    rows = page.locator("tr[data-symbol]")
    expect(rows.first).to_be_visible()
    page.get_by_role("button", name=re.compile("^Change")).click()
    changes = [
        float(t.replace("%", "").replace("−", "-").replace("+", ""))
        for t in page.locator("tbody tr[data-symbol] td:nth-child(6)").all_inner_texts()
    ]
    assert changes == sorted(changes, reverse=True)
    page.locator("tr[data-symbol]").first.click()
    first = page.locator("tr[aria-selected=true]").get_attribute("data-symbol")
    page.keyboard.press("j")
    second = page.locator("tr[aria-selected=true]").get_attribute("data-symbol")
    assert second != first
    expect(page.get_by_role("region", name=f"Chart of {second}")).to_be_visible()
    page.keyboard.press("k")
    expect(page.locator("tr[aria-selected=true]")).to_have_attribute("data-symbol", str(first))
    page.keyboard.press("w")
    expect(page.get_by_role("region", name=f"Chart of {first}")).to_contain_text("close > 10")
    page.keyboard.press("/")
    page.keyboard.type(str(second))
    expect(rows).to_have_count(1)


def test_symbols_are_copied_and_saved(page: Page) -> None:
    open_rule(page, "Uptrend stack")
    expect(page.locator("tr[data-symbol]").first).to_be_visible()
    count = int(re.sub(r"\D", "", page.get_by_role("tab", name=re.compile("Hits")).inner_text()))
    page.get_by_role("button", name="Copy", exact=True).click()
    page.get_by_role("menuitem", name="comma-separated").click()
    expect(page.get_by_text("symbols copied")).to_be_visible()
    assert len(page.evaluate("navigator.clipboard.readText()").split(", ")) == count
    page.get_by_role("button", name="Copy", exact=True).click()
    page.get_by_role("menuitem", name="one a line").click()
    page.wait_for_function("async n => (await navigator.clipboard.readText()).split('\\n').length === n", arg=count)
    with page.expect_download() as caught:
        page.get_by_role("button", name="Save as").click()
        page.get_by_role("menuitem", name="as CSV").click()
    lines = caught.value.path().read_text(encoding="utf-8").strip().splitlines()
    assert lines[0].startswith("Symbol,")
    assert len(lines) == count + 1


def test_standing_on_an_earlier_evening(page: Page) -> None:
    open_rule(page, "Uptrend stack")
    page.get_by_label("One session back", exact=True).click()
    banner = page.get_by_role("status").filter(has_text="You stand on")
    expect(banner).to_contain_text("Thu 27 Jun 2024")
    page.keyboard.press("{")
    expect(banner).to_contain_text("Thu 20 Jun 2024")
    page.keyboard.press("<")
    expect(banner).to_contain_text("Mon 20 May 2024")
    page.keyboard.press(">")
    page.keyboard.press("}")
    expect(banner).to_contain_text("Thu 27 Jun 2024")
    page.get_by_role("button", name="Back to the latest").click()
    expect(page.get_by_text("Fri 28 Jun 2024")).to_be_visible()
    expect(banner).to_have_count(0)


def test_measure(page: Page) -> None:
    open_rule(page, "Sixty-day high with range expansion")
    page.get_by_label("Lines of the rule").click()
    page.keyboard.press("Control+Enter")
    expect(page.get_by_text("By bars held")).to_be_visible(timeout=30_000)
    expect(page.locator("h2, p").filter(has_text=re.compile("baseline"))).not_to_have_count(0)
    table = page.locator("table").first
    expect(table.locator("tbody tr")).to_have_count(7)
    expect(page.get_by_text("Each hit, the latest first")).to_be_visible()
    with page.expect_download() as caught:
        page.get_by_role("button", name="Save figures").click()
    assert caught.value.suggested_filename


def test_a_dial_is_turned(page: Page) -> None:
    open_rule(page, "Pullback in an uptrend")
    page.get_by_role("slider", name="dip").focus()
    page.keyboard.press("ArrowRight")
    expect(page.get_by_label("Lines of the rule")).to_contain_text("dial dip = 5%")


def test_duplicate_delete_and_undo(page: Page) -> None:
    page.get_by_role("button", name="Duplicate Two-day dip").click()
    copy = page.get_by_role("link", name=re.compile("Two-day dip copy"))
    expect(copy).to_be_visible()
    page.get_by_role("button", name="Delete Two-day dip copy").click()
    expect(copy).to_have_count(0)
    undo(page, "“Two-day dip copy” is deleted.")
    expect(copy).to_be_visible()


def test_an_empty_list_says_which_line_emptied_it(page: Page) -> None:
    write_rule(page, "close > 5\nclose > 1m")
    expect(page.get_by_text("Line 2 empties the list")).to_be_visible()
    expect(page.get_by_text("No instrument passes every line")).to_be_visible()


def test_both_themes_and_the_list_of_keys(page: Page) -> None:
    page.get_by_role("button", name=re.compile("theme")).click()
    dark = page.evaluate("document.documentElement.dataset.theme")
    page.get_by_role("button", name=re.compile("theme")).click()
    assert {dark, page.evaluate("document.documentElement.dataset.theme")} == {"dark", "light"}
    page.keyboard.press("?")
    expect(page.get_by_role("dialog", name="Keys")).to_be_visible()


def test_forty_lines_have_their_bars_beside_them_down_to_the_last(page: Page) -> None:
    write_rule(page, "\n".join(f"close > sma({n})" for n in range(5, 44)) + "\nclose > highest(high, 20) 1 ago")
    taper = page.get_by_label("What each line leaves").get_by_role("listitem")
    expect(taper).to_have_count(40)
    page.keyboard.press("Control+Home")
    for place in (0, 20, 39):
        bar, line = taper.nth(place), page.locator(".cm-line").filter(has_text=re.compile(r"^close")).nth(place)
        line.scroll_into_view_if_needed()
        beside = [item.bounding_box() for item in (bar, line)]
        assert all(beside)
        assert abs(beside[0]["y"] - beside[1]["y"]) < 6
        expect(bar).to_be_in_viewport()
    left = [int(re.sub(r"\D", "", text)) for text in taper.all_inner_texts() if re.search(r"\d", text)]
    assert left[-1] <= left[0]


def test_what_is_to_mend_is_a_click_away(page: Page) -> None:
    write_rule(page, "\n".join(["close > smaa(50)", *["close > 1"] * 60]))
    page.get_by_role("button", name="1 error").click()
    expect(page.locator(".cm-activeLine")).to_have_text("close > smaa(50)")
    expect(page.locator(".cm-activeLine")).to_be_in_viewport()
    page.keyboard.press("Control+End")
    page.get_by_role("button", name="Line 1, column 9:").click()
    expect(page.locator(".cm-activeLine")).to_be_in_viewport()
