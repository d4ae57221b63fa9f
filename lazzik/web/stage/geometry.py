"""Which geometry at rest the stage holds."""

from __future__ import annotations

from zlib import crc32

from lazzik.core.evaluate.variants import lent
from lazzik.core.scene.scene import Scene


def geometry_key(scene: Scene) -> str:
    """Changes when the stage has to fetch the geometry anew."""
    seen = lent(scene)
    return f"{crc32(b''.join(node.at_rest + (b'seen' if node.id in seen else b'') for node in scene.nodes)):08x}"
