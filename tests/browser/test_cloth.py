"""Cloth as a person makes it: one press, held, moved, changed, muted, baked and delivered."""

from __future__ import annotations

import re

import pytest
from playwright.sync_api import expect

from tests.browser.conftest import Studio
from tests.browser.test_air import go
from tests.serving import stored

pytestmark = pytest.mark.browser

ALL = "() => { const run = window.lazzik.runs.kept.get('cover'); return run && run.there.size === run.count; }"
LOW = """() => { const { position } = window.lazzik.stage.nodes.get('cover').mesh.geometry.attributes;
  return Array.from(position.array).reduce((low, y, k) => (k % 3 === 1 ? Math.min(low, y) : low), Infinity); }"""
SHEET = {"kind": "sheet", "width": 1.0, "height": 1.0, "columns": 12, "rows": 12}
THINGS = [
    {"do": "change-scene", "last": 40},
    {"do": "add-object", "label": "Cover", "shape": SHEET, "position": [0, 1.5, 0]},
    {"do": "add-object", "label": "Wind", "field": {"kind": "wind", "speed": 4.0}},
]


def test_a_sheet_becomes_cloth_by_one_press_hangs_lets_go_and_is_baked(small: Studio) -> None:
    page = small.page
    url = page.url.split("?")[0]
    stored(f"{url}/edits", {"revision": 0, "edits": THINGS})
    page.goto(f"{url}?at=cover/shape")
    page.wait_for_selector("body[data-ready]")
    page.click("[data-act=drape]")
    small.lands(2)
    expect(page.locator("#strata .trail")).to_contain_text("cloth, canvas, 169 points")
    page.wait_for_function(ALL)
    go(page, 20)
    page.wait_for_function(f"() => ({LOW})() < -0.008")  # it sags between its corners
    page.wait_for_selector("[data-course=pace] path.trace")
    # another stuff is one step; what was worked out before comes back with undo
    sagged = page.evaluate(LOW)
    page.select_option("#cl-stuff", "silk")
    small.lands(3)
    page.wait_for_function(ALL)
    expect(page.locator("#strata .trail")).to_contain_text("silk")
    page.keyboard.press("Escape")
    page.keyboard.press("Control+z")
    small.lands(2)
    page.wait_for_function(f"was => ({LOW})() === was", arg=sagged)
    # while a number is dragged it is shown coarsely, then as its run has it
    slider = page.locator('.knob[data-address="cover/cloth.gravity"] input[type=range]').bounding_box()
    assert slider is not None
    y = slider["y"] + slider["height"] / 2
    page.mouse.move(slider["x"] + slider["width"] - 3, y)
    page.mouse.down()
    page.mouse.move(slider["x"] + slider["width"] * 0.9, y, steps=3)
    page.wait_for_function("() => window.lazzik.runs.kept.get('cover').thin")
    expect(page.locator("#run-said")).to_contain_text("coarsely")
    page.mouse.up()
    small.lands(4)
    page.wait_for_function(ALL)
    page.wait_for_function("() => !document.querySelector('#run-said').textContent.includes('coarsely')")
    # held at an edge too, and let go there
    page.get_by_role("button", name="Hold at").click()
    page.get_by_role("button", name="left edge", exact=True).click()
    small.lands(5)
    expect(page.locator(".pin-row legend")).to_have_text(["Corners", "Left edge"])
    page.get_by_role("button", name="Hold it no more at Corners").click()
    small.lands(6)
    page.wait_for_function(ALL)
    page.wait_for_function(f"() => ({LOW})() < -0.3")
    # it falls on the floor
    page.get_by_role("button", name="Falls on").click()
    page.locator(".dropdown-menu.show").get_by_role("button", name="Floor", exact=True).click()
    small.lands(7)
    expect(page.locator("#strata")).to_contain_text("It falls on")
    page.wait_for_function(ALL)
    # stiff while it is muted
    page.get_by_role("button", name="Mute", exact=True).click()
    small.lands(8)
    page.wait_for_function(f"() => Math.abs(({LOW})()) < 1e-6")
    page.get_by_role("button", name="Mute", exact=True).click()
    small.lands(9)
    page.wait_for_function(ALL)
    # why, and the loop with its seam
    page.keyboard.press("Escape")
    page.keyboard.press("w")
    expect(page.locator("dialog[open], .sheet")).to_contain_text(re.compile("Cover / cloth"))
    page.keyboard.press("Escape")
    page.get_by_role("button", name="Loop", exact=True).click()
    small.lands(10)
    expect(page.locator('.knob[data-address="cover/cloth.blend"]')).to_be_visible()
    page.wait_for_function(ALL)
    # baked to shapes
    page.goto(f"{url}?at=cover/shape")
    page.wait_for_selector("body[data-ready]")
    page.click("[data-sheet=shape-bake]")
    page.fill("#shape-bake-form [name=tolerance]", "20")
    page.click("#shape-bake-form button:has-text('Bake the shape')")
    small.lands(11)
    expect(page.locator("[data-sheet=shape-bake]")).to_contain_text("Baked")


CENTRE = """() => { const { stage } = window.lazzik; const { item } = stage.nodes.get('cover');
  const at = item.getWorldPosition(item.position.clone()).project(stage.camera);
  const { left, top, width, height } = stage.canvas.getBoundingClientRect();
  return [left + (at.x + 1) / 2 * width, top + (1 - at.y) / 2 * height]; }"""


def test_where_it_is_held_is_painted_onto_it(small: Studio) -> None:
    page = small.page
    url = page.url.split("?")[0]
    standing = SHEET | {"standing": True}
    edits = [
        {"do": "change-scene", "last": 24},
        {"do": "add-object", "label": "Cover", "shape": standing, "position": [0, 1.2, 1]},
        {"do": "drape", "node": "cover"},
    ]
    stored(f"{url}/edits", {"revision": 0, "edits": edits})
    page.goto(f"{url}?at=cover/cloth")
    page.wait_for_selector("body[data-ready]")
    page.wait_for_function(ALL)
    page.get_by_role("button", name="Hold at").click()
    page.get_by_role("button", name="where you paint").click()
    page.wait_for_function("() => window.lazzik.stage.counts?.every((v) => v === 0)")
    x, y = page.evaluate(CENTRE)
    page.mouse.move(x, y)
    page.mouse.down()
    for aside in (6, 0, 6, 0, 6):
        page.mouse.move(x + aside, y)
    page.mouse.up()
    small.lands(2)
    expect(page.locator(".pin-row legend")).to_have_text(["Top edge", "Painted"])
    expect(page.locator(".pin-row [data-act=paint-pin]")).to_have_attribute("aria-pressed", "true")
    page.wait_for_function("() => Math.max(...(window.lazzik.stage.counts ?? [0])) > 0.5")
    page.click(".pin-row [data-act=paint-pin]")
    page.wait_for_function("() => !window.lazzik.stage.counts")
    page.wait_for_function(ALL)
