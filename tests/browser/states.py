"""What the page says of itself, to be waited for: counts that are of the text as it stands, choices that are on the server."""

import re

from playwright.sync_api import Page, expect

WORKSPACE = "[data-counts]"


def counted(page: Page) -> None:
    """The numbers on the page are of the rule as it stands, and it has nothing to mend."""
    expect(page.locator(WORKSPACE)).to_have_attribute("data-counts", "counted")


def insert(page: Page, text: str) -> None:
    """Puts text in at the cursor; returns once the application knows of it."""
    before = page.locator(WORKSPACE).get_attribute("data-characters")
    page.keyboard.insert_text(text)
    expect(page.locator(WORKSPACE)).not_to_have_attribute("data-characters", str(before))


def choices_kept(page: Page) -> None:
    """What was chosen last is on the server."""
    expect(page.locator("html")).to_have_attribute("data-choices", re.compile("kept"))


def undo(page: Page, said: str) -> None:
    """Takes back what the page says was done. said: how that sentence begins, so that it is not the deed before that is undone."""
    line = page.get_by_role("status").filter(has_text=re.compile(f"^{re.escape(said)}"))
    line.get_by_role("button", name="Undo").click()
    expect(line).to_have_count(0)
