"""What long work did to a scene, carried over to one that has gone on meanwhile.

Work that was begun on a scene reads parts of it and changes parts of it. If neither is another by now, what it did
holds for the newer scene too. What it read is taken to be all that what it changed depends on: the objects above and
below it, whatever its numbers read at any depth, and the scene's clock.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from lazzik.core.errors import Overtaken
from lazzik.core.scene.node import Node
from lazzik.core.scene.references import node_reads, seen_by
from lazzik.core.scene.scene import Scene

CLOCK = ("fps", "first", "last")
ROWS = ("dials", "recipes", "object_recipes", "clips", "sheaves", "poses", "marks", "receipts")


@dataclass(frozen=True)
class SceneDifference:
    """What leads from one scene to another: little, as long as they share much."""

    fields: dict[str, Any]
    """Fields of the scene beside its objects that are others."""
    order: tuple[str, ...]
    nodes: tuple[Node, ...]
    """Objects that are others, or new."""


def difference(before: Scene, after: Scene) -> SceneDifference:
    """What leads from a scene to what was made of it, found by identity."""
    names = [name for name in type(after).model_fields if name != "nodes"]
    fields = {name: getattr(after, name) for name in names if getattr(after, name) is not getattr(before, name)}
    return SceneDifference(fields, tuple(node.id for node in after.nodes), tuple(after.others(before)))


def with_difference(before: Scene, made: SceneDifference) -> Scene:
    """The scene that a difference leads to. It shares with `before` whatever is the same."""
    nodes = {**before.by_id, **{node.id: node for node in made.nodes}}
    return before.replaced(**made.fields, nodes=tuple(nodes[slug] for slug in made.order))


def carried(before: Scene, after: Scene, head: Scene) -> Scene:
    """`head` with what led from `before` to `after`. Raises Overtaken, naming what is another by now."""
    if head is before or head == before:
        return after
    for field in CLOCK:
        if getattr(before, field) != getattr(head, field):
            raise _overtaken(f"the scene's {'rate' if field == 'fps' else 'range'}")
    moved = _others(before, head)
    for node in _read(before, after):
        if node.id in moved:
            raise _overtaken(head.by_id.get(node.id, node).label)
    fields = {name: _row(name, before, after, head) for name in ("name", *CLOCK, *ROWS)}
    return head.replaced(**fields, nodes=_nodes(before, after, head))


def _others(a: Scene, b: Scene) -> set[str]:
    """Slugs of objects that are not the same in both."""
    return {
        slug
        for slug in a.by_id.keys() | b.by_id.keys()
        if (one := a.by_id.get(slug)) is not (other := b.by_id.get(slug)) and one != other
    }


def _read(before: Scene, after: Scene) -> list[Node]:
    """The objects that work changed, those above and below them, and those that their numbers read."""
    found: dict[str, Node] = {}
    for scene in (before, after):
        ahead = [scene.by_id[slug] for slug in _others(before, after) if slug in scene.by_id]
        for node in list(ahead):
            ahead += scene.lineage(node)
        while ahead:
            node = ahead.pop()
            if node.id in found and found[node.id] is node:
                continue
            found[node.id] = node
            reads = frozenset().union(*node_reads(node).values())
            ahead += [part for part in seen_by(scene, reads) if isinstance(part, Node)]
            ahead += scene.below.get(node.id, ())
    return list(found.values())


def _row(name: str, before: Scene, after: Scene, head: Scene) -> Any:
    """A field of the scene: whichever of the two changed it."""
    was, did, now = (getattr(scene, name) for scene in (before, after, head))
    if now == was:
        return did
    if did == was:
        return now
    raise _overtaken(f"the scene's {name}")


def _nodes(before: Scene, after: Scene, head: Scene) -> tuple[Node, ...]:
    """The objects: in the order of whichever of the two changed it, each as whoever changed it has it."""
    order = [[(node.id, node.parent) for node in scene.nodes] for scene in (before, after, head)]
    if order[1] != order[0] and order[2] != order[0]:
        raise _overtaken("the tree of objects")
    mine = _others(before, after)
    tree = after if order[1] != order[0] else head
    return tuple(after.by_id[n.id] if n.id in mine else head.by_id[n.id] for n in tree.nodes)


def _overtaken(what: str) -> Overtaken:
    return Overtaken(
        f"While this was worked out, {what} became another, so it was not stored. Nothing is lost; do it again."
    )
