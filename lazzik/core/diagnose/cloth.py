"""Why cloth does not move, or otherwise than one would think."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from lazzik.core.diagnose.air import A_WIND
from lazzik.core.diagnose.reason import Reason, beyond, reason, set_to, unseen
from lazzik.core.evaluate.scope import Scope
from lazzik.core.evaluate.shapes import acting
from lazzik.core.evaluate.transforms import moves
from lazzik.core.scene.cloth import Cloth
from lazzik.core.scene.edits.cloths import cloth_of
from lazzik.core.scene.node import Node
from lazzik.core.scene.references import acts
from lazzik.core.scene.scene import Scene
from lazzik.core.simulate.cloth import ClothRun

FEW = 60
"""Points with which a mesh is too coarse to give way."""

SHAPED_TOO = {"jiggle": "trails the object's own motion", "sway": "leans with the wind by a law of its own"}
"""What else makes soft what is cloth, and how."""


def why_cloth(scene: Scene, node: Node, scope: Scope) -> list[Reason]:
    """The reasons why cloth does not move; none if it does."""
    node, cloth = cloth_of(scene, node.id)
    found = list(unseen(scene, node))
    stiff = {"do": "change-cloth", "node": node.id}
    if node.targets is not None and node.targets.was_cloth:
        found.append(reason("shape-baked", {"do": "take-back-shape", "node": node.id}, name="The cloth"))
    elif cloth.muted:
        found.append(reason("muted", stiff | {"muted": False}, name=f"The cloth of {node.label}"))
    found += _held(scene, node, cloth)
    if cloth.wind == "air" and not any(acts(field) for field in scene.fields):
        found.append(reason("no-air", A_WIND, name=node.label))
    if cloth.wind == "still" and any(acts(field) for field in scene.fields):
        found.append(reason("in-still-air", stiff | {"settings": {"wind": "air"}}, name=node.label))
    if cloth.locked is not None:
        found.append(reason("locked", stiff | {"locked": None}, name=node.label))
    found += [
        reason("softened-twice", name=node.label, other=deformer.label, does=SHAPED_TOO[deformer.kind])
        for _, deformer in acting(scene, node)
        if deformer.kind in SHAPED_TOO
    ]
    return [*found, *beyond(f"{node.id}/cloth", node.label, cloth)]


def _held(scene: Scene, node: Node, cloth: Cloth) -> Iterator[Reason]:
    """What is the matter with its mesh, and where that is held."""
    run = ClothRun(scene, node.id)
    count, held = len(run.fabric.points), len(run.pins.points)
    if count < FEW:
        yield reason("few-points", name=node.label, count=float(count))
    if not held and not cloth.colliders:
        edge = {"do": "pin", "node": node.id, "place": "top edge"}
        yield reason("falls", edge, name=node.label)
    for pin, points in zip(cloth.pins, run.pins.of, strict=False):
        if not len(points):
            yield reason("pins-nothing", {"do": "unpin", "node": node.id, "pin": pin.id}, name=pin.label)
        elif pin.strength == 0.0:
            yield reason("idle", set_to(f"{node.id}/cloth.pins.{pin.id}.strength", 1.0), name=pin.label,
                         number="strength", value=0.0, better=1.0)  # fmt: skip
    if held and held == count:
        yield reason("all-held", name=node.label)
    calm = cloth.wind == "still" or not any(acts(field) for field in scene.fields)
    if held and calm and not any(moves(scene, here) for here in _carriers(scene, node, cloth)):
        yield reason("hangs-still", name=node.label)
    if np.all(run.fabric.shares <= 0.0):
        yield reason("nothing-shaped", name=node.label)


def _carriers(scene: Scene, node: Node, cloth: Cloth) -> Iterator[Node]:
    """All that takes its pins along, and what it meets."""
    yield from scene.lineage(node)
    for slug in cloth.refers:
        yield from scene.lineage(scene.by_id[slug])
