"""The market as a whole: a breadth written, its level dragged, kept and named in a rule; a morning's statements ticked, and opened as a rule."""

import re

import pytest
from playwright.sync_api import Locator, Page, expect

from tests.browser.states import counted as rule_counted
from tests.browser.states import undo
from tests.browser.test_evening import serious

pytestmark = pytest.mark.browser


def counted(page: Page) -> None:
    """What the place shows is of what is asked now."""
    expect(page.locator("section[data-state]")).to_have_attribute("data-state", "counted")


def to_breadth(page: Page) -> Locator:
    page.keyboard.press("g")
    page.keyboard.press("m")
    expect(page.get_by_role("heading", level=1, name=re.compile("^Within a tenth"))).to_be_visible()
    counted(page)
    return page.get_by_role("slider", name="The level that is passed")


def test_a_dragged_level_marks_and_measures_again(page: Page) -> None:
    level = to_breadth(page)
    passings = page.get_by_role("heading", level=2)
    before, was = passings.inner_text(), level.get_attribute("aria-valuenow")
    box = level.bounding_box()
    assert box is not None
    page.mouse.move(box["x"] + 300, box["y"] + 9)
    page.mouse.down()
    page.mouse.move(box["x"] + 300, box["y"] - 40, steps=8)
    page.mouse.up()
    expect(level).not_to_have_attribute("aria-valuenow", str(was))
    counted(page)
    expect(passings).not_to_have_text(before)
    field = page.get_by_label("Level that is passed, in percent")
    expect(field).to_have_value(re.sub(r"\.0+$", "", f"{float(level.get_attribute('aria-valuenow') or 0):g}"))
    level.focus()
    page.keyboard.press("ArrowUp")
    counted(page)
    field.fill("30")
    field.press("Enter")
    counted(page)
    expect(level).to_have_attribute("aria-valuetext", "30.0%")
    page.get_by_label("From where it is passed").select_option("above")
    counted(page)
    expect(page.get_by_role("columnheader", name="went to")).to_be_visible()
    page.get_by_role("button", name="+250").click()
    expect(page.get_by_text(re.compile(r"at 250 sessions"))).to_be_visible()
    # A reload finds it as it was left.
    page.reload()
    counted(page)
    expect(level).to_have_attribute("aria-valuetext", "30.0%")
    expect(page.get_by_label("From where it is passed")).to_have_value("above")


def test_a_condition_is_written_kept_and_named_in_a_rule(page: Page, address: str) -> None:
    to_breadth(page)
    page.get_by_role("button", name="New", exact=True).click()
    counted(page)
    page.get_by_title("Write the condition").click()
    lines = page.get_by_label("Condition of the breadth")
    lines.click()
    page.keyboard.press("Control+a")
    page.keyboard.insert_text("clse > sma(20)")
    expect(page.get_by_text("`clse` is not known: did you mean `close`?").first).to_be_visible()
    expect(page.get_by_text("What stands below is of the text before.")).to_be_visible()
    page.keyboard.press("Control+a")
    page.keyboard.insert_text("close > sma(20)")
    counted(page)
    page.get_by_role("button", name="Save as").click()
    page.get_by_label("Name of the breadth").fill("Over twenty")
    page.keyboard.press("Enter")
    expect(page.get_by_role("heading", level=1, name="Over twenty")).to_be_visible()
    expect(page).to_have_url(re.compile(r"/breadth/\d+"))
    counted(page)
    page.get_by_role("button", name="Copy as a line").click()
    expect(page.get_by_text(re.compile(r'Copied: breadth\("Over twenty"\) crosses above \d+%'))).to_be_visible()
    page.get_by_label("A value each").select_option("week")
    counted(page)
    expect(page.get_by_role("button", name="+13")).to_be_visible()
    page.get_by_role("button", name="Save", exact=True).click()
    expect(page.get_by_text("is kept as it is now")).to_be_visible()
    line = 'breadth("Over twenty") > 10%'
    made = page.request.post(f"{address}/api/rules", data={"text": f"name: Names it\n{line}"}, headers=token(page)).json()
    page.goto(f"{address}/rules/{made['id']}")
    rule_counted(page)
    # Deleted, the rule that names it says so; taken back, it counts again.
    page.goto(f"{address}/breadth")
    counted(page)
    page.get_by_role("button", name="Kept breadths").click()
    page.get_by_role("button", name="Delete Over twenty").click()
    expect(page.get_by_text("“Names it” names it and cannot count without it.")).to_be_visible()
    undo(page, "“Over twenty” is deleted.")
    page.reload()  # whether a click beside the list closed it is not what is asked here
    counted(page)
    page.get_by_role("button", name="Kept breadths").click()
    expect(page.get_by_role("button", name="Delete Over twenty")).to_be_visible()
    page.request.delete(f"{address}/api/rules/{made['id']}", headers=token(page))


