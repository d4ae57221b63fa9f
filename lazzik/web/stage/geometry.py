"""Which geometry at rest the stage holds."""

from __future__ import annotations

from zlib import crc32

from lazzik.core.evaluate.variants import lent
from lazzik.core.scene.node import Node
from lazzik.core.scene.scene import Scene


def geometry_key(scene: Scene) -> str:
    """Changes when the stage has to fetch the geometry anew."""
    seen = lent(scene)
    parts = [(n.id, n.parent, n.visible or n.id in seen, n.visible, _shape(n), *_seen(n)) for n in scene.nodes]
    return f"{crc32(str(parts).encode()):08x}"


def _shape(node: Node) -> str | None:
    """What it is shaped by, written down in a fifth of the time that its fields take one by one."""
    return None if node.shape is None else node.shape.model_dump_json()


def _seen(node: Node) -> tuple[object, ...]:
    """What of a look and a light is in the geometry."""
    picture = node.look.picture if node.look else None
    light = node.light and (node.light.kind, node.light.color)
    return (node.look and node.look.color, picture and (picture.asset, picture.beyond), light)
