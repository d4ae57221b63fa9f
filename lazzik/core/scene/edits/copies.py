"""Edits that make copies: one object with all below it, repeated as a row, a ring or a grid; and moving a pivot."""

from __future__ import annotations

import math
import re
from typing import Annotated, Any, Literal

import numpy as np
from pydantic import Field

from lazzik.core.channel.channel import Channel
from lazzik.core.channel.scaling import moved, moved_base, scaled
from lazzik.core.document import Label, Slug, Typed
from lazzik.core.errors import InvalidEdit
from lazzik.core.layers.formula import Formula
from lazzik.core.scene.edits.base import Edit, free_label, free_slug
from lazzik.core.scene.node import Node, Scale
from lazzik.core.scene.renaming import copied
from lazzik.core.scene.rest_pose import extent, triple
from lazzik.core.scene.scene import MOST_NODES, PARTS, Scene

Three = tuple[Typed, Typed, Typed]
BoxPoint = Literal["middle", "base", "top", "low-corner", "high-corner"]


class Duplicate(Edit):
    """Copies of an object with all below it, each a step further than the one before; and of others with it, if they
    are named. What is copied with what it reads, links to or aims at goes by the copy of that.

    row   each is moved, turned and scaled once more by the step
    ring  they stand evenly around a circle of `radius` about the object above, the first where it is
    grid  `across` in a line, then the next line: move[0] from one to the next, move[2] from line to line
    """

    do: Literal["duplicate"] = "duplicate"
    node: Slug
    also: Annotated[tuple[Slug, ...], Field(max_length=1000)] = ()
    count: Annotated[Typed, Field(ge=1, le=500)] = 1.0
    how: Literal["row", "ring", "grid"] = "row"
    move: Three = (1.0, 0.0, 0.0)
    turn: Three = (0.0, 0.0, 0.0)
    scale: Three = (1.0, 1.0, 1.0)
    radius: Typed = 2.0
    across: Annotated[Typed, Field(ge=1)] = 3.0
    group: Label | None = None
    """The copies go into a new group of this name, one under each object that they hang under."""

    def apply(self, scene: Scene) -> Scene:
        if self.count != round(self.count) or self.across != round(self.across):
            raise InvalidEdit("Copies are counted in whole numbers", self.node)
        tops = scene.topmost((self.node, *self.also))
        below = [each for node in tops for each in _with_all_below(scene, node)]
        if len(scene.nodes) + len(below) * self.count > MOST_NODES:
            raise InvalidEdit(f"A scene holds at most {MOST_NODES:,} objects; these would be too many", self.node)
        taken = {*scene.by_id, *PARTS}
        holders = self._holders(scene, tops, taken)
        ours = {node.id for node in tops}
        labels = {
            above: set() if holders else {node.label for node in scene.below[above]}
            for above in {node.parent for node in tops}
        }
        made: list[Node] = []
        for k in range(1, round(self.count) + 1):
            names: dict[str, str] = {}
            for node in below:
                names[node.id] = free_slug(node.label, taken)
                taken.add(names[node.id])
            for node in below:
                copy = copied(node, names).replaced(id=names[node.id], parent=names.get(node.parent or "", node.parent))
                if node.id in ours:
                    copy = self._stepped(copy, k, labels[node.parent])
                    copy = copy.replaced(parent=holders[node.parent].id) if holders else copy
                made.append(copy)
        return scene.replaced(nodes=(*scene.nodes, *holders.values(), *made))

    def _holders(self, scene: Scene, tops: list[Node], taken: set[str]) -> dict[str | None, Node]:
        """The groups that copies go into, if they go into one, by what they hang under: there they stay where they
        are."""
        found: dict[str | None, Node] = {}
        for above in dict.fromkeys(node.parent for node in tops) if self.group is not None else ():
            label = free_label(self.group or "", {node.label for node in scene.below[above]})
            found[above] = Node(id=free_slug(label, taken), label=label, parent=above)
            taken.add(found[above].id)
        return found

    def describe(self, scene: Scene) -> str:
        more = f" and {len(self.also)} more" if self.also else ""
        return f"duplicate {scene.node(self.node).label}{more}"

    def _stepped(self, node: Node, k: int, labels: set[str]) -> Node:
        label = free_label(node.label, labels)
        labels.add(label)
        move, turn, scale = np.array(self.move) * k, np.array(self.turn) * k, np.array(self.scale) ** k
        if self.how == "ring":
            angle = 2 * math.pi * k / (round(self.count) + 1)
            out = np.array([math.sin(angle), 0.0, math.cos(angle) - 1.0]) * self.radius
            move, turn = out, np.array([0.0, math.degrees(angle), 0.0])
        elif self.how == "grid":
            line, place = divmod(k, round(self.across))
            move = np.array([self.move[0] * place, self.move[1] * line, self.move[2] * line])
        return node.replaced(
            label=label,
            position=added_to(node.position, move),
            rotation=added_to(node.rotation, turn),
            scale=multiplied_by(node.scale, scale),
        )


