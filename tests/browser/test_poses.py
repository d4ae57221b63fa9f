"""Poses and clips in the browser: saved, mixed, kept, played and blended."""

from __future__ import annotations

import numpy as np
import pytest
from playwright.sync_api import expect

from tests.browser.conftest import Studio


def test_a_pose_is_saved_and_placed_and_a_clip_kept_and_blended(layered: Studio) -> None:
    page = layered.page
    page.evaluate("() => window.lazzik.transport.go(20)")
    for step, label in ((2, "Straight"), (5, "Bowed")):
        page.keyboard.press("b")
        page.fill(".shelf-new[data-form=edit] [name=label]", label)
        page.select_option(".shelf-new[data-form=edit] [name=addresses]", index=0)
        page.click("text=Save the pose at 20")
        layered.lands(step)
        if label == "Straight":
            page.fill(".base-value input", "12")
            page.locator(".base-value input").press("Enter")
            layered.lands(3)
            page.locator("#saved").click()
            page.keyboard.press("k")
            layered.lands(4)
    page.evaluate("() => window.lazzik.transport.go(100)")
    page.keyboard.press("b")
    row = page.locator(".shelf-row:has(strong:text-is('Straight'))")
    row.locator("[name=mix]").fill("1/4")
    row.locator("[name=other]").select_option(label="Bowed")
    row.locator("text=Place at 100").click()
    layered.lands(6)
    keys = "() => JSON.parse(document.getElementById('facts').textContent).tracks[0].keys.map(k => [k.frame, k.value])"
    assert page.evaluate(keys) == [[20, 12], [100, 9]]

    page.keyboard.press("b")
    keep = page.locator(".shelf-new[data-form=send]")
    keep.locator("[name=label]").fill("Gusty")
    keep.locator("[name=addresses]").select_option(index=0)
    keep.locator("[name=last]").fill("nowhere")
    keep.locator("text=Keep the clip").click()
    expect(keep.locator(".field-error")).to_contain_text("'nowhere' is not a number")
    keep.locator("[name=last]").fill("40")
    keep.locator("text=Keep the clip").click()
    layered.lands(7)
    before = layered.result()
    page.evaluate("() => window.lazzik.transport.go(60)")
    page.keyboard.press("b")
    clip = page.locator(".shelf-row:has-text('Gusty')")
    assert float(clip.locator("[name=seam]").input_value()) > 0
    clip.locator("[name=blend]").fill("30")
    clip.locator("[name=dial]").check()
    clip.locator("text=Play from 60").click()
    layered.lands(8)
    expect(page.locator("#lane-gusty")).to_be_visible()
    expect(page.locator(".dials")).to_contain_text("Gusty blend")
    after = np.array(layered.result())
    assert after[: 60 * 4] == pytest.approx(before[: 60 * 4], abs=1e-5)
    assert np.abs(np.diff(after)).max() < 3 * np.abs(np.diff(before)).max()
    assert after[95 * 4] != pytest.approx(before[95 * 4], abs=1e-3)
    page.keyboard.press("b")
    page.locator(".shelf-row:has-text('Gusty') >> [aria-label='Remove Gusty']").click()
    expect(page.locator("#toasts")).to_contain_text("is played on post/rotation.z")


def test_clips_are_blocks_over_the_ruler_that_pass_into_each_other(layered: Studio) -> None:
    page = layered.page
    page.keyboard.press("b")
    keep = page.locator(".shelf-new[data-form=send]")
    keep.locator("[name=label]").fill("Gusty")
    keep.locator("[name=addresses]").select_option(index=0)
    keep.locator("[name=last]").fill("40")
    keep.locator("text=Keep the clip").click()
    layered.lands(2)
    for step, frame in ((3, 60), (4, 80)):
        page.evaluate("(frame) => window.lazzik.transport.go(frame)", frame)
        page.keyboard.press("b")
        clip = page.locator(".shelf-row:has-text('Gusty')")
        clip.locator("[name=block]").check()
        clip.locator(f"text=Play from {frame}").click()
        layered.lands(step)
    expect(page.locator("#sheaves")).to_contain_text("Gusty 2")
    expect(page.locator(".dials")).to_contain_text("Gusty speed 2")
    windows = "() => JSON.parse(document.getElementById('facts').textContent).sheaves.map((sheaf) => sheaf.window)"
    first, second = page.evaluate(windows)
    assert (first["start"], first["end"], second["start"], second["end"]) == (60, 100, 80, 120)
    assert (first["fade_in"], second["fade_in"]) == (0, 20)
    page.keyboard.press("Control+z")
    layered.lands(3)
    expect(page.locator("#sheaves")).not_to_contain_text("Gusty 2")
