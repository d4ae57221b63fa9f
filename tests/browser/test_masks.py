"""Where a deformer acts: shaded, masked by shapes, paint and pictures."""

from __future__ import annotations

import io
import json

import numpy as np
import pytest
from PIL import Image
from playwright.sync_api import Route, expect

from tests.browser.conftest import Studio, until_asked
from tests.browser.shapes import add, cut, node_of, on_the_post

pytestmark = pytest.mark.browser


def test_where_it_acts_is_shaded_and_masks_change_it(shaped: Studio) -> None:
    page = shaped.page
    cut(shaped, 16)
    add(shaped, "undulate", 2)
    page.click("[data-act=where]")
    page.wait_for_function("() => window.lazzik.stage.counts")
    counts = page.evaluate("() => [...window.lazzik.stage.counts]")
    assert min(counts) == 0  # the edge that is held
    assert max(counts) == 1
    page.select_option("#d-mask", "gradient")
    shaped.lands(3)
    expect(page.locator('#strip .knob[data-address$="mask.full"]')).to_be_visible()
    page.wait_for_function(
        "was => JSON.stringify([...window.lazzik.stage.counts]) !== was", arg=json.dumps(counts).replace(" ", "")
    )
    page.select_option("#d-invert", "true")
    shaped.lands(4)
    assert node_of(shaped)["deform"][0]["mask"]["invert"] is True
    page.keyboard.press("x")
    assert page.evaluate("() => window.lazzik.stage.nodes.get('post').mesh.material.wireframe") is True


def test_an_open_end_reads_as_open_and_the_height_of_a_wave_is_shaded(shaped: Studio) -> None:
    page = shaped.page
    cut(shaped, 16)
    add(shaped, "undulate", 2)
    start = page.locator('#strip .knob[data-address$="deform.undulate.start"] input.num')
    expect(page.locator(".handles [data-handle=start]")).to_have_count(1)
    start.fill("")
    start.press("Enter")
    shaped.lands(3)
    expect(start).to_have_value("")
    expect(start).to_have_attribute("placeholder", "open")
    expect(page.locator(".handles [data-handle=start]")).to_have_count(0)
    assert "start" not in node_of(shaped)["deform"][0]
    page.click("[data-act=height]")
    page.wait_for_function("() => window.lazzik.stage.shaded?.length === 1")
    expect(page.locator("[data-act=height]")).to_have_attribute("aria-pressed", "true")
    colors = page.evaluate("() => [...window.lazzik.stage.shaded[0].geometry.attributes.color.array]")
    red, green = np.array(colors).reshape(-1, 3)[:, 0], np.array(colors).reshape(-1, 3)[:, 1]
    assert ((red - green) > 0.2).any(), "one way"
    assert ((green - red) > 0.1).any(), "the other"
    page.click("[data-act=height]")
    page.wait_for_function("() => window.lazzik.stage.shaded.length === 0")


def test_weights_are_painted_on_the_surface(shaped: Studio) -> None:
    page = shaped.page
    cut(shaped, 24)
    add(shaped, "taper", 2)
    page.select_option("#d-mask", "weights")
    page.wait_for_selector("[data-act=paint][aria-pressed=true]")
    page.wait_for_function("() => window.lazzik.stage.counts?.every((v) => v === 0)")
    place = on_the_post(page)
    page.mouse.move(*place)
    page.mouse.down()
    for down in (6, 0, 6, 0, 6):
        page.mouse.move(place[0], place[1] + down)
    page.mouse.up()
    shaped.lands(4)
    page.wait_for_function("() => Math.max(...(window.lazzik.stage.counts ?? [0])) > 0.2")


def test_a_shading_that_comes_late_does_not_cover_a_newer_one(shaped: Studio) -> None:
    page = shaped.page
    add(shaped, "taper", 1)
    slow: list[Route] = []
    page.route("**/counts?*", lambda route: route.continue_() if slow else slow.append(route))
    page.keyboard.press("z")
    until_asked(page, slow)
    old = slow[0].fetch()
    page.fill(".knob.weight input", "0.5")
    page.press(".knob.weight input", "Enter")
    shaped.lands(2)
    page.wait_for_function("() => Math.max(...(window.lazzik.stage.counts ?? [9])) === 0.5")
    with page.expect_response("**/counts?*"):
        slow[0].fulfill(response=old)
    page.evaluate("() => fetch('/scenes').then((answer) => answer.text())")  # the late one is dealt with by now
    assert page.evaluate("() => Math.max(...window.lazzik.stage.counts)") == 0.5


def test_a_picture_is_a_mask(shaped: Studio) -> None:
    page = shaped.page
    add(shaped, "taper", 1)
    file = io.BytesIO()
    Image.fromarray(np.array([[0, 255]], np.uint8)).save(file, "PNG")
    with page.expect_file_chooser() as chooser:
        page.select_option("#d-mask", "picture")
    chooser.value.set_files({"name": "half.png", "mimeType": "image/png", "buffer": file.getvalue()})
    shaped.lands(2)
    assert node_of(shaped)["deform"][0]["mask"]["kind"] == "picture"
