"""A reason why something does not show, and those that lie with the object itself."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

import numpy as np

from lazzik.core.channel.channel import Channel
from lazzik.core.evaluate.evaluator import number_on
from lazzik.core.evaluate.scope import Scope
from lazzik.core.scene.node import Node
from lazzik.core.scene.scene import Scene

UNSEEN = 0.02
"""Part of a well-seen change below which a motion is too small to be seen."""

STILL = 1e-9


@dataclass(frozen=True)
class Reason:
    """Why something does not show."""

    text: str
    mend: str = ""
    """What the button says; '' if only the person can mend it."""
    edits: tuple[dict[str, Any], ...] = ()


def unseen(scene: Scene, node: Node) -> Iterator[Reason]:
    """What hides an object or makes nothing of it, itself or anything above it."""
    for here in scene.lineage(node):
        if not here.visible:
            shown = ({"do": "change-object", "node": here.id, "visible": True},)
            yield Reason(f"{here.label} is hidden.", "Show it", shown)
        for axis, number in (("x", here.scale.x), ("y", here.scale.y), ("z", here.scale.z)):
            if number == 0.0:
                edits = set_to(f"{here.id}/scale.{axis}", 1.0)
                yield Reason(f"{here.label} is scaled to nothing along {axis}.", "Set it to 1", edits)


def set_to(address: str, value: float) -> tuple[dict[str, Any], ...]:
    """The edit that sets a number."""
    return ({"do": "set", "address": address, "value": float(value)},)


def largest(number: float | Channel, scene: Scene, scope: Scope, centre: float = 0.0) -> float:
    """How far a number goes from a value at most, over the scene's range."""
    return float(np.abs(np.asarray(number_on(number, scene.clock(), scope)) - centre).max())
