"""Poses and clips as the sheet shows them."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lazzik.core.channel.channel import as_channel
from lazzik.core.clock import Clock
from lazzik.core.evaluate.evaluator import number_on
from lazzik.core.evaluate.scope import Scope
from lazzik.core.layers.clip import Clip
from lazzik.core.scene.address import Address, title
from lazzik.core.scene.node import Node
from lazzik.core.scene.scene import Scene
from lazzik.web.ui.sparkline import line

SIZE = (150.0, 36.0)


MOST_CURVES = 5


@dataclass(frozen=True, kw_only=True)
class PoseChoice:
    """Numbers that a pose or a clip may be made of."""

    name: str
    addresses: tuple[str, ...]


def pose_choices(scene: Scene, node: Node | None, numbers: tuple[str, ...]) -> list[PoseChoice]:
    """The shown numbers, the object, and all below it."""
    shown = title(scene, Address.parse(numbers[0])) if len(numbers) == 1 else f"the {len(numbers)} chosen numbers"
    out = [PoseChoice(name=shown, addresses=numbers)]
    chosen = [scene.by_id[slug] for slug in dict.fromkeys(n.split("/", 1)[0] for n in numbers) if slug in scene.by_id]
    if len(chosen) > 1:
        together = tuple(f"{item.id}/{path}" for item in chosen for path, _ in item.moving)
        out.append(PoseChoice(name=f"all that moves of the {len(chosen)} chosen objects", addresses=together))
    if node is None:
        return out
    whole = tuple(f"{node.id}/{part}.{axis}" for part in ("position", "rotation", "scale") for axis in "xyz")
    below, ahead = [], [node]
    while ahead:
        here = ahead.pop(0)
        below.append(here)
        ahead += scene.below.get(here.id, ())
    moving = [(item, f"{item.id}/{path}") for item in below for path, _ in item.moving]
    own = tuple(address for item, address in moving if item is node)
    return [
        *out,
        PoseChoice(name=f"place, turn and size of {node.label}", addresses=whole),
        PoseChoice(name=f"all that moves of {node.label} ({len(own)})", addresses=own),
        PoseChoice(
            name=f"all that moves of {node.label} and below it ({len(moving)})", addresses=tuple(a for _, a in moving)
        ),
    ]


def clip_curves(scene: Scene, clip: Clip, scope: Scope) -> list[str]:
    """The first tracks of a clip, each to its own height."""
    clock = Clock(scene.fps, 0, np.linspace(0, clip.length, 90))
    curves = []
    for track in clip.tracks[:MOST_CURVES]:
        values = np.broadcast_to(number_on(as_channel(track.motion), clock, scope), clock.frames.shape)
        curves.append(line(values, *SIZE, float(values.min()), float(values.max())))
    return curves
