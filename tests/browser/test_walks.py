"""Whole jobs as a person does them, with counted actions: a press, a key, a drag, or a value that is typed.

Each is undone to the beginning, and what moves is compared with the motion that was wanted.
"""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
import pytest
from playwright.sync_api import Page, expect

from tests.browser.conftest import Studio
from tests.browser.shapes import node_of, scene_of
from tests.browser.test_hands import drag_row, tree

pytestmark = pytest.mark.browser

GUIDE = (Path(__file__).parents[2] / "docs" / "guide.md").read_text()
MOST = {
    "six paddles on a turning hub, on one beat at sixths": 20, "six lamps out of step": 8,
    "a windsock carried by a swaying mast": 12, "ten objects renamed and regrouped": 14,
    "a box whose width breathes at 2 Hz, baked and delivered": 12,
    "a camera that aims at a moving target, its hand unsteady in a window": 10,
    "an orbit fitted to the range, with a wobble": 6, "a pan with its ends swapped": 5,
    "a hand on six numbers, trimmed, faded, muted, its weight keyed": 8,
    "a picture on a sheet that enters elastically": 12,
}  # fmt: skip
"""Jobs of the guide, and the most actions that they may take."""

Values = np.ndarray[Any, Any]


class Walk:
    """A person at work, whose actions are counted."""

    def __init__(self, studio: Studio, step: int = 0) -> None:
        self.studio, self.page = studio, studio.page
        self.began = self.step = step
        self.actions = 0

    def press(self, selector: str, *, lands: bool = False, **how: Any) -> None:
        self.page.locator(selector).first.click(**how)
        self.did(lands)

    def key(self, name: str) -> None:
        self.page.keyboard.press(name)
        self.did(False)

    def choose(self, selector: str, value: str, *, lands: bool = False) -> None:
        self.page.select_option(selector, value)
        self.did(lands)

    def type_(self, selector: str, text: str, *, lands: bool = True) -> None:
        """Press a field and type into it: one action for each."""
        self.page.locator(selector).first.fill(text)
        self.page.locator(selector).first.press("Enter")
        self.actions += 1
        self.did(lands)

    def value(self, address: str, text: str) -> None:
        """Press a number of the tree twice, and type."""
        self.page.locator(f'[data-now="{address}"]').dblclick()
        self.page.locator("input.rename").fill(text)
        self.page.locator("input.rename").press("Enter")
        self.actions += 1
        self.did(True)

    def drag(self, label: str, onto: str) -> None:
        drag_row(self.page, label, onto)
        self.did(True)

    def pull(self, grip: str, frames: float) -> None:
        """Drag a grip of a block along time."""
        per_frame = self.page.evaluate("() => 1 / window.lazzik.strata.perPixel")
        self.studio.drag(grip, frames * per_frame)
        self.did(True)

    def did(self, lands: bool) -> None:
        self.actions += 1
        if lands:
            self.step += 1
            self.studio.lands(self.step)

    def is_told(self, job: str) -> None:
        """It took as many actions as the guide says, and no more than it may."""
        assert f"| {job} | {self.actions} |" in GUIDE
        assert self.actions <= MOST[job]

    def undo_all(self) -> None:
        """Back to the beginning, step by step."""
        for step in range(self.step - 1, self.began - 1, -1):
            self.page.keyboard.press("Control+z")
            self.studio.lands(step)


def chosen(page: Page, label: str) -> None:
    """Wait until an object is shown."""
    expect(page.locator("#tree .object.chosen .name")).to_have_text(label)


