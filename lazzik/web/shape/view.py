"""What the shape of an object shows: a row for each deformer with its knobs, its sizes and look as the lowest row."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache

from lazzik.core.channel.channel import base_value
from lazzik.core.deformers import BY_KIND, Deformer
from lazzik.core.evaluate.mesh_density import Coarse, coarse
from lazzik.core.evaluate.scope import Scope
from lazzik.core.scene.node import Node
from lazzik.core.scene.rest_pose import extent as extent_of
from lazzik.core.scene.scene import Scene
from lazzik.web.shape.controls import deformer_controls, number_control, shape_controls
from lazzik.web.shape.pictures import kind_picture, span_picture, wave_picture
from lazzik.web.ui.controls import Group, grouped
from lazzik.web.ui.knob import Knob


@dataclass(frozen=True, kw_only=True)
class DeformerChoice:
    """A kind as it describes itself, with its picture."""

    kind: str
    title: str
    summary: str
    picture: str


@dataclass(frozen=True, kw_only=True)
class DeformerRow:
    """One deformer."""

    deformer: Deformer
    title: str
    picture: str
    chosen: bool
    place: int
    weight: Knob
    groups: tuple[Group, ...]
    """Of the open one."""
    numbers: dict[str, float]
    """Path within the deformer -> its number's base."""
    coarse: Coarse | None
    sits_on: str
    """The label of the object that it was handed to; '' if there is none."""


@dataclass(frozen=True, kw_only=True)
class ShapeView:
    """An object's shape laid open: the deformer that acts last on top, sizes and look lowest."""

    node: Node
    address: str
    rows: tuple[DeformerRow, ...]
    groups: tuple[Group, ...]
    """What the shape itself offers."""
    points: int
    pushes: bool
    """Whether the open deformer pushes points one way, so that its height can be shaded."""


def split_shape(at: str) -> tuple[str, str] | None:
    """(object, deformer) of an address that shows a shape: 'sock/shape' or 'sock/shape#flap'; None if it is none."""
    head, _, deformer = at.partition("#")
    node, _, part = head.partition("/")
    return (node, deformer) if part == "shape" and node and "." not in deformer else None


def shape_view(scene: Scene, node: Node, deformer: str, scope: Scope) -> ShapeView:
    """The shape of an object, with one deformer open (the last to act if none is named)."""
    chosen = deformer if node.deformer(deformer) else (node.deform[-1].id if node.deform else "")
    found = {report.deformer: report for report in coarse(scene, node, scope)}
    rows = tuple(
        _row(scene, node, item, place, item.id == chosen, found.get(item.id))
        for place, item in reversed(list(enumerate(node.deform)))
    )
    return ShapeView(
        node=node,
        address=f"{node.id}/shape",
        rows=rows,
        groups=grouped(f"{node.id}-shape", shape_controls(scene, node)),
        points=len(node.shape.mesh(scene.assets).points) if node.shape else 0,
        pushes=any(item.id == chosen and item.pushes for item in node.deform),
    )


@cache
def deformer_palette() -> tuple[DeformerChoice, ...]:
    """All kinds, in the order of the registry."""
    return tuple(
        DeformerChoice(kind=name, title=kind.title, summary=kind.summary, picture=kind_picture(name))
        for name, kind in BY_KIND.items()
    )


def _row(scene: Scene, node: Node, deformer: Deformer, place: int, chosen: bool, report: Coarse | None) -> DeformerRow:
    drawings = {}
    if chosen:
        extent = extent_of(scene, node)
        drawings = {"does": wave_picture(deformer, extent), "where": span_picture(deformer, extent)}
    return DeformerRow(
        deformer=deformer,
        title=deformer.title,
        picture=kind_picture(deformer.kind),
        chosen=chosen,
        place=place,
        weight=number_control(scene, node, f"deform.{deformer.id}.weight"),
        groups=grouped(f"{node.id}-{deformer.id}", deformer_controls(scene, node, deformer), drawings)
        if chosen
        else (),
        numbers={path: base_value(number) for path, number in deformer.stored()},
        coarse=report,
        sits_on=scene.called[deformer.placement.of] if deformer.placement.of else "",
    )