class SetPivot(Edit):
    """Move an object's origin, about which it turns and scales, while all that is seen stays where it is.

    Either to `point`, in metres of the object's present space, or to a point of its box. For an object that turns or
    changes its size over time, another pivot is another motion: it is refused, unless `stay` is 'rest': then it stays
    where the bases of its numbers put it, and turns about the new pivot from there.
    """

    do: Literal["set-pivot"] = "set-pivot"
    node: Slug
    point: Three | None = None
    box: BoxPoint | None = None
    stay: Literal["always", "rest"] = "always"

    def apply(self, scene: Scene) -> Scene:
        node = scene.node(self.node)
        if (self.point is None) == (self.box is None):
            raise InvalidEdit("A pivot goes either to a point or to a place of the box", self.node)
        if self.stay == "always" and (way := turning(node)):
            raise InvalidEdit(
                f"The {way} of {node.label} changes over time, and about another pivot that is another motion: it "
                "can't stay where it is throughout. Let it stay at rest, or put it under a group with the new pivot",
                self.node,
            )
        delta = np.array(self.point if self.point is not None else self._of_box(scene, node))
        order, angles = node.rotation.order, triple(node.rotation)
        from scipy.spatial.transform import Rotation as Turn

        turn = Turn.from_euler(order.upper(), [angles["xyz".index(axis)] for axis in order], degrees=True)
        moved = node.replaced(position=_shifted(node.position, turn.apply(delta * triple(node.scale))))
        if node.shape is not None:
            pivot = tuple(float(v) for v in np.array(node.shape.pivot) + delta)
            moved = moved.replaced(shape=node.shape.replaced(pivot=pivot))
        deform = tuple(
            item.replaced(placement=_shifted(item.placement, -delta)) if item.placement.of is None else item
            for item in node.deform
        )
        scene = scene.with_node(moved.replaced(deform=deform))
        for child in scene.below.get(node.id, ()):
            scene = scene.with_node(child.replaced(position=_shifted(child.position, -delta)))
        return scene

    def describe(self, scene: Scene) -> str:
        return f"pivot of {scene.node(self.node).label}"

    def _of_box(self, scene: Scene, node: Node) -> tuple[float, float, float]:
        size = extent(scene, node)
        low, high = np.array(size.low), np.array(size.high)
        middle = (low + high) / 2
        places = {
            "middle": middle, "base": np.array([middle[0], low[1], middle[2]]), "low-corner": low,
            "top": np.array([middle[0], high[1], middle[2]]), "high-corner": high,
        }  # fmt: skip
        x, y, z = (float(v) for v in places[self.box or "middle"])
        return x, y, z


def _with_all_below(scene: Scene, node: Node) -> list[Node]:
    found = [node]
    for child in scene.below.get(node.id, ()):
        found += _with_all_below(scene, child)
    return found


def added_to(part: Any, by: Any) -> Any:
    """A part with its three bases moved: constants, or every key."""
    return part.replaced(**{axis: moved_base(getattr(part, axis), float(d)) for axis, d in zip("xyz", by, strict=True)})


def _shifted(part: Any, by: Any) -> Any:
    """A part moved by so much at every moment, whatever its layers do."""
    return part.replaced(**{axis: _shift(getattr(part, axis), float(d)) for axis, d in zip("xyz", by, strict=True)})


def _shift(number: float | Channel, by: float) -> float | Channel:
    """A number with so much added: to its base, or, where a layer does not go along with that, on top of its stack."""
    gone = moved(number, by)
    if gone is not None:
        return gone
    assert isinstance(number, Channel)
    *below, top = number.layers
    if isinstance(top, Formula) and (found := re.fullmatch(r"x \+ \((.+)\)", top.text)):
        return number.replaced(layers=(*below, top.replaced(text=f"x + ({float(found[1]) + by!r})")))
    slug = free_slug("pivot", {layer.id for layer in number.layers})
    layer = Formula(kind="formula", id=slug, label="Pivot", text=f"x + ({by!r})")
    return number.replaced(layers=(*number.layers, layer))


def turning(node: Node) -> str:
    """Which of an object's rotation and size changes over time; '' if neither does."""
    for name in ("rotation", "scale"):
        numbers = (getattr(getattr(node, name), axis) for axis in "xyz")
        if any(isinstance(number, Channel) and number.moves for number in numbers):
            return name
    return ""


def multiplied_by(part: Scale, by: Any) -> Scale:
    """A part with its three numbers so many times as large, with all that rides on them."""
    return part.replaced(**{axis: scaled(getattr(part, axis), float(f)) for axis, f in zip("xyz", by, strict=True)})
