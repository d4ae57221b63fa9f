"""The list of scenes, and the first minutes in one."""

from __future__ import annotations

import re
import urllib.request
from collections.abc import Iterator

import pytest
from playwright.sync_api import Page, Route, expect

from tests.browser.conftest import Studio, one_is_answered, served, until_asked
from tests.serving import Server


@pytest.fixture(scope="module")
def server(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Server]:
    """With few scenes in its list."""
    yield from served(tmp_path_factory)


def begin(server: Server, start: str, name: str = "") -> str:
    """A scene that begins with a start: its address."""
    body = urllib.parse.urlencode({"start": start, "name": name}).encode()
    with urllib.request.urlopen(f"{server.url}/scenes", body) as opened:
        return str(opened.url)


def test_cards_that_are_not_made_yet_are_asked_for_one_by_one(page: Page, server: Server) -> None:
    """So that what is pressed meanwhile need not wait behind them."""
    for start in ("pennant", "sign", "mast"):
        begin(server, start)
    held: list[Route] = []
    page.route("**/scenes/*/card", lambda route: held.append(route))
    page.goto("/scenes")
    until_asked(page, held)
    page.fill("#find-scene", "zzz")
    expect(page.locator("#none-found")).to_be_visible()
    one_is_answered(page.locator(".card-face[aria-busy]"), held)
    page.unroute("**/scenes/*/card")


def test_a_scene_is_begun_found_copied_and_renamed_from_the_list(page: Page, server: Server) -> None:
    begin(server, "pennant", "Harbour flag")
    begin(server, "sign", "Inn sign")
    page.goto("/scenes")
    card = page.locator(".scene-card", has_text="Harbour flag")
    page.fill("#find-scene", "harb")
    expect(card).to_be_visible()
    expect(page.locator(".scene-card", has_text="Inn sign")).to_be_hidden()
    page.fill("#find-scene", "zzz")
    expect(page.locator("#none-found")).to_be_visible()
    page.fill("#find-scene", "")
    card.locator("[data-bs-toggle]").click()
    card.locator("[data-rename-scene]").click()
    page.locator(".rename-scene").fill("Quay flag")
    page.locator(".rename-scene").press("Enter")
    renamed = page.locator(".scene-card", has_text="Quay flag").first
    expect(renamed).to_be_visible()
    renamed.locator("[data-bs-toggle]").click()
    renamed.get_by_role("button", name="Duplicate").click()
    expect(page.locator(".scene-card", has_text="Quay flag copy")).to_be_visible()
    page.select_option("#sort-scenes", "name")
    page.wait_for_function("""() => {
        const titles = [...document.querySelectorAll(".scene-card h2")];
        const names = titles.map((title) => title.textContent.trim().toLowerCase());
        return names.length > 2 && names.every((name, n) => n === 0 || names[n - 1] <= name);
    }""")


def test_what_one_can_begin_with_moves_under_the_pointer(page: Page) -> None:
    page.goto("/scenes")
    start = page.locator(".start", has_text="A pennant")
    still = start.locator("img").get_attribute("src") or ""
    start.hover()
    expect(start.locator("img")).to_have_attribute("src", re.compile(r"pennant-moves\.svg$"))
    page.hover("h1 >> nth=0")
    expect(start.locator("img")).to_have_attribute("src", re.compile(re.escape(still)))
    start.click()
    Studio(page).ready()
    expect(page.locator(".trail strong")).to_have_text("Mast / rotation z")
    expect(page.locator("#first-steps")).to_contain_text("a longer one is a calmer wind")


@pytest.mark.slow
def test_the_stage_is_kept_as_the_picture_of_a_scene(page: Page, server: Server) -> None:
    page.goto(begin(server, "pool", "Puddle"))
    Studio(page).ready()
    with page.expect_response(lambda answer: "/picture?revision=0" in answer.url) as kept:
        pass
    assert kept.value.status == 204
    page.goto("/scenes")
    card = page.locator(".scene-card", has_text="Puddle")
    expect(card.locator("img")).to_have_attribute("src", re.compile(r"picture\?of=0%20image/webp$"))
    page.wait_for_function(
        "name => [...document.querySelectorAll('.scene-card')].find(c => c.dataset.name === name)"
        ".querySelector('img').naturalWidth === 728",
        arg="Puddle",
    )


def test_the_first_steps_are_ticked_and_dismissed_for_good(page: Page, server: Server) -> None:
    page.goto(begin(server, "empty"))
    studio = Studio(page).ready()
    steps = page.locator("#first-steps")
    expect(steps.locator(".taken")).to_have_count(0)
    page.click("#add-layer")
    page.click("[data-add=noise]")
    studio.lands(1)
    expect(steps.locator("[data-step=move]")).to_have_class("taken")
    studio.knob("period").locator("input.num").fill("3")
    studio.knob("period").locator("input.num").press("Enter")
    studio.lands(2)
    expect(steps.locator("[data-step=calm]")).to_have_class("taken")
    page.click("[data-act=end-steps]")
    expect(steps).to_have_count(0)
    page.reload()
    Studio(page).ready()
    expect(steps).to_have_count(0)


def test_another_rate_asks_what_stays_and_a_length_is_given_in_seconds(page: Page, server: Server) -> None:
    page.goto(begin(server, "sign"))
    studio = Studio(page).ready()
    before = studio.result()
    page.click(".scene-name")
    expect(page.locator("#keep-time")).to_be_hidden()
    page.fill("#scene-form [name=fps]", "60")
    expect(page.locator("#keep-time")).to_be_visible()
    page.click("#scene-form [type=submit]")
    page.wait_for_function("() => document.querySelector('.transport .faint')?.textContent.includes('300 @ 60')")
    studio.ready()
    after = studio.result()
    assert abs(max(after) - max(before)) < 0.15
    page.click(".scene-name")
    page.fill("#scene-form [name=seconds]", "8")
    page.click("#scene-form [type=submit]")
    page.wait_for_function("() => document.querySelector('.transport .faint')?.textContent.includes('480 @ 60')")
