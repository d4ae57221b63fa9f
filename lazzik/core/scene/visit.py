"""Changing every layer of a scene, or of a part of it, at any depth, and all else that may repeat; what does not change
is shared."""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterable, Iterator

from lazzik.core.channel.channel import Channel, as_channel
from lazzik.core.channel.layer import Layer, numbers_of
from lazzik.core.channel.repeats import Repeats
from lazzik.core.scene.address import Address, with_number, write
from lazzik.core.scene.aim import Aim
from lazzik.core.scene.node import CARRIED, Node, channels_of
from lazzik.core.scene.scene import Scene

Change = Callable[[Layer], Layer]


def with_layers(number: float | Channel, change: Change) -> float | Channel:
    """A number with a change made to each of its layers and to the layers on their numbers, innermost first."""
    if not isinstance(number, Channel) or not number.layers:
        return number
    layers = tuple(change(layer.with_each_number(lambda own: with_layers(own, change))) for layer in number.layers)
    same = all(new is old for new, old in zip(layers, number.layers, strict=True))
    return number if same else number.replaced(layers=layers)


def layered(scene: Scene) -> Iterator[tuple[str, Channel]]:
    """Every number of the scene that has layers, as (address, channel): of objects, then dials, recipes, sheaves and
    clips."""
    for node in scene.nodes:
        for path, number, _ in channels_of(node):
            if isinstance(number, Channel) and number.layers:
                yield f"{node.id}/{path}", number
    for dial in scene.dials:
        if isinstance(dial.value, Channel) and dial.value.layers:
            yield f"dials/{dial.id}", dial.value
    for recipe in scene.recipes:
        if recipe.stack.layers:
            yield f"recipes/{recipe.id}", recipe.stack
    for sheaf in scene.sheaves:
        if isinstance(sheaf.weight, Channel) and sheaf.weight.layers:
            yield sheaf.address, sheaf.weight
    for clip in scene.clips:
        for track in clip.tracks:
            if track.motion.layers:
                yield clip.address(track), track.motion


def with_layers_at(scene: Scene, addresses: list[str], change: Change) -> Scene:
    """The scene with a change made to every layer of some numbers. Raises UnknownAddress."""
    for address in addresses:
        scene = write(scene, Address.parse(address), lambda channel: as_channel(with_layers(channel, change)))
    return scene


def with_own_layers(node: Node, change: Change) -> Node:
    """An object with a change made to every layer on its numbers; itself if none of them changed."""
    for path, number, _ in channels_of(node):
        if (new := with_layers(number, change)) is not number:
            node = with_number(node, path.split("."), new)
    return node


def with_every_layer(scene: Scene, change: Change) -> Scene:
    """The scene with a change made to every layer in it."""
    moved = [address for address, number in layered(scene) if with_layers(number, change) is not number]
    return with_layers_at(scene, moved, change)


def with_repeating(scene: Scene, change: Callable[[Repeats], Repeats], slugs: Collection[str] | None = None) -> Scene:
    """The scene with a change made to all that repeats beside its layers, or to that of some objects: aims, fields and
    deformers."""
    return scene.with_nodes(
        new
        for node in scene.nodes
        if slugs is None or node.id in slugs
        if (new := parts_repeating(node, change)) is not node
    )


def parts_repeating(node: Node, change: Callable[[Repeats], Repeats]) -> Node:
    """An object with a change made to all of it that repeats beside its layers; itself if none of it changed."""
    changes: dict[str, object] = {}
    for name in ("aim", "field", "scatter", *CARRIED):
        part: Repeats | None = getattr(node, name)
        if part is not None and (new := change(part)) is not part:
            changes[name] = new
    deform = tuple(change(item) if isinstance(item, Repeats) else item for item in node.deform)
    if any(new is not old for new, old in zip(deform, node.deform, strict=True)):
        changes["deform"] = deform
    return node.replaced(**changes) if changes else node


