"""Edits of swarms: what is filled with particles that keep their distance."""

from __future__ import annotations

from typing import Annotated, Any, Literal

import numpy as np
from pydantic import Field

from lazzik.core.document import InFrames, Label, Slug
from lazzik.core.errors import InvalidEdit
from lazzik.core.scene.carried import MOST_COLLIDERS, RunName
from lazzik.core.scene.edits.base import Edit, checked_choices, free_label, free_slug
from lazzik.core.scene.node import Color, Look, Node
from lazzik.core.scene.rest_pose import extent, triple
from lazzik.core.scene.scene import PARTS, Scene
from lazzik.core.scene.swarm import Swarm

MANY = 3000
"""Particles that one begins with, about."""

WATER = Look(color=Color(r=0.42, g=0.66, b=0.72), roughness=0.15)

PART_FULL = 0.6
"""How far a hollow is filled at first."""


class Pour(Edit):
    """Fill an object with a swarm: its body, which is hidden then, or its hollow, which holds it."""

    do: Literal["pour"] = "pour"
    of: Slug
    fills: Literal["body", "hollow"] = "body"
    label: Label = "Swarm"

    def apply(self, scene: Scene) -> Scene:
        source = scene.node(self.of)
        _has_shape(scene, self.of)
        swarm = Swarm(of=self.of, fills=self.fills, spacing=apart_for(scene, source, MANY))
        if self.fills == "hollow":
            swarm = swarm.replaced(full=PART_FULL)
        else:  # it begins as the object, not as what has become of that
            swarm = swarm.replaced(ahead=0.0)
            scene = scene.with_node(source.replaced(visible=False))
        label = free_label(self.label, {node.label for node in scene.below.get(None, ())})
        slug = free_slug(self.label, {*scene.by_id, *PARTS})
        look = WATER if source.look is None or self.fills == "hollow" else source.look
        return scene.replaced(nodes=(*scene.nodes, Node(id=slug, label=label, swarm=swarm, look=look)))

    def describe(self, scene: Scene) -> str:
        return f"fill {scene.node(self.of).label} with a swarm"


class ChangeSwarm(Edit):
    """Change what is no number about a swarm. Only the fields that are given change."""

    do: Literal["change-swarm"] = "change-swarm"
    node: Slug
    settings: dict[str, str] = {}
    """Its choices: {'drawn': 'balls'}."""
    of: Slug | None = None
    colliders: Annotated[tuple[Slug, ...], Field(max_length=MOST_COLLIDERS)] | None = None
    locked: RunName | None = None
    """The run that is played whatever changes; null is the one that the document asks for."""
    loop: Annotated[InFrames, Field(gt=0)] | None = None
    """Frames after which it repeats, the end blended into the beginning; null is endless."""

    def apply(self, scene: Scene) -> Scene:
        node, swarm = swarm_of(scene, self.node)
        given = self.model_fields_set
        changes: dict[str, Any] = {name: getattr(self, name) for name in given & {"of", "locked"}}
        if self.colliders is not None:
            changes["colliders"] = self.colliders
        if "loop" in given:
            changes |= {"loop": self.loop, "fit": False}  # a length of one's own does not follow the range
        changes |= checked_choices(Swarm.settings(), self.settings, "a swarm", self.node)
        changed = swarm.replaced(**changes)
        for slug in changed.refers:
            _has_shape(scene, slug)
        return scene.with_node(node.replaced(swarm=changed))

    def describe(self, scene: Scene) -> str:
        changed = sorted(self.settings) or sorted(self.model_fields_set - {"do", "node", "settings"})
        return f"{' and '.join(changed) or 'change'} of {scene.node(self.node).label}"


def swarm_of(scene: Scene, slug: str) -> tuple[Node, Swarm]:
    """An object and the swarm that it is. Raises UnknownAddress, and InvalidEdit if it is none."""
    node = scene.node(slug)
    if node.swarm is None:
        raise InvalidEdit(f"{node.label} is no swarm", slug)
    return node, node.swarm


def _has_shape(scene: Scene, slug: str) -> None:
    if scene.node(slug).shape is None:
        raise InvalidEdit(f"{scene.node(slug).label} has no shape", slug)


def apart_for(scene: Scene, node: Node, many: int) -> float:
    """Metres that so many are apart if they fill the box about an object, in two digits."""
    box = extent(scene, node)
    sides = np.maximum((np.array(box.high) - np.array(box.low)) * np.abs(triple(node.scale)), 1e-3)
    return float(f"{max(float(np.prod(sides)) / many, 1e-9) ** (1 / 3):.2g}")
