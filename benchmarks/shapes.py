"""100,000 points through three deformers (goals: 1.1 times NumPy's sin + cos of them, 1.5 with their normals), and a
frame of 10,000 while a slider is dragged."""

from __future__ import annotations

import tempfile
import tracemalloc
from collections.abc import Iterator
from functools import partial
from pathlib import Path

import httpx2
import numpy as np
from playwright.sync_api import sync_playwright

from benchmarks.seen import dragged
from benchmarks.timing import goal, in_turn
from lazzik.core.channel.channel import Channel
from lazzik.core.clock import Clock
from lazzik.core.deformers.bend import Bend
from lazzik.core.deformers.twist import Twist
from lazzik.core.deformers.undulate import Undulate
from lazzik.core.evaluate.memo import Memo
from lazzik.core.evaluate.scope import Scope
from lazzik.core.evaluate.surface import surface_of
from lazzik.core.geometry.primitives import Sheet
from lazzik.core.layers.noise import Noise
from lazzik.core.scene.node import Node
from lazzik.core.scene.scene import Scene
from lazzik.core.scene.serialize import scene_text
from lazzik.web.stage.points import points_of
from tests.browser.chromium import launched
from tests.serving import Server

FRAMES = 250
"""Of a motion."""


def rows() -> Iterator[str]:
    """A frame against bare NumPy, a whole motion's memory, then a drag in the browser."""
    scene = banner(224)
    motion = surface_of(scene, scene.nodes[0], scene.clock(), Scope(scene, Memo(), []))
    points = motion.rest.points
    deformed = motion.points(40)
    spent, bare, normals = in_turn(
        partial(motion.points, 40), lambda: np.sin(points) + np.cos(points), partial(motion.normals, deformed), runs=15
    )
    yield (
        f"{len(points):,} points through 3 deformers: {1e3 * spent:.1f} ms a frame, sin + cos {1e3 * bare:.1f} ms: "
        f"{goal(spent / bare, 1.1)}; with normals {goal((spent + normals) / bare, 1.5)}"
    )
    sent = FRAMES * points.size * 5
    yield f"{FRAMES} frames of them: {sent / 2**20:.0f} MB sent, at most {peak(scene) / 2**20:.0f} MB held"
    yield _drag(banner(71))


def banner(across: int) -> Scene:
    """A sheet of so many points each way, on both sides, that three deformers move, one of them driven."""
    gust = Channel(value=40.0, layers=(Noise(kind="noise", id="gust", label="gust", amplitude=30),))
    deform = (
        Bend(kind="bend", id="bend", label="Bend", angle=gust, axis="y", start=-1, end=1),
        Twist(kind="twist", id="twist", label="Twist", angle=60, axis="y", start=-1, end=1),
        Undulate(kind="undulate", id="undulate", label="Undulate", height=0.1, axis="y", start=-1, end=1),
    )
    sheet = Sheet(kind="sheet", standing=True, width=2, height=2, columns=across - 1, rows=across - 1)
    node = Node(id="banner", label="Banner", shape=sheet, deform=deform)
    return Scene(name="Banner", last=FRAMES - 1, nodes=(node,))


def peak(scene: Scene) -> int:
    """Bytes held at most while a motion is asked for, answer by answer, as the stage does."""
    memo, first = Memo(), scene.first
    tracemalloc.start()
    while first <= scene.last:
        clock = Clock.over(scene.fps, scene.first, scene.last, start=first)
        first += points_of(scene, scene.nodes[0], clock, Scope(scene, memo, []), first)["frames"]
    held = tracemalloc.get_traced_memory()[1]
    tracemalloc.stop()
    return held


def _drag(scene: Scene) -> str:
    with tempfile.TemporaryDirectory() as folder, sync_playwright() as playwright:
        server = Server(Path(folder))
        browser = launched(playwright)
        try:
            sent = httpx2.post(
                f"{server.url}/scenes/open", files={"file": ("scene.json", scene_text(scene))}, timeout=60
            )
            page = browser.new_page(viewport={"width": 1280, "height": 800}, base_url=server.url)
            page.goto(f"{sent.headers['location']}?at=banner/shape%23twist")
            page.wait_for_selector("body[data-ready]")
            times, redraw = dragged(page, '#strip .knob[data-address$="twist.angle"]', 120, 40)
        finally:
            browser.close()
            server.kill()
    count = len(scene.nodes[0].shape.mesh().points) if scene.nodes[0].shape else 0
    return (
        f"{count:,} points, a slider of a deformer dragged: {len(times)} frames redrawn, "
        f"median {np.median(times):.0f} ms, p95 {np.percentile(times, 95):.0f} ms; redrawing alone {redraw:.0f} ms"
    )
