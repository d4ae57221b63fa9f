"""Recipes of objects and the shelf in the browser: saved, put on others, followed, kept, found, taken elsewhere."""

from __future__ import annotations

import json
from pathlib import Path

from playwright.sync_api import Page, Route, expect

from tests.browser.conftest import Studio, one_is_answered, until_asked
from tests.serving import stored


def pole(label: str, x: float, size: float) -> dict[str, object]:
    shape = {"kind": "tube", "radius": 0.06 * size, "height": 1.5 * size, "base": True}
    return {"do": "add-object", "label": label, "shape": shape, "position": [x, 0, 0]}


def with_edits(studio: Studio, *edits: dict[str, object]) -> None:
    """The studio once edits are stored, opened anew where it was."""
    page, step = studio.page, studio.step
    body = {"revision": step, "edits": list(edits)}
    stored(f"{page.url.split('?')[0]}/edits", body)
    page.reload()
    studio.ready().lands(step + 1)


def find(studio: Studio, words: str) -> None:
    """Do what the finder finds."""
    studio.page.keyboard.press("Control+k")
    studio.page.keyboard.type(words)
    studio.page.keyboard.press("Enter")


def test_an_object_is_saved_put_on_others_and_followed(layered: Studio) -> None:
    page = layered.page
    step = layered.step
    with_edits(layered, pole("Short", 1, 0.5), pole("Long", 2, 2.0))
    find(layered, "Save the object as")
    page.fill("#object-recipe-form [name=label]", "Swaying post")
    page.check("#object-recipe-form [value$='#noise.period']")
    page.click("text=Save the recipe")
    layered.lands(step + 2)
    expect(page.locator(".following strong")).to_have_text("Swaying post")
    expect(page.locator(".own-list")).to_contain_text("as the recipe makes it")

    page.click("#row-short > a")
    expect(page.locator("#row-short .chosen").first).to_be_visible()
    page.click("#row-long > a", modifiers=["ControlOrMeta"])
    expect(page.locator("#choice-bar strong")).to_have_text("2 numbers")
    find(layered, "Put a recipe on")
    expect(page.locator("dialog h2")).to_have_text("Put a recipe on 2 objects")
    page.click("dialog >> text=Swaying post")
    layered.lands(step + 3)
    expect(page.locator(".following")).to_contain_text("also on")
    period = page.locator(".following ~ .strip .knob:has-text('Noise period') input.num")
    period.fill("3")
    period.press("Enter")
    layered.lands(step + 4)
    expect(page.locator(".own-list")).to_contain_text("period")
    page.click(".knob.own [title*='follow the recipe again']")
    layered.lands(step + 5)
    expect(page.locator(".own-list")).not_to_contain_text("period")
    page.keyboard.press("Control+z")
    layered.lands(step + 4)
    expect(page.locator(".own-list")).to_contain_text("period")


