"""The whole road: scenes, stage, keys, bake, deliver; and that every page is fit to be used."""

from __future__ import annotations

import json
import math
from pathlib import Path

import pytest
from playwright.sync_api import Page, expect

from tests.browser.conftest import Studio, until_asked

pytestmark = pytest.mark.browser


def test_from_the_card_to_the_playing_station(page: Page, demo_url: str) -> None:
    page.goto("/scenes")
    card = page.locator(".scene-card").first
    expect(card.locator("h2")).to_have_text("Ridge station")
    expect(card).to_contain_text("50 of 92 objects move")
    card.locator("a").click()
    studio = Studio(page).ready()
    assert page.evaluate("() => window.lazzik.stage.nodes.size") == 92
    expect(page.locator("#tree")).to_contain_text("Beacon mast")
    for part in ("#stage", "#ruler", "#strata"):
        assert page.locator(part).is_visible()
    page.keyboard.press("Space")
    page.wait_for_function("() => window.lazzik.transport.frame > 5")
    turned = page.evaluate("() => window.lazzik.stage.nodes.get('rotor').item.quaternion.toArray()")
    page.wait_for_function("was => window.lazzik.stage.nodes.get('rotor').item.quaternion.y !== was[1]", arg=turned)
    page.keyboard.press("Space")
    expect(page.locator("#play")).to_have_attribute("aria-label", "Play")
    page.keyboard.press("Home")
    assert page.input_value("#frame") == "0"
    page.keyboard.press("ArrowRight")
    assert page.input_value("#frame") == "1"
    studio.drag("#pin", 300)
    assert 80 < int(page.input_value("#frame")) < 110


