"""Whose shape is changed by what: the deformers that act on an object, and the objects that an edit may reshape."""

from __future__ import annotations

from collections.abc import Iterator

from lazzik.core.channel.channel import Channel
from lazzik.core.channel.layer import numbers_of
from lazzik.core.deformers.base import Deformer
from lazzik.core.evaluate.transforms import moves
from lazzik.core.scene.morph_targets import ShapeFrames, ShapeTargets
from lazzik.core.scene.node import Node
from lazzik.core.scene.references import node_reads, same_air
from lazzik.core.scene.scene import Scene


def shapes_over_time(scene: Scene, node: Node) -> bool:
    """Whether an object has a shape that something changes: a driven size, a deformer on it or above it, or that it
    is cloth."""
    if node.shape is None:
        return False
    return _changes_itself(node) or any(map(_deforms, _owners(scene, node)))


def _owners(scene: Scene, node: Node) -> Iterator[Node]:
    """Objects whose deformers act on an object's shape: itself, then the groups above it."""
    return (owner for owner in scene.lineage(node) if owner is node or owner.shape is None)


def _changes_itself(node: Node) -> bool:
    """Whether something of an object alone changes its shape. Kept in the object, which never changes."""
    kept: bool | None = node.__dict__.get("_changes_itself")
    if kept is None:
        numbers = [getattr(node.shape, name) for name in numbers_of(type(node.shape))] if node.shape else []
        driven = any(isinstance(number, Channel) for number in numbers)
        kept = node.__dict__["_changes_itself"] = driven or node.targets is not None or hangs_as_cloth(node)
    return kept


def _deforms(owner: Node) -> bool:
    """Whether a deformer of an object acts. Kept in the object."""
    kept: bool | None = owner.__dict__.get("_deforms")
    if kept is None:
        kept = owner.__dict__["_deforms"] = any(map(_acts, owner.deform))
    return kept


def _acts(deformer: Deformer) -> bool:
    return not deformer.muted and deformer.weight != 0.0


def hangs_as_cloth(node: Node) -> bool:
    """Whether an object gives way."""
    return node.cloth is not None and not node.cloth.muted


def surface_moves(scene: Scene, node: Node) -> bool:
    """Whether an object's surface can change from one frame to another."""
    if node.shape is None:
        return False
    if hangs_as_cloth(node):
        return True
    numbers: list[float | Channel] = [getattr(node.shape, name) for name in numbers_of(type(node.shape))]
    if isinstance(node.targets, ShapeTargets):
        numbers += [row.weight for row in node.targets.rows]
    for owner, deformer in acting(scene, node):
        numbers += [number for _, number in deformer.stored()]
        apart = [part for part in scene.lineage(node) if owner not in (node, part)] if owner is not node else []
        other = scene.by_id.get(deformer.placement.of or "")
        world = [*scene.lineage(node), *(scene.lineage(other) if other else ())] if deformer.worldly else apart
        if deformer.moves_itself or any(moves(scene, part) for part in world):
            return True
    return isinstance(node.targets, ShapeFrames) or any(isinstance(n, Channel) and n.moves for n in numbers)


def count_moving(scene: Scene) -> int:
    """How many objects have a number or a surface that changes over time. Kept in the scene, which never changes."""
    kept: int | None = scene.__dict__.get("_moving_count")
    if kept is None:
        kept = sum(bool(node.moving) or surface_moves(scene, node) for node in scene.nodes)
        scene.__dict__["_moving_count"] = kept
    return kept


def acting(scene: Scene, node: Node) -> Iterator[tuple[Node, Deformer]]:
    """The deformers that act on an object's shape, in the order in which they do: its own, then those of the groups
    above it. Those of an object with a shape are that shape's alone."""
    for owner in _owners(scene, node):
        for deformer in owner.deform:
            if _acts(deformer):
                yield owner, deformer


def reshaped(before: Scene, after: Scene, changed: list[Node]) -> list[Node]:
    """Objects whose points may differ between two scenes, given those that differ in anything."""
    ids = {node.id for node in changed}
    touched = dict.fromkeys(ids, True) | {
        node.id: True for node in after.nodes if node.deform and _lies_by_others(node)
    }

    def lies_below(node: Node) -> bool:
        """Whether an object, or one above it, is touched: found once for all that hang under the same."""
        found = touched.get(node.id)
        if found is None:
            found = touched[node.id] = node.parent is not None and lies_below(after.by_id[node.parent])
        return found

    found = [node for node in after.nodes if node.shape is not None and lies_below(node)
             and _reshaped(before, after, node, ids)]  # fmt: skip
    if same_air(before, after):
        return found
    known = {node.id for node in found}
    return [node for node in after.nodes if node.id in known or _in_air(after, node)]


def _in_air(scene: Scene, node: Node) -> bool:
    """Whether the air bends an object."""
    return node.shape is not None and any(deformer.in_air for _, deformer in acting(scene, node))


def _lies_by_others(node: Node) -> bool:
    """Whether a deformer of an object lies by another one. Kept in the object, which never changes."""
    kept: bool | None = node.__dict__.get("_lies_by_others")
    if kept is None:
        kept = node.__dict__["_lies_by_others"] = any(deformer.placement.of for deformer in node.deform)
    return kept


def _reshaped(before: Scene, after: Scene, node: Node, changed: set[str]) -> bool:
    old = before.by_id.get(node.id)
    if old is None or old.shape != node.shape or shapes_over_time(before, old) != shapes_over_time(after, node):
        return True
    if not shapes_over_time(after, node):
        return False
    if old.deform is not node.deform:
        return True
    chain = list(after.lineage(node))
    if not changed & {part.id for part in chain}:
        others = {of for _, deformer in acting(after, node) if (of := deformer.placement.of) is not None}
        return any(changed & {part.id for part in after.lineage(after.by_id[o])} for o in others if o in after.by_id)
    # it or something above it differs: points do, unless its own deformers alone act and read nothing of the world
    alone = all(owner is node and not deformer.worldly for owner, deformer in acting(after, node))
    return not alone or (node.id in changed and (old is node or bool(node_reads(node))))


def shapes_below(scene: Scene, node: Node) -> Iterator[Node]:
    """The shapes on which an object's deformers act: its own, or all that lie below it."""
    if node.shape is not None:
        yield node
        return
    waiting = list(scene.below.get(node.id, ()))
    while waiting:
        here = waiting.pop(0)
        waiting += scene.below.get(here.id, ())
        if here.shape is not None:
            yield here
