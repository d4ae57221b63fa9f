"""The stage: looked at from named sides, what is pointed at named, its ground measured, shadows where wanted."""

from __future__ import annotations

import pytest
from playwright.sync_api import expect

from tests.browser.conftest import Studio
from tests.browser.shapes import on_the_post

pytestmark = pytest.mark.browser

FROM = """() => { const s = window.lazzik.stage;
    return s.camera.position.clone().sub(s.controls.target).normalize().toArray(); }"""


@pytest.mark.parametrize(
    ("view", "axis"), [("view-front", 2), ("view-side", 0), ("view-above", 1)], ids=["front", "side", "above"]
)
def test_it_is_seen_from_a_named_side_all_of_it_in_sight(small: Studio, view: str, axis: int) -> None:
    page = small.page
    page.click("#view-menu")
    page.click(f"[data-act={view}]")
    assert page.evaluate(FROM)[axis] > 0.98
    corners = page.evaluate(
        """() => { const s = window.lazzik.stage; s.draw();
        const at = s.nodes.get('post').item, V = at.position.constructor;
        return [[-0.2, 0, -0.2], [0.2, 2, 0.2]].map((p) => s.toScreen(at.localToWorld(new V(...p))).toArray()); }"""
    )
    box = page.locator("#canvas").bounding_box()
    assert box is not None
    for x, y, _ in corners:
        assert 0 < x < box["width"]
        assert 0 < y < box["height"]


def test_what_is_chosen_is_brought_into_view(small: Studio) -> None:
    page = small.page
    page.click("#row-post > a")
    page.evaluate("() => { const s = window.lazzik.stage; s.controls.target.set(20, 0, 20); s.controls.update(); }")
    page.keyboard.press("v")
    middle = page.evaluate("() => window.lazzik.stage.controls.target.toArray()")
    assert middle == pytest.approx([0, 1, 0], abs=0.05)
    far = page.evaluate("() => window.lazzik.stage.camera.position.distanceTo(window.lazzik.stage.controls.target)")
    assert 2 < far < 6
    page.keyboard.press("r")
    assert page.evaluate("() => window.lazzik.stage.camera.position.toArray()") != pytest.approx(middle)


def test_what_is_under_the_pointer_is_named(small: Studio) -> None:
    page = small.page
    x, y = on_the_post(page)
    page.mouse.move(x, y)
    label = page.locator(".pointed")
    expect(label).to_have_text("Post")
    page.keyboard.press("F2")
    page.locator("input.rename").fill("Mast")
    page.locator("input.rename").press("Enter")
    small.lands(1)
    page.mouse.move(x + 1, y + 1)
    expect(label).to_have_text("Mast")
    page.mouse.move(4, 4)
    expect(label).to_be_hidden()


def test_the_squares_of_the_ground_suit_the_distance_and_say_how_long_they_are(small: Studio) -> None:
    page = small.page
    scale = page.locator("#grid-scale")
    expect(scale).to_have_text("1 m")
    place = """away => { const s = window.lazzik.stage;
        s.camera.position.copy(s.controls.target); s.camera.position.z += away; s.draw(); }"""
    for away, told in ((0.8, "10 cm"), (40, "10 m"), (8, "1 m")):
        page.evaluate(place, away)
        expect(scale).to_have_text(told)
        square = page.evaluate("() => window.lazzik.stage.grid.square")
        assert square == {"10 cm": 0.1, "10 m": 10, "1 m": 1}[told]


@pytest.mark.dots
def test_shadows_are_off_without_graphics_hardware_and_can_be_asked_for(small: Studio) -> None:
    page = small.page
    dots = """was => { const s = window.lazzik.stage, gl = s.renderer.getContext(); s.draw(); s.draw();
        const [w, h] = [gl.drawingBufferWidth, gl.drawingBufferHeight], now = new Uint8Array(4 * w * h);
        gl.readPixels(0, 0, w, h, gl.RGBA, gl.UNSIGNED_BYTE, now);
        let darker = 0;
        if (was) for (let i = 0; i < now.length; i += 4) darker += window.before[i] - now[i] > 8 ? 1 : 0;
        else window.before = now;
        return darker; }"""
    assert page.evaluate("() => window.lazzik.stage.shadows") is False
    page.evaluate(dots, False)
    page.keyboard.press("Control+k")
    page.keyboard.type("Shadows")
    page.keyboard.press("Enter")
    page.wait_for_function("() => window.lazzik.stage.shadows")
    assert page.evaluate(dots, True) > 500
    page.evaluate("() => window.lazzik.stage.toggleShadows()")
    assert page.evaluate(dots, True) < 50


