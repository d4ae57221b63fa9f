"""Edits of scatters: many props from a few."""

from __future__ import annotations

from collections.abc import Collection
from typing import Annotated, Any, Literal

from pydantic import Field

from lazzik.core.deformers.masks import AnyMask
from lazzik.core.document import InFrames, Label, Slug
from lazzik.core.errors import InvalidEdit
from lazzik.core.scene.edits.base import Edit, checked_choices, free_label, free_slug
from lazzik.core.scene.edits.shapes import painted_mask
from lazzik.core.scene.node import Node
from lazzik.core.scene.rest_pose import extent
from lazzik.core.scene.scatter import MOST_SOURCES, MOST_VARIANTS, Over, Scatter
from lazzik.core.scene.scene import PARTS, Scene
from lazzik.core.types import Samples


class AddScatter(Edit):
    """Repeat objects many times: over the surface of another one, or in a row, a grid, a ring, a space. The objects
    themselves stay where they are."""

    do: Literal["scatter"] = "scatter"
    nodes: Annotated[tuple[Slug, ...], Field(min_length=1, max_length=MOST_SOURCES)]
    surface: Slug | None = None
    over: Over | None = None
    """Where, if not over the surface."""
    label: Label | None = None

    def apply(self, scene: Scene) -> Scene:
        first = scene.node(self.nodes[0])
        for slug in self.nodes:
            if all(inner.shape is None for inner in scene.within(scene.node(slug))):
                raise InvalidEdit(f"{scene.node(slug).label} has no shape that could be repeated", slug)
        over = self.over or ("surface" if self.surface is not None else "grid")
        if over == "surface":
            bears(scene, self.surface, self.nodes[0])
        wish = self.label or f"Many {first.label}"
        label = free_label(wish, {node.label for node in scene.below.get(None, ())})
        slug = free_slug(wish, {*scene.by_id, *PARTS})
        scatter = Scatter(sources=self.nodes, surface=self.surface, over=over)
        return scene.replaced(nodes=(*scene.nodes, Node(id=slug, label=label, scatter=scatter)))

    def describe(self, scene: Scene) -> str:
        over = f" over {scene.node(self.surface).label}" if self.surface is not None else ""
        return f"scatter {scene.node(self.nodes[0]).label}{over}"

    @property
    def where(self) -> str:
        return self.nodes[0]


class ChangeScatter(Edit):
    """Change what is no number about a scatter. Only the fields that are given change."""

    do: Literal["change-scatter"] = "change-scatter"
    node: Slug
    settings: dict[str, str] = {}
    """Its choices: {'over': 'ring', 'upright': 'normal'}."""
    sources: Annotated[tuple[Slug, ...], Field(min_length=1, max_length=MOST_SOURCES)] | None = None
    surface: Slug | None = None
    variants: Annotated[int, Field(ge=1, le=MOST_VARIANTS)] | None = None
    mask: AnyMask | None = None
    loop: Annotated[InFrames, Field(gt=0)] | None = None
    """Frames after which all repeats; null is endless."""

    def apply(self, scene: Scene) -> Scene:
        node, scatter = scatter_of(scene, self.node)
        given = self.model_fields_set
        changes: dict[str, Any] = {name: getattr(self, name) for name in given & {"surface", "mask"}}
        changes |= {name: getattr(self, name) for name in ("sources", "variants") if getattr(self, name) is not None}
        if "loop" in given:
            changes |= {"loop": self.loop, "fit": False}  # a length of one's own does not follow the range
        changes |= checked_choices(Scatter.settings(), self.settings, "a scatter", self.node)
        if self.mask is not None:
            changes["mask"] = _suited_mask(scene, changes.get("surface", scatter.surface), self.mask)
        changed = scatter.replaced(**changes)
        if changed.over == "surface":
            bears(scene, changed.surface, self.node)
        nodes = tuple(node.replaced(scatter=changed) if other is node else other for other in scene.nodes)
        return scene.replaced(nodes=nodes)

    def describe(self, scene: Scene) -> str:
        said = sorted(self.settings) or sorted(self.model_fields_set - {"do", "node", "settings"})
        return f"{' and '.join(said) or 'change'} of {scene.node(self.node).label}"


