"""What cloth shows: its numbers, choices and pins as controls."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from lazzik.core.channel.layer import numbers_of
from lazzik.core.deformers.masks import WeightsMask
from lazzik.core.document import counts_under, option_of
from lazzik.core.scene.cloth import SIDES, STUFFS, Cloth, Pin
from lazzik.core.scene.edits.cloths import stuff_of
from lazzik.core.scene.node import Node
from lazzik.core.scene.rest_pose import extent
from lazzik.core.scene.scene import Scene
from lazzik.web.shape.controls import loop_field, number_control
from lazzik.web.ui.controls import Control, Group, Select, grouped, select_of

TITLES = {"does": "What it is made of", "wind": "What moves it", "time": "In time", "where": "Held at"}


@dataclass(frozen=True, kw_only=True)
class PinView:
    """A place where it is held."""

    pin: Pin
    follows: str
    """What the object is called that it follows; '' for the cloth itself."""
    group: Group
    painted: bool


@dataclass(frozen=True, kw_only=True)
class ClothView:
    """Cloth laid open."""

    node: Node
    cloth: Cloth
    stuff: str
    """What it is made of; '' if its numbers are its own."""
    points: int
    """Of its mesh."""
    places: tuple[str, ...]
    """Where it could be held."""
    colliders: tuple[tuple[str, str], ...]
    """The objects that it meets: (id, what it is called)."""
    offered: tuple[tuple[str, str], ...]
    """And those that it could meet."""
    groups: tuple[Group, ...]
    pins: tuple[PinView, ...]


def cloth_view(scene: Scene, node: Node, cloth: Cloth) -> ClothView:
    """What an object is as cloth."""
    assert node.shape is not None
    solid = tuple(
        (each.id, scene.called[each.id]) for each in scene.nodes if each.shape is not None and each is not node
    )
    places = tuple(_places(scene, node))
    return ClothView(
        node=node,
        cloth=cloth,
        stuff=stuff_of(cloth),
        points=len(np.unique(node.shape.mesh(scene.assets).places[0])),
        places=places,
        colliders=tuple((slug, scene.called[slug]) for slug in cloth.colliders),
        offered=tuple(row for row in solid if row[0] not in cloth.colliders),
        groups=grouped(f"{node.id}-cloth", _controls(scene, node, cloth), titles=TITLES),
        pins=tuple(_pin(scene, node, pin, places) for pin in cloth.pins),
    )


def _controls(scene: Scene, node: Node, cloth: Cloth) -> Iterator[Control]:
    edit = {"do": "change-cloth", "node": node.id}
    stuff = stuff_of(cloth)
    own = () if stuff else (("", "its own"),)
    yield Select(
        id="cl-stuff", label="stuff", help="What it is made of: sets the numbers beside it.", value=stuff,
        options=(*own, *((name, name) for name in STUFFS)), edit=edit, into="stuff",
    )  # fmt: skip
    chosen = {name: str(getattr(cloth, name)) for name in Cloth.settings()}
    for name, values in Cloth.settings().items():
        yield select_of(
            option_of(Cloth, name), name, values, chosen[name], id=f"cl-{name}", edit=edit, into=f"settings.{name}"
        )
    yield from (
        number_control(scene, node, f"cloth.{name}")
        for name, quantity in numbers_of(Cloth).items()
        if counts_under(quantity.only, chosen) and (name != "blend" or cloth.loop is not None)
    )
    yield loop_field("cl", cloth.loop, edit, "it repeats, its end blended into its beginning")


def _pin(scene: Scene, node: Node, pin: Pin, places: tuple[str, ...]) -> PinView:
    edit = {"do": "change-pin", "node": node.id, "pin": pin.id}
    others = tuple((each.id, scene.called[each.id]) for each in scene.nodes if each is not node)
    controls: list[Control] = [
        Select(
            id=f"pin-{pin.id}-where", label="where", help="Where it is held.", value=pin.where,
            options=tuple((place, place) for place in dict.fromkeys((*places, pin.where))), edit=edit, into="place",
            group="where",
        ),
        Select(
            id=f"pin-{pin.id}-to", label="follows", help="What takes these points along.", value=pin.to or "",
            options=(("", "itself"), *others), edit=edit, into="to", takes="slug", group="where",
        ),
        number_control(scene, node, f"cloth.pins.{pin.id}.strength"),
    ]  # fmt: skip
    if pin.mask is not None:
        controls += [
            number_control(scene, node, f"cloth.pins.{pin.id}.mask.{name}", about="where")
            for name in numbers_of(type(pin.mask))
        ]
    return PinView(
        pin=pin,
        follows=scene.called[pin.to] if pin.to is not None else "",
        group=grouped(f"{node.id}-pin-{pin.id}", controls, titles={"where": pin.label, "mask": "Mask"})[0],
        painted=isinstance(pin.mask, WeightsMask),
    )


def _places(scene: Scene, node: Node) -> Iterator[str]:
    """Where an object could be held: along those of its sides that it has any extent across, at its corners."""
    box = extent(scene, node)
    sizes = np.array(box.high) - np.array(box.low)
    wide = [side for side, (axis, _) in SIDES.items() if sizes[axis] > 1e-6 * sizes.max()]
    yield from (f"{side} edge" for side in wide)
    yield "corners"
    first, second = sorted(np.argsort(-sizes, kind="stable")[:2].tolist())
    yield from (
        f"{one} {other} corner"
        for one, (axis, _) in SIDES.items()
        if axis == first
        for other, (across, _) in SIDES.items()
        if across == second
    )
    yield "mask"
