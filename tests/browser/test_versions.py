"""Versions in the browser: kept, compared on the stage and as curves, taken over, tried; and marks on the ruler."""

from __future__ import annotations

import base64
import io
import json
import re
import urllib.request
from typing import Any

import numpy as np
import pytest
from PIL import Image
from playwright.sync_api import Page, expect

from tests.browser.conftest import Studio
from tests.serving import stored

pytestmark = pytest.mark.browser

MAST = "beacon-mast/rotation.z"
GUST = f"{MAST}#gust.amplitude"

SETTLED = """async () => {
  const { comparison, stage } = window.lazzik;
  const there = (each) => [...each.kept.values()].every(({ still, frames }) => frames.has(still ? 0 : each.frame));
  while (!comparison.surfaces.every(there) || stage.waiting) await new Promise(requestAnimationFrame);
}"""
"""The frame that is shown is shown wholly."""

PICTURED = """count => [...document.querySelectorAll('.version img')]
    .filter((picture) => picture.naturalWidth === 168).length === count"""


def send(url: str, body: dict[str, Any]) -> dict[str, Any]:
    request = urllib.request.Request(url, json.dumps(body).encode(), {"Content-Type": "application/json"})
    with urllib.request.urlopen(request) as answer:
        content: dict[str, Any] = json.load(answer)
    return content


def opened(page: Page, url: str) -> None:
    page.goto(url)
    page.wait_for_selector("body[data-ready]")
    page.evaluate(SETTLED)


def edit(url: str, revision: int, *edits: dict[str, Any]) -> int:
    return int(stored(f"{url}/edits", {"revision": revision, "edits": list(edits)})["revision"])


def per_frame(page: Page) -> float:
    """Pixels of the ruler."""
    width: float = page.evaluate(
        """() => { const { first, last } = JSON.parse(document.getElementById('facts').textContent);
            return document.getElementById('ruler').clientWidth / (last - first); }"""
    )
    return width


def versions(page: Page) -> list[str]:
    return page.locator(".version-words strong").all_inner_texts()


@pytest.fixture
def calmer(page: Page, demo_url: str) -> Page:
    """The demo scene with a version 'Calmer' and a stormier now, beside each other."""
    send(f"{demo_url}/versions", {"revision": 0, "name": "Calmer", "note": "for the client"})
    stormy = {"do": "set", "address": GUST, "value": 11}
    edit(demo_url, 0, stormy, {"do": "remove-object", "node": "lamp-3"})
    opened(page, f"{demo_url}/versions")
    return page


def seen(page: Page) -> np.ndarray[Any, Any]:
    """The picture on the stage: (height, width, 3)."""
    url = page.evaluate("() => { const { stage } = window.lazzik; stage.draw(); return stage.canvas.toDataURL(); }")
    with Image.open(io.BytesIO(base64.b64decode(url.split(",")[1]))) as picture:
        return np.asarray(picture.convert("RGB")).astype(float)


def parted(page: Page, share: float) -> np.ndarray[Any, Any]:
    page.evaluate("share => window.lazzik.comparison.part(share)", share)
    return seen(page)


