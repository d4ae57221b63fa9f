"""Scenes of many objects."""

from __future__ import annotations

from lazzik.core.channel.channel import Channel
from lazzik.core.geometry.primitives import Box
from lazzik.core.layers.noise import Noise
from lazzik.core.scene.node import Node, Position, Rotation
from lazzik.core.scene.scene import Scene


def forest(count: int) -> Scene:
    """A group and trees in it, so many objects in all; each sways on its own."""
    shape = Box(kind="box", base=True)
    nodes = [Node(id="wood", label="Wood")]
    for n in range(1, count):
        noise = Noise(kind="noise", id="gust", label="Gust", amplitude=4.0, period=1.0, seed=float(n))
        nodes.append(
            Node(
                id=f"tree-{n}",
                label=f"Tree {n}",
                parent="wood",
                shape=shape,
                position=Position(x=2.0 * (n % 40), z=-2.0 * (n // 40)),
                rotation=Rotation(z=Channel(layers=(noise,))),
            )
        )
    return Scene(name="Wood", last=60, nodes=tuple(nodes))
