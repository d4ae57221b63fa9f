"""Shapes by hand: objects brought in, deformers, handles, masks, coarse meshes, pivots, copies, permanent and baked."""

from __future__ import annotations

import io
import json
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import trimesh
from PIL import Image
from playwright.sync_api import Page, Route, expect

from tests.browser.conftest import Studio, until_asked
from tests.core.test_bring import DRAWING
from tests.core.vane import vane
from tests.serving import Server

pytestmark = pytest.mark.browser


@pytest.fixture
def shaped(small: Studio) -> Studio:
    """The shape of the post of a new scene."""
    small.page.keyboard.press("s")
    expect(small.page.locator(".trail strong")).to_have_text("shape")
    return small


def points(studio: Studio, node: str = "post") -> Any:
    """What the stage draws of an object."""
    values = studio.page.evaluate(
        "id => [...window.lazzik.stage.nodes.get(id).mesh.geometry.attributes.position.array]", node
    )
    return np.array(values).reshape(-1, 3)


def scene_of(studio: Studio) -> Any:
    """The document as it is delivered."""
    return studio.page.evaluate("async () => (await fetch(location.pathname + '/deliver/scene')).json()")


def node_of(studio: Studio, name: str = "post") -> Any:
    return next(node for node in scene_of(studio)["nodes"] if node["id"] == name)


def add(studio: Studio, kind: str, step: int) -> None:
    studio.page.click("#add-deformer")
    studio.page.click(f"[data-add-deformer={kind}]")
    studio.lands(step)
    studio.page.wait_for_selector("#strip")


def cut(studio: Studio, segments: int) -> None:
    """Give the post so many segments upward, as the first step."""
    studio.page.fill("#n-cuts_y", str(segments))
    studio.page.press("#n-cuts_y", "Enter")
    studio.lands(1)


def on_the_post(page: Page) -> Any:
    """A place of the page where the post is seen, near its top."""
    return page.evaluate(
        """() => { const s = window.lazzik.stage, b = s.canvas.getBoundingClientRect();
        for (let y = b.top + 20; y < b.bottom; y += 6) for (let x = b.left + 20; x < b.right; x += 6)
          if (s.pick(x, y) === 'post') return [x + 4, y + 30]; }"""
    )


def waits(studio: Studio, was: Any, node: str = "post") -> None:
    """Until the stage draws other points."""
    studio.page.wait_for_function(
        "([id, was]) => { const a = window.lazzik.stage.nodes.get(id).mesh.geometry.attributes.position.array;"
        " return a.length !== was.length || a.some((v, i) => Math.abs(v - was[i]) > 1e-4); }",
        arg=[node, was.ravel().tolist()],
    )


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
    page.click("[data-mend]")
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
    add(shaped, "taper", 1)
    waits(shaped, points(shaped) * 0 + 9)
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
    add(shaped, "bend", 1)
    waits(shaped, points(shaped) * 0 + 9)
    bent = points(shaped)
    page.click("[data-act=permanent]")
    shaped.lands(2)
    expect(page.locator(".trail")).to_contain_text("Mesh")
    page.wait_for_function("() => !window.lazzik.stage.nodes.get('post').rest")
    np.testing.assert_allclose(points(shaped), bent, atol=1e-5)
    page.keyboard.press("Control+z")
    shaped.lands(1)
    expect(page.locator(".trail")).to_contain_text("Box")


def test_a_shape_is_baked_to_targets_and_taken_back(page: Page, demo_url: str) -> None:
    page.goto(f"{demo_url}?at=cloth/shape")
    studio = Studio(page).ready()
    page.click("[data-sheet=shape-bake]")
    page.fill("#shape-bake-form [name=tolerance]", "-1")
    page.click("#shape-bake-form [type=submit]")
    expect(page.locator("#shape-bake-form .field-error")).to_contain_text("must lie above zero")
    page.fill("#shape-bake-form [name=tolerance]", "1")
    page.click("#shape-bake-form [type=submit]")
    expect(page.locator("#shape-bake-form")).to_have_count(0, timeout=60_000)
    studio.lands(1)
    expect(page.locator("[data-sheet=shape-bake]")).to_contain_text("shapes")
    page.click("[data-sheet=shape-bake]")
    expect(page.locator(".sheet-dialog")).to_contain_text("1 mm were allowed")
    page.click("text=Take it back")
    studio.lands(2)
    assert not [node for node in scene_of(studio)["nodes"] if "targets" in node]


