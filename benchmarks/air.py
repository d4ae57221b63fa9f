"""The air: eddies against NumPy's sine and cosine of the same coordinates, copies against the air at their roots."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from functools import partial

import numpy as np

from benchmarks import edits
from benchmarks.timing import best
from lazzik.core.air.stir import COLUMNS, stir
from lazzik.core.clock import Clock
from lazzik.core.evaluate.airflow import air
from lazzik.core.evaluate.copies import copies_of
from lazzik.core.evaluate.leans import BLOCK, leans
from lazzik.core.evaluate.memo import Memo
from lazzik.core.evaluate.scope import Scope
from lazzik.core.layers.response import PER_FRAME, Spring, nodes_for, respond
from lazzik.core.scene.edits.base import applied
from lazzik.core.scene.edits.every import read_edits
from lazzik.core.scene.scene import Scene

POINTS, COPIES = 100_000, 10_000
DRIFTING, CHANGING, LEANING = 2.2, 4.2, 1.4
"""Goals, in times of their yardsticks."""


def rows() -> Iterator[str]:
    """Eddies that drift, and that change; copies of a scatter; an edit beside them."""
    points = np.random.default_rng(1).uniform(-50, 50, (1, POINTS, 3))
    plain = best(lambda: (np.sin(points), np.cos(points)), runs=15)
    for name, blend, goal in (("drifting", 0.0, DRIFTING), ("changing", 0.5, CHANGING)):
        out, packed = np.zeros(points.shape), eddies(blend)
        spent = best(lambda out=out, packed=packed: stir(points, packed, out), runs=15)  # type: ignore[misc]
        yield told(f"eddies of 3 octaves at {POINTS:,} points, {name}", spent, plain, "sin + cos of them", goal)
    scene = meadow()
    yield from leaning(scene)
    times, _ = edits.in_a_row(scene, lambda n: {"do": "set", "address": "wind/field.speed", "value": 2.0 + 0.1 * n})
    yield f"the wind set beside {COPIES:,} copies, from request to commit: {edits.told(times)}"


def eddies(blend: float) -> np.ndarray:
    """Three octaves of eddies at one moment, so far from one pattern to the next."""
    packed = np.zeros((1, COLUMNS))
    packed[:, 3:5], packed[:, 5], packed[:, 6] = 1e30, 1.0, 0.5
    packed[:, 7:16] = np.eye(3).ravel()
    packed[:, 20], packed[:, 21], packed[:, 24], packed[:, 25] = 3.0, 0.5, 1.0, blend
    return packed


def meadow(count: int = COPIES) -> Scene:
    """So many copies in a wind with eddies."""
    return applied(
        Scene(name="Meadow", last=249),
        read_edits(
            [
                {"do": "add-object", "label": "Wind", "field": {"kind": "wind"}},
                {"do": "add-object", "label": "Eddies", "field": {"kind": "eddies"}},
                {"do": "add-object", "label": "Ground", "shape": {"kind": "sheet", "width": 30, "height": 30}},
                {"do": "add-object", "label": "Tuft", "shape": {"kind": "tube"}},
                {"do": "scatter", "nodes": ["tuft"], "surface": "ground", "label": "Meadow"},
                {"do": "set", "address": "meadow/scatter.count", "value": count},
            ]
        ),
    )


def leaning(scene: Scene) -> Iterator[str]:
    """Ten thousand copies over 250 frames, two angles each, against the air at their roots and the bare filter."""
    node, scope = scene.by_id["meadow"], Scope(scene, Memo())
    copies, clock = copies_of(scene, node, scope), scene.clock()
    moments = nodes_for(clock, Spring(lambda _: 1.4, lambda _: 0.2), None)
    block = copies.places[None, :512]
    kernel = COPIES / 512 * best(lambda: air(block, moments, scope), runs=3)
    filtered = COPIES / BLOCK * best(bare_filter(moments), runs=30)

    def all_of_them() -> None:
        for _ in leans(scene, node, copies, clock, scope):
            pass

    whole = best(all_of_them, runs=2)
    yardstick = kernel + filtered
    yield told(
        f"{COPIES:,} copies × 250 frames, two angles", whole, yardstick, "air at their roots and filter", LEANING
    )


def bare_filter(moments: Clock) -> Callable[[], object]:
    """Both angles of a block of copies over the moments at which the air is read."""
    count = len(moments.frames)
    seconds = np.arange(count) / (PER_FRAME * moments.fps)
    push = np.sin(seconds[:, None] + np.arange(2.0 * BLOCK))
    omega, damping = np.full((1, 2 * BLOCK), 8.0), np.full((1, 2 * BLOCK), 0.2)
    y, v = np.zeros(push.shape), np.zeros(push.shape)
    return partial(respond, seconds, push, push, omega, damping, y, v)


def told(what: str, spent: float, yardstick: float, named: str, goal: float) -> str:
    """A row: what it took, in times of its yardstick, and whether that is within the goal."""
    times = spent / yardstick
    holds = "holds" if times <= goal else "missed"
    return f"{what}: {1e3 * spent:.0f} ms, {times:.2f} × {named} (goal {goal:g}: {holds})"
