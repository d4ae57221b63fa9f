"""How cost grows: the exponent that fits cost against size, for what there can be much of (goal: none above 1.1)."""

from __future__ import annotations

import tracemalloc
from collections.abc import Callable, Iterator

import numpy as np

from benchmarks.air import meadow
from benchmarks.evaluation import crowd
from benchmarks.particles import storm
from benchmarks.shapes import banner
from benchmarks.timing import best
from lazzik.core.channel.channel import Channel
from lazzik.core.clock import Clock
from lazzik.core.evaluate.copies import copies_of
from lazzik.core.evaluate.scope import Scope
from lazzik.core.evaluate.surface import surface_of
from lazzik.core.evaluate.values import evaluate
from lazzik.core.layers.link import Link
from lazzik.core.layers.noise import Noise
from lazzik.core.layers.smooth import Smooth
from lazzik.core.scene.edits.base import applied
from lazzik.core.scene.edits.every import read_edits
from lazzik.core.scene.node import Node, Position, Rotation, Scale
from lazzik.core.scene.scene import Scene
from lazzik.core.simulate.particles import Particles

MOST = 1.1


def rows() -> Iterator[str]:
    """A row for each thing that there can be much of: seconds, then memory."""
    for name, sizes, made in GROWING:
        ready = [(size, made(size)) for size in sizes]
        seconds = [best(act, runs=3) for _, act in ready]
        memory = [_peak(act) for _, act in ready]
        yield f"{name}: {sizes[0]:,} to {sizes[-1]:,}: {_said(sizes, seconds)}; memory {_said(sizes, memory)}"


def _said(sizes: tuple[int, ...], costs: list[float]) -> str:
    """The exponent over the larger half, where what does not grow no longer counts."""
    half = len(sizes) // 2
    exponent = float(np.polyfit(np.log(sizes[half:]), np.log(costs[half:]), 1)[0])
    return f"exponent {exponent:.2f} (goal {MOST}: {'holds' if exponent <= MOST else 'does not hold'})"


def _peak(act: Callable[[], object]) -> float:
    tracemalloc.start()
    act()
    _, peak = tracemalloc.get_traced_memory()
    tracemalloc.stop()
    return float(peak)


def channels(count: int) -> Callable[[], object]:
    """So many channels with noise, nine of an object, over 50 frames."""
    noise = Noise(kind="noise", id="n", label="n", octaves=4.0)
    moved = Channel(layers=(noise,))
    three = {"x": moved, "y": moved, "z": moved}
    parts = {"position": Position(**three), "rotation": Rotation(**three), "scale": Scale(**three)}
    nodes = tuple(Node(id=f"n{k}", label="n", **parts) for k in range(count // 9))
    scene = Scene(name="Crowd", last=50, nodes=nodes)
    addresses = [f"{node.id}/{part}.{axis}" for node in nodes for part in parts for axis in three]
    return lambda: evaluate(scene, addresses, scene.clock())


def frames(count: int) -> Callable[[], object]:
    """One channel over so many frames."""
    scene = crowd(1)
    return lambda: evaluate(scene, ["n0/rotation.z"], Clock.over(scene.fps, 0, count))


def stack(count: int) -> Callable[[], object]:
    """So many layers that each read what lies below on a clock of their own, hardly wider than theirs, over noise."""
    smooth = tuple(Smooth(kind="smooth", id=f"s{n}", label="s", cutoff=30.0) for n in range(count))
    noise = Noise(kind="noise", id="n", label="n")
    node = Node(id="post", label="Post", rotation=Rotation(z=Channel(layers=(noise, *smooth))))
    scene = Scene(name="Stack", last=250, nodes=(node,))
    return lambda: evaluate(scene, ["post/rotation.z"], scene.clock())


def references(count: int) -> Callable[[], object]:
    """A chain of so many links."""
    noise = Noise(kind="noise", id="n", label="n")

    def channel(n: int) -> Channel:
        link = Link(kind="link", id="l", label="l", source=f"n{n - 1}/rotation.z") if n else noise
        return Channel(layers=(link,))

    nodes = tuple(Node(id=f"n{n}", label="n", rotation=Rotation(z=channel(n))) for n in range(count))
    scene = Scene(name="Chain", last=250, nodes=nodes)
    return lambda: evaluate(scene, [f"n{count - 1}/rotation.z"], scene.clock())


def objects(count: int) -> Callable[[], object]:
    """An edit in a scene of so many objects."""
    scene = crowd(count)
    edits = read_edits([{"do": "set", "address": "n7/rotation.z#l1.amplitude", "value": 3.0}])
    return lambda: applied(scene, edits)


def points(count: int) -> Callable[[], object]:
    """A sheet of so many points through three deformers, at 10 frames."""
    scene = banner(int(np.sqrt(count / 2)) - 1)  # on both sides
    motion = surface_of(scene, scene.nodes[0], scene.clock(), Scope(scene, None, []))
    return lambda: [motion.points(frame) for frame in range(10)]


def copies(count: int) -> Callable[[], object]:
    """So many copies over a ground, laid out."""
    scene, seeds = meadow(count), iter(range(1, 100))  # each time others: what was laid out is kept

    def act() -> None:
        fresh = applied(scene, read_edits([{"do": "set", "address": "meadow/scatter.seed", "value": next(seeds)}]))
        copies_of(fresh, fresh.by_id["meadow"], Scope(fresh))

    return act


def particles(count: int) -> Callable[[], object]:
    """Three frames of so many particles in a wind with eddies."""
    run = Particles(storm(count), "snow")
    *_, (_, state) = run.frames(0, 2)
    return lambda: list(run.frames(3, 5, state))


GROWING: tuple[tuple[str, tuple[int, ...], Callable[[int], Callable[[], object]]], ...] = (
    ("channels", (90, 900, 9000, 90_000), channels),
    ("frames", (1000, 10_000, 100_000, 1_000_000), frames),
    ("layers in a stack", (4, 8, 16, 32), stack),
    ("links in a chain", (8, 15, 30, 60, 120), references),
    ("objects, an edit among them", (10, 100, 1000, 10_000), objects),
    ("points", (1000, 10_000, 100_000, 500_000), points),
    ("copies", (100, 1000, 10_000, 100_000), copies),
    ("particles", (100, 1000, 10_000, 100_000), particles),
)
"""What, in which sizes, and what makes the act for a size."""
