"""Lamps on the stage: their light follows what is keyed and what flickers, and their reach is drawn."""

from __future__ import annotations

import numpy as np
import pytest
from playwright.sync_api import expect

from tests.browser.conftest import Studio
from tests.browser.test_walks import Walk, chosen, drawn

pytestmark = pytest.mark.browser

SUM = """() => new Promise((done) => { const { stage } = window.lazzik; stage.bare(() => {
    const gl = stage.renderer.getContext(); const [width, height] = [gl.drawingBufferWidth, gl.drawingBufferHeight];
    const dots = new Uint8Array(4 * width * height);
    gl.readPixels(0, 0, width, height, gl.RGBA, gl.UNSIGNED_BYTE, dots);
    done(dots.reduce((sum, dot) => sum + dot, 0)); }); })"""


def light(studio: Studio, frame: int) -> float:
    """How strong the stage's lamp is at a frame."""
    page = studio.page
    page.evaluate("frame => window.lazzik.transport.go(frame)", frame)
    page.wait_for_function("n => window.lazzik.stage.frame === n && !window.lazzik.stage.waiting", arg=frame)
    return float(page.evaluate("() => window.lazzik.stage.nodes.get('lamp').light.intensity"))


@pytest.fixture
def lit(small: Studio) -> Studio:
    """A lamp over the floor, its intensity keyed from dark to bright."""
    page = small.page
    page.keyboard.press("a")
    page.click(".object-kinds button:has-text('Lamp')")
    small.lands(1)
    chosen(page, "Lamp")
    walk = Walk(small, 1)
    walk.value("lamp/position.y", "1.5")
    walk.value("lamp/position.x", "1")
    page.click('.channel[data-address="lamp/light.intensity"]')
    expect(page.locator(".trail strong")).to_contain_text("intensity")
    for frame, value in ((0, "0"), (100, "12")):
        page.evaluate("frame => window.lazzik.transport.go(frame)", frame)
        page.keyboard.press("k")
        walk.did(True)
        page.fill(".knob.base-value input", value)
        page.press(".knob.base-value input", "Enter")
        walk.did(True)
    return small


def test_a_lamp_is_seen_as_strong_as_it_is_keyed_and_flickers_on_top_or_instead(lit: Studio) -> None:
    page = lit.page
    assert light(lit, 0) == 0
    dark = page.evaluate(SUM)
    assert light(lit, 100) == pytest.approx(12)
    assert page.evaluate(SUM) > dark * 1.02
    step = lit.step
    page.keyboard.press("l")
    page.click("[data-add=noise]")
    lit.lands(step + 1)
    walk = Walk(lit, step + 1)
    for combine in ("multiply", "replace"):
        lit.unfolded('.knob[data-into="combine"] select').select_option(combine)
        walk.did(True)
        wanted = drawn(walk, "lamp/light.intensity")
        frames = [10, 40, 70, 100, 140]
        page.wait_for_function(
            "([frame, value]) => { const { stage, transport } = window.lazzik; transport.go(frame);"
            " return Math.abs(stage.nodes.get('lamp').light.intensity - Math.max(0, value)) < 1e-3; }",
            arg=[frames[0], float(wanted[frames[0]])],
        )
        np.testing.assert_allclose([light(lit, frame) for frame in frames], np.maximum(wanted[frames], 0), atol=1e-3)
        page.evaluate("() => window.lazzik.choose('lamp/light.intensity#noise')")
        expect(page.locator(".lane.chosen")).to_have_count(1)


def test_how_far_the_chosen_lamp_reaches_is_drawn(lit: Studio) -> None:
    page = lit.page
    light(lit, 100)
    size = page.evaluate("() => window.lazzik.stage.lampMark.drawn.scale.x")
    assert size == pytest.approx(12**0.5)  # a candela gives a lux at a metre, and less by the square
    where = page.evaluate("() => window.lazzik.stage.lampMark.drawn.position.toArray()")
    assert where == pytest.approx([1, 1.5, 0])
    page.click("#row-post > a")
    page.wait_for_function("() => window.lazzik.stage.lampMark.drawn === null")
