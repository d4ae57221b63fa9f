"""Layers by hand: add, drag every knob, window, combine, loop, mute, solo, weight, reorder, remove; undo and redo."""

from __future__ import annotations

import pytest
from playwright.sync_api import Page, expect

from lazzik.core.deformers import BY_KIND as DEFORMERS
from lazzik.core.layers import BY_KIND
from tests.browser.conftest import Studio

pytestmark = pytest.mark.browser


def test_a_new_layer_moves_the_object_at_once(small: Studio) -> None:
    page = small.page
    expect(page.locator(".lanes .empty-line")).to_contain_text("No layers yet")
    assert small.reach() == 0
    drawn = page.evaluate("() => window.lazzik.stage.frames")
    page.click("#add-layer")
    page.click("[data-add=noise]")
    small.lands(1)
    assert small.lanes() == ["Noise"]
    assert small.reach() > 4
    tracks = page.evaluate("() => window.lazzik.stage.tracks.get('post').orientation.length / 4")
    assert tracks == 151
    assert page.evaluate("() => window.lazzik.stage.frames") > drawn


def test_what_can_be_added_is_there_whenever_it_is_opened(small: Studio) -> None:
    page = small.page
    offered = page.locator("#layer-list [data-add]")
    page.keyboard.press("l")
    expect(offered).to_have_count(sum(kind.offered for kind in BY_KIND.values()))
    page.keyboard.press("ArrowDown")
    page.keyboard.press("ArrowDown")
    page.keyboard.press("Enter")
    small.lands(1)
    assert small.lanes() == ["Breeze"]
    page.click("#add-layer")
    expect(offered).to_have_count(sum(kind.offered for kind in BY_KIND.values()))
    page.keyboard.press("Escape")
    page.click("#add-layer")
    expect(offered).to_have_count(sum(kind.offered for kind in BY_KIND.values()))
    page.click("[data-add=noise]")
    small.lands(2)
    page.keyboard.press("s")
    expect(page.locator(".trail strong")).to_have_text("shape")
    page.keyboard.press("l")
    expect(page.locator("#deformer-list [data-add-deformer]")).to_have_count(len(DEFORMERS))


KNOBS = ("amplitude", "period", "octaves", "roughness", "seed", "shift", "bias", "gain")

DRAWS = """([was, same]) => {
    const drawn = document.querySelector('svg[data-lane=noise] path.trace').getAttribute('d');
    return (drawn === was) === same;
}"""


@pytest.mark.slow
def test_stage_and_curve_follow_while_each_knob_is_dragged(layered: Studio) -> None:
    page = layered.page
    for step, name in enumerate(KNOBS, 1):
        before = layered.trace("noise")
        turn = page.evaluate("() => [...window.lazzik.stage.tracks.get('post').orientation]")
        slider = layered.knob(name).locator("input[type=range]")
        box = slider.bounding_box()
        share = slider.evaluate("r => (r.value - r.min) / (r.max - r.min)")
        x, y = box["x"] + 3.5 + share * (box["width"] - 7), box["y"] + box["height"] / 2
        page.mouse.move(x, y)
        page.mouse.down()
        away = 30 if share < 0.5 else -30
        for part in range(1, 6):
            page.mouse.move(x + away * part / 5, y)
        page.wait_for_function(DRAWS, arg=[before, False])
        page.wait_for_function(
            "was => window.lazzik.stage.tracks.get('post').orientation.some((v, i) => v !== was[i])", arg=turn
        )
        expect(page.locator("svg[data-lane=result] path.ghost")).to_have_count(1)
        assert layered.step == step  # nothing is stored on the way
        page.mouse.up()
        layered.lands(step + 1)
        after = layered.trace("noise")
        assert after != before, name
        page.keyboard.press("Control+z")
        layered.lands(step)
        page.wait_for_function(DRAWS, arg=[before, True])
        page.keyboard.press("Control+Shift+z")
        layered.lands(step + 1)
        page.wait_for_function(DRAWS, arg=[after, True])


def test_choices_change_the_layer(layered: Studio) -> None:
    page = layered.page
    choices = (("settings.character", "ridged"), ("settings.side", "above"), ("combine", "multiply"))
    for field, choice in choices:
        before, step = layered.result(), layered.step
        layered.unfolded(f'.knob[data-into="{field}"] select').select_option(choice)
        page.wait_for_function("was => window.lazzik.strata.data.result.some((v, i) => v !== was[i])", arg=before)
        page.keyboard.press("Control+z")
        layered.lands(step)
        assert layered.result() == before


