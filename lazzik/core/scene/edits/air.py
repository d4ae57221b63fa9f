"""Edits of the air: the fields that move it, and what stands in it."""

from __future__ import annotations

import re
from collections.abc import Iterator
from typing import Annotated, Any, Literal
from zlib import crc32

import numpy as np
from pydantic import Field

from lazzik.core.air import FIELD_KINDS, AirField
from lazzik.core.channel.channel import Channel, as_channel
from lazzik.core.channel.layer import Layer
from lazzik.core.deformers.extent import Extent
from lazzik.core.deformers.sway import Sway
from lazzik.core.document import InFrames, Label, Slug
from lazzik.core.errors import InvalidEdit
from lazzik.core.layers.breeze import Breeze
from lazzik.core.layers.link import Link
from lazzik.core.layers.octaves import lattice
from lazzik.core.scene.dial import TAKEN, Dial
from lazzik.core.scene.edits.base import Edit, checked_choices, free_label, free_slug
from lazzik.core.scene.edits.copies import SetPivot
from lazzik.core.scene.edits.dials import free_name
from lazzik.core.scene.edits.objects import AddObject
from lazzik.core.scene.node import Node
from lazzik.core.scene.rest_pose import extent, placement
from lazzik.core.scene.scene import Scene

APART = 0.2
"""Share by which the frequency of a thing may differ from what suits its size, so that no two are alike."""

SLENDER = 3.0
"""Times its width that a thing is at least high to be bent along its height, and not turned as a whole."""

BENDS_FROM = 6
"""Segments along its height from which a mesh is fine enough to be bent."""

USUAL_LEAN = 9.0
"""Degrees to which a wind of 10 m/s holds a thing of 1 Hz."""

MIDDLE = 0.2
"""Share of its height by which the origin of a thing lies above its foot, and below its head, from which it is neither
at one nor at the other."""

STANDS = "stands"
"""The id of what an object answers the air with, and how the dial of a whole choice begins."""


class ChangeField(Edit):
    """Change what is no number about how an object moves the air. Only the fields that are given change."""

    do: Literal["change-field"] = "change-field"
    node: Slug
    settings: dict[str, str] = {}
    """Its choices: {'reach': 'within', 'carried': 'own'}."""
    muted: bool | None = None
    loop: Annotated[InFrames, Field(gt=0)] | None = None
    """Frames after which it repeats; null is endless."""

    def apply(self, scene: Scene) -> Scene:
        node, field = field_of(scene, self.node)
        changes: dict[str, Any] = {} if self.muted is None else {"muted": self.muted}
        if "loop" in self.model_fields_set:
            changes |= {"loop": self.loop, "fit": False}  # a length of one's own does not follow the range
        changes |= checked_choices(type(field).settings(), self.settings, f"a {field.title}", self.node)
        return scene.with_node(node.replaced(field=field.replaced(**changes)))

    def describe(self, scene: Scene) -> str:
        label = scene.node(self.node).label
        if self.muted is not None:
            return f"{'mute' if self.muted else 'unmute'} {label}"
        return f"{' and '.join(sorted(self.settings)) or 'loop'} of {label}"


class StandInWind(Edit):
    """Let objects answer the air, each as suits its height and how slender it is, none like its neighbour.

    A slender mesh that is fine enough bends along its height (Sway); all else turns (Breeze): about its origin where
    that is at its foot or, for what hangs, at its head; otherwise about its foot, which becomes its pivot. A group
    whose members are several of a kind stands member by member, any other as a whole. What stands already stays as it
    is. One dial makes the whole choice calmer or wilder; what stands beside things that have one joins theirs. A scene
    without any field of the air gets a wind.
    """

    do: Literal["stand-in-wind"] = "stand-in-wind"
    nodes: Annotated[tuple[Slug, ...], Field(min_length=1, max_length=10_000)]
    label: Label | None = None
    """What the dial is called; else it is called by the first thing."""

    def apply(self, scene: Scene) -> Scene:
        things = [thing for slug in self.nodes for thing in things_of(scene, scene.node(slug))]
        new = [thing for thing in dict.fromkeys(things) if not stands(thing)]
        if not new:
            which = "They all stand" if len(things) > 1 else f"{scene.node(self.nodes[0]).label} stands"
            raise InvalidEdit(f"{which} in the wind already", self.nodes[0])
        if not scene.fields:
            scene = AddObject(label="Wind", field=FIELD_KINDS["wind"].model_validate({"kind": "wind"})).apply(scene)
        dial = _dial_beside(scene, things)
        if dial is None:
            owner = scene.node(self.nodes[0])
            label = free_label(self.label or f"{owner.label} in the wind", {dial.label for dial in scene.dials})
            name = free_name(f"{STANDS} {label}", {dial.id for dial in scene.dials} | TAKEN, STANDS)
            dial = Dial(id=name, label=label, note="How much of the wind they answer: 0 is none.")
            scene = scene.with_part(dial)
        for thing in new:
            scene = _standing(scene, thing, dial)
        return scene

    def describe(self, scene: Scene) -> str:
        first, *more = (scene.node(slug).label for slug in self.nodes)
        return f"{first} and {len(more)} more stand in the wind" if more else f"{first} stands in the wind"

    @property
    def where(self) -> str:
        return self.nodes[0]


