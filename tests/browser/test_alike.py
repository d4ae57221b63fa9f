"""Objects that share one geometry are drawn in one go, and look as if each were drawn alone."""

from __future__ import annotations

import pytest
from playwright.sync_api import FilePayload, Page

from lazzik.core.channel.channel import Channel
from lazzik.core.geometry.primitives import Box
from lazzik.core.layers.turn import Turn
from lazzik.core.scene.node import Color, Look, Node, Position, Rotation, Scale
from lazzik.core.scene.scene import Scene
from lazzik.core.scene.serialize import scene_text
from tests.browser.conftest import Studio

ACROSS, DEEP, HIDDEN, MIRRORED = 6, 4, 8, (0, 9)
COLOURS = Color(r=0.5, g=0.1, b=0.05), Color(r=0.05, g=0.2, b=0.12), Color(r=0.7, g=0.6, b=0.4)

DIFFERENCE = """async () => {
  const { stage } = window.lazzik;
  const asked = performance.getEntriesByType("resource").map(({ name }) => name);
  const url = asked.find((name) => name.includes("rest.glb"));
  const seen = async (together) => {
    stage.model.together = together;
    await stage.load(url);
    stage.draw();
    const { calls } = stage.renderer.info.render;
    const { width, height } = stage.canvas;
    const copy = Object.assign(document.createElement("canvas"), { width, height }).getContext("2d");
    copy.drawImage(stage.canvas, 0, 0);
    return { calls, dots: copy.getImageData(0, 0, width, height).data };
  };
  const [alone, together] = [await seen(false), await seen(true)];
  const differ = alone.dots.filter((value, n) => Math.abs(value - together.dots[n]) > 12).length;
  const shades = new Set(together.dots.filter((_, n) => n % 4 === 0)).size;
  return { fewer: alone.calls - together.calls, differ: differ / alone.dots.length, shades };
}"""
"""Calls that drawing them together saves, the part of the dots that look different, and how many shades of red."""

SCALES = """(n) => {
  const { stage } = window.lazzik;
  stage.draw();
  const { surfaces } = stage.model.alike[0];
  const size = (k) => Math.hypot(...surfaces.getMatrixAt(k, stage.camera.matrix.clone()).elements.slice(0, 3));
  return [size(n), Array.from({ length: surfaces.shown }, (_, k) => size(k)).filter((one) => one > 0.5).length];
}"""
"""How large one of those that are alike is drawn, and how many are drawn at all."""

RESHAPE = """(id) => {
  const { stage } = window.lazzik;
  const { position, normal } = stage.nodes.get(id).mesh.geometry.attributes;
  const points = position.array.map((each) => 1.5 * each);
  stage.setShape(id, { points, normals: Int8Array.from(normal.array, (each) => 127 * each) });
}"""

PICKED = """(id) => {
  const { stage } = window.lazzik;
  const { item } = stage.nodes.get(id);
  const at = stage.toScreen(item.getWorldPosition(stage.camera.position.clone()));
  const box = stage.canvas.getBoundingClientRect();
  return stage.pick(box.left + at.x, box.top + at.y);
}"""


@pytest.fixture(params=["", "a graphics card"])
def field(page: Page, request: pytest.FixtureRequest) -> Studio:
    """Turning boxes in rows, in three colours; some glow, two are mirrored, one hidden. And a bar, none of them. Once
    as a driver in software has them, and once as graphics hardware does."""
    if request.param:
        page.evaluate("(renderer) => sessionStorage.setItem('lazzik-renderer', renderer)", request.param)
    turn = Channel(layers=(Turn(kind="turn", id="turn", label="Turn"),))
    box = Box(kind="box", width=0.8, height=0.8, depth=0.8)
    boxes = [
        Node(
            id=f"b{n}",
            label=f"B {n}",
            visible=n != HIDDEN,
            shape=box,
            look=Look(color=COLOURS[n % 3], glow=0.6 * (n % 4 == 0)),
            position=Position(x=1.5 * (n % ACROSS - 2.5), z=-1.5 * (n // ACROSS)),
            rotation=Rotation(y=turn),
            scale=Scale(x=-1.0 if n in MIRRORED else 1.0),
        )
        for n in range(ACROSS * DEEP)
    ]
    bar = Node(id="bar", label="Bar", shape=Box(kind="box", width=0.2, height=3.0, depth=0.2), position=Position(z=1.5))
    scene = Scene(name="Field", last=50, nodes=(*boxes, bar))
    file: FilePayload = {"name": "field.json", "mimeType": "application/json", "buffer": scene_text(scene).encode()}
    page.goto(page.request.post("/scenes/open", multipart={"file": file}).url)
    return Studio(page).ready()


def test_they_look_as_if_each_were_drawn_alone(field: Studio) -> None:
    page = field.page
    page.evaluate("() => window.lazzik.transport.go(20)")
    seen = page.evaluate(DIFFERENCE)
    assert seen["fewer"] > ACROSS * DEEP
    assert seen["differ"] < 0.0005
    assert seen["shades"] > 50  # and it is a picture of something


def test_each_is_still_an_object_of_its_own(field: Studio, request: pytest.FixtureRequest) -> None:
    """Pressed, looked at alone, given another shape, and let go of."""
    page = field.page
    laid_out = "() => window.lazzik.stage.model.alike.map(({ surfaces }) => surfaces.laidOut)"
    assert page.evaluate(laid_out) == [request.node.callspec.params["field"] == ""]
    assert page.evaluate(PICKED, "b1") == "b1"
    assert page.evaluate(SCALES, 4)[0] > 0.5
    page.evaluate("() => window.lazzik.stage.isolate('b3')")
    assert page.evaluate(SCALES, 4) == [0, 1]
    page.evaluate("() => window.lazzik.stage.isolate('b3')")
    page.evaluate(RESHAPE, "b4")
    assert page.evaluate(SCALES, 4)[0] == 0
    before = page.evaluate("() => window.lazzik.stage.renderer.info.memory.geometries")
    page.evaluate("() => { window.lazzik.stage.unload(); window.lazzik.stage.draw(); }")
    assert page.evaluate("() => window.lazzik.stage.renderer.info.memory.geometries") < before - 3
