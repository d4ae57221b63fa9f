"""What the studio shows beside the strata: the tree of what moves, the dials, and the facts that scripts need."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np

from lazzik.core.channel.channel import Channel
from lazzik.core.evaluate.evaluator import number_on
from lazzik.core.evaluate.poses import moving_numbers
from lazzik.core.evaluate.scope import Scope
from lazzik.core.evaluate.shapes import surface_moves
from lazzik.core.geometry.primitives import base_value
from lazzik.core.scene.address import Address
from lazzik.core.scene.node import Node, channels_of
from lazzik.core.scene.scene import Scene
from lazzik.store.scenes import State
from lazzik.web.stack.view import StrataView, axis_of, facts_of
from lazzik.web.ui.knob import Knob, shown
from lazzik.web.ui.sparkline import spark

SPARK = (56.0, 14.0)

COMBINES = ("add", "subtract", "multiply", "replace")

BEYONDS = (
    ("hold", "hold"),
    ("straight", "go straight on"),
    ("repeat", "repeat"),
    ("alternate", "repeat to and fro"),
    ("accumulate", "repeat and add up"),
)
"""What the base may do beyond its keys, and how that is said."""

ICONS = {
    "group": "diagram-3", "box": "box", "ball": "circle", "tube": "capsule", "ring": "record-circle",
    "sheet": "square", "camera": "camera-video", "light": "lightbulb",
}  # fmt: skip


@dataclass(frozen=True, kw_only=True)
class ChannelRow:
    """A number of the chosen object in the tree."""

    address: str
    name: str
    axis: str
    """'x', 'y', 'z' or ''."""
    value: str
    unit: str
    spark: str
    chosen: bool
    also: bool
    """Whether it is chosen beside the one that is shown."""


@dataclass(frozen=True, kw_only=True)
class TreeRow:
    """An object in the tree; the chosen one carries its channels."""

    node: Node
    depth: int
    icon: str
    spark: str
    chosen: bool
    also: bool
    href: str
    channels: tuple[ChannelRow, ...]
    can_form: bool
    """Whether it has a shape, or shapes below it."""
    form_chosen: bool


def tree(scene: Scene, chosen: Address | None, also: tuple[Address, ...], scope: Scope, moving: bool) -> list[TreeRow]:
    """The objects, each below the one it sits under; `moving` leaves out what stands still."""
    below: dict[str | None, list[Node]] = {}
    for node in scene.nodes:
        below.setdefault(node.parent, []).append(node)
    rows: list[TreeRow] = []
    others = {address.node for address in also}
    marked = {(address.node, address.path) for address in also}

    def put(node: Node, depth: int) -> None:
        sparks = _moving(scene, node, scope)
        is_chosen = chosen is not None and chosen.node == node.id
        waves = not sparks and surface_moves(scene, node)
        if sparks or waves or is_chosen or not moving:
            rows.append(
                TreeRow(
                    node=node,
                    depth=depth,
                    icon=ICONS.get(node.what, "box"),
                    spark=next(iter(sparks.values()), ""),
                    chosen=is_chosen,
                    also=node.id in others,
                    href=f"{node.id}/{next(iter(sparks), 'shape' if waves else 'rotation.z')}",
                    channels=_channels(node, chosen, marked, sparks) if is_chosen else (),
                    can_form=node.shape is not None or bool(below.get(node.id)),
                    form_chosen=is_chosen and chosen is not None and chosen.path == "shape",
                )
            )
        for child in below.get(node.id, ()):
            put(child, depth + 1)

    for root in below.get(None, ()):
        put(root, 0)
    return rows


def dials(scene: Scene) -> list[Knob]:
    """The scene's dials as knobs."""
    rows = []
    for dial in scene.dials:
        number = dial.value if isinstance(dial.value, Channel) else Channel(value=dial.value)
        rows.append(
            Knob(
                address=f"dials/{dial.id}",
                name=dial.id,
                label=dial.label,
                value=shown(base_value(number)),
                quantity=dial.quantity,
                keyed=bool(number.keys),
                driven=number.moves,
            )
        )
    return rows


def count_moving(scene: Scene) -> int:
    """How many objects have a number or a surface that changes over time."""
    return sum(any(True for _ in moving_numbers(node)) or surface_moves(scene, node) for node in scene.nodes)


def facts(state: State, at: str, view: StrataView | None, moving_only: bool) -> dict[str, Any]:
    """What the page's scripts need to know to draw and drag what is shown."""
    scene = state.scene
    nothing: dict[str, Any] = {"channel": "", "also": [], "tracks": [], "unit": "", "step": 1.0, "lanes": []}
    return {
        "revision": state.revision,
        "at": at,
        "fps": scene.fps,
        "first": scene.first,
        "last": scene.last,
        "moving": moving_only,
        "order": node.rotation.order if (node := scene.by_id.get(at.split("/", 1)[0])) else "xyz",
    } | (facts_of(view, scene) if view else nothing)


def _moving(scene: Scene, node: Node, scope: Scope) -> dict[str, str]:
    """Sparklines of the numbers of an object that move, by path."""
    clock = scene.clock()
    return {
        path: spark(np.atleast_1d(number_on(number, clock, scope)), *SPARK) for path, number in moving_numbers(node)
    }


def _channels(
    node: Node, chosen: Address | None, marked: set[tuple[str, str]], sparks: dict[str, str]
) -> tuple[ChannelRow, ...]:
    rows = []
    for path, number, quantity in channels_of(node):
        if path.startswith(("deform.", "shape.")) and path not in sparks:
            continue  # those that stand still are seen in the rows of the shape
        address = Address(node.id, path)
        rows.append(
            ChannelRow(
                address=str(address),
                name=path.replace(".", " "),
                axis=axis_of(address),
                value=shown(base_value(number)),
                unit=quantity.unit,
                spark=sparks.get(path, ""),
                chosen=chosen is not None and chosen.path == path,
                also=(node.id, path) in marked,
            )
        )
    return tuple(rows)
