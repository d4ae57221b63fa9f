"""What has to be known before a surface is worked out: numbers, coordinates and matrices of all moments.

An object's own deformers work in its space, those of the objects above it in theirs. All of that is small, whatever the
mesh; the points come after it, a block of moments at a time (surface.py).
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from itertools import takewhile

import numpy as np
from numpy.typing import NDArray

from lazzik.core.channel.airflow import Airflow
from lazzik.core.channel.channel import Channel
from lazzik.core.channel.layer import clamp, numbers_of
from lazzik.core.clock import Clock
from lazzik.core.deformers.apply import Step
from lazzik.core.deformers.base import OPEN, Deformer
from lazzik.core.deformers.placement import frames_of
from lazzik.core.document import Frozen
from lazzik.core.evaluate.airflow import Rooted
from lazzik.core.evaluate.evaluator import constant, number_on, value_of
from lazzik.core.evaluate.jumps import jumps_of
from lazzik.core.evaluate.scope import Scope
from lazzik.core.evaluate.transforms import moves, world
from lazzik.core.geometry.assets import AssetStore, unpack_frames, unpack_targets
from lazzik.core.geometry.quaternions import orientations
from lazzik.core.scene.morph_targets import ShapeFrames
from lazzik.core.scene.node import Node
from lazzik.core.scene.scene import Scene
from lazzik.core.types import Frames, Points, Samples

Parted = tuple[dict[str, float | Samples], list[tuple[str, Frozen, str]]]
"""Numbers by path, and of others the path, what holds it, and its name there."""

PLACED = ("x", "y", "z", "turn_x", "turn_y", "turn_z")
"""The numbers of a placement: where it sits, then how it is turned."""


def step_of(scene: Scene, node: Node, owner: Node, deformer: Deformer, clock: Clock, scope: Scope) -> Step:
    """A deformer of an object, or of one above it, over a clock."""
    scope = scope.at(owner.id)
    shift = value_of(deformer, "shift", clock, scope)
    if not isinstance(shift, float | int) or shift:
        clock = clock.at(clock.frames + np.asarray(shift) * clock.fps)
    constants, driven = _parted(deformer)
    numbers = constants | {path: value_of(holder, name, clock, scope) for path, holder, name in driven}
    frames = _frames(scene, owner, deformer, [numbers[f"placement.{name}"] for name in PLACED], clock, scope)
    plan = deformer.plan(_Tracks(scene, owner, deformer, clock, scope))
    if plan:
        plan = plan | {"frames": frames}
    there = back = None
    if owner is not node:
        moving = any(moves(scene, part) for part in _between(scene, node, owner))
        around = clock if moving else clock.once
        there = np.asarray(np.linalg.solve(world(scene, owner, around, scope), world(scene, node, around, scope)))
        back = np.asarray(np.linalg.inv(there))
    return Step(deformer, numbers, frames, plan, there, back, scene.assets)


def _parted(deformer: Deformer) -> Parted:
    """A deformer's numbers that can't change, by path, and where the others stand. Kept in the deformer, which never
    changes."""
    kept: Parted | None = deformer.__dict__.get("_parted")
    if kept is None:
        constants: dict[str, float | Samples] = {}
        driven: list[tuple[str, Frozen, str]] = []
        for path, number in deformer.stored():
            part, _, name = path.rpartition(".")
            holder: Frozen = getattr(deformer, part) if part else deformer
            if isinstance(number, Channel):
                driven.append((path, holder, name))
            else:
                constants[path] = clamp(number, numbers_of(type(holder))[name])
        kept = deformer.__dict__["_parted"] = constants, driven
    return kept


def _frames(
    scene: Scene, owner: Node, deformer: Deformer, values: list[float | Samples], clock: Clock, scope: Scope
) -> Frames:
    """(moments or 1, 4, 3) where it sits, by the numbers of its placement."""
    driven = any(not isinstance(value, float | int) for value in values)
    other = scene.by_id.get(deformer.placement.of or "")
    count = len(clock.frames) if driven or other is not None else 1
    places = np.empty((count, 3))
    places[:, 0], places[:, 1], places[:, 2] = values[:3]
    if other is not None:
        away = np.linalg.solve(world(scene, owner, clock, scope), world(scene, other, clock, scope))
        places += away[:, :3, 3]
    return frames_of(places, orientations(values[3:], "xyz", count), deformer.axis)


def _between(scene: Scene, node: Node, owner: Node) -> Iterator[Node]:
    """The objects from one up to, but without, one above it."""
    return takewhile(lambda here: here is not owner, scene.lineage(node))


def targets_of(
    node: Node, count: int, clock: Clock, scope: Scope, assets: AssetStore
) -> tuple[NDArray[np.float64], NDArray[np.float64]] | None:
    """The shape targets of an object; None if it has none, or if they were made for another mesh.

    Returns
    -------
    ((frames, rows) array, (rows, n, 3) array) or None
        Weights, and metres by which a full one moves each point.
    """
    if node.targets is None:
        return None
    if isinstance(node.targets, ShapeFrames):
        return _frames_baked(node.targets, count, clock, assets)
    offsets, _ = assets.read(node.targets.asset, unpack_targets)
    if offsets.shape[:2] != (len(node.targets.rows), count):
        return None
    scope = scope.at(node.id)
    weights = np.empty((len(clock.frames), len(offsets)))
    for k, row in enumerate(node.targets.rows):
        weights[:, k] = number_on(row.weight, clock, scope)
    return offsets, weights


def _frames_baked(
    baked: ShapeFrames, count: int, clock: Clock, assets: AssetStore
) -> tuple[NDArray[np.float64], NDArray[np.float64]] | None:
    """Points per frame as targets, each of which counts at its own frame and fades straight to the next."""
    offsets = assets.read(baked.asset, unpack_frames)
    if offsets.shape[:2] != (baked.last - baked.first + 1, count):
        return None
    places = np.clip(clock.frames, baked.first, baked.last) - baked.first
    return offsets, np.maximum(0.0, 1.0 - np.abs(places[:, None] - np.arange(len(offsets))))


@dataclass(frozen=True, eq=False)
class _Tracks:
    """What a deformer may ask for (the protocol `Tracks`)."""

    scene: Scene
    owner: Node
    deformer: Deformer
    clock: Clock
    scope: Scope

    def number(self, name: str, clock: Clock | None = None) -> float | Samples:
        return value_of(self.deformer, name, clock or self.clock, self.scope)

    def constant(self, name: str) -> float | None:
        return constant(getattr(self.deformer, name), numbers_of(type(self.deformer))[name])

    def jumps(self, names: tuple[str, ...], first: float, last: float) -> Samples:
        return jumps_of((getattr(self.deformer, name) for name in names), first, last, self.clock.fps, self.scope)

    def world(self, clock: Clock) -> NDArray[np.float64]:
        return world(self.scene, self.owner, clock, self.scope)

    def airflow(self) -> Airflow:
        return Rooted(self.scene, self.owner, self._root, self.scope)

    def _root(self, clock: Clock) -> tuple[Points, NDArray[np.float64]]:
        """((frames, 3), (frames, 3, 3)) where the span begins in the object's space, and the deformer's axes there."""
        frames = self.frames(clock)
        start = value_of(self.deformer, "start", clock, self.scope)
        along = np.where(np.asarray(start) <= -OPEN, 0.0, start)
        return frames[:, 3] + np.atleast_1d(along)[:, None] * frames[:, 0], frames[:, :3]

    def frames(self, clock: Clock) -> Frames:
        values = [value_of(self.deformer.placement, name, clock, self.scope) for name in PLACED]
        return _frames(self.scene, self.owner, self.deformer, values, clock, self.scope)
