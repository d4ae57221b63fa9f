"""Many at once by hand: choosing several, staggering, copying, dials, recipes, formulas, loops."""

from __future__ import annotations

import re

import pytest
from playwright.sync_api import Page, expect

from tests.browser.conftest import Studio

pytestmark = pytest.mark.browser


@pytest.fixture
def station(page: Page, demo_url: str) -> Studio:
    """The demo scene, opened at the first lamp of the row."""
    page.goto(f"{demo_url}?at=lamp-1/rotation.z%23nod")
    return Studio(page).ready()


def choose_lamps(studio: Studio, *numbers: int) -> None:
    for count, k in enumerate(numbers, 2):
        studio.page.click(f"#row-lamp-{k} > a", modifiers=["ControlOrMeta"])
        expect(studio.page.locator("#choice-bar strong")).to_have_text(f"{count} numbers")


def track(studio: Studio, node: str) -> list[float]:
    values: list[float] = studio.page.evaluate("id => [...window.lazzik.stage.tracks.get(id).orientation]", node)
    return values


def value(studio: Studio, address: str) -> float:
    """A layer's number as it is stored."""
    channel, _, number = address.rpartition(".")
    at, _, layer = channel.rpartition("#")
    content = studio.page.evaluate(
        "async at => (await fetch(location.pathname + '/layers?at=' + encodeURIComponent(at))).json()", f"{at}#{layer}"
    )
    found: float = content["layers"][0].get(number, 0.0)
    return found


def test_from_the_scenes_page_to_a_swaying_object_in_at_most_six_actions(page: Page) -> None:
    actions = 0

    def do(selector: str) -> None:
        nonlocal actions
        actions += 1
        page.click(selector)

    page.goto("/scenes")
    do(".start")
    studio = Studio(page).ready()
    do("#add-layer")
    do("[data-add=noise]")
    studio.lands(1)
    do("#play")
    turned = "() => window.lazzik.stage.nodes.get('post').item.quaternion.z"
    before = page.evaluate(turned)
    page.wait_for_function(
        "was => Math.abs(window.lazzik.stage.nodes.get('post').item.quaternion.z - was) > 0.01", arg=before
    )
    assert actions <= 6


@pytest.mark.slow
def test_several_are_chosen_drawn_and_changed_together_or_apart(station: Studio) -> None:
    page = station.page
    choose_lamps(station, 2, 3)
    expect(page.locator("path.beside")).to_have_count(2)
    assert page.evaluate("() => document.getElementById('work').scrollWidth <= innerWidth - 260")
    expect(page.locator(".object.also")).to_have_count(2)
    expect(page.locator("svg[data-lane=result]")).to_contain_text("Lamp 2")
    before = track(station, "lamp-3")
    field = station.knob("period").locator("input.num")
    field.fill("0.6")
    field.press("Enter")
    station.lands(1)
    assert [value(station, f"lamp-{k}/rotation.z#nod.period") for k in (1, 2, 3, 4)] == [0.6, 0.6, 0.6, 1.1]
    assert track(station, "lamp-3") != before
    page.select_option("#together", "times")
    field.fill("1.2")
    field.press("Enter")
    station.lands(2)
    page.select_option("#together", "apart")
    station.knob("octaves").locator("input.num").fill("3")
    station.knob("octaves").locator("input.num").press("Enter")
    station.lands(3)
    assert [value(station, f"lamp-{k}/rotation.z#nod.period") for k in (1, 2, 3)] == [1.2, 1.2, 1.2]
    assert [value(station, f"lamp-{k}/rotation.z#nod.octaves") for k in (1, 2)] == [3, 2]
    page.select_option("#together", "same")
    page.click("#add-layer")
    page.click("[data-add=wave]")
    station.lands(4)
    assert [value(station, f"lamp-{k}/rotation.z#wave.period") for k in (1, 2, 3)] == [2.0, 2.0, 2.0]
    page.keyboard.press("Control+z")
    station.lands(3)
    page.click("#choice-bar [data-act=alone]")
    expect(page.locator("#choice-bar")).to_have_count(0)
    page.click("#row-lamp-4 > a", modifiers=["Shift"])
    expect(page.locator("#choice-bar strong")).to_have_text("4 numbers")
    page.keyboard.press("Escape")
    expect(page.locator("#choice-bar")).to_have_count(0)


