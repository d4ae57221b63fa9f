"""Edits of cloth: what gives way, what it is made of, and where it is held."""

from __future__ import annotations

from typing import Annotated, Any, Literal

import numpy as np
from pydantic import Field

from lazzik.core.channel.channel import base_value
from lazzik.core.deformers.masks import AnyMask, BallMask
from lazzik.core.document import InFrames, Label, Name, Slug
from lazzik.core.errors import InvalidEdit
from lazzik.core.geometry.primitives import Sheet
from lazzik.core.scene.carried import MOST_COLLIDERS, RunName
from lazzik.core.scene.cloth import SIDES, STUFFS, Cloth, Pin
from lazzik.core.scene.edits.base import Edit, checked_choices, free_label
from lazzik.core.scene.edits.dials import free_name
from lazzik.core.scene.edits.shapes import painted_mask
from lazzik.core.scene.node import Node
from lazzik.core.scene.rest_pose import extent
from lazzik.core.scene.scene import Scene
from lazzik.core.types import Samples

CUTS = 28
"""Segments along its longer side that a sheet is cut into, if it is cut more coarsely."""

FEW = 12
"""Segments with which it is too coarse to hang."""


class Drape(Edit):
    """Make a mesh cloth of some stuff: held at its upper edge if it stands, else at its corners."""

    do: Literal["drape"] = "drape"
    node: Slug
    stuff: str = "canvas"
    pins: Annotated[tuple[Pin, ...], Field(max_length=24)] | None = None

    def apply(self, scene: Scene) -> Scene:
        node = scene.node(self.node)
        if node.shape is None:
            raise InvalidEdit(f"{node.label} has no mesh that could give way", self.node)
        if node.cloth is not None:
            raise InvalidEdit(f"{node.label} is cloth already", self.node)
        pins = (usual_pin(scene, node),) if self.pins is None else self.pins
        cloth = Cloth(pins=pins, **_stuff(self.stuff, self.node))
        return scene.with_node(_cut(node).replaced(cloth=cloth, targets=None))

    def describe(self, scene: Scene) -> str:
        return f"make {scene.node(self.node).label} cloth"


class Undrape(Edit):
    """Make an object stiff again."""

    do: Literal["undrape"] = "undrape"
    node: Slug

    def apply(self, scene: Scene) -> Scene:
        node, _ = cloth_of(scene, self.node)
        return scene.with_node(node.replaced(cloth=None))

    def describe(self, scene: Scene) -> str:
        return f"{scene.node(self.node).label} is no cloth any more"


class ChangeCloth(Edit):
    """Change what is no number about cloth. Only the fields that are given change."""

    do: Literal["change-cloth"] = "change-cloth"
    node: Slug
    settings: dict[str, str] = {}
    """Its choices: {'wind': 'still'}."""
    stuff: str | None = None
    """What it is made of: the numbers of that are set; those that are driven keep their layers."""
    colliders: Annotated[tuple[Slug, ...], Field(max_length=MOST_COLLIDERS)] | None = None
    muted: bool | None = None
    locked: RunName | None = None
    """The run that is played whatever changes; null is the one that the document asks for."""
    loop: Annotated[InFrames, Field(gt=0)] | None = None
    """Frames after which it repeats, the end blended into the beginning; null is endless."""

    def apply(self, scene: Scene) -> Scene:
        node, cloth = cloth_of(scene, self.node)
        given = self.model_fields_set
        changes: dict[str, Any] = {}
        if "locked" in given:
            changes["locked"] = self.locked
        if self.muted is not None:
            changes["muted"] = self.muted
        if self.colliders is not None:
            changes["colliders"] = self.colliders
            _solid(scene, node, self.colliders)
        if "loop" in given:
            changes |= {"loop": self.loop, "fit": False}  # a length of one's own does not follow the range
        if self.stuff is not None:
            changes |= _made_of(cloth, self.stuff, self.node)
        changes |= checked_choices(Cloth.settings(), self.settings, "cloth", self.node)
        return scene.with_node(node.replaced(cloth=cloth.replaced(**changes)))

    def describe(self, scene: Scene) -> str:
        label = scene.node(self.node).label
        if self.stuff is not None:
            return f"{label} is {self.stuff}"
        said = sorted(self.settings) or sorted(self.model_fields_set - {"do", "node", "settings"})
        return f"{' and '.join(said) or 'change'} of {label}"


