"""The strata of sixty lanes, scrolled and zoomed in a browser that draws in software (goal: 30 redraws a second)."""

from __future__ import annotations

import json
import tempfile
import urllib.request
from collections.abc import Iterator
from pathlib import Path

from playwright.sync_api import sync_playwright

from benchmarks.timing import at_least
from tests.browser.chromium import launched
from tests.serving import Server

LANES = 60
REDRAWS = 90

SCROLL = """async (count) => {
  const box = document.querySelector(".lanes-scroll"), began = performance.now();
  for (let n = 0; n < count; n++) {
    box.scrollTop = Math.abs(((n * 40) % (2 * box.scrollHeight)) - box.scrollHeight);
    await new Promise((done) => requestAnimationFrame(done));
  }
  return (1000 * count) / (performance.now() - began);
}"""

ZOOM = """async (count) => {
  const lane = document.querySelector("#lanes svg.curve"), box = lane.getBoundingClientRect();
  const began = performance.now();
  for (let n = 0; n < count; n++) {
    const deltaY = n % 60 < 30 ? -40 : 40, at = { clientX: box.left + box.width * 0.4, clientY: box.top + 20 };
    lane.dispatchEvent(new WheelEvent("wheel", { deltaY, ctrlKey: true, bubbles: true, cancelable: true, ...at }));
    await new Promise((done) => requestAnimationFrame(done));
  }
  return (1000 * count) / (performance.now() - began);
}"""


def rows() -> Iterator[str]:
    """The measured rows."""
    with tempfile.TemporaryDirectory() as folder:
        server = Server(Path(folder))
        try:
            with urllib.request.urlopen(f"{server.url}/scenes", b"name=Lanes") as opened:
                where = opened.url.split("?")[0]
            edits = [{"do": "add-layer", "address": "post/rotation.z", "kind": "noise"}] * LANES
            body = json.dumps({"revision": 0, "edits": edits}).encode()
            urllib.request.urlopen(
                urllib.request.Request(f"{where}/edits", body, {"content-type": "application/json"})
            ).read()
            with sync_playwright() as playwright:
                browser = launched(playwright)
                page = browser.new_page(viewport={"width": 1280, "height": 800})
                page.goto(f"{where}?at=post/rotation.z")
                page.wait_for_selector("body[data-ready]")
                for what, script in (("scrolled", SCROLL), ("zoomed", ZOOM)):
                    rate = max(float(page.evaluate(script, REDRAWS)) for _ in range(2))
                    yield f"{LANES} lanes {what}: {at_least(rate, 30, 'redraws a second')}"
                browser.close()
        finally:
            server.kill()