def test_the_outline_of_what_is_chosen_has_a_light_rim(small: Studio) -> None:
    page = small.page
    page.click("#row-post > a")
    page.wait_for_function("() => window.lazzik.stage.outline.drawn.length === 2")
    colours = page.evaluate("() => window.lazzik.stage.outline.drawn.map((ring) => ring.material.uniforms.shade.value)")
    assert colours[0] != colours[1]


LOSE = """() => new Promise((done) => {
  const { stage } = window.lazzik, { canvas } = stage;
  const driver = stage.renderer.getContext().getExtension("WEBGL_lose_context");
  canvas.addEventListener("webglcontextlost", () => setTimeout(() => driver.restoreContext()), { once: true });
  canvas.addEventListener("webglcontextrestored", () => done(stage.frames), { once: true });
  driver.loseContext();
})"""
"""Lose all that the driver holds, and have it back; the pictures drawn until then."""

SHADES = """() => {
  const { stage } = window.lazzik, gl = stage.renderer.getContext();
  stage.draw();
  const [w, h] = [gl.drawingBufferWidth, gl.drawingBufferHeight], dots = new Uint8Array(4 * w * h);
  gl.readPixels(0, 0, w, h, gl.RGBA, gl.UNSIGNED_BYTE, dots);
  return new Set(dots).size;
}"""


def test_a_driver_that_was_reset_gets_the_picture_anew(small: Studio) -> None:
    page = small.page
    shades = page.evaluate(SHADES)
    drawn = page.evaluate(LOSE)
    page.wait_for_function("drawn => window.lazzik.stage.frames > drawn", arg=drawn)
    assert page.evaluate(SHADES) == pytest.approx(shades, rel=0.2)
    assert shades > 20


DOTS = """(size) => {
  const { stage } = window.lazzik, gl = stage.renderer.getContext(), V = stage.camera.position.constructor;
  stage.size = size;
  stage.resize();
  stage.draw();
  const [w, h] = [gl.drawingBufferWidth, gl.drawingBufferHeight];
  const spots = [[-0.4, -0.2, 0.9], [0.1, 0.4, 0.99], [0, 0, 0.9999]]; // the last one far behind all that is there
  stage.setPath(Float32Array.from(spots.flatMap((at) => new V(...at).unproject(stage.eye).toArray())));
  const seen = () => {
    const dots = new Uint32Array(w * h);
    stage.draw();
    gl.readPixels(0, 0, w, h, gl.RGBA, gl.UNSIGNED_BYTE, new Uint8Array(dots.buffer));
    return dots;
  };
  const shown = seen();
  stage.togglePath();
  const hidden = seen();
  stage.togglePath();
  stage.size = null;
  stage.resize();
  const other = Array.from(shown.keys()).filter((n) => shown[n] !== hidden[n]);
  const near = (n, [x, y]) => Math.hypot((n % w) - (x + 1) / 2 * w, Math.floor(n / w) - (y + 1) / 2 * h) < 12;
  return [other.length, ...spots.map((spot) => other.filter((n) => near(n, spot)).length)];
}"""
"""How many dots of a picture so large a path of three frames changes, and how many of them near each of these."""


@pytest.mark.parametrize("height", [240, 960])
def test_the_dots_of_a_path_lie_over_all_and_keep_their_width(small: Studio, height: int) -> None:
    small.page.click("#row-post > a")
    changed, *each = small.page.evaluate(DOTS, [800, height])
    assert all(3 <= dots <= 12 for dots in each)
    assert changed == sum(each)
