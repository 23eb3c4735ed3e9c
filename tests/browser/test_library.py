"""The library: folders, tags, bringing in and saving all, a link for another account."""

import re
import zipfile
from pathlib import Path

import pytest
from playwright.sync_api import Page, expect

from tests.browser.test_rules import write_rule

pytestmark = pytest.mark.browser


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
        page.get_by_role("button", name="Export all").click()
    saved = tmp_path / "rules.zip"
    saved.write_bytes(caught.value.path().read_bytes())
    with zipfile.ZipFile(saved) as archive:
        assert "Trend/Uptrend stack.rule" in archive.namelist()
    own = tmp_path / "mine.rule"
    own.write_text("name: From a file\nclose > 3\n")
    bad = tmp_path / "bad.rule"
    bad.write_bytes(b"\xff\xfe")
    page.get_by_label("Import .rule files or a zip of them").set_input_files([own, bad])
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


def test_names_are_shown_as_they_are_written(page: Page, address: str) -> None:
    """Markup in whatever a person names is text on every page; an error of a script fails any test of this folder."""
    odd = "<img src=x onerror=harm()>"
    look = {"name": f"Odd {odd}", "text": "close > sma(50)", "look": {}}
    made = page.evaluate(
        """async ([odd, look]) => {
          const token = document.cookie.match(/csrftoken=(\\w+)/)[1]
          const ask = async (method, path, body) => {
            const head = { 'Content-Type': 'application/json', 'X-CSRFToken': token }
            const answer = await fetch('/api' + path, { method, headers: head, body: JSON.stringify(body) })
            if (!answer.ok) throw Error(path + await answer.text())
            return answer.status === 204 ? null : await answer.json()
          }
          const symbol = (await ask('POST', '/scan', { text: 'close > 1' })).hits[0].symbol
          const rule = await ask('POST', '/rules', { text: `name: Odd ${odd}\\nabout: ${odd}\\n\\nclose > sma(50) # ${odd}` })
          await ask('PATCH', `/rules/${rule.id}`, { folder: odd, tags: [odd] })
          const list = await ask('POST', '/lists', { name: `Odd ${odd}`, symbols: [symbol] })
          const text = `name: Odd ${odd}\\nabout: ${odd}\\nenter "Odd ${odd}" at next open\\nstop: entry - 1`
          const book = await ask('POST', '/books', { text })
          const breadth = await ask('POST', '/breadths', look)
          const item = await ask('POST', '/bench', { symbol, rule: { id: rule.id, name: `Odd ${odd}`, version: 1 } })
          await ask('POST', `/bench/${item.id}/notes`, { text: odd })
          return { rule: rule.id, list: list.id, book: book.id, breadth: breadth.id, item: item.id }
        }""",
        [odd, look],
    )
    for place in (f"/rules/{made['rule']}", "/rules", f"/books/{made['book']}", "/books", f"/breadth/{made['breadth']}", "/bench"):
        page.goto(f"{address}{place}")
        expect(page.locator("body")).to_contain_text(odd)
    for place in ("/desk", "/outbox", "/data", "/account"):
        page.goto(f"{address}{place}")
        page.get_by_role("navigation", name="Places").wait_for()
    page.keyboard.press("Control+k")
    palette = page.get_by_role("dialog", name="Find anything")
    palette.get_by_role("combobox").fill("odd")
    expect(palette).to_contain_text(odd)
    assert page.locator("img[src=x]").count() == 0
    page.evaluate(
        """async made => {
          const token = document.cookie.match(/csrftoken=(\\w+)/)[1]
          const gone = path => fetch('/api' + path, { method: 'DELETE', headers: { 'X-CSRFToken': token } })
          await gone(`/bench/${made.item}`), await gone(`/breadths/${made.breadth}`), await gone(`/books/${made.book}`)
          await gone(`/lists/${made.list}`), await gone(`/rules/${made.rule}`)
        }""",
        made,
    )
