"""What people sit down to do with one rule, walked through in the interface."""

import re

import pytest
from playwright.sync_api import Page, expect

from tests.browser.states import choices_kept, counted, insert
from tests.browser.test_rules import open_rule

pytestmark = pytest.mark.browser
LOOK = "() => document.querySelector('[role=tab]').innerText.replace(/\\D/g, '')"


def write(page: Page, text: str, name: str = "") -> None:
    page.get_by_role("link", name="Rules", exact=True).click()
    page.get_by_role("button", name="Write a rule").click()
    page.get_by_label("Lines of the rule").click()
    insert(page, text)
    page.keyboard.press("Escape")  # the list of completions
    page.keyboard.press("Escape")
    if name:
        box = page.get_by_label("Name of the rule")
        box.fill(name)
        box.press("Enter")
        page.keyboard.press("Control+s")
        expect(page.get_by_text("Saved as version")).to_be_visible()
    expect(page.get_by_label("What each line leaves").get_by_role("listitem").first).to_be_visible()


def left(page: Page) -> int:
    """The count that stands once nothing is being counted."""
    counted(page)
    expect(page.get_by_role("alert")).to_have_count(0)
    return int(page.evaluate(LOOK))


def append(page: Page, text: str) -> None:
    page.get_by_label("Lines of the rule").click()
    page.keyboard.press("Control+End")
    insert(page, "\n" + text)
    page.keyboard.press("Escape")


def test_a_pullback_in_an_uptrend_sorted_by_volume(page: Page) -> None:
    write(page, "beta(252) > 1\nabove_low(52w) > 30%\nsma(20) > sma(50) > sma(200)\nclose > sma(50)\nclose between"
                " highest(high, 20) * 90% and highest(high, 20) * 98%")  # fmt: skip
    before = left(page)
    assert 0 < before < 100
    page.get_by_role("button", name="Volume", exact=True).click()
    expect(page.get_by_role("columnheader").filter(has_text="Volume ▾")).to_be_visible()
    append(page, "hammer and low near sma(50) by 3%")
    assert left(page) <= before


def test_a_new_high_on_a_wide_day_turned_down_by_a_dial_and_mirrored(page: Page) -> None:
    write(page, "dial floor = 1m from 500k to 50m step 500k\nhigh >= highest(high, 60) once in 3\nrange >= highest(range, 10)"
                " once in 3\natr(14) * volume > floor")  # fmt: skip
    many = left(page)
    page.get_by_role("slider", name=re.compile("floor")).first.fill("2000000")
    expect(page.get_by_label("Lines of the rule")).to_contain_text("dial floor = 2m")
    assert left(page) < many
    page.get_by_role("button", name="Columns", exact=True).click()
    page.get_by_label("Add a column: an expression").fill("range / atr(14)")
    page.keyboard.press("Enter")
    page.keyboard.press("Escape")
    expect(page.get_by_role("columnheader", name="range / atr(14)")).to_be_visible()
    page.get_by_role("button", name="Columns", exact=True).click()
    page.get_by_role("button", name="Back to my usual columns").click()
    page.keyboard.press("Escape")
    choices_kept(page)
    page.get_by_role("button", name="Mirror").click()
    expect(page.get_by_label("Lines of the rule")).to_contain_text("low <= lowest(low, 60)")


def test_a_weekly_squeeze_saved_over_the_old_version_knowingly(page: Page) -> None:
    write(page, "on(week, squeeze_bars >= 5)", "Squeeze of a test")
    every = left(page)
    page.get_by_role("button", name="basic filters").click()
    page.get_by_role("button", name=re.compile("Optionable only")).click()
    page.keyboard.press("Escape")
    some = left(page)
    page.get_by_role("button", name="basic filters").click()
    page.get_by_role("button", name=re.compile("With weekly options")).click()
    page.keyboard.press("Escape")
    assert 0 < left(page) < some < every
    page.get_by_role("button", name="Save", exact=True).click()
    expect(page.get_by_text(re.compile("Saved as version [3-9]"))).to_be_visible()
    expect(page.get_by_role("button", name="Save", exact=True)).to_have_count(0)
    page.get_by_role("tab", name="Versions").click()
    expect(page.get_by_text("weekly_options == 1").first).to_be_visible()


