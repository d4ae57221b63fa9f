"""Evaluating 1,000 channels × 250 frames × 3 layers with 4 octaves, against the bare kernels (goal: within 6 times)."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from benchmarks.timing import best
from lazzik.core.channel.channel import Channel
from lazzik.core.evaluate.evaluator import evaluate
from lazzik.core.layers.noise import REACH, Noise, octave_noise, shape_noise
from lazzik.core.scene.node import Node, Rotation
from lazzik.core.scene.scene import Scene

CHANNELS, FRAMES, LAYERS, OCTAVES = 1000, 250, 3, 4.0


def rows() -> Iterator[str]:
    """The measured rows."""
    scene = crowd(CHANNELS)
    addresses = [f"n{i}/rotation.z" for i in range(CHANNELS)]
    clock = scene.clock()
    whole = best(lambda: evaluate(scene, addresses, clock))
    positions = [clock.elapsed / 30 / 0.7 + i for i in range(LAYERS)]
    octaves, shape = np.array([[OCTAVES], [0.5], [3.0]]), np.array([[2.0], [0.0], [0.5], [0.5]])
    out = np.empty(FRAMES)

    def bare() -> None:
        for _ in range(CHANNELS):
            for position in positions:
                octave_noise(position, 0, 0, octaves, out)
                shape_noise(octaves, shape, REACH[0], 0, out)

    kernels = best(bare)
    yield f"evaluation {whole * 1e3:.0f} ms, bare kernels {kernels * 1e3:.0f} ms: {whole / kernels:.2f} times"


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
