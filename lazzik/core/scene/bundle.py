"""Which assets a scene needs, and a scene with its assets in one text."""

from __future__ import annotations

from base64 import b64decode, b64encode
from typing import Any

from lazzik.core.deformers.masks import PictureMask, WeightsMask
from lazzik.core.errors import InvalidDocument, UnknownAsset
from lazzik.core.geometry.assets import AssetStore, name_of, unpack_frames, unpack_targets, unpack_weights
from lazzik.core.geometry.font_names import SHIPPED
from lazzik.core.geometry.imported import MeshShape
from lazzik.core.geometry.lettering import Lettering
from lazzik.core.geometry.pictures import facts_of, read_grey
from lazzik.core.scene.morph_targets import ShapeTargets
from lazzik.core.scene.node import Node
from lazzik.core.scene.scene import Scene


def assets_of(node: Node) -> set[str]:
    """Names of the assets that an object needs."""
    found: set[str] = set()
    if isinstance(node.shape, MeshShape):
        found |= {node.shape.asset} | ({node.shape.weights} if node.shape.weights else set())
    if isinstance(node.shape, Lettering) and node.shape.font not in SHIPPED:
        found.add(node.shape.font)
    if node.origin is not None:
        found.add(node.origin.asset)
    if node.look is not None and node.look.picture is not None:
        found.add(node.look.picture.asset)
    if node.targets is not None:
        found.add(node.targets.asset)
    for deformer in node.deform:
        name = getattr(deformer.mask, "asset", None)
        if name:
            found.add(name)
    return found


def check_assets(node: Node, assets: AssetStore) -> None:
    """Look at all that an object needs, so that what is damaged is told now. Raises UnknownAsset, InvalidAsset."""
    shape = node.shape
    if isinstance(shape, MeshShape) or (isinstance(shape, Lettering) and shape.font not in SHIPPED):
        shape.mesh(assets)
    if isinstance(shape, MeshShape) and shape.weights:
        assets.read(shape.weights, unpack_weights)
    if node.origin is not None:
        assets.content(node.origin.asset)
    if node.look is not None and node.look.picture is not None:
        assets.read(node.look.picture.asset, facts_of)
    if isinstance(node.targets, ShapeTargets):
        _fits(node, assets.read(node.targets.asset, unpack_targets)[0].shape[1], assets)
    elif node.targets is not None:
        _fits(node, assets.read(node.targets.asset, unpack_frames).shape[1], assets)
    for deformer in node.deform:
        if isinstance(deformer.mask, PictureMask):
            assets.read(deformer.mask.asset, read_grey)
        elif isinstance(deformer.mask, WeightsMask):
            assets.read(deformer.mask.asset, unpack_weights)


def _fits(node: Node, count: int, assets: AssetStore) -> None:
    points = len(node.shape.mesh(assets).points) if node.shape is not None else 0
    if count != points:
        raise UnknownAsset(f"What {node.label} needs has {count:,} points; it has {points:,}", node.id)


def packed_assets(scene: Scene) -> dict[str, str]:
    """What is heavy of a scene as text, by name. Raises UnknownAsset."""
    names = sorted({name for node in scene.kept_nodes for name in assets_of(node)})
    return {name: b64encode(scene.assets.content(name)).decode() for name in names}


def unpack_assets(rows: Any, assets: AssetStore) -> None:
    """Keep assets that came with a text. Raises InvalidDocument if one is not what its name says."""
    if not isinstance(rows, dict):
        raise InvalidDocument("The scene can't be read: its assets are no table of names.")
    for name, text in rows.items():
        try:
            content = b64decode(text, validate=True)
        except (ValueError, TypeError):
            raise InvalidDocument(f"The scene can't be read: the asset {str(name)[:12]}… is no base64 text.") from None
        if name_of(content) != name:
            raise InvalidDocument(f"The scene can't be read: the asset {str(name)[:12]}… is not what its name says.")
        assets.put(content)
