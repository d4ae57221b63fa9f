"""A slider drag, from pointer to redrawn curve and points (goals: within 2 times redrawing them, on the server 2.5
times evaluating what it reaches): the station as it is pinned, the demo, then 500 driven channels."""

from __future__ import annotations

import tempfile
import time
from collections.abc import Iterator
from pathlib import Path

import httpx2
import numpy as np
from playwright.sync_api import sync_playwright

from benchmarks.deliveries import pinned
from benchmarks.evaluation import crowd
from benchmarks.seen import dragged
from benchmarks.timing import goal
from lazzik.core.clock import Clock
from lazzik.core.evaluate.memo import Memo
from lazzik.core.evaluate.scope import Scope
from lazzik.core.evaluate.shapes import reshaped
from lazzik.core.evaluate.strata import strata
from lazzik.core.evaluate.surface import surface_of
from lazzik.core.evaluate.transforms import transforms
from lazzik.core.scene.address import find_at
from lazzik.core.scene.edits.base import applied
from lazzik.core.scene.edits.every import read_edits
from lazzik.core.scene.references import affected
from lazzik.core.scene.scene import Scene
from lazzik.core.scene.serialize import scene_text
from lazzik.demo.station import station
from lazzik.web.edits.routes import Edits, previewed
from lazzik.web.stage.motion import motions_of
from lazzik.web.stage.points import bends
from lazzik.web.ui.encode import packed
from tests.browser.chromium import launched
from tests.serving import Server

ADDRESS = "beacon-mast/rotation.z"


def rows() -> Iterator[str]:
    """The server's part, then the whole way in the browser."""
    many = ("500 driven channels", crowd(500), "n7/rotation.z", "l2")
    stations = [(name, scene, ADDRESS, "gust") for name, scene in (
        ("the pinned station", pinned()), ("the demo", station()), ("the demo without its grass", _bare()),
    )]  # fmt: skip
    for name, scene, address, layer in (*stations, many):
        yield f"{name}: {_server(scene, address, layer)}"
        with tempfile.TemporaryDirectory() as folder:
            server = Server(Path(folder))
            try:
                yield f"{name}: {_browser(server, scene, address, layer)}"
            finally:
                server.kill()


def _bare() -> Scene:
    """The demo without 10,000 tufts."""
    scene = station()
    return applied(scene, read_edits([{"do": "remove-object", "node": "grass", "also": ["tuft"]}], scene))


def _server(scene: Scene, address: str, layer: str) -> str:
    memo = Memo()
    dict(motions_of(scene, list(scene.nodes), scene.clock(), Scope(scene, memo)))

    times, bare = [], []
    for n in range(60):
        edit = {"do": "set", "address": f"{address}#{layer}.amplitude", "value": n / 5}
        body = Edits(revision=0, edits=[edit], at=address, frame=scene.first)
        began = time.perf_counter()
        packed(previewed(scene, body, memo))
        times.append(time.perf_counter() - began)
        after = applied(scene, read_edits([edit]))
        reached = affected(scene, after)
        shaped = [node for node in reshaped(scene, after, reached) if node.visible and bends(after, node)]
        now = Clock.over(after.fps, after.first, after.first, start=after.first)
        began = time.perf_counter()
        scope = Scope(after, Memo(behind=memo), [])
        strata(find_at(after, address).number, after.clock(4), scope.at(address.split("/")[0]))
        for node in reached:
            transforms(node, after.clock(), scope)
        for node in shaped:
            surface_of(after, node, now, scope).points(0)
        bare.append(time.perf_counter() - began)
    ratio, slow = float(np.median(times) / np.median(bare)), float(np.percentile(times, 95) * 1e3)
    return (
        f"server: median {np.median(times) * 1e3:.1f} ms, the 95th of 100 {goal(slow, 8, 'ms')}; "
        f"the bare evaluation of what it reaches {np.median(bare) * 1e3:.1f} ms: {goal(ratio, 2.5)}"
    )


def _browser(server: Server, scene: Scene, address: str, layer: str) -> str:
    sent = httpx2.post(f"{server.url}/scenes/open", files={"file": ("scene.json", scene_text(scene))}, timeout=60)
    where = sent.headers["location"]
    with sync_playwright() as playwright:
        browser = launched(playwright)
        page = browser.new_page(viewport={"width": 1280, "height": 800}, base_url=server.url)
        page.goto(f"{where}?at={address}%23{layer}")
        page.wait_for_selector("body[data-ready]")
        times, redraw = dragged(page, '.strip .knob[data-address$=".amplitude"]', 120, 25)
        browser.close()
    return (
        f"browser: {len(times)} previews, median {np.median(times):.0f} ms, the 95th of 100 "
        f"{goal(float(np.percentile(times, 95)), 33, 'ms')}; redrawing alone {redraw:.0f} ms: "
        f"{goal(float(np.median(times) / redraw), 2)}"
    )
