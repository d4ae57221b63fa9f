"""A recipe of an object on an object: what it makes of it, and what is there of its own beside that.

With s the use's factor inside (own space: size here / size of the recipe) and S the one outside (the same with both
objects' scales), a length of the recipe becomes

    s · length      of deformers, shapes, and of where what hangs under the object lies
    S · length      of its position, and of where what stands beside it lies

while angles, times and speeds of the air stay. What hangs directly under it is scaled by s, what stands beside it by S.

What a use has of its own is what differs from what the recipe makes of it, so that a changed recipe is followed by
taking these differences over (`following`).
"""

from __future__ import annotations

import re
from collections.abc import Collection, Iterator
from typing import Any

from lazzik.core.channel.channel import Channel, as_channel, base_value, simplest
from lazzik.core.channel.layer import Layer
from lazzik.core.channel.scaling import moved_base
from lazzik.core.scene.address import with_number
from lazzik.core.scene.differences import ABSENT, BASE, ORDER, Difference, differences, with_differences
from lazzik.core.scene.node import CARRIED, Node, Position, channels_of
from lazzik.core.scene.object_recipe import ObjectRecipe
from lazzik.core.scene.object_use import ObjectUse
from lazzik.core.scene.renaming import copied, readdressed
from lazzik.core.scene.sizing import WITH_SPEEDS, larger, sized, with_carriers_sized

Parts = tuple[tuple[str, str], ...]
"""(place, id): 'rotation.z#gust' or 'deform.bend' of a recipe, and the id that it has where it is used."""

TAKEN_WHOLE = ("aim", "field", "scatter", *CARRIED)
"""Parts of an object that come from a recipe as they are, and of which an object has one."""


def laid(recipe: ObjectRecipe, use: ObjectUse, main: Node) -> tuple[Node, tuple[Node, ...]]:
    """What a recipe makes of an object that has nothing of it yet, and the other objects as it brings them."""
    names = _names(recipe, use, main)
    there = with_parts_called(copied(recipe.main, names), main.id, use.parts)
    ids = dict(use.parts)
    for path, channel in lying(there):
        layers = tuple(_sized_layer(layer, path, use, ids) for layer in channel.layers)
        main = _with_layers(main, path, layers)
    deform = tuple(
        sized(item, use.inside, WITH_SPEEDS).replaced(id=ids.get(f"deform.{item.id}", item.id)) for item in there.deform
    )
    if deform:
        main = main.replaced(deform=(*main.deform, *deform))
    whole: dict[str, Any] = {name: part for name in TAKEN_WHOLE if (part := getattr(there, name)) is not None}
    if main.look is None and main.shape is not None and there.look is not None:
        whole["look"] = there.look
    if not there.visible:  # it is there for what is made of it
        whole["visible"] = False
    if whole:
        main = with_carriers_sized(main.replaced(**whole), use.inside)
    others = tuple(_beside(recipe, node, use, main, names) for node in recipe.others if node.id in names)
    return main, others


def bare(recipe: ObjectRecipe, use: ObjectUse, main: Node) -> Node:
    """An object without what a recipe put on it."""
    ids = dict(use.parts)
    for path, channel in lying(recipe.main):
        own = {ids.get(f"{path}#{layer.id}", layer.id) for layer in channel.layers}
        main = _without_layers(main, path, own)
    own = {ids.get(f"deform.{item.id}", item.id) for item in recipe.main.deform}
    deform = tuple(item for item in main.deform if item.id not in own)
    back: dict[str, Any] = {name: None for name in TAKEN_WHOLE if getattr(recipe.main, name) is not None}
    if not recipe.main.visible:
        back["visible"] = True
    return main.replaced(deform=deform, **back)


def lying(node: Node) -> Iterator[tuple[str, Channel]]:
    """The layered numbers of an object that are none of a part that is taken whole: (path, channel)."""
    for path, number, _ in channels_of(node):
        if path.partition(".")[0] not in ("deform", *TAKEN_WHOLE) and isinstance(number, Channel) and number.layers:
            yield path, number


def address_here(recipe: ObjectRecipe, use: ObjectUse, main: Node, address: str) -> str:
    """An address among a recipe's objects as it is in the scene; as it stands, if it leads elsewhere."""
    slug, stroke, path = address.partition("/")
    path = _path_here(use.parts, path) if slug == recipe.main.id else path
    return f"{_names(recipe, use, main).get(slug, slug)}{stroke}{path}"


def following(before: Node, now: Node, after: Node) -> Node:
    """An object as a recipe makes it now, with what it had of its own beside what the recipe made of it before."""
    own = [row for row in differences(before, now) if _has_place(after, row)]
    return with_differences(after, own)


