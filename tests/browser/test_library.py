"""The library: folders, tags, bringing in and saving all, a link for another account."""

import re
import zipfile
from pathlib import Path

import pytest
from playwright.sync_api import Page, expect

from tests.browser.test_rules import write_rule

pytestmark = [pytest.mark.browser, pytest.mark.rotated(2)]


def test_rules_lie_in_folders_under_tags(page: Page) -> None:
    which = page.get_by_role("group", name="Which rules")
    which.get_by_role("button", name=re.compile("^Squeeze")).click()
    expect(page.get_by_role("link", name=re.compile("Weekly squeeze"))).to_be_visible()
    expect(page.get_by_role("link", name=re.compile("Uptrend stack"))).to_have_count(0)
    page.get_by_label("File Weekly squeeze").click()
    page.get_by_label("Tags").fill("Weekly, calm")
    page.get_by_role("button", name="Keep", exact=True).click()
    which.get_by_role("button", name="all folders").click()
    which.get_by_role("button", name="#weekly").click()
    expect(page.get_by_role("link", name=re.compile("Weekly squeeze"))).to_be_visible()
    expect(page.locator("li.group")).to_have_count(1)
    page.get_by_label("File Weekly squeeze").click()
    page.get_by_label("Tags").fill("")
    page.get_by_role("button", name="Keep", exact=True).click()


def test_all_rules_out_and_in(page: Page, tmp_path: Path) -> None:
    with page.expect_download() as caught:
        page.get_by_role("button", name="Save all").click()
    saved = tmp_path / "rules.zip"
    saved.write_bytes(caught.value.path().read_bytes())
    with zipfile.ZipFile(saved) as archive:
        assert "Trend/Uptrend stack.rule" in archive.namelist()
    own = tmp_path / "mine.rule"
    own.write_text("name: From a file\nclose > 3\n")
    bad = tmp_path / "bad.rule"
    bad.write_bytes(b"\xff\xfe")
    page.get_by_label("Bring in .rule files or a zip of them").set_input_files([own, bad])
    expect(page.get_by_text("1 rules brought in. bad.rule: this is no text in UTF-8.")).to_be_visible()
    expect(page.get_by_role("link", name="From a file")).to_be_visible()


def test_a_rule_is_given_away_by_its_link(page: Page) -> None:
    write_rule(page, "close > 4\n")
    name = page.get_by_label("Name of the rule")
    name.fill("Given away")
    name.press("Enter")
    page.keyboard.press("Control+s")
    page.get_by_role("link", name="Rules").click()
    page.get_by_label("File Given away").click()
    page.get_by_role("button", name="Share by a link").click()
    link = page.get_by_label("Link", exact=True).input_value()
    page.goto(link)
    expect(page.get_by_text("A rule of trader")).to_be_visible()
    page.get_by_role("button", name="Copy it to my rules").click()
    expect(page.get_by_label("Name of the rule")).to_have_value("Given away 2")
    page.goto(f"{link}x")
    expect(page.get_by_text("This link leads to no rule")).to_be_visible()
