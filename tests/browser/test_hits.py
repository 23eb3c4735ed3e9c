"""The table of hits: columns, order, selection, lists, comparison; the universe; narrowing."""

import io
import re

import pyarrow.parquet as pq
import pytest
from playwright.sync_api import Page, expect

from tests.browser.states import choices_kept, undo
from tests.browser.test_rules import open_rule, write_rule

pytestmark = pytest.mark.browser


def counted(page: Page) -> int:
    tab = page.get_by_role("tab", name=re.compile("Hits"))
    expect(tab).to_have_text(re.compile(r"\d"))
    return int(re.sub(r"\D", "", tab.inner_text()))


def heads(page: Page) -> list[str]:
    return [re.sub(r" [▾▴]\d?$", "", t) for t in page.locator("th button[data-column]").all_inner_texts()]


def usual_columns(page: Page) -> None:
    page.get_by_role("button", name="Columns", exact=True).click()
    page.get_by_role("button", name="Back to my usual columns").click()
    page.keyboard.press("Escape")
    expect(page.get_by_role("button", name="Back to my usual columns")).to_have_count(0)


def test_columns_are_added_moved_kept_and_taken_out(page: Page) -> None:
    open_rule(page, "Uptrend stack")
    page.get_by_role("button", name="Columns", exact=True).click()
    box = page.get_by_label("Add a column: an expression")
    box.fill("range / atr(14)")
    box.press("Enter")
    expect(page.get_by_role("columnheader", name="range / atr(14)")).to_be_visible()
    box.fill("closs + 1")
    box.press("Enter")
    expect(page.get_by_text("did you mean `close`?")).to_be_visible()
    expect(page.get_by_role("columnheader", name="closs + 1")).to_have_count(0)  # what is wrong is no column
    page.get_by_label("Take out range / atr(14)").click()
    undo(page, "Column “range / atr(14)” is taken out.")
    expect(page.get_by_role("columnheader", name="range / atr(14)")).to_be_visible()
    if not page.get_by_label("Name of the set").is_visible():
        page.get_by_role("button", name="Columns", exact=True).click()
    page.get_by_label("Name of the set").fill("With range")
    page.get_by_role("button", name="Keep", exact=True).click()
    page.get_by_label("Take out range / atr(14)").click()
    page.get_by_label("Name of the set").fill("With range")
    page.get_by_role("button", name="Keep", exact=True).click()
    undo(page, "Columns and order are kept as “With range”, in place of those before.")
    if not page.get_by_label("Name of the set").is_visible():
        page.get_by_role("button", name="Columns", exact=True).click()
    page.get_by_role("button", name="With range", exact=True).click()
    page.keyboard.press("Escape")
    expect(page.get_by_role("columnheader", name="range / atr(14)")).to_be_visible()
    names = heads(page)
    assert names[-1] == "range / atr(14)"
    page.locator("th button[data-column]").last.focus()
    page.keyboard.press("Alt+ArrowLeft")
    page.wait_for_function("() => [...document.querySelectorAll('th button[data-column]')].at(-2).innerText.startsWith('range')")
    expect(page.locator("th button[data-column]").nth(len(names) - 2)).to_be_focused()
    usual_columns(page)
    expect(page.get_by_role("columnheader", name="range / atr(14)")).to_have_count(0)
    page.get_by_role("button", name="Columns", exact=True).click()
    page.get_by_role("button", name="With range", exact=True).click()
    page.keyboard.press("Escape")
    expect(page.get_by_role("columnheader", name="range / atr(14)")).to_be_visible()
    choices_kept(page)
    page.reload()
    expect(page.get_by_role("columnheader", name="range / atr(14)")).to_be_visible()
    usual_columns(page)
    choices_kept(page)


def test_sorting_by_several(page: Page) -> None:
    open_rule(page, "Above the 200-day average")
    page.get_by_role("button", name="Sector", exact=True).click()
    page.get_by_role("button", name=re.compile("^Change")).click(modifiers=["Shift"])
    expect(page.get_by_role("columnheader").filter(has_text="Sector ▴1")).to_be_visible()
    expect(page.get_by_role("columnheader").filter(has_text="Change ▾2")).to_be_visible()
    rows = page.locator("tr[data-symbol]")
    pairs = []
    for cells in rows.evaluate_all("rows => rows.map(r => [...r.cells].map(c => c.innerText.trim()))"):
        pairs.append((cells[3], -float(cells[5].replace("%", "").replace("−", "-").replace("+", ""))))
    assert len({sector for sector, _ in pairs}) >= 1
    assert pairs == sorted(pairs)


def test_thousands_of_rows_are_a_few_in_the_page(page: Page) -> None:
    write_rule(page, "close > 0\n")
    count = counted(page)
    assert count > 500
    assert page.locator("tr[data-symbol]").count() < 80
    page.locator("[data-hits]").evaluate("e => e.scrollTo(0, e.scrollHeight)")
    expect(page.locator(f"tr[aria-rowindex='{count + 1}']")).to_be_visible()
    last = str(page.locator("tr[data-symbol]").last.get_attribute("data-symbol"))
    page.locator(f"tr[data-symbol={last}]").click()
    page.keyboard.press("k")
    expect(page.locator("tr[aria-selected=true]")).to_be_visible()


