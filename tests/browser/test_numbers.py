"""Numbers: three together, typed where they stand, chosen inside others, explained, refused at their place."""

from __future__ import annotations

import numpy as np
import pytest
from playwright.sync_api import Route, expect

from tests.browser.conftest import Studio, until_asked
from tests.browser.shapes import node_of

pytestmark = pytest.mark.browser


def test_a_layer_put_on_a_position_lands_on_all_three_each_its_own(small: Studio) -> None:
    page = small.page
    page.click("#row-post > a")
    page.click(".triple .whole a:has-text('position')")
    expect(page.locator("#choice-bar .names")).to_have_text("position x, position y, position z of Post")
    expect(page.locator("svg[data-lane=result] path.beside")).to_have_count(2)
    classes = [each.get_attribute("class") for each in page.locator("svg[data-lane=result] path.beside").all()]
    assert classes == ["beside y", "beside z"]
    page.click("#add-layer")
    page.click("[data-add=noise]")
    small.lands(1)
    position = node_of(small)["position"]
    seeds = {position[axis]["layers"][0].get("seed", 0) for axis in "xyz"}
    assert len(seeds) == 3
    told = "Undo: add noise to Post / position x, on 3 together, each with a seed of its own (Ctrl+Z)"
    expect(page.locator("[data-act=undo]")).to_have_attribute("title", told)


def test_three_axes_are_folded_and_unfolded(small: Studio) -> None:
    page = small.page
    page.click("#row-post > a")
    scale = page.locator("[id='fold-post/scale']")
    expect(page.locator(".whole:has-text('scale') .num")).to_have_text("1, 1, 1×")
    expect(page.locator('[data-address="post/scale.x"]').first).to_be_hidden()
    scale.locator("summary").click()
    page.click('.channel[data-address="post/scale.x"]')
    expect(page.locator(".trail strong")).to_have_text("Post / scale x")
    expect(page.locator('.channel[data-address="post/scale.y"]')).to_be_visible()


def test_the_base_is_typed_at_the_playhead_whether_it_has_keys_or_not(small: Studio) -> None:
    page = small.page
    base = page.locator(".base-value input")
    base.fill("4")
    base.press("Enter")
    small.lands(1)
    assert node_of(small)["rotation"]["z"] == 4
    for frame in (0, 60):
        page.evaluate("frame => window.lazzik.transport.go(frame)", frame)
        page.keyboard.press("k")
        small.lands(2 if frame == 0 else 3)
    page.evaluate("() => window.lazzik.transport.go(30)")
    expect(base).to_have_value("4")
    base.fill("9")
    base.press("Enter")
    small.lands(4)
    keys = node_of(small)["rotation"]["z"]["keys"]
    assert [(key["frame"], key["value"]) for key in keys] == [(0, 4), (30, 9), (60, 4)]
    assert all(key.get("slope_in") is None for key in keys)
    page.evaluate("() => window.lazzik.transport.go(15)")
    expect(base).not_to_have_value("4")  # as it is there


def test_a_choice_inside_a_driven_number_means_that_number_of_each(small: Studio) -> None:
    page = small.page
    page.keyboard.press("Control+d")
    page.fill("#duplicate-form [name=count]", "2")
    page.click("#duplicate-form [type=submit]")
    small.lands(1)
    page.click("#row-post > a")
    page.click("#row-post-2 > a", modifiers=["ControlOrMeta"])
    # by name, since the two copies are chosen to begin with
    expect(page.locator("#choice-bar .names")).to_have_text("rotation z of Post, Post 2")
    page.click("#add-layer")
    page.click("[data-add=wave]")
    small.lands(2)
    small.knob("amplitude").locator(".drive").click()
    expect(page.locator(".trail strong")).to_have_text("Wave / amplitude")
    page.click("#row-post-2 > a", modifiers=["ControlOrMeta"])
    expect(page.locator("#choice-bar .names")).to_have_text("rotation z / Wave / amplitude of Post, Post 2")
    page.click("#row-post-3 > a", modifiers=["ControlOrMeta"])
    expect(page.locator("#choice-bar .names")).to_contain_text("Post 3 has no such number.")
    expect(page.locator("#choice-bar strong")).to_have_text("2 numbers")
    page.locator(".base-value input").fill("11")
    page.locator(".base-value input").press("Enter")
    small.lands(3)
    sizes = [node_of(small, post)["rotation"]["z"]["layers"][0]["amplitude"] for post in ("post", "post-2")]
    assert sizes == [11, 11]
    assert "rotation" not in node_of(small, "post-3")