def test_the_stage_shows_what_was_evaluated(page: Page, demo_url: str) -> None:
    """The quaternion on the stage at a frame is the one of the channel's value there."""
    page.goto(f"{demo_url}?at=needle/rotation.z")
    studio = Studio(page).ready()
    page.evaluate("() => window.lazzik.transport.go(100)")
    x, y, z, w = page.evaluate("() => window.lazzik.stage.nodes.get('needle').item.quaternion.toArray()")
    values = studio.result()
    assert math.degrees(2 * math.atan2(z, w)) == pytest.approx(values[100 * (len(values) - 1) // 250], abs=1e-3)
    assert (x, y) == (0, 0)


def test_the_view_turns_zooms_resets_and_looks_through_the_camera(small: Studio) -> None:
    page = small.page
    eye = "() => window.lazzik.stage.camera.position.toArray()"
    home = page.evaluate(eye)
    small.drag("#canvas", 120, 30)
    turned = page.evaluate(eye)
    assert turned != pytest.approx(home, abs=0.1)
    page.mouse.wheel(0, 300)
    page.wait_for_function("was => window.lazzik.stage.camera.position.length() !== Math.hypot(...was)", arg=turned)
    page.click("#view-menu")
    page.click("[data-act=reset]")
    assert page.evaluate(eye) == pytest.approx(home, abs=1e-6)


def test_an_object_is_chosen_on_the_stage(small: Studio) -> None:
    page = small.page
    page.click("text=Floor")
    expect(page.locator(".trail strong")).to_have_text("Floor / rotation z")
    at = page.evaluate(
        """() => { const { stage } = window.lazzik; const p = stage.nodes.get('post').item.position.clone();
        p.y += 1; p.project(stage.camera); const box = stage.canvas.getBoundingClientRect();
        return [box.left + (p.x + 1) / 2 * box.width, box.top + (1 - p.y) / 2 * box.height]; }"""
    )
    page.mouse.click(*at)
    expect(page.locator(".trail strong")).to_have_text("Post / rotation z")


def test_keys_by_hand(small: Studio) -> None:
    page = small.page
    page.evaluate("() => window.lazzik.transport.go(30)")
    page.keyboard.press("k")
    small.lands(1)
    page.evaluate("() => window.lazzik.transport.go(90)")
    page.click("[data-act=key]")
    small.lands(2)
    page.fill("#key-value", "12")
    page.locator("#key-value").press("Enter")
    small.lands(3)
    assert small.reach() == pytest.approx(12)
    bead = page.locator('.bead[data-frame="30"]')
    per_frame = page.locator("svg[data-lane=base]").bounding_box()["width"] / 150  # type: ignore[index]
    small.drag(bead, 20 * per_frame, -8)
    small.lands(4)
    assert page.locator('.bead[data-frame="50"]').count() == 1
    page.wait_for_function("() => document.querySelector('#key-frame').value === '50'")
    risen = float(page.input_value("#key-value"))
    assert risen > 0.5
    page.fill("#key-frame", "60")
    page.locator("#key-frame").press("Enter")
    small.lands(5)
    assert page.locator(".bead").count() == 2
    page.keyboard.press("Tab")  # as who comes by keyboard
    page.locator('.bead[data-frame="60"]').focus()
    page.keyboard.press("Shift+ArrowLeft")
    small.lands(6)
    page.select_option("#key-go", "step")
    small.lands(7)
    assert len(set(small.result())) == 2
    page.keyboard.press("Tab")  # as who comes by keyboard
    page.locator('.bead[data-frame="50"]').focus()
    page.keyboard.press("Delete")
    small.lands(8)
    assert page.locator(".bead").count() == 1
    page.locator('.bead[data-frame="90"]').click()
    page.fill("#key-value", "much")
    page.locator("#key-value").press("Enter")
    expect(page.locator("#key-form .field-error")).to_contain_text("'much' is not a number")
    for step in (7, 6, 5, 4, 3, 2, 1, 0):
        page.keyboard.press("Escape")
        page.locator("#saved").click()
        page.click("[data-act=undo]")
        small.lands(step)
    expect(page.locator("#lane-base")).to_contain_text("constant")


def test_bake_move_a_bead_and_take_it_back(layered: Studio) -> None:
    page = layered.page
    before = layered.result()
    page.click("text=Bake …")
    expect(page.locator("#review")).to_contain_text("on 1 channel")
    expect(page.locator("#review .compared path.before")).to_have_count(1)
    fitted = int(page.inner_text("#review strong").split()[0])
    page.check("[value=every]")
    expect(page.locator("#review strong")).to_have_text("39 keys")
    page.check("[value=each]")
    expect(page.locator("#review strong")).to_have_text("151 keys")
    page.check("[value=fitted]")
    expect(page.locator("#review strong")).to_have_text(f"{fitted} keys")
    page.fill("[name=tolerance-degrees]", "none")
    expect(page.locator("#review .field-error")).to_contain_text("'none' is not a number")
    page.fill("[name=tolerance-degrees]", "0.05")
    expect(page.locator("#review .compared")).to_contain_text("worst 0.0")
    page.click("text=Place the keys")
    expect(page.locator(".receipt")).to_contain_text("Frames 0 to 150, fitted within")
    expect(page.locator("#bake-form")).to_contain_text("Nothing to bake")
    page.click(".steps a:has-text('Stage')")
    Studio(page).ready()
    page.click("text=Post")
    expect(page.locator("#lane-noise")).to_have_class("lane layer random chosen silent")
    assert layered.result() == pytest.approx(before, abs=0.0501)
    count = page.locator(".bead").count()
    assert count > 5
    beads = page.locator(".bead")
    layered.drag(beads.nth(count // 2), 0, -12)
    layered.lands(3)
    assert layered.result() != pytest.approx(before, abs=0.0501)
    page.click(".steps a:has-text('Bake')")
    page.click("text=Take back")
    expect(page.locator("#receipts")).to_contain_text("No bake so far")
    page.click(".steps a:has-text('Stage')")
    Studio(page).ready()
    page.click("text=Post")
    page.wait_for_selector("#lane-noise")
    assert layered.result() == before
    expect(page.locator("#lane-noise")).to_have_class("lane layer random chosen")


def test_deliver_and_open_again(layered: Studio, tmp_path: Path) -> None:
    page = layered.page
    page.click(".steps a:has-text('Deliver')")
    for name, ending in (("scene", "json"), ("csv", "csv")):
        with page.expect_download() as started:
            page.click(f"[data-format={name}] [type=submit]")
        file = tmp_path / f"small.{ending}"
        assert started.value.suggested_filename == file.name
        started.value.save_as(file)
    assert len((tmp_path / "small.csv").read_text().splitlines()) == 152
    text = json.loads((tmp_path / "small.json").read_text())
    text["name"] = "Opened again"
    (tmp_path / "again.json").write_text(json.dumps(text))
    page.goto("/scenes")
    page.set_input_files("#open-form input", tmp_path / "again.json")
    studio = Studio(page).ready()
    expect(page.locator("#scene-name")).to_have_text("Opened again")
    page.click("text=Post")
    page.wait_for_selector("#lane-noise")
    assert studio.reach() > 4
    (tmp_path / "broken.json").write_text('{"name": "x", "version": 7}')
    page.goto("/scenes")
    page.set_input_files("#open-form input", tmp_path / "broken.json")
    expect(page.locator("#open-error")).to_contain_text("its version is '7'")


def test_the_scene_is_renamed_and_its_range_changed(layered: Studio) -> None:
    page = layered.page
    page.click(".scene-name")
    page.fill("#scene-form [name=last]", "-4")
    page.click("#scene-form >> text=Keep")
    expect(page.locator("#scene-form .field-error")).to_contain_text("must end after it begins")
    page.fill("#scene-form [name=last]", "60")
    page.fill("#scene-form [name=name]", "Shorter")
    page.click("#scene-form >> text=Keep")
    page.wait_for_function("() => document.title.startsWith('Shorter')")
    Studio(page).ready().lands(2)
    expect(page.locator(".transport-head")).to_contain_text("/ 60 @ 30")


def test_every_action_is_found_by_name(small: Studio) -> None:
    page = small.page
    page.keyboard.press("Control+k")
    assert page.locator("dialog.finder li").count() > 15
    page.keyboard.type("last frame")
    expect(page.locator("dialog.finder li")).to_have_count(1)
    page.keyboard.press("Enter")
    assert page.input_value("#frame") == "150"


def test_the_keyboard_alone_reaches_and_adds_a_layer(small: Studio) -> None:
    page = small.page
    page.keyboard.press("l")
    page.wait_for_selector(".palette.show")
    page.keyboard.press("ArrowDown")
    page.keyboard.press("Enter")
    small.lands(1)
    assert small.lanes() == ["Noise"]


def test_a_press_does_what_was_seen_when_it_began(demo_url: str, page: Page) -> None:
    """The panel of another object arrives between the press of the button and its release."""
    page.goto(f"{demo_url}?at=mast/rotation.z")
    Studio(page).ready()
    slow = []
    page.route("**/panels?*sign*", lambda route: slow.append(route))
    page.locator("#tree a[data-node='sign']").dispatch_event("click")
    box = page.locator('#tree .channel[data-address="mast/position.y"]').bounding_box()
    assert box is not None
    page.mouse.move(box["x"] + 20, box["y"] + box["height"] / 2)
    page.mouse.down()
    until_asked(page, slow)
    with page.expect_response("**/panels?*sign*"):
        slow[0].continue_()
    page.evaluate("() => fetch('/scenes').then((answer) => answer.text())")  # the late panel is dealt with by now
    page.mouse.up()
    page.wait_for_function("() => document.getElementById('lanes').dataset.address === 'mast/position.y'")
    expect(page.locator("#tree a.object.chosen")).to_have_attribute("data-node", "mast")


def test_a_late_answer_does_not_bring_back_what_was_left(demo_url: str, page: Page) -> None:
    page.goto(f"{demo_url}?at=beacon-mast/rotation.z")
    Studio(page).ready()
    slow = []
    page.route("**/panels?*sign*", lambda route: slow.append(route))
    page.click("#tree a[data-node='sign']")
    page.click("#tree a[data-node='mast']")
    expect(page.locator("#tree a.object.chosen")).to_have_attribute("data-node", "mast")
    until_asked(page, slow)
    with page.expect_response("**/panels?*sign*"):
        slow[0].continue_()
    page.evaluate("() => fetch('/scenes').then((answer) => answer.text())")  # what came before it is dealt with by now
    expect(page.locator("#tree a.object.chosen")).to_have_attribute("data-node", "mast")
    assert "at=mast" in page.url