def with_recipe_objects(scene: Scene, change: Callable[[Node], Node]) -> Scene:
    """The scene with a change made to each object of its recipes."""
    if not scene.object_recipes:
        return scene
    return scene.replaced(
        object_recipes=tuple(
            recipe.replaced(nodes=tuple(change(node) for node in recipe.nodes)) for recipe in scene.object_recipes
        )
    )


def with_aims(scene: Scene, change: Callable[[Aim], Aim], slugs: Collection[str] | None = None) -> Scene:
    """The scene with a change made to every aim in it, or to those of some objects."""
    for node in scene.nodes:
        if node.aim is not None and (slugs is None or node.id in slugs) and (new := change(node.aim)) is not node.aim:
            scene = scene.with_node(node.replaced(aim=new))
    return scene


def new_layers(before: Node | None, after: Node) -> Iterator[str]:
    """Addresses of the layers on an object's numbers that were not there before."""
    had = {f"{path}#{layer.id}" for path, layer in _layers_of(before)} if before is not None else set()
    for path, layer in _layers_of(after):
        if f"{path}#{layer.id}" not in had:
            yield f"{after.id}/{path}#{layer.id}"


def _layers_of(node: Node) -> Iterator[tuple[str, Layer]]:
    for path, number, _ in channels_of(node):
        if isinstance(number, Channel):
            yield from ((path, layer) for layer in number.layers)


def all_members(scene: Scene) -> dict[str, tuple[str, ...]]:
    """Addresses of the layers in each sheaf that has any, those of objects first."""
    found: dict[str, list[str]] = {}
    for part in _all_sheaved(scene):
        for name, rows in part.items():
            found.setdefault(name, []).extend(rows)
    return {name: tuple(rows) for name, rows in found.items()}


def members(scene: Scene, sheaf: str) -> tuple[str, ...]:
    """Addresses of the layers in a sheaf."""
    return all_members(scene).get(sheaf, ())


def layers_on(number: float | Channel, address: str) -> Iterator[tuple[str, Layer]]:
    """Layers on a number, and on the numbers of its layers, with their addresses."""
    if not isinstance(number, Channel):
        return
    for layer in number.layers:
        here = f"{address}#{layer.id}"
        yield here, layer
        for name in numbers_of(type(layer)):
            yield from layers_on(getattr(layer, name), f"{here}.{name}")


def _all_sheaved(scene: Scene) -> Iterator[dict[str, tuple[str, ...]]]:
    """Addresses of layers by the sheaf that they are in: of one object after the other, then of dials."""
    yield from map(_sheaved, scene.nodes)
    for dial in scene.dials:
        yield _by_sheaf(layers_on(dial.value, f"dials/{dial.id}"))


def _sheaved(node: Node) -> dict[str, tuple[str, ...]]:
    """Addresses of an object's layers by the sheaf that they are in. Kept in the object, which never changes."""
    kept: dict[str, tuple[str, ...]] | None = node.__dict__.get("_sheaved")
    if kept is None:
        every = (row for path, number, _ in channels_of(node) for row in layers_on(number, f"{node.id}/{path}"))
        kept = node.__dict__["_sheaved"] = _by_sheaf(every)
    return kept


def _by_sheaf(layers: Iterable[tuple[str, Layer]]) -> dict[str, tuple[str, ...]]:
    found: dict[str, list[str]] = {}
    for address, layer in layers:
        if layer.sheaf is not None:
            found.setdefault(layer.sheaf, []).append(address)
    return {name: tuple(rows) for name, rows in found.items()}


def without_empty_sheaves(scene: Scene) -> Scene:
    """The scene without sheaves that hold nothing any more."""
    empty = {sheaf.id for sheaf in scene.sheaves}
    for part in _all_sheaved(scene):
        if not empty:
            return scene
        empty.difference_update(part)
    return scene.replaced(sheaves=tuple(sheaf for sheaf in scene.sheaves if sheaf.id not in empty)) if empty else scene
