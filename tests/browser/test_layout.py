"""Every page and every panel: accessible by day and dusk, nothing on top of anything else at three sizes."""

from __future__ import annotations

import urllib.request
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest
from playwright.sync_api import FilePayload, Page, expect

from lazzik.demo.measured import measured_mast
from tests.browser.conftest import Studio, served
from tests.serving import Server

pytestmark = pytest.mark.browser


@pytest.fixture(scope="module")
def server(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Server]:
    """With few scenes in its list."""
    yield from served(tmp_path_factory)


UNREACHABLE = (Path(__file__).parent / "unreachable.js").read_text()
ON_CURVES = (Path(__file__).parent / "on_curves.js").read_text()
CUT_OFF = (Path(__file__).parent / "cut_off.js").read_text()
OVERLAPS = (Path(__file__).parent / "overlaps.js").read_text()
SIZES = ((1024, 700), (1280, 800), (1920, 1080))
MAST = "beacon-mast/rotation.z"
GUST = "?at=beacon-mast/rotation.z%23gust"
LAMPS = "?at=lamp-1/rotation.z%23nod" + "".join(f"&also=lamp-{k}/rotation.z" for k in range(2, 7))

Act = Callable[[Page], None]


def pressing(*selectors: str) -> Act:
    """Press one thing after the other."""

    def act(page: Page) -> None:
        for selector in selectors:
            page.click(selector)

    return act


def key(name: str, waits: str) -> Act:
    def act(page: Page) -> None:
        page.keyboard.press(name)
        page.wait_for_selector(waits)

    return act


def desk(page: Page) -> None:
    """The key desk, which stays open from one page to the next."""
    if not page.locator(".desk").count():
        page.keyboard.press("e")
    page.wait_for_selector(".desk")


def nothing(page: Page) -> None:
    """It is seen as it is opened."""


def found(words: str, waits: str) -> Act:
    """An action by its words in the finder."""

    def act(page: Page) -> None:
        page.keyboard.press("Control+k")
        page.fill(".finder input", words)
        page.keyboard.press("Enter")
        page.wait_for_selector(waits)

    return act


def poured(page: Page) -> None:
    """A swarm out of the chosen object."""
    page.keyboard.press("a")
    page.click("dialog[open] button:has-text('Swarm out of')")
    page.wait_for_selector("#strata[aria-label=Swarm]")


def curve_read(page: Page) -> None:
    """A measured curve, read."""
    file = FilePayload(name="mast.csv", mimeType="text/csv", buffer=measured_mast().encode())
    page.set_input_files("[name=file]", [file])
    page.wait_for_selector(".curve-read")