def without_lost(node: Node, there: Collection[str]) -> Node:
    """An object that names none but those that are there: what is lost of what its parts need falls away."""
    changes: dict[str, Any] = {}
    if node.aim is not None and node.aim.target is not None and node.aim.target not in there:
        changes["aim"] = None
    if node.scatter is not None:
        changes["scatter"] = node.scatter.without({slug for slug in node.scatter.refers if slug not in there})
    deform = tuple(
        item.replaced(placement=item.placement.replaced(of=None))
        if item.placement.of is not None and item.placement.of not in there
        else item
        for item in node.deform
    )
    gone = {slug for slug in (node.carried.refers if node.carried is not None else ()) if slug not in there}
    node = node.with_carried(lambda part: part.without(gone)) if gone else node
    if any(new is not old for new, old in zip(deform, node.deform, strict=True)):
        changes["deform"] = deform
    return node.replaced(**changes) if changes else node


def _names(recipe: ObjectRecipe, use: ObjectUse, main: Node) -> dict[str, str]:
    return {recipe.main.id: main.id, **dict(use.objects)}


def with_parts_called(node: Node, main: str, parts: Parts) -> Node:
    """An object whose layers read parts of the main object by the ids that these have now, (place, id) each."""

    def here(address: str) -> str:
        slug, stroke, path = address.partition("/")
        return f"{slug}{stroke}{_path_here(parts, path)}" if slug == main else address

    return readdressed(node, here) if parts else node


def _path_here(parts: Parts, path: str) -> str:
    """A path of a main object, with the ids that its parts have now."""
    for there, here in parts:
        if path == there or path.startswith((f"{there}.", f"{there}#")):
            return f"{holder_of(there)}{here}{path[len(there) :]}"
    return path


def holder_of(place: str) -> str:
    """What stands before the id of a part: 'rotation.z#' of 'rotation.z#gust', 'deform.' of 'deform.bend'."""
    return place[: -len(re.split("[.#]", place)[-1])]


def _beside(recipe: ObjectRecipe, there: Node, use: ObjectUse, main: Node, names: dict[str, str]) -> Node:
    """One of the other objects: under what it hangs under, or beside the object that the recipe is on."""
    node = with_parts_called(copied(there, names), main.id, use.parts)
    node = node.replaced(id=names[there.id], parent=names.get(there.parent or "", main.parent), uses=())
    node = with_carriers_sized(node, use.inside if there.parent in names else use.outside)
    if there.parent == recipe.main.id:
        return larger(node, use.inside)
    if there.parent in names:
        return node
    node = larger(node, use.outside)
    by = {
        axis: base_value(getattr(main.position, axis)) - use.outside * base_value(getattr(recipe.main.position, axis))
        for axis in "xyz"
    }
    place = {axis: moved_base(getattr(node.position, axis), by[axis]) for axis in "xyz"}
    return node.replaced(position=Position(**place))


def _sized_layer(layer: Layer, path: str, use: ObjectUse, ids: dict[str, str]) -> Layer:
    root = path.partition(".")[0]
    factor = {"position": use.outside, "shape": use.inside}.get(root, 1.0)
    if factor != 1.0 and layer.combine != "multiply":
        layer = layer.scaled(factor)
    slug = ids.get(f"{path}#{layer.id}", layer.id)
    return layer if slug == layer.id else layer.replaced(id=slug)


def _with_layers(node: Node, path: str, layers: tuple[Layer, ...]) -> Node:
    """An object with more layers on one of its numbers; as it is, if it has no such number."""
    number = number_of(node, path)
    if number is None:
        return node
    channel = as_channel(number)
    return with_number(node, path.split("."), channel.replaced(layers=(*channel.layers, *layers)))


def _without_layers(node: Node, path: str, gone: Collection[str]) -> Node:
    number = number_of(node, path)
    if not isinstance(number, Channel):
        return node
    staying = tuple(layer for layer in number.layers if layer.id not in gone)
    return with_number(node, path.split("."), simplest(number.replaced(layers=staying)))


def number_of(node: Node, path: str) -> float | Channel | None:
    """The number of an object at a path; None if it has none there."""
    return next((number for here, number, _ in channels_of(node) if here == path), None)


def _has_place(part: Any, row: Difference) -> bool:
    """Whether a difference can be taken over by a part of the document: what it is in is there, and what goes too."""
    *way, last = row.path
    for step in way:
        part = _inner(part, step)
        if part is ABSENT:
            return False
    if row.before is ABSENT or last in (ORDER, BASE):
        return True
    return _inner(part, last) is not ABSENT


def _inner(part: Any, step: str) -> Any:
    if isinstance(part, tuple):
        return next((item for item in part if getattr(item, "id", None) == step), ABSENT)
    if isinstance(part, float | int) and step == "layers":
        return ()
    return getattr(part, step, ABSENT)
