"""Particles as a person makes them: added, worked out beside the work, seen, changed."""

from __future__ import annotations

import io
import re
import zipfile
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import shapely
from PIL import Image
from playwright.sync_api import Page, expect

from lazzik.core.geometry.lettering import Lettering
from tests.browser.conftest import Studio, until_asked
from tests.browser.test_air import go
from tests.browser.test_walks import Walk
from tests.serving import stored

pytestmark = pytest.mark.browser

ALL = "() => { const run = window.lazzik.runs.kept.get('particles'); return run && run.there.size === run.count; }"
RUN = "() => window.lazzik.runs.kept.get('particles').run"
OTHER = f"was => ({RUN})() !== was"
DRAWN = "() => window.lazzik.runs.kept.get('particles').drawn.points.geometry.drawRange.count"


def test_particles_are_added_come_by_themselves_and_play_without_being_worked_out_anew(small: Studio) -> None:
    page, walk = small.page, Walk(small)
    page.click("#row-post > a")
    walk.key("a")
    walk.press("[data-act=emit]:has-text('from the surface of Post')", lands=True)
    expect(page.locator("#strata .trail")).to_contain_text("particles from Post")
    page.wait_for_function(ALL)
    go(page, 60)
    page.wait_for_function(f"() => ({DRAWN})() > 100")
    page.wait_for_function("() => document.querySelectorAll('[data-course] path.trace').length === 2")
    expect(page.locator('[data-course="alive"] .now')).to_have_text(re.compile(r"^[1-9][0-9,]*$"))
    # stretches that were seen are asked for no more
    go(page, 61)
    page.wait_for_function("() => window.lazzik.runs.kept.get('particles').kept.size >= 2")
    asked: list[str] = []
    page.on("request", lambda request: asked.append(request.url))
    before = page.evaluate(DRAWN)
    go(page, 40)
    go(page, 61)
    assert page.evaluate(DRAWN) == before
    assert [url for url in asked if "run" in url.rsplit("/", 1)[1].split("?")[0]] == []
    # more of them: another run comes; undone, the first one is there at once
    page.fill('.knob[data-address="particles/emitter.rate"] input.num', "300")
    page.press('.knob[data-address="particles/emitter.rate"] input.num', "Enter")
    small.lands(2)
    page.wait_for_function(f"was => ({DRAWN})() > 1.5 * was", arg=before)
    page.wait_for_function(ALL)
    page.keyboard.press("Escape")
    page.keyboard.press("Control+z")
    small.lands(1)
    page.wait_for_function(f"was => ({DRAWN})() === was", arg=before)
    expect(page.locator("#jobs .job")).to_have_count(0)


def particles_from_the_post(small: Studio) -> Walk:
    """Two actions."""
    small.page.click("#row-post > a")
    walk = Walk(small)
    walk.key("a")
    walk.press("[data-act=emit]:has-text('from the surface of Post')", lands=True)
    small.page.wait_for_function(ALL)
    go(small.page, 60)
    small.page.wait_for_function(f"() => ({DRAWN})() > 100")
    return walk


def points(page: Any, name: str) -> list[list[float]]:
    found: list[list[float]] = page.evaluate(
        "name => JSON.parse(document.querySelector(`[data-over-life=${name}]`).dataset.points)", name
    )
    return found


def test_curves_over_life_are_drawn_by_hand_and_by_the_keyboard(small: Studio) -> None:
    page = small.page
    particles_from_the_post(small)
    field = page.locator("[data-over-life=size_over_life] svg")
    field.scroll_into_view_if_needed()
    box = field.bounding_box()
    assert box is not None
    before = page.evaluate(RUN)
    page.mouse.dblclick(box["x"] + box["width"] / 2, box["y"] + box["height"] * 0.7)
    small.lands(2)
    assert [round(point[0], 1) for point in points(page, "size_over_life")] == [0, 0.5, 1]
    # dragged: seen on the way, one step when it is let go
    dot = page.locator("[data-over-life=size_over_life] circle[data-place='1']").bounding_box()
    assert dot is not None
    page.mouse.move(dot["x"] + dot["width"] / 2, dot["y"] + dot["height"] / 2)
    page.mouse.down()
    page.mouse.move(box["x"] + box["width"] * 0.75, box["y"] + box["height"] * 0.3, steps=4)
    page.wait_for_function("() => window.lazzik.runs.kept.get('particles').thin")
    page.mouse.up()
    small.lands(3)
    moved = points(page, "size_over_life")[1]
    assert 0.6 < moved[0] < 0.9
    assert moved[1] > 0.9
    assert page.evaluate(RUN) == before  # how they look needs no other run
    # by the keyboard
    page.focus("[data-over-life=answer_over_life] circle[data-place='1']")
    page.keyboard.press("ArrowDown")
    small.lands(4)
    assert points(page, "answer_over_life")[1] == [1, 0.95]
    page.wait_for_function(OTHER, arg=before)
    page.focus("[data-over-life=size_over_life] circle[data-place='1']")
    page.keyboard.press("Delete")
    small.lands(5)
    assert len(points(page, "size_over_life")) == 2
    page.fill("[data-over-life=color_over_life] input[type=color]", "#ff8000")
    small.lands(6)
    assert [round(part, 2) for part in points(page, "color_over_life")[0][1:4]] == [1, 0.5, 0]
    for step in (5, 4, 3, 2, 1):
        page.keyboard.press("Escape")
        page.keyboard.press("Control+z")
        small.lands(step)
    assert points(page, "size_over_life") == [[0, 1], [1, 1]]


