"""Edits of an object's shape: its deformers, and what of it is no number."""

from __future__ import annotations

from typing import Annotated, Any, Literal

import numpy as np
from pydantic import Field

from lazzik.core.channel.channel import base_value
from lazzik.core.deformers import BY_KIND, AnyDeformer
from lazzik.core.deformers.base import Deformer
from lazzik.core.deformers.masks import AnyMask, WeightsMask
from lazzik.core.document import Label, Name, Slug
from lazzik.core.errors import InvalidEdit, UnknownAddress
from lazzik.core.geometry.assets import pack_weights
from lazzik.core.geometry.shapes import AnyShape
from lazzik.core.scene.edits.base import Edit
from lazzik.core.scene.edits.dials import free_name
from lazzik.core.scene.morph_targets import ShapeFrames, ShapeTargets
from lazzik.core.scene.node import Look, Node
from lazzik.core.scene.rest_pose import extent
from lazzik.core.scene.scene import Scene
from lazzik.core.types import Samples


class AddDeformer(Edit):
    """Put a new deformer on an object or a group, the last to act, with first values that suit its size."""

    do: Literal["add-deformer"] = "add-deformer"
    node: Slug
    kind: str
    label: Label | None = None

    def apply(self, scene: Scene) -> Scene:
        node = scene.node(self.node)
        kind = BY_KIND.get(self.kind)
        if kind is None:
            raise InvalidEdit(f"There is no kind of deformer called '{self.kind}'", self.node)
        if node.shape is None and not scene.below.get(node.id):
            raise InvalidEdit(f"{node.label} has no shape and nothing below it that a deformer could bend", self.node)
        label = self.label or kind.title
        name = free_name(label, {item.id for item in node.deform}, "deformer")
        fields = {"kind": self.kind, "id": name, "label": label} | kind.suited(extent(scene, node))
        return scene.with_node(node.replaced(deform=(*node.deform, kind.model_validate(fields))))

    def describe(self, scene: Scene) -> str:
        return f"add {self.kind} to {scene.node(self.node).label}"


class ChangeDeformer(Edit):
    """Change what is no number about a deformer. Only the fields that are given change."""

    do: Literal["change-deformer"] = "change-deformer"
    node: Slug
    deformer: Name
    label: Label | None = None
    muted: bool | None = None
    settings: dict[str, str] = {}
    """Its choices: {'fade': 'start', 'held': 'middle'}."""
    of: Slug | None = None
    """The object that it is handed to; null gives it back to its own."""
    mask: AnyMask | None = None
    """Another mask; null takes it off."""
    mask_invert: bool | None = None

    def apply(self, scene: Scene) -> Scene:
        node, deformer = _deformer(scene, self.node, self.deformer)
        given = self.model_fields_set
        changes: dict[str, Any] = {name: getattr(self, name) for name in ("label", "muted", "mask") if name in given}
        if self.mask is not None and self.mask.model_fields_set <= {"kind", "asset", "label"}:
            changes["mask"] = _suited(scene, node, deformer, self.mask)
        choices = type(deformer).settings()
        for name, value in self.settings.items():
            if value not in choices.get(name, ()):
                allowed = f"; it may be {', '.join(choices[name])}" if name in choices else ""
                raise InvalidEdit(f"'{value}' is no {name} of a {deformer.title}{allowed}", self.where)
            changes[name] = value
        if "of" in given:
            if self.of is not None:
                scene.node(self.of)
            changes["placement"] = deformer.placement.replaced(of=self.of)
        if self.mask_invert is not None:
            if deformer.mask is None:
                raise InvalidEdit(f"{deformer.label} has no mask to turn round", self.where)
            changes["mask"] = deformer.mask.replaced(invert=self.mask_invert)
        return _with(scene, node, [deformer.replaced(**changes) if d is deformer else d for d in node.deform])

    def describe(self, scene: Scene) -> str:
        _, deformer = _deformer(scene, self.node, self.deformer)
        given = sorted(self.settings) or sorted(self.model_fields_set - {"do", "node", "deformer", "settings"})
        if given == ["muted"]:
            return f"{'mute' if self.muted else 'unmute'} {deformer.label}"
        return f"{' and '.join(given)} of {deformer.label}"


class RemoveDeformer(Edit):
    """Take a deformer off; the points are exactly what they were without it."""

    do: Literal["remove-deformer"] = "remove-deformer"
    node: Slug
    deformer: Name

    def apply(self, scene: Scene) -> Scene:
        node, gone = _deformer(scene, self.node, self.deformer)
        return _with(scene, node, [deformer for deformer in node.deform if deformer is not gone])

    def describe(self, scene: Scene) -> str:
        return f"remove {_deformer(scene, self.node, self.deformer)[1].label}"


class MoveDeformer(Edit):
    """Give a deformer another place in the order; 0 acts first."""

    do: Literal["move-deformer"] = "move-deformer"
    node: Slug
    deformer: Name
    to: Annotated[int, Field(ge=0)]

    def apply(self, scene: Scene) -> Scene:
        node, moved = _deformer(scene, self.node, self.deformer)
        rest = [deformer for deformer in node.deform if deformer is not moved]
        return _with(scene, node, [*rest[: self.to], moved, *rest[self.to :]])

    def describe(self, scene: Scene) -> str:
        return f"move {_deformer(scene, self.node, self.deformer)[1].label}"


