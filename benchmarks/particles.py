"""Particles: a run against the air's own kernels at as many points, as often."""

from __future__ import annotations

import re
import time
from collections.abc import Iterator
from functools import partial
from pathlib import Path
from tempfile import TemporaryDirectory

import httpx2
import numpy as np

from benchmarks.air import told
from benchmarks.timing import best
from lazzik.core.evaluate.airflow import field_rows
from lazzik.core.evaluate.scope import Scope
from lazzik.core.scene.edits.base import applied
from lazzik.core.scene.edits.every import read_edits
from lazzik.core.scene.scene import Scene
from lazzik.core.simulate.particles import SUBSTEPS, Particles
from lazzik.core.simulate.run import STRETCH, next_stretch
from lazzik.store.runs import Runs
from tests.serving import Server

PARTICLES, FRAMES, GOAL = 100_000, 10, 1.4


def rows() -> Iterator[str]:
    """A hundred thousand in a wind with eddies; two hundred and fifty frames take twenty-five times as long."""
    scene = storm()
    run = Particles(scene, "snow")
    *_, (begun, state) = run.frames(0, 2)
    spent = best(lambda: list(run.frames(3, 2 + FRAMES, state)), runs=3)
    clock, scope = scene.clock().at(np.arange(0.0, FRAMES, 1 / SUBSTEPS)), Scope(scene)
    fields = [(type(node.field).blow, field_rows(node, clock, scope)) for node in scene.fields if node.field]
    places = np.ascontiguousarray(begun.places[None])

    def air_alone() -> None:
        for moment in range(FRAMES * SUBSTEPS):
            out = np.zeros_like(places)
            for blow, packed in fields:
                blow(places, np.ascontiguousarray(packed[moment : moment + 1]), out)

    yardstick = best(partial(air_alone), runs=3)
    what = f"{PARTICLES:,} particles × {FRAMES} frames of {SUBSTEPS} sub-steps"
    yield told(what, spent, yardstick, "the air there", GOAL)
    yield from _played()
    yield from _beside()


def _played() -> Iterator[str]:
    """A stretch of frames read for playing, against working it out."""
    scene = storm()
    run = Particles(scene, "snow")
    first = next_stretch(run, 0, None)
    with TemporaryDirectory() as folder:
        runs = Runs(Path(folder))
        runs.put("a" * 64, 0, first)
        reads = best(lambda: runs.read("a" * 64, 0), runs=3)
    spent = best(lambda: next_stretch(run, 1, first.state), runs=1)
    yield told(f"{STRETCH} frames of {PARTICLES:,} particles read from the disk", reads, spent, "working them out", 0.3)


def _beside() -> Iterator[str]:
    """The server's part of a drag of another number, while a run is worked out beside it and while none is."""
    with TemporaryDirectory() as folder:
        server = Server(Path(folder))
        try:
            yield _beside_on(server)
        finally:
            server.kill()


def _beside_on(server: Server) -> str:
    with httpx2.Client(base_url=server.url, timeout=300) as client:
        found = re.search(r"/scenes/[0-9a-f]{12}", client.get("/scenes").text)
        assert found is not None
        scene = found[0]
        heavy = [
            {"do": "emit", "label": "Dust"}, {"do": "set", "address": "dust/emitter.rate", "value": 8000},
            {"do": "set", "address": "dust/emitter.life", "value": 8},
        ]  # fmt: skip
        client.post(f"{scene}/edits", json={"revision": 0, "edits": heavy})
        idle = _drags(client, scene, 80)
        job = client.post(f"{scene}/run", json={"revision": 1, "node": "dust"}).json()["id"]
        while len(client.get(f"{scene}/run", params={"node": "dust"}).json()["there"]) < 2:
            time.sleep(0.05)
        busy = _drags(client, scene, 80)
        state = client.get(f"/jobs/{job}").json()["state"]
        client.post(f"/jobs/{job}/stop", json={})
    p95 = [float(np.percentile(times, 95)) for times in (idle, busy)]
    return (
        f"a drag of the mast: p95 {1e3 * p95[0]:.1f} ms idle, {1e3 * p95[1]:.1f} ms while a run goes on ({state}): "
        f"{p95[1] / p95[0]:.2f} times (goal 1.5)"
    )


def _drags(client: httpx2.Client, scene: str, count: int) -> list[float]:
    address, times = "beacon-mast/rotation.z", []
    for n in range(count):
        edit = {"do": "set", "address": f"{address}#gust.amplitude", "value": 3 + n / 50}
        body = {"revision": 1, "edits": [edit], "at": address, "frame": 60}
        began = time.perf_counter()
        assert client.post(f"{scene}/preview", json=body).status_code == 200
        if n >= 10:  # the first ones make what is kept
            times.append(time.perf_counter() - began)
    return times


def storm(count: int = PARTICLES) -> Scene:
    """All of them at once, in a wind with eddies of three octaves."""
    numbers = {"amount": count, "life": 100.0, "life_varies": 0.0, "spread": 180.0, "push": 3.0}
    edits = [
        {"do": "add-object", "label": "Wind", "field": {"kind": "wind"}},
        {"do": "add-object", "label": "Eddies", "field": {"kind": "eddies", "octaves": 3.0}},
        {"do": "emit", "label": "Snow"},
        {"do": "change-emitter", "node": "snow", "settings": {"comes": "at once"}},
        *({"do": "set", "address": f"snow/emitter.{name}", "value": value} for name, value in numbers.items()),
    ]
    return applied(Scene(name="Storm", last=250), read_edits(edits))