def test_dragging_a_knob_moves_all_the_chosen_while_it_is_dragged(station: Studio) -> None:
    page = station.page
    choose_lamps(station, 5)
    before = track(station, "lamp-5")
    station.drag(station.knob("amplitude").locator("input[type=range]"), 40, let_go=False)
    page.wait_for_function(
        "was => window.lazzik.stage.tracks.get('lamp-5').orientation.some((v, i) => v !== was[i])", arg=before
    )
    assert station.step == 0
    page.mouse.up()
    station.lands(1)


def test_a_stagger_shows_itself_and_lands_as_one_step(station: Studio) -> None:
    page = station.page
    choose_lamps(station, 2, 3)
    before = track(station, "lamp-3")
    page.click("#choice-bar [data-act=stagger]")
    expect(page.locator("#stagger-form")).to_be_visible()
    page.select_option("#stagger-form [name=by]", "step")
    page.fill("#stagger-form [name=amount]", "0.5")
    page.wait_for_function(
        "was => window.lazzik.stage.tracks.get('lamp-3').orientation.some((v, i) => v !== was[i])", arg=before
    )
    assert station.step == 0
    button = page.locator("#stagger-form [type=submit]")
    place = button.bounding_box()
    page.fill("#stagger-form [name=amount]", "soon")
    expect(page.locator("#stagger-form .field-error")).to_contain_text("'soon' is not a number")
    assert button.bounding_box() == place, "what is said moves the button, maybe away from under the pointer"
    page.fill("#stagger-form [name=amount]", "1/2")
    page.click("#stagger-form [type=submit]")
    station.lands(1)
    expect(page.locator("dialog")).to_have_count(0)
    assert [value(station, f"lamp-{k}/rotation.z#nod.shift") for k in (1, 2, 3)] == [0, 0.5, 1]
    page.keyboard.press("g")
    page.select_option("#stagger-form [name=by]", "distance")
    expect(page.locator("#stagger-form [data-for=distance]")).to_be_visible()
    shown = page.evaluate("() => [...window.lazzik.stage.tracks.get('lamp-2').orientation]")
    page.select_option("#stagger-form [name=origin]", "mast")
    page.wait_for_function(
        "was => window.lazzik.stage.tracks.get('lamp-2').orientation.some((v, i) => v !== was[i])", arg=shown
    )
    page.keyboard.press("Escape")  # given up: nothing stays
    station.lands(1)
    assert value(station, "lamp-2/rotation.z#nod.shift") == 0.5


def test_layers_are_copied_and_pasted_elsewhere(station: Studio) -> None:
    page = station.page
    page.keyboard.press("Control+c")
    expect(page.locator(".toast")).to_contain_text("Nod copied")
    page.click("#row-gauge > a")
    expect(page.locator(".trail strong")).to_contain_text("Gauge")
    page.keyboard.press("Control+v")
    station.lands(1)
    assert station.lanes() == ["Nod"]
    page.keyboard.press("Control+Shift+c")
    page.click('.channel[data-address="gauge/position.y"]')
    expect(page.locator(".trail strong")).to_contain_text("position y")
    page.click("#stack-menu")
    page.click("[data-act=paste-instead]")
    station.lands(2)
    assert station.lanes() == ["Nod"]
    assert value(station, "gauge/position.y#nod.amplitude") != 7