class AddPin(Edit):
    """Hold cloth at another place: at an edge ('left edge'), all corners ('corners'), one of them ('left top corner'),
    or where a mask counts ('mask')."""

    do: Literal["pin"] = "pin"
    node: Slug
    place: Annotated[str, Field(max_length=60)]
    mask: AnyMask | None = None
    to: Slug | None = None
    label: Label | None = None

    def apply(self, scene: Scene) -> Scene:
        node, cloth = cloth_of(scene, self.node)
        if self.to is not None:
            scene.node(self.to)
        label = free_label(self.label or self.place.capitalize(), {pin.label for pin in cloth.pins})
        name = free_name(label, {pin.id for pin in cloth.pins}, "pin")
        place = _place(self.place, self.mask or _ball(scene, node), self.node)
        pin = Pin(id=name, label=label, to=self.to, **place)
        return scene.with_node(node.replaced(cloth=cloth.replaced(pins=(*cloth.pins, pin))))

    def describe(self, scene: Scene) -> str:
        return f"pin {scene.node(self.node).label}"


class ChangePin(Edit):
    """Change where cloth is held, or by what. Only the fields that are given change."""

    do: Literal["change-pin"] = "change-pin"
    node: Slug
    pin: Name
    place: Annotated[str, Field(max_length=60)] | None = None
    mask: AnyMask | None = None
    to: Slug | None = None
    """The object that it follows; null is the one that is cloth."""
    label: Label | None = None

    def apply(self, scene: Scene) -> Scene:
        node, cloth = cloth_of(scene, self.node)
        pin = _pin_of(node, cloth, self.pin)
        changes: dict[str, Any] = {"to": self.to} if "to" in self.model_fields_set else {}
        if self.to is not None:
            scene.node(self.to)
        if self.label is not None:
            changes["label"] = self.label
        elif (
            self.place is not None and pin.label.lower() == pin.where
        ):  # called by where it is: that is another one now
            changes["label"] = free_label(self.place.capitalize(), {each.label for each in cloth.pins})
        if self.place is not None or self.mask is not None:
            mask = self.mask or pin.mask or _ball(scene, node)
            changes |= _place(self.place or "mask", mask, self.node)
        changed = pin.replaced(**changes)
        pins = tuple(changed if each is pin else each for each in cloth.pins)
        return scene.with_node(node.replaced(cloth=cloth.replaced(pins=pins)))

    def describe(self, scene: Scene) -> str:
        node, cloth = cloth_of(scene, self.node)
        return f"{_pin_of(node, cloth, self.pin).label} of {node.label}"


class RemovePin(Edit):
    """Hold cloth no more at a place."""

    do: Literal["unpin"] = "unpin"
    node: Slug
    pin: Name

    def apply(self, scene: Scene) -> Scene:
        node, cloth = cloth_of(scene, self.node)
        gone = _pin_of(node, cloth, self.pin)
        pins = tuple(pin for pin in cloth.pins if pin is not gone)
        return scene.with_node(node.replaced(cloth=cloth.replaced(pins=pins)))

    def describe(self, scene: Scene) -> str:
        return f"unpin {scene.node(self.node).label}"


def paint_pin(scene: Scene, slug: str, pin: str, weights: Samples) -> AddPin | ChangePin:
    """The edit that holds cloth where weights are over a half: by a pin that it has, or by another one. The weights are
    put with the scene's assets.

    Parameters
    ----------
    weights : (n,) array
        0 to 1, one for each point of the object.

    Raises
    ------
    UnknownAddress, InvalidEdit
        If there is no such cloth, or there are not as many as points.
    """
    node, cloth = cloth_of(scene, slug)
    mask = painted_mask(scene, node, weights)
    if cloth.pin(pin) is None:
        return AddPin(node=slug, place="mask", mask=mask, label="Painted")
    return ChangePin(node=slug, pin=pin, mask=mask)