def test_objects_are_added_named_hidden_isolated_copied_and_removed(small: Studio) -> None:
    page = small.page
    for step, label in enumerate(("Ball", "Lettering", "Group", "Lamp"), 1):
        page.keyboard.press("a")
        page.click(f".object-kinds >> text={label}")
        small.lands(step)
        expect(page.locator("#tree .object.chosen")).to_contain_text(label)
    expect(page.locator("#row-lettering")).to_be_visible()
    page.click("#row-lettering > a")
    expect(page.locator("#tree .object.chosen")).to_contain_text("Lettering")
    page.keyboard.press("s")
    page.wait_for_selector("#n-text")
    was = points(small, "lettering")
    page.fill("#n-text", "GALE 7")
    page.press("#n-text", "Enter")
    small.lands(5)
    page.wait_for_function(
        "n => window.lazzik.stage.nodes.get('lettering')?.mesh?.geometry.attributes.position.count !== n", arg=len(was)
    )
    page.keyboard.press("h")
    small.lands(6)
    assert node_of(small, "lettering")["visible"] is False
    page.click("[data-eye]")
    small.lands(7)
    page.click("[data-act=isolate]")
    page.wait_for_function("() => window.lazzik.stage.nodes.get('post').mesh.visible === false")
    was = points(small, "lettering")
    page.fill("#n-text", "GALE 70")  # the geometry is fetched anew, and the object stays alone
    page.press("#n-text", "Enter")
    small.lands(8)
    page.wait_for_function(
        "n => window.lazzik.stage.nodes.get('lettering')?.mesh?.geometry.attributes.position.count !== n", arg=len(was)
    )
    assert page.evaluate("() => window.lazzik.stage.nodes.get('post').mesh.visible") is False
    page.click("[data-act=isolate]")
    assert page.evaluate("() => window.lazzik.stage.nodes.get('post').mesh.visible") is True
    page.click("#row-post > a")
    expect(page.locator("#tree .object.chosen")).to_contain_text("Post")
    page.keyboard.press("Control+d")
    page.fill("#duplicate-form [name=count]", "4")
    page.select_option("#duplicate-form [name=how]", "ring")
    page.click("#duplicate-form [type=submit]")
    small.lands(9)
    assert len([n for n in scene_of(small)["nodes"] if n["label"] == "Post"]) == 5
    page.click("[data-edit-object]")
    small.lands(10)
    assert len([n for n in scene_of(small)["nodes"] if n["label"] == "Post"]) == 4


def test_a_mesh_and_a_font_come_from_files_and_a_broken_one_is_refused(small: Studio) -> None:
    page = small.page
    page.keyboard.press("a")
    page.set_input_files("#bring-file", {"name": "bad.obj", "mimeType": "", "buffer": b"nothing"})
    expect(page.locator(".sheet-dialog .field-error")).to_contain_text("bad.obj")
    rock = trimesh.creation.icosphere(2)
    rock.visual.vertex_colors = np.where(rock.vertices[:, 1:2] > 0, 255, 0).repeat(4, axis=1).astype(np.uint8)
    page.set_input_files("#bring-file", {"name": "Rock.ply", "mimeType": "", "buffer": rock.export(file_type="ply")})
    small.lands(1)
    expect(page.locator(".trail")).to_contain_text("Rock")
    add(small, "rumple", 2)
    page.select_option("#d-mask", label="the mesh's own")
    small.lands(3)
    page.wait_for_function("() => window.lazzik.surfaces.kept.get('rock')?.frames.size")
    moved = np.abs(points(small, "rock") - rock.vertices).max(axis=1) > 1e-4
    assert moved.any()
    assert not moved[rock.vertices[:, 1] <= 0].any()
    page.keyboard.press("a")
    font = (Path(__file__).parents[2] / "lazzik/core/geometry/fonts/spline-sans-mono.ttf").read_bytes()
    page.set_input_files("#bring-file", {"name": "own.ttf", "mimeType": "", "buffer": font})
    small.lands(4)
    expect(page.locator("#n-font")).to_contain_text("from a file")


def test_a_pivot_is_moved_by_number_by_the_box_and_picked(shaped: Studio) -> None:
    page = shaped.page
    page.select_option("#d-pivot", "top")
    shaped.lands(1)
    assert node_of(shaped)["shape"]["pivot"] == [0, 2, 0]
    page.fill("#d-pivot-x", "0.1")
    page.press("#d-pivot-x", "Enter")
    shaped.lands(2)
    assert node_of(shaped)["shape"]["pivot"] == [0.1, 2, 0]
    assert node_of(shaped)["position"]["x"] == pytest.approx(0.1)
    page.select_option("#d-pivot", "pick")
    place = on_the_post(page)
    page.mouse.click(*place)
    shaped.lands(3)