def test_the_long_term_template_watched_line_by_line(page: Page) -> None:
    write(page, "close > 20\nmarket_cap between 300m and 10b\nclose > sma(50)\nclose > sma(150)\nclose > sma(200)\n"
                "sma(50) > sma(150) > sma(200)\nabove_low(52w) > 50%\noff_high(52w) > -25%")  # fmt: skip
    many = left(page)
    taper = page.get_by_label("What each line leaves").get_by_role("listitem")
    expect(taper).to_have_count(8)
    counts = [int(re.sub(r"\D", "", t)) for t in taper.all_inner_texts()]
    assert counts == sorted(counts, reverse=True)
    assert counts[-1] == many
    append(page, "above_low(52w) > 100%\noff_high(52w) > -5%")
    assert left(page) < many
    page.get_by_role("button", name="Copy", exact=True).click()
    page.get_by_role("menuitem", name="comma-separated").click()
    expect(page.get_by_text("symbols copied")).to_be_visible()
    with page.expect_download() as caught:
        page.get_by_role("button", name="More").click()
        page.get_by_role("menuitem", name="Save as .rule file").click()
    assert "above_low(52w) > 100%" in caught.value.path().read_text()


def test_two_blocks_are_combined_and_one_is_used_again(page: Page) -> None:
    write(page, 'kind == "share"\nclose > 10\navg_turnover(20) > 1m', "What I trade at all")
    write(
        page, "close < close 1 ago held 2\nvolume < volume 1 ago held 2\nclose between sma(50) and sma(10)", "Two quiet days down"
    )
    write(page, 'use "What I trade at all"\nuse "Two quiet days down"')
    both = left(page)
    page.get_by_role("link", name="Rules", exact=True).click()
    write(page, 'use "What I trade at all"\nclose > sma(200)')
    assert left(page) > both


def test_the_jump_on_a_report(page: Page) -> None:
    write(page, "days_since_report <= 30\nvolume > 2 * sma(volume, 20) 1 ago once in 20\nchange > 1.5 * adr(20) once in 20\nclose > open"
                "\nclosing_place > 50%")  # fmt: skip
    assert left(page) > 0
    page.get_by_role("button", name="basic filters").click()
    page.get_by_label("Size of my account").fill("1000000")
    page.get_by_label("Size of my account").press("Tab")
    page.get_by_role("button", name=re.compile(r"^Put in avg_turnover\(20\) > 20m")).click()
    expect(page.get_by_label("Lines of the rule")).to_contain_text("avg_turnover(20) > 20m")


def test_the_years_high_on_volume_then_tightened(page: Page) -> None:
    write(page, 'kind != "fund"\nhigh >= highest(high, 52w)\nvolume > 1.2 * volume 1 ago')
    many = left(page)
    append(page, "volume > 2 * volume 1 ago")
    assert left(page) <= many


def test_leaders_are_four_saved_rules_each_by_its_own_performance(page: Page) -> None:
    for name, text in (("Strong week", "on(week, change)"), ("Leaders of the month", "change(21)"), ("Leaders of the quarter", "change(63)"),
                       ("Leaders of the half year", "change(126)")):  # fmt: skip
        page.get_by_role("link", name="Rules", exact=True).click()
        open_rule(page, name)
        expect(page.get_by_label("Lines of the rule")).to_contain_text(text.rstrip(")"))
        page.get_by_role("button", name="Columns", exact=True).click()
        page.get_by_label("Add a column: an expression").fill(text)
        page.keyboard.press("Enter")
        page.keyboard.press("Escape")
        expect(page.get_by_label("Add a column: an expression")).to_have_count(0)
        page.locator("th").get_by_role("button", name=text, exact=True).click()
        expect(page.get_by_role("columnheader").filter(has_text=f"{text} ▾")).to_be_visible()
    page.get_by_role("button", name="Columns", exact=True).click()
    page.get_by_role("button", name="Back to my usual columns").click()
    page.keyboard.press("Escape")
    choices_kept(page)


def test_cut_in_half_yet_large_with_the_sick_told_from_the_cheap(page: Page) -> None:
    write(page, "off_high(52w) < -40%\nmarket_cap > 300m\nclose < highest(high, 52w) / 1.5")
    assert left(page) > 0
    expect(page.get_by_role("columnheader").filter(has_text="Off high")).to_be_visible()
    page.keyboard.press("f")
    facts = page.get_by_role("complementary", name="Facts")
    expect(facts).to_contain_text("earned")
    expect(facts).to_contain_text("Price to earnings")


def test_an_empty_list_says_who_came_nearest_and_whether_it_ever_hit(page: Page) -> None:
    write(page, "close > sma(50)\nrsi(14) > 97\nvolume > 100")
    assert left(page) == 0
    expect(page.get_by_text("empties the list")).to_contain_text("Line 2")
    near = page.get_by_role("button", name=re.compile("fails? only line 2"))
    near.click()
    expect(page.locator("button[title='Look at its chart']").first).to_be_visible()
    bar = page.get_by_label("What each line leaves").get_by_role("button", name=re.compile(r"^rsi"))
    expect(bar).to_have_attribute("title", re.compile("of all bars"))
    page.keyboard.press("Control+Enter")
    expect(page.get_by_text(re.compile(r"hits? on \d+ days?")).first).to_be_visible()
