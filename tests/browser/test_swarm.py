"""A swarm as a person makes it: out of an object or in its hollow, drawn in three ways, changed, looped."""

from __future__ import annotations

import re
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from playwright.sync_api import expect
from pxr import Usd

from tests.browser.conftest import Studio
from tests.browser.test_air import go
from tests.browser.test_particles import filmed
from tests.serving import stored

pytestmark = pytest.mark.browser

ALL = "() => { const run = window.lazzik.runs.kept.get('swarm'); return run && run.there.size === run.count; }"
LOW = """() => { const { mesh } = window.lazzik.runs.kept.get('swarm').drawn;
  const all = Array.from(mesh?.geometry.attributes.position?.array ?? []);
  const heights = all.filter((_, k) => k % 3 === 1).sort((a, b) => a - b);
  return heights[Math.floor(heights.length / 5)]; }"""  # some drops leap over the rim
THINGS: list[dict[str, Any]] = [
    {"do": "change-scene", "last": 40},
    {"do": "add-object", "label": "Blob", "shape": {"kind": "ball", "radius": 0.2}, "position": [0.5, 0.9, 0.5]},
    {"do": "add-object", "label": "Bowl", "shape": {"kind": "basin", "base": True}, "position": [0.5, 0.2, 0.5]},
]


def test_a_ball_turns_into_a_swarm_that_falls_into_a_basin(small: Studio) -> None:
    page = small.page
    url = page.url.split("?")[0]
    stored(f"{url}/edits", {"revision": 0, "edits": THINGS})
    page.goto(f"{url}?at=blob/shape")
    page.wait_for_selector("body[data-ready]")
    page.keyboard.press("a")
    page.get_by_role("button", name="Swarm out of Blob").click()
    small.lands(2)
    expect(page.locator("#strata .trail")).to_contain_text("swarm out of Blob")
    page.wait_for_function(ALL)
    page.wait_for_selector("[data-course=pace] path.trace")
    # it floats nowhere: it meets the basin and stays in it
    page.get_by_role("button", name="Meets").click()
    page.locator(".dropdown-menu.show").get_by_role("button", name="Bowl", exact=True).click()
    small.lands(3)
    expect(page.locator("#strata")).to_contain_text("It meets")
    page.wait_for_function(ALL)
    go(page, 0)
    page.wait_for_function(f"() => ({LOW})() > 0.6")
    go(page, 40)
    page.wait_for_function(f"() => {{ const low = ({LOW})(); return low > 0.2 && low < 0.35; }}")
    # drawn as balls, as points, as a shell again
    page.select_option("#sw-drawn", "balls")
    small.lands(4)
    page.wait_for_function("() => window.lazzik.runs.kept.get('swarm').drawn.mesh.shown > 500")
    page.select_option("#sw-drawn", "points")
    small.lands(5)
    page.wait_for_function("() => window.lazzik.runs.kept.get('swarm').drawn.points?.visible")
    page.select_option("#sw-drawn", "shell")
    small.lands(6)
    page.wait_for_function(f"() => ({LOW})() > 0.2")
    # while a number is dragged it is shown coarsely, then as its run has it
    slider = page.locator('.knob[data-address="swarm/swarm.viscosity"] input[type=range]').bounding_box()
    assert slider is not None
    y = slider["y"] + slider["height"] / 2
    page.mouse.move(slider["x"] + slider["width"] * 0.05, y)
    page.mouse.down()
    page.mouse.move(slider["x"] + slider["width"] * 0.5, y, steps=3)
    page.wait_for_function("() => window.lazzik.runs.kept.get('swarm').thin")
    expect(page.locator("#run-said")).to_contain_text("coarsely")
    page.mouse.up()
    small.lands(7)
    page.wait_for_function(ALL)
    page.wait_for_function("() => !document.querySelector('#run-said').textContent.includes('coarsely')")
    # why, locked, and the loop with its seam
    page.keyboard.press("Escape")
    page.keyboard.press("w")
    expect(page.locator("dialog[open], .sheet")).to_contain_text(re.compile("Swarm / swarm"))
    page.keyboard.press("Escape")
    page.get_by_role("button", name="Loop", exact=True).click()
    small.lands(8)
    expect(page.locator('.knob[data-address="swarm/swarm.blend"]')).to_be_visible()
    page.wait_for_function(ALL)
    page.get_by_role("button", name="Lock", exact=True).click()
    small.lands(9)
    expect(page.locator("#run-said")).to_contain_text("locked")


def test_a_recipe_of_a_drop_is_there_by_one_press(small: Studio) -> None:
    page = small.page
    page.keyboard.press("a")
    page.locator("[data-act=add-this]", has_text="Drop that holds together").click()
    small.lands(1)
    expect(page.locator("#strata .trail")).to_contain_text("swarm out of Drop")
    page.wait_for_function("() => window.lazzik.runs.kept.get('afloat')?.kept.size")
    page.wait_for_function("() => window.lazzik.runs.kept.get('afloat').drawn.mesh.visible")


@pytest.mark.slow
def test_a_film_has_its_shell_and_openusd_goes_out_from_the_page(small: Studio, tmp_path: Path) -> None:
    page = small.page
    url = page.url.split("?")[0]
    blob = THINGS[1] | {"position": [0, 0.6, 1.5]}
    short = [{"do": "change-scene", "last": 12}, blob, {"do": "pour", "of": "blob"}]
    stored(f"{url}/edits", {"revision": 0, "edits": short})
    page.goto(f"{url}?at=swarm/swarm")
    page.wait_for_selector("body[data-ready]")
    page.wait_for_function(ALL)
    seen = filmed(page, url, tmp_path / "with.zip", 1, 2)
    with page.expect_download() as written:
        page.click("text=Write OpenUSD")
    written.value.save_as(tmp_path / "small.usdz")
    stage = Usd.Stage.Open(str(tmp_path / "small.usdz"))
    shell = stage.GetPrimAtPath("/World/Particles/swarm")
    assert shell.GetTypeName() == "Mesh"
    assert len(shell.GetAttribute("points").GetTimeSamples()) == 13
    hide = [{"do": "change-object", "node": "swarm", "visible": False}]
    stored(f"{url}/edits", {"revision": 1, "edits": hide})
    bare = filmed(page, url, tmp_path / "without.zip", 1, 2)
    assert (np.abs(seen - bare).max(axis=2) > 8).sum() > 300
