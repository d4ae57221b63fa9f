"""A thousand versions of the demo scene (goals: under 1 MB a hundred on disk, listed within 100 ms), and two of them
playing in step (goal: as smooth as one)."""

from __future__ import annotations

import json
import random
import tempfile
import urllib.request
from collections.abc import Iterator
from itertools import pairwise
from pathlib import Path
from typing import Any

from playwright.sync_api import Page, sync_playwright
from starlette.testclient import TestClient

from benchmarks.timing import best
from lazzik.core.compare.motion import farthest_apart
from lazzik.core.evaluate.memo import Memo
from lazzik.core.evaluate.scope import Scope
from lazzik.core.evaluate.values import evaluate
from lazzik.core.scene.edits.base import applied
from lazzik.core.scene.edits.every import read_edits
from lazzik.demo.station import station
from lazzik.store.database import FILE
from lazzik.store.scenes import StagePicture
from lazzik.web.app import create_app
from tests.browser.chromium import launched
from tests.serving import Server

COUNT = 1000
PICTURE = 4200
"""Bytes of a version's picture, as browsers send it of the demo scene."""

GUST = "beacon-mast/rotation.z#gust.amplitude"
SECONDS = 5

PLAYED = """async (seconds) => {
  const { stage, transport, comparison, surfaces } = window.lazzik;
  const all = comparison ? comparison.surfaces : [surfaces];
  while (all.some((each) => each.running)) await new Promise(requestAnimationFrame);
  transport.go(0);
  transport.play();
  const began = stage.frames;
  await new Promise((done) => setTimeout(done, 1000 * seconds));
  transport.pause();
  return (stage.frames - began) / seconds;
}"""


def rows() -> Iterator[str]:
    """The size, the list, what comparing works out, and the frames of playback."""
    yield from _kept()
    yield _evaluated()
    yield from _played()


def _kept() -> Iterator[str]:
    with tempfile.TemporaryDirectory() as folder:
        app = create_app(Path(folder))
        scenes, versions = app.state.store, app.state.versions
        scene = scenes.create(station(), "new").id
        noise = random.Random(1)
        sizes = [_size(app, folder)]
        for n in range(COUNT):
            edit = {"do": "set", "address": GUST, "value": (n * 7) % 100 / 10}
            revision = scenes.edit(scene, n, read_edits([edit])).revision
            kept = versions.keep(scene, revision, f"Version {n}", "softer in the second half")
            picture = StagePicture(revision, "image/webp", noise.randbytes(PICTURE))
            versions.keep_picture(scene, kept.number, picture)
            if (n + 1) % 100 == 0:
                sizes.append(_size(app, folder))
        most = max(b - a for a, b in pairwise(sizes)) / 1e6
        yield f"{COUNT} versions: {most:.2f} MB a hundred at most; goal 1 MB, {_holds(most, 1)}"
        listed = best(lambda: versions.rows(scene)) * 1e3
        with TestClient(app, base_url="http://127.0.0.1:8460") as client:
            page = best(lambda: client.get(f"/scenes/{scene}/versions?a=0")) * 1e3
            empty = best(lambda: client.get("/static/mark.svg")) * 1e3
        beside = f"their page, two states compared, {page:.0f} ms: {page / empty:.0f} empty requests"
        yield f"all of them listed: {listed:.1f} ms; {beside}; goal 100 ms, {_holds(listed, 100)}"


def _size(app: Any, folder: str) -> int:
    with app.state.database.engine.connect() as connection:
        connection.exec_driver_sql("PRAGMA wal_checkpoint(TRUNCATE)")
    return (Path(folder) / FILE).stat().st_size


def _evaluated() -> str:
    before = station()
    after = applied(before, read_edits([{"do": "set", "address": GUST, "value": 9}]))
    memo, whole = Memo(), Memo()
    farthest_apart(Scope(before, memo, []), Scope(after, memo, []))
    evaluate(before, [f"{n.id}/{path}" for n in before.nodes for path, _ in n.moving], before.clock(), whole)
    return f"one number compared: {memo.computed} channels worked out, of {whole.computed} in the scene"


def _played() -> Iterator[str]:
    with tempfile.TemporaryDirectory() as folder, sync_playwright() as playwright:
        server = Server(Path(folder))
        try:
            browser = launched(playwright)
            page = browser.new_page(viewport={"width": 1280, "height": 800})
            with urllib.request.urlopen(f"{server.url}/scenes/demo", b"") as opened:
                url = opened.url
            body = {"revision": 0, "edits": [{"do": "set", "address": GUST, "value": 11}]}
            headers = {"Content-Type": "application/json"}
            urllib.request.urlopen(urllib.request.Request(f"{url}/edits", json.dumps(body).encode(), headers)).close()
            one = _frames(page, url, "")
            for look in ("wipe", "ghost", "sides"):
                two = _frames(page, f"{url}/versions", look)
                beside = f"{two:.1f} frames a second, {two / one:.2f} times those of one in the studio ({one:.1f})"
                yield f"two in step, {look}: {beside}; goal 1, {_holds(0.95, two / one)}"
            browser.close()
        finally:
            server.kill()


def _frames(page: Page, url: str, look: str) -> float:
    page.goto(url)
    page.wait_for_selector("body[data-ready]")
    if look:
        page.evaluate("look => window.lazzik.comparison.seeAs(look)", look)
    frames: float = page.evaluate(PLAYED, SECONDS)
    return frames


def _holds(value: float, most: float) -> str:
    return "holds" if value <= most else "does not hold"
