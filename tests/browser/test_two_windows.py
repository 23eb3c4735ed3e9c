"""Two windows on one rule, a session that ends in the middle of work, and addresses that name the evening."""

import re

import pytest
from playwright.sync_api import APIResponse, BrowserContext, Page, Route, expect

from tests.browser.conftest import ACCOUNT
from tests.browser.states import choices_kept, counted, insert
from tests.browser.test_rules import open_rule, write_rule

pytestmark = pytest.mark.browser


def editor(page: Page):  # type: ignore[no-untyped-def]
    return page.get_by_label("Lines of the rule")


def typed(page: Page, text: str) -> None:
    """Writes behind what stands in the editor."""
    editor(page).click()
    page.keyboard.press("Control+End")
    insert(page, text)


def saved(page: Page) -> None:
    page.keyboard.press("Control+s")
    expect(page.get_by_text("not saved yet")).to_have_count(0)


def test_of_two_windows_neither_is_written_over(page: Page) -> None:
    write_rule(page, "close > 1")
    saved(page)
    other = page.context.new_page()
    other.goto(page.url)
    expect(editor(other)).to_have_text("close > 1")
    typed(page, "7")
    saved(page)
    # A window with nothing unsaved shows what was saved, and says so.
    expect(editor(other)).to_have_text("close > 17")
    expect(other.get_by_text("Version 3 was saved elsewhere")).to_be_visible()
    typed(other, "8")
    typed(page, "9")
    saved(page)
    expect(other.get_by_text("This rule was saved elsewhere")).to_be_visible()
    other.keyboard.press("Control+s")  # by habit: nothing is written over that
    expect(other.get_by_text("choose above the lines which text stays")).to_be_visible()
    told = other.get_by_role("alert").filter(has_text="This rule was saved elsewhere")
    expect(told).to_contain_text("version 4")
    other.get_by_role("button", name="What differs").click()
    expect(told.locator("pre")).to_contain_text("close > 179")
    other.get_by_role("button", name="Take theirs").click()
    expect(editor(other)).to_have_text("close > 179")
    other.get_by_role("button", name="Back to what I wrote").click()
    expect(editor(other)).to_have_text("close > 178")
    saved(other)
    expect(other.get_by_text("v5", exact=True)).to_be_visible()
    other.close()


def test_what_was_typed_and_not_saved_knows_what_was_saved_since(page: Page) -> None:
    """A text left unsaved, the rule saved elsewhere, and the page opened again: both are offered, however often it is reloaded."""
    write_rule(page, "close > 31")
    saved(page)
    other = page.context.new_page()
    other.goto(page.url)
    expect(editor(other)).to_have_text("close > 31")
    typed(other, "1")
    expect(other.get_by_text("not saved yet")).to_be_visible()
    address = other.url
    other.goto("about:blank")
    typed(page, "2")
    saved(page)
    other.goto(address)
    for _ in range(2):
        expect(editor(other)).to_have_text("close > 311")
        expect(other.get_by_text("This rule was saved elsewhere")).to_be_visible()
        other.reload()
    other.get_by_role("button", name="Save mine over it").click()
    expect(other.get_by_text("not saved yet")).to_have_count(0)
    expect(editor(page)).to_have_text("close > 311")
    other.close()


def test_both_texts_can_be_kept(page: Page) -> None:
    write_rule(page, "close > 21")
    saved(page)
    other = page.context.new_page()
    other.goto(page.url)
    typed(other, "5")
    typed(page, "6")
    saved(page)
    other.get_by_role("button", name="Keep both").click()
    expect(editor(other)).to_have_text("close > 216")
    other.get_by_role("button", name="Open it").click()
    expect(editor(other)).to_have_text("close > 215")
    expect(other.get_by_label("Name of the rule")).to_have_value(re.compile("as I wrote it"))
    other.close()


def own_session(page: Page) -> BrowserContext:
    """A session that nobody else shares, which may therefore end."""
    page.context.clear_cookies()
    page.reload()
    page.get_by_label("Name").fill(ACCOUNT[0])
    page.get_by_label("Password").fill(ACCOUNT[1])
    page.keyboard.press("Enter")
    page.get_by_role("heading", name="Rules").wait_for()
    return page.context


