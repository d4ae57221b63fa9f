"""What the shape of an object shows: a row for each deformer with its knobs, its sizes and look as the lowest row."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache
from typing import Any

import numpy as np

from lazzik.core.channel.channel import Channel, as_channel
from lazzik.core.channel.layer import numbers_of
from lazzik.core.clock import Clock
from lazzik.core.deformers import BY_KIND, Deformer
from lazzik.core.deformers.extent import Extent
from lazzik.core.deformers.masks import MASKS
from lazzik.core.evaluate.mesh_density import Coarse, coarse
from lazzik.core.evaluate.scope import Scope
from lazzik.core.evaluate.surface import surface_of
from lazzik.core.geometry.font_names import SHIPPED
from lazzik.core.geometry.imported import MeshShape
from lazzik.core.geometry.lettering import Lettering
from lazzik.core.geometry.primitives import Sheet
from lazzik.core.scene.address import Address, find
from lazzik.core.scene.edits.copies import turning
from lazzik.core.scene.node import Node, Position
from lazzik.core.scene.scene import Scene
from lazzik.web.ui.knob import Knob, shown

MASK_KINDS = [(mask.model_fields["kind"].annotation.__args__[0], mask.title) for mask in MASKS]  # type: ignore[union-attr]
MADE_HERE = ("ball", "gradient", "noise")
"""Masks that need nothing but numbers."""

PICTURE = (64.0, 44.0)


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
    knobs: tuple[Knob, ...]
    span: tuple[Knob, ...]
    placement: tuple[Knob, ...]
    mask: tuple[Knob, ...]
    settings: dict[str, tuple[str, ...]]
    coarse: Coarse | None


@dataclass(frozen=True, kw_only=True)
class ShapeView:
    """An object's shape laid open: the deformer that acts last on top, sizes and look lowest."""

    node: Node
    address: str
    rows: tuple[DeformerRow, ...]
    sizes: tuple[Knob, ...]
    look: tuple[Knob, ...]
    counts: tuple[tuple[str, str, int], ...]
    """(field, name, value) of the subdivisions."""
    switches: tuple[tuple[str, str, bool], ...]
    others: tuple[tuple[str, str], ...]
    """Objects that a deformer can be handed to."""
    points: int
    lettering: bool
    fonts: tuple[str, ...]
    weights: tuple[Knob, ...]
    """Of shape targets."""
    imported: str | None
    """The asset of the weights that came with a mesh."""
    pushes: bool
    """Whether the open deformer pushes points one way, so that its height can be shaded."""
    turning: str
    """Which of its rotation and scale changes over time, so that another pivot is another motion; '' if neither."""


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
    shape = node.shape
    return ShapeView(
        node=node,
        address=f"{node.id}/shape",
        rows=rows,
        sizes=tuple(_knob(scene, node, f"shape.{name}") for name in numbers_of(type(shape))) if shape else (),
        look=tuple(_knob(scene, node, f"look.{p}") for p in ("color.r", "color.g", "color.b", "glow", "roughness"))
        if node.look else (),
        counts=tuple((n, n.replace("_", " "), getattr(shape, n)) for n in _settable(shape, int)),
        switches=tuple((n, n, getattr(shape, n)) for n in _settable(shape, bool)),
        others=tuple((other.id, other.label) for other in scene.nodes if other.id != node.id),
        points=len(shape.mesh(scene.assets).points) if shape else 0,
        lettering=isinstance(shape, Lettering),
        fonts=SHIPPED,
        weights=tuple(
            _knob(scene, node, f"targets.rows.{row.id}.weight", row.label.lower()) for row in node.targets.rows
        ) if node.targets else (),
        imported=shape.weights if isinstance(shape, MeshShape) else None,
        pushes=any(item.id == chosen and item.pushes for item in node.deform),
        turning=turning(node),
    )  # fmt: skip


@cache
def deformer_palette() -> tuple[DeformerChoice, ...]:
    """All kinds, in the order of the registry."""
    return tuple(
        DeformerChoice(kind=name, title=kind.title, summary=kind.summary, picture=picture(name))
        for name, kind in BY_KIND.items()
    )


