"""What the list of scenes shows of each: worked out in a worker, once for each state that is looked at."""

from __future__ import annotations

from dataclasses import asdict, dataclass
from typing import Any

from lazzik.core.channel.channel import Channel
from lazzik.core.evaluate.evaluator import number_on
from lazzik.core.evaluate.scope import Scope
from lazzik.core.progress import Progress
from lazzik.core.scene.node import channels_of
from lazzik.core.scene.scene import Scene
from lazzik.web.studio.view import count_moving
from lazzik.web.ui.sparkline import line
from lazzik.work.source import Source
from lazzik.work.tasks import kept

SIZE = (260.0, 15.0)
"""Of one curve."""

LANES = 6
POINTS = 130


@dataclass(frozen=True, kw_only=True)
class Card:
    """A scene in a few words and curves."""

    frames: int
    fps: float
    objects: int
    moving: int
    lanes: list[str]


def card_of(source: Source, progress: Progress) -> dict[str, Any]:
    """A scene's card as plain values."""
    scene = source.read()
    progress.hear()
    return asdict(
        Card(
            frames=scene.frames,
            fps=scene.fps,
            objects=len(scene.nodes),
            moving=count_moving(scene),
            lanes=_lanes(scene, Scope(scene, kept(), [])),
        )
    )


def _lanes(scene: Scene, scope: Scope) -> list[str]:
    """A few of the scene's curves, as strata."""
    lanes: list[str] = []
    clock = scene.clock()
    for node in scene.nodes:
        if len(lanes) == LANES:
            break
        for _, number, _ in channels_of(node):
            if isinstance(number, Channel) and number.moves:
                values = number_on(number, clock, scope)
                if not isinstance(values, float | int):
                    lanes.append(line(values[:: max(1, len(values) // POINTS)], *SIZE, values.min(), values.max()))
                break
    return lanes