def test_what_is_kept_is_found_and_taken_into_another_scene(layered: Studio, tmp_path: Path) -> None:
    page = layered.page
    with_edits(layered, {"do": "save-object-recipe", "node": "post", "label": "Nodding post"})
    page.goto(f"{page.url.split('?')[0]}/recipes?at=post/rotation.z")
    page.click("[aria-label='Keep Nodding post on the shelf']")
    page.fill("#keep-form [name=tags]", "posts, wind")
    page.click("#keep-form [type=submit]")
    expect(page.locator("#toasts")).to_contain_text("Nodding post is on the shelf")

    page.goto("/scenes")
    page.click("text=Mast in wind")
    Studio(page).ready()
    page.click("#row-mast > a")
    find(Studio(page), "Take from the shelf")
    page.wait_for_selector("#shelf-nodding-post")
    page.fill("#shelf-find", "nodding")
    expect(page.locator(".shelf-card:visible")).to_have_count(1)
    page.fill("#shelf-find", "")
    page.click(".tag[data-tag=posts]")
    expect(page.locator(".shelf-card:visible")).to_have_count(1)
    page.click("#shelf-nodding-post >> text=Put on")
    studio = Studio(page).ready()
    studio.lands(1)
    expect(page.locator("#tree")).to_contain_text("Nodding post")

    page.goto("/shelf")
    with page.expect_download() as begun:
        page.click("#shelf-nodding-post [aria-label='Export Nodding post']")
    content = json.loads(Path(begun.value.path()).read_text())
    assert [item["label"] for item in content["items"]] == ["Nodding post"]
    page.click("#shelf-nodding-post [aria-label='Take Nodding post off the shelf']")
    expect(page.locator("#shelf-nodding-post")).to_have_count(0)
    file = tmp_path / "posts.json"
    content["items"][0]["label"] = "Nodding again"
    file.write_text(json.dumps(content))
    page.set_input_files("#shelf-file", file)
    expect(page.locator("#shelf-nodding-post")).to_contain_text("Nodding again")
    file.write_text("[]")
    page.set_input_files("#shelf-file", file)
    expect(page.locator("#shelf-error")).to_contain_text("no shelf that was exported")
    page.click("#shelf-nodding-post >> text=Name and tags")
    page.fill("#shelf-change-form [name=label]", "Post that nods")
    page.click("#shelf-change-form [type=submit]")
    expect(page.locator("#shelf-nodding-post h3")).to_have_text("Post that nods")


def test_deformers_are_copied_to_many_at_once(shaped: Studio) -> None:
    page = shaped.page
    step = shaped.step
    bend: dict[str, object] = {"do": "add-deformer", "node": "post", "kind": "bend"}
    with_edits(shaped, pole("Short", 1, 0.5), pole("Long", 2, 2.0), bend)
    page.click("#row-post > a")
    page.keyboard.press("s")
    expect(page.locator(".lane.form")).to_have_count(1)
    page.keyboard.press("Control+Shift+c")
    expect(page.locator("#toasts")).to_contain_text("copied. Choose other objects and paste")
    page.click("#row-short > a")
    expect(page.locator("#row-short .chosen").first).to_be_visible()
    page.click("#row-long > a", modifiers=["ControlOrMeta"])
    expect(page.locator("#choice-bar strong")).to_have_text("2 numbers")
    page.keyboard.press("Control+v")
    shaped.lands(step + 2)
    for slug in ("short", "long"):
        page.goto(f"{page.url.split('?')[0]}?at={slug}/shape")
        shaped.ready()
        expect(page.locator(".lane.form")).to_have_count(1)


def test_pictures_that_are_not_drawn_yet_are_asked_for_one_by_one(page: Page, tmp_path: Path) -> None:
    """So that what is pressed meanwhile need not wait behind them."""
    page.goto("/shelf")
    cards: list[str] = page.locator(".shelf-card").evaluate_all("(all) => all.map((card) => card.id)")
    for card in cards[:3]:  # what is changed is drawn anew
        answer = page.request.post(f"/shelf/{card.removeprefix('shelf-')}", data={"note": "Once more"})
        assert answer.ok
    held: list[Route] = []
    page.route("**/shelf/*/specimen", lambda route: held.append(route))
    page.reload()
    until_asked(page, held)
    file = tmp_path / "none.json"
    file.write_text("[]")
    page.set_input_files("#shelf-file", file)
    expect(page.locator("#shelf-error")).to_contain_text("no shelf that was exported")
    one_is_answered(page.locator("span.specimen"), held)
    page.unroute("**/shelf/*/specimen")


def test_a_picture_that_a_search_brings_into_sight_is_drawn(page: Page) -> None:
    page.goto("/shelf")
    last = page.locator(".shelf-card").last
    name = last.locator("h3").inner_text()
    key = (last.get_attribute("id") or "").removeprefix("shelf-")
    assert page.request.post(f"/shelf/{key}", data={"note": "Far below"}).ok
    page.reload()
    expect(page.locator(f"#shelf-{key} span.specimen")).not_to_be_in_viewport()
    page.fill("#shelf-find", name)
    expect(page.locator(f"#shelf-{key} img.specimen")).to_be_visible()
