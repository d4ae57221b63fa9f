"""Which assets a scene needs, and a scene with its assets in one text."""

from __future__ import annotations

from base64 import b64decode, b64encode
from typing import Any

from lazzik.core.errors import InvalidDocument
from lazzik.core.geometry.assets import asset, hold, name_of
from lazzik.core.geometry.imported import MeshShape
from lazzik.core.geometry.lettering import SHIPPED, Lettering
from lazzik.core.scene.node import Node


def assets_of(node: Node) -> set[str]:
    """Names of the assets that an object needs."""
    found: set[str] = set()
    if isinstance(node.shape, MeshShape):
        found |= {node.shape.asset} | ({node.shape.weights} if node.shape.weights else set())
    if isinstance(node.shape, Lettering) and node.shape.font not in SHIPPED:
        found.add(node.shape.font)
    if node.origin is not None:
        found.add(node.origin.asset)
    if node.targets is not None:
        found.add(node.targets.asset)
    for deformer in node.deform:
        name = getattr(deformer.mask, "asset", None)
        if name:
            found.add(name)
    return found


def packed_assets(nodes: tuple[Node, ...]) -> dict[str, str]:
    """The assets of objects as text, by name. Raises UnknownAsset."""
    names = sorted({name for node in nodes for name in assets_of(node)})
    return {name: b64encode(asset(name)).decode() for name in names}


def hold_assets(assets: Any) -> None:
    """Keep assets that came with a text. Raises InvalidDocument if one is not what its name says."""
    if not isinstance(assets, dict):
        raise InvalidDocument("The scene can't be read: its assets are no table of names.")
    for name, text in assets.items():
        try:
            content = b64decode(text, validate=True)
        except (ValueError, TypeError):
            raise InvalidDocument(f"The scene can't be read: the asset {str(name)[:12]}… is no base64 text.") from None
        if name_of(content) != name:
            raise InvalidDocument(f"The scene can't be read: the asset {str(name)[:12]}… is not what its name says.")
        hold(content)