class TakeCopies(Edit):
    """Take copies of a scatter away, or put them back. No other one moves."""

    do: Literal["take-copies"] = "take-copies"
    node: Slug
    copies: Annotated[tuple[Annotated[int, Field(ge=0)], ...], Field(min_length=1, max_length=20_000)]
    back: bool = False

    def apply(self, scene: Scene) -> Scene:
        node, scatter = scatter_of(scene, self.node)
        gone = set(scatter.gone) - set(self.copies) if self.back else {*scatter.gone, *self.copies}
        return scene.with_node(node.replaced(scatter=scatter.replaced(gone=tuple(sorted(gone)))))

    def describe(self, scene: Scene) -> str:
        what = "one copy" if len(self.copies) == 1 else f"{len(self.copies)} copies"
        return f"{'put back' if self.back else 'take away'} {what} of {scene.node(self.node).label}"


def _suited_mask(scene: Scene, surface: str | None, mask: AnyMask) -> AnyMask:
    """A mask whose numbers suit the surface, where they were not given."""
    if surface is None:
        return mask
    size = extent(scene, scene.node(surface))
    suited = type(mask).suited(*size.along("x"), size)
    return mask.replaced(**{name: value for name, value in suited.items() if name not in mask.model_fields_set})


def paint_density(scene: Scene, slug: str, weights: Samples) -> ChangeScatter:
    """The edit that lets painted weights tell where copies are dense. They are put with the scene's assets.

    Parameters
    ----------
    weights : (n,) array
        0 to 1, one for each point of the surface.

    Raises
    ------
    UnknownAddress
        If there is no such object.
    InvalidEdit
        If it stands on no surface, or there are not as many as points, or some are no numbers.
    """
    _, scatter = scatter_of(scene, slug)
    return ChangeScatter(node=slug, mask=painted_mask(scene, bears(scene, scatter.surface, slug), weights))


def scatter_of(scene: Scene, slug: str) -> tuple[Node, Scatter]:
    """An object and what it scatters. Raises UnknownAddress, and InvalidEdit if it does not."""
    node = scene.node(slug)
    if node.scatter is None:
        raise InvalidEdit(f"{node.label} scatters nothing", slug)
    return node, node.scatter


def bears(scene: Scene, surface: str | None, where: str) -> Node:
    """The object over whose surface something is to be scattered. Raises InvalidEdit if it has none."""
    if surface is None:
        raise InvalidEdit("Choose the object over whose surface they are to stand, or another way to stand", where)
    node = scene.node(surface)
    if node.shape is None:
        raise InvalidEdit(f"{node.label} has no surface on which anything could stand", surface)
    return node


def without_scattered(scene: Scene, gone: Collection[str]) -> tuple[Node, ...]:
    """The objects that stay without some others, scatters without them too: one that loses all its sources goes, one
    that loses its surface stands in a grid; particles that began on one begin where their emitter stands, and pins
    that followed one follow the cloth; what follows a recipe lacks those of its objects from then on."""
    stay = []
    for node in scene.nodes:
        if node.id in gone:
            continue
        if node.scatter is not None and (scatter := node.scatter.without(set(gone))) is not node.scatter:
            if scatter is None:
                continue
            node = node.replaced(scatter=scatter)
        if node.carried is not None and not set(gone).isdisjoint(node.carried.refers):
            node = node.with_carried(lambda part: part.without(set(gone)))
        if any(here in gone for use in node.uses for _, here in use.objects):
            node = node.replaced(uses=tuple(use.without(gone) for use in node.uses))
        stay.append(node)
    return tuple(stay)
