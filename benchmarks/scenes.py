"""The list of scenes with 500 of them, and the page of an empty room beside it (goal: within 100 ms)."""

from __future__ import annotations

import tempfile
from collections.abc import Iterator
from pathlib import Path

from starlette.testclient import TestClient

from benchmarks.timing import best
from lazzik.core.geometry.primitives import Box
from lazzik.core.scene.node import Node
from lazzik.core.scene.scene import Scene
from lazzik.web.app import create_app

COUNT = 500


def rows() -> Iterator[str]:
    """The measured row."""
    with tempfile.TemporaryDirectory() as folder:
        app = create_app(Path(folder))
        box = Node(id="box", label="Box", shape=Box(kind="box"))
        for n in range(COUNT):
            app.state.store.create(Scene(name=f"Scene {n}", nodes=(box,)), "new")
        with TestClient(app, base_url="http://127.0.0.1:8460") as client:
            spent = best(lambda: client.get("/scenes"), runs=10)
            empty = best(lambda: client.get("/static/mark.svg"), runs=20)
    holds = "holds" if spent <= 0.1 else "does not hold"
    yield f"{COUNT} scenes: {1e3 * spent:.0f} ms, {spent / empty:.0f} empty requests (goal 100 ms: {holds})"
