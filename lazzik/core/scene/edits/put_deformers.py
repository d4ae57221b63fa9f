"""Copied deformers put on objects, sized to each."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from lazzik.core.deformers import AnyDeformer
from lazzik.core.deformers.masks import WeightsMask
from lazzik.core.document import Finite, Slug
from lazzik.core.errors import InvalidEdit
from lazzik.core.scene.edits.base import Edit
from lazzik.core.scene.edits.dials import free_name
from lazzik.core.scene.node import MOST_DEFORMERS, Node
from lazzik.core.scene.rest_pose import extent
from lazzik.core.scene.scene import Scene
from lazzik.core.scene.sizing import WITH_SPEEDS, sized


class PutDeformers(Edit):
    """Put copied deformers on objects, after those that are there or in their place, as many times as large as each
    object is than the one that they were copied from. Painted weights stay behind: they are of one mesh."""

    do: Literal["put-deformers"] = "put-deformers"
    nodes: Annotated[tuple[Slug, ...], Field(min_length=1, max_length=1000)]
    deformers: Annotated[tuple[AnyDeformer, ...], Field(min_length=1, max_length=MOST_DEFORMERS)]
    size: Annotated[Finite, Field(gt=0)] | None = None
    """Metres that the object they come from spans; without it they keep their lengths."""
    how: Literal["on-top", "instead"] = "on-top"

    def apply(self, scene: Scene) -> Scene:
        return scene.with_nodes([self._on(scene, scene.node(slug)) for slug in dict.fromkeys(self.nodes)])

    def _on(self, scene: Scene, node: Node) -> Node:
        if node.shape is None and not scene.below.get(node.id):
            raise InvalidEdit(f"{node.label} has no shape and nothing below it that a deformer could bend", node.id)
        factor = extent(scene, node).size / self.size if self.size is not None else 1.0
        row = list(node.deform) if self.how == "on-top" else []
        for item in self.deformers:
            of = item.placement.of if item.placement.of in scene.by_id else None
            mask = None if isinstance(item.mask, WeightsMask) else item.mask
            placed = item.replaced(
                id=free_name(item.label, {other.id for other in row}, "deformer"),
                placement=item.placement.replaced(of=of), mask=mask,
            )  # fmt: skip
            row.append(sized(placed, factor, WITH_SPEEDS))
        return node.replaced(deform=tuple(row))

    def describe(self, scene: Scene) -> str:
        what = self.deformers[0].label if len(self.deformers) == 1 else f"{len(self.deformers)} deformers"
        on = scene.node(self.nodes[0]).label if len(self.nodes) == 1 else f"{len(self.nodes)} objects"
        return f"paste {what} on {on}"

    @property
    def where(self) -> str:
        return self.nodes[0]
