"""Where objects stand at rest: by the bases of their numbers alone, whatever their layers do."""

from __future__ import annotations

import numpy as np
from scipy.spatial.transform import Rotation as Turn

from lazzik.core.channel.channel import Channel
from lazzik.core.scene.node import Node, Position, Rotation, Scale
from lazzik.core.scene.scene import Scene
from lazzik.core.types import Samples


def base_of(number: float | Channel) -> float:
    """A number's constant, or its first key's value."""
    if not isinstance(number, Channel):
        return number
    return number.keys[0].value if number.keys else number.value


def rest_place(scene: Scene, node: Node) -> Samples:
    """(3,) metres: the object's origin in the scene."""
    point = np.zeros(3)
    here: Node | None = node
    while here is not None:
        angles = _triple(here.rotation)
        order = here.rotation.order
        turn = Turn.from_euler(order.upper(), [angles["xyz".index(axis)] for axis in order], degrees=True)
        point = turn.apply(point * _triple(here.scale)) + _triple(here.position)
        here = scene.by_id[here.parent] if here.parent else None
    return point


def _triple(part: Position | Rotation | Scale) -> Samples:
    return np.array([base_of(part.x), base_of(part.y), base_of(part.z)])
