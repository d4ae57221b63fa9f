"""Particles: a run against the air's own kernels at as many points, as often."""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial

import numpy as np

from benchmarks.air import told
from benchmarks.timing import best
from lazzik.core.evaluate.airflow import field_rows
from lazzik.core.evaluate.scope import Scope
from lazzik.core.scene.edits import applied, read_edits
from lazzik.core.scene.scene import Scene
from lazzik.core.simulate.particles import SUBSTEPS, Particles

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


def storm() -> Scene:
    """All of them at once, in a wind with eddies of three octaves."""
    numbers = {"amount": PARTICLES, "life": 100.0, "life_varies": 0.0, "spread": 180.0, "push": 3.0}
    edits = [
        {"do": "add-object", "label": "Wind", "field": {"kind": "wind"}},
        {"do": "add-object", "label": "Eddies", "field": {"kind": "eddies", "octaves": 3.0}},
        {"do": "emit", "label": "Snow"},
        {"do": "change-emitter", "node": "snow", "settings": {"comes": "at once"}},
        *({"do": "set", "address": f"snow/emitter.{name}", "value": value} for name, value in numbers.items()),
    ]
    return applied(Scene(name="Storm", last=250), read_edits(edits))
