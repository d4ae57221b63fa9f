"""Which number of a scene moves most: what is looked at first, where nothing was chosen."""

from __future__ import annotations

import numpy as np

from lazzik.core.clock import Clock
from lazzik.core.errors import LazzikError
from lazzik.core.evaluate.alike import work_out_alike
from lazzik.core.evaluate.evaluator import number_at
from lazzik.core.evaluate.scope import Scope
from lazzik.core.scene.address import Address, Place, find
from lazzik.core.scene.scene import Scene

MOST_COMPARED = 200
"""Numbers among which the one that moves most is looked for."""

MOMENTS = 24
"""Of the range at which they are looked at."""


def liveliest(scene: Scene) -> Address | None:
    """The number that moves most for its kind; in a scene that stands still, the first shape's rotation about z."""
    moving = [(node, path) for node in scene.nodes if node.visible for path, _ in node.moving][:MOST_COMPARED]
    if not moving:
        shapes = [node for node in scene.nodes if node.shape] or list(scene.nodes)
        return Address(shapes[0].id, "rotation.z") if shapes else None
    addresses = [Address(node.id, path) for node, path in moving]
    places = [find(scene, address) for address in addresses]
    clock = scene.clock().at(np.linspace(scene.first, scene.last, MOMENTS))
    scope = Scope(scene).running()
    work_out_alike(((place.home, place.number) for place in places), clock, scope)
    reaches = [_reach(place, clock, scope) for place in places]
    return addresses[reaches.index(max(reaches))]


def _reach(place: Place, clock: Clock, scope: Scope) -> float:
    """How far a number moves, as a part of what is far for its kind; nothing for one that can't be worked out."""
    try:
        values = np.atleast_1d(number_at(place, clock, scope))
    except LazzikError:
        return 0.0
    return float(np.ptp(values)) / max(place.reach, 1e-9)
