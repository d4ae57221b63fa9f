"""What a file would bring into a scene, told before it does: what, how large, how it looks from the front, and what of
it is left out or kept aside."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from lazzik.core.formats.importer import import_files
from lazzik.core.formats.svg import AnimatedSvg
from lazzik.core.geometry.assets import AssetStore
from lazzik.core.progress import Progress
from lazzik.core.scene.node import Node
from lazzik.core.scene.rest_pose import placement
from lazzik.core.scene.scene import Scene

PICTURE = (360, 200)
"""Dots of the picture."""

MOST_DRAWN = 60
"""Objects up to which it is drawn."""

MOST_TRIANGLES = 60_000
"""Triangles up to which it is drawn."""

MOST_CHARACTERS = 300_000
"""Characters of a picture that are sent."""


@dataclass(frozen=True, kw_only=True)
class Preview:
    """What a file would bring."""

    label: str
    objects: tuple[str, ...]
    """Labels, parents before what hangs under them."""
    triangles: int
    size: tuple[float, float, float]
    """Metres along x, y, z of all of it at rest, before it is scaled."""
    moving: int
    """Objects that move."""
    clips: tuple[str, ...]
    notes: tuple[str, ...]
    """What is left out of it or kept aside, in sentences."""
    drawn: str
    """SVG; '' where that would be too much."""


def preview_files(scene: Scene, files: Mapping[str, bytes], depth: float, progress: Progress) -> Preview:
    """What files would bring into a scene; nothing of them is kept. Raises InvalidAsset."""
    assets = AssetStore()
    made = import_files(scene.with_assets(assets), files, depth=depth)
    progress.hear()
    nodes = made.edit.nodes
    alone = Scene(name=made.edit.label, fps=scene.fps, nodes=nodes).with_assets(assets)
    shaped = [node for node in nodes if node.shape is not None]
    triangles = sum(len(node.shape.mesh(assets).triangles) for node in shaped if node.shape is not None)
    return Preview(
        label=made.edit.label,
        objects=tuple(node.label for node in nodes),
        triangles=triangles,
        size=_size(alone, shaped),
        moving=sum(bool(node.moving) for node in nodes),
        clips=tuple(clip.label for clip in made.edit.clips),
        notes=made.notes,
        drawn=_drawn(alone, shaped, triangles, progress),
    )


def _size(scene: Scene, shaped: list[Node]) -> tuple[float, float, float]:
    low, high = np.full(3, np.inf), np.full(3, -np.inf)
    for node in shaped:
        assert node.shape is not None
        (a, b), matrix = node.shape.mesh(scene.assets).bounds, placement(scene, node)
        corners = np.array([[(a, b)[k >> axis & 1][axis] for axis in range(3)] for k in range(8)])
        there = corners @ matrix[:3, :3].T + matrix[:3, 3]
        low, high = np.minimum(low, there.min(axis=0)), np.maximum(high, there.max(axis=0))
    x, y, z = (high - low).tolist() if shaped else (0.0, 0.0, 0.0)
    return x, y, z


def _drawn(scene: Scene, shaped: list[Node], triangles: int, progress: Progress) -> str:
    if not shaped or len(shaped) > MOST_DRAWN or triangles > MOST_TRIANGLES:
        return ""
    still = scene.replaced(first=0, last=1).with_assets(scene.assets)
    picture = AnimatedSvg(view="front", width=PICTURE[0], height=PICTURE[1], every=1000)
    drawn = picture.write(still, progress, None).decode()
    return drawn if len(drawn) <= MOST_CHARACTERS else ""