@pytest.mark.slow
@pytest.mark.dots
def test_two_states_on_one_stage_wiped_in_step_as_a_ghost_and_side_by_side(calmer: Page) -> None:
    page = calmer
    page.evaluate("() => window.lazzik.transport.go(90)")
    page.evaluate(SETTLED)
    first, second, both = parted(page, 1), parted(page, 0), parted(page, 0.5)
    assert np.abs(first - second).max() > 60  # the mast stands otherwise, and a lamp is gone
    middle = both.shape[1] // 2
    for half, whole in (
        (both[:, : middle - 1], first[:, : middle - 1]),
        (both[:, middle + 1 :], second[:, middle + 1 :]),
    ):
        assert np.abs(half - whole).mean() < 0.5
    handle = page.locator("#wipe-handle")
    page.keyboard.press("Tab")  # what is reached so keeps its keys
    handle.focus()
    page.keyboard.press("End")
    expect(handle).to_have_attribute("aria-valuenow", "100")
    page.keyboard.press("Home")
    page.keyboard.press("ArrowRight")
    expect(handle).to_have_attribute("aria-valuenow", "2")
    differing = set(page.evaluate("() => [...window.lazzik.comparison.differs]"))
    assert {"beacon-mast", "lamp-3", "shade-3"} <= differing
    assert not differing & {"sock", "rotor", "lamp-4", "pool"}
    page.keyboard.press("Space")
    page.wait_for_function("() => window.lazzik.stage.model.frame > 20")
    page.keyboard.press("Space")
    frames = page.evaluate("() => [window.lazzik.stage.model.frame, window.lazzik.comparison.before.frame]")
    assert frames[0] == frames[1]
    assert page.evaluate(
        """() => { const { stage, comparison: { before } } = window.lazzik;
        return before.tracks.get('rotor') === stage.tracks.get('rotor')
            && before.tracks.get('beacon-mast') !== stage.tracks.get('beacon-mast'); }"""
    )
    page.evaluate("() => window.lazzik.transport.go(90)")
    turned = page.evaluate(
        """() => { const { stage, comparison: { before } } = window.lazzik;
            const turn = (model, id) => model.nodes.get(id).item.quaternion.toArray();
            return [before, stage.model].map((model) => [turn(model, 'beacon-mast'), turn(model, 'rotor')]); }"""
    )
    assert turned[0][0] != turned[1][0]
    assert turned[0][1] == turned[1][1]
    # both are inked: each edge that was looked for is on its surface
    inked = "model => model.edges.length && model.edges.every(({ parent }) => parent?.isMesh)"
    assert page.evaluate(f"() => [window.lazzik.comparison.before, window.lazzik.stage.model].every({inked})")
    page.click("button[data-look=ghost]")
    shown = page.evaluate(
        """() => [...window.lazzik.comparison.before.nodes]
            .filter(([, { mesh }]) => mesh && mesh.layers.mask === 1).map(([id]) => id)"""
    )
    assert set(shown) <= differing
    assert {"beacon-mast", "shade-3"} <= set(shown)
    expect(page.locator("#wipe-handle")).to_be_hidden()
    page.click("button[data-look=sides]")
    expect(page.locator("button[data-look=sides]")).to_have_attribute("aria-pressed", "true")
    page.evaluate("() => window.lazzik.transport.go(0)")
    page.evaluate(SETTLED)
    picture = seen(page)
    half = picture.shape[1] // 2
    left, right = picture[:, :half], picture[:, half : 2 * half]
    assert np.abs(left - right).mean() < 6  # one view of nearly the same, twice
    page.reload()
    page.wait_for_selector("body[data-ready]")
    assert page.evaluate("() => window.lazzik.comparison.look") == "sides"


@pytest.mark.slow
def test_curves_of_both_and_what_is_ticked_is_taken_over_with_what_it_needs(calmer: Page) -> None:
    page = calmer
    expect(page.locator("#seen-title")).to_have_text("Beacon mast / rotation z")
    expect(page.locator("#seen-count")).to_have_text("5 numbers move otherwise")
    expect(page.locator("#curve-both path.trace")).to_have_count(2)
    assert re.match(r"at most [\d.]+°", page.inner_text("#most-apart"))
    assert page.inner_text("#range-first").startswith("Calmer −")
    most = page.evaluate("() => window.lazzik.curves.data.most")
    apart = page.evaluate(
        """() => { const { before, after } = window.lazzik.curves.data;
            return Math.max(...after.map((value, i) => Math.abs(value - before[i]))); }"""
    )
    assert apart == pytest.approx(most, rel=1e-4)
    page.evaluate(
        "() => { document.querySelector('.differs [data-see]').dataset.see = 'guy-plate-1/deform.wring.angle'; }"
    )
    page.click(".differs [data-see]")
    expect(page.locator("#seen-title")).to_contain_text("Guy plate 1")
    page.evaluate("at => { document.querySelector('.differs [data-see]').dataset.see = at; }", MAST)
    page.click(".differs [data-see]")
    expect(page.locator("#seen-title")).to_have_text("Beacon mast / rotation z")
    assert "at=beacon-mast" in page.url
    button = page.locator("#take-over [type=submit]")
    expect(button).to_be_disabled()
    page.check("text=Shade 3 >> xpath=ancestor::tr >> input")
    expect(button).to_have_text("Take 1 over")
    expect(page.locator("#along")).to_contain_text("Lamp 3: — → there")
    button.click()
    expect(page.locator("#saved")).to_have_text("Saved · step 2")
    expect(page.locator("#differs .differs")).to_have_count(1)
    expect(page.locator(".version.second .version-changes")).to_have_text("Gust amplitude 4.8° → 11°")
    page.wait_for_selector("body[data-ready]")
    page.check("[data-whole='nodes/beacon-mast']")
    expect(button).to_have_text("Take 1 over")
    button.click()
    expect(page.locator(".differs-scroll")).to_contain_text("They are the same.")
    page.wait_for_selector("body[data-ready]")
    page.keyboard.press("Control+z")
    expect(page.locator("#saved")).to_have_text("Saved · step 2")


