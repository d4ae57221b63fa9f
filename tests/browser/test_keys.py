"""The key desk, auto-key and the handles on the stage, in the browser."""

from __future__ import annotations

import pytest
from playwright.sync_api import Page, expect

from tests.browser.conftest import Studio
from tests.serving import stored


@pytest.fixture
def desk(small: Studio) -> Studio:
    """Three keys on the post's rotation about z, two on its position, the key desk open over both."""
    page = small.page
    put = [
        ("rotation.z", 0, 0),
        ("rotation.z", 60, 8),
        ("rotation.z", 120, -4),
        ("position.x", 30, 0),
        ("position.x", 90, 2),
    ]
    edits = [{"do": "put-key", "address": f"post/{path}", "frame": frame, "value": value} for path, frame, value in put]
    stored(f"{page.url.split('?')[0]}/edits", {"revision": 0, "edits": edits})
    page.goto(f"{page.url.split('?')[0]}?at=post/rotation.z&also=post/position.x")
    small.ready()
    page.keyboard.press("e")
    expect(page.locator(".bead")).to_have_count(5)
    return small


def keys(page: Page, track: int = 0) -> list[list[float]]:
    got: list[list[float]] = page.evaluate(
        "i => JSON.parse(document.getElementById('facts').textContent).tracks[i].keys.map(k => [k.frame, k.value])",
        track,
    )
    return got


def bead(page: Page, frame: int, path: str = "rotation.z") -> object:
    return page.locator(f'.bead[data-channel="post/{path}"][data-frame="{frame}"]')


@pytest.mark.slow
def test_a_box_over_two_numbers_is_moved_drawn_out_and_typed(desk: Studio) -> None:
    page = desk.page
    box = page.locator("svg[data-lane=base]").bounding_box()
    assert box
    per_frame = box["width"] / 150
    page.mouse.move(box["x"] + 20 * per_frame, box["y"] + 3)
    page.mouse.down()
    page.mouse.move(box["x"] + 60 * per_frame, box["y"] + 50)
    page.mouse.move(box["x"] + 100 * per_frame, box["y"] + box["height"] - 3)
    page.mouse.up()
    expect(page.locator("#keys-chosen")).to_have_text("3 chosen")
    desk.drag(bead(page, 60), 15 * per_frame, 0)
    desk.lands(2)
    assert [frame for frame, _ in keys(page)] == [0, 75, 120]
    assert [frame for frame, _ in keys(page, 1)] == [45, 105]
    desk.drag(".side.right", 30 * per_frame + 1)
    desk.lands(3)
    assert [frame for frame, _ in keys(page, 1)] == pytest.approx([45, 135.5], abs=1)
    page.fill("#key-by", "10/2")
    page.fill("#key-rise", "-1")
    page.click("[data-act=transform-keys]")
    desk.lands(4)
    assert keys(page, 1)[0] == pytest.approx([50, -1])
    expect(page.locator("#keys-chosen")).to_have_text("3 chosen")
    page.keyboard.press("Control+a")
    page.locator("#saved").click()
    page.keyboard.press("Control+a")
    expect(page.locator("#keys-chosen")).to_have_text("5 chosen")
    page.fill("#key-height", "4/2")
    page.select_option("[name=level]", "zero")
    page.click("[data-act=transform-keys]")
    desk.lands(5)
    assert keys(page)[2] == [120, -8]
    for step in (4, 3, 2, 1):
        page.click("[data-act=undo]")
        desk.lands(step)
    assert keys(page) == [[0, 0], [60, 8], [120, -4]]


def test_slopes_by_button_and_by_handle(desk: Studio) -> None:
    page = desk.page
    bead(page, 60).click()  # type: ignore[attr-defined]
    page.click("[data-slope=straight]")
    desk.lands(2)
    expect(page.locator("#key-in")).to_have_value("straight")
    page.click("[data-slope=join]")
    desk.lands(3)
    joined = float(page.input_value("#key-in"))
    assert joined == float(page.input_value("#key-out")) == pytest.approx((8 / 2 - 12 / 2) / 2)
    desk.drag(".slope[data-side=out]", 0, -14)
    desk.lands(4)
    assert float(page.input_value("#key-in")) == float(page.input_value("#key-out")) > joined
    page.keyboard.down("Alt")
    desk.drag(".slope[data-side=in]", 0, -25)
    page.keyboard.up("Alt")
    desk.lands(5)
    assert float(page.input_value("#key-in")) < float(page.input_value("#key-out"))
    page.select_option("#key-go", "step")
    desk.lands(6)
    page.select_option("[name=after]", "repeat")
    desk.lands(7)
    assert desk.result()[-1] == pytest.approx(desk.result()[30 * 4], abs=1e-4)