def test_a_few_move_at_once_while_a_number_is_dragged_and_the_ruler_says_what_is_there(small: Studio) -> None:
    page = small.page
    particles_from_the_post(small)
    line = "() => [...document.querySelectorAll('#ruler .kept')].map((part) => part.classList.contains('older'))"
    page.wait_for_function(f"() => {{ const parts = ({line})(); return parts.length > 0 && !parts.includes(true); }}")
    held: list[Any] = []
    page.route("**/run", lambda route: held.append(route))  # the full run waits until the test lets it
    slider = page.locator('.knob[data-address="particles/emitter.push"] input[type=range]').bounding_box()
    assert slider is not None
    y = slider["y"] + slider["height"] / 2
    page.mouse.move(slider["x"] + slider["width"] * 0.1, y)
    page.mouse.down()
    page.mouse.move(slider["x"] + slider["width"] * 0.7, y, steps=4)
    page.wait_for_function("() => window.lazzik.runs.kept.get('particles').thin?.moment.sizes.length > 20")
    expect(page.locator("#run-said")).to_contain_text("a few of them")
    page.mouse.up()
    small.lands(2)
    # it is there until its run is; the frames of the state before are told as such
    page.wait_for_function(f"() => ({line})().includes(true)")
    assert page.evaluate("() => window.lazzik.runs.kept.get('particles').thin.landed")
    until_asked(page, held)
    for route in held:
        route.continue_()
    page.unroute("**/run")
    page.wait_for_function(ALL)
    page.wait_for_function(f"() => {{ const parts = ({line})(); return parts.length > 0 && !parts.includes(true); }}")
    expect(page.locator("#run-said")).not_to_contain_text("a few of them")


def test_a_run_that_was_stopped_goes_on_at_a_press(small: Studio) -> None:
    page = small.page
    scene = page.url.split("?")[0]
    edits: list[dict[str, Any]] = [
        {"do": "change-scene", "last": 6000}, {"do": "emit", "label": "Particles", "of": "post"},
        {"do": "set", "address": "particles/emitter.rate", "value": 2000},
    ]  # fmt: skip
    stored(f"{scene}/edits", {"revision": small.step, "edits": edits})
    page.goto(f"{scene}?at=particles/particles")
    small.ready()
    page.wait_for_function("() => window.lazzik.runs.kept.get('particles')?.there.size > 0")
    expect(page.locator("[data-act=go-on]")).to_be_hidden()
    page.click("#jobs .job:not([data-state=stopped]) button:has-text('Stop')")
    expect(page.locator("[data-act=go-on]")).to_be_visible()
    there = page.evaluate("() => window.lazzik.runs.kept.get('particles').there.size")
    page.click("[data-act=go-on]")
    page.wait_for_function("was => window.lazzik.runs.kept.get('particles').there.size > was", arg=there)
    expect(page.locator("[data-act=go-on]")).to_be_hidden()
    page.click("#jobs .job:not([data-state=stopped]) button:has-text('Stop')")
    expect(page.locator("[data-act=go-on]")).to_be_visible()


