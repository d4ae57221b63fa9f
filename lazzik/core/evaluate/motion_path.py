"""The way a point of an object takes through the scene, with all the objects above it moving too."""

from __future__ import annotations

import numpy as np

from lazzik.core.clock import Clock
from lazzik.core.evaluate.scope import Scope
from lazzik.core.evaluate.transforms import world
from lazzik.core.scene.node import Node
from lazzik.core.scene.scene import Scene
from lazzik.core.types import Points


def path(scene: Scene, node: Node, clock: Clock, scope: Scope) -> Points:
    """The way of the object's far end: the middle of its top, or its origin if it has no shape.

    Returns
    -------
    (frames, 3) array
        Metres, in the scene.
    """
    point = np.array([0.0, 0.0, 0.0, 1.0])
    if node.shape is not None:
        low, high = node.shape.mesh(scene.assets).bounds
        point[:3] = [(low[0] + high[0]) / 2, high[1], (low[2] + high[2]) / 2]
    taken: Points = (world(scene, node, clock, scope) @ point)[:, :3]
    return taken
