"""The air as a person sets it up: a wind that is pulled on the stage, things that stand in it, a meadow that bows."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
import pytest
from playwright.sync_api import Page, expect

from tests.browser.conftest import Studio
from tests.browser.shapes import node_of, scene_of
from tests.browser.test_walks import Walk
from tests.serving import stored

pytestmark = pytest.mark.browser


def blow(walk: Walk) -> None:
    """Add a wind; it is laid open."""
    walk.key("a")
    walk.press("[data-act=add-this]:has-text('Wind')", lands=True)
    expect(walk.page.locator("#air-rows")).to_have_attribute("data-node", "wind")


def streaks(page: Page) -> list[float]:
    """Where the streaks are drawn at the shown frame."""
    page.wait_for_function("() => window.lazzik.stage.streaks.data")
    page.wait_for_function("() => !window.lazzik.stage.waiting")
    found: list[float] = page.evaluate(
        "() => [...window.lazzik.stage.streaks.drawn.geometry.attributes.position.array]"
    )
    return found


def go(page: Page, frame: int) -> None:
    page.evaluate("frame => window.lazzik.transport.go(frame)", frame)
    page.wait_for_function("n => window.lazzik.stage.frame === n && !window.lazzik.stage.waiting", arg=frame)


def turned(page: Page, node: str) -> list[float]:
    found: list[float] = page.evaluate("id => window.lazzik.stage.nodes.get(id).item.quaternion.toArray()", node)
    return found


def test_a_wind_is_added_named_seen_and_pulled(small: Studio) -> None:
    page, walk = small.page, Walk(small)
    blow(walk)
    expect(page.locator("#strata .trail")).to_contain_text("a moderate breeze from the west (270°)")
    go(page, 20)
    before = streaks(page)
    go(page, 21)
    assert streaks(page) != before  # they move while it plays
    expect(page.locator("[data-air=speed]")).to_have_attribute("aria-valuenow", "6.00")
    small.drag("[data-air=speed]", 60, 10)  # longer, and toward the eye
    small.lands(2)
    wind = node_of(small, "wind")
    assert wind["field"]["speed"] > 6.5
    assert -90 < wind["rotation"]["y"] < 0
    page.keyboard.press("Tab")  # keys are a control's own once it was come to so
    page.locator("[data-air=speed]").focus()
    page.keyboard.press("ArrowLeft")
    small.lands(3)
    assert node_of(small, "wind")["field"]["speed"] == pytest.approx(wind["field"]["speed"] - 0.1, abs=1e-6)
    page.keyboard.press("Control+z")
    small.lands(2)
    # a reach is seen and pulled too
    page.select_option("#air-reach", "within")
    small.lands(4)
    small.drag("[data-air=inner]", 0, -20)
    small.lands(5)
    assert node_of(small, "wind")["field"]["inner"] != 2.0


def test_the_air_under_the_pointer_is_a_table(small: Studio) -> None:
    page = small.page
    blow(Walk(small))
    box = page.locator("#canvas").bounding_box()
    assert box
    page.mouse.move(box["x"] + box["width"] / 2, box["y"] + box["height"] * 0.8)
    expect(page.locator("#air-here table caption")).to_contain_text("m/s")
    expect(page.locator("#air-here tbody tr")).to_have_count(1)


def test_things_stand_in_the_wind_by_one_press_and_a_new_one_joins(small: Studio) -> None:
    page, walk = small.page, Walk(small)
    page.click("#row-post > a")
    expect(page.locator("#row-post > a.chosen")).to_be_visible()
    walk.key(",")
    small.lands(1)
    assert walk.actions == 1
    scene = scene_of(small)
    assert [node["id"] for node in scene["nodes"] if "field" in node] == ["wind"]  # there was none: it came too
    assert len(scene["dials"]) == 1
    expect(page.locator("#air-rows")).to_be_visible()
    expect(page.locator("[data-answer]")).to_have_count(1)
    page.wait_for_selector("[data-answer] path.trace")
    go(page, 10)
    before = turned(page, "post")
    go(page, 60)
    assert turned(page, "post") != before
    # the arrow pulled out: it leans further
    now = page.locator("[data-answer-now]")
    page.wait_for_function("() => document.querySelector('[data-answer-now]').textContent")
    first = abs(float(now.inner_text().rstrip("°")))
    page.fill('.knob[data-address="wind/field.speed"] input.num', "15")
    page.press('.knob[data-address="wind/field.speed"] input.num', "Enter")
    small.lands(2)
    page.wait_for_function(
        "was => Math.abs(parseFloat(document.querySelector('[data-answer-now]').textContent)) > was", arg=first
    )
    expect(page.locator("#strata .trail")).to_contain_text("a near gale")


def test_why_offers_a_wind_where_there_is_none(small: Studio) -> None:
    page = small.page
    page.click("#add-layer")
    page.click("[data-add=breeze]")
    small.lands(1)
    page.keyboard.press("w")
    expect(page.locator(".reasons")).to_contain_text("answers the air, and nothing moves it")
    page.click(".reasons button:has-text('Add a wind')")
    small.lands(2)
    assert small.reach() > 0.5


PLACED = "(mesh) => Array.from({ length: 20 }, (_, n) => mesh.getMatrixAt(n, mesh.matrix.clone()).elements).flat()"
"""The matrices of the first copies."""


def crowd(page: Page) -> Any:
    """Matrices of the copies that are drawn, and how many they are."""
    page.wait_for_function("() => [...window.lazzik.crowds.crowds.values()][0]?.groups[0].drawn[0].mesh")
    return page.evaluate(
        f"""() => {{ const {{ mesh }} = [...window.lazzik.crowds.crowds.values()][0].groups[0].drawn[0];
        return [mesh.shown, ...({PLACED})(mesh)]; }}"""
    )


@pytest.mark.slow
def test_a_meadow_is_scattered_bows_and_is_thinned(small: Studio) -> None:
    page, walk = small.page, Walk(small)
    blow(walk)
    walk.press("#row-post > a")
    expect(page.locator("#row-post > a.chosen")).to_be_visible()
    walk.key(".")
    walk.press("#scatter-list button:has-text('Floor')", lands=True)
    expect(page.locator("#strata .trail")).to_contain_text("400 of Post over Floor")
    assert crowd(page)[0] == 400
    # without graphics hardware fewer are drawn of what has more points
    points, unknown, many, few, told = page.evaluate(
        """() => { const { crowds } = window.lazzik;
        return [crowds.pointsOf(['post']), crowds.pointsOf(['post', 'nobody']), crowds.most(8), crowds.most(999),
            crowds.limits.get('many-post')]; }"""
    )
    assert 4 < points < unknown == math.inf
    assert few < many
    assert told in (many, few)
    page.wait_for_function("() => [...window.lazzik.crowds.crowds.values()][0].lean")
    go(page, 10)
    before = crowd(page)
    asked: list[str] = []
    page.on("request", lambda request: asked.append(request.url))
    go(page, 11)
    assert crowd(page) != before
    page.click("#play")
    page.wait_for_function("() => window.lazzik.transport.playing !== null && window.lazzik.stage.frame > 20")
    page.click("#play")
    assert [url for url in asked if "/leans" in url or "/copies" in url] == []  # what is there is asked for no more
    # while the wind is dragged, they answer like a few of them that are worked out; given up, they lean as before
    go(page, 11)
    before = crowd(page)
    page.evaluate("() => window.lazzik.choose('wind/air')")
    small.drag('.knob[data-address="wind/field.speed"] input[type=range]', 40, let_go=False)
    page.wait_for_function("() => [...window.lazzik.crowds.crowds.values()][0].thin")
    assert crowd(page) != before
    page.keyboard.press("Escape")
    page.mouse.up()
    page.wait_for_function("() => ![...window.lazzik.crowds.crowds.values()][0].thin")
    assert crowd(page) == before
    page.evaluate("() => window.lazzik.choose('many-post/copies')")
    # more of them, then some brushed away, and all back
    page.fill('.knob[data-address="many-post/scatter.count"] input.num', "60")
    page.press('.knob[data-address="many-post/scatter.count"] input.num', "Enter")
    small.lands(3)
    page.wait_for_function("() => [...window.lazzik.crowds.crowds.values()][0].ids.length === 60")
    page.click("[data-act=take-copies]")
    box = page.locator("#canvas").bounding_box()
    assert box
    page.mouse.move(box["x"] + box["width"] * 0.45, box["y"] + box["height"] * 0.7)
    page.mouse.down()
    page.mouse.move(box["x"] + box["width"] * 0.7, box["y"] + box["height"] * 0.7, steps=8)
    page.mouse.up()
    small.lands(4)
    gone = node_of(small, "many-post")["scatter"]["gone"]
    assert 0 < len(gone) < 60
    page.wait_for_function("n => [...window.lazzik.crowds.crowds.values()][0].ids.length === n", arg=60 - len(gone))
    page.click("button:has-text('Put all back')")
    small.lands(5)
    page.wait_for_function("() => [...window.lazzik.crowds.crowds.values()][0].ids.length === 60")
    # where they are dense is painted, once there is something to paint on: as dense as they were, thinner with Shift
    page.select_option("#sc-mask", "weights")
    expect(page.locator("#toasts")).to_contain_text("Its surface has 8 points")
    page.click("#toasts button:has-text('Its mesh')")
    expect(page.locator(".trail strong")).to_have_text("shape")
    for step, side in ((6, "columns"), (7, "rows")):
        small.unfolded(f"#n-{side}").fill("9")
        page.press(f"#n-{side}", "Enter")
        small.lands(step)
    page.evaluate("() => window.lazzik.choose('many-post/copies')")
    page.select_option("#sc-mask", "weights")
    small.lands(8)
    page.wait_for_function("() => [...window.lazzik.crowds.crowds.values()][0].ids.length === 60")
    expect(page.locator("[data-act=paint-density]")).to_have_attribute("aria-pressed", "true")
    page.wait_for_function("() => window.lazzik.stage.counts")
    page.keyboard.down("Shift")
    page.mouse.move(box["x"] + box["width"] * 0.5, box["y"] + box["height"] * 0.8)
    page.mouse.down()
    page.mouse.move(box["x"] + box["width"] * 0.8, box["y"] + box["height"] * 0.8, steps=8)
    page.mouse.up()
    page.keyboard.up("Shift")
    small.lands(9)
    assert node_of(small, "many-post")["scatter"]["mask"]["kind"] == "weights"
    page.wait_for_function("() => Math.min(...window.lazzik.stage.counts) < 0.9")
    page.click("[data-act=paint-density]")
    page.wait_for_function("() => !window.lazzik.stage.counts")
    # all become objects, and are no copies any more
    page.click("[data-act=make-all-real]")
    small.lands(10)
    expect(page.locator("#strata .trail")).to_contain_text("0 of Post over Floor")
    expect(page.locator("[data-act=make-all-real]")).to_have_count(0)
    assert node_of(small, "post-59")["position"]


def heights(page: Page, variant: int) -> list[float]:
    """Points of the source that copies in one shift of time are drawn of."""
    found: list[float] = page.evaluate(
        """variant => [...[...window.lazzik.crowds.crowds.values()][0].groups[variant].drawn[0].mesh
        .geometry.attributes.position.array]""",
        variant,
    )
    return found


def test_copies_of_a_hidden_source_that_bends_are_drawn_each_in_its_shift_of_time(small: Studio) -> None:
    page = small.page
    edits: list[dict[str, Any]] = [
        {"do": "add-deformer", "node": "post", "kind": "bend"},
        {"do": "add-layer", "address": "post/deform.bend.angle", "kind": "wave"},
        {"do": "scatter", "nodes": ["post"], "surface": "floor"},
        {"do": "change-object", "node": "post", "visible": False},
    ]
    url = page.url.split("?")[0]
    stored(f"{url}/edits", {"revision": 0, "edits": edits})
    page.goto(f"{url}?at=many-post/copies")
    small.ready()
    page.wait_for_function("() => [...window.lazzik.crowds.crowds.values()][0]?.groups.length === 8")
    drawn = "() => [...window.lazzik.crowds.crowds.values()][0].groups.every(({ drawn }) => drawn[0].mesh)"
    page.wait_for_function(drawn)
    known = "([frame]) => window.lazzik.crowds.moments.kept.size === 8 && !window.lazzik.crowds.waits"
    go(page, 10)
    page.wait_for_function(known, arg=[10])
    before = [heights(page, variant) for variant in (0, 2)]
    assert before[0] != before[1]
    go(page, 25)  # two of eight shifts over two seconds, at thirty frames a second
    page.wait_for_function(known, arg=[25])
    assert heights(page, 0) == pytest.approx(before[1], abs=1e-5)
    # the source itself is not seen, and can't be chosen on the stage
    assert page.evaluate("() => window.lazzik.stage.nodes.get('post').mesh.layers.mask") != 1


def test_copies_are_seen_where_two_states_are_compared(small: Studio) -> None:
    page = small.page
    url = page.url.split("?")[0]
    edits: list[dict[str, Any]] = [{"do": "scatter", "nodes": ["post"], "surface": "floor"}]
    stored(f"{url}/edits", {"revision": 0, "edits": edits})
    larger = [{"do": "set", "address": "many-post/scatter.size", "value": 2}]
    stored(f"{url}/edits", {"revision": 1, "edits": larger})
    page.goto(f"{url}/versions?a=1&b=now")
    page.wait_for_function("() => window.lazzik?.comparison?.crowds.length === 2")
    page.wait_for_function("() => window.lazzik.comparison.crowds.every((crowd) => [...crowd.meshes()].length === 1)")
    now, before = page.evaluate(
        f"() => window.lazzik.comparison.crowds.map((crowd) => ({PLACED})([...crowd.meshes()][0].mesh))"
    )
    columns = [np.linalg.norm(np.reshape(rows, (-1, 4, 4))[:, 0, :3], axis=1) for rows in (now, before)]
    np.testing.assert_allclose(columns[0], 2 * columns[1], rtol=1e-5)
    page.click("[data-act=look][data-look=ghost]")
    page.wait_for_function(
        "() => { const { comparison } = window.lazzik; const [{ mesh }] = comparison.crowds[1].meshes();"
        " return mesh.material === comparison.ghost && mesh.layers.mask === 1; }"
    )
