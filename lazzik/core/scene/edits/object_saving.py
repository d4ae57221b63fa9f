"""What a recipe of an object holds: the object and what belongs to it, out of the scene that they stand in."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Iterator

from lazzik.core.channel.channel import Channel
from lazzik.core.errors import InvalidEdit
from lazzik.core.scene.address import Address, exists, with_number
from lazzik.core.scene.edits.sheaves import left
from lazzik.core.scene.laying import TAKEN_WHOLE, Parts, holder_of, lying, number_of, with_parts_called
from lazzik.core.scene.node import Node
from lazzik.core.scene.object_use import MOST_OBJECTS
from lazzik.core.scene.renaming import copied
from lazzik.core.scene.scene import Scene
from lazzik.core.scene.visit import with_own_layers


def belonging(scene: Scene, main: Node, also: Collection[str] = ()) -> list[Node]:
    """What is saved with an object: what hangs under it and under others that are named, and what these are made from;
    in the order of the document."""
    found: dict[str, Node] = {}
    ahead = [main.id, *also]
    while ahead:
        for node in scene.within(scene.node(ahead.pop())):
            if node.id not in found:
                found[node.id] = node
                ahead += made_from(node)
    del found[main.id]
    return [node for node in scene.nodes if node.id in found]


def made_from(node: Node) -> Iterator[str]:
    """The objects that one makes something of: those that it repeats, sends out, fills or begins on."""
    if node.scatter is not None:
        yield from node.scatter.sources
    for part in (node.emitter, node.swarm):
        yield from (slug for name in ("of", "copy_of") if (slug := getattr(part, name, None)) is not None)


def saved_objects(
    scene: Scene, main: Node, others: Iterable[Node], names: dict[str, str] | None = None, parts: Parts = ()
) -> tuple[Node, ...]:
    """Objects as a recipe holds them: following nothing, in no sheaf, hung within the recipe alone. `names` are theirs
    there (scene -> recipe); `parts` are those of the main object that the recipe knows by other ids."""
    rows = [main, *others]
    if len(rows) > MOST_OBJECTS:
        raise InvalidEdit(f"A recipe holds at most {MOST_OBJECTS} objects; these are {len(rows)}", main.id)
    within = {node.id for node in rows}
    back = tuple((f"{holder_of(place)}{here}", place[len(holder_of(place)) :]) for place, here in parts)
    saved = []
    for node in rows:
        parent = node.parent if node.parent in within and node is not main else None
        made = with_own_layers(node.replaced(parent=parent, uses=()), lambda layer: left(scene, layer))
        made = with_parts_called(made, main.id, back)
        made = _with_ids(made, back) if node is main and back else made
        if names:
            made = copied(made, names).replaced(id=names[node.id], parent=names.get(parent or ""))
        saved.append(made)
    return tuple(saved)


def with_swaps(main: Node, parts: Parts) -> Parts:
    """Parts of an object by a recipe's places; where one of its own has the id that the recipe knows another by, the
    two swap them in the recipe."""
    more = []
    for place, here in parts:
        holder = holder_of(place)
        if place[len(holder) :] in ids_on(main, holder[:-1]):
            more.append((f"{holder}{here}", place[len(holder) :]))
    return (*parts, *(pair for pair in more if pair not in parts))


def _with_ids(main: Node, parts: Parts) -> Node:
    """An object whose parts bear other ids."""
    ids = dict(parts)
    for path, channel in lying(main):
        layers = tuple(layer.replaced(id=ids.get(f"{path}#{layer.id}", layer.id)) for layer in channel.layers)
        main = with_number(main, path.split("."), channel.replaced(layers=layers))
    deform = tuple(item.replaced(id=ids.get(f"deform.{item.id}", item.id)) for item in main.deform)
    return main.replaced(deform=deform)


def parts_of(main: Node) -> Iterator[tuple[str, str]]:
    """(place, id) of what has an id among what lies on an object: 'rotation.z#gust', 'deform.bend'."""
    for path, channel in lying(main):
        yield from ((f"{path}#{layer.id}", layer.id) for layer in channel.layers)
    yield from ((f"deform.{item.id}", item.id) for item in main.deform)


def ids_on(node: Node, holder: str) -> set[str]:
    """The ids of the layers on a number, or of the deformers ('deform')."""
    if holder == "deform":
        return {item.id for item in node.deform}
    number = number_of(node, holder)
    return {layer.id for layer in number.layers} if isinstance(number, Channel) else set()


def drives(node: Node) -> bool:
    """Whether an object has anything that a recipe would save."""
    parts = any(getattr(node, name) is not None for name in TAKEN_WHOLE)
    return bool(parts or node.deform or next(lying(node), None))


def leads_to(scene: Scene, nodes: tuple[Node, ...], address: str) -> bool:
    """Whether an address leads to a number of one of a recipe's objects."""
    fields = {name: getattr(scene, name) for name in Scene.model_fields} | {"nodes": nodes}
    # what a recipe's objects name beside each other need not be there, as it must in a scene
    alone = Scene.model_construct(**fields)
    found = (
        "/" in address and address.split("/", 1)[0] in alone.by_id and exists(alone.with_assets(scene.assets), address)
    )
    return found and not Address.parse(address).layer
