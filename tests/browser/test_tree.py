"""The tree: a window on many objects, found by name."""

from __future__ import annotations

import json
import urllib.request

import pytest
from playwright.sync_api import Page, Route, expect

from lazzik.core.scene.serialize import scene_text
from lazzik.web.studio.tree import WINDOW
from tests.browser.conftest import Studio, until_asked
from tests.core.big import forest
from tests.serving import Server

pytestmark = pytest.mark.browser

COUNT = 1200


@pytest.fixture(scope="module")
def forested(server: Server) -> str:
    """A scene of many trees; a test that changes it works on a copy."""
    boundary = "wood"
    text = scene_text(forest(COUNT))
    body = (
        f'--{boundary}\r\nContent-Disposition: form-data; name="file"; filename="wood.json"\r\n'
        f"Content-Type: application/json\r\n\r\n{text}\r\n--{boundary}--\r\n"
    )
    headers = {"Content-Type": f"multipart/form-data; boundary={boundary}"}
    with urllib.request.urlopen(urllib.request.Request(f"{server.url}/scenes/open", body.encode(), headers)) as opened:
        return str(opened.url)


@pytest.fixture
def wood(page: Page, forested: str) -> Studio:
    """The studio on it."""
    page.goto(f"{forested}?at=tree-600/rotation.z")
    return Studio(page).ready()


def names(page: Page) -> list[str]:
    """Labels of the rows that are there."""
    return page.locator("#tree-rows a.object .name").all_inner_texts()


def test_only_rows_near_those_in_sight_are_there_and_scrolling_brings_the_next(wood: Studio) -> None:
    page = wood.page
    expect(page.locator("#tree .object.chosen")).to_be_in_viewport()
    assert len(names(page)) == WINDOW
    # as long as all rows together, the open one with its numbers on top
    height = page.evaluate("() => document.getElementById('tree-rows').scrollHeight")
    assert COUNT * 26 < height < COUNT * 26 + 900
    page.evaluate("() => { document.getElementById('tree-rows').scrollTop = 1e9; }")
    page.wait_for_selector(f"#row-tree-{COUNT - 1}")
    expect(page.locator(f"#row-tree-{COUNT - 1}")).to_be_in_viewport()
    assert len(names(page)) == WINDOW
    page.evaluate("() => { document.getElementById('tree-rows').scrollTop = 0; }")
    page.wait_for_selector("#row-wood")
    expect(page.locator("#row-wood")).to_be_in_viewport()


def test_a_choice_sends_what_changed_and_moves_nothing(wood: Studio) -> None:
    page = wood.page
    page.locator("#row-tree-604 > a").scroll_into_view_if_needed()
    before = page.evaluate("() => document.getElementById('tree-rows').dataset.first")
    with page.expect_response("**/panels?*") as answer:
        page.click("#row-tree-604 > a")
    expect(page.locator("#tree .object.chosen")).to_have_text("Tree 604")
    assert answer.value.text().count('<li id="row-') == 2
    assert page.locator("#tree .object.chosen").count() == 1
    assert len(names(page)) == WINDOW
    assert page.evaluate("() => document.getElementById('tree-rows').dataset.first") == before
    # one that is chosen elsewhere, far from here, brings its own window
    page.evaluate("() => window.lazzik.choose('tree-3/rotation.z')")
    expect(page.locator("#tree .object.chosen")).to_have_text("Tree 3")
    expect(page.locator("#tree .object.chosen")).to_be_in_viewport()


def test_an_object_is_found_by_its_name(wood: Studio) -> None:
    page = wood.page
    page.fill("#tree-find", "tree 77")
    expect(page.locator("#row-tree-77")).to_be_visible()
    page.wait_for_function("() => document.getElementById('tree-rows').dataset.total === '12'")
    assert names(page) == ["Wood", "Tree 77", *(f"Tree {n}" for n in range(770, 780))]
    page.press("#tree-find", "Enter")
    assert page.evaluate("() => document.activeElement.dataset.node") == "wood"
    page.click("#row-tree-775 > a")
    expect(page.locator("#tree .object.chosen")).to_have_text("Tree 775")
    assert len(names(page)) == 12
    page.fill("#tree-find", "nothing like it")
    expect(page.locator("#tree-rows")).to_contain_text("No object has “nothing like it” in its name.")
    page.press("#tree-find", "Escape")
    page.wait_for_function(f"() => document.getElementById('tree-rows').dataset.total === '{COUNT}'")
    assert page.input_value("#tree-find") == ""


def test_rows_that_come_late_do_not_cover_another_choice(wood: Studio) -> None:
    page = wood.page
    slow: list[Route] = []
    page.route("**/tree?*", lambda route: route.continue_() if slow else slow.append(route))
    page.evaluate("() => { document.getElementById('tree-rows').scrollTop = 0; }")
    until_asked(page, slow)
    page.evaluate("() => window.lazzik.choose('tree-900/rotation.z')")
    expect(page.locator("#tree .object.chosen")).to_have_text("Tree 900")
    with page.expect_response("**/tree?*"):
        slow[0].continue_()
    page.evaluate("() => fetch('/scenes').then((answer) => answer.text())")  # the late one is dealt with by now
    expect(page.locator("#tree .object.chosen")).to_have_text("Tree 900")
    assert json.loads(page.inner_text("#facts"))["at"] == "tree-900/rotation.z"
