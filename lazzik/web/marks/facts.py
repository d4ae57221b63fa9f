"""What the scripts are told of marks, to draw and drag them."""

from __future__ import annotations

from typing_extensions import TypedDict

from lazzik.core.scene.mark import MarkColor
from lazzik.core.scene.scene import Scene


class MarkFacts(TypedDict):
    """A mark on the ruler."""

    id: str
    label: str
    frame: int
    color: MarkColor
    remark: str


def mark_facts(scene: Scene) -> list[MarkFacts]:
    """The marks of a scene, in the order of their frames."""
    return [
        {"id": mark.id, "label": mark.label, "frame": mark.frame, "color": mark.color, "remark": mark.remark}
        for mark in sorted(scene.marks, key=lambda mark: mark.frame)
    ]
