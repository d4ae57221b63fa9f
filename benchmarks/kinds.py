"""1,000 channels × 250 frames of noise and each other kind in turn, against their bare kernels (goals: none over 2.5
times, all within 1.5)."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from functools import partial

import numpy as np

from benchmarks.timing import goal, in_turn
from lazzik.core.air.wind import COLUMNS as WIND_COLUMNS
from lazzik.core.air.wind import Wind, blow
from lazzik.core.channel.channel import Channel, base_value
from lazzik.core.channel.keys import Key, curve_through
from lazzik.core.channel.layer import Layer
from lazzik.core.clock import SUBSTEPS, Clock
from lazzik.core.evaluate.values import evaluate
from lazzik.core.layers import BY_KIND, Clip, Recipe
from lazzik.core.layers.breeze import Breeze
from lazzik.core.layers.clip import Track
from lazzik.core.layers.noise import REACH, Noise, shape_noise
from lazzik.core.layers.octaves import octave_noise
from lazzik.core.layers.oscillator import ring, trail
from lazzik.core.layers.response import nodes_for, respond, steady
from lazzik.core.layers.smooth import gaussian_mean
from lazzik.core.layers.travel import travel
from lazzik.core.layers.wave import wave
from lazzik.core.scene.dial import Dial
from lazzik.core.scene.node import Node, Rotation
from lazzik.core.scene.scene import Scene

CHANNELS, FRAMES, OCTAVES = 1000, 250, 4.0
KEYS = (Key(frame=0, value=0.0), Key(frame=60, value=9.0))
READS = {
    "link": {"source": "dials/tide"}, "formula": {"text": "x + tide * sin(t)"}, "recipe": {"recipe": "swing"},
    "clip": {"source": "clips/gust.swing"},
}  # fmt: skip
USUAL = Breeze(kind="breeze", id="b", label="b")
GUST = Clip(id="gust", label="Gust", length=60, tracks=(Track(id="swing", label="Swing", motion=Channel(keys=KEYS)),))


def rows() -> Iterator[str]:
    """One row for each kind, and one for all together."""
    names = [name for name in BY_KIND if name != "noise"]
    whole = bare = 0.0
    for name in names:
        scene = crowd(name, CHANNELS // len(names))
        addresses = [f"{node.id}/rotation.z" for node in scene.nodes if node.field is None]
        clock = scene.clock()
        plain = bare_of(name)

        def kernels(run: Callable[[], object] = plain, count: int = len(addresses)) -> None:
            for _ in range(count):
                run()

        spent, least = in_turn(partial(evaluate, scene, addresses, clock), kernels, runs=5)
        whole, bare = whole + spent, bare + least
        yield (
            f"noise and {name:<9}{1e3 * spent / len(addresses):.3f} ms each, its kernels "
            f"{1e3 * least / len(addresses):.3f}: {goal(spent / least, 2.5)}"
        )
    yield f"all kinds in turn: {1e3 * whole:.0f} ms, bare kernels {1e3 * bare:.0f} ms: {goal(whole / bare, 1.5)}"


def crowd(name: str, count: int) -> Scene:
    """So many objects, each with noise and one layer of a kind over two keys."""

    def channel(k: int) -> Channel:
        noise = Noise(kind="noise", id="n", label="n", octaves=OCTAVES, period=0.7, seed=float(k))
        return Channel(keys=KEYS, layers=(noise, layer(name)))

    swing = Recipe(id="swing", label="Swing", stack=Channel(layers=(layer("wave"),)))
    nodes = tuple(Node(id=f"n{k}", label="n", rotation=Rotation(z=channel(k))) for k in range(count))
    tide = Dial(id="tide", label="Tide")
    wind = Node(id="wind", label="Wind", field=Wind(kind="wind"))
    return Scene(name="All", last=FRAMES - 1, nodes=(*nodes, wind), dials=(tide,), recipes=(swing,), clips=(GUST,))


def layer(name: str) -> Layer:
    """A layer of a kind with its usual numbers."""
    return BY_KIND[name].model_validate({"kind": name, "id": name, "label": name} | READS.get(name, {}))


def bare_of(name: str) -> Callable[[], object]:
    """The plain computation of noise and one layer: the same kernels on the same number of points, and nothing else."""
    frames = np.arange(float(FRAMES))
    fine = np.arange(float(FRAMES * SUBSTEPS))
    octaves, shape = np.array([[OCTAVES], [0.5], [3.0]]), np.array([[2.0], [0.0], [0.5], [0.5]])
    curve = curve_through(KEYS, 30.0)
    out, wide = np.empty(FRAMES), np.empty(len(fine))
    nodes = (len(fine) - 3) // 2 + 1
    e, v = np.empty(nodes), np.empty(nodes)

    def below(points: np.ndarray, into: np.ndarray) -> np.ndarray:
        octave_noise(points, 0, 0, octaves, into)
        shape_noise(octaves, shape, REACH[0], 0, into)
        return into + curve.at(points, 30.0)

    def spring() -> object:
        x = below(fine / SUBSTEPS, wide)
        full = halves = np.array([9.0])  # that never change
        e[0] = v[0] = 0.0
        if name == "settle":
            return ring(x, 0.0, halves, halves, full, 0.008, 0, e, v)
        return trail(x, halves, halves, 0.008, e, v)

    def smooth() -> object:
        return gaussian_mean(below(fine / SUBSTEPS, wide), frames * 6 + 220, np.full(FRAMES, 30.0), out)

    def periodic() -> object:
        x = below(frames, out)
        wave(frames, 0, np.array([[1.0], [0.0], [0.5], [0.0]]), out)
        return x + out

    def moved() -> object:
        x = below(frames, out)
        travel(frames, 3, 2, 0, np.array([[0.0], [1.0], [0.0], [30.0], [1.0]]), out)
        return x + out

    def blown() -> object:
        x = below(frames, out)
        blow(at_home, packed, air)
        lean = air[:, :, 0].copy()
        respond(seconds, lean, lean, spring_of, spring_of, y, w)
        return x + y[::2][:FRAMES, 0]

    # the air is read twice a frame over the range and before it, until nothing of a beginning is left
    usual = steady(base_value(USUAL.frequency), base_value(USUAL.damping))
    moments = len(nodes_for(Clock.over(30.0, 0, FRAMES - 1), usual, None).frames)
    at_home, air, packed = np.zeros((1, 1, 3)), np.zeros((moments, 1, 3)), np.zeros((moments, WIND_COLUMNS))
    packed[:, 4], packed[:, 5], packed[:, 8], packed[:, 18] = 1e30, 6.0, 0.45, 0.1
    seconds, spring_of = np.arange(moments) / 60.0, np.array([[5.0]])
    y, w = np.zeros((moments, 1)), np.zeros((moments, 1))

    plain: dict[str, Callable[[], object]] = {
        "breeze": blown,
        "settle": spring, "follow": spring, "smooth": smooth, "wave": periodic, "recipe": periodic, "travel": moved,
        "hold": lambda: (below(frames, out), below(np.floor(frames / 4) * 4, out)),
        "limit": lambda: np.clip(below(frames, out), -1, 1),
        "repeat": lambda: (below(frames, out), curve.at(frames % 60, 30.0)),
        "clip": lambda: (below(frames, out), curve.at(frames % 60, 30.0)),
        "formula": lambda: below(frames, out) + np.sin(frames / 30),
    }  # fmt: skip
    return plain.get(name, lambda: below(frames, out) + frames)