def token(page: Page) -> dict[str, str]:
    found = {c["name"]: c["value"] for c in page.context.cookies()}  # type: ignore[typeddict-item]
    return {"X-CSRFToken": found["csrftoken"], "Referer": page.url}


def test_ticked_statements_leave_precedents_and_become_a_rule(page: Page, address: str) -> None:
    page.goto(f"{address}/precedents?at=2024-06-27")
    counted(page)
    expect(page.get_by_role("heading", level=1)).to_contain_text("Fri 28 Jun")
    left = page.get_by_label("Sessions left after each line")
    boxes = page.get_by_role("checkbox")
    boxes.nth(0).check()
    counted(page)
    boxes.nth(2).check()
    counted(page)
    expect(left).to_have_text(re.compile(r"^[\d,]+·[\d,]+·[\d,]+$"))
    expect(page.get_by_text(re.compile(r"^(Of [\d,]+ such mornings|Only \d+ such morning)"))).to_be_visible()
    page.get_by_label("To which close").select_option("5")
    counted(page)
    page.get_by_role("button", name="both ways").first.click()
    counted(page)
    expect(page.get_by_text(re.compile("^if "))).to_have_count(2)
    page.get_by_role("button", name="not both ways").first.click()
    counted(page)
    page.get_by_title("Its five-minute bars").first.click()
    chart = page.get_by_role("img", name=re.compile("^Five-minute bars of the session"))
    expect(chart).to_be_visible()
    first = page.locator("section[aria-label^='The session of']").get_attribute("aria-label")
    page.keyboard.press("j")
    expect(page.locator("section[aria-label^='The session of']")).not_to_have_attribute("aria-label", str(first))
    page.keyboard.press("Escape")
    expect(chart).to_have_count(0)
    page.reload()
    counted(page)
    expect(page.get_by_role("checkbox").nth(0)).to_be_checked()
    page.get_by_role("button", name="open it in Rules").click()
    rule_counted(page)
    expect(page.get_by_label("Name of the rule")).to_have_value(re.compile("^Mornings like 28 Jun 2024"))
    undo(page, "The ticked lines are a rule of yours now.")
    counted(page)
    page.get_by_role("button", name="Untick all").click()
    counted(page)
    expect(page.get_by_text("Nothing is ticked: these are all sessions.")).to_be_visible()


@pytest.mark.parametrize("width", [400, 1000])
def test_both_places_fit_a_narrow_window(page: Page, address: str, width: int) -> None:
    page.set_viewport_size({"width": width, "height": 800})
    for place in ("/breadth", "/precedents"):
        page.goto(address + place)
        counted(page)
        expect(page.get_by_role("heading", level=1)).to_be_visible()
        assert serious(page) == []
        assert page.evaluate("document.documentElement.scrollWidth <= window.innerWidth")
        assert page.evaluate("[...document.querySelectorAll('section')].every(s => s.scrollWidth <= s.clientWidth + 1)")