VIEWS: dict[str, tuple[str, Act]] = {
    "scenes": ("/scenes", nothing),
    "number": (f"{{scene}}{GUST}", nothing),
    "settle": ("{scene}?at=beacon-mast/rotation.z%23ring-on-arrival", nothing),
    "axes": ("{scene}?at=envelope/position.x&also=envelope/position.y", nothing),
    "many": (f"{{scene}}{LAMPS}", nothing),
    "stagger": (f"{{scene}}{LAMPS}", pressing("#choice-bar [data-act=stagger]")),
    "shape": ("{scene}?at=cloth/shape%23flutter", nothing),
    "rings": ("{scene}?at=pool/shape", nothing),
    "aim": ("{scene}?at=dish/aim", nothing),
    "aim at": ("{scene}?at=camera/rotation.x", key("j", "#aim-list")),
    "sheaf": ("{scene}?at=sheaves/unsteady_hand", nothing),
    "in a sheaf": ("{scene}?at=camera/rotation.x%23hands", nothing),
    "lettering": ("{scene}?at=name/shape", nothing),
    "deformers": ("{scene}?at=pool/shape", pressing("#add-deformer")),
    "desk": ("{scene}?at=beacon-mast/rotation.z", desk),
    "palette": (f"{{scene}}{GUST}", pressing("#add-layer")),
    "stack menu": (f"{{scene}}{GUST}", pressing("#stack-menu")),
    "scene form": (f"{{scene}}{GUST}", pressing(".scene-name")),
    "seeds": (f"{{scene}}{GUST}", pressing("#strip [data-sheet=seeds]")),
    "feel": (f"{{scene}}{GUST}", pressing("#strip [data-feel]")),
    "why": (f"{{scene}}{GUST}", key("w", ".sheet-dialog")),
    "poses": (f"{{scene}}{GUST}", key("b", ".shelf-new")),
    "finder": (f"{{scene}}{GUST}", key("Control+k", ".finder, dialog[open]")),
    "new object": (f"{{scene}}{GUST}", key("a", "dialog[open]")),
    "duplicate": (f"{{scene}}{GUST}", key("Control+d", "#duplicate-form")),
    "save a recipe": (f"{{scene}}{GUST}", pressing("#stack-menu", "[data-act=save-recipe]")),
    "new dial": (f"{{scene}}{GUST}", pressing(".dials [data-sheet]")),
    "seams": (f"{{scene}}{GUST}", pressing("#loop-menu", "#loop-list [data-sheet=seams]")),
    "bake a shape": ("{scene}?at=cloth/shape", pressing("[data-sheet=shape-bake]")),
    "formula": ("{scene}?at=float/position.y%23swell", pressing("[data-sheet=formula-help]")),
    "mark": (f"{{scene}}{GUST}", key("u", "#mark-form")),
    "keep": (f"{{scene}}{GUST}", key("Control+s", "#keep-version")),
    "versions": ("{scene}/versions", nothing),
    "compared": (f"{{scene}}/versions?a=shelf.gust-sway@{MAST}&b=now", pressing("#walk summary")),
    "compare recipes": (f"{{scene}}{GUST}", pressing("#stack-menu", "[data-act=compare-recipes]")),
    "recipes": ("{scene}/recipes?at=beacon-mast/rotation.z", nothing),
    "bake": ("{scene}/bake?at=beacon-mast/rotation.z", nothing),
    "deliver": ("{scene}/deliver", nothing),
    "wind": ("{scene}?at=ridge-wind/air", nothing),
    "whirl": ("{scene}?at=wake/air", nothing),
    "copies": ("{scene}?at=grass/copies", nothing),
    "particles": ("{scene}?at=snow/particles", nothing),
    "particles as objects": ("{scene}?at=snow/particles", pressing("[data-sheet=objects-form]")),
    "cloth": ("{scene}?at=canvas/cloth", nothing),
    "lamp": ("{scene}?at=sun/light.intensity", nothing),
    "camera": ("{scene}?at=camera/position.x", nothing),
    "orbit": ("{scene}?at=camera/position.x", key("o", "dialog[open]:not(.finder)")),
    "stand in the wind": ("{scene}?at=ridge-wind/air", pressing("[data-sheet=stand-form]")),
    "scatter": ("{scene}?at=rock-a/position.x", key(".", "dialog[open]:not(.finder)")),
    "answers the air": ("{scene}?at=aerial/rotation.z", nothing),
    "save an object": ("{scene}?at=sign/position.x", found("Save the object", "dialog[open]:not(.finder)")),
    "put a recipe": ("{scene}?at=sign/position.x", found("Put a recipe on", "dialog[open]:not(.finder)")),
    "keep a look": ("{scene}?at=sign/position.x", found("Keep the look", "dialog[open]:not(.finder)")),
    "try": (f"{{scene}}{GUST}", found("Try something", "dialog[open]:not(.finder)")),
    "shelf": ("/shelf", nothing),
    "runs": ("/runs", nothing),
    "reading": ("{scene}/reading?at=lamp-1/rotation.z", curve_read),
    "swarm": ("{scene}?at=rock-b/shape", poured),
}


@pytest.fixture(scope="module")
def station(server: Server) -> str:
    """A copy of the demo scene, for all views."""
    with urllib.request.urlopen(f"{server.url}/scenes/demo", b"") as opened:
        return str(opened.url)


def settled(page: Page) -> None:
    """All that is in sight is there; what a person would have to scroll to may wait to be asked for."""
    page.wait_for_function(
        """() => document.fonts.status === 'loaded'
            && ![...document.querySelectorAll('[aria-busy=true]')].some((each) => {
                const { top, bottom, width } = each.getBoundingClientRect();
                return width && bottom > 0 && top < innerHeight;
            })
            && document.getAnimations().every((each) => each.playState !== 'running'
                || each.effect.getTiming().iterations === Infinity)"""
    )


def opened(page: Page, path: str) -> None:
    page.goto(path)
    if page.locator("#stage").count():
        Studio(page).ready()
    page.mouse.move(2, 2)


