"""Real money and a vendor's files in the browser: numbers as they are typed, levels as they are dragged, files that are asked
about, a broker's fills."""

import re

from playwright.sync_api import Page, expect

from tests.browser.states import choices_kept, undo
from tests.browser.test_positions import planned

VENDOR = "Stock,AsOf,First,Max,Min,Final,Turnover (shares)\n" + "".join(
    f"NEWONE,{day},10,11,9,10.5,100\n" for day in ("03/06/2024", "04/06/2024", "25/06/2024")
)


def test_numbers_are_read_as_people_type_them_and_the_account_s_are_kept(page: Page, address: str) -> None:
    page.get_by_role("link", name=re.compile("^Account:")).click()
    expect(page.get_by_role("heading", name="Money")).to_be_visible()
    size = page.get_by_label("Size of the account")
    size.fill("12,500")
    size.press("Enter")
    expect(page.get_by_role("alert")).to_contain_text("It can be read two ways")
    page.get_by_role("button", name="12500").click()
    expect(page.get_by_label("Decimal sign")).to_have_value("point")
    size.fill("80k")
    size.press("Enter")
    expect(size).to_have_value("80000")
    page.get_by_label("Decimal sign").select_option("comma")
    risk = page.get_by_label("Risk a trade, % of the account")
    risk.fill("0,75")
    risk.press("Tab")
    expect(risk).to_have_value("0,75")
    size.fill("a lot")
    size.press("Enter")
    expect(page.get_by_role("alert")).to_contain_text("is not a number")
    size.press("Escape")
    expect(page.get_by_role("alert")).to_have_count(0)
    choices_kept(page)
    page.reload()
    expect(size).to_have_value("80000")
    expect(risk).to_have_value("0,75")
    page.get_by_label("Decimal sign").select_option("")
    choices_kept(page)


def test_a_level_goes_where_it_is_dragged_though_the_page_above_it_grows(page: Page) -> None:
    planned(page)
    stop = page.get_by_role("slider", name="The plan’s stop")
    expect(stop).to_be_visible()
    before = float(stop.get_attribute("aria-valuenow") or 0)
    box = stop.bounding_box()
    assert box is not None
    x, y = box["x"] + 5, box["y"] + box["height"] / 2
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x, y + 12, steps=4)
    expect(page.get_by_role("button", name="Discard")).to_be_visible()  # the plan's sentence is longer now
    moved = float(stop.get_attribute("aria-valuenow") or 0)
    page.mouse.move(x, y, steps=4)
    expect(stop).to_have_attribute("aria-valuenow", re.compile(rf"^{before:g}$"))
    page.mouse.up()
    assert 0 < before - moved < before * 0.06
    page.get_by_role("button", name="Discard").click()
    page.keyboard.press("x")


def test_a_stranger_s_file_is_asked_about_once_and_nothing_is_taken_meanwhile(page: Page, address: str) -> None:
    page.goto(f"{address}/data")
    page.get_by_label("Files to bring in").set_input_files({"name": "k.csv", "mimeType": "text/csv", "buffer": VENDOR.encode()})
    look = page.get_by_role("article", name="k.csv")
    expect(look.get_by_role("group", name="What is Turnover (shares)?")).to_be_visible()
    expect(look.get_by_role("combobox", name="AsOf is taken as")).to_have_value("date")
    expect(page.get_by_role("region", name="Import data").get_by_role("button", name="Import", exact=True)).to_be_disabled()
    look.get_by_label("shares traded").check()
    expect(page.get_by_role("button", name="Import 3 rows")).to_be_enabled()
    look.get_by_role("combobox", name="Final is taken as").select_option("")
    expect(look.get_by_text("has no column close")).to_be_visible()
    look.get_by_role("combobox", name="Final is taken as").select_option("close")
    expect(page.get_by_role("button", name="Import 3 rows")).to_be_enabled()
    page.get_by_role("button", name="Cancel import").click()
    expect(look).to_have_count(0)


def test_a_broker_s_fills_are_shown_taken_once_and_undone(page: Page, address: str) -> None:
    page.goto(f"{address}/bench/holding")
    page.get_by_role("button", name="Import fills").click()
    # A share that no other test holds.
    text = "Trade Date;Symbol;Side;Quantity;Price\n27.06.2024;BEACON;Kauf;40;100,50\n28.06.2024;NOBODY;Kauf;1;1,00\n"
    place = page.get_by_role("region", name="Import fills")
    place.get_by_label("File of fills").set_input_files({"name": "fills.csv", "mimeType": "text/csv", "buffer": text.encode()})
    table = place.get_by_role("table", name="Fills of the file")
    expect(table.get_by_role("row", name=re.compile("BEACON.*new"))).to_be_visible()
    expect(table.get_by_text("the market holds no NOBODY")).to_be_visible()
    expect(place.get_by_role("button", name="Import 1 fill")).to_be_disabled()
    place.get_by_label(re.compile("leave out")).check()
    place.get_by_role("button", name="Import 1 fill").click()
    expect(page.get_by_text("1 fill imported.")).to_be_visible()
    expect(page.get_by_role("list", name="On this stage").get_by_text("BEACON", exact=True)).to_be_visible()
    expect(page.get_by_text("no stop").first).to_be_visible()
    undo(page, "1 fill imported.")
    expect(page.get_by_role("list", name="On this stage").get_by_text("BEACON", exact=True)).to_have_count(0)
