"""Keeping: the desk, the bench by keys, alerts from a chart, schedules, the one box that finds anything."""

import re

import pytest
from playwright.sync_api import Page, Route, expect

from tests.browser.states import counted, undo
from tests.browser.test_evening import serious
from tests.browser.test_rules import open_rule

pytestmark = pytest.mark.browser


def settled(page: Page) -> None:
    """What the place shows is what the server said last."""
    expect(page.locator("section[data-state]")).to_have_attribute("data-state", "counted")


def test_a_watched_rule_stands_on_the_desk_until_it_is_taken_off(page: Page) -> None:
    open_rule(page, "Two-day dip")
    counted(page)
    page.get_by_role("button", name="More").click()
    page.get_by_role("menuitem", name="Watch it on the desk").click()
    expect(page.get_by_text("The desk shows its hits from now on.")).to_be_visible()
    page.keyboard.press("g")
    page.keyboard.press("e")
    row = page.get_by_role("row", name=re.compile("^Two-day dip"))
    expect(row).to_be_visible()
    settled(page)  # the worker has scanned it
    expect(page.get_by_text(re.compile(r"^Harbour 500 closed (up|down|unchanged)"))).to_be_visible()
    page.get_by_role("button", name=re.compile("^Look through the")).click()
    expect(page.get_by_role("button", name="Back to the rules")).to_be_visible()
    page.get_by_role("button", name="Back to the rules").click()
    page.get_by_role("button", name="Take Two-day dip off the desk").click()
    expect(row).to_have_count(0)
    undo(page, "“Two-day dip” is off the desk.")
    expect(row).to_be_visible()
    page.get_by_role("button", name="Take Two-day dip off the desk").click()
    expect(row).to_have_count(0)


def test_an_instrument_goes_over_the_bench_by_keys(page: Page) -> None:
    open_rule(page, "Uptrend stack")
    counted(page)
    chart = page.get_by_role("region", name=re.compile("^Chart of"))
    expect(chart).to_be_visible()
    symbol = (chart.get_attribute("aria-label") or "").split()[-1]
    page.keyboard.press("s")
    expect(page.get_by_text(f"{symbol} is shortlisted.")).to_be_visible()
    page.keyboard.press("s")
    expect(page.get_by_text(f"{symbol} is on the bench already, shortlisted.")).to_be_visible()
    page.keyboard.press("g")
    page.keyboard.press("n")
    listed = page.get_by_role("list", name="On this stage").get_by_role("button", name=re.compile(symbol))
    expect(listed).to_be_visible()
    expect(page.get_by_role("button", name=re.compile("^Uptrend stack, version"))).to_be_visible()
    page.keyboard.press("n")
    page.get_by_label(f"A note on {symbol}").fill("waits for volume")
    page.get_by_role("button", name="Keep", exact=True).click()
    expect(page.get_by_text("waits for volume")).to_be_visible()
    page.get_by_label(f"A note on {symbol}").press("Escape")
    page.keyboard.press("m")
    expect(page.get_by_text(f"{symbol} is planned now.")).to_be_visible()
    page.get_by_role("link", name=re.compile("^planned")).click()
    expect(listed).to_be_visible()
    plan = page.get_by_role("group", name="The plan", exact=True)
    entry, shares = plan.get_by_label("Entry", exact=True), plan.get_by_label("Shares")
    expect(shares).to_have_value(re.compile(r"^\d+$"))
    stop = page.get_by_role("slider", name="The plan’s stop")
    before = stop.get_attribute("aria-valuenow")
    stop.focus()
    page.keyboard.press("ArrowDown")
    expect(stop).not_to_have_attribute("aria-valuenow", str(before))
    entry.fill("0.01")  # under its stop
    entry.press("Enter")
    expect(plan.get_by_role("alert")).to_contain_text("lies under its entry")
    plan.get_by_role("button", name="Discard").click()
    expect(plan.get_by_role("alert")).to_have_count(0)
    shares.fill("12")
    shares.press("Enter")
    expect(plan.get_by_text("by hand")).to_be_visible()
    held: list[Route] = []  # however late the answer comes, what is tried since stays
    plans = re.compile(r"/api/bench/\d+/plan$")
    page.route(plans, lambda route: held.append(route) if route.request.method == "PUT" else route.fallback())
    with page.expect_request(lambda request: request.method == "PUT"):
        plan.get_by_role("button", name="Save plan").click()
    shares.fill("13")
    shares.press("Enter")
    held[0].continue_()
    expect(page.get_by_text(f"The plan for {symbol} is saved.")).to_be_visible()
    expect(shares).to_have_value("13")
    page.unroute(plans)
    plan.get_by_role("button", name="Save plan").click()
    expect(plan.get_by_text("saved", exact=True)).to_be_visible()
    plan.get_by_role("button", name="Delete plan").click()
    expect(plan.get_by_text("proposed", exact=True)).to_be_visible()
    page.keyboard.press("x")
    expect(listed).to_have_count(0)  # at once, whatever the server is at
    expect(page.get_by_text(f"{symbol} is off the bench.")).to_be_visible()
    undo(page, f"{symbol} is off the bench.")
    expect(listed).to_be_visible()
    page.keyboard.press("x")
    expect(listed).to_have_count(0)
    settled(page)
    page.reload()
    settled(page)
    expect(listed).to_have_count(0)