def test_a_version_is_kept_from_the_studio_and_gone_back_to(small: Studio) -> None:
    page = small.page
    page.keyboard.press("Control+s")
    expect(page.locator("#keep-version [name=name]")).to_have_value("First take")
    page.fill("#keep-version [name=note]", "as agreed")
    page.keyboard.press("Enter")
    expect(page.locator("dialog")).to_have_count(0)
    page.click("#add-layer")
    page.click("[data-add=noise]")
    small.lands(1)
    page.keyboard.press("Control+s")
    expect(page.locator("#keep-version [name=name]")).to_have_value("First take 2")
    page.fill("#keep-version [name=name]", "Shaken")
    page.keyboard.press("Enter")
    expect(page.locator("dialog")).to_have_count(0)
    page.click(".steps a:has-text('Versions')")
    page.wait_for_selector("body[data-ready]")
    assert versions(page) == ["Now", "Shaken", "First take"]
    expect(page.locator(".version").nth(2)).to_contain_text("as agreed")
    expect(page.locator(".version").nth(1)).to_contain_text("Noise on Post added")
    page.wait_for_function(PICTURED, arg=2)
    assert re.match(r"(today|yesterday), \d\d:\d\d", page.locator(".version time").first.inner_text())
    page.locator(".version-more > button").nth(1).click()
    page.locator("[data-act=go-back]:visible").click()
    expect(page.locator("#saved")).to_have_text("Saved · step 2")
    expect(page.locator("#history [data-act=undo]")).to_have_attribute("aria-label", "Undo: back to First take")
    page.wait_for_selector("body[data-ready]")
    page.keyboard.press("Control+z")
    expect(page.locator("#saved")).to_have_text("Saved · step 1")


@pytest.mark.slow
def test_names_are_changed_a_removed_one_is_kept_again_and_the_steps_are_walked(calmer: Page) -> None:
    page = calmer
    page.click(".version-more > button")
    page.click("text=Name and note …")
    page.fill("#change-version [name=name]", "Softer")
    page.keyboard.press("Enter")
    expect(page.locator(".version-words strong").nth(1)).to_have_text("Softer")
    page.wait_for_selector("body[data-ready]")
    page.click(".version-more > button")
    page.locator("[data-act=remove-version]:visible").click()
    expect(page.locator(".version")).to_have_count(1)
    page.click(".toast button:has-text('Keep it again')")
    expect(page.locator(".version-words strong").nth(1)).to_have_text("Softer")
    page.wait_for_selector("body[data-ready]")
    page.click("#walk summary")
    expect(page.locator(".step")).to_have_count(2)
    expect(page.locator(".step").last).to_contain_text("Softer")
    page.click("[data-act=go-to-step]")
    expect(page.locator("#saved")).to_have_text("Saved · step 2")
    expect(page.locator(".differs-scroll")).to_contain_text("same")


@pytest.mark.slow
def test_something_is_tried_with_a_way_back(small: Studio) -> None:
    page = small.page
    page.goto(f"{page.url.split('?')[0]}/versions")
    page.wait_for_selector("body[data-ready]")
    page.click("[data-act=try]")
    page.fill("#try-out [name=name]", "Wilder")
    page.keyboard.press("Enter")
    expect(page.locator(".trial-note")).to_contain_text("Wilder")
    page.click(".steps a:has-text('Stage')")
    small.ready()
    expect(page.locator(".trying")).to_contain_text("Wilder")
    page.click(".steps a:has-text('Deliver')")  # and on every other page: here too one may keep what is now
    expect(page.locator("#film-form [type=submit]")).to_be_enabled()
    page.keyboard.press("Control+s")
    expect(page.locator("#keep-version [name=name]")).to_have_value("Before Wilder 2")
    page.keyboard.press("Escape")
    page.click(".steps a:has-text('Stage')")
    small.ready()
    page.click("#add-layer")
    page.click("[data-add=noise]")
    small.lands(1)
    page.click("#history [data-act=return]")
    small.lands(2)
    expect(page.locator(".trying")).to_have_count(0)
    assert small.lanes() == []
    expect(page.locator(".toast")).to_contain_text("kept as a version")
    page.click(".steps a:has-text('Versions')")
    page.wait_for_selector("body[data-ready]")
    assert versions(page) == ["Now", "Wilder", "Before Wilder"]
    page.wait_for_function(PICTURED, arg=2)


