"""Objects by hand: added, named, hidden, copied, brought in from files, turned about other places."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
import trimesh
from playwright.sync_api import expect

from tests.browser.conftest import Studio
from tests.browser.shapes import add, node_of, on_the_post, points, scene_of
from tests.core.formats.test_importer import DRAWING
from tests.core.formats.vane import vane

pytestmark = pytest.mark.browser


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
    assert len([n for n in scene_of(small)["nodes"] if n["label"].startswith("Post")]) == 5
    page.click("#tree [data-act=remove-objects]")
    small.lands(10)
    assert len([n for n in scene_of(small)["nodes"] if n["label"].startswith("Post")]) == 1  # the copies were chosen


def test_a_mesh_and_a_font_come_from_files_and_a_broken_one_is_refused(small: Studio) -> None:
    page = small.page
    page.keyboard.press("a")
    page.set_input_files("#bring-file", {"name": "bad.obj", "mimeType": "", "buffer": b"nothing"})
    expect(page.locator(".sheet-dialog .field-error")).to_contain_text("bad.obj")
    rock = trimesh.creation.icosphere(2)
    rock.visual.vertex_colors = np.where(rock.vertices[:, 1:2] > 0, 255, 0).repeat(4, axis=1).astype(np.uint8)
    page.set_input_files("#bring-file", {"name": "Rock.ply", "mimeType": "", "buffer": rock.export(file_type="ply")})
    expect(page.locator("#bring-preview [data-what]")).to_have_text("1 object, 320 triangles: Rock.")
    expect(page.locator("#bring-preview [data-size]")).to_have_text("2 × 2 × 2 m")
    page.select_option("#bring-size", "0.01")
    expect(page.locator("#bring-preview [data-size]")).to_have_text("0.02 × 0.02 × 0.02 m")
    page.select_option("#bring-size", "1")
    page.click("[data-act=bring-in]")
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
    shaped.unfolded("#d-pivot").select_option("top")
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


def test_a_whole_file_a_drawing_and_a_table_are_brought_in(small: Studio) -> None:
    page = small.page
    page.keyboard.press("a")
    page.set_input_files("#bring-file", {"name": "Vane.glb", "mimeType": "", "buffer": vane().packed()})
    expect(page.locator("#bring-preview img")).to_have_js_property("complete", value=True)
    assert page.eval_on_selector("#bring-preview img", "image => image.naturalWidth") > 0
    expect(page.locator("#bring-preview [data-notes]")).to_contain_text("Kept in the file")
    assert small.step == 0  # nothing has come yet
    page.click("[data-act=bring-in]")
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
    page.click("[data-act=bring-in]")
    small.lands(2)
    expect(page.locator("#tree")).to_contain_text("arrow")
    page.click("a.object:has-text('Mast')")
    expect(page.locator("#tree a.object.chosen")).to_contain_text("Mast")  # its numbers are those that are listed
    page.click('.channel[data-address="mast/position.y"]')
    page.wait_for_function("() => document.getElementById('lanes').dataset.address === 'mast/position.y'")
    page.keyboard.press("a")
    page.set_input_files("#bring-file", {"name": "up.csv", "mimeType": "", "buffer": b"frame,lift\n0,0\n60,2\n150,1"})
    small.lands(3)
    expect(page.locator(".bead")).to_have_count(3)
    page.keyboard.press("a")
    page.set_input_files("#bring-file", {"name": "bad.csv", "mimeType": "", "buffer": b"time,lift\n0,0"})
    expect(page.locator(".sheet-dialog .field-error")).to_contain_text("one of them 'frame'")
