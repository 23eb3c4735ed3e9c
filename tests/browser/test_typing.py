"""Typing in a real browser; every starter rule is typed key by key in `web/src/lib/editor/Typing.test.ts`."""

import random
import re
import zlib

from playwright.sync_api import Page, expect

from tests.browser.states import undo

ODD = "close < open\nrange > atr\nhigh > low\nadr > 3%\nclose < open held 4w\nrel_volume > 2\nrange > atr"


def typed(page: Page, text: str) -> str:
    """The editor's text after the keys of it, 60 to 140 ms apart by the page's own clock."""
    chance = random.Random(zlib.crc32(text.encode()))
    page.clock.install()
    page.route("**/api/scan", lambda route: route.fulfill(status=503, json={"detail": "Not counted here."}))
    page.reload()
    page.get_by_role("button", name="Write a rule").click()
    page.get_by_label("Lines of the rule").click()
    lines = page.locator(".cm-line")

    def key(name: str) -> None:
        page.keyboard.press(name)
        page.clock.run_for(chance.randint(60, 140))

    for number, line in enumerate(text.split("\n")):
        if number:
            key("Enter")
        wanted, there = len(line) - len(line.lstrip()), len(lines.last.inner_text().rstrip("\n"))
        while number and there > wanted:  # the indentation a new line begins with is taken over, or taken back, a step at a time
            key("Backspace")
            there = len(lines.last.inner_text().rstrip("\n"))
        for letter in line[min(there, wanted) :]:
            page.keyboard.type(letter)
            page.clock.run_for(chance.randint(60, 140))
    return "\n".join(found.rstrip("\n") for found in lines.all_inner_texts())


def test_short_names_at_the_ends_of_lines(page: Page) -> None:
    assert typed(page, ODD) == ODD


def test_a_proposal_is_taken_by_tab_by_arrows_and_by_enter_where_it_goes_on(page: Page) -> None:
    page.clock.install()
    page.reload()
    page.get_by_role("button", name="Write a rule").click()
    editor = page.get_by_label("Lines of the rule")
    proposals = page.locator(".cm-tooltip-autocomplete")

    def proposed(text: str, keys: str, becomes: str) -> None:
        editor.fill("")
        page.keyboard.type(text)
        expect(proposals).to_be_visible()
        page.clock.run_for(200)  # a proposal counts once a person could have seen it
        for key in keys.split():
            page.keyboard.press(key)
        expect(editor).to_have_text(re.compile(f"^{re.escape(becomes)}$"))

    proposed("close > relative_str", "Enter", "close > relative_strength")
    proposed("close > hig", "ArrowDown Tab", "close > highest(")
    proposed("close > hig", "Tab", "close > high")
    proposed("close > high", "ArrowDown Enter", "close > highest(")


def test_a_head_that_is_pasted_or_typed_moves_into_the_controls(page: Page) -> None:
    page.get_by_role("button", name="Write a rule").click()
    editor = page.get_by_label("Lines of the rule")
    editor.click()
    page.keyboard.insert_text("universe: Harbour 500\nside: short\n\nclose > sma(50)")
    expect(page.get_by_label("Side")).to_have_value("short")
    expect(page.get_by_role("button", name="Universe: Harbour 500")).to_be_visible()
    expect(editor).to_have_text("close > sma(50)")
    expect(page.get_by_text("Moved into the controls above: universe, side.")).to_be_visible()
    expect(page.get_by_label("What each line leaves").get_by_role("listitem")).to_have_count(1)
    # Typed, it is taken once the cursor leaves its line, and not before.
    page.keyboard.press("Control+Home")
    page.keyboard.insert_text("\n")
    page.keyboard.press("ArrowUp")
    page.keyboard.type("side: long")
    expect(editor).to_contain_text("side: long")
    page.keyboard.press("ArrowDown")
    expect(page.get_by_label("Side")).to_have_value("")  # long, which goes without saying
    expect(editor).to_have_text("close > sma(50)")
    undo(page, "Moved into the controls above: side.")
    expect(editor).to_contain_text("side: long")
