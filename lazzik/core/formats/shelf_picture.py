"""What an item of the shelf looks like: outlines that move, of a small scene in which it is seen."""

from __future__ import annotations

from pathlib import Path
from tempfile import TemporaryDirectory

from lazzik.core.bake.flown import made_objects
from lazzik.core.evaluate.memo import Memo
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

MOST_LETTERS = 400_000
"""A picture that would be longer stands still."""


def shelf_picture(item: ShelfItem, progress: Progress = UNHEARD, memo: Memo | None = None) -> bytes:
    """An item as an animated SVG."""
    scene = _seen(specimen(item), progress)
    drawing = AnimatedSvg(view="front", every=EVERY, width=SIZE[0], height=SIZE[1], copies=MOST_COPIES)
    drawn = drawing.write(scene, progress, memo)
    if len(drawn) <= MOST_LETTERS:
        return drawn
    middle = (scene.first + scene.last) // 2
    still = scene.replaced(first=middle, last=middle + 1).with_assets(scene.assets)
    return drawing.replaced(every=1000).write(still, progress, memo)


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
