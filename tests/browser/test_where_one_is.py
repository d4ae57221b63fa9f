"""Where one is: keys after a press, what opens, what is found again, how one gets back."""

from __future__ import annotations

from urllib.parse import urlsplit

import pytest
from playwright.sync_api import Page, expect

from tests.browser.conftest import Studio
from tests.serving import Server

pytestmark = pytest.mark.browser

FRAME = "() => window.lazzik.transport.frame"


def frame(page: Page) -> int:
    return int(page.evaluate(FRAME))


PRESSES = (
    "#row-post > a",
    "#tree .channel[data-address='post/position.y']",
    "[data-act=path]",
    "#lanes svg.curve[data-lane=base]",
    ".tree .pair a[data-moving=false]",
    "#ruler",
    "#canvas",
)


@pytest.mark.parametrize("press", PRESSES)
def test_after_a_press_the_keys_of_time_are_there(small: Studio, press: str) -> None:
    page = small.page
    page.click(press)
    page.keyboard.press("Home")
    page.wait_for_function("() => window.lazzik.transport.frame === 0")
    page.keyboard.press("ArrowRight")
    page.wait_for_function("() => window.lazzik.transport.frame === 1")
    page.keyboard.press("Space")
    page.wait_for_function("() => window.lazzik.transport.playing !== null && window.lazzik.transport.frame > 2")
    page.keyboard.press("Space")
    page.wait_for_function("() => window.lazzik.transport.playing === null")
    page.keyboard.press("End")
    page.wait_for_function(
        "() => window.lazzik.transport.frame === Number(document.querySelector('#ruler').ariaValueMax)"
    )


def test_a_control_that_was_reached_by_tab_keeps_its_own_keys(small: Studio) -> None:
    page = small.page
    page.click("#row-post > a")
    page.keyboard.press("Tab")
    page.locator("[data-act=path]").focus()
    before = page.locator("[data-act=path]").get_attribute("aria-pressed")
    page.keyboard.press("Space")
    expect(page.locator("[data-act=path]")).not_to_have_attribute("aria-pressed", str(before))
    assert page.evaluate("() => window.lazzik.transport.playing") is None


@pytest.mark.slow
def test_a_scene_opens_with_what_moves_most_and_then_with_what_it_was_left_with(
    page: Page, server: Server, demo_url: str
) -> None:
    card = page.locator(f".scene-card a[href^='{urlsplit(demo_url).path}']").first
    page.goto(f"{server.url}/scenes")
    card.click()
    studio = Studio(page).ready()
    chosen = page.locator("#tree .channel.chosen")
    expect(chosen).to_have_attribute("data-address", "rotor/rotation.y")
    expect(chosen).to_be_in_viewport()
    page.click("#row-mast > a")
    page.click("#tree .channel[data-address='mast/position.y']")
    expect(chosen).to_have_attribute("data-address", "mast/position.y")
    page.evaluate("() => window.lazzik.transport.go(77)")
    page.keyboard.press("+")
    page.wait_for_function("() => !document.querySelector('#fit-view').disabled")
    page.click(".steps a:has-text('Bake')")
    page.wait_for_selector("#bake-form")
    page.click(".steps a:has-text('Stage')")
    studio.ready()
    expect(chosen).to_have_attribute("data-address", "mast/position.y")
    assert frame(page) == 77
    expect(page.locator("#fit-view")).to_be_enabled()
    page.goto(f"{server.url}/scenes")
    card.click()
    studio.ready()
    expect(chosen).to_have_attribute("data-address", "mast/position.y")


def test_escape_closes_the_desk_before_it_ends_a_choice_and_a_new_layer_is_never_hidden(small: Studio) -> None:
    page = small.page
    page.click("#row-floor > a", modifiers=["Control"])
    expect(page.locator("#together")).to_be_visible()
    page.keyboard.press("e")
    page.wait_for_selector("#work.desk")
    page.keyboard.press("Escape")
    page.wait_for_selector("#work:not(.desk)")
    expect(page.locator("#together")).to_be_visible()
    page.keyboard.press("Escape")
    expect(page.locator("#together")).to_have_count(0)
    page.keyboard.press("e")
    page.wait_for_selector("#work.desk")
    page.click("#add-layer")
    page.click("[data-add=noise]")
    small.lands(1)
    page.wait_for_selector("#work:not(.desk)")
    expect(page.locator(".lane.layer.chosen")).to_be_visible()


def test_escape_gives_a_slider_back(small: Studio) -> None:
    page = small.page
    page.click("#add-layer")
    page.click("[data-add=wave]")
    small.lands(1)
    knob = page.locator("#strip .knob[data-address$='.amplitude']")
    field = knob.locator("input.num")
    before = field.input_value()
    box = knob.locator("input[type=range]").bounding_box()
    assert box
    page.mouse.move(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
    page.mouse.down()
    page.mouse.move(box["x"] + box["width"] * 0.9, box["y"] + box["height"] / 2, steps=4)
    page.wait_for_function("() => window.lazzik.strata.holding")
    page.keyboard.press("Escape")
    page.mouse.move(box["x"] + box["width"] * 0.7, box["y"] + box["height"] / 2, steps=4)
    page.mouse.up()
    page.wait_for_function("() => !window.lazzik.strata.holding")
    expect(field).to_have_value(before)
    assert small.step == 1
