"""Parts of the document with all their lengths so many times as large: so what a recipe brings is fitted to an object.

Angles, times and speeds of the air stay; what is open stays open, and hard limits hold.
"""

from __future__ import annotations

from collections.abc import Collection
from typing import TypeVar

from lazzik.core.channel.channel import Channel
from lazzik.core.channel.scaling import scaled
from lazzik.core.document import Frozen
from lazzik.core.scene.address import with_number
from lazzik.core.scene.node import Node, Position, Scale, channels_of

Part = TypeVar("Part", bound=Frozen)

CARRIERS = ("field", "scatter", "emitter", "swarm")
"""Parts whose lengths are measured in metres of the scene, whatever the object's scale."""

METRES = frozenset({"m", "own"})
WITH_SPEEDS = METRES | {"m/s", "own/s"}
"""Units of what grows with an object; waves that run over it too, so that they take as long as before."""


def sized(part: Part, factor: float, units: Collection[str] = METRES) -> Part:
    """A part of the document with all its lengths so many times as large; those that are open stay so."""
    if factor == 1.0:
        return part
    for path, number, quantity in channels_of(part):
        if quantity.unit in units and (isinstance(number, Channel) or number != quantity.open_at):
            value = scaled(number, factor)
            if not isinstance(value, Channel):
                value = min(max(value, quantity.low), quantity.high)
            part = with_number(part, path.split("."), value)
    return part


def larger(node: Node, factor: float) -> Node:
    """An object so many times as large, and as far away."""
    if factor == 1.0:
        return node
    position = {axis: scaled(getattr(node.position, axis), factor) for axis in "xyz"}
    scale = {axis: scaled(getattr(node.scale, axis), factor) for axis in "xyz"}
    return node.replaced(position=Position(**position), scale=Scale(**scale))


def with_carriers_sized(node: Node, factor: float) -> Node:
    """An object whose parts that are measured in metres of the scene are so many times as large."""
    if factor == 1.0:
        return node
    parts = {name: sized(part, factor) for name in CARRIERS if (part := getattr(node, name)) is not None}
    return node.replaced(**parts) if parts else node
