"""The bake page in the browser: choosing, sorting, looking closely, and baking again with edits made by hand."""

from __future__ import annotations

import re

import pytest
from playwright.sync_api import Page, expect

from tests.browser.conftest import Studio

MAST = "beacon-mast/rotation.z"


def titles(page: Page) -> list[str]:
    return page.locator("#review .what").all_inner_texts()


@pytest.mark.slow
def test_channels_are_chosen_by_kind_sorted_and_looked_at_closely(page: Page, demo_url: str) -> None:
    page.goto(f"{demo_url}/bake?at={MAST}&also=beacon/look.glow")
    expect(page.locator("#review .compared")).to_have_count(2)
    page.click("text=All that move")
    expect(page.locator("#review strong")).to_contain_text("keys")
    expect(page.locator("#review .compared")).to_have_count(43)
    page.click("button[data-unit='m']")
    page.wait_for_function("() => document.querySelectorAll('#review .compared').length < 20")
    assert {"Float / position y"} <= set(titles(page))
    assert MAST not in titles(page)
    page.click("text=The choice (2)")
    expect(page.locator("#review .compared")).to_have_count(2)
    assert titles(page)[0] == "Beacon mast / rotation z"
    page.select_option("#order", "keys")
    expect(page.locator("#review .what").first).to_have_text("Warning beacon / look glow")
    page.select_option("#order", "share")
    shares = page.eval_on_selector_all("#review .compared", "rows => rows.map((row) => Number(row.dataset.share))")
    assert shares == sorted(shares, reverse=True)
    assert 0 < shares[0] <= 1
    before = page.inner_text("#review strong")
    page.check("[name=extremes]")
    page.wait_for_function("was => document.querySelector('#review strong').textContent !== was", arg=before)
    curve = page.locator("#review .compared svg").first
    whole = curve.get_attribute("viewBox")
    expect(page.locator("#review .compared svg")).to_have_count(2)  # nothing below the pointer moves any more
    curve.hover()
    page.keyboard.down("Control")
    page.mouse.wheel(0, -600)
    # a turn of the wheel and a press reach the page some time after they are made
    page.wait_for_function(
        """whole => Number(document.querySelector('#review .compared svg').getAttribute('viewBox').split(' ')[2])
            < 0.6 * Number(whole.split(' ')[2])""",
        arg=whole,
    )
    page.keyboard.up("Control")
    curve.dblclick()
    page.wait_for_function(
        """whole => document.querySelector('#review .compared svg').getAttribute('viewBox')
            .split(' ').map(Number).join() === whole.split(' ').map(Number).join()""",
        arg=whole,
    )
    group = page.locator(".choice.group:has-text('Warning beacon') input")
    group.uncheck()
    expect(page.locator("#review .compared")).to_have_count(1)


@pytest.mark.slow
def test_a_stale_bake_is_made_again_and_keeps_what_was_done_by_hand(page: Page, demo_url: str) -> None:
    page.goto(f"{demo_url}/bake?at={MAST}")
    page.click("text=Place the keys")
    expect(page.locator(".receipt")).to_have_count(1)
    expect(page.locator(".stale")).to_have_count(0)
    page.click(".steps a:has-text('Stage')")
    studio = Studio(page).ready()
    page.click("text=Beacon mast")
    page.wait_for_selector("#lane-gust")
    page.evaluate("() => window.lazzik.transport.go(125)")
    page.keyboard.press("k")
    studio.lands(2)
    page.fill("#key-value", "15")
    page.locator("#key-value").press("Enter")
    studio.lands(3)
    page.click("#lane-gust a.lane-name")
    page.wait_for_selector("#lane-gust.chosen")
    field = studio.knob("seed").locator("input.num")
    field.fill("77")
    field.press("Enter")
    studio.lands(4)
    page.click(".steps a:has-text('Bake')")
    expect(page.locator(".stale")).to_contain_text("1 channel, up to")
    page.click("text=Bake again")
    expect(page.locator(".again")).to_contain_text("1 channel needs a decision")
    expect(page.locator(".decide.asked")).to_contain_text("another shape now (frames")
    page.click("text=Place the new keys")
    expect(page.locator(".stale")).to_have_count(0)
    page.click(".steps a:has-text('Stage')")
    Studio(page).ready()
    page.click("text=Beacon mast")
    page.wait_for_selector("#lane-gust")
    carried = studio.result()
    page.click(".steps a:has-text('Bake')")
    page.click("text=Bake again")
    page.select_option(".decide select", "fresh")
    page.click("text=Place the new keys")
    expect(page.locator("#saved")).to_have_text("Saved · step 6")
    page.click(".steps a:has-text('Stage')")
    Studio(page).ready()
    page.click("text=Beacon mast")
    page.wait_for_selector("#lane-gust")
    fresh = studio.result()
    off = [abs(a - b) for a, b in zip(carried, fresh, strict=True)]
    assert max(off) == pytest.approx(off[125 * 4], abs=0.2)
    assert off[125 * 4] > 3
    assert off[20 * 4] < 1e-6


@pytest.mark.slow
def test_a_large_bake_shows_how_far_it_is_is_stopped_and_asked_for_again(page: Page, demo_url: str) -> None:
    page.goto(f"{demo_url}/bake")
    expect(page.locator("#review .compared")).to_have_count(43)
    page.fill("#bake-form [name=last]", "20000")
    expect(page.locator("#jobs .job")).to_contain_text("Baking 43 channels")
    page.click("#jobs button:has-text('Stop')")
    expect(page.locator("#review")).to_contain_text("Stopped; nothing was kept.")
    expect(page.locator("#jobs .job")).to_have_count(0)
    page.click("text=Work it out")
    expect(page.locator("#jobs .job")).to_contain_text(" / ")
    page.fill("#bake-form [name=last]", "250")
    expect(page.locator("#review .compared")).to_have_count(43)
    expect(page.locator("#jobs .job")).to_have_count(0)
    page.fill("[name=tolerance-degrees]", "0")
    expect(page.locator("#review")).to_have_text(re.compile("must lie above zero; 0 ° was given. Nothing was changed"))
    page.fill("[name=tolerance-degrees]", "0.3")
    place = page.locator("text=Place the keys")
    expect(place).to_be_enabled()
    page.evaluate("() => document.querySelector('[name=extremes]').click()")
    assert place.is_disabled()  # what is shown is no longer what the form says
    expect(place).to_be_enabled()