@cache
def picture(name: str) -> str:
    """What a kind does to a strip of cloth, as SVG path data: its rim and a few lines across."""
    strip = Sheet(kind="sheet", width=0.9, height=2.6, rows=24, columns=6, standing=True)
    kind = BY_KIND[name]
    fields = kind.suited(Extent((-0.45, -1.3, 0.0), (0.45, 1.3, 0.0)))
    poses: dict[str, dict[str, Any]] = {
        "bend": {"angle": 75.0, "direction": 90.0, "held": "middle"}, "undulate": {"toward": "across", "fade": "none"},
        "twist": {"angle": 200.0}, "sway": {"direction": 90.0, "angle": 70.0, "lean": 25.0, "seed": 2.0},
        "ripple": {"axis": "z", "toward": "side", "shape": "rings", "height": 0.25, "spacing": 0.7, "speed": 3.0},
        "rumple": {"height": 0.5, "toward": "across", "size": 0.7}, "jiggle": {"reach": 2.6, "frequency": 1.2},
    }  # fmt: skip
    deformer = kind.model_validate({"kind": name, "id": "p", "label": "p"} | fields | poses.get(name, {}))
    hop = as_channel(0.0).model_validate({"keys": [{"frame": 0, "value": 0}, {"frame": 20, "value": 9.0}]})
    node = Node(
        id="p", label="p", shape=strip, deform=(deformer,), position=Position(x=hop if name == "jiggle" else 0.0)
    )
    scene = Scene(name="Picture", nodes=(node,))
    frame = 14 if name == "jiggle" else 60
    motion = surface_of(scene, node, Clock.over(30, 0, frame, start=frame), Scope(scene))
    points = motion.points(0)[: 25 * 7].reshape(25, 7, 3)
    # seen a little from the side, so that depth shows
    flat = np.stack([points[..., 1] + 0.0 * points[..., 0], points[..., 0] + 0.45 * points[..., 2]], -1)
    low, high = flat.min(axis=(0, 1)), flat.max(axis=(0, 1))
    scale = min(PICTURE[0] / max(high[0] - low[0], 2.6), PICTURE[1] / max(high[1] - low[1], 0.9))
    drawn = (flat - (low + high) / 2) * scale * 0.92 + np.array(PICTURE) / 2
    lines = [drawn[:, 0], drawn[:, -1], *(drawn[row] for row in range(0, 25, 4))]
    return "".join("M" + "L".join(f"{x:.1f} {y:.1f}" for x, y in row) for row in lines)


def _row(scene: Scene, node: Node, deformer: Deformer, place: int, chosen: bool, report: Coarse | None) -> DeformerRow:
    path = f"deform.{deformer.id}"
    shared = {"weight", "start", "end", "fade_length"}
    own = [name for name in numbers_of(type(deformer)) if name not in shared]
    placement = [f"placement.{name}" for name in numbers_of(type(deformer.placement))]
    mask = [f"mask.{name}" for name in numbers_of(type(deformer.mask))] if deformer.mask else []
    span = ["start", "end"] + (["fade_length"] if deformer.fade != "none" else [])

    def knobs(names: list[str]) -> tuple[Knob, ...]:
        return tuple(_knob(scene, node, f"{path}.{name}", name) for name in names)

    return DeformerRow(
        deformer=deformer,
        title=deformer.title,
        picture=picture(deformer.kind),
        chosen=chosen,
        place=place,
        weight=_knob(scene, node, f"{path}.weight", "weight"),
        knobs=knobs(own),
        span=knobs(span),
        placement=knobs(placement),
        mask=knobs(mask),
        settings=type(deformer).settings(),
        coarse=report,
    )


def _knob(scene: Scene, node: Node, path: str, name: str = "") -> Knob:
    address = f"{node.id}/{path}"
    place = find(scene, Address.parse(address))
    own = place.channel
    quantity = place.quantity
    part, _, last = (name or path).rpartition(".")
    label = (f"at {last}" if part == "placement" and len(last) == 1 else last).replace("_", " ")
    return Knob(
        address=address,
        name=name or path,
        label=label,
        value=shown(_first(own)),
        quantity=quantity,
        keyed=bool(own.keys),
        driven=own.moves,
    )


def _first(channel: Channel) -> float:
    return channel.keys[0].value if channel.keys else channel.value


def _settable(shape: Any, kind: type) -> list[str]:
    if shape is None:
        return []
    return [name for name in type(shape).settable() if type(getattr(shape, name)) is kind]