def test_a_session_that_ends_goes_on_where_it_was(page: Page) -> None:
    context = own_session(page)
    write_rule(page, "close > 1")
    saved(page)
    typed(page, "2")
    counted(page)
    context.clear_cookies()
    page.keyboard.type("3")
    over = page.get_by_role("dialog", name="Sign in again")
    expect(over.get_by_label("Name")).to_have_value(ACCOUNT[0])
    over.get_by_label("Password").fill(ACCOUNT[1])
    page.keyboard.press("Enter")
    expect(over).to_have_count(0)
    # What the last key asked is answered, and the next key goes where that one went.
    expect(editor(page)).to_have_text("close > 123")
    counted(page)
    expect(editor(page)).to_be_focused()
    saved(page)
    expect(page.get_by_text("Saved as version 3.")).to_be_visible()


def test_a_missing_token_mends_itself(page: Page) -> None:
    write_rule(page, "close > 1")
    page.context.clear_cookies(name="csrftoken")
    typed(page, "4")
    saved(page)
    expect(page.get_by_text("Saved as version 2.")).to_be_visible()


def test_a_server_that_was_away_is_recovered_from_without_a_key(page: Page) -> None:
    write_rule(page, "close > 1")
    counted(page)

    def away(route: Route) -> None:
        route.abort("connectionrefused")

    page.route("**/api/scan", away)
    typed(page, "2")
    expect(page.get_by_label("What each line leaves")).to_have_attribute("aria-busy", "true")
    page.unroute("**/api/scan", away)
    counted(page)


def test_the_address_names_the_evening(page: Page) -> None:
    open_rule(page, "Uptrend stack")
    evening = page.get_by_role("banner")
    latest = evening.inner_text()
    page.get_by_role("button", name="One week back").click()
    expect(page).to_have_url(re.compile(r"\?at=\d{4}-\d\d-\d\d$"))
    before = evening.inner_text()
    assert before != latest
    page.get_by_role("tab", name="Versions").click()
    page.get_by_role("button", name="One month back").click()
    expect(evening).not_to_have_text(before)
    page.go_back()
    expect(evening).to_have_text(before, use_inner_text=True)
    again = page.context.new_page()  # a link sent to oneself
    again.goto(page.url)
    expect(again.get_by_role("banner")).to_have_text(before, use_inner_text=True)
    again.close()
    page.goto(page.url.split("?")[0] + "?at=2099-01-01")
    expect(page.get_by_text(re.compile("The data ends on"))).to_be_visible()
    expect(page).to_have_url(re.compile(r"/rules/\d+$"))


def test_columns_are_the_rule_s_own(page: Page) -> None:
    write_rule(page, "let mine = close - sma(20)\nclose > 1")
    saved(page)
    counted(page)
    page.get_by_role("button", name="Columns").click()
    add = page.get_by_label("Add a column: an expression")
    add.fill("mine / closs")
    add.press("Enter")
    expect(page.get_by_role("alert").filter(has_text="close")).to_be_visible()
    shown = page.get_by_role("list", name="Columns shown")
    before = shown.get_by_role("listitem").count()
    add.fill("mine / close")
    add.press("Enter")
    expect(shown.get_by_role("listitem")).to_have_count(before + 1)
    choices_kept(page)
    page.reload()
    expect(page.get_by_role("columnheader", name="mine / close")).to_be_visible()
    page.get_by_role("link", name="Rules").click()
    open_rule(page, "Uptrend stack")
    counted(page)
    expect(page.get_by_role("columnheader", name="mine / close")).to_have_count(0)


def test_who_signs_out_while_something_is_under_way_is_asked_once(page: Page) -> None:
    """An answer that finds no session any more does not ask over the form that asks already."""
    own_session(page)
    held: list[tuple[Route, APIResponse]] = []

    def hold(route: Route) -> None:
        if route.request.method == "DELETE":
            held.append((route, route.fetch()))  # the session is over, and nobody knows yet
        else:
            route.fallback()

    page.route("**/api/session", hold)
    rule = page.get_by_role("link", name="Uptrend stack")
    expect(rule).to_be_visible()  # nothing else is under way
    page.get_by_role("button", name=re.compile("Sign out")).click()
    rule.click()
    expect(page.get_by_role("dialog", name="Sign in again")).to_be_visible()
    (route, answer), *_ = held
    route.fulfill(response=answer)
    expect(page.get_by_role("dialog", name="Sign in again")).to_have_count(0)
    expect(page.get_by_label("Password")).to_have_count(1)
    page.unroute("**/api/session")