def test_an_alert_is_set_on_a_chart_armed_and_deleted(page: Page) -> None:
    page.keyboard.press("Control+k")
    box = page.get_by_role("combobox", name="Find anything")
    box.fill("beacon")
    expect(page.get_by_role("option", name=re.compile("^BEACON"))).to_be_visible()
    page.keyboard.press("Enter")
    expect(page).to_have_url(re.compile("/symbol/BEACON"))
    page.get_by_role("button", name="Alert", exact=True).click()
    page.get_by_label("Price", exact=True).fill("0")
    page.get_by_label("Note", exact=True).fill("over the base")
    page.get_by_role("button", name="Set", exact=True).click()
    expect(page.get_by_text("At which price? It is above zero.")).to_be_visible()
    expect(page.get_by_label("Note", exact=True)).to_have_value("over the base")  # refused, nothing typed is lost
    page.get_by_label("Price", exact=True).fill("123456")
    page.get_by_label("Which way").select_option("up")
    page.get_by_role("button", name="Set", exact=True).click()
    expect(page.get_by_text("You are told when BEACON rises to 123456.")).to_be_visible()
    page.keyboard.press("Escape")
    page.keyboard.press("Control+k")
    box.fill("tell me when BEACON falls under 1")
    page.keyboard.press("Enter")
    expect(page.get_by_text("You are told when BEACON falls to 1.")).to_be_visible()
    page.keyboard.press("g")
    page.keyboard.press("o")
    page.get_by_role("link", name="Alerts").click()
    mine = page.get_by_role("row", name=re.compile("BEACON (rises to 123456|falls to 1)"))
    expect(mine).to_have_count(2)
    page.get_by_role("button", name="Disarm: BEACON rises to 123456").click()
    again = page.get_by_role("button", name="Arm again: BEACON rises to 123456")
    expect(again).to_be_visible()
    assert serious(page) == []  # with one that rests
    again.click()
    expect(page.get_by_role("button", name="Disarm: BEACON rises to 123456")).to_be_visible()
    page.get_by_role("button", name="Delete: BEACON rises to 123456").click()
    expect(mine).to_have_count(1)
    undo(page, "“BEACON rises to 123456” is deleted.")
    expect(mine).to_have_count(2)
    for words in ("rises to 123456", "falls to 1"):
        page.get_by_role("button", name=f"Delete: BEACON {words}", exact=True).click()
    expect(mine).to_have_count(0)


