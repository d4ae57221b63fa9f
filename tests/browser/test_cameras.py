"""Cameras as a person sets them up: aim, orbit, pan, an unsteady hand on several numbers as one thing."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from playwright.sync_api import Page, expect

from tests.browser.conftest import Studio
from tests.browser.shapes import node_of, scene_of
from tests.browser.test_walks import Walk, chosen, drawn

pytestmark = pytest.mark.browser


def place(page: Page, node: str, frame: int) -> list[float]:
    """An object's matrix in the scene as the stage has it at a frame, column by column."""
    page.evaluate("frame => window.lazzik.transport.go(frame)", frame)
    page.wait_for_function("n => window.lazzik.stage.frame === n && !window.lazzik.stage.waiting", arg=frame)
    found: list[float] = page.evaluate(
        "id => { const { item } = window.lazzik.stage.nodes.get(id); item.updateWorldMatrix(true, false);"
        " return item.matrixWorld.toArray(); }",
        node,
    )
    return found


def looks(matrix: list[float]) -> Any:
    """Where a camera's matrix looks."""
    return -np.array(matrix[8:11]) / np.linalg.norm(matrix[8:11])


@pytest.mark.slow
def test_a_camera_aims_at_what_moves_with_an_unsteady_hand_in_a_window(small: Studio) -> None:
    page = small.page
    page.click('.channel[data-address="post/position.y"]')
    page.keyboard.press("l")
    page.click("[data-add=wave]")
    small.lands(1)
    before = scene_of(small)
    walk = Walk(small, 1)
    walk.press("#row-camera > a")
    chosen(page, "Camera")
    walk.key("j")
    walk.press("#aim-list button:has-text('Post')", lands=True)
    expect(page.locator(".trail strong")).to_have_text("aim")
    assert walk.actions == 3  # it aims
    for frame in (0, 20, 50):
        eye, post = np.array(place(page, "camera", frame)), place(page, "post", frame)
        away = np.array(post[12:15]) - eye[12:15]
        np.testing.assert_allclose(looks(list(eye)), away / np.linalg.norm(away), atol=1e-5)
    steady = looks(place(page, "camera", 20))
    walk.press(".channel.whole a:has-text('rotation')")
    expect(page.locator("#choice-bar strong")).to_have_text("3 numbers")
    walk.key("l")
    walk.press("[data-add=noise]", lands=True)
    walk.pull("#sheaves [data-grip=start]", 40)
    walk.pull("#sheaves [data-grip='fade in']", 20)
    walk.pull("#sheaves [data-grip=end]", -30)
    walk.is_told("a camera that aims at a moving target, its hand unsteady in a window")
    (sheaf,) = scene_of(small)["sheaves"]
    assert sheaf["window"] == {
        "start": pytest.approx(40, abs=2), "end": pytest.approx(120, abs=2), "fade_in": pytest.approx(20, abs=2),
    }  # fmt: skip
    np.testing.assert_allclose(looks(place(page, "camera", 20)), steady, atol=1e-6)  # before the window
    shaken = looks(place(page, "camera", 90))
    away = np.array(place(page, "post", 90)[12:15]) - np.array(place(page, "camera", 90)[12:15])
    assert np.degrees(np.arccos(shaken @ (away / np.linalg.norm(away)))) > 0.5
    walk.undo_all()
    assert scene_of(small) == before


def test_the_line_to_the_target_is_drawn_while_what_aims_is_chosen(small: Studio) -> None:
    page = small.page
    page.click("#row-camera > a")
    chosen(page, "Camera")
    assert page.evaluate("() => window.lazzik.stage.aimLine.drawn") is None
    page.keyboard.press("j")
    page.fill("#aim-find", "pos")
    expect(page.locator("#aim-list button:visible")).to_have_count(1)
    page.click("#aim-list button:has-text('Post')")
    small.lands(1)
    page.wait_for_function("() => window.lazzik.stage.aimLine.drawn !== null && !window.lazzik.stage.waiting")
    ends = page.evaluate("() => [...window.lazzik.stage.aimLine.drawn.geometry.attributes.position.array]")
    np.testing.assert_allclose(ends[:3], place(page, "camera", 0)[12:15], atol=1e-6)
    np.testing.assert_allclose(ends[3:], place(page, "post", 0)[12:15], atol=1e-6)
    page.click("text=Remove the aim")
    small.lands(2)
    page.wait_for_function("() => window.lazzik.stage.aimLine.drawn === null")
    assert "aim" not in node_of(small, "camera")


