"""The studio from the address to its first picture (goal: 1.5 times the transfer of its bytes and three.js' own first
frame), and with 2,000 moving objects (goals: twice three.js' first frame of as many boxes; 0.15 s to choose one)."""

from __future__ import annotations

import tempfile
import time
from collections.abc import Iterator
from pathlib import Path

import httpx2
from playwright.sync_api import Browser, Page, sync_playwright

from benchmarks.evaluation import crowd
from benchmarks.timing import goal
from lazzik.core.geometry.primitives import Box
from lazzik.core.scene.node import Position
from lazzik.core.scene.scene import Scene
from lazzik.core.scene.serialize import scene_text
from lazzik.demo.starts import BY_KEY
from tests.browser.chromium import launched
from tests.serving import Server

RUNS = 5
CHOICES = 5
BETWEEN = 500
"""Milliseconds from one choice to the next."""

CALM = 2000
"""Milliseconds after which the studio has taken the picture that choices are drawn over."""

TRANSFER = """async (urls) => {
  const began = performance.now();
  await Promise.all(urls.map(async (url) => (await fetch(url, { cache: "no-store" })).arrayBuffer()));
  return performance.now() - began;
}"""

FIRST_FRAME = """async (count) => {
  const began = performance.now();
  const THREE = await import("three");
  const canvas = Object.assign(document.createElement("canvas"), { width: 1000, height: 360 });
  const renderer = new THREE.WebGLRenderer({ canvas, antialias: true });
  renderer.setSize(1000, 360, false);
  const scene = new THREE.Scene(), camera = new THREE.PerspectiveCamera(40, 2.8, 0.1, 500);
  camera.position.z = 60;
  scene.add(new THREE.HemisphereLight());
  for (let n = 0; n < count; n++) {
    const box = new THREE.Mesh(new THREE.BoxGeometry(), new THREE.MeshLambertMaterial());
    box.position.set(n % 50, Math.floor(n / 50) % 40, 0);
    scene.add(box);
  }
  renderer.render(scene, camera);
  const gl = renderer.getContext();
  gl.readPixels(0, 0, 1, 1, gl.RGBA, gl.UNSIGNED_BYTE, new Uint8Array(4)); // waits until it is drawn
  return performance.now() - began;
}"""

PICTURED = """(() => {
  const look = () => {
    const { stage } = window.lazzik ?? {};
    if (!stage?.frames || stage.waiting || !document.body.dataset.seen) return requestAnimationFrame(look);
    const gl = stage.renderer.getContext();
    gl.readPixels(0, 0, 1, 1, gl.RGBA, gl.UNSIGNED_BYTE, new Uint8Array(4)); // waits until it is drawn
    console.info(`pictured after ${performance.now()} ms`);
  };
  look();
})()"""
"""Runs in each page before its own scripts: tells when its stage shows the scene, milliseconds since it was asked for.
Whoever asks a page from outside first sends it a library of a third of a megabyte, whose reading takes 30 ms."""

CHOOSE = """async (at) => {
  const began = performance.now();
  await window.lazzik.choose(at);
  await new Promise((done) => requestAnimationFrame(() => setTimeout(done)));
  return performance.now() - began;
}"""


def rows() -> Iterator[str]:
    """The measured rows."""
    with tempfile.TemporaryDirectory() as folder:
        server = Server(Path(folder))
        try:
            with sync_playwright() as playwright:
                browser = launched(playwright)
                yield _first_picture(browser, server)
                for count in (200, 2000, 10_000):
                    yield _many(browser, server, count)
                browser.close()
        finally:
            server.kill()


def _pictured(page: Page, where: str) -> float:
    """Milliseconds from asking for the studio until its stage shows the scene, as the page itself finds."""
    with page.expect_console_message(lambda message: message.text.startswith("pictured"), timeout=180_000) as told:
        page.goto(where, wait_until="commit")
    return float(told.value.text.split()[2])


def _opened(server: Server, scene: Scene) -> str:
    sent = httpx2.post(f"{server.url}/scenes/open", files={"file": ("scene.json", scene_text(scene))}, timeout=120)
    return f"{server.url}{sent.headers['location'].split('?')[0]}"


def _first_picture(browser: Browser, server: Server) -> str:
    where = _opened(server, BY_KEY["mast"].build("Mast"))
    seen, bare = [], []
    for _ in range(RUNS):
        context = browser.new_context(viewport={"width": 1280, "height": 800})
        page = context.new_page()
        page.add_init_script(PICTURED)
        began = time.perf_counter()
        _pictured(page, where)
        seen.append(1e3 * (time.perf_counter() - began))
        urls = page.evaluate("() => performance.getEntriesByType('resource').map((entry) => entry.name)")
        context.close()
        context = browser.new_context(viewport={"width": 1280, "height": 800})
        page = context.new_page()
        began = time.perf_counter()
        page.goto(f"{server.url}/login")
        page.evaluate(TRANSFER, [where, *urls])
        page.evaluate(FIRST_FRAME, 20)
        bare.append(1e3 * (time.perf_counter() - began))
        context.close()
    return (
        f"first picture of the studio {min(seen):.0f} ms, its bytes and three.js' first frame {min(bare):.0f} ms: "
        f"{goal(min(seen) / min(bare), 1.5)}"
    )


def _many(browser: Browser, server: Server, count: int) -> str:
    bare = crowd(count)
    box = Box(kind="box", width=0.8, height=0.8, depth=0.8)
    boxes = tuple(
        node.replaced(shape=box, position=Position(x=2.0 * (n % 50), z=-2.0 * (n // 50)))
        for n, node in enumerate(bare.nodes)
    )
    where = _opened(server, bare.replaced(nodes=boxes))
    context = browser.new_context(viewport={"width": 1280, "height": 800})
    page = context.new_page()
    page.add_init_script(PICTURED)
    _pictured(page, where)
    opened, frames = [], []
    for _ in range(RUNS):  # each in a page that has run nothing yet, as a first frame is
        page.goto(f"{server.url}/login")
        frames.append(float(page.evaluate(FIRST_FRAME, count)))
        page.goto(f"{server.url}/login")
        opened.append(_pictured(page, where))
    at_once = _chosen(page, count // 2)
    page.wait_for_selector("body[data-ready]", timeout=180_000)
    page.wait_for_timeout(CALM)
    chosen = _chosen(page, count // 2 + CHOICES)
    spent, frame = min(opened), min(frames)
    context.close()
    return (
        f"{count:,} moving objects: open {spent:.0f} ms, three.js' first frame of as many boxes {frame:.0f} ms: "
        f"{goal(spent / frame, 2)}; choose one {goal(chosen / 1e3, 0.15, 's')}, "
        f"{at_once / 1e3:.2f} s while its motion still comes"
    )


def _chosen(page: Page, first: int) -> float:
    """Milliseconds of the fastest of a few choices, each made once the one before has come to rest."""
    times = []
    for n in range(CHOICES):
        times.append(float(page.evaluate(CHOOSE, f"n{first + n}/rotation.z")))
        page.wait_for_timeout(BETWEEN)
    return min(times)
