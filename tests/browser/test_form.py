"""Shapes by hand: deformers, handles, order, points kept, permanent and baked."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from playwright.sync_api import Page, expect

from tests.browser.conftest import Studio
from tests.browser.shapes import add, cut, node_of, points, scene_of, waits
from tests.serving import Server, stored

pytestmark = pytest.mark.browser


def test_a_deformer_bends_at_once_and_a_coarse_mesh_is_mended(shaped: Studio) -> None:
    page = shaped.page
    expect(page.locator(".form-rows .empty-line")).to_contain_text("Nothing bends it yet")
    rest = points(shaped)
    add(shaped, "bend", 1)
    waits(shaped, rest)
    expect(page.locator(".coarse")).to_contain_text("too coarse")
    expect(page.locator("#row-post .coarse-mark")).to_have_count(1)
    page.keyboard.press("w")
    expect(page.locator(".sheet-dialog")).to_contain_text("too coarse for Bend")
    page.keyboard.press("Escape")
    page.click("#form [data-act=apply]")
    shaped.lands(2)
    expect(page.locator(".coarse, .coarse-mark")).to_have_count(0)
    page.wait_for_function(
        "n => window.lazzik.stage.nodes.get('post').mesh.geometry.attributes.position.count > n", arg=len(rest)
    )
    page.click("[data-mute=bend]")
    shaped.lands(3)
    page.wait_for_function("() => !window.lazzik.stage.nodes.get('post').rest")
    straight = points(shaped)
    assert sorted(set(np.abs(straight[:, 0]).round(6))) == [0.2]
    page.click("[data-mute=bend]")
    shaped.lands(4)
    waits(shaped, straight)


def test_a_knob_shows_the_shape_while_it_is_dragged_and_lands_once(shaped: Studio) -> None:
    page = shaped.page
    rest = points(shaped)
    add(shaped, "taper", 1)
    waits(shaped, rest)
    before = points(shaped)
    shaped.drag(shaped.knob("last").locator("input[type=range]"), 30, let_go=False)
    waits(shaped, before)
    assert shaped.step == 1
    page.mouse.up()
    shaped.lands(2)
    shaped.knob("last").locator("a.drive").click()
    expect(page.locator(".trail strong")).to_have_text("Post / deform taper last")
    page.click("#add-layer")
    page.click("[data-add=wave]")
    shaped.lands(3)
    was = points(shaped)
    page.evaluate("() => window.lazzik.transport.go(40)")
    waits(shaped, was)


def test_handles_move_the_span_and_the_place(shaped: Studio) -> None:
    page = shaped.page
    add(shaped, "bend", 1)
    expect(page.locator(".handles .handle")).to_have_count(3)
    shaped.drag(".handles [data-handle=end]", 0, 40, let_go=False)
    page.wait_for_function("() => document.querySelector('.handles .axis-line')")
    page.mouse.up()
    shaped.lands(2)
    assert 0.2 < node_of(shaped)["deform"][0]["end"] < 1.95
    shaped.drag(".handles [data-handle=start]", 0, -20)
    shaped.lands(3)
    assert 0.02 < node_of(shaped)["deform"][0]["start"] < 1
    shaped.drag(".handles [data-handle=place]", 40, 0)
    shaped.lands(4)
    assert node_of(shaped)["deform"][0]["placement"]["x"] > 0.05
    page.focus(".handles [data-handle=end]")
    page.keyboard.press("ArrowUp")
    shaped.lands(5)


def test_handles_of_fade_and_mask(shaped: Studio) -> None:
    page = shaped.page
    cut(shaped, 24)
    add(shaped, "undulate", 2)
    was = node_of(shaped)["deform"][0]["fade_length"]
    assert page.locator(".handles [data-handle=fade]").evaluate("dot => getComputedStyle(dot).opacity") == "1"
    shaped.drag(".handles [data-handle=fade]", 0, -30)
    shaped.lands(3)
    assert node_of(shaped)["deform"][0]["fade_length"] > was + 0.1
    page.select_option("#d-mask", "gradient")
    shaped.lands(4)
    shaped.drag(".handles [data-handle=mask-full]", 0, -30)
    shaped.lands(5)
    assert 0.1 < node_of(shaped)["deform"][0]["mask"]["full"] < 3
    assert node_of(shaped)["deform"][0]["mask"]["full"] != 2
    page.select_option("#d-mask", "ball")
    shaped.lands(6)
    shaped.drag(".handles [data-handle=mask-middle]", 30, 0)
    shaped.lands(7)
    mask = node_of(shaped)["deform"][0]["mask"]
    assert abs(mask.get("side", 0)) + abs(mask.get("across", 0)) > 0.05
    page.focus(".handles [data-handle=mask-radius]")
    page.keyboard.press("ArrowUp")
    shaped.lands(8)
    assert node_of(shaped)["deform"][0]["mask"]["radius"] == pytest.approx(0.51)  # a quarter of the post


def test_order_and_removal(shaped: Studio) -> None:
    page = shaped.page
    rest = points(shaped)
    add(shaped, "bend", 1)
    add(shaped, "twist", 2)
    names = page.locator(".lane.form a.lane-name strong")
    assert names.all_inner_texts() == ["Twist", "Bend"]
    page.focus("#form-bend .grip")
    page.keyboard.press("ArrowUp")
    shaped.lands(3)
    assert names.all_inner_texts() == ["Bend", "Twist"]
    for step in (4, 5):
        page.click("#strip [data-remove-deformer]")
        shaped.lands(step)
    page.wait_for_function("() => !window.lazzik.stage.nodes.get('post').rest")
    assert points(shaped).tolist() == rest.tolist()


@pytest.mark.slow
def test_a_ripple_sits_on_another_object(page: Page, demo_url: str) -> None:
    page.goto(f"{demo_url}?at=pool/shape")
    studio = Studio(page).ready()
    page.wait_for_function("() => window.lazzik.surfaces.kept.get('pool')?.frames.size > 0")
    assert page.input_value("#d-of") == "float"
    before = points(studio, "pool")
    page.select_option("#d-of", "mast")
    studio.lands(1)
    waits(studio, before, "pool")
    before = points(studio, "pool")
    page.evaluate("() => window.lazzik.transport.go(30)")
    waits(studio, before, "pool")


def test_frames_that_are_kept_play_without_asking_again(shaped: Studio) -> None:
    page = shaped.page
    add(shaped, "undulate", 1)
    page.wait_for_function(
        "() => { const s = window.lazzik.surfaces; return s.kept.get('post')?.frames.size > 100 && !s.missing(); }"
    )
    asked: list[str] = []
    page.on("request", lambda request: asked.append(request.url))
    page.keyboard.press("Space")
    page.wait_for_function("() => window.lazzik.transport.frame > 20")
    page.keyboard.press("Space")
    assert asked == []


def test_a_shape_is_made_permanent_and_undone(shaped: Studio) -> None:
    page = shaped.page
    rest = points(shaped)
    add(shaped, "bend", 1)
    waits(shaped, rest)
    bent = points(shaped)
    page.click("[data-act=permanent]")
    shaped.lands(2)
    expect(page.locator(".trail")).to_contain_text("Mesh")
    page.wait_for_function("() => !window.lazzik.stage.nodes.get('post').rest")
    np.testing.assert_allclose(points(shaped), bent, atol=1e-5)
    page.keyboard.press("Control+z")
    shaped.lands(1)
    expect(page.locator(".trail")).to_contain_text("Box")


@pytest.mark.slow
def test_a_shape_is_baked_to_targets_and_taken_back(page: Page, demo_url: str) -> None:
    page.goto(f"{demo_url}?at=cloth/shape")
    studio = Studio(page).ready()
    page.click("[data-sheet=shape-bake]")
    page.fill("#shape-bake-form [name=tolerance]", "-1")
    page.click("#shape-bake-form [type=submit]")
    expect(page.locator("#shape-bake-form .field-error")).to_contain_text("must lie above zero")
    page.fill("#shape-bake-form [name=tolerance]", "1")
    page.click("#shape-bake-form [type=submit]")
    expect(page.locator("#shape-bake-form")).to_have_count(0)
    studio.lands(1)
    expect(page.locator("[data-sheet=shape-bake]")).to_contain_text("shapes")
    page.click("[data-sheet=shape-bake]")
    expect(page.locator(".sheet-dialog")).to_contain_text("1 mm were allowed")
    page.click("text=Take it back")
    studio.lands(2)
    assert not [node for node in scene_of(studio)["nodes"] if "targets" in node]


PLAYED = """async ([url, seconds]) => {
  const THREE = await import('three');
  const { GLTFLoader } = await import('three/addons/loaders/GLTFLoader.js');
  const gltf = await new GLTFLoader().loadAsync(url);
  const mixer = new THREE.AnimationMixer(gltf.scene);
  mixer.clipAction(gltf.animations[0]).play();
  mixer.setTime(seconds);
  gltf.scene.updateMatrixWorld(true);
  const out = {};
  gltf.scene.traverse((item) => {
    if (!item.isMesh || !item.morphTargetInfluences) return;
    let owner = item;
    while (owner && !owner.userData.id) owner = owner.parent;
    const point = new THREE.Vector3();
    out[owner.userData.id] = [0, 7, 40].map(
      (i) => item.getVertexPosition(i, point).applyMatrix4(item.matrixWorld).toArray());
  });
  return out;
}"""


@pytest.mark.slow
def test_three_plays_the_delivered_file_as_the_stage_shows_it(
    page: Page, demo_url: str, server: Server, tmp_path: Path
) -> None:
    short = {"revision": 0, "edits": [{"do": "change-scene", "last": 40}]}
    stored(f"{demo_url}/edits", short)
    page.goto(demo_url)
    Studio(page).ready()
    frame = 30
    page.evaluate("frame => window.lazzik.transport.go(frame)", frame)
    page.wait_for_function(
        "frame => [...window.lazzik.surfaces.kept.values()].every(s => s.frames.has(s.still ? 0 : frame))", arg=frame
    )
    page.wait_for_function("() => window.lazzik.stage.nodes.get('canvas').points")  # what its run made of it
    shown = page.evaluate(
        """() => { const out = {}, { stage } = window.lazzik; stage.root.updateMatrixWorld(true);
        for (const [id, { mesh, item }] of stage.nodes) if (mesh) { const p = mesh.geometry.attributes.position;
          out[id] = [0, 7, 40].map((i) => i < p.count ? item.position.clone().set(p.getX(i), p.getY(i), p.getZ(i))
            .applyMatrix4(mesh.matrixWorld).toArray() : [0, 0, 0]); } return out; }"""
    )
    page.goto("/scenes")  # a page without a stage of its own
    played = page.evaluate(PLAYED, [f"{demo_url}/deliver/gltf", frame / 30])
    assert {"cloth", "pool", "aerial", "pine-1-low"} <= set(played)
    for name, places in played.items():
        np.testing.assert_allclose(places, shown[name], atol=0.004)


@pytest.mark.slow
def test_the_page_of_a_shape_is_accessible(page: Page, demo_url: str, axe: str) -> None:
    page.goto(f"{demo_url}?at=cloth/shape")
    Studio(page).ready()
    page.evaluate(axe)
    found = page.evaluate("() => axe.run()")
    assert [v["id"] for v in found["violations"] if v["impact"] in ("serious", "critical")] == []
    assert page.evaluate("() => document.documentElement.scrollWidth <= innerWidth")
    for sheet in ("[data-act=add-object]", "[data-sheet=shape-bake]"):
        page.click(sheet)
        page.wait_for_selector("dialog[open]")
        found = page.evaluate("() => axe.run(document.querySelector('dialog'))")
        assert [v["id"] for v in found["violations"] if v["impact"] in ("serious", "critical")] == []
        page.keyboard.press("Escape")