def test_what_is_added_to_a_choice_before_it_is_shown_joins_the_choice_that_was_asked_for(small: Studio) -> None:
    page = small.page
    page.keyboard.press("Control+d")
    page.fill("#duplicate-form [name=count]", "2")
    page.click("#duplicate-form [type=submit]")
    small.lands(1)
    expect(page.locator("#choice-bar .names")).to_contain_text("of Post 2, Post 3")
    kept: list[Route] = []
    page.route("**/panels?*", lambda route: route.continue_() if kept else kept.append(route))
    page.click("#row-post > a")
    until_asked(page, kept)
    page.click("#row-post-3 > a", modifiers=["ControlOrMeta"])
    kept[0].continue_()
    expect(page.locator("#choice-bar .names")).to_have_text("rotation z of Post, Post 3")


def test_what_is_refused_in_the_tree_says_why_beside_the_field_and_goes_back_on_escape(small: Studio) -> None:
    page = small.page
    page.click("#row-post > a")
    number = page.locator('[data-now="post/position.y"]')
    number.dblclick()
    field = page.locator("input.rename")
    field.fill("a bit")
    field.press("Enter")
    expect(page.locator(".typed-error")).to_contain_text("'a bit' is not a number")
    expect(field).to_be_focused()
    field.fill("30 cm")
    field.press("Enter")
    small.lands(1)
    expect(page.locator(".typed-error")).to_have_count(0)
    expect(number).to_contain_text("0.3")
    number.dblclick()
    field.fill("far")
    field.press("Enter")
    expect(page.locator(".typed-error")).to_have_count(1)
    field.press("Escape")
    expect(page.locator("input.rename, .typed-error")).to_have_count(0)
    expect(number).to_contain_text("0.3")


def test_help_opens_at_what_is_asked_about(layered: Studio) -> None:
    page = layered.page
    layered.knob("octaves").locator("label").hover()
    page.keyboard.press("F1")
    bubble = page.locator(".help-bubble")
    expect(bubble).to_contain_text("How many layers of ever finer detail.")
    page.keyboard.press("Shift")
    expect(bubble).to_have_count(0)
    layered.knob("period").locator("input.num").focus()
    page.keyboard.press("F1")
    expect(bubble).to_contain_text("Longer is calmer")
    page.locator("#strip select").first.focus()
    page.keyboard.press("F1")
    expect(bubble).to_contain_text("What the pattern is like")


def test_a_drawing_of_the_span_follows_what_is_chosen(shaped: Studio) -> None:
    page = shaped.page
    page.click("#add-deformer")
    page.click("[data-add-deformer=undulate]")
    shaped.lands(1)
    drawing = page.locator("#strip legend:has-text('Where it acts') path")
    waves = page.locator("#strip legend:has-text('What it does') path")
    before = (drawing.get_attribute("d"), waves.get_attribute("d"))
    page.select_option("#strip [data-into='settings.fade'] select", "both")
    shaped.lands(2)
    expect(drawing).not_to_have_attribute("d", before[0] or "")
    shaped.knob("length").locator("input.num").fill("0.2")
    shaped.knob("length").locator("input.num").press("Enter")
    shaped.lands(3)
    expect(waves).not_to_have_attribute("d", before[1] or "")
    heights = np.array([float(pair.split()[1]) for pair in (waves.get_attribute("d") or "M0 0")[1:].split("L")])
    assert (np.diff(np.sign(heights - heights.mean())) != 0).sum() > 12  # ten waves on two metres


def test_a_saved_recipe_keeps_its_window_in_sight_and_travels_to_another_scene(layered: Studio) -> None:
    page = layered.page
    start = page.locator("#strip [data-into=start] input")
    start.fill("30")
    start.press("Enter")
    layered.lands(2)
    page.click("#stack-menu")
    page.click("[data-act=save-recipe]")
    page.fill("#recipe-form [name=label]", "Squall")
    page.click("#recipe-form [type=submit]")
    layered.lands(3)
    expect(page.locator("#strip [data-into=start] input")).to_have_value("30")
    reach = layered.reach()
    page.locator("#saved").click()
    page.keyboard.press("Control+c")
    expect(page.locator("#toasts")).to_contain_text("Squall copied")
    page.goto("/scenes")
    page.click(".start")
    other = Studio(page).ready()
    page.keyboard.press("Control+v")
    other.lands(1)
    assert other.lanes() == ["Squall"]
    assert other.reach() == pytest.approx(reach)
    page.click(".steps a:has-text('Recipes')")
    expect(page.locator("main")).to_contain_text("Squall")
