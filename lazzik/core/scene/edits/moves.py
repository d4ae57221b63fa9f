"""Edits that set up a camera's move: an orbit about an object, a slow pan. What they leave is plain objects and layers.

They may be used on any object; the words are a camera's.
"""

from __future__ import annotations

from typing import Literal

import numpy as np

from lazzik.core.channel.channel import as_channel
from lazzik.core.document import Slug
from lazzik.core.errors import InvalidEdit
from lazzik.core.layers.travel import Travel
from lazzik.core.layers.turn import WHOLE, Turn
from lazzik.core.scene.address import Address, find, write
from lazzik.core.scene.edits.base import Edit, free_label, free_slug
from lazzik.core.scene.edits.hierarchy import HangObjects
from lazzik.core.scene.node import Node, Position, Rotation
from lazzik.core.scene.rest_pose import extent, placement, rest_position
from lazzik.core.scene.scene import PARTS, Scene

PANNED = 0.12
"""Part of the distance to what is looked at by which a pan goes."""

FAR = 5.0
"""Metres to what is looked at, where there is nothing else in the scene."""


class Orbit(Edit):
    """Let an object go round another one: under a new group at that one's middle, which turns once in the scene's
    range. It stays where it is on the first frame, and is turned along as it goes."""

    do: Literal["orbit"] = "orbit"
    node: Slug
    around: Slug

    def apply(self, scene: Scene) -> Scene:
        node, around = scene.node(self.node), scene.node(self.around)
        if (
            node is around
            or any(above is around for above in scene.lineage(node))
            or any(above is node for above in scene.lineage(around))
        ):
            raise InvalidEdit(f"{node.label} can't go round what it hangs under, or what hangs under it", node.id)
        low, high = (np.array(corner) for corner in (extent(scene, around).low, extent(scene, around).high))
        x, y, z = np.round((placement(scene, around) @ [*((low + high) / 2), 1.0])[:3], 6)
        frames = float(scene.last - scene.first)
        turn = Turn(kind="turn", id="orbit", label="Orbit", rate=WHOLE * scene.fps / frames, loop=frames, fit=True)
        wish = f"Orbit of {around.label}"[:120]
        group = Node(
            id=free_slug(wish, {*scene.by_id, *PARTS}),
            label=free_label(wish, {other.label for other in scene.below.get(None, ())}),
            position=Position(x=float(x), y=float(y), z=float(z)),
            rotation=Rotation(y=as_channel(0.0).replaced(layers=(turn,))),
        )
        scene = scene.replaced(nodes=(*scene.nodes, group))
        return HangObjects(nodes=(node.id,), under=group.id).apply(scene)

    def describe(self, scene: Scene) -> str:
        return f"orbit {scene.node(self.node).label} round {scene.node(self.around).label}"


class Pan(Edit):
    """Let an object go straight and evenly to its side over the scene's range, its present place half-way."""

    do: Literal["pan"] = "pan"
    node: Slug

    def apply(self, scene: Scene) -> Scene:
        node = scene.node(self.node)
        aside = placement(scene, node)[:3, 0]
        if node.parent is not None:
            aside = np.linalg.pinv(placement(scene, scene.node(node.parent))[:3, :3]) @ aside
        place = int(np.argmax(np.abs(aside)))
        half = float(f"{PANNED / 2 * _distance(scene, node):.2g}") * (1.0 if aside[place] >= 0 else -1.0)
        address = Address(node.id, f"position.{'xyz'[place]}")
        channel = find(scene, address).channel
        slug = free_slug("pan", {layer.id for layer in channel.layers})
        way = Travel(kind="travel", id=slug, label="Pan", begin=-half, finish=half, ease="linear", fit=True)
        way = way.fitted(float(scene.first), float(scene.last))
        return write(scene, address, lambda channel: channel.replaced(layers=(*channel.layers, way)))

    def describe(self, scene: Scene) -> str:
        return f"pan {scene.node(self.node).label}"


def _distance(scene: Scene, node: Node) -> float:
    """Metres to the middle of what there is to see."""
    places = [rest_position(scene, other) for other in scene.nodes if other.shape is not None and other is not node]
    if not places:
        return FAR
    away = float(np.linalg.norm(np.mean(places, axis=0) - rest_position(scene, node)))
    return away or FAR