def test_the_feel_pad_turns_two_numbers_at_once(station: Studio) -> None:
    page = station.page
    page.goto(re.sub(r"\?.*", "?at=sock/rotation.y%23veer", page.url))
    station.ready()
    before = station.reach()
    page.click("[data-feel]")
    pad = page.locator(".feel svg")
    box = pad.bounding_box()
    assert box
    page.mouse.move(box["x"] + 20, box["y"] + 180)
    page.mouse.down()
    page.mouse.move(box["x"] + 170, box["y"] + 40, steps=4)
    expect(page.locator(".feel p")).to_contain_text("amplitude 25")
    page.mouse.up()
    station.lands(1)
    assert station.reach() > before
    assert value(station, "sock/rotation.y#veer.period") < 0.4
    page.keyboard.press("ArrowLeft")
    station.lands(2)
    page.keyboard.press("Escape")
    expect(page.locator(".feel")).to_have_count(0)


def test_a_seed_is_picked_from_a_sheet(station: Studio) -> None:
    page = station.page
    before = station.trace("nod")
    page.click("#strip [data-sheet=seeds]")
    expect(page.locator(".seeds li")).to_have_count(12)
    page.click("text=More seeds")
    expect(page.locator(".seeds")).to_contain_text("23")
    page.click(".seeds [aria-label='Seed 17']")
    station.lands(1)
    assert value(station, "lamp-1/rotation.z#nod.seed") == 17
    assert station.trace("nod") != before


def test_why_names_the_trap_and_mends_it(station: Studio) -> None:
    page = station.page
    page.fill("#strip [data-into=start] input", "600")
    page.locator("#strip [data-into=start] input").press("Enter")
    station.lands(1)
    page.click("[data-act=why]")
    expect(page.locator(".reasons")).to_contain_text("outside the range 0 to 250")
    page.click("text=Open the window")
    station.lands(2)
    assert station.reach() > 1
    page.keyboard.press("w")
    expect(page.locator(".sheet-dialog")).to_contain_text("Nothing keeps it from showing")


def test_a_dial_is_added_read_turned_and_driven(layered: Studio) -> None:
    page = layered.page
    page.click(".dials [data-sheet=dial-form]")
    page.fill("#dial-form [name=label]", "Breeze")
    page.fill("#dial-form [name=high]", "-3")
    page.click("#dial-form [type=submit]")
    expect(page.locator("#dial-form .field-error")).to_contain_text("from a lower to a higher value")
    page.fill("#dial-form [name=high]", "2")
    page.click("#dial-form [type=submit]")
    layered.lands(2)
    layered.knob("amplitude").locator("a.drive").click()
    expect(page.locator(".trail strong")).to_have_text("Noise / amplitude")
    page.click("#add-layer")
    page.click("[data-read='dials/breeze']")
    layered.lands(3)
    page.click(".trail a")
    expect(page.locator(".trail strong")).to_have_text("Post / rotation z")
    page.wait_for_function("() => Math.min(...window.lazzik.strata.data.result) < 0")
    before = layered.reach()
    knob = page.locator('.dial[data-address="dials/breeze"]')
    knob.locator("input.num").fill("0.5")
    knob.locator("input.num").press("Enter")
    layered.lands(4)
    assert layered.reach() == pytest.approx(before / 2, rel=0.01)
    half = max(layered.result())
    layered.drag(knob.locator("input[type=range]"), 60, let_go=False)
    page.wait_for_function("was => Math.max(...window.lazzik.strata.data.result) > was", arg=half * 1.2)
    page.mouse.up()
    layered.lands(5)
    knob.locator("a.name").click()
    expect(page.locator(".trail strong")).to_have_text("dial / Breeze")
    page.keyboard.press("k")
    layered.lands(6)
    expect(page.locator("svg[data-lane=base] .bead")).to_have_count(1)
    knob.locator("[data-sheet=dial-form]").click()
    page.click("text=Remove it")
    expect(page.locator(".toast")).to_contain_text("is read by post/rotation.z")


