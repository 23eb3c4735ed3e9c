"""A whole evening by keyboard alone, and what an accessibility checker says of every screen."""

import re
from pathlib import Path

import pytest
from playwright.sync_api import Page, expect

from tests.browser.test_rules import open_rule

pytestmark = pytest.mark.browser
AXE = (Path(__file__).resolve().parents[2] / "web/node_modules/axe-core/axe.min.js").read_text()


def tab_to(page: Page, name: str, most: int = 60) -> None:
    """Presses Tab until what is focused has this accessible name."""
    for _ in range(most):
        page.keyboard.press("Tab")
        said = page.evaluate(
            "() => { const e = document.activeElement; return e.getAttribute('aria-label') || e.innerText || e.value || '' }"
        )
        if re.search(name, said):
            return
    raise AssertionError(f"Tab never reached {name}")


def test_the_evening_by_keyboard_alone(page: Page) -> None:
    """Write a rule, count, sort, flick, look, compare, step back, the sheet, measure, save: no mouse anywhere."""
    page.keyboard.press("?")
    expect(page.get_by_role("dialog")).to_contain_text("one session back")
    page.keyboard.press("Escape")
    tab_to(page, "^Write a rule$")
    page.keyboard.press("Enter")
    expect(page.get_by_label("Lines of the rule")).to_be_visible()
    page.keyboard.press("e")
    expect(page.get_by_label("Lines of the rule")).to_be_focused()
    page.keyboard.type("close > sma(50)", delay=10)
    page.keyboard.press("Enter")
    page.keyboard.type("rel_volume(20) > 1.2", delay=10)
    expect(page.get_by_label("What each line leaves").get_by_role("listitem")).to_have_count(2)
    expect(page.locator(".cm-tooltip-autocomplete")).to_be_hidden()  # nothing completes a number
    page.keyboard.press("Escape")
    expect(page.get_by_label("Lines of the rule")).not_to_be_focused()
    expect(page.locator("tr[data-symbol]").first).to_be_visible()
    # Flick and look.
    first = page.locator("tr[aria-selected=true]").get_attribute("data-symbol")
    page.keyboard.press("j")
    expect(page.locator("tr[aria-selected=true]")).not_to_have_attribute("data-symbol", str(first))
    page.keyboard.press("v")
    expect(page.get_by_text("1 selected")).to_be_visible()
    page.keyboard.press("w")
    expect(page.get_by_role("complementary", name="Line by line")).to_be_visible()
    page.keyboard.press("f")
    expect(page.get_by_role("complementary", name="Facts")).to_be_visible()
    page.keyboard.press("f")
    page.keyboard.press("Enter")
    expect(page.get_by_label("Lines of the rule")).to_be_hidden()
    page.keyboard.press("Enter")
    page.keyboard.press("c")
    expect(page.get_by_role("button", name=re.compile(r"^\d+ new$"))).to_be_visible()
    page.keyboard.press("/")
    page.keyboard.type(str(first))
    expect(page.locator("tr[data-symbol]")).to_have_count(1)
    page.keyboard.press("Control+a")
    page.keyboard.press("Delete")
    page.keyboard.press("Escape")
    # Sort by change, from the table's own heads.
    tab_to(page, "^Change")
    page.keyboard.press("Enter")
    expect(page.get_by_role("columnheader").filter(has_text="Change ▾")).to_be_visible()
    # Yesterday, and back.
    page.keyboard.press("[")
    expect(page.get_by_role("status").filter(has_text="You stand on")).to_be_visible()
    page.keyboard.press("]")
    # The sheet: tabs are walked with the arrows.
    page.get_by_role("tab", name=re.compile("Hits")).focus()
    page.keyboard.press("ArrowRight")
    expect(page.locator("article").first).to_be_visible()
    page.keyboard.press("j")
    page.keyboard.press("x")
    expect(page.locator("article[aria-current=true]")).to_have_attribute("aria-label", re.compile("dismissed"))
    page.keyboard.press("u")
    tab_to(page, "^Open ")
    page.keyboard.press("Enter")
    expect(page.get_by_role("region", name=re.compile("^Chart of"))).to_be_visible()
    page.keyboard.press("Escape")
    # Measure and save.
    page.keyboard.press("Control+Enter")
    expect(page.get_by_role("table").first).to_be_visible(timeout=60_000)
    page.keyboard.press("Control+s")
    expect(page.get_by_text("Saved as version")).to_be_visible()
    page.keyboard.press("g")
    page.keyboard.press("r")
    expect(page.get_by_role("heading", name="Rules")).to_be_visible()


def serious(page: Page) -> list[str]:
    page.evaluate(AXE)
    for _ in range(5):  # what is still worked on is dimmed, and says so; something may begin to be while it is looked at
        expect(page.locator(".waits")).to_have_count(0)
        page.wait_for_function("() => !document.getAnimations().some((one) => one instanceof CSSTransition)")
        found = page.evaluate("async () => (await axe.run(document, { resultTypes: ['violations'] })).violations")
        if not page.locator(".waits").count():
            break
    return [f"{v['id']}: {node['html'][:160]}" for v in found if v["impact"] in ("serious", "critical") for node in v["nodes"][:3]]


@pytest.mark.parametrize("theme", ["light", "dark"])
def test_an_accessibility_checker_finds_nothing_serious(page: Page, theme: str) -> None:
    if page.evaluate("document.documentElement.dataset.theme || 'light'") != theme:
        page.get_by_role("button", name=re.compile(f"^{theme} theme$", re.IGNORECASE)).click()
    found: dict[str, list[str]] = {"rules": serious(page)}
    open_rule(page, "Uptrend stack")
    expect(page.get_by_role("img", name=re.compile("^Price chart"))).to_be_visible()
    page.keyboard.press("f")
    expect(page.get_by_role("complementary", name="Facts")).to_contain_text("Market cap")
    found["hits"] = serious(page)
    page.get_by_role("button", name="Columns", exact=True).click()
    found["columns"] = serious(page)
    page.keyboard.press("Escape")
    page.get_by_role("button", name="Universe:").click()
    found["universe"] = serious(page)
    page.keyboard.press("Escape")
    page.get_by_role("tab", name="Sheet").click()
    expect(page.locator("article").first.get_by_role("img")).to_be_visible()
    found["sheet"] = serious(page)
    page.get_by_role("tab", name="Versions").click()
    expect(page.get_by_text("Version 1", exact=False).first).to_be_visible()
    found["versions"] = serious(page)
    page.get_by_role("tab", name="Follow-through").click()
    page.get_by_role("button", name="Measure follow-through").click()
    expect(page.get_by_role("heading", name="Average path")).to_be_visible(timeout=60_000)
    found["follow-through"] = serious(page)
    page.keyboard.press("g")
    page.keyboard.press("w")
    expect(page.get_by_role("heading", name="Reference").first).to_be_visible()
    found["reference"] = serious(page)
    page.get_by_role("link", name="Rules").click()
    expect(page.get_by_role("heading", name="Rules")).to_be_visible()
    page.get_by_label("File Uptrend stack", exact=True).click()
    page.get_by_role("button", name=re.compile("Share by a link|Copy its link")).click()
    found["filing"] = serious(page)
    page.goto(page.get_by_label("Link", exact=True).input_value())
    expect(page.get_by_text("A rule of trader")).to_be_visible()
    found["shared"] = serious(page)
    page.context.clear_cookies()  # of this browser only: the session itself lives on for the other tests
    page.goto("/".join(page.url.split("/")[:3]))
    expect(page.get_by_label("Password")).to_be_visible()
    found["sign-in"] = serious(page)
    assert not any(found.values()), found
