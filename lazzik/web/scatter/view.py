"""What a scatter shows: its numbers and choices as controls, what it repeats, and how many stand."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from lazzik.core.bake.real import MOST_REAL
from lazzik.core.channel.channel import base_value
from lazzik.core.channel.layer import numbers_of
from lazzik.core.deformers.masks import PictureMask
from lazzik.core.document import counts_under, option_of
from lazzik.core.evaluate.copies import copies_of
from lazzik.core.evaluate.scope import Scope
from lazzik.core.scene.node import Node
from lazzik.core.scene.scatter import Scatter
from lazzik.core.scene.scene import Scene
from lazzik.web.shape.controls import loop_field, number_control
from lazzik.web.ui.controls import Control, Group, Select, TypedField, grouped, select_of

TITLES = {
    "does": "How many", "where": "Where they stand", "look": "How they differ", "wind": "In the wind",
    "time": "In time",
}  # fmt: skip

MASKS = (("", "everywhere"), ("noise", "in patches"), ("gradient", "toward one side"), ("ball", "about a point"))
"""Masks that need nothing but numbers, and how they are told of a density."""


@dataclass(frozen=True, kw_only=True)
class ScatterView:
    """A scatter laid open."""

    node: Node
    scatter: Scatter
    sources: str
    """What is repeated, by name."""
    surface: str
    """What it is called on which they stand; '' for another way to stand."""
    stands: int
    wanted: int
    gone: int
    groups: tuple[Group, ...]

    @property
    def short(self) -> bool:
        """Whether fewer stand than are wanted."""
        return self.stands + self.gone < self.wanted

    @property
    def painted(self) -> bool:
        """Whether a brush tells where they are dense."""
        return self.scatter.over == "surface" and self.scatter.mask is not None and self.scatter.mask.kind == "weights"

    @property
    def may_be_objects(self) -> bool:
        """Whether all of them may become objects in one step."""
        return 0 < self.stands <= MOST_REAL


def scatter_view(scene: Scene, node: Node, scatter: Scatter, scope: Scope) -> ScatterView:
    """What an object scatters."""
    return ScatterView(
        node=node,
        scatter=scatter,
        sources=", ".join(scene.called[slug] for slug in scatter.sources),
        surface=scene.called[scatter.surface] if scatter.surface and scatter.over == "surface" else "",
        stands=len(copies_of(scene, node, scope)),
        wanted=int(base_value(scatter.count)),
        gone=len(scatter.gone),
        groups=grouped(f"{node.id}-copies", _controls(scene, node, scatter), titles=TITLES),
    )


def _controls(scene: Scene, node: Node, scatter: Scatter) -> Iterator[Control]:
    chosen = {name: str(getattr(scatter, name)) for name in Scatter.settings()}
    edit = {"do": "change-scatter", "node": node.id}
    for name, values in Scatter.settings().items():
        option = option_of(Scatter, name)
        yield select_of(option, name, values, chosen[name], id=f"sc-{name}", edit=edit, into=f"settings.{name}")
    if scatter.over == "surface":
        surfaces = tuple((each.id, scene.called[each.id]) for each in scene.nodes if each.shape is not None)
        yield Select(
            id="sc-surface", label="over", help="The object over whose surface they stand.",
            value=scatter.surface or "", options=surfaces, edit=edit, into="surface", takes="slug", group="where",
        )  # fmt: skip
        mask = scatter.mask.kind if scatter.mask is not None else ""
        picture = f"as in {scatter.mask.label}" if isinstance(scatter.mask, PictureMask) else "as in a picture …"
        options = (*MASKS, ("picture", picture), ("weights", "as painted …"))
        yield Select(
            id="sc-mask", label="dense", help="Where of the surface they are dense.", value=mask, options=options,
            edit=edit, into="mask", takes="kind", group="where",
        )  # fmt: skip
    yield from (
        number_control(scene, node, f"scatter.{name}")
        for name, quantity in numbers_of(Scatter).items()
        if counts_under(quantity.only, chosen)
    )
    if scatter.mask is not None:
        for name in numbers_of(type(scatter.mask)):
            yield number_control(scene, node, f"scatter.mask.{name}", about="where")
    yield TypedField(
        id="sc-variants", label="variants", help="In how many shifts of time sources that move are played.",
        value=str(scatter.variants), edit=edit, into="variants", takes="number", group="time", mode="numeric",
    )  # fmt: skip
    yield loop_field("sc", scatter.loop, edit, "all repeats")