def test_a_selection_becomes_a_list_and_a_universe(page: Page) -> None:
    open_rule(page, "Uptrend stack")
    rows = page.locator("tr[data-symbol]")
    rows.nth(0).click()
    rows.nth(3).click(modifiers=["Shift"])
    expect(page.get_by_text("4 selected")).to_be_visible()
    page.keyboard.press("v")
    expect(page.get_by_text("3 selected")).to_be_visible()
    page.get_by_role("button", name="Save as").click()
    page.get_by_role("menuitem", name="3 selected as a list").click()
    page.get_by_label("as the list").fill("Three of a test")
    page.keyboard.press("Enter")
    expect(page.get_by_text("holds 3 symbols")).to_be_visible()
    page.keyboard.press("v")
    expect(page.get_by_text("4 selected")).to_be_visible()
    page.get_by_role("button", name="Save as").click()
    page.get_by_role("menuitem", name="4 selected as a list").click()
    page.get_by_label("as the list").fill("Three of a test")
    page.keyboard.press("Enter")
    undo(page, "“Three of a test” holds 4 symbols, in place of the 3 before.")  # as it is chosen below, it holds three
    page.keyboard.press("v")
    expect(page.get_by_text("3 selected")).to_be_visible()
    with page.expect_download() as caught:
        page.get_by_role("button", name="Save as").click()
        page.get_by_role("menuitem", name="3 selected as Parquet").click()
    assert pq.read_table(io.BytesIO(caught.value.path().read_bytes())).num_rows == 3
    page.get_by_role("link", name="Rules").click()
    write_rule(page, "close > 0\n")
    every = counted(page)
    page.get_by_role("button", name="Universe:").click()
    page.get_by_label("Universe", exact=True).select_option("Three of a test")
    page.wait_for_function("() => /Hits\\s*3$/.test(document.querySelector('[role=tab]').innerText)")
    page.get_by_role("button", name="or in …").click()
    page.get_by_label("Universe 2", exact=True).select_option("Harbour 500")
    page.wait_for_function("n => Number(document.querySelector('[role=tab]').innerText.replace(/\\D/g, '')) > 400", arg=every)
    page.get_by_label("How universe 2 joins").select_option("but not in")
    page.wait_for_function("() => Number(document.querySelector('[role=tab]').innerText.replace(/\\D/g, '')) <= 3")
    page.get_by_label("Delete the list Three of a test").click()
    page.keyboard.press("Escape")
    expect(page.get_by_text("There is no universe named “Three of a test”")).to_be_visible()
    undo(page, "The list “Three of a test” is deleted.")
    expect(page.get_by_text("There is no universe named")).to_have_count(0)


def test_compared_with_the_session_before(page: Page) -> None:
    write_rule(page, "close > highest(high, 20) 1 ago\n")
    count = counted(page)
    page.keyboard.press("Escape")
    page.keyboard.press("c")
    new, stayed = (page.get_by_role("button", name=re.compile(rf"^\d+ {word}$")) for word in ("new", "stayed"))
    expect(new).to_be_visible()
    assert sum(int(b.inner_text().split()[0]) for b in (new, stayed)) == count
    new.click()
    expect(page.get_by_text(f"{new.inner_text().split()[0]} of {count}")).to_be_visible()
    page.get_by_role("button", name=re.compile(r"^\d+ gone$")).click()
    gone = page.locator("span.basis-full button").first
    symbol = gone.inner_text()
    gone.click()
    expect(page.get_by_role("region", name=f"Chart of {symbol}")).to_be_visible()


def test_a_near_miss_is_looked_at(page: Page) -> None:
    open_rule(page, "Uptrend stack")
    page.get_by_role("button", name=re.compile(r"fail only line")).first.click()
    miss = page.locator("section[aria-label='The rule'] button[title='Look at its chart']").first
    symbol = miss.inner_text()
    miss.click()
    expect(page.get_by_role("region", name=f"Chart of {symbol}")).to_be_visible()
    page.get_by_role("button", name="why not a hit").click()
    expect(page.get_by_role("complementary", name="Line by line").get_by_role("img", name="false")).to_have_count(1)


def test_a_floor_that_fits_the_account(page: Page) -> None:
    write_rule(page, "close > 0\n")
    before = counted(page)
    page.get_by_role("button", name="basic filters").click()
    page.get_by_role("button", name=re.compile("No funds")).click()
    expect(page.get_by_label("Lines of the rule")).to_contain_text('kind == "share"')
    page.get_by_label("Size of my account").fill("200000")
    page.get_by_label("Size of my account").press("Tab")
    expect(page.get_by_text("200k in 10 positions is 20k each")).to_be_visible()
    page.get_by_role("button", name="Put in avg_turnover(20) > 4m").click()
    expect(page.get_by_label("Lines of the rule")).to_contain_text("avg_turnover(20) > 4m")
    page.wait_for_function("n => Number(document.querySelector('[role=tab]').innerText.replace(/\\D/g, '')) < n", arg=before)
