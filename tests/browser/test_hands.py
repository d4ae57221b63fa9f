"""Hands on objects: named, hung, grouped, chosen and removed as one thinks."""

from __future__ import annotations

import pytest
from playwright.sync_api import Page, expect

from tests.browser.conftest import Studio
from tests.browser.shapes import scene_of

pytestmark = pytest.mark.browser


def tree(page: Page) -> list[str]:
    """Labels of the rows, each with a dot for every object above it."""
    rows = page.locator("#tree-rows a.object")
    found: list[str] = rows.evaluate_all(
        "rows => rows.map(row => '.'.repeat(Number([...row.classList].find(c => c.startsWith('depth-')).slice(6)))"
        " + row.querySelector('.name').textContent)"
    )  # fmt: skip
    return found


def add(small: Studio, kind: str, step: int) -> None:
    small.page.keyboard.press("a")
    small.page.click(f".object-kinds button:has-text('{kind}')")
    small.lands(step)
    expect(small.page.locator("#tree .object.chosen")).to_contain_text(kind)


def drag_row(page: Page, label: str, onto: str, *, upper: bool = False) -> None:
    from_, to = (page.locator(f"#tree a.object:has(.name:text-is('{name}'))") for name in (label, onto))
    a, b = from_.bounding_box(), to.bounding_box()
    assert a is not None
    assert b is not None
    page.mouse.move(a["x"] + 60, a["y"] + a["height"] / 2)
    page.mouse.down()
    page.mouse.move(a["x"] + 70, a["y"] + a["height"] / 2 + 6, steps=2)
    page.mouse.move(b["x"] + 70, b["y"] + b["height"] * (0.1 if upper else 0.7), steps=3)
    page.mouse.up()


def test_names_are_changed_where_they_stand(small: Studio) -> None:
    page = small.page
    page.click("#row-post > a")
    page.keyboard.press("F2")
    field = page.locator("#tree input.rename")
    expect(field).to_have_value("Post")
    field.fill("Mast")
    field.press("Enter")
    small.lands(1)
    assert tree(page) == ["Floor", "Mast", "Camera"]
    page.keyboard.press("Space")  # the keyboard is the studio's again
    page.wait_for_function("() => window.lazzik.transport.playing !== null")
    page.keyboard.press("Space")
    page.locator("#row-floor > a .name").dblclick()
    expect(field).to_have_value("Floor")
    field.fill("Mast")
    field.press("Enter")
    small.lands(2)
    expect(page.locator("#row-floor > a .name")).to_have_text("Mast 2")  # a name stays its own by itself
    assert tree(page) == ["Mast 2", "Mast", "Camera"]
    page.locator("#row-floor > a .name").dblclick()
    field.fill("Nothing of that")
    field.press("Escape")
    expect(field).to_have_count(0)
    assert small.step == 2
    page.click("#row-post > a")
    expect(page.locator("#strata .trail")).to_contain_text("Mast /")
    page.click("#add-layer")
    page.click("[data-add=noise]")
    small.lands(3)
    page.locator(".lane.layer .lane-name strong").dblclick()
    page.locator(".lane input.rename").fill("Gust")
    page.locator(".lane input.rename").press("Enter")
    small.lands(4)
    assert small.lanes() == ["Gust"]


def test_rows_are_dragged_under_others_and_before_them_and_stay_where_they_are_seen(small: Studio) -> None:
    page = small.page
    for step, kind in enumerate(("Box", "Ball", "Ring"), 1):
        add(small, kind, step)
    page.evaluate("() => window.lazzik.choose('box/position.x')")
    expect(page.locator("#tree .channel.chosen")).to_have_attribute("data-address", "box/position.x")
    field = page.locator(".base-value input")
    field.fill("3")
    field.press("Enter")
    small.lands(4)
    drag_row(page, "Ball", "Box")
    small.lands(5)
    assert tree(page)[-3:] == ["Box", ".Ball", "Ring"]
    nodes = {node["id"]: node for node in scene_of(small)["nodes"]}
    assert (nodes["ball"]["parent"], nodes["ball"]["position"]["x"]) == ("box", -3.0)
    drag_row(page, "Ring", "Box", upper=True)
    small.lands(6)
    assert tree(page)[-3:] == ["Ring", "Box", ".Ball"]
    page.click("#row-ball > a")
    expect(page.locator("#tree .object.chosen")).to_have_text("Ball")
    page.keyboard.press("Alt+ArrowLeft")
    small.lands(7)
    assert tree(page)[-3:] == ["Ring", "Box", "Ball"]
    page.keyboard.press("Alt+ArrowUp")
    small.lands(8)
    assert tree(page)[-3:] == ["Ring", "Ball", "Box"]
    for step in reversed(range(8)):
        page.keyboard.press("Control+z")
        small.lands(step)
    assert tree(page) == ["Floor", "Post", "Camera"]


