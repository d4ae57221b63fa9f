"""What the list of scenes shows of each: worked out in a worker, once for each state that is looked at."""

from __future__ import annotations

from dataclasses import asdict, dataclass
from typing import Any

from lazzik.core.evaluate.scope import Scope
from lazzik.core.evaluate.seams import seams
from lazzik.core.evaluate.shapes import count_moving
from lazzik.core.formats.svg import AnimatedSvg
from lazzik.core.progress import Progress
from lazzik.core.scene.scene import Scene
from lazzik.work.source import Source
from lazzik.work.tasks import kept

SIZE = (364, 186)
"""Pixels of a picture."""

COPIES = 8
"""Of each scatter: a few tell what it is, and each takes as long as an object."""

MOST_OUTLINES = 400_000
"""Characters of outlines that are kept; a scene with more waits for its picture."""

MOST_DRAWN = 400
"""Objects up to which a scene is drawn as outlines."""


@dataclass(frozen=True, kw_only=True)
class Card:
    """A scene in a few words, and as outlines."""

    frames: int
    fps: float
    objects: int
    moving: int
    meets: bool
    """Whether all that moves comes round at the end of the range."""
    baked: bool
    outlines: str
    """SVG; '' where that would be too much."""


def card_of(source: Source, progress: Progress) -> dict[str, Any]:
    """A scene's card as plain values."""
    scene = source.read()
    progress.hear()
    moving = count_moving(scene)
    return asdict(
        Card(
            frames=scene.frames,
            fps=scene.fps,
            objects=len(scene.nodes),
            moving=moving,
            meets=moving > 0 and not seams(scene, Scope(scene, kept(), [])),
            baked=bool(scene.receipts),
            outlines=outlines(scene, progress),
        )
    )


def outlines(scene: Scene, progress: Progress) -> str:
    """The scene in the middle of its range, as a still drawing; '' where that would be too much.

    Cloth is drawn as the mesh it is made of: to let it hang until then takes seconds, and a picture of the stage, which
    shows it hanging, takes the drawing's place once a browser has seen the scene.
    """
    if len(scene.nodes) > MOST_DRAWN:
        return ""
    middle = (scene.first + scene.last) // 2
    nodes = tuple(node if node.cloth is None else node.replaced(cloth=None) for node in scene.nodes)
    still = scene.replaced(first=middle, last=middle + 1, nodes=nodes).with_assets(scene.assets)
    drawing = AnimatedSvg(width=SIZE[0], height=SIZE[1], every=1000, copies=COPIES)
    drawn = drawing.write(still, progress, kept()).decode()
    return drawn if len(drawn) <= MOST_OUTLINES else ""