def test_the_window_is_trimmed_faded_and_moved_on_its_lane(layered: Studio) -> None:
    page = layered.page
    lane = 'svg[data-lane="noise"]'
    width = page.locator(lane).bounding_box()["width"]  # type: ignore[index]
    frame = width / 150
    layered.drag(f'{lane} [data-grip="start"]', 30 * frame)
    layered.lands(2)
    layered.drag(f'{lane} [data-grip="end"]', -40 * frame)
    layered.lands(3)
    layered.drag(f'{lane} [data-grip="fade in"]', 20 * frame)
    layered.lands(4)
    layered.drag(f'{lane} [data-grip="fade out"]', -20 * frame)
    layered.lands(5)
    layered.drag(f'{lane} [data-grip="window"]', 10 * frame)
    layered.lands(6)
    fields = {
        name: float(page.input_value(f'#strip [data-into="{name}"] input'))
        for name in ("start", "end", "fade_in", "fade_out")
    }
    assert fields == {
        "start": pytest.approx(40, abs=1), "end": pytest.approx(120, abs=1),
        "fade_in": pytest.approx(20, abs=1), "fade_out": pytest.approx(20, abs=1),
    }  # fmt: skip
    values = layered.result()
    per_frame = (len(values) - 1) // 150
    assert set(values[: 38 * per_frame]) == {0}
    assert set(values[123 * per_frame :]) == {0}
    assert max(map(abs, values[60 * per_frame : 100 * per_frame])) > 1