def test_a_formula_is_checked_while_it_is_typed(small: Studio) -> None:
    page = small.page
    page.click("#add-layer")
    page.click("[data-add=formula]")
    small.lands(1)
    field = page.locator("[data-formula] input")
    field.fill("12 * sin(t) + wobble")
    expect(page.locator(".formula-said")).to_contain_text("There is no name 'wobble'")
    assert page.locator(".formula-said .caret").evaluate("m => m.style.left").startswith("calc(14ch")
    field.fill("12 * sin(t)")
    expect(page.locator(".formula-said")).to_contain_text("-11.9991 to")
    field.press("Enter")
    small.lands(2)
    assert max(small.result()) == pytest.approx(12, abs=0.01)
    page.click("[data-sheet=formula-help]")
    expect(page.locator(".sheet-dialog")).to_contain_text("smoothstep")
    page.click("[data-formula-example] >> nth=2")
    assert "exp(-t)" in field.input_value()
    field.fill("open('x')")
    field.press("Enter")
    expect(page.locator("#strip .wrong .field-error")).to_contain_text("no function 'open'")
    assert small.step == 2


def test_a_link_chooses_its_source_and_refuses_a_circle(layered: Studio) -> None:
    page = layered.page
    page.click('.channel[data-address="post/position.x"]')
    expect(page.locator(".trail strong")).to_have_text("Post / position x")
    page.click("#add-layer")
    page.click("[data-add=link]")
    layered.lands(2)
    source = page.locator("#strip [data-into='settings.source'] input")
    expect(page.locator("#sources option")).to_have_count(1)
    source.fill("post/position.x")
    source.press("Enter")
    expect(page.locator("#strip .wrong > .field-error")).to_contain_text("would read itself")
    source.fill("post/rotation.z")
    source.press("Enter")
    layered.lands(3)
    assert layered.reach() > 4


def test_a_stack_becomes_a_recipe_that_others_use_and_follow(layered: Studio) -> None:
    page = layered.page
    page.click("#stack-menu")
    page.click("[data-act=save-recipe]")
    page.fill("#recipe-form [name=label]", "Ridge gust")
    page.click("#recipe-form [type=submit]")
    layered.lands(2)
    assert layered.lanes() == ["Ridge gust"]
    expect(layered.knob("amplitude")).to_be_visible()
    page.click('.channel[data-address="post/rotation.x"]')
    expect(page.locator(".trail strong")).to_have_text("Post / rotation x")
    page.click("#add-layer")
    page.click("[data-use=ridge_gust]")
    layered.lands(3)
    own = layered.knob("seed").locator("input.num")
    own.fill("33")
    own.press("Enter")
    layered.lands(4)
    expect(layered.knob("seed")).to_have_class("knob own")
    before = layered.reach()
    page.click("text=Open recipe")
    expect(page.locator(".trail")).to_contain_text("used on 2 numbers")
    layered.knob("amplitude").locator("input.num").fill("2")
    layered.knob("amplitude").locator("input.num").press("Enter")
    layered.lands(5)
    layered.knob("bias").locator("[data-expose]").click()
    layered.lands(6)
    page.go_back()
    expect(page.locator(".trail strong")).to_have_text("Post / rotation x")
    page.wait_for_function("was => Math.max(...window.lazzik.strata.data.result) < was / 2", arg=before)
    expect(layered.knob("bias")).to_be_visible()
    layered.knob("seed").locator("[aria-label*='follow the recipe']").click()
    layered.lands(7)
    expect(layered.knob("seed")).to_have_class("knob")


def test_a_recipe_of_the_shelf_is_put_on_a_number(small: Studio) -> None:
    page = small.page
    page.click("#stack-menu")
    page.click("text=Take from the shelf")
    page.click("#shelf-gust-sway >> text=Put on Post / rotation z")
    Studio(page).ready().lands(1)
    assert small.lanes() == ["Gusty sway"]
    assert small.reach() > 4
    page.click(".steps >> text=Recipes")
    expect(page.locator("#recipe-gust_sway")).to_contain_text("Post / rotation z")


