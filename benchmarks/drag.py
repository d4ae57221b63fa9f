"""A slider drag on the demo scene, from pointer to redrawn curve (goal p95: 50 ms, of it 15 ms on the server)."""

from __future__ import annotations

import shutil
import tempfile
import time
from collections.abc import Iterator
from pathlib import Path

import numpy as np
from playwright.sync_api import sync_playwright

from lazzik.core.evaluate.evaluator import strata
from lazzik.core.scene.address import Address, find
from lazzik.core.scene.edits import applied, read_edits
from lazzik.demo.station import station
from lazzik.web.api import Edits, preview
from tests.browser.conftest import FLAGS
from tests.serving import Server

ADDRESS = "beacon-mast/rotation.z"


def rows() -> Iterator[str]:
    """The server's part, then the whole way in the browser."""
    yield from _server()
    with tempfile.TemporaryDirectory() as folder:
        server = Server(Path(folder))
        try:
            yield from _browser(server)
        finally:
            server.kill()


def _server() -> Iterator[str]:
    scene = station()

    class One:
        """A store that holds the one scene."""

        def at(self, _scene: str, _revision: int) -> object:
            return scene

    times, bare = [], []
    for n in range(60):
        edit = {"do": "set", "address": f"{ADDRESS}#gust.amplitude", "value": n / 5}
        body = Edits(revision=0, edits=[edit], at=ADDRESS)
        began = time.perf_counter()
        preview("one", body, One())  # type: ignore[arg-type]
        times.append(time.perf_counter() - began)
        after = applied(scene, read_edits([edit]))
        clock = after.clock(4)
        began = time.perf_counter()
        strata(find(after, Address.parse(ADDRESS)).number, clock)
        bare.append(time.perf_counter() - began)
    ratio = np.median(times) / np.median(bare)
    yield (
        f"server: median {np.median(times) * 1e3:.1f} ms, p95 {np.percentile(times, 95) * 1e3:.1f} ms, "
        f"{ratio:.1f} times the bare evaluation of the lanes"
    )


def _browser(server: Server) -> Iterator[str]:
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=shutil.which("chromium"), args=FLAGS)
        page = browser.new_page(viewport={"width": 1280, "height": 800}, base_url=server.url)
        page.goto("/scenes")
        page.click(".card-link")
        page.wait_for_selector("body[data-ready]")
        page.goto(f"{page.url.split('?')[0]}?at={ADDRESS}%23gust")
        page.wait_for_selector("body[data-ready]")
        box = page.locator('.knob[data-address$=".amplitude"] input[type=range]').bounding_box()
        assert box
        y = box["y"] + 5
        page.mouse.move(box["x"] + 20, y)
        page.mouse.down()
        for n in range(120):
            page.mouse.move(box["x"] + 20 + 30 * abs(np.sin(n / 9)) + n / 60, y)
            page.wait_for_timeout(25)
        page.mouse.up()
        times = np.array(page.evaluate("() => window.lazzik.previews.times"))[5:]
        redraw = page.evaluate(
            """async () => { const began = performance.now();
            for (let i = 0; i < 30; i++) window.lazzik.strata.draw(); return (performance.now() - began) / 30; }"""
        )
        browser.close()
    yield (
        f"browser: {len(times)} previews, median {np.median(times):.0f} ms, p95 {np.percentile(times, 95):.0f} ms, "
        f"{np.median(times) / redraw:.1f} times the redrawing of the lanes alone"
    )