def test_a_rule_runs_by_itself(page: Page, address: str) -> None:
    page.goto(f"{address}/outbox/schedules")
    page.get_by_label("Which rule").select_option(label="Two-day dip")
    page.get_by_role("checkbox", name="Tue").uncheck()
    page.get_by_role("button", name="Schedule", exact=True).click()
    row = page.get_by_role("listitem").filter(has_text="Two-day dip")
    expect(row).to_contain_text("Mon Wed Thu Fri after the close: mails the hits when there are new ones")
    page.get_by_label("Minutes of the session").fill("07:00")
    page.get_by_role("button", name="Schedule", exact=True).click()
    expect(page.get_by_text("07:00 lies outside.")).to_be_visible()
    page.get_by_label("Minutes of the session").fill("")
    row.get_by_role("button", name="Pause").click()
    expect(row.get_by_role("button", name="Go on")).to_be_visible()
    row.get_by_role("button", name="Delete the schedule").click()
    expect(row).to_have_count(0)


@pytest.mark.parametrize("width", [1000, 400])
def test_the_places_fit_a_narrow_window_and_are_accessible(page: Page, address: str, width: int) -> None:
    page.set_viewport_size({"width": width, "height": 800})
    for place in ("/desk", "/bench", "/outbox", "/outbox/alerts", "/outbox/schedules"):
        page.goto(address + place)
        expect(page.locator("section[data-state]")).to_have_attribute("data-state", re.compile("counted|computing"))
        assert serious(page) == [], place
        assert page.evaluate("document.documentElement.scrollWidth <= window.innerWidth"), place


def test_what_is_written_stays_with_its_instrument_and_is_sent_once(page: Page) -> None:
    open_rule(page, "Above the 200-day average")
    counted(page)
    chart = page.get_by_role("region", name=re.compile("^Chart of"))
    symbols = []
    for key in ("s", "j"):
        expect(chart).to_be_visible()
        name = str(chart.get_attribute("aria-label"))
        symbols.append(name.split()[-1])
        if key == "j":
            break
        page.keyboard.press("s")
        expect(page.get_by_text(re.compile(f"{symbols[0]} is (shortlisted|on the bench already)"))).to_be_visible()
        page.keyboard.press("j")
        expect(chart).not_to_have_attribute("aria-label", name)
    page.keyboard.press("s")
    expect(page.get_by_text(re.compile(f"{symbols[1]} is (shortlisted|on the bench already)"))).to_be_visible()
    page.keyboard.press("g")
    page.keyboard.press("n")
    listed = page.get_by_role("list", name="On this stage")
    first, second = (listed.get_by_role("button", name=re.compile(one)) for one in symbols)
    note, other = (page.get_by_label(f"A note on {one}") for one in symbols)
    first.click()
    note.fill("half a thought")
    second.click()
    expect(other).to_have_value("")
    page.reload()  # the address names what is in view
    expect(other).to_be_visible()
    first.click()
    note.fill("a whole thought")
    second.click()
    first.click()
    expect(note).to_have_value("a whole thought")
    find = page.get_by_label("Filter the bench")
    find.fill(symbols[0])
    expect(second).to_have_count(0)
    first.click()
    expect(find).to_have_value(symbols[0])  # the place goes on as it was
    find.fill("")
    page.get_by_role("button", name="Keep", exact=True).click()
    expect(note).to_have_value("")
    expect(page.get_by_text("a whole thought")).to_be_visible()
    note.press("Escape")

    page.keyboard.press("b")
    form = page.get_by_role("form", name=f"A fill of {symbols[0]}")
    expect(form.get_by_label("what")).to_be_focused()
    form.get_by_label("shares").fill("10")
    sent: list[Route] = []  # however late the answer comes
    page.route("**/fills", lambda route: sent.append(route))
    with page.expect_request("**/fills"):
        form.get_by_label("shares").press("Enter")
    form.get_by_label("shares").press("Enter")
    sent[0].continue_()
    expect(page.get_by_text(re.compile(f"^{symbols[0]}: bought 10 at"))).to_be_visible()
    expect(page).to_have_url(re.compile("/bench/holding"))
    assert len(sent) == 1
    page.unroute("**/fills")
    page.keyboard.press("z")  # what the line at the foot offers
    expect(page).to_have_url(re.compile("/bench/(shortlisted|planned)"))
    for symbol in symbols:
        page.goto(page.url.rsplit("/", 1)[0])
        listed.get_by_role("button", name=re.compile(symbol)).click()
        page.keyboard.press("x")
        expect(page.get_by_text(f"{symbol} is off the bench.")).to_be_visible()
