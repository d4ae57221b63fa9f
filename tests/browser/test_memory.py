"""What the graphics card holds: it is let go again, however long one works."""

from __future__ import annotations

from typing import Any

import pytest
from playwright.sync_api import Page

from tests.browser.conftest import Studio
from tests.serving import stored

pytestmark = pytest.mark.browser

HELD = "() => ({ ...window.lazzik.stage.renderer.info.memory })"

# drawn and read in one go: what a run brings between the two would be let go of, and not be drawn again yet
SETTLED = """async () => {
  const { stage, surfaces } = window.lazzik;
  while (surfaces.running) await new Promise(requestAnimationFrame);
  stage.draw();
  return { ...stage.renderer.info.memory };
}"""

DRAGS = """async ([address, count]) => {
  const { previews } = window.lazzik;
  previews.begin();
  for (let i = 0; i < count; i++) {
    previews.push([{ do: "set", address, value: 2 + (i % 7) }]);
    while (previews.running) await new Promise(requestAnimationFrame);
  }
  previews.end();
}"""

CHANGES = """async ([places, count]) => {
  for (let i = 0; i < count; i++) await window.lazzik.choose(places[i % places.length]);
}"""

FILMS = """async (count) => {
  const { Stage, film } = window.lazzik;
  const left = [];
  const { dispose } = Stage.prototype;
  Stage.prototype.dispose = function () {
    dispose.call(this);
    left.push({ ...this.renderer.info.memory });
  };
  const form = document.getElementById("film-form");
  const small = { form: "png", first: "0", last: "0", width: "64", height: "48" };
  const fields = { ...Object.fromEntries(new FormData(form)), ...small };
  for (let i = 0; i < count; i++) await film(form, fields, location.pathname.replace("/deliver", ""));
  return left;
}"""


def held(page: Page) -> dict[str, Any]:
    memory: dict[str, Any] = page.evaluate(SETTLED)
    return memory


@pytest.mark.parametrize(("drags", "changes", "last"), [(6, 4, 20), pytest.param(200, 50, 250, marks=pytest.mark.slow)])
def test_drags_and_changes_leave_nothing_behind(page: Page, demo_url: str, drags: int, changes: int, last: int) -> None:
    # fewer frames of surfaces to wait for, and no particles and no cloth, which come when their run does
    hidden = [{"do": "change-object", "node": node, "visible": False} for node in ("snow", "canvas")]
    edits = [{"do": "change-scene", "last": last}, *hidden]
    shorter = {"revision": 0, "edits": edits}
    stored(f"{demo_url}/edits", shorter)
    page.goto(f"{demo_url}?at=cloth/shape")
    Studio(page).ready()
    begin = held(page)
    assert begin["geometries"] > 50
    page.evaluate(DRAGS, ["beacon-mast/rotation.z#gust.amplitude", drags])
    assert held(page) == begin
    # with where a deformer acts shaded on the way, which is taken off where none is open
    page.keyboard.press("z")
    page.wait_for_function("() => window.lazzik.stage.shaded?.length")
    page.evaluate(CHANGES, [["sign/rotation.z", "cloth/shape", "beacon-mast/rotation.z", "sock/shape"], changes])
    page.keyboard.press("z")
    page.wait_for_function("() => !window.lazzik.stage.shaded.length")
    page.evaluate("() => window.lazzik.choose('cloth/shape')")
    assert held(page) == begin


@pytest.mark.slow
def test_geometry_that_is_fetched_anew_takes_the_place_of_what_was_there(page: Page, demo_url: str) -> None:
    page.goto(demo_url)
    studio = Studio(page).ready()
    begin = held(page)
    for step in range(1, 5):
        page.keyboard.press("h")
        studio.lands(step)
    # the object is there again: as many as at first, whatever was on the stage meanwhile
    page.wait_for_function(f"() => ({HELD})().geometries === {begin['geometries']}")


@pytest.mark.parametrize("films", [2, pytest.param(20, marks=pytest.mark.slow)])
def test_films_leave_nothing_behind(page: Page, small: Studio, films: int) -> None:
    page.goto(f"{page.url.split('?')[0]}/deliver")
    page.wait_for_selector("#film-form [type=submit]:not([disabled])")
    left = page.evaluate(FILMS, films)
    assert len(left) == films
    assert all(memory["geometries"] == 0 for memory in left)
