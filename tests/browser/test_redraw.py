"""Nothing is drawn that did not change."""

from __future__ import annotations

import re

from playwright.sync_api import FilePayload, Page, expect

from lazzik.core.scene.serialize import scene_text
from lazzik.demo.starts import BY_KEY
from tests.browser.conftest import Studio
from tests.conftest import edited

ADDRESS = "post/rotation.z"

FRAMES = """() => new Promise((done) => {
  let left = 20;
  const next = () => (left-- ? requestAnimationFrame(next) : done());
  next();
})"""
"""Lets twenty pictures of the page go by."""


def drawn(page: Page) -> int:
    """Pictures of the stage so far, once nothing more is on its way."""
    page.wait_for_function("() => window.lazzik.settled() && !window.lazzik.stage.waiting")
    page.evaluate(FRAMES)
    return int(page.evaluate("() => window.lazzik.stage.frames"))


def test_the_stage_rests_while_nothing_changes(layered: Studio) -> None:
    page = layered.page
    before = drawn(page)
    assert before > 0
    assert drawn(page) == before
    # another number of the same object, another frame of a number that stands still: nothing of it is on the stage
    page.evaluate("() => window.lazzik.choose('post/rotation.x')")
    expect(page.locator(".trail strong")).to_have_text("Post / rotation x")
    assert drawn(page) == before
    page.evaluate("() => window.lazzik.stage.invalidate()")
    assert drawn(page) == before + 1


def test_the_stage_follows_a_frame_only_where_something_moves(small: Studio, layered: Studio) -> None:
    page = layered.page
    before = drawn(page)
    page.evaluate("() => window.lazzik.transport.go(40)")
    moved = drawn(page)
    assert moved == before + 1
    page.evaluate("() => window.lazzik.transport.go(40)")
    assert drawn(page) == moved


def test_a_still_scene_is_not_drawn_again_while_it_plays(small: Studio) -> None:
    page = small.page
    before = drawn(page)
    for frame in (5, 60, 90):
        page.evaluate("frame => window.lazzik.transport.go(frame)", frame)
    assert drawn(page) == before


def test_a_lane_that_does_not_change_keeps_its_curve(layered: Studio) -> None:
    page = layered.page
    page.click("#add-layer")
    page.click("[data-add=wave]")
    layered.lands(2)
    drawn(page)  # once lanes have the sizes that they keep
    kept = page.locator('svg[data-lane="noise"] path.trace').element_handle()
    expect(page.locator('svg[data-lane="wave"] path.trace')).to_have_attribute("d", re.compile("^M"))
    other = layered.trace("wave")
    layered.drag(layered.knob("period").locator("input[type=range]"), 30)
    layered.lands(3)
    page.wait_for_function(
        "d => document.querySelector('svg[data-lane=wave] path.trace').getAttribute('d') !== d", arg=other
    )
    assert kept.evaluate("path => path.isConnected")


def test_lanes_out_of_sight_are_drawn_when_they_are_scrolled_to(page: Page) -> None:
    many = edited(BY_KEY["empty"].build("Many"), *[{"do": "add-layer", "address": ADDRESS, "kind": "noise"}] * 40)
    file: FilePayload = {"name": "many.json", "mimeType": "application/json", "buffer": scene_text(many).encode()}
    opened = page.request.post("/scenes/open", multipart={"file": file})
    page.goto(f"{opened.url.split('?')[0]}?at={ADDRESS}")
    Studio(page).ready()
    lanes = page.locator("#lanes .lane.layer")
    assert lanes.count() == 40
    drawn_lanes = "() => document.querySelectorAll('#lanes .lane.layer path.trace').length"
    assert 2 < int(page.evaluate(drawn_lanes)) < 30
    page.evaluate("() => { const box = document.querySelector('.lanes-scroll'); box.scrollTop = box.scrollHeight; }")
    expect(lanes.last.locator("path.trace")).to_have_attribute("d", re.compile("^M"))
