"""Edits of what objects aim at."""

from __future__ import annotations

from collections.abc import Collection
from typing import Annotated, Any, Literal

import numpy as np
from pydantic import Field

from lazzik.core.document import InFrames, Slug
from lazzik.core.errors import InvalidEdit
from lazzik.core.scene.aim import AXES, Aim, AimPoint, Axis, axis_vector
from lazzik.core.scene.edits.base import Edit
from lazzik.core.scene.edits.copies import added_to
from lazzik.core.scene.node import Node
from lazzik.core.scene.rest_pose import placement, rest_position
from lazzik.core.scene.scene import Scene
from lazzik.core.scene.visit import with_aims

AHEAD = 2.0
"""Metres at which a point lies to begin with."""


class AimAt(Edit):
    """Turn objects toward another one, or toward a point of the scene, from now on.

    What aims already gets another target; without one, it aims at the point where the present one stands. A camera or
    a light points as it looks, along its −z; anything else with the axis that points there best as it stands. A point
    begins straight ahead, so that nothing turns yet.
    """

    do: Literal["aim"] = "aim"
    nodes: Annotated[tuple[Slug, ...], Field(min_length=1, max_length=1000)]
    target: Slug | None = None

    def apply(self, scene: Scene) -> Scene:
        target = scene.node(self.target) if self.target is not None else None
        for slug in self.nodes:
            node = scene.node(slug)
            if node is target:
                raise InvalidEdit(f"{node.label} can't aim at itself", slug)
            scene = scene.with_node(node.replaced(aim=_aimed(scene, node, target)))
        return scene

    def describe(self, scene: Scene) -> str:
        first, *more = (scene.node(slug).label for slug in self.nodes)
        who = f"{first} and {len(more)} more" if more else first
        return f"aim {who} at {scene.node(self.target).label if self.target is not None else 'a point'}"

    @property
    def where(self) -> str:
        return self.nodes[0]


class ChangeAim(Edit):
    """Change what is no number about an aim. Only the fields that are given change."""

    do: Literal["change-aim"] = "change-aim"
    node: Slug
    settings: dict[str, str] = {}
    """Its choices: {'axis': '-z', 'about': 'y', 'lag': 'True'}."""
    muted: bool | None = None
    loop: Annotated[InFrames, Field(gt=0)] | None = None
    """Frames after which its lag repeats; null is endless."""

    def apply(self, scene: Scene) -> Scene:
        node, aim = aim_of(scene, self.node)
        changes: dict[str, Any] = {} if self.muted is None else {"muted": self.muted}
        if "loop" in self.model_fields_set:
            changes |= {"loop": self.loop, "fit": False}  # a length of one's own does not follow the range
        for name, value in self.settings.items():
            choices = {str(choice): choice for choice in Aim.settings().get(name, ())}
            if value not in choices:
                allowed = f"; it may be {', '.join(choices)}" if choices else ""
                raise InvalidEdit(f"'{value}' is no {name} of an aim{allowed}", self.node)
            changes[name] = choices[value]
        return scene.with_node(node.replaced(aim=aim.replaced(**changes)))

    def describe(self, scene: Scene) -> str:
        label = scene.node(self.node).label
        if self.muted is not None:
            return f"{'mute' if self.muted else 'unmute'} the aim of {label}"
        return f"{' and '.join(sorted(self.settings)) or 'loop'} of the aim of {label}"


class RemoveAim(Edit):
    """Let objects aim no more: they are turned by their rotation alone, exactly as before."""

    do: Literal["remove-aim"] = "remove-aim"
    node: Slug

    def apply(self, scene: Scene) -> Scene:
        node, _ = aim_of(scene, self.node)
        return scene.with_node(node.replaced(aim=None))

    def describe(self, scene: Scene) -> str:
        return f"remove the aim of {scene.node(self.node).label}"


def aim_of(scene: Scene, slug: str) -> tuple[Node, Aim]:
    """An object and its aim. Raises UnknownAddress, and InvalidEdit if it has none."""
    node = scene.node(slug)
    if node.aim is None:
        raise InvalidEdit(f"{node.label} aims at nothing", slug)
    return node, node.aim


def without_targets(scene: Scene, gone: Collection[str]) -> Scene:
    """The scene in which what aims at some objects aims at the places where they stand at rest."""
    staying = {node.id for node in scene.nodes} - set(gone)
    return with_aims(scene, lambda aim: _at_point(scene, aim) if aim.target in gone else aim, staying)


def _at_point(scene: Scene, aim: Aim) -> Aim:
    """An aim at the point of the scene where its target stands at rest."""
    if aim.target is None:
        return aim
    place = np.round(rest_position(scene, scene.node(aim.target)), 6) + 0.0
    return aim.replaced(target=None, point=added_to(aim.point, place))


def _aimed(scene: Scene, node: Node, target: Node | None) -> Aim:
    """The aim of an object that is to aim at another one, or at a point."""
    if node.aim is not None:
        aim = node.aim.replaced(muted=False)
        return _at_point(scene, aim) if target is None else aim.replaced(target=target.id, point=AimPoint())
    looks: Axis | None = "-z" if node.camera is not None or node.light is not None else None
    own = placement(scene, node)
    size = np.linalg.norm(own[:3, :3], axis=0)
    ways = {axis: own[:3, :3] @ axis_vector(axis) / max(size["xyz".index(axis[-1])], 1e-9) for axis in AXES}
    if target is None:
        axis: Axis = looks or "z"
        x, y, z = (float(v) for v in np.round(own[:3, 3] + AHEAD * ways[axis], 3) + 0.0)
        return Aim(axis=axis, point=AimPoint(x=x, y=y, z=z))
    toward = rest_position(scene, target) - own[:3, 3]
    best = max(AXES, key=lambda way: float(toward @ ways[way]))
    return Aim(axis=looks or best, target=target.id)
