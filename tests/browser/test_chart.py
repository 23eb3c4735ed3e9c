"""The chart: frames and ranges, panes, past hits, facts, drawings, pictures; names told on hover, groups folded."""

import re

import pytest
from playwright.sync_api import Page, expect

from tests.browser.states import choices_kept, undo
from tests.browser.test_rules import open_rule, write_rule

pytestmark = pytest.mark.browser


def plot(page: Page) -> dict:
    box = page.get_by_role("img", name=re.compile("^Price chart")).bounding_box()
    assert box
    return box


def test_frames_ranges_and_panes_are_kept(page: Page) -> None:
    open_rule(page, "Uptrend stack")
    image = page.get_by_role("img", name=re.compile("^Price chart"))
    expect(image).to_have_attribute("aria-label", re.compile("260 bars"))
    page.get_by_role("button", name="week", exact=True).click()
    page.get_by_role("button", name="all", exact=True).click()
    expect(image).to_have_attribute("aria-label", re.compile(r", 6\d\d bars"))
    page.get_by_role("button", name="log", exact=True).click()
    expect(page.get_by_role("button", name="linear", exact=True)).to_be_visible()
    page.get_by_role("button", name="Panes").click()
    page.get_by_role("checkbox", name="MACD").check()
    page.get_by_label("A pane of your own").fill("rsi(2); rsi(14)")
    page.keyboard.press("Enter")
    page.keyboard.press("Escape")
    page.get_by_role("button", name="as table").click()
    for name in ("macd_hist", "rsi(2)", "rsi(14)"):
        expect(page.get_by_role("columnheader", name=name, exact=True)).to_be_visible()
    choices_kept(page)
    page.reload()
    expect(page.get_by_role("button", name="Panes 2")).to_be_visible()
    page.get_by_role("button", name="Panes 2").click()
    page.get_by_role("checkbox", name="MACD").uncheck()
    page.get_by_role("checkbox", name="rsi(2)").click()
    page.keyboard.press("Escape")
    for name in ("day", "6m", "linear"):
        page.get_by_role("button", name=name, exact=True).click()
    choices_kept(page)


def test_past_hits_lead_to_their_day(page: Page) -> None:
    open_rule(page, "Uptrend stack")
    expect(page.get_by_role("img", name=re.compile("^Days on which the rule hit"))).to_be_visible()
    page.get_by_label("Stand on the hit before").click()
    banner = page.get_by_role("status").filter(has_text="You stand on")
    expect(banner).to_be_visible()
    first = str(banner.locator("b").inner_text())
    page.keyboard.press(",")
    expect(banner.locator("b")).not_to_have_text(first)
    page.get_by_role("button", name="Back to the latest").click()


def test_facts_and_the_chart_alone(page: Page) -> None:
    open_rule(page, "Uptrend stack")
    expect(page.locator("tr[data-symbol]").first).to_be_visible()
    page.keyboard.press("f")
    facts = page.get_by_role("complementary", name="Facts")
    expect(facts).to_contain_text("Market cap")
    expect(facts.locator("tbody tr")).to_have_count(8)
    page.keyboard.press("Enter")
    expect(page.get_by_label("Lines of the rule")).to_be_hidden()
    expect(page.get_by_text(re.compile(r"^1 of \d+$"))).to_be_visible()
    page.keyboard.press("j")
    expect(page.get_by_text(re.compile(r"^2 of \d+$"))).to_be_visible()
    page.keyboard.press("Escape")
    expect(page.get_by_label("Lines of the rule")).to_be_visible()


def test_drawings_are_made_moved_named_erased_and_brought_back(page: Page) -> None:
    open_rule(page, "Uptrend stack")
    expect(page.locator("tr[data-symbol]").first).to_be_visible()
    box = plot(page)
    page.keyboard.press("t")
    expect(page.get_by_text("Trend line: two places")).to_be_visible()
    page.mouse.move(box["x"] + 60, box["y"] + 90)
    page.mouse.down()
    page.mouse.move(box["x"] + 260, box["y"] + 60, steps=5)
    page.mouse.up()
    line = page.get_by_role("button", name=re.compile("^Trend line:"))
    expect(line).to_have_count(1)
    expect(line).to_have_attribute("aria-label", re.compile(r"\d+\.\d\d · \d+ touch"))
    page.get_by_label("What the drawing says").fill("the long base")
    page.get_by_label("What the drawing says").press("Enter")
    expect(line).to_have_attribute("aria-label", re.compile("the long base"))
    before = str(line.get_attribute("aria-label"))
    line.focus()
    page.keyboard.press("ArrowUp")
    expect(line).not_to_have_attribute("aria-label", before)
    undo(page, "Trend line moved.")
    expect(line).to_have_attribute("aria-label", before)
    page.reload()
    expect(page.get_by_role("button", name=re.compile("^Trend line: the long base"))).to_have_count(1)
    page.get_by_role("button", name="Draw").click()
    page.get_by_role("menuitem", name="Level at the last close").click()
    expect(page.get_by_role("button", name=re.compile("^Level:"))).to_have_count(1)
    page.get_by_role("button", name=re.compile("^Level:")).focus()
    page.keyboard.press("Delete")
    expect(page.get_by_role("button", name=re.compile("^Level:"))).to_have_count(0)
    undo(page, "Level deleted.")
    expect(page.get_by_role("button", name=re.compile("^Level:"))).to_have_count(1)
    for kind in ("Level:", "Trend line:"):
        page.get_by_role("button", name=re.compile(f"^{kind}")).focus()
        page.keyboard.press("Delete")
        expect(page.get_by_role("button", name=re.compile(f"^{kind}"))).to_have_count(0)


