"""A curve read in the browser: a table chosen, its parts seen, another take, put on a number, kept on the shelf."""

from __future__ import annotations

from playwright.sync_api import FilePayload, expect

from lazzik.demo.measured import measured_mast
from tests.browser.conftest import Studio
from tests.browser.test_shelf import find


def test_a_measured_curve_becomes_a_recipe_on_a_number(layered: Studio) -> None:
    page, step = layered.page, layered.step
    find(layered, "Read a recipe from")
    expect(page.locator("h1")).to_have_text("Read a recipe from a curve")
    expect(page.locator("#reading-found")).to_contain_text("one of them frame")
    file = FilePayload(name="mast.csv", mimeType="text/csv", buffer=measured_mast().encode())
    page.set_input_files("[name=file]", [file])
    cards = page.locator(".curve-read")
    expect(cards).to_have_count(3)
    expect(page.locator("#reading-file")).to_have_text("mast.csv")
    expect(page.locator(".reading-all")).to_contain_text("They share a swing of 2.439 Hz")
    expect(cards.first.locator(".share.moves")).to_contain_text("moves and ringing")
    again = page.locator("[data-act=reading-again]")
    expect(again).to_be_disabled()

    page.uncheck("[name=column][value=foot]")
    expect(cards).to_have_count(2)
    drawn = cards.first.locator(".made").first.get_attribute("d") or ""
    page.check("[name=take][value=calmer]", force=True)
    expect(cards.first.locator(".made").first).not_to_have_attribute("d", drawn)
    drawn = cards.first.locator(".made").first.get_attribute("d") or ""
    again.click()
    expect(cards.first.locator(".made").first).not_to_have_attribute("d", drawn)

    cards.first.locator("text=Keep on the shelf").click()
    expect(page.locator(".toast").last).to_contain_text("top is on the shelf")
    cards.first.locator("text=Put on").click()
    layered.ready().lands(step + 1)
    expect(page.locator("#strata")).to_contain_text("top")
    page.click("[data-act=undo]")
    layered.lands(step)


def test_what_is_no_table_is_refused_where_it_was_chosen(layered: Studio) -> None:
    page = layered.page
    page.goto(page.url.split("?")[0] + "/reading")
    file = FilePayload(name="a.csv", mimeType="text/csv", buffer=b"a,b\n1,2\n")
    page.set_input_files("[name=file]", [file])
    expect(page.locator("#reading-form .field-error")).to_contain_text("one of them 'frame'")