def test_the_numbers_and_choices_of_an_aim(small: Studio) -> None:
    page = small.page
    page.click("#row-post > a")
    chosen(page, "Post")
    page.keyboard.press("j")
    page.click("#aim-list button:has-text('Camera')")
    small.lands(1)
    page.select_option("#aim-about", "y")
    small.lands(2)
    expect(page.locator("#strip .knob[data-address='post/aim.roll']")).to_have_count(0)
    page.select_option("#aim-lag", "True")
    small.lands(3)
    page.fill("#strip .knob[data-address='post/aim.frequency'] input.num", "2")
    page.press("#strip .knob[data-address='post/aim.frequency'] input.num", "Enter")
    small.lands(4)
    page.select_option("#aim-axis", "y")
    expect(page.locator("#strip .field-error")).to_contain_text("can't aim with that axis")
    page.click("[data-act=aim] >> nth=-1")
    page.click("dialog button:has-text('A point of the scene')")
    small.lands(5)
    aim = node_of(small)["aim"]
    assert (aim.get("target"), aim["about"], aim["lag"], aim["frequency"]) == (None, "y", True, 2.0)
    assert (aim["point"]["y"], aim["point"]["z"]) == (1.9, 6.5)  # where the camera stands
    page.click(".flag[aria-label='Mute the aim']")
    small.lands(6)
    assert node_of(small)["aim"]["muted"] is True


def test_an_orbit_is_fitted_to_the_range_and_wobbles(small: Studio) -> None:
    walk, page = Walk(small), small.page
    before = scene_of(small)
    was = place(page, "camera", 0)
    walk.press("#row-camera > a")
    chosen(page, "Camera")
    walk.press("[data-act=orbit]")
    walk.press("#aim-list button:has-text('Post')", lands=True)
    chosen(page, "Orbit of Post")
    walk.press('.channel[data-address$="/position.y"]')
    expect(page.locator(".trail strong")).to_contain_text("position y")
    walk.key("l")
    walk.press("[data-add=noise]", lands=True)
    walk.is_told("an orbit fitted to the range, with a wobble")
    far = [np.hypot(*np.array(place(page, "camera", frame))[[12, 14]]) for frame in (0, 40, 75, 120, 150)]
    np.testing.assert_allclose(far, far[0], rtol=1e-5)
    half = place(page, "camera", 75)
    np.testing.assert_allclose([half[12], half[14]], [-was[12], -was[14]], atol=1e-4)
    assert np.ptp(drawn(walk, "orbit-of-post/position.y")) > 0.05
    walk.undo_all()
    assert scene_of(small) == before


def test_a_pan_fills_the_range_and_its_ends_are_swapped(small: Studio) -> None:
    walk, page = Walk(small), small.page
    before = scene_of(small)
    walk.press("#row-camera > a")
    chosen(page, "Camera")
    walk.press("[data-act=pan]", lands=True)
    expect(page.locator(".lane.chosen strong")).to_have_text("Pan")
    way = np.array(small.result())
    expect(page.locator(".strip-note")).to_have_text(f"{(way[-1] - way[0]) / 5:.4g} m/s")
    walk.press("[data-act=swap-ends]", lands=True)
    walk.is_told("a pan with its ends swapped")
    page.wait_for_function("was => window.lazzik.strata.data.result[0] !== was", arg=float(way[0]))
    np.testing.assert_allclose(small.result(), way[::-1], atol=1e-6)
    assert np.ptp(np.diff(way)) < 1e-6
    expect(page.locator("[data-act=fit-range]")).to_have_attribute("aria-pressed", "true")
    walk.undo_all()
    assert scene_of(small) == before


def gathered(small: Studio) -> Walk:
    """A sheaf of noise over the rotation of what is shown."""
    page, walk = small.page, Walk(small)
    page.click(".channel.whole a:has-text('rotation')")
    expect(page.locator("#choice-bar strong")).to_have_text("3 numbers")
    page.keyboard.press("l")
    page.click("[data-add=noise]")
    small.lands(1)
    walk.step = 1
    return walk


def test_a_hand_on_six_numbers_is_one_thing(small: Studio) -> None:
    walk, page = Walk(small), small.page
    page.click("#row-camera > a")
    chosen(page, "Camera")
    before = scene_of(small)
    walk.press(".channel.whole a:has-text('position')")
    expect(page.locator("#choice-bar strong")).to_have_text("3 numbers")
    walk.press(".channel.whole a:has-text('rotation')", modifiers=["ControlOrMeta"])
    expect(page.locator("#choice-bar strong")).to_have_text("6 numbers")
    walk.key("l")
    walk.press("[data-add=noise]", lands=True)
    expect(page.locator("#sheaves .sheaf-row")).to_have_count(1)
    walk.pull("#sheaves [data-grip=start]", 30)
    walk.pull("#sheaves [data-grip='fade in']", 25)
    walk.press("#sheaves .flag[title=Mute]", lands=True)
    walk.press("#sheaves .key-now", lands=True)
    walk.is_told("a hand on six numbers, trimmed, faded, muted, its weight keyed")
    (sheaf,) = scene_of(small)["sheaves"]
    assert (sheaf["muted"], len(sheaf["weight"]["keys"])) == (True, 1)
    camera = node_of(small, "camera")
    layers = [camera[part][axis]["layers"][0] for part in ("position", "rotation") for axis in "xyz"]
    assert {layer["sheaf"] for layer in layers} == {"noise"}
    assert len({layer["seed"] for layer in layers}) == 6
    walk.undo_all()
    assert scene_of(small) == before


