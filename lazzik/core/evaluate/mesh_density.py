"""Whether a mesh is fine enough for its deformers, and what would do."""

from __future__ import annotations

import math
from dataclasses import dataclass
from threading import Lock
from typing import Any

import numpy as np

from lazzik.core.deformers.apply import Step
from lazzik.core.deformers.base import Deformer
from lazzik.core.deformers.placement import ORDERS
from lazzik.core.evaluate.scope import Scope
from lazzik.core.evaluate.shapes import acting, reshaped
from lazzik.core.evaluate.surface import Surface, surface_of
from lazzik.core.scene.node import Node
from lazzik.core.scene.references import affected
from lazzik.core.scene.scene import Scene

ENOUGH = 0.6
"""Part of the wanted segments with which a mesh still passes: it is seen as coarse only well below that."""

MOST = 256


@dataclass(frozen=True)
class Coarse:
    """A mesh too coarse for one of its deformers."""

    deformer: str
    label: str
    segments: float
    """How many there are where one would be smooth with `wanted`."""
    wanted: int
    edits: tuple[dict[str, Any], ...]
    """What sets the count that would do; empty if only another mesh can help."""


def coarse(scene: Scene, node: Node, scope: Scope) -> list[Coarse]:
    """The deformers for which an object's mesh is too coarse, at the scene's first frame."""
    if node.shape is None or not any(True for _ in acting(scene, node)):
        return []
    motion = surface_of(scene, node, scene.clock().once, scope)
    found = []
    for step, (owner, deformer) in zip(motion.steps, acting(scene, node), strict=True):
        own = owner is node
        report = _of(node, motion, deformer, numbers_at(step, 0), own, step.frames[0], step.there)
        if report is not None:
            found.append(report)
    return found


class CoarseMarks:
    """Which objects have too coarse a mesh, kept from one state of a document to the next: only what may have taken
    another shape is looked at again. Safe between threads."""

    def __init__(self) -> None:
        self._last: tuple[Scene, frozenset[str]] | None = None
        self._lock = Lock()

    def of(self, scene: Scene, scope: Scope) -> frozenset[str]:
        """The slugs of the objects."""
        with self._lock:
            before, marks = self._last or (Scene(name=scene.name), frozenset())
        if before is scene:
            return marks
        nodes = list(scene.nodes)
        if (before.first, before.fps) == (scene.first, scene.fps):
            nodes = reshaped(before, scene, affected(before, scene))
        again = {node.id for node in nodes}
        found = {node.id for node in nodes if coarse(scene, node, scope)}
        result = frozenset(slug for slug in marks if slug in scene.by_id and slug not in again) | found
        with self._lock:
            self._last = (scene, result)
        return result


def numbers_at(step: Step, index: int) -> dict[str, float]:
    """A deformer's numbers at one moment."""
    return {name: v if isinstance(v, float | int) else float(v[index]) for name, v in step.numbers.items()}


def _of(
    node: Node, motion: Surface, deformer: Deformer, numbers: dict[str, float], own: bool, frame: Any, there: Any
) -> Coarse | None:
    points = motion.rest_at(0)
    if there is not None:
        points = points @ there[0][:3, :3].T + there[0][:3, 3]
    inside = (points - frame[3]) @ frame[:3].T
    low, high = max(numbers["start"], inside[:, 0].min()), min(numbers["end"], inside[:, 0].max())
    detail = deformer.detail(numbers, high - low if own else numbers["end"] - numbers["start"])
    if not math.isfinite(detail) or detail <= 0 or (high <= low and 0 in deformer.varies):
        return None
    faces = motion.rest.triangles
    edges = np.concatenate([faces[:, [0, 1]], faces[:, [1, 2]], faces[:, [2, 0]]])
    a, b = inside[edges[:, 0]], inside[edges[:, 1]]
    acts = (np.maximum(a[:, 0], b[:, 0]) >= numbers["start"]) & (np.minimum(a[:, 0], b[:, 0]) <= numbers["end"])
    longest = float(np.abs(deformer.way(a) - deformer.way(b))[acts].max(initial=0.0))
    if longest * ENOUGH <= detail:
        return None
    factor = longest / detail
    base = deformer.segments / factor
    edits: tuple[dict[str, Any], ...] = ()
    if own and node.shape is not None:
        fields: dict[str, int] = {}
        for column in deformer.varies:
            axis = "xyz"[ORDERS[deformer.axis][column]]
            name = type(node.shape).cut_by.get(axis)
            if name:
                fields[name] = min(MOST, math.ceil(getattr(node.shape, name) * factor))
        if fields and any(getattr(node.shape, name) < count for name, count in fields.items()):
            edits = ({"do": "change-shape", "node": node.id, "fields": fields},)
    return Coarse(deformer.id, deformer.label, base, math.ceil(deformer.segments), edits)