PLAYED = """async ([url, seconds]) => {
  const THREE = await import('three');
  const { GLTFLoader } = await import('/static/vendor/three/GLTFLoader.js');
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


def test_three_plays_the_delivered_file_as_the_stage_shows_it(
    page: Page, demo_url: str, server: Server, tmp_path: Path
) -> None:
    page.set_default_timeout(60_000)
    short = {"revision": 0, "edits": [{"do": "change-scene", "last": 40}]}
    page.request.post(f"{demo_url}/edits", data=short)
    page.goto(demo_url)
    Studio(page).ready()
    frame = 30
    page.evaluate("frame => window.lazzik.transport.go(frame)", frame)
    page.wait_for_function(
        "frame => [...window.lazzik.surfaces.kept.values()].every(s => s.frames.has(s.still ? 0 : frame))", arg=frame
    )
    played = page.evaluate(PLAYED, [f"{demo_url}/deliver/gltf", frame / 30])
    shown = page.evaluate(
        """() => { const out = {}, { stage } = window.lazzik; stage.root.updateMatrixWorld(true);
        for (const [id, { mesh, item }] of stage.nodes) if (mesh) { const p = mesh.geometry.attributes.position;
          out[id] = [0, 7, 40].map((i) => i < p.count ? item.position.clone().set(p.getX(i), p.getY(i), p.getZ(i))
            .applyMatrix4(mesh.matrixWorld).toArray() : [0, 0, 0]); } return out; }"""
    )
    assert {"cloth", "pool", "aerial", "pine-1-low"} <= set(played)
    for name, places in played.items():
        np.testing.assert_allclose(places, shown[name], atol=0.004)


def test_the_page_of_a_shape_is_accessible(page: Page, demo_url: str, axe: str) -> None:
    page.goto(f"{demo_url}?at=cloth/shape")
    Studio(page).ready()
    page.evaluate(axe)
    found = page.evaluate("() => axe.run()")
    assert [v["id"] for v in found["violations"] if v["impact"] in ("serious", "critical")] == []
    assert page.evaluate("() => document.documentElement.scrollWidth <= innerWidth")
    for sheet in ("[data-sheet=object-form]", "[data-sheet=shape-bake]"):
        page.click(sheet)
        page.wait_for_selector("dialog[open]")
        found = page.evaluate("() => axe.run(document.querySelector('dialog'))")
        assert [v["id"] for v in found["violations"] if v["impact"] in ("serious", "critical")] == []
        page.keyboard.press("Escape")


def test_a_whole_file_a_drawing_and_a_table_are_brought_in(small: Studio) -> None:
    page = small.page
    page.keyboard.press("a")
    page.set_input_files("#bring-file", {"name": "Vane.glb", "mimeType": "", "buffer": vane().packed()})
    small.lands(1)
    expect(page.locator("#tree")).to_contain_text("Searchlight")
    expect(page.locator("#toasts")).to_contain_text("Kept in the file")
    page.wait_for_function("() => window.lazzik.stage.nodes.has('arrow')")
    page.evaluate("() => window.lazzik.transport.go(30)")
    turned = "() => window.lazzik.stage.nodes.get('arrow').item.quaternion.toArray()"
    page.wait_for_function(f"() => Math.abs(({turned})()[3]) < 0.9")
    page.keyboard.press("a")
    page.fill("[name=depth]", "0.2")
    page.set_input_files("#bring-file", {"name": "Sign.svg", "mimeType": "", "buffer": DRAWING})
    small.lands(2)
    expect(page.locator("#tree")).to_contain_text("arrow")
    page.click("a.object:has-text('Mast')")
    expect(page.locator("#tree a.object.chosen")).to_contain_text("Mast")  # its numbers are those that are listed
    page.click(".channel:has-text('position y')")
    page.wait_for_function("() => document.getElementById('lanes').dataset.address === 'mast/position.y'")
    page.keyboard.press("a")
    page.set_input_files("#bring-file", {"name": "up.csv", "mimeType": "", "buffer": b"frame,lift\n0,0\n60,2\n150,1"})
    small.lands(3)
    expect(page.locator(".bead")).to_have_count(3)
    page.keyboard.press("a")
    page.set_input_files("#bring-file", {"name": "bad.csv", "mimeType": "", "buffer": b"time,lift\n0,0"})
    expect(page.locator(".sheet-dialog .field-error")).to_contain_text("one of them 'frame'")