def test_the_block_of_a_sheaf_takes_the_motion_along_and_with_alt_goes_alone(small: Studio) -> None:
    page, walk = small.page, gathered(small)
    walk.pull("#sheaves [data-grip=start]", 20)
    walk.pull("#sheaves [data-grip=end]", -60)
    before = drawn(walk, "post/rotation.z")
    walk.pull("#sheaves path.block", 30)
    (sheaf,) = scene_of(small)["sheaves"]
    by = sheaf["window"]["start"] - 20
    assert by == pytest.approx(30, abs=2)
    after = drawn(walk, "post/rotation.z")
    first, last = 22, 85
    np.testing.assert_allclose(after[first + by : last + by], before[first:last], atol=1e-5)
    page.keyboard.down("Alt")
    walk.pull("#sheaves path.block", -10)
    page.keyboard.up("Alt")
    alone = drawn(walk, "post/rotation.z")
    np.testing.assert_allclose(alone[first + by : last + by - 15], after[first + by : last + by - 15], atol=1e-5)
    walk.step = small.step
    grip = page.locator("#sheaves [data-grip=end]")
    grip.focus()
    page.keyboard.press("Shift+ArrowRight")
    small.lands(walk.step + 1)
    expect(page.locator("#sheaves [data-grip=end]")).to_be_focused()


def test_the_block_of_a_sheaf_is_there_whatever_is_laid_open(small: Studio) -> None:
    page, walk = small.page, gathered(small)
    page.goto(f"{page.url.split('?')[0]}?at=post/shape")
    small.ready()
    whole = page.locator("#sheaves path.block").bounding_box()
    ruler = page.locator("#ruler").bounding_box()
    assert whole
    assert ruler
    assert whole["width"] == pytest.approx(ruler["width"], abs=4)
    walk.pull("#sheaves [data-grip=start]", 30)
    (sheaf,) = scene_of(small)["sheaves"]
    assert sheaf["window"]["start"] == pytest.approx(30, abs=2)
    page.wait_for_function(
        "width => document.querySelector('#sheaves path.block').getBoundingClientRect().width < 0.9 * width",
        arg=whole["width"],
    )


def test_a_sheaf_is_opened_renamed_joined_left_and_taken_apart(small: Studio) -> None:
    page = small.page
    page.click(".channel.whole a:has-text('rotation')")
    expect(page.locator("#choice-bar strong")).to_have_text("3 numbers")
    page.keyboard.press("l")
    page.click("[data-add=noise]")
    small.lands(1)
    page.dblclick("#sheaves [data-rename]")
    page.fill("#sheaves input.rename", "Flutter")
    page.press("#sheaves input.rename", "Enter")
    small.lands(2)
    page.click("#row-post > a")
    chosen(page, "Post")
    page.click('.channel[data-address="post/position.x"]')
    expect(page.locator(".trail strong")).to_have_text("Post / position x")
    page.keyboard.press("l")
    page.click("#layer-list [data-act=join-sheaf]")
    small.lands(3)
    expect(page.locator(".lane.layer .faint")).to_contain_text("Flutter")
    page.click("#sheaves a.lane-name")
    expect(page.locator(".trail strong")).to_have_text("sheaf / Flutter")
    expect(page.locator(".sheaf-members a")).to_have_count(4)
    page.fill("#sheaf-strip [data-into=start] input", "25")
    page.press("#sheaf-strip [data-into=start] input", "Enter")
    small.lands(4)
    page.click(".sheaf-members button >> nth=0")
    small.lands(5)
    expect(page.locator(".sheaf-members a")).to_have_count(3)
    page.click("text=Take apart")
    small.lands(6)
    expect(page.locator("#sheaves .sheaf-row")).to_have_count(0)
    scene = scene_of(small)
    assert "sheaves" not in scene
    post = next(node for node in scene["nodes"] if node["id"] == "post")
    windows = [post[part][axis]["layers"][0]["window"] for part, axis in (("position", "x"), ("rotation", "x"))]
    assert windows == [{"start": 25}, {"start": 25}]