def test_a_chart_is_saved_as_a_picture(page: Page) -> None:
    open_rule(page, "Uptrend stack")
    expect(page.locator("tr[data-symbol]").first).to_be_visible()
    expect(page.get_by_role("img", name=re.compile("^Price chart"))).to_be_visible()
    with page.expect_download() as caught:
        page.get_by_role("button", name="PNG").click()
    content = caught.value.path().read_bytes()
    assert content[:8] == b"\x89PNG\r\n\x1a\n"
    assert int.from_bytes(content[16:20]) > 1_000  # twice the pixels of the screen


def test_a_name_tells_its_value_for_the_instrument_on_show(page: Page) -> None:
    write_rule(page, "let middle = sma(50)\nclose > middle\n")
    symbol = page.locator("tr[aria-selected=true]").get_attribute("data-symbol")
    page.keyboard.press("Escape")  # the list of completions
    x, y = page.evaluate("""() => {
        const line = [...document.querySelectorAll('.cm-line')].find(l => l.textContent.startsWith('let middle'))
        const walk = document.createTreeWalker(line, NodeFilter.SHOW_TEXT)
        while (walk.nextNode()) {
            const at = walk.currentNode.data.indexOf('sma')
            if (at < 0) continue
            const range = document.createRange()
            range.setStart(walk.currentNode, at)
            range.setEnd(walk.currentNode, at + 3)
            const box = range.getBoundingClientRect()
            return [box.x + box.width / 2, box.y + box.height / 2]
        }
    }""")
    page.mouse.move(x - 30, y)
    page.mouse.move(x, y)
    expect(page.locator(".cm-value")).to_contain_text(re.compile(rf"{symbol}: sma\(50\) is \d"))


def test_a_group_folds_and_the_taper_follows(page: Page) -> None:
    write_rule(page, "close > 1\nany of:\n    close > sma(50)\n    close > sma(20)\nopen > 2")
    taper = page.get_by_label("What each line leaves").get_by_role("listitem")
    expect(taper).to_have_count(5)
    page.locator(".cm-foldGutter .cm-gutterElement:visible", has_text="▾").last.click()
    expect(taper).to_have_count(3)
    tops = taper.evaluate_all("items => items.map(i => parseInt(i.style.top))")
    assert tops == [0, 30, 60]
    page.locator(".cm-foldGutter .cm-gutterElement:visible", has_text="▸").last.click()
    expect(taper).to_have_count(5)


def test_patterns_are_drawn_and_listed(page: Page) -> None:
    open_rule(page, "Double bottom before its break")
    chart = page.get_by_role("region", name=re.compile("^Chart of"))
    expect(chart.get_by_role("img", name=re.compile("^Patterns: double bottom, forming"))).to_be_visible()
    expect(chart).to_contain_text(re.compile(r"trigger \d"))
    expect(chart).to_contain_text(re.compile(r"invalid \d"))
    page.keyboard.press("p")
    aside = page.get_by_role("complementary", name="Patterns")
    expect(aside).to_contain_text("double bottom")
    expect(aside).to_contain_text("Found from confirmed turning points only.")
    aside.get_by_role("button", name=re.compile("double bottom, forming")).first.click()
    expect(aside.get_by_role("button", pressed=True)).to_contain_text("double bottom")


def test_the_lines_of_a_pattern_are_drawn_and_told(page: Page) -> None:
    write_rule(page, "channel_up")
    chart = page.get_by_role("region", name=re.compile("^Chart of"))
    drawn = chart.get_by_role("img", name=re.compile("^Patterns: rising channel"))
    expect(drawn).to_be_visible()
    expect(chart).to_contain_text(re.compile(r"invalid \d"))
    told = drawn.locator("title").first.text_content() or ""
    assert re.search(r"rising channel, \w+: visible for \d+ bars, quality \d+", told)
    assert re.search(r"upper\.slope \+\d", told)
    assert re.search(r"lower\.touches \d", told)
    page.get_by_role("button", name="patterns", exact=True).click()
    aside = page.get_by_role("complementary", name="Patterns")
    aside.get_by_role("button", name=re.compile("^rising channel")).first.click()
    expect(aside).to_contain_text("upper.now")


def test_parts_are_offered_once_the_dot_is_there(page: Page) -> None:
    write_rule(page, "close > ")
    page.keyboard.type("flag_bu")
    options = page.locator(".cm-tooltip-autocomplete [role=option]")
    expect(options.filter(has_text="flag_bull").first).to_be_visible()
    expect(options.filter(has_text="flag_bull.pole")).to_have_count(0)
    page.keyboard.type("ll.po")
    expect(options.filter(has_text="flag_bull.pole").first).to_be_visible()