def cloth_of(scene: Scene, slug: str) -> tuple[Node, Cloth]:
    """An object and what makes it cloth. Raises UnknownAddress, and InvalidEdit if it is stiff."""
    node = scene.node(slug)
    if node.cloth is None:
        raise InvalidEdit(f"{node.label} is no cloth", slug)
    return node, node.cloth


def usual_pin(scene: Scene, node: Node) -> Pin:
    """Where an object would be held if nothing is said: at its upper edge if it stands, at its corners if it lies."""
    box = extent(scene, node)
    sides = np.array(box.high) - np.array(box.low)
    if sides[1] > 0.3 * sides.max():
        return Pin(id="top_edge", label="Top edge", at="edge", side="top")
    return Pin(id="corners", label="Corners", at="corners")


def _pin_of(node: Node, cloth: Cloth, pin_id: str) -> Pin:
    pin = cloth.pin(pin_id)
    if pin is None:
        raise InvalidEdit(f"{node.label} has no pin '{pin_id}'", node.id)
    return pin


def _place(words: str, mask: AnyMask, where: str) -> dict[str, Any]:
    """The fields of a pin that is there. Raises InvalidEdit for words that say no place."""
    *sides, what = words.lower().split() or [""]
    plain: dict[str, Any] = {"at": what, "side": "top", "other": None, "mask": None}
    if what == "mask" and not sides:
        return plain | {"mask": mask}
    if what == "corners" and not sides:
        return plain
    if all(side in SIDES for side in sides):
        if what == "edge" and len(sides) == 1:
            return plain | {"side": sides[0]}
        if what == "corner" and len(sides) == 2 and SIDES[sides[0]][0] != SIDES[sides[1]][0]:
            return plain | {"side": sides[0], "other": sides[1]}
    raise InvalidEdit(
        f"'{words}' is no place of cloth; it may be 'corners', 'mask', an edge as 'left edge', or a corner as "
        "'left top corner'",
        where,
    )


def _ball(scene: Scene, node: Node) -> BallMask:
    """A mask about the middle of an object, a quarter as large."""
    box = extent(scene, node)
    low, high = np.array(box.low), np.array(box.high)
    x, y, z = (0.5 * (low + high)).tolist()
    return BallMask(kind="ball", along=x, side=y, across=z, radius=float(f"{0.125 * (high - low).max():.3g}"), rim=0.0)


def _stuff(name: str, where: str) -> dict[str, float]:
    if name not in STUFFS:
        raise InvalidEdit(f"'{name}' is no stuff that is known; it may be {', '.join(STUFFS)}", where)
    return dict(STUFFS[name])


def _made_of(cloth: Cloth, stuff: str, where: str) -> dict[str, Any]:
    """Its numbers, as the stuff has them; driven ones with another base."""
    made: dict[str, Any] = {}
    for name, value in _stuff(stuff, where).items():
        number = getattr(cloth, name)
        made[name] = value if isinstance(number, float | int) else number.replaced(value=value)
    return made


def stuff_of(cloth: Cloth) -> str:
    """The stuff whose numbers cloth has; '' if they are its own."""
    for stuff, numbers in STUFFS.items():
        if all(base_value(getattr(cloth, name)) == value for name, value in numbers.items()):
            return stuff
    return ""


def _solid(scene: Scene, node: Node, colliders: tuple[str, ...]) -> None:
    """Raises InvalidEdit where cloth would meet what has no shape, or itself."""
    for slug in colliders:
        if scene.node(slug).shape is None:
            raise InvalidEdit(f"{scene.node(slug).label} has no shape", slug)
        if slug == node.id:
            raise InvalidEdit(f"{node.label} can't meet itself", slug)


def _cut(node: Node) -> Node:
    """The same, a sheet cut finely enough to hang."""
    shape = node.shape
    if not isinstance(shape, Sheet) or min(shape.columns, shape.rows) >= FEW:
        return node
    wide, high = base_value(shape.width), base_value(shape.height)
    per = CUTS / max(wide, high)
    cuts = {name: min(512, max(FEW, round(per * side))) for name, side in (("columns", wide), ("rows", high))}
    return node.replaced(shape=shape.replaced(**{name: max(n, getattr(shape, name)) for name, n in cuts.items()}))