@pytest.mark.slow
def test_states_are_chosen_to_be_compared(calmer: Page, demo_url: str) -> None:
    page = calmer
    page.select_option("#state-b", label="The beginning")
    page.wait_for_function("() => document.querySelector('#main')?.dataset.b === '0' && document.body.dataset.ready")
    expect(page.locator(".differs-scroll")).to_contain_text("They are the same")
    expect(page.locator("#take-over")).to_contain_text("put Now beside it")
    page.goto(f"{demo_url}?at={MAST}")
    Studio(page).ready()
    page.click("#stack-menu")
    page.click("[data-act=compare-recipes]")
    page.select_option("dialog [name=a]", label="Hand-held")
    page.click("dialog [type=submit]")
    page.wait_for_selector("body.none, #main.versions")
    page.wait_for_selector("body[data-ready]")
    expect(page.locator("#seen-title")).to_have_text("Beacon mast / rotation z")
    assert page.evaluate("() => window.lazzik.curves.data.most") > 0.1


def test_a_frame_is_marked_read_dragged_and_stepped_to(small: Studio) -> None:
    page = small.page
    page.evaluate("() => window.lazzik.transport.go(30)")
    page.keyboard.press("u")
    page.fill("#mark-form [name=label]", "Gust begins")
    page.check("#mark-form [value=lake]")
    page.fill("#mark-form [name=remark]", "Softer, please.")
    page.click("#mark-form [type=submit]")
    small.lands(1)
    mark = page.locator("#ruler .mark")
    expect(mark).to_have_attribute("aria-label", "Mark Gust begins, frame 30: Softer, please.")
    small.drag(mark, 30 * per_frame(page))
    small.lands(2)
    expect(mark).to_have_attribute("aria-label", re.compile("frame 60"))
    page.keyboard.press("Control+z")
    small.lands(1)
    expect(mark).to_have_attribute("aria-label", re.compile("frame 30"))
    page.evaluate("() => window.lazzik.transport.go(3)")
    page.keyboard.press("Control+ArrowRight")
    assert page.input_value("#frame") == "30"
    page.keyboard.press("u")
    expect(page.locator("#mark-form [name=remark]")).to_have_value("Softer, please.")
    page.keyboard.press("Escape")
    page.keyboard.press("Tab")
    mark.focus()
    page.keyboard.press("ArrowRight")
    small.lands(3)
    expect(mark).to_be_focused()
    page.keyboard.press("Delete")
    small.lands(4)
    expect(mark).to_have_count(0)


def test_playhead_windows_and_keys_snap_to_marks(layered: Studio) -> None:
    page = layered.page
    edits = [{"do": "add-mark", "frame": 47}, {"do": "put-key", "address": "post/rotation.z", "frame": 10, "value": 3}]
    edit(page.url.split("?")[0], 1, *edits)
    page.reload()
    layered.ready()
    ruler = page.locator("#ruler").bounding_box()
    assert ruler is not None
    step = per_frame(page)
    page.mouse.click(ruler["x"] + 47 * step + 5, ruler["y"] + 4)
    assert page.input_value("#frame") == "47"
    page.mouse.click(ruler["x"] + 60 * step, ruler["y"] + 4)
    assert page.input_value("#frame") == "60"
    layered.drag(".lane.layer [data-grip=start]", 47 * step + 4)
    layered.lands(3)
    layered.drag(".bead", 37 * step - 4)
    layered.lands(4)
    with urllib.request.urlopen(f"{page.url.split('?')[0]}/deliver/scene") as answer:
        (post,) = [node for node in json.load(answer)["nodes"] if node["id"] == "post"]
    assert post["rotation"]["z"]["layers"][0]["window"]["start"] == 47
    assert post["rotation"]["z"]["keys"][0]["frame"] == 47
