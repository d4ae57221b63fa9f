"""Edits of objects as a whole."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from lazzik.core.air import AnyField
from lazzik.core.channel.scaling import scaled
from lazzik.core.document import Label, Slug, Typed
from lazzik.core.errors import InvalidEdit
from lazzik.core.geometry.shapes import AnyShape
from lazzik.core.layers.clip import Clip
from lazzik.core.scene.edits.aims import without_targets
from lazzik.core.scene.edits.base import Edit, free_label, free_slug
from lazzik.core.scene.edits.dials import free_name
from lazzik.core.scene.edits.scatters import without_scattered
from lazzik.core.scene.node import Camera, Light, Look, Node, Position
from lazzik.core.scene.renaming import copied, renamed_address
from lazzik.core.scene.scene import MOST_NODES, PARTS, Scene


class AddObject(Edit):
    """Put a new object into the scene: with a shape, as a light, a camera or a field of the air, or a group."""

    do: Literal["add-object"] = "add-object"
    label: Label
    shape: AnyShape | None = None
    parent: Slug | None = None
    light: Light | None = None
    camera: Camera | None = None
    field: AnyField | None = None
    position: tuple[Typed, Typed, Typed] = (0.0, 0.0, 0.0)

    def apply(self, scene: Scene) -> Scene:
        slug = free_slug(self.label, {*scene.by_id, *PARTS})
        look = Look() if self.shape else None
        x, y, z = self.position
        label = free_label(self.label, {node.label for node in scene.below.get(self.parent, ())})
        node = Node(
            id=slug, label=label, parent=self.parent, shape=self.shape, look=look, light=self.light,
            camera=self.camera, field=self.field, position=Position(x=x, y=y, z=z),
        )  # fmt: skip
        return scene.replaced(nodes=(*scene.nodes, node))

    def describe(self, scene: Scene) -> str:
        return f"add {self.label}"


class BringIn(Edit):
    """Put objects into the scene that came from a file, with what sits under what, and clips of their motion; names
    that are taken give way."""

    do: Literal["bring-in"] = "bring-in"
    label: Label
    nodes: Annotated[tuple[Node, ...], Field(min_length=1, max_length=MOST_NODES)]
    under: Slug | None = None
    clips: tuple[Clip, ...] = ()
    size: Annotated[Typed, Field(gt=0, le=1e6)] = 1.0
    """Times the size that the file says: 0.01 for one that counts in centimetres."""

    def apply(self, scene: Scene) -> Scene:
        taken = {*scene.by_id, *PARTS}
        names: dict[str, str] = {}
        for node in self.nodes:
            names[node.id] = free_slug(node.id, taken)
            taken.add(names[node.id])
        strangers = [node.parent for node in self.nodes if node.parent is not None and node.parent not in names]
        if strangers:
            raise InvalidEdit(f"An object is to sit under '{strangers[0]}', which does not come with it", strangers[0])
        brought = [
            copied(node, names).replaced(
                id=names[node.id],
                parent=names[node.parent] if node.parent else self.under,
            )
            for node in self.nodes
        ]
        if self.size != 1.0:
            brought = [_sized(node, self.size) if node.parent == self.under else node for node in brought]
        clips = list(scene.clips)
        for clip in self.clips:
            name = free_name(clip.id, {other.id for other in clips}, "clip")
            tracks = tuple(track.replaced(origin=renamed_address(track.origin, names)) for track in clip.tracks)
            clips.append(clip.replaced(id=name, tracks=tracks))
        return scene.replaced(nodes=(*scene.nodes, *brought), clips=tuple(clips))

    def describe(self, scene: Scene) -> str:
        return f"bring in {self.label}"


def _sized(node: Node, factor: float) -> Node:
    """An object at the top of what came, so many times as large, and as far from the middle."""
    position = {axis: scaled(getattr(node.position, axis), factor) for axis in "xyz"}
    scale = {axis: scaled(getattr(node.scale, axis), factor) for axis in "xyz"}
    return node.replaced(position=node.position.replaced(**position), scale=node.scale.replaced(**scale))


class ChangeObject(Edit):
    """Rename an object, hide or show it, or put it under another. Only what is given changes."""

    do: Literal["change-object"] = "change-object"
    node: Slug
    label: Label | None = None
    visible: bool | None = None
    parent: Slug | None = None

    def apply(self, scene: Scene) -> Scene:
        node = scene.node(self.node)
        changes = {name: getattr(self, name) for name in self.model_fields_set - {"do", "node"}}
        if self.label is not None or "parent" in changes:
            beside = scene.below.get(changes.get("parent", node.parent), ())
            taken = {other.label for other in beside if other.id != node.id}
            changes["label"] = free_label(self.label or node.label, taken)
        return scene.with_node(node.replaced(**changes))

    def describe(self, scene: Scene) -> str:
        label = scene.node(self.node).label
        if self.label is not None:
            return f"rename {label}"
        return f"{'show' if self.visible else 'hide'} {label}" if self.visible is not None else f"change {label}"


class RemoveObject(Edit):
    """Take an object out, with all that sits under it; and others with it, if they are named. What aims at it goes on
    aiming at the place where it stands at rest."""

    do: Literal["remove-object"] = "remove-object"
    node: Slug
    also: Annotated[tuple[Slug, ...], Field(max_length=1000)] = ()

    def apply(self, scene: Scene) -> Scene:
        gone = {scene.node(slug).id for slug in (self.node, *self.also)}
        while below := {n.id for n in scene.nodes if n.parent in gone} - gone:
            gone |= below
        if len(gone) == len(scene.nodes):
            raise InvalidEdit("The last object stays; a scene needs something to move", self.node)
        scene = without_targets(scene, gone)
        receipts = (
            receipt.replaced(lines=tuple(line for line in receipt.lines if line.address.split("/")[0] not in gone))
            for receipt in scene.receipts
        )
        return scene.replaced(
            nodes=without_scattered(scene, gone),
            receipts=tuple(receipt for receipt in receipts if receipt.lines),
        )

    def describe(self, scene: Scene) -> str:
        more = f" and {len(self.also)} more" if self.also else ""
        return f"remove {scene.node(self.node).label}{more}"