def drawn(walk: Walk, address: str) -> Values:
    """What the strata draw of a number: one value for each whole frame."""
    page = walk.page
    page.evaluate("at => window.lazzik.choose(at)", address)
    page.wait_for_function("at => window.lazzik.strata.data?.channel === at", arg=address)
    found = page.evaluate("() => [...window.lazzik.strata.data.result]")
    return np.array(found)[:: (len(found) - 1) // 150]


@pytest.mark.slow
def test_six_paddles_on_a_turning_hub_share_one_beat_at_sixths(small: Studio) -> None:
    walk, page = Walk(small), small.page
    before = scene_of(small)
    walk.key("a")
    walk.press(".object-kinds button:has-text('Group')", lands=True)
    chosen(page, "Group")
    walk.press('.channel[data-address="group/rotation.y"]')
    expect(page.locator(".trail strong")).to_have_text("Group / rotation y")
    walk.key("l")
    walk.press("[data-add=turn]", lands=True)
    walk.key("a")
    walk.press(".object-kinds button:has-text('Box')", lands=True)
    chosen(page, "Box")
    walk.value("box/position.z", "2")
    walk.key("Control+d")
    walk.choose("#duplicate-form [name=how]", "ring")
    walk.press("#duplicate-form [type=submit]", lands=True)
    chosen(page, "Box 2")
    walk.press("#row-box > a", modifiers=["ControlOrMeta"])
    expect(page.locator("#choice-bar strong")).to_have_text("6 numbers")
    walk.key("l")
    walk.press("[data-add=wave]", lands=True)
    expect(page.locator(".lane.chosen")).to_have_count(1)
    walk.key("g")
    walk.choose("#stagger-form [name=number]", "phase")
    walk.press("#stagger-form [type=submit]", lands=True)
    expect(page.locator("dialog")).to_have_count(0)
    walk.is_told("six paddles on a turning hub, on one beat at sixths")
    boxes = ["box-2", "box-3", "box-4", "box-5", "box-6", "box"]
    assert all(node_of(small, box)["parent"] == "group" for box in boxes)
    rows = np.array([drawn(walk, f"{box}/rotation.z") for box in boxes])
    seconds = np.arange(151) / 30
    size = np.abs(rows).max()
    wanted = [size * np.sin(2 * np.pi * (seconds + k / 6)) for k in range(6)]
    np.testing.assert_allclose(rows, wanted, atol=0.02 * size)
    turned = drawn(walk, "group/rotation.y")
    assert np.ptp(np.diff(turned)) < 1e-4 * abs(np.diff(turned).mean())
    walk.undo_all()
    assert scene_of(small) == before


@pytest.mark.slow
def test_six_lamps_are_out_of_step(small: Studio) -> None:
    walk, page = Walk(small), small.page
    before = scene_of(small)
    walk.key("Control+d")
    walk.press("#duplicate-form [type=submit]", lands=True)
    chosen(page, "Post 2")
    walk.press("#row-post > a", modifiers=["ControlOrMeta"])
    expect(page.locator("#choice-bar strong")).to_have_text("6 numbers")
    walk.key("l")
    walk.press("[data-add=noise]", lands=True)
    walk.is_told("six lamps out of step")
    rows = np.array([drawn(walk, f"post{end}/rotation.z") for end in ("", "-2", "-3", "-4", "-5", "-6")])
    alike = np.corrcoef(rows)[np.triu_indices(6, 1)]
    assert np.abs(alike).max() < 0.9
    assert (np.ptp(rows, axis=1) > 2).all()
    walk.undo_all()
    assert scene_of(small) == before


@pytest.mark.slow
def test_a_windsock_is_carried_by_a_swaying_mast(small: Studio) -> None:
    walk, page = Walk(small), small.page
    before = scene_of(small)
    walk.key("l")
    walk.press("[data-add=noise]", lands=True)
    walk.key("a")
    walk.press(".object-kinds button:has-text('Tube')", lands=True)
    chosen(page, "Tube")
    walk.value("tube/position.y", "2")
    walk.value("tube/rotation.z", "-90")
    walk.drag("Tube", "Post")
    walk.key("s")
    expect(page.locator(".trail strong")).to_have_text("shape")
    walk.key("l")
    walk.press("[data-add-deformer=undulate]", lands=True)
    walk.is_told("a windsock carried by a swaying mast")
    sock = node_of(small, "tube")
    assert sock["parent"] == "post"
    assert [deformer["kind"] for deformer in sock["deform"]] == ["undulate"]
    # it stands where it stood, and goes with the mast
    where = """() => { const s = window.lazzik.stage; const at = s.nodes.get('tube').item;
        const V = at.position.constructor; return at.getWorldPosition(new V()).toArray(); }"""
    places = []
    for frame in (0, 40, 90):
        page.evaluate("frame => window.lazzik.transport.go(frame)", frame)
        page.wait_for_function("n => window.lazzik.stage.frame === n && !window.lazzik.stage.waiting", arg=frame)
        places.append(page.evaluate(where))
    swing = np.radians(drawn(walk, "post/rotation.z")[[0, 40, 90]])
    height = 2 / np.cos(swing[0]) if abs(swing[0]) > 1e-9 else 2
    for place, angle in zip(places, swing - swing[0], strict=True):
        assert place[:2] == pytest.approx([-height * np.sin(angle), height * np.cos(angle)], abs=0.02)
    walk.undo_all()
    assert scene_of(small) == before


@pytest.mark.slow
def test_ten_objects_are_renamed_and_regrouped(small: Studio) -> None:
    page = small.page
    page.keyboard.press("Control+d")
    page.fill("#duplicate-form [name=count]", "9")
    page.click("#duplicate-form [type=submit]")
    small.lands(1)
    chosen(page, "Post 2")
    walk = Walk(small, 1)
    before = scene_of(small)
    walk.press("#row-post-2 > a")
    chosen(page, "Post 2")
    walk.press("#row-post-10 > a", modifiers=["Shift"])
    expect(page.locator("#choice-bar strong")).to_have_text("9 numbers")
    walk.press("#row-post > a", modifiers=["ControlOrMeta"])
    expect(page.locator("#choice-bar strong")).to_have_text("10 numbers")
    walk.key("F2")
    page.locator("input.rename").fill("Reed")
    page.locator("input.rename").press("Enter")
    walk.did(True)
    walk.key("Control+g")
    walk.step += 1
    small.lands(walk.step)
    chosen(page, "Group")
    walk.key("F2")
    page.locator("input.rename").fill("Reeds")
    page.locator("input.rename").press("Enter")
    walk.did(True)
    walk.drag("Reeds", "Floor")
    walk.is_told("ten objects renamed and regrouped")
    reeds = [f"..Reed{'' if k == 1 else f' {k}'}" for k in range(1, 11)]
    rows = [row for row in tree(page) if "Reed" in row]
    assert (rows[0], sorted(rows[1:])) == (".Reeds", sorted(reeds))
    walk.undo_all()
    assert scene_of(small) == before


def test_names_are_typed_one_after_the_other_with_tab(small: Studio) -> None:
    page = small.page
    page.click("#row-floor > a")
    chosen(page, "Floor")
    page.keyboard.press("F2")
    for step, name in enumerate(("Deck", "Pole", "Eye"), 1):
        page.locator("input.rename").fill(name)
        page.locator("input.rename").press("Tab")
        small.lands(step)
    assert tree(page) == ["Deck", "Pole", "Eye"]


@pytest.mark.slow
def test_a_box_breathes_at_two_hertz_is_baked_and_delivered(small: Studio) -> None:
    walk, page = Walk(small), small.page
    before = scene_of(small)
    walk.key("a")
    walk.press(".object-kinds button:has-text('Box')", lands=True)
    chosen(page, "Box")
    walk.press('#base-strip .knob[data-address="box/shape.width"] .drive')
    expect(page.locator(".trail strong")).to_contain_text("shape width")
    walk.key("l")
    walk.press("[data-add=wave]", lands=True)
    walk.type_('#strip .knob[data-address$=".period"] input.num', "2 Hz")
    values = np.array(small.result())
    walk.press(".strata-bar .main-action")
    page.wait_for_selector("#review .compared")
    walk.press("text=Place the keys")
    page.wait_for_selector(".receipt")
    walk.press(".steps a:has-text('Deliver')")
    with page.expect_download() as started:
        walk.press("text=Write glTF 2.0")
    assert started.value.path().stat().st_size > 1000
    walk.is_told("a box whose width breathes at 2 Hz, baked and delivered")
    seconds = np.arange(len(values)) / (len(values) - 1) * 5
    middle, size = values.mean(), np.ptp(values) / 2
    np.testing.assert_allclose(values, middle + size * np.sin(2 * np.pi * 2 * seconds), atol=0.02)
    baked = scene_of_url(page)["nodes"]
    width = next(node for node in baked if node["id"] == "box")["shape"]["width"]
    assert len(width["keys"]) >= 20
    assert width["layers"][0]["muted"] is True
    page.click(".steps a:has-text('Stage')")
    small.ready()
    walk.step = small.step
    walk.undo_all()
    assert scene_of(small) == before


def scene_of_url(page: Page) -> Any:
    """The document, from any of its pages."""
    return page.evaluate(
        "async () => (await fetch(location.pathname.split('/').slice(0, 3).join('/') + '/deliver/scene')).json()"
    )


PRESSES = (
    "#row-floor > a",
    '.channel[data-address="post/rotation.z"]',
    ".triple .whole a",
    ".lane-name",
    "#lane-noise [data-flag=muted]",
    "#lane-noise [data-flag=solo]",
    "#strip summary",
    "#strip legend",
    "#strip input[type=range]",
    "[data-act=fit-range]",
    "[data-act=undo]",
    "[data-act=redo]",
    "#tree-find",
    "#canvas",
)


@pytest.mark.slow
def test_after_every_kind_of_press_space_plays(layered: Studio) -> None:
    page = layered.page
    playing = "() => window.lazzik.transport.playing !== null"
    for press in PRESSES:
        page.evaluate("() => window.lazzik.choose('post/rotation.z#noise')")
        expect(page.locator(".trail strong")).to_have_text("Post / rotation z")
        page.wait_for_selector("#strip")
        page.locator(press).first.click()
        if press == "#tree-find":
            page.keyboard.press("Escape")  # what is typed there is a name
            page.locator("#ruler").click(position={"x": 30, "y": 8})
        page.keyboard.press("Space")
        page.wait_for_function(playing)
        page.keyboard.press("Space")
        page.wait_for_function("() => window.lazzik.transport.playing === null")