def look(page: Page, station: str, axe: str, view: str) -> dict[str, object]:
    """What is wrong with a view, at three sizes and in both themes."""
    path, act = VIEWS[view]
    found: dict[str, object] = {}
    opened(page, path.format(scene=station))
    act(page)
    for width, height in SIZES:
        page.set_viewport_size({"width": width, "height": height})
        settled(page)
        wrong = {
            "on each other": page.evaluate(OVERLAPS),
            "cut off": page.evaluate(CUT_OFF),
            "not reached by Tab": page.evaluate(UNREACHABLE),
            "sideways": page.evaluate("() => document.documentElement.scrollWidth") > width,
        }
        found |= {f"{width} × {height}: {what}": list_ for what, list_ in wrong.items() if list_}
    page.set_viewport_size({"width": 1280, "height": 800})
    page.evaluate(axe)
    for theme in ("light", "dark"):
        page.evaluate("theme => { document.documentElement.dataset.bsTheme = theme; }", theme)
        settled(page)
        report = page.evaluate("() => axe.run(document, { resultTypes: ['violations'] })")
        serious = [
            (each["id"], [node["html"][:120] for node in each["nodes"]][:3])
            for each in report["violations"]
            if each["impact"] in ("serious", "critical")
        ]
        if serious:
            found[theme] = serious
    return found


ROOMS = ("versions", "recipes", "reading?at=lamp-1/rotation.z", "bake", "deliver")
"""Pages of a scene beside its studio."""

TELLING = ("scenes", "number", "compared", "bake", "deliver")
"""Views that are looked at each time; the others take their time."""


@pytest.mark.parametrize("view", TELLING)
def test_nothing_lies_on_anything_else_and_all_of_it_is_accessible(
    page: Page, station: str, axe: str, view: str
) -> None:
    assert look(page, station, axe, view) == {}


@pytest.mark.slow
@pytest.mark.parametrize("view", [view for view in VIEWS if view not in TELLING])
def test_of_every_other_view_too(page: Page, station: str, axe: str, view: str) -> None:
    assert look(page, station, axe, view) == {}


def test_at_twice_the_size_nothing_is_lost(page: Page, station: str) -> None:
    """Zoomed to 200 % a window of 1920 × 1080 has 960 × 540 pixels: all can be scrolled to."""
    page.set_viewport_size({"width": 960, "height": 540})
    opened(page, f"{station}{GUST}")
    for control in (
        "#strip .knob input.num >> nth=0",
        "[data-act=remove-layer]",
        "#lane-base",
        "#add-layer",
        "#tree-find",
    ):
        page.locator(control).first.scroll_into_view_if_needed()
        expect(page.locator(control).first).to_be_in_viewport()
    assert page.evaluate("() => document.documentElement.scrollWidth") <= 960
    for path in ("/scenes", "/shelf", "/runs", *(f"{station}/{room}" for room in ROOMS)):
        page.goto(path)
        settled(page)
        assert page.evaluate("() => document.documentElement.scrollWidth") <= 960, path
        assert page.evaluate(OVERLAPS) == [], path


def test_every_action_of_a_button_has_a_key_or_stands_in_the_finder(page: Page, station: str) -> None:
    """What a button does at its own place is done by the button, which Tab leads to; all else is found by name."""
    opened(page, f"{station}{GUST}")
    told = page.evaluate(
        "() => window.lazzik.actions.filter(({ keys, label }) => keys || label).map(({ name }) => name)"
    )
    tools = page.locator(".stage-tools [data-act], .transport [data-act], .head [data-act], .strata-bar > [data-act]")
    names = tools.evaluate_all("buttons => buttons.map((button) => button.dataset.act)")
    assert len(names) > 12
    assert set(names) <= set(told)


@pytest.mark.parametrize("at", [GUST, LAMPS, "?at=beacon/look.glow", "?at=rotor/rotation.y", "?at=board/rotation.x"])
def test_no_label_of_a_result_lies_on_a_curve(page: Page, station: str, at: str) -> None:
    page.set_viewport_size({"width": 1024, "height": 700})
    opened(page, f"{station}{at}")
    assert page.locator("svg[data-lane=result] text").count() >= 2
    assert page.evaluate(ON_CURVES) == []