def test_the_table_copying_thinning_and_insertion(desk: Studio) -> None:
    page = desk.page
    value = page.locator('.key-row[data-frame="60"] [name=value]')
    value.fill("2*5")
    value.press("Enter")
    desk.lands(2)
    assert keys(page)[1] == [60, 10]
    before = desk.result()
    page.evaluate("() => window.lazzik.transport.go(33)")
    page.locator("#saved").click()
    page.keyboard.press("k")
    desk.lands(3)
    assert [frame for frame, _ in keys(page)] == [0, 33, 60, 120]
    place = 33 * (len(before) - 1) // 150
    assert desk.result()[place] == pytest.approx(before[place], abs=1e-5)  # it lies on the curve
    before = desk.result()
    expect(page.locator('.key-row[data-frame="33"] [name=slope_in]')).to_have_value("")
    page.locator('.key-row[data-frame="33"] [name=frame]').fill("over there")
    page.locator('.key-row[data-frame="33"] [name=frame]').press("Enter")
    expect(page.locator("#key-form .field-error")).to_contain_text("'over there' is not a number")
    page.locator('.key-row[data-frame="33"] [name=frame]').press("Escape")
    box = page.locator("svg[data-lane=base]").bounding_box()
    assert box
    for frame in (0, 33, 60, 120):
        bead(page, frame).click(modifiers=["Shift"] if frame else [])  # type: ignore[attr-defined]
    expect(page.locator("#keys-chosen")).to_have_text("4 chosen")
    page.fill("#key-tolerance", "0.2")
    page.click("[data-act=thin-keys]")
    desk.lands(4)
    assert len(keys(page)) <= 4
    assert max(abs(a - b) for a, b in zip(desk.result(), before, strict=True)) <= 0.2
    bead(page, 120).click()  # type: ignore[attr-defined]
    page.click("#key-form [data-act=copy-layer]")
    page.evaluate("() => window.lazzik.transport.go(140)")
    page.click("#key-form [data-act=paste]")
    desk.lands(5)
    assert keys(page)[-1] == [140, -4]
    assert keys(page, 1)[-1] == [140, -4]


def test_auto_key_and_handles_on_the_stage(small: Studio) -> None:
    page = small.page
    page.keyboard.press("m")
    small.drag(".gizmo .grip[data-axis=y]", 0, -40)
    small.lands(1)
    y = "() => window.lazzik.stage.nodes.get('post').item.position.y"
    lifted = page.evaluate(y)
    assert lifted > 0.1
    page.keyboard.press("q")
    page.evaluate("() => window.lazzik.transport.go(40)")
    page.keyboard.press("t")
    page.keyboard.press("n")
    small.drag(".gizmo .grip[data-axis=z]", 0, -30)
    small.lands(2)
    assert [frame for frame, _ in keys(page)] == [40]
    turned = keys(page)[0][1]
    assert turned
    assert turned % 5 == pytest.approx(0, abs=1e-9)
    page.evaluate("() => window.lazzik.transport.go(80)")
    page.keyboard.press("Tab")  # as who comes by keyboard
    page.locator(".gizmo .grip[data-axis=z]").focus()
    page.keyboard.press("ArrowUp")
    small.lands(3)
    assert keys(page) == [[40, turned], [80, turned + 5]]
    page.click('.channel[data-address="post/position.y"]')
    page.wait_for_function("() => document.getElementById('lanes').dataset.address === 'post/position.y'")
    page.locator(".base-value input").click()
    page.locator(".base-value input").fill("1.5")
    page.locator(".base-value input").press("Enter")
    small.lands(4)
    assert keys(page) == [[80, 1.5]]
    assert page.evaluate(y) == pytest.approx(1.5)


@pytest.mark.slow
def test_the_desk_and_its_sheets_are_accessible_at_every_width(desk: Studio, axe: str) -> None:
    page = desk.page
    page.evaluate(axe)
    bead(page, 60).click()  # type: ignore[attr-defined]
    for width in (1280, 1024):
        page.set_viewport_size({"width": width, "height": 800})
        for sheet in ("", "b", "a"):
            if sheet:
                page.locator("#saved").click()
                page.keyboard.press(sheet)
                page.wait_for_selector("dialog[open]")
            found = page.evaluate("() => axe.run(document.querySelector('dialog[open]') ?? document)")
            serious = [v["id"] for v in found["violations"] if v["impact"] in ("serious", "critical")]
            assert serious == [], (width, sheet)
            assert page.evaluate("() => document.documentElement.scrollWidth <= innerWidth")
            page.keyboard.press("Escape")