@pytest.mark.slow
def test_several_are_grouped_hidden_removed_and_let_go_as_one_step(small: Studio) -> None:
    page = small.page
    for step, kind in enumerate(("Box", "Ball", "Ring"), 1):
        add(small, kind, step)
    page.click("#row-box > a")
    expect(page.locator("#tree .object.chosen")).to_have_text("Box")
    page.click("#row-ball > a", modifiers=["Control"])
    expect(page.locator("#tree .object.also")).to_contain_text("Ball, chosen too")
    page.keyboard.press("Control+g")
    small.lands(4)
    assert tree(page)[-4:] == ["Group", ".Box", ".Ball", "Ring"]
    expect(page.locator("#tree .object.chosen")).to_have_text("Group")
    add(small, "Lamp", 5)  # into the group that is chosen
    assert tree(page)[-5:] == ["Group", ".Box", ".Ball", ".Lamp", "Ring"]
    page.click("#row-group > a")
    expect(page.locator("#tree .object.chosen")).to_have_text("Group")
    page.keyboard.press("Control+Shift+g")
    small.lands(6)
    assert "Group" not in tree(page)
    page.click("#row-box > a")
    expect(page.locator("#tree .object.chosen")).to_have_text("Box")
    for name in ("ball", "ring"):
        page.click(f"#row-{name} > a", modifiers=["Control"])
        expect(page.locator(f"#row-{name} > a.also")).to_have_count(1)
    page.keyboard.press("h")
    small.lands(7)
    expect(page.locator("#tree .name.gone")).to_have_count(3)
    page.click("#tree [data-act=remove-objects]")
    small.lands(8)
    assert tree(page) == ["Floor", "Post", "Camera", "Lamp"]
    page.keyboard.press("Control+z")
    small.lands(7)
    assert len(tree(page)) == 7


def test_copies_are_chosen_and_go_into_a_group_of_their_own(small: Studio) -> None:
    page = small.page
    page.click("#row-post > a")
    page.keyboard.press("Control+d")
    page.fill("#duplicate-form [name=count]", "3")
    page.click("#duplicate-form [type=submit]")
    small.lands(1)
    expect(page.locator("#tree .object.chosen")).to_have_text("Post 2")
    expect(page.locator("#tree .object.also")).to_have_count(2)
    page.click("#row-post > a")
    expect(page.locator("#tree .object.chosen")).to_have_text("Post")
    page.keyboard.press("Control+d")
    page.fill("#duplicate-form [name=count]", "2")
    page.check("#duplicate-form [name=grouped]")
    page.click("#duplicate-form [type=submit]")
    small.lands(2)
    expect(page.locator("#tree .object.chosen")).to_have_text("Posts")
    assert tree(page)[-3:] == ["Posts", ".Post", ".Post 2"]
    # several at once: each by itself, and the copies are chosen
    page.click("#row-floor > a")
    expect(page.locator("#tree .object.chosen")).to_have_text("Floor")
    page.click("#row-camera > a", modifiers=["ControlOrMeta"])
    expect(page.locator("#tree .object.also")).to_have_count(1)
    page.keyboard.press("Control+d")
    expect(page.locator("dialog h2")).to_have_text("Duplicate Floor and 1 more")
    page.click("#duplicate-form [type=submit]")
    small.lands(3)
    assert tree(page)[-2:] == ["Floor 2", "Camera 2"]
    expect(page.locator("#tree .object.chosen")).to_have_text("Floor 2")
    expect(page.locator("#tree .object.also .name")).to_have_text("Camera 2")


def test_a_box_on_the_stage_chooses_what_lies_in_it(small: Studio) -> None:
    page = small.page
    add(small, "Ball", 1)
    box = page.locator("#canvas").bounding_box()
    assert box
    page.keyboard.down("Control")
    page.mouse.move(box["x"] + 4, box["y"] + 4)
    page.mouse.down()
    page.mouse.move(box["x"] + box["width"] - 4, box["y"] + box["height"] - 4, steps=4)
    page.mouse.up()
    page.keyboard.up("Control")
    expect(page.locator("#tree .object.chosen, #tree .object.also")).to_have_count(3)
    expect(page.locator(".stage-box")).to_have_count(0)


