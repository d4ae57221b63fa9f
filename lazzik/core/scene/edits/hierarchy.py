"""Edits of what hangs under what: hanging objects elsewhere, grouping them, and letting a group go."""

from __future__ import annotations

from collections.abc import Collection
from typing import Annotated, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from lazzik.core.document import InFrames, Label, Slug
from lazzik.core.errors import InvalidEdit
from lazzik.core.scene.edits.base import Edit, free_label, free_slug
from lazzik.core.scene.edits.copies import added_to, multiplied_by
from lazzik.core.scene.node import Node, Position
from lazzik.core.scene.rest_pose import bases_at, placement
from lazzik.core.scene.scene import PARTS, Scene

MOST_AT_ONCE = 1000
SQUARE = 1e-6
"""By how much the axes of a placement may miss the right angle."""

Some = Annotated[tuple[Slug, ...], Field(min_length=1, max_length=MOST_AT_ONCE)]


class HangObjects(Edit):
    """Hang objects, with all below them, under another one or at the top, before one that is there or last of all.

    With `stay` they are seen where they were: their bases are those that lead to the same place from the new one above,
    at a frame if it is said. What moves goes on from there, about the axes of the new one above.
    """

    do: Literal["hang"] = "hang"
    nodes: Some
    under: Slug | None = None
    before: Slug | None = None
    stay: bool = True
    frame: InFrames | None = None

    def apply(self, scene: Scene) -> Scene:
        tops = scene.topmost(self.nodes)
        above = scene.node(self.under) if self.under is not None else None
        ours = {node.id for node in tops}
        for node in scene.lineage(above) if above else ():
            if node.id in ours:
                raise InvalidEdit(f"{node.label} can't hang under what hangs under it", node.id)
        last = scene.node(self.before) if self.before is not None else None
        if last is not None and last.parent != self.under:
            raise InvalidEdit(f"{last.label} does not hang there, so nothing can hang before it", last.id)
        taken = {node.label for node in scene.below.get(self.under, ()) if node.id not in ours}
        hung = []
        for node in tops:
            here = _kept(scene, node, above, self.frame) if self.stay and node.parent != self.under else node
            label = free_label(node.label, taken)
            taken.add(label)
            hung.append(here.replaced(parent=self.under, label=label))
        others = [node for node in scene.nodes if node.id not in ours]
        while last is not None and last.id in ours:  # before one of themselves is before the next one that stays
            row = scene.below[self.under]
            last = next((node for node in row[row.index(last) + 1 :]), None)
        place = others.index(last) if last is not None else len(others)
        return scene.replaced(nodes=(*others[:place], *hung, *others[place:]))

    def describe(self, scene: Scene) -> str:
        what = _said(scene, self.nodes)
        return f"hang {what} under {scene.node(self.under).label}" if self.under else f"hang {what} at the top"


class GroupObjects(Edit):
    """Put objects, with all below them, under a new group that stands in their midst; they are seen where they were."""

    do: Literal["group"] = "group"
    nodes: Some
    label: Label = "Group"

    def apply(self, scene: Scene) -> Scene:
        tops = scene.topmost(self.nodes)
        above = _common(scene, tops)
        within = np.linalg.inv(placement(scene, above)) if above else np.eye(4)
        x, y, z = np.mean([(within @ placement(scene, node))[:3, 3] for node in tops], axis=0)
        parent = above.id if above else None
        group = Node(
            id=free_slug(self.label, {*scene.by_id, *PARTS}),
            label=free_label(self.label, {node.label for node in scene.below.get(parent, ())}),
            parent=parent,
            position=Position(x=float(x), y=float(y), z=float(z)),
        )
        place = scene.places[tops[0].id]
        scene = scene.replaced(nodes=(*scene.nodes[:place], group, *scene.nodes[place:]))
        return HangObjects(nodes=tuple(node.id for node in tops), under=group.id).apply(scene)

    def describe(self, scene: Scene) -> str:
        return f"group {_said(scene, self.nodes)}"


class Ungroup(Edit):
    """Let groups go: what hangs under them hangs where they hung, and is seen where it was."""

    do: Literal["ungroup"] = "ungroup"
    nodes: Some

    def apply(self, scene: Scene) -> Scene:
        for slug in self.nodes:
            group = scene.node(slug)
            children = scene.below.get(slug, ())
            if group.what != "group" or not children:
                raise InvalidEdit(f"{group.label} is no group with something in it", slug)
            if group.moving or group.deform:
                raise InvalidEdit(f"{group.label} moves what it holds, and that would be lost with it", slug)
            hang = HangObjects(nodes=tuple(node.id for node in children), under=group.parent, before=slug)
            scene = hang.apply(scene)
            scene = scene.replaced(nodes=tuple(node for node in scene.nodes if node.id != slug))
        return scene

    def describe(self, scene: Scene) -> str:
        return f"ungroup {_said(scene, self.nodes)}"


def _above(scene: Scene, node: Node) -> list[Node]:
    return list(scene.lineage(node))[1:]


def _common(scene: Scene, nodes: list[Node]) -> Node | None:
    """The lowest object that all of these hang under, by way of others or not."""
    for above in _above(scene, nodes[0]):
        if all(any(each.id == above.id for each in _above(scene, node)) for node in nodes):
            return above
    return None


def _said(scene: Scene, slugs: Collection[str]) -> str:
    first = scene.node(next(iter(slugs))).label
    return first if len(slugs) == 1 else f"{first} and {len(slugs) - 1} more"


def _kept(scene: Scene, node: Node, above: Node | None, frame: float | None) -> Node:
    """The object with bases that lead to where it is, from another one above it. Raises InvalidEdit where none do."""
    from scipy.spatial.transform import Rotation as Turn

    around = placement(scene, above, frame) if above else np.eye(4)
    if abs(np.linalg.det(around[:3, :3])) < 1e-12:
        where = above.label if above else "The scene"
        raise InvalidEdit(f"{where} has no size, so nothing can stay where it is in it", node.id)
    own = np.linalg.inv(around) @ placement(scene, node, frame)
    size = np.linalg.norm(own[:3, :3], axis=0)
    axes = own[:3, :3] / np.where(size > 0, size, 1.0)
    if np.linalg.det(axes) < 0:
        axes[:, 0], size[0] = -axes[:, 0], -size[0]
    if size.all() and np.abs(axes.T @ axes - np.eye(3)).max() > SQUARE:
        raise InvalidEdit(
            f"{node.label} can't stay as it is there: it would have to be sheared, since what it hangs under is turned "
            "and sized unevenly. It can be hung there without staying where it is",
            node.id,
        )
    order, fps = node.rotation.order, scene.fps
    was = bases_at(node.rotation, frame, fps)
    turned = np.empty(3)
    found = Turn.from_matrix(axes).as_euler(order.upper(), degrees=True, suppress_warnings=True)
    turned[["xyz".index(axis) for axis in order]] = found  # at the pole one angle is free, and 0
    turned += 360 * np.round((was - turned) / 360)  # the nearest to what it was
    grown = bases_at(node.scale, frame, fps)
    return node.replaced(
        position=added_to(node.position, _tidy(own[:3, 3] - bases_at(node.position, frame, fps))),
        rotation=added_to(node.rotation, _tidy(turned - was)),
        scale=multiplied_by(node.scale, _tidy(np.where(grown != 0, size / np.where(grown != 0, grown, 1.0), 1.0))),
    )


def _tidy(values: NDArray[np.float64]) -> NDArray[np.float64]:
    """Without what rounding left: nothing is written down as a billionth."""
    out: NDArray[np.float64] = np.round(values, 9) + 0.0
    return out
