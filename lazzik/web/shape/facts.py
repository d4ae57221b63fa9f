"""What the scripts are told of an object's shape: the open deformer, and its handles on the stage."""

from __future__ import annotations

from dataclasses import asdict
from typing import cast

from typing_extensions import TypedDict

from lazzik.core.deformers.handles import handles_of
from lazzik.core.deformers.placement import Axis
from lazzik.web.shape.view import ShapeView

Place = tuple[float, float, float]


class HandleFacts(TypedDict):
    """A point of the deformer's coordinates that can be dragged. One that sets a single number runs along the axis, and
    the number is sign · (u - origin); one that sets three goes freely."""

    name: str
    label: str
    at: Place
    sets: list[str]
    origin: float
    sign: float
    length: bool
    """Whether the number is a length, which is never below nothing."""
    within: bool
    """Whether its numbers are coordinates of the object rather than of the deformer."""


class PlacedHandles(TypedDict):
    """Handles with the coordinates that they stand in."""

    axis: Axis
    of: str | None
    """The object that it was handed to."""
    place: Place
    turn: Place
    points: list[HandleFacts]


class ShapeFacts(TypedDict):
    """An object's shape, as it is open."""

    node: str
    deformer: str
    """'' where there is none."""
    handles: PlacedHandles | None
    pushes: bool
    """Whether the open deformer pushes points one way, so that its height can be shaded."""


def shape_facts(view: ShapeView) -> ShapeFacts:
    """Of a shape and its open deformer."""
    row = next((row for row in view.rows if row.chosen), None)
    facts: ShapeFacts = {
        "node": view.node.id,
        "deformer": row.deformer.id if row else "",
        "handles": None,
        "pushes": view.pushes,
    }
    if row:
        numbers = row.numbers
        facts["handles"] = {
            "axis": row.deformer.axis,
            "of": row.deformer.placement.of,
            "place": (numbers["placement.x"], numbers["placement.y"], numbers["placement.z"]),
            "turn": (numbers["placement.turn_x"], numbers["placement.turn_y"], numbers["placement.turn_z"]),
            "points": [cast(HandleFacts, asdict(handle)) for handle in handles_of(row.deformer, numbers)],
        }
    return facts