@pytest.mark.slow
def test_loops_follow_the_range_and_the_seam_check_leads_to_what_does_not(station: Studio) -> None:
    page = station.page
    page.click("#loop-menu")
    page.click("[data-loop-all=none]")
    station.lands(1)
    expect(page.locator("svg[data-lane=result] path.seam")).not_to_have_class("seam met")
    page.goto(re.sub(r"\?.*", "?at=needle/rotation.z", page.url))
    station.ready()
    page.click("#loop-menu")
    page.click("[data-sheet=seams]")
    expect(page.locator(".seams tbody tr")).to_have_count(1)
    page.click("[data-go='lamp-1/rotation.z']")
    expect(page.locator(".trail strong")).to_have_text("Lamp 1 / rotation z")
    page.click("#loop-menu")
    page.click("[data-loop-all=scene]")
    station.lands(2)
    expect(page.locator("svg[data-lane=result] path.seam")).to_have_class("seam met")
    page.click(".scene-name")
    page.fill("#scene-form [name=last]", "200")
    page.click("#scene-form [type=submit]")
    station.ready()
    page.wait_for_function("() => window.lazzik.strata.data?.result.length === 801")
    assert page.input_value('#strip [data-into="loop"] input') == "200"
    expect(page.locator("svg[data-lane=result] path.seam")).to_have_class("seam met")


def test_time_and_value_are_zoomed_moved_and_fitted(station: Studio) -> None:
    page = station.page
    lane = page.locator("svg[data-lane=result]")
    box = lane.bounding_box()
    assert box
    page.mouse.move(box["x"] + box["width"] / 2, box["y"] + 40)
    whole = station.trace("result")
    page.keyboard.down("Control")
    page.mouse.wheel(0, -600)
    page.keyboard.up("Control")
    page.wait_for_function(
        "was => document.querySelector('svg[data-lane=result] path.trace').getAttribute('d') !== was", arg=whole
    )
    ruler = page.locator("#ruler text").all_text_contents()
    assert float(ruler[-1]) - float(ruler[0]) < 130
    page.keyboard.down("Shift")
    page.mouse.wheel(0, 200)
    page.keyboard.up("Shift")
    page.wait_for_function("was => document.querySelector('#ruler text').textContent !== was", arg=ruler[0])
    zoomed = station.trace("result")
    page.keyboard.down("Alt")
    page.mouse.wheel(0, -400)
    page.keyboard.up("Alt")
    page.wait_for_function(
        "was => document.querySelector('svg[data-lane=result] path.trace').getAttribute('d') !== was", arg=zoomed
    )
    page.mouse.move(box["x"] + box["width"] / 2 + 3, box["y"] + 42)
    expect(page.locator("svg[data-lane=result] g.hover text")).to_contain_text("frame")
    page.keyboard.press("f")
    page.wait_for_function(
        "was => document.querySelector('svg[data-lane=result] path.trace').getAttribute('d') === was", arg=whole
    )
    expect(page.locator("#fit-view")).to_be_disabled()
    # a window is dragged as exactly while zoomed: two frames, not ten
    page.keyboard.press("=")
    page.keyboard.press("=")
    width = box["width"]
    station.drag('svg[data-lane="nod"] [data-grip="start"]', width / (250 * 0.49) * 10)
    station.lands(1)
    assert float(page.input_value('#strip [data-into="start"] input')) == pytest.approx(10, abs=1.5)


@pytest.mark.slow
def test_sheets_are_accessible(station: Studio, axe: str) -> None:
    page = station.page
    choose_lamps(station, 2)
    page.evaluate(axe)
    for opens in (
        "#strip [data-sheet=seeds]",
        "[data-act=why]",
        ".dials [data-sheet=dial-form]",
        "#choice-bar [data-act=stagger]",
    ):
        page.click(opens)
        page.wait_for_selector("dialog[open]")
        found = page.evaluate("() => axe.run(document.querySelector('dialog'))")
        serious = [v["id"] for v in found["violations"] if v["impact"] in ("serious", "critical")]
        assert serious == [], opens
        page.keyboard.press("Escape")
        expect(page.locator("dialog")).to_have_count(0)