class ChangeShape(Edit):
    """Change what is no number about a shape: its subdivisions, whether it stands on its origin, its text."""

    do: Literal["change-shape"] = "change-shape"
    node: Slug
    fields: dict[str, int | bool | str]

    def apply(self, scene: Scene) -> Scene:
        node = scene.node(self.node)
        if node.shape is None:
            raise InvalidEdit(f"{node.label} has no shape", self.node)
        known = type(node.shape).settable()
        for name in self.fields:
            if name not in known:
                raise InvalidEdit(f"A {node.shape.title.lower()} has no '{name}' that could be set", self.node)
        return scene.with_node(node.replaced(shape=node.shape.replaced(**self.fields)))

    def describe(self, scene: Scene) -> str:
        return f"{' and '.join(sorted(self.fields)).replace('_', ' ')} of {scene.node(self.node).label}"


class SetShape(Edit):
    """Give an object another shape, and take deformers off that are part of it from then on."""

    do: Literal["set-shape"] = "set-shape"
    node: Slug
    shape: AnyShape
    drop: tuple[Name, ...] = ()
    stiff: bool = False
    """Whether it is cloth no longer."""

    def apply(self, scene: Scene) -> Scene:
        node = scene.node(self.node)
        for name in self.drop:
            _deformer(scene, self.node, name)
        left = tuple(deformer for deformer in node.deform if deformer.id not in self.drop)
        cloth = None if self.stiff else node.cloth
        return scene.with_node(node.replaced(shape=self.shape, look=node.look or Look(), deform=left, cloth=cloth))

    def describe(self, scene: Scene) -> str:
        label = scene.node(self.node).label
        return f"make the shape of {label} permanent" if self.drop else f"shape of {label}"


def paint(scene: Scene, slug: str, deformer: str, weights: Samples) -> ChangeDeformer:
    """The edit that lets (n,) painted weights, one for each point of an object, be the mask of its deformer. They are
    put with the scene's assets.

    Parameters
    ----------
    weights : (n,) array
        0 to 1, one for each point.

    Returns
    -------
    ChangeDeformer

    Raises
    ------
    UnknownAddress
        If there is no such deformer.
    InvalidEdit
        If there are not as many as points, or some are no numbers.
    """
    return ChangeDeformer(node=slug, deformer=deformer, mask=painted_mask(scene, scene.node(slug), weights))


def painted_mask(scene: Scene, node: Node, weights: Samples) -> WeightsMask:
    """A mask of painted weights, which are put with the scene's assets.

    Parameters
    ----------
    weights : (n,) array
        0 to 1, one for each point of the object.

    Raises
    ------
    InvalidEdit
        If there are not as many as points, or some are no numbers.
    """
    count = len(node.shape.mesh(scene.assets).points) if node.shape else 0
    if len(weights) != count or not np.all(np.isfinite(weights)):
        raise InvalidEdit(f"{node.label} has {count:,} points; weights for {len(weights):,} were given", "weights")
    return WeightsMask(kind="weights", asset=scene.assets.put(pack_weights(np.clip(weights, 0, 1))))


class PlaceShapeBake(Edit):
    """Let what a bake made stand for an object's deformers, which are muted and kept."""

    do: Literal["place-shape-bake"] = "place-shape-bake"
    node: Slug
    targets: ShapeTargets | ShapeFrames

    def apply(self, scene: Scene) -> Scene:
        node = scene.node(self.node)
        if node.targets is not None:
            raise InvalidEdit(f"{node.label} has a baked shape already; take it back first", self.node)
        off = set(self.targets.switched_off)
        deform = tuple(d.replaced(muted=True) if d.id in off else d for d in node.deform)
        cloth = node.cloth.replaced(muted=True) if node.cloth is not None and self.targets.was_cloth else node.cloth
        return scene.with_node(node.replaced(targets=self.targets, deform=deform, cloth=cloth))

    def describe(self, scene: Scene) -> str:
        return f"bake the shape of {scene.node(self.node).label}"


class TakeBackShape(Edit):
    """Undo a bake of a shape at any later time: its deformers on again, the targets gone."""

    do: Literal["take-back-shape"] = "take-back-shape"
    node: Slug

    def apply(self, scene: Scene) -> Scene:
        node = scene.node(self.node)
        if node.targets is None:
            raise InvalidEdit(f"{node.label} has no baked shape that could be taken back", self.node)
        off = set(node.targets.switched_off)
        deform = tuple(d.replaced(muted=False) if d.id in off else d for d in node.deform)
        cloth = node.cloth.replaced(muted=False) if node.cloth is not None and node.targets.was_cloth else node.cloth
        return scene.with_node(node.replaced(targets=None, deform=deform, cloth=cloth))

    def describe(self, scene: Scene) -> str:
        return f"take back the shape of {scene.node(self.node).label}"


def _suited(scene: Scene, node: Node, deformer: Deformer, mask: AnyMask) -> AnyMask:
    """A new mask with numbers that suit the part of the object that the deformer spans."""
    size = extent(scene, node)
    low, high = size.along(deformer.axis)
    start, end = max(base_value(deformer.start), low), min(base_value(deformer.end), high)
    if start >= end:
        return mask
    suited = type(mask).suited(start, end, size).items()
    return mask.replaced(**{n: float(f"{value:.3g}") if isinstance(value, float) else value for n, value in suited})


def _deformer(scene: Scene, slug: str, name: str) -> tuple[Node, AnyDeformer]:
    node = scene.node(slug)
    deformer = node.deformer(name)
    if deformer is None:
        raise UnknownAddress(f"{node.label} has no deformer '{name}'", slug)
    return node, deformer


def _with(scene: Scene, node: Node, deformers: list[AnyDeformer]) -> Scene:
    return scene.with_node(node.replaced(deform=tuple(deformers)))
