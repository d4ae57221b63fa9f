"""The station before wind came in, written as GLB, OpenUSD and SVG, and one deformer over many moments of a mesh."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import numpy as np

from benchmarks.timing import best
from lazzik.core.channel.channel import Channel
from lazzik.core.deformers.base import Deformer, Moments
from lazzik.core.deformers.bend import Bend
from lazzik.core.deformers.fades import FADES, edge_fade
from lazzik.core.deformers.placement import enter, leave
from lazzik.core.deformers.sway import Sway
from lazzik.core.deformers.twist import Twist
from lazzik.core.deformers.undulate import Undulate
from lazzik.core.evaluate.memo import Memo
from lazzik.core.evaluate.scope import Scope
from lazzik.core.evaluate.shapes import shapes_over_time
from lazzik.core.evaluate.surface import surface_of
from lazzik.core.formats.registry import format_for
from lazzik.core.geometry.primitives import Sheet
from lazzik.core.layers.noise import Noise
from lazzik.core.scene.node import Node
from lazzik.core.scene.scene import Scene
from lazzik.core.scene.serialize import read_scene
from lazzik.core.types import Samples

STATION = Path(__file__).parent / "scenes" / "station.json"
"""The demo as it was before it stood in a wind: pinned, so that figures of different days are of the same work."""

GOALS = {"glb": 2.5, "usdc": 2.5, "svg": 3.0}
"""Seconds."""

FRAMES = 1000


def pinned() -> Scene:
    """The station before wind came in."""
    return read_scene(STATION.read_bytes())


def rows() -> Iterator[str]:
    """Each file beside evaluating the points of its surfaces once a frame."""
    scene = pinned()
    moving = [node for node in scene.nodes if node.visible and shapes_over_time(scene, node)]

    def points() -> None:
        scope = Scope(scene, Memo(), [])
        for node in moving:
            for _ in surface_of(scene, node, scene.clock(), scope.at(node.id)).blocks():
                pass

    bare = best(points, 3)
    yield f"the points of {len(moving)} surfaces, once a frame: {bare:.2f} s"
    for ending, goal in GOALS.items():
        size = len(format_for(f"station.{ending}").write(scene))
        spent = best(lambda ending=ending: format_for(f"station.{ending}").write(scene), 3)  # type: ignore[misc]
        holds = "holds" if spent <= goal else "does not hold"
        yield f"{ending}: {spent:.2f} s, {spent / bare:.1f} times that, {size / 1e6:.1f} MB (goal {goal} s: {holds})"
    ratios = [blocks_beside_kernel(deformer) for deformer in _deformers()]
    holds = "holds" if max(ratios) <= 1.3 else "does not hold"
    yield (
        f"one deformer over {FRAMES} moments of 100 points, beside the same kernels over all at once: "
        f"{', '.join(f'{ratio:.2f}' for ratio in ratios)} times (goal 1.3: {holds})"
    )


def _deformers() -> Iterator[Deformer]:
    gust = Channel(value=20.0, layers=(Noise(kind="noise", id="gust", label="gust", amplitude=30),))
    lift = Channel(value=0.1, layers=(Noise(kind="noise", id="gust", label="gust", amplitude=0.1),))
    yield Bend(kind="bend", id="d", label="d", angle=gust, axis="y", start=0, end=2)
    yield Twist(kind="twist", id="d", label="d", angle=gust, axis="y", start=0, end=2)
    yield Undulate(kind="undulate", id="d", label="d", height=lift, axis="y", start=0, end=2)
    yield Sway(kind="sway", id="d", label="d", angle=gust, axis="y", start=0, end=2)


def blocks_beside_kernel(deformer: Deformer) -> float:
    """How many times as long many moments of a small mesh take, asked for one after the other as a bake does, as its
    kernels called once over all of them."""
    shape = Sheet(kind="sheet", standing=True, width=1, height=2, columns=9, rows=4)
    node = Node(id="flag", label="Flag", shape=shape, deform=(deformer,))
    scene = Scene(name="Flag", last=FRAMES - 1, nodes=(node,))
    motion = surface_of(scene, node, scene.clock(), Scope(scene, Memo(), []))
    (step,) = motion.steps
    numbers, every = step.numbers_over(slice(0, FRAMES), FRAMES), slice(0, FRAMES)
    rest = np.repeat(motion.rest.points[None], FRAMES, axis=0)
    counts, moments = np.empty(rest.shape[:2]), Moments(step.plan, every, *_times(scene), scene.fps)

    def kernels() -> None:
        inside, out = np.empty((len(rest), 3, rest.shape[1])), np.empty_like(rest)
        enter(rest, step.frames, inside)
        span = numbers["start"], numbers["end"], numbers["fade_length"]
        edge_fade(inside, *span, FADES.index(deformer.fade), numbers["weight"], counts)
        if deformer.pushes:
            inside[:, 2] += deformer.lifted(inside, numbers, moments)
        else:
            inside = deformer.shaped(inside, counts, numbers, moments)
        leave(np.ascontiguousarray(inside), step.frames, out)

    def one_by_one() -> None:
        for _ in motion.each():
            pass

    return best(one_by_one) / best(kernels)


def _times(scene: Scene) -> tuple[Samples, Samples]:
    clock = scene.clock()
    return clock.elapsed / clock.fps, clock.frames