def field_of(scene: Scene, slug: str) -> tuple[Node, AirField]:
    """An object and how it moves the air. Raises UnknownAddress, and InvalidEdit if it does not."""
    node = scene.node(slug)
    if node.field is None:
        raise InvalidEdit(f"{node.label} does not move the air", slug)
    return node, node.field


def things_of(scene: Scene, node: Node) -> list[Node]:
    """What stands where an object is chosen: itself, or the members of a group that are several of a kind."""
    members = scene.below.get(node.id, ())
    stems = [re.sub(r"[ \d]+$", "", member.label) for member in members]
    several = len(members) > 1 and len(set(stems)) < len(members)
    if node.what != "group" or not several:
        return [node]
    return [thing for member in members for thing in things_of(scene, member)]


def stands(node: Node) -> bool:
    """Whether an object answers the air by a layer on its turning, or by bending."""
    turning = (node.rotation.x, node.rotation.z)
    return any(isinstance(layer, Breeze) for number in turning for layer in as_channel(number).layers) or any(
        isinstance(item, Sway) and item.in_air for item in node.deform
    )


def _dial_beside(scene: Scene, things: list[Node]) -> Dial | None:
    """The dial of what stands beside these, or among them."""
    parents = {thing.parent for thing in things}
    beside = [*things, *(node for parent in parents for node in scene.below.get(parent, ()) if parent is not None)]
    for node in beside:
        for number in _weights(node):
            for layer in as_channel(number).layers:
                dial = scene.dial(layer.source.removeprefix("dials/")) if isinstance(layer, Link) else None
                if dial is not None and dial.id.startswith(STANDS):
                    return dial
    return None


def _weights(node: Node) -> Iterator[float | Channel]:
    for number in (node.rotation.x, node.rotation.z):
        yield from (layer.weight for layer in as_channel(number).layers if isinstance(layer, Breeze))
    yield from (item.weight for item in node.deform if isinstance(item, Sway))


def _standing(scene: Scene, node: Node, dial: Dial) -> Scene:
    size = extent(scene, node)
    height, width = _measures(scene, node, size)
    frequency = suited_frequency(height, width) * (1.0 + APART * lattice(crc32(node.id.encode()), 0, 0))
    frequency = float(f"{frequency:.3g}")
    lean = float(f"{min(max(USUAL_LEAN / frequency**2, 0.5), 40.0):.3g}")
    weight = Channel(layers=(Link(kind="link", id=STANDS, label=dial.label, source=f"dials/{dial.id}"),))
    if node.shape is not None and height >= SLENDER * width and _fine(node):
        sway = Sway.model_validate(
            {"kind": "sway", "id": _free(node), "label": "In the wind", "wind": "air", "axis": "y",
             "start": size.low[1], "end": size.high[1], "angle": lean, "period": float(f"{1 / frequency:.3g}"),
             "tip": 0.4, "tip_period": float(f"{0.35 / frequency:.3g}")}
        )  # fmt: skip
        return scene.with_node(node.replaced(deform=(*node.deform, sway.replaced(weight=weight))))
    below, above = -size.low[1], size.high[1]
    if min(below, above) > MIDDLE * (below + above):
        scene = SetPivot(node=node.id, box="base", stay="rest").apply(scene)
        node, below = scene.node(node.id), 0.0
    layers = {}
    # turning by +z carries what is above the origin toward −x, by +x toward +z; what hangs goes the other way
    way = 1.0 if above > below else -1.0
    for axis, what, gain in (("x", "z", way * lean), ("z", "x", -way * lean)):
        channel = as_channel(getattr(node.rotation, axis))
        breeze = Breeze(
            kind="breeze", id=free_slug(STANDS, {layer.id for layer in channel.layers}), label="In the wind",
            gain=gain, frequency=frequency, what=what, weight=weight,
        )  # fmt: skip
        stack: tuple[Layer, ...] = (*channel.layers, breeze)
        layers[axis] = channel.replaced(layers=stack)
    return scene.with_node(node.replaced(rotation=node.rotation.replaced(**layers)))


def suited_frequency(height: float, width: float) -> float:
    """Hz at which a thing of this size swings: f ∝ √(width/height)/height, which falls with its height and rises with
    its stoutness, less steeply than a solid beam does, since trees and fabric give; within what can be seen.

    A pole of 2 m with a width of 0.1 m swings twice in three seconds.
    """
    return float(min(max(6.0 * (width / height) ** 0.5 / height, 0.25), 6.0))


def _measures(scene: Scene, node: Node, size: Extent) -> tuple[float, float]:
    """Metres that a thing is high and wide in the scene."""
    times = np.linalg.norm(placement(scene, node)[:3, :3], axis=0)
    x, y, z = (times * (np.array(size.high) - np.array(size.low))).tolist()
    return max(y, 0.02), max(min(x, z), 0.005)


def _fine(node: Node) -> bool:
    """Whether a shape has enough segments along its height to be bent."""
    cuts = type(node.shape).cut_by.get("y", "") if node.shape is not None else ""
    return bool(cuts) and getattr(node.shape, cuts) >= BENDS_FROM


def _free(node: Node) -> str:
    return free_name(STANDS, {item.id for item in node.deform}, STANDS)
