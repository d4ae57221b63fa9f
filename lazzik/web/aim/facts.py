"""What the scripts are told of the chosen object's aim, to draw it on the stage."""

from __future__ import annotations

from typing_extensions import TypedDict

from lazzik.core.channel.channel import base_value
from lazzik.core.scene.node import Node


class AimFacts(TypedDict):
    """Where an object looks."""

    node: str
    target: str | None
    """The object that it aims at; null for a point of the scene."""
    point: tuple[float, float, float]
    """In the target's space, or the scene's."""


def aim_facts(node: Node | None) -> AimFacts | None:
    """Of an object that aims."""
    if node is None or node.aim is None or not node.aim.acts:
        return None
    point = node.aim.point
    x, y, z = (base_value(number) for number in (point.x, point.y, point.z))
    return {"node": node.id, "target": node.aim.target, "point": (x, y, z)}