def test_a_run_is_locked_played_backwards_kept_and_removed(small: Studio) -> None:
    page = small.page
    particles_from_the_post(small)
    first = page.evaluate(RUN)
    page.click("[data-act=lock-run]")
    small.lands(2)
    expect(page.locator("#run-said")).to_contain_text("locked")
    page.fill('.knob[data-address="particles/emitter.push"] input.num', "5")
    page.press('.knob[data-address="particles/emitter.push"] input.num', "Enter")
    small.lands(3)
    assert page.evaluate(RUN) == first
    # backwards: the first frame shows the last one's particles
    go(page, 0)
    page.wait_for_function(f"() => ({DRAWN})() === 0")
    page.click("summary:has-text('played')")
    page.fill('.knob[data-address="particles/emitter.tempo"] input.num', "-1")
    page.press('.knob[data-address="particles/emitter.tempo"] input.num', "Enter")
    small.lands(4)
    page.wait_for_function(f"() => ({DRAWN})() > 100")
    assert page.evaluate(RUN) == first
    scene = page.url
    page.goto("/runs")
    row = page.locator(".run-table tbody tr", has_text="in use").filter(has=page.locator("[aria-pressed=true]"))
    expect(row).to_have_count(1)
    row.locator("button:has-text('Keep')").click()
    expect(page.locator(".run-table [aria-pressed=true]")).to_have_count(0)
    page.goto(scene)
    small.ready()
    page.click("[data-act=lock-run]")
    small.lands(5)
    page.wait_for_function(OTHER, arg=first)
    page.wait_for_function(ALL)


@pytest.mark.slow
def test_particles_become_objects_from_the_panel(small: Studio) -> None:
    page = small.page
    particles_from_the_post(small)
    page.click("[data-sheet=objects-form]")
    page.fill("#objects-form [name=most]", "3")
    page.click("#objects-form [type=submit]")
    small.lands(2)
    expect(page.locator("#tree .object", has_text="Particles, as objects")).to_have_count(1)
    expect(page.locator("dialog[open]")).to_have_count(0)


def test_copies_of_an_object_are_drawn_and_one_that_is_set_up_comes_in_two_actions(small: Studio) -> None:
    page, walk = small.page, Walk(small)
    walk.key("a")
    walk.press("[data-act=add-this]:has-text('First leaves')", lands=True)
    assert walk.actions == 2
    expect(page.locator("#strata .trail")).to_contain_text("First leaves of autumn")
    leaves = "() => window.lazzik.runs.kept.get('first-leaves')"
    page.wait_for_function(f"() => ({leaves})()?.there.size === ({leaves})().count")
    go(page, 60)
    page.wait_for_function(f"() => ({leaves})().drawn.parts?.[0]?.mesh.shown > 5")
    page.select_option("#em-drawn", "points")
    small.lands(2)
    page.wait_for_function(f"() => ({leaves})().drawn.points?.visible")


@pytest.mark.slow
def test_on_the_stage_the_lettering_leaves_a_hole_of_its_own_shape(small: Studio) -> None:
    """What is drawn behind the sign, of a hundred thousand that were sent at it, leaves out what its letters cover."""
    page = small.page
    numbers = {"amount": 200_000, "push": -4, "spread": 0, "push_varies": 0.2, "gravity": 0, "life": 100}
    sign = {"kind": "lettering", "text": "RIDGE", "size": 0.6, "depth": 0.06}
    cloud = {"kind": "sheet", "width": 2.6, "height": 0.9, "standing": True}
    edits: list[dict[str, Any]] = [
        {"do": "change-scene", "last": 40},
        {"do": "add-object", "label": "Sign", "shape": sign, "position": [0, 5, 0]},
        {"do": "add-object", "label": "Cloud", "shape": cloud, "position": [0, 5, 1.5]},
        {"do": "emit", "label": "Rain", "of": "cloud"},
        {"do": "change-emitter", "node": "rain", "colliders": ["sign"],
         "settings": {"comes": "at once", "wind": "still", "meets": "end"}},
        *({"do": "set", "address": f"rain/emitter.{name}", "value": value} for name, value in numbers.items()),
    ]  # fmt: skip
    scene = page.url.split("?")[0]
    stored(f"{scene}/edits", {"revision": small.step, "edits": edits})
    page.goto(f"{scene}?at=rain/particles")
    small.ready()
    page.wait_for_function(ALL.replace("particles')", "rain')"))
    rain = DRAWN.replace("'particles'", "'rain'")
    buffer = "window.lazzik.runs.kept.get('rain').drawn.points.geometry.attributes.position.array"

    def drawn(frame: int) -> Any:
        go(page, frame)
        page.wait_for_function(f"f => window.lazzik.stage.frame === f && ({rain})() > 100_000", arg=frame)
        page.wait_for_function("f => window.lazzik.runs.momentAt(window.lazzik.runs.kept.get('rain'), f)", arg=frame)
        return np.array(page.evaluate(f"() => Array.from({buffer}.subarray(0, 3 * ({rain})()))")).reshape(-1, 3)

    first, places = drawn(1), drawn(40)
    sent = first[first[:, 2] < 1.5]  # the others go the other way
    mesh = Lettering(**sign).mesh()
    flat = shapely.polygons(mesh.points[mesh.triangles][:, :, :2])
    letters = shapely.unary_union([shape for shape in flat.tolist() if shape.area > 1e-12])
    low, high = mesh.points[:, 2].min(), mesh.points[:, 2].max()
    within = places[(places[:, 2] > low + 1e-6) & (places[:, 2] < high - 1e-6)]
    assert not shapely.contains_xy(letters.buffer(-1e-6), within[:, 0], within[:, 1] - 5).any()
    behind = places[places[:, 2] < low]
    cells: dict[str, Any] = {"bins": (160, 54), "range": ((-1.2, 1.2), (-0.4, 0.4))}
    came, xs, ys = np.histogram2d(behind[:, 0], behind[:, 1] - 5, **cells)
    went, _, _ = np.histogram2d(sent[:, 0], sent[:, 1] - 5, **cells)
    hole = came < 0.5 * went
    middles = np.meshgrid((xs[1:] + xs[:-1]) / 2, (ys[1:] + ys[:-1]) / 2, indexing="ij")
    covered = shapely.contains_xy(letters, middles[0].ravel(), middles[1].ravel()).reshape(hole.shape)
    assert np.sum(hole & covered) / np.sum(hole | covered) >= 0.9


