"""What an item of the shelf looks like: outlines that move, of a small scene in which it is seen."""

from __future__ import annotations

from pathlib import Path
from tempfile import TemporaryDirectory

import numpy as np

from lazzik.core.bake.flown import made_objects
from lazzik.core.evaluate.memo import Memo
from lazzik.core.evaluate.values import evaluate
from lazzik.core.formats.svg import AnimatedSvg
from lazzik.core.progress import UNHEARD, Progress
from lazzik.core.scene.edits.base import applied
from lazzik.core.scene.scene import Scene
from lazzik.core.scene.shelf_item import ShelfItem
from lazzik.core.scene.specimen import specimen
from lazzik.core.simulate.run import FolderStorage

SIZE = (288, 144)
"""Pixels."""

EVERY = 3
"""Frames from one picture to the next."""

MOST_PARTICLES = 40
MOST_COPIES = 20

DRAWN = ("recipe", "clip")
"""Sorts whose motion is drawn as a curve too."""

MARGIN = 14.0
CURVE = "#C9B98F"

MOST_LETTERS = 400_000
"""A picture that would be longer stands still."""


def shelf_picture(item: ShelfItem, progress: Progress = UNHEARD, memo: Memo | None = None) -> bytes:
    """An item as an animated SVG."""
    scene = _seen(specimen(item), progress)
    drawing = AnimatedSvg(view="front", every=EVERY, width=SIZE[0], height=SIZE[1], copies=MOST_COPIES)
    drawn = drawing.write(scene, progress, memo)
    if item.sort in DRAWN:
        drawn = _with_curve(drawn, scene, memo)
    if len(drawn) <= MOST_LETTERS:
        return drawn
    middle = (scene.first + scene.last) // 2
    still = scene.replaced(first=middle, last=middle + 1).with_assets(scene.assets)
    return drawing.replaced(every=1000).write(still, progress, memo)


def _with_curve(drawn: bytes, scene: Scene, memo: Memo | None) -> bytes:
    """The picture with the motion that it shows as a curve behind it."""
    node = next((node for node in scene.nodes if node.moving), None)
    if node is None:
        return drawn
    address = f"{node.id}/{node.moving[0][0]}"
    values = evaluate(scene, [address], scene.clock(), memo)[address]
    low, span = float(values.min()), max(float(np.ptp(values)), 1e-12)
    x = np.linspace(0, SIZE[0], len(values))
    y = SIZE[1] - MARGIN - (values - low) / span * (SIZE[1] - 2 * MARGIN)
    points = " ".join(f"{a:.1f},{b:.1f}" for a, b in zip(x, y, strict=True))
    curve = f'<polyline fill="none" stroke="{CURVE}" stroke-width="1.5" points="{points}"/>\n'
    return drawn.replace(b"<g fill-rule", curve.encode() + b"<g fill-rule", 1)


def _seen(scene: Scene, progress: Progress) -> Scene:
    """A scene whose particles are objects; in place of a swarm what it fills is seen."""
    for node in scene.nodes:
        if node.emitter is not None:
            with TemporaryDirectory() as folder:
                made = made_objects(scene, node.id, MOST_PARTICLES, FolderStorage(Path(folder)), progress)
            scene = applied(scene, made)
        elif node.swarm is not None and node.swarm.of is not None:
            scene = scene.with_node(scene.by_id[node.swarm.of].replaced(visible=True))
    return scene
