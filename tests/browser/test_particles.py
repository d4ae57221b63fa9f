"""Particles as a person makes them: added, worked out beside the work, seen, changed."""

from __future__ import annotations

import pytest
from playwright.sync_api import expect

from tests.browser.conftest import Studio
from tests.browser.test_air import go
from tests.browser.test_walks import Walk

pytestmark = pytest.mark.browser

ALL = "() => { const run = window.lazzik.particles.runs.get('particles'); return run && run.there.size === run.count; }"
DRAWN = "() => window.lazzik.particles.runs.get('particles').drawn.geometry.attributes.position?.count ?? 0"


def test_particles_are_added_come_by_themselves_and_play_without_being_worked_out_anew(small: Studio) -> None:
    page, walk = small.page, Walk(small)
    page.click("#row-post > a")
    walk.key("a")
    walk.press("[data-act=emit]:has-text('from the surface of Post')", lands=True)
    expect(page.locator("#strata .trail")).to_contain_text("particles from Post")
    page.wait_for_function(ALL)
    go(page, 60)
    page.wait_for_function(f"() => ({DRAWN})() > 100")
    expect(page.locator("#run-said")).to_contain_text("live")
    # stretches that were seen are asked for no more
    go(page, 61)
    page.wait_for_function("() => window.lazzik.particles.runs.get('particles').kept.size >= 2")
    asked: list[str] = []
    page.on("request", lambda request: asked.append(request.url))
    before = page.evaluate(DRAWN)
    go(page, 40)
    go(page, 61)
    assert page.evaluate(DRAWN) == before
    assert [url for url in asked if "run" in url.rsplit("/", 1)[1].split("?")[0]] == []
    # more of them: another run comes; undone, the first one is there at once
    page.fill('.knob[data-address="particles/emitter.rate"] input.num', "300")
    page.press('.knob[data-address="particles/emitter.rate"] input.num', "Enter")
    small.lands(2)
    page.wait_for_function(f"was => ({DRAWN})() > 1.5 * was", arg=before)
    page.wait_for_function(ALL)
    page.keyboard.press("Escape")
    page.keyboard.press("Control+z")
    small.lands(1)
    page.wait_for_function(f"was => ({DRAWN})() === was", arg=before)
    expect(page.locator("#jobs .job")).to_have_count(0)
