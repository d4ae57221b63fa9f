"""Nothing is drawn that did not change."""

from __future__ import annotations

import base64
import io
import re

import numpy as np
from PIL import Image
from playwright.sync_api import FilePayload, Page, Route, expect

from lazzik.core.channel.channel import Channel
from lazzik.core.geometry.primitives import Ball, Box
from lazzik.core.layers.turn import Turn
from lazzik.core.layers.wave import Wave
from lazzik.core.scene.node import Color, Light, Look, Node, Position, Rotation
from lazzik.core.scene.scene import Scene
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


SEEN = """(whole) => {
  const { stage } = window.lazzik;
  stage.draw(whole);
  return [stage.canvas.toDataURL(), stage.renderer.info.render.triangles];
}"""
"""The picture, drawn as a whole or as marks over the one that is kept, and the triangles that it took last."""


def apart(one: str, other: str, by: int = 0) -> int:
    """Dots in which two pictures differ by more than so many steps of 255."""
    a, b = (
        np.asarray(Image.open(io.BytesIO(base64.b64decode(url.split(",")[1]))).convert("RGB"), np.int16)
        for url in (one, other)
    )
    return int((abs(a - b) > by).any(axis=2).sum())


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


def test_another_choice_is_drawn_over_the_picture_of_many_that_is_kept(page: Page) -> None:
    box, count = Box(kind="box", width=0.8, height=0.6, depth=0.8), 520
    turns = Channel(layers=(Turn(kind="turn", id="turn", label="Turn"),))
    many = Scene(
        name="Many",
        nodes=tuple(
            Node(
                id=f"n{n}", label=f"N {n}", position=Position(x=1.1 * (n % 26), z=-1.1 * (n // 26)), shape=box,
                rotation=Rotation(y=turns if n == 7 else 3.0 * n),
                look=Look(color=Color(r=0.1 + 0.8 * (n % 3 == 0), g=0.3, b=0.2)),
            )
            for n in range(count)
        ),
    )  # fmt: skip
    file: FilePayload = {"name": "many.json", "mimeType": "application/json", "buffer": scene_text(many).encode()}
    opened = page.request.post("/scenes/open", multipart={"file": file})
    page.goto(f"{opened.url.split('?')[0]}?at=n7/rotation.y")
    Studio(page).ready()
    kept = "() => window.lazzik.stage.kept.valid && window.lazzik.settled() && !window.lazzik.stage.waiting"
    page.wait_for_function(kept)
    page.evaluate("() => window.lazzik.choose('n140/rotation.y')")
    page.wait_for_function("() => window.lazzik.stage.chosen === 'n140' && !window.lazzik.stage.waiting")
    assert page.evaluate("() => window.lazzik.stage.kept.valid")
    (over, few), (whole, all_) = page.evaluate(SEEN, False), page.evaluate(SEEN, True)
    assert apart(over, whole) < 40  # edges let a little through, where they are over the outline or it over them
    assert 24 <= few < 100 < 12 * count <= all_
    # what moves or looks otherwise is drawn as a whole, and then kept anew
    page.wait_for_function(kept)
    page.evaluate("() => window.lazzik.transport.go(40)")
    assert not page.evaluate("() => window.lazzik.stage.kept.valid")
    page.wait_for_function(kept)
    moved = page.evaluate(SEEN, True)[0]
    assert apart(page.evaluate(SEEN, False)[0], moved) < 40 < apart(whole, moved)


def test_a_drag_draws_what_it_changes_over_the_rest_that_is_kept(page: Page) -> None:
    """Of sixteen boxes that are drawn in one go one turns, and carries a thin plate; a ball stands in front of both."""
    box, plate = Box(kind="box", width=0.8, height=0.8, depth=0.8), Box(kind="box", width=3.0, height=0.1, depth=0.1)
    sways = Channel(layers=(Wave(kind="wave", id="wave", label="Wave", amplitude=10.0, phase=0.25),))
    scene = Scene(
        name="Few",
        nodes=(
            *(
                Node(
                    id=f"n{n}", label=f"N {n}", position=Position(x=1.3 * (n % 4), z=-1.3 * (n // 4)), shape=box,
                    rotation=Rotation(z=sways if n == 5 else 0.0),
                )
                for n in range(16)
            ),
            Node(id="plate", label="Plate", parent="n5", position=Position(y=0.7), shape=plate),
            Node(id="ball", label="Ball", position=Position(x=2.0, z=1.0), shape=Ball(kind="ball", radius=0.5)),
            Node(id="post", label="Post", position=Position(x=-3.0)),
            Node(id="lamp", label="Lamp", parent="post", position=Position(x=sways), light=Light(intensity=20.0)),
        ),
    )  # fmt: skip
    file: FilePayload = {"name": "few.json", "mimeType": "application/json", "buffer": scene_text(scene).encode()}
    where = page.request.post("/scenes/open", multipart={"file": file}).url.split("?")[0]
    seen = "() => !['next', 'running'].some((name) => window.lazzik.previews[name]) && !window.lazzik.stage.waiting"
    for address, changing in (("n5/rotation.z", True), ("lamp/position.x", False)):
        page.goto(f"{where}?at={address}%23wave")
        Studio(page).ready()
        knob = page.locator('.strip .knob[data-address$=".amplitude"] input[type=range]').bounding_box()
        assert knob
        x, y = knob["x"] + 0.5 * knob["width"], knob["y"] + 0.5 * knob["height"]
        page.mouse.move(x, y)
        page.mouse.down()
        page.mouse.move(x + 30, y, steps=4)
        page.wait_for_function(seen)
        ids = "() => [...window.lazzik.stage.kept.changing].flatMap((item) => item.userData.id ?? [])"
        # light falls on everything
        assert page.evaluate(ids) == (["n5"] if changing else [])
        assert page.evaluate("() => window.lazzik.stage.kept.valid") == changing
        if changing:
            (over, few), (whole, every) = page.evaluate(SEEN, False), page.evaluate(SEEN, True)
            assert apart(over, whole, 8) < 5
            assert few < every
        page.mouse.up()
        page.wait_for_function("() => !window.lazzik.stage.kept.held && !window.lazzik.stage.kept.changing.size")
        page.wait_for_function("() => window.lazzik.settled()")


def test_all_that_bends_is_asked_for_in_one_go_and_seen_in_one_picture(page: Page) -> None:
    """The frame that is shown of all of them, then all frames of as many as an answer carries."""
    names = [f"pole-{n}" for n in range(6)]
    scene = edited(
        Scene(name="Poles", last=40),
        *({"do": "add-object", "label": name, "shape": {"kind": "tube", "along": 8}} for name in names),
        *({"do": "add-deformer", "node": name, "kind": "sway"} for name in names),
    )
    file: FilePayload = {"name": "poles.json", "mimeType": "application/json", "buffer": scene_text(scene).encode()}
    url = page.request.post("/scenes/open", multipart={"file": file}).url
    asked: list[str] = []
    page.on("request", lambda request: asked.append(request.url) if "/points?" in request.url else None)
    page.goto(url)
    Studio(page).ready()
    page.wait_for_function("() => window.lazzik.surfaces.kept.size === 6 && !window.lazzik.surfaces.missing()")
    ranges = [(*re.findall(r"(?:from|to)=(\d+)", each), each.count("node=")) for each in asked]
    assert ranges == [("0", "0", 6), ("1", "40", 6)]
    before = drawn(page)
    page.evaluate("() => window.lazzik.transport.go(20)")
    assert drawn(page) == before + 1


PICTURES = """(() => {
  let made;
  window.pictures = [];
  Object.defineProperty(window, "lazzik", { get: () => made, set(value) {
    made = value;
    const { stage } = made;
    stage.drawn.push(() => window.pictures.push([stage.trail.drawn !== null, stage.outline.drawn.length > 0]));
  } });
})()"""
"""Notes of each picture of the stage whether it has the path and the outline of what is chosen."""


def test_the_first_picture_has_the_path_unless_that_takes_long(page: Page) -> None:
    mast = BY_KEY["mast"].build("Mast")
    file: FilePayload = {"name": "mast.json", "mimeType": "application/json", "buffer": scene_text(mast).encode()}
    where = page.request.post("/scenes/open", multipart={"file": file}).url
    asked: list[Route] = []
    for late, first in (("**/rest.glb?*", True), ("**/curves?*", False)):
        tab = page.context.new_page()
        tab.add_init_script(PICTURES)
        tab.route(late, lambda route: asked.append(route))
        tab.goto(where, wait_until="commit")
        if first:  # the curves are there before the shapes
            tab.wait_for_function("() => document.querySelector('#lanes .lane.layer path.trace')")
            assert tab.evaluate("() => window.pictures") == []
        else:
            tab.wait_for_function("() => window.pictures.length")
            assert tab.evaluate("() => document.querySelectorAll('#lanes path.trace').length") == 0
        while asked:
            asked.pop().continue_()
        tab.wait_for_selector("body[data-ready]", state="attached")
        pictures = tab.evaluate("() => window.pictures")
        assert (pictures[0], pictures[-1]) == ([first, True], [True, True])
        tab.close()


PAINTED = """(() => {
  let made;
  Object.defineProperty(window, "lazzik", { get: () => made, set(value) {
    made = value;
    window.put = performance.now();
  } });
  window.moved = [];
  new PerformanceObserver((list) => {
    for (const { sources } of list.getEntries()) window.moved.push(...sources.map(({ node }) => node?.outerHTML));
  }).observe({ type: "layout-shift", buffered: true });
})()"""
"""Notes when the script of a page has put the studio together, and what moves on the page without anybody's doing."""


def test_the_studio_is_seen_once_it_is_put_together_and_nothing_moves_then(page: Page) -> None:
    mast = BY_KEY["mast"].build("Mast")
    file: FilePayload = {"name": "mast.json", "mimeType": "application/json", "buffer": scene_text(mast).encode()}
    where = page.request.post("/scenes/open", multipart={"file": file}).url
    page.add_init_script(PAINTED)
    page.goto(where)
    Studio(page).ready()
    painted, put, moved = page.evaluate(
        "() => [performance.getEntriesByName('first-paint')[0].startTime, window.put, window.moved]"
    )
    assert painted > put
    assert moved == []