def test_a_drag_given_up_with_escape_changes_nothing(layered: Studio) -> None:
    before = layered.result()
    care = "() => [window.lazzik.stage.canvas.width, window.lazzik.surfaces.paused]"
    width, ahead = layered.page.evaluate(care)
    assert not ahead
    layered.drag('svg[data-lane="noise"] [data-grip="start"]', 200, let_go=False)
    layered.page.wait_for_function("was => window.lazzik.strata.data.result[4] !== was", arg=before[4])
    assert layered.page.evaluate(care) == [width * 2 // 3, True]  # drawn in software here: fewer pixels while it lasts
    layered.page.keyboard.press("Escape")
    layered.page.mouse.up()
    layered.page.wait_for_function("was => window.lazzik.strata.data.result[4] === was", arg=before[4])
    assert layered.result() == before
    assert layered.step == 1
    layered.page.wait_for_function("() => !window.lazzik.strata.holding")
    assert layered.page.evaluate(care) == [width, False]


def test_window_edges_answer_to_the_keyboard(layered: Studio) -> None:
    layered.page.focus('svg[data-lane="noise"] [data-grip="start"]')
    layered.page.keyboard.press("Shift+ArrowRight")
    layered.lands(2)
    assert layered.page.input_value('#strip [data-into="start"] input') == "10"


def test_a_loop_over_the_range_closes_the_seam(layered: Studio) -> None:
    layered.page.click("#strip [data-fit]")
    layered.lands(2)
    assert layered.page.input_value('#strip [data-into="loop"] input') == "150"
    expect(layered.page.locator("svg[data-lane=result]")).to_contain_text("seam 0° apart")
    values = layered.result()
    assert values[0] == pytest.approx(values[-1], abs=1e-6)
    expect(layered.page.locator("#strip .knob-note")).to_contain_text(" s")


def test_mute_solo_weight_order_and_remove(layered: Studio) -> None:
    page = layered.page
    page.click("#add-layer")
    page.click("[data-add=noise]")
    layered.lands(2)
    assert layered.lanes() == ["Noise", "Noise"]
    ids = [lane.get_attribute("id") for lane in page.locator(".lane.layer").all()]
    assert ids == ["lane-noise-2", "lane-noise"]
    both = layered.result()
    page.click("#lane-noise [data-flag=muted]")
    layered.lands(3)
    assert layered.result() != both
    page.click("#lane-noise-2 [data-flag=muted]")
    layered.lands(4)
    assert set(layered.result()) == {0}  # all muted: the base exactly
    page.keyboard.press("Control+z")
    page.keyboard.press("Control+z")
    layered.lands(2)
    page.click("#lane-noise-2 [data-flag=solo]")
    layered.lands(5)
    expect(page.locator("#lane-noise")).to_have_class("lane layer random silent")
    page.click("#lane-noise-2 [data-flag=solo]")
    layered.lands(6)
    layered.drag("#lane-noise-2 .knob.weight input", 50)
    layered.lands(7)
    assert float(page.input_value("#lane-noise-2 .knob.weight input")) == pytest.approx(1.5)
    layered.drag("#lane-noise .grip", 0, -70)
    layered.lands(8)
    assert page.locator(".lane.layer").first.get_attribute("id") == "lane-noise"
    page.focus("#lane-noise .grip")
    page.keyboard.press("ArrowDown")
    layered.lands(9)
    assert page.locator(".lane.layer").first.get_attribute("id") == "lane-noise-2"
    page.click("#strip [data-remove]")
    layered.lands(10)
    assert len(layered.lanes()) == 1
    for step in (9, 8, 7, 6):
        page.keyboard.press("Control+z")
        layered.lands(step)


def test_numbers_may_be_typed_as_arithmetic_and_mistakes_are_said_beside_them(layered: Studio) -> None:
    page = layered.page
    field = layered.knob("period").locator("input.num")
    field.fill("12/5")
    field.press("Enter")
    layered.lands(2)
    assert field.input_value() == "2.4"
    for text, sentence in (("fast", "'fast' is not a number"), ("-1", "must be at least 0.001; -1 was given")):
        field.fill(text)
        field.press("Enter")
        expect(page.locator("#strip .field-error")).to_contain_text(sentence)
        expect(field).to_have_attribute("aria-invalid", "true")
        assert layered.step == 2
    field.press("Escape")
    assert field.input_value() == "2.4"
    page.fill('#strip [data-into="end"] input', "-9")
    page.locator('#strip [data-into="end"] input').press("Enter")
    layered.lands(3)
    page.fill('#strip [data-into="start"] input', "50")
    page.locator('#strip [data-into="start"] input').press("Enter")
    expect(page.locator("#strip .field-error")).to_contain_text("ends at -9, before it starts at 50")


def test_a_number_of_a_layer_is_driven_like_any_other(layered: Studio) -> None:
    page = layered.page
    layered.knob("amplitude").locator(".drive").click()
    expect(page.locator(".trail strong")).to_have_text("Noise / amplitude")
    page.click("#add-layer")
    page.click("[data-add=noise]")
    layered.lands(2)
    assert layered.reach() > 0.5
    page.click(".trail a")
    expect(page.locator(".trail strong")).to_have_text("Post / rotation z")
    expect(layered.knob("amplitude")).to_have_class("knob driven")


def test_two_tabs_the_stale_step_is_refused_and_can_be_put_on_top(layered: Studio) -> None:
    page = layered.page
    other = Studio(page.context.new_page())
    other.page.goto(page.url)
    other.ready()
    other.page.click("#lane-noise [data-flag=muted]")
    other.lands(2)
    layered.knob("period").locator("input.num").fill("3")
    layered.knob("period").locator("input.num").press("Enter")
    expect(page.locator(".toast")).to_contain_text("changed elsewhere")
    assert layered.step == 1
    page.click(".toast button:has-text('put my step on top')")
    Studio(page).ready().lands(3)
    assert layered.knob("period").locator("input.num").input_value() == "3"
    expect(page.locator("#lane-noise [data-flag=muted]")).to_have_attribute("aria-pressed", "true")


def test_steps_are_there_after_the_page_is_opened_again(layered: Studio) -> None:
    page: Page = layered.page
    page.reload()
    Studio(page).ready()
    page.click("[data-act=undo]")
    layered.lands(0)
    assert layered.lanes() == []
    page.click("[data-act=redo]")
    layered.lands(1)
    assert layered.lanes() == ["Noise"]


def test_units_are_typed_and_the_lane_says_what_a_loop_made(layered: Studio) -> None:
    page = layered.page
    step = int(page.inner_text("#saved").rsplit(" ", 1)[-1])
    period = page.locator('#strip .knob[data-address$=".period"] input.num')
    period.fill("2 Hz")
    period.press("Enter")
    layered.lands(step + 1)
    expect(period).to_have_value("0.5")
    period.fill("1,000")
    period.press("Enter")
    expect(page.locator("#strip .field-error")).to_contain_text("could be 1000 or 1.000")
    period.press("Escape")
    loop = page.locator('#strip [data-into="loop"] input')
    loop.fill("1.5 s")
    loop.press("Enter")
    layered.lands(step + 2)
    expect(loop).to_have_value("45")
    expect(page.locator("#strip .knob-note")).to_have_text("3 × 0.5 s")


def test_a_layer_made_to_multiply_keeps_the_value(layered: Studio) -> None:
    page = layered.page
    step = int(page.inner_text("#saved").rsplit(" ", 1)[-1])
    amplitude = page.locator('#strip .knob[data-address$=".amplitude"] input.num')
    was = amplitude.input_value()
    page.select_option('#strip [data-into="combine"] select', "multiply")
    layered.lands(step + 1)
    expect(amplitude).to_have_value("0.3")
    expect(layered.knob("offset").locator("input.num")).to_have_value("1")
    page.keyboard.press("Control+z")
    expect(amplitude).to_have_value(was)