def test_numbers_are_shown_and_typed_at_the_playhead(small: Studio) -> None:
    page = small.page
    page.click("#row-post > a")
    number = page.locator("#tree [data-now='post/position.y']")
    number.dblclick()
    field = page.locator("#tree .channel input.rename")
    field.fill("1/4 + 2")
    field.press("Enter")
    small.lands(1)
    expect(number).to_have_text("2.25 m")
    number.dblclick()
    field.fill("two")
    field.press("Enter")
    expect(page.locator(".typed-error")).to_contain_text("'two' is not a number")
    field.press("Escape")
    expect(number).to_have_text("2.25 m")
    assert small.step == 1
    page.click("#tree .channel[data-address='post/position.y']")
    page.evaluate("() => window.lazzik.transport.go(20)")
    page.keyboard.press("k")
    small.lands(2)
    page.evaluate("() => window.lazzik.transport.go(40)")
    number.dblclick()
    field.fill("4.25")  # it has keys by now: this is another one, here
    field.press("Enter")
    small.lands(3)
    page.evaluate("() => window.lazzik.transport.go(30)")
    expect(number).to_have_text("3.25 m")
    page.evaluate("() => window.lazzik.transport.go(20)")
    expect(number).to_have_text("2.25 m")


def test_a_layer_becomes_another_kind_by_a_choice(small: Studio) -> None:
    page = small.page
    page.click("#row-post > a")
    page.click("#add-layer")
    page.click("[data-add=noise]")
    small.lands(1)
    page.locator("#strip [data-into=kind] select").select_option("wave")
    small.lands(2)
    expect(page.locator(".lane.layer.chosen .lane-name strong")).to_have_text("Wave")
    page.keyboard.press("Control+z")
    small.lands(1)
    expect(page.locator(".lane.layer.chosen .lane-name strong")).to_have_text("Noise")


def test_what_comes_round_is_seen_and_typed_as_a_frequency_or_a_period(small: Studio) -> None:
    page = small.page
    page.click("#row-post > a")
    page.click("#add-layer")
    page.click("[data-add=wave]")
    small.lands(1)
    knob = small.knob("period")
    field, unit = knob.locator("input.num"), knob.locator(".unit")
    field.fill("4")
    field.press("Enter")
    small.lands(2)
    unit.click()
    expect(unit).to_have_text("Hz")
    expect(knob.locator("label")).to_have_text("frequency")
    expect(field).to_have_value("0.25")
    field.fill("2")
    field.press("Enter")
    small.lands(3)
    expect(field).to_have_value("2")
    layer = scene_of(small)["nodes"][1]["rotation"]["z"]["layers"][0]
    assert layer["period"] == 0.5  # the document keeps the period
    field.fill("0.25 s")  # what says its unit is taken at its word
    field.press("Enter")
    small.lands(4)
    expect(field).to_have_value("4")
    page.reload()
    small.ready()
    expect(field).to_have_value("4")
    field.focus()
    page.keyboard.press("ArrowUp")
    page.keyboard.up("ArrowUp")
    small.lands(5)
    assert scene_of(small)["nodes"][1]["rotation"]["z"]["layers"][0]["period"] < 0.25
    unit.click()
    expect(unit).to_have_text("s")


def test_a_colour_is_a_swatch_over_three_numbers(small: Studio) -> None:
    page = small.page
    page.click("#row-post > a")
    swatch = page.locator("#tree [data-colour='post/look.color']")
    expect(swatch).to_have_value("#c4472b")
    numbers = page.locator("#tree [data-now^='post/look.color.']")
    expect(numbers.first).to_be_hidden()
    pick = """(field, hex) => { field.value = hex;
        for (const kind of ["input", "change"]) field.dispatchEvent(new Event(kind, {bubbles: true})); }"""
    swatch.evaluate(pick, "#336699")
    small.lands(1)
    colour = scene_of(small)["nodes"][1]["look"]["color"]
    assert (colour["r"], colour["g"], colour["b"]) == (0.2, 0.4, 0.6)
    page.click("[id='fold-post/look.color'] summary")
    expect(numbers.first).to_be_visible()
    page.keyboard.press("q")  # keys put themselves
    page.evaluate("() => window.lazzik.transport.go(30)")
    swatch.evaluate(pick, "#ffffff")
    small.lands(2)
    red = scene_of(small)["nodes"][1]["look"]["color"]["r"]
    assert [(key["frame"], key["value"]) for key in red["keys"]] == [(30, 1.0)]
    page.keyboard.press("Control+z")
    small.lands(1)
    expect(swatch).to_have_value("#336699")