def test_versions_show_the_particles_of_both_states(small: Studio) -> None:
    page = small.page
    particles_from_the_post(small)
    run = page.evaluate(RUN)
    page.fill('.knob[data-address="particles/emitter.push"] input.num', "6")
    page.press('.knob[data-address="particles/emitter.push"] input.num', "Enter")
    small.lands(2)
    page.wait_for_function(OTHER, arg=run)  # until then the frames that are there are those of the step before
    page.wait_for_function(ALL)
    page.goto(f"{page.url.split('?')[0]}/versions?a=1&b=2")
    page.wait_for_selector("body[data-ready]")
    drawn = "() => window.lazzik.comparison.runs.map(({ kept }) => [...kept.values()][0])"
    page.evaluate("() => window.lazzik.transport.go(60)")
    page.wait_for_function(f"() => ({drawn})().every((run) => run?.drawn.points.geometry.drawRange.count > 100)")
    reach = f"() => ({drawn})().map((run) => Math.max(...run.drawn.points.geometry.attributes.position.array))"
    second, first = page.evaluate(reach)
    assert second > 1.5 * first  # pushed six times as hard


def test_what_is_not_there_of_two_states_is_worked_out_where_they_are_compared(small: Studio) -> None:
    page, step = small.page, small.step
    scene = page.url.split("?")[0]
    page.goto("about:blank")  # no studio works it out
    stored(f"{scene}/edits", {"revision": step, "edits": [{"do": "emit", "label": "Particles", "of": "post"}]})
    push = {"do": "set", "address": "particles/emitter.push", "value": 6}
    stored(f"{scene}/edits", {"revision": step + 1, "edits": [push]})
    page.goto(f"{scene}/versions?a={step + 1}&b=now")
    page.wait_for_selector("body[data-ready]")
    page.evaluate("() => window.lazzik.transport.go(60)")
    runs = "window.lazzik.comparison.runs.map(({ kept }) => kept.get('particles'))"
    page.wait_for_function(f"() => {runs}.every(({{ there, count }}) => there.size === count)")
    page.wait_for_function(f"() => {runs}.every(({{ drawn }}) => drawn.points.geometry.drawRange.count > 100)")
    first, second = page.evaluate(f"() => {runs}.map(({{ run }}) => run)")
    assert first != second


def filmed(page: Page, scene: str, path: Path, first: int, blur: int) -> Any:
    """A frame of a film of two, as rows of pixels."""
    page.goto(f"{scene}/deliver")
    fields = {"first": first, "last": first + 1, "width": 320, "height": 180, "blur": blur}
    for field, value in fields.items():
        page.fill(f"#film-form [name={field}]", str(value))
    page.select_option("#film-form [name=form]", "png")
    with page.expect_download() as started:
        page.click("text=Make the film")
    started.value.save_as(path)
    with zipfile.ZipFile(path) as archive:
        picture = Image.open(io.BytesIO(archive.read(f"frame-{first:05d}.png"))).convert("RGB")
    return np.asarray(picture, dtype=int)


@pytest.mark.slow
def test_films_have_particles_as_they_are_seen(small: Studio, tmp_path: Path) -> None:
    page = small.page
    particles_from_the_post(small)
    scene = page.url.split("?")[0]
    seen = filmed(page, scene, tmp_path / "with.zip", 60, 4)
    hide = [{"do": "change-object", "node": "particles", "visible": False}]
    stored(f"{scene}/edits", {"revision": 1, "edits": hide})
    bare = filmed(page, scene, tmp_path / "without.zip", 60, 4)
    assert (np.abs(seen - bare).max(axis=2) > 8).sum() > 300
