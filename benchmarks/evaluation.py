"""Evaluating 1,000 channels × 250 frames × 3 layers with 4 octaves, against the bare kernels of the same layers (goal:
within 1.5 times)."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from benchmarks.timing import goal, in_turn
from lazzik.core.channel.channel import Channel
from lazzik.core.evaluate.values import evaluate
from lazzik.core.layers.noise import REACH, Noise, noise
from lazzik.core.scene.node import Node, Rotation
from lazzik.core.scene.scene import Scene

CHANNELS, FRAMES, LAYERS, OCTAVES = 1000, 250, 3, 4.0


def rows() -> Iterator[str]:
    """The measured rows."""
    scene = crowd(CHANNELS)
    addresses = [f"n{i}/rotation.z" for i in range(CHANNELS)]
    clock = scene.clock()
    position, out = clock.elapsed / 30 / 0.7, np.empty(FRAMES)
    # each with a seed of its own, as the layers have: a processor learns one pattern by heart
    tables = [np.array([[OCTAVES], [0.5], [seed], [2.0], [0.0], [0.5], [0.5]]) for seed in range(LAYERS * CHANNELS)]

    def bare() -> None:
        for numbers in tables:
            noise(position, 0, 0, numbers, REACH, 0, out)

    whole, kernels = in_turn(lambda: evaluate(scene, addresses, clock), bare, runs=15)
    yield f"evaluation {whole * 1e3:.0f} ms, bare kernels {kernels * 1e3:.0f} ms: {goal(whole / kernels, 1.5)}"


def crowd(count: int) -> Scene:
    """So many objects, each with one channel of three noise layers."""
    layers = [
        Noise(kind="noise", id=f"l{i}", label="Noise", octaves=OCTAVES, period=0.7, amplitude=2.0)
        for i in range(LAYERS)
    ]
    nodes = tuple(
        Node(
            id=f"n{k}",
            label="Node",
            rotation=Rotation(
                z=Channel(layers=tuple(layer.replaced(seed=float(3 * k + i)) for i, layer in enumerate(layers)))
            ),
        )
        for k in range(count)
    )
    return Scene(name="Crowd", first=0, last=FRAMES - 1, nodes=nodes)
