"""From deformers to points: what an object's surface does over time, a moment at a time so that nothing large is held.

An object's own deformers work in its space, those of the objects above it in theirs: points go there and back by the
poses of the moment. Numbers, placements and plans of all moments are worked out first; they are small.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from lazzik.core.channel.channel import Channel
from lazzik.core.channel.layer import held, numbers_of
from lazzik.core.clock import Clock
from lazzik.core.deformers.base import FADES, TOWARD, Deformer, Moment, Numbers, edge_fade
from lazzik.core.deformers.placement import enter, frames_of, leave
from lazzik.core.document import Frozen, Quantity
from lazzik.core.evaluate.evaluator import number_on
from lazzik.core.evaluate.paths import world
from lazzik.core.evaluate.poses import moves
from lazzik.core.evaluate.scope import Scope
from lazzik.core.geometry.assets import frames_asset, targets_asset
from lazzik.core.geometry.mesh import Mesh, normals_of
from lazzik.core.scene.node import Node
from lazzik.core.scene.references import node_reads
from lazzik.core.scene.scene import Scene
from lazzik.core.scene.targets import ShapeFrames
from lazzik.core.types import Points, Samples

Matrices = NDArray[np.float64]  # (frames or 1, 4, 4)


def shapes_over_time(scene: Scene, node: Node) -> bool:
    """Whether an object has a shape that something changes: a driven size, or a deformer on it or above it."""
    if node.shape is None:
        return False
    sized = any(isinstance(getattr(node.shape, name), Channel) for name in numbers_of(type(node.shape)))
    return sized or node.targets is not None or any(True for _ in acting(scene, node))


def acting(scene: Scene, node: Node) -> Iterator[tuple[Node, Deformer]]:
    """The deformers that act on an object's shape, in the order in which they do: its own, then those of the groups
    above it. Those of an object with a shape are that shape's alone."""
    for owner in _chain(scene, node):
        for deformer in owner.deform if owner is node or owner.shape is None else ():
            if not deformer.muted and deformer.weight != 0.0:
                yield owner, deformer


def reshaped(before: Scene, after: Scene, changed: list[Node]) -> list[Node]:
    """Objects whose points may differ between two scenes, given those that differ in anything."""
    ids = {node.id for node in changed}
    return [node for node in after.nodes if node.shape is not None and _touched(after, node, ids)
            and _reshaped(before, after, node, ids)]  # fmt: skip


def _touched(scene: Scene, node: Node, changed: set[str]) -> bool:
    """Whether an object, what is above it, or anything that its deformers lie by may differ: most do not."""
    return any(
        owner.id in changed or any(deformer.placement.of for deformer in owner.deform) for owner in _chain(scene, node)
    )


def _reshaped(before: Scene, after: Scene, node: Node, changed: set[str]) -> bool:
    old = before.by_id.get(node.id)
    if old is None or old.shape != node.shape or shapes_over_time(before, old) != shapes_over_time(after, node):
        return True
    if not shapes_over_time(after, node):
        return False
    if old.deform is not node.deform:
        return True
    chain = list(_chain(after, node))
    if not changed & {part.id for part in chain}:
        others = {deformer.placement.of for _, deformer in acting(after, node)} - {None}
        return any(changed & {part.id for part in _chain(after, after.by_id[o])} for o in others if o in after.by_id)
    # it or something above it differs: points do, unless its own deformers alone act and read nothing of the world
    alone = all(owner is node and not deformer.worldly for owner, deformer in acting(after, node))
    return not alone or (node.id in changed and (old is node or bool(node_reads(node))))


def _chain(scene: Scene, node: Node) -> Iterator[Node]:
    here: Node | None = node
    while here is not None:
        yield here
        here = scene.by_id[here.parent] if here.parent else None


@dataclass(frozen=True, eq=False)
class Step:
    """One deformer over a clock, ready to be applied."""

    deformer: Deformer
    numbers: dict[str, float | Samples]
    frames: NDArray[np.float64]
    """(frames or 1, 4, 3) the deformer's coordinates."""
    plan: dict[str, NDArray[np.float64]]
    there: Matrices | None
    """From the object's space to that of the deformer's owner; None if they are the same."""
    back: Matrices | None

    @property
    def still(self) -> bool:
        """Whether it does the same at every moment."""
        driven = any(not isinstance(value, float | int) for value in self.numbers.values())
        moved = self.there is not None and len(self.there) > 1
        planned = any(len(values) > 1 and np.any(values != values[0]) for values in self.plan.values())
        return not (driven or moved or planned or len(self.frames) > 1)

    def at(self, index: int) -> Numbers:
        """The numbers at one moment."""
        return {name: v if isinstance(v, float | int) else float(v[index]) for name, v in self.numbers.items()}


@dataclass(frozen=True, eq=False)
class ShapeMotion:
    """An object's surface over a clock."""

    rest: Mesh
    """At the bases of its sizes."""
    clock: Clock
    sizes: dict[str, Samples]
    """The sizes that change; (frames,) each."""
    node: Node
    steps: tuple[Step, ...]
    targets: tuple[NDArray[np.float64], NDArray[np.float64]] | None = None
    """(targets, n, 3) offsets, and (frames, targets) weights, of a baked shape."""
    counted: dict[int, Samples] = field(default_factory=dict)
    """What masks gave, where they are the same at every moment: by step."""

    @cached_property
    def still(self) -> bool:
        """Whether every moment has the same points."""
        return not self.sizes and self.targets is None and all(step.still for step in self.steps)

    def rest_at(self, index: int) -> Points:
        """(n, 3) the points without deformers at a moment: at rest, and by the weights of shape targets."""
        if self.targets is None:
            return self.rest_plain(index)
        offsets, weights = self.targets
        used = np.flatnonzero(weights[index])
        out: Points = self.rest_plain(index) + np.tensordot(weights[index][used], offsets[used], 1)
        return out

    def rest_plain(self, index: int) -> Points:
        """(n, 3) the points of the sizes alone at a moment."""
        if not self.sizes or self.node.shape is None:
            return self.rest.points
        now = {name: float(values[index]) for name, values in self.sizes.items()}
        return self.node.shape.mesh(self.node.shape.nominal() | now).points

    def points(self, index: int) -> Points:
        """(n, 3) the points at a moment."""
        return self.points_until(len(self.steps), index)

    def points_until(self, place: int, index: int) -> Points:
        """(n, 3) the points at a moment, as the first so many steps leave them."""
        rest = points = self.rest_at(index)
        for before, step in enumerate(self.steps[:place]):
            points = self._applied(before, step, points, rest, index)
        return points

    def normals(self, points: Points) -> Points:
        """(n, 3) the normals that the surface has with these points."""
        if points is self.rest.points:
            return self.rest.normals
        return normals_of(points, self.rest.triangles, self.rest.welds)

    def counts(self, place: int, index: int) -> Samples:
        """(n,) how much the deformer of one step counts for each point at a moment: weight · edge fade · mask."""
        rest, points = self.rest_at(index), self.points_until(place, index)
        step = self.steps[place]
        own, own_rest = _moved(points, step.there, index), _moved(rest, step.there, index)
        return self._counts(place, step, _inside(step, own, index), own_rest, index)

    def _applied(self, place: int, step: Step, points: Points, rest: Points, index: int) -> Points:
        own, own_rest = _moved(points, step.there, index), _moved(rest, step.there, index)
        inside = _inside(step, own, index)
        counts = self._counts(place, step, inside, own_rest, index)
        if not counts.any():
            return points
        out = self._deformed(step, own, inside, counts, index)
        out = _moved(out, step.back, index)
        untouched = counts == 0.0
        if untouched.any():
            out[untouched] = points[untouched]
        return out

    def _counts(self, place: int, step: Step, inside: Points, rest: Points, index: int) -> Samples:
        numbers, deformer = step.at(index), step.deformer
        if deformer.fade == "none":
            counts = np.full(len(inside), numbers["weight"])
        else:
            counts = np.empty(len(inside))
            edge_fade(inside, numbers["start"], numbers["end"], numbers["fade_length"], FADES.index(deformer.fade),
                      numbers["weight"], counts)  # fmt: skip
        if deformer.mask is None:
            return counts
        mask = self.counted.get(place)
        if mask is None:
            own = {name.removeprefix("mask."): v for name, v in numbers.items() if name.startswith("mask.")}
            mask = deformer.mask.at(_inside(step, rest, index), own)
            driven = any(not isinstance(v, float | int) for name, v in step.numbers.items() if name.startswith("mask."))
            if not driven and not self.sizes and step.there is None and len(step.frames) == 1:
                self.counted[place] = mask
        return counts * mask

    def _deformed(self, step: Step, own: Points, inside: Points, counts: Samples, index: int) -> Points:
        deformer, numbers = step.deformer, step.at(index)
        frame = self.clock.frames[index]
        moment = Moment(
            step.plan, index, float(self.clock.elapsed[index]) / self.clock.fps, float(frame), self.clock.fps
        )
        if not deformer.pushes:
            return _outside(step, deformer.shaped(inside, counts, numbers, moment), index)
        lift = counts * deformer.lifted(inside, numbers, moment)
        toward = deformer.toward  # type: ignore[attr-defined]
        if toward == "normals":
            return own + lift[:, None] * normals_of(own, self.rest.triangles, self.rest.welds)
        inside[:, TOWARD[toward]] += lift
        return _outside(step, inside, index)


def shape_motion(scene: Scene, node: Node, clock: Clock, scope: Scope, *, own: bool = False) -> ShapeMotion:
    """An object's surface over a clock; it must have a shape. `own` leaves out the deformers of objects above it.

    Raises UnknownAddress, BadFormula, UnknownAsset.
    """
    assert node.shape is not None
    quantities = numbers_of(type(node.shape))
    sizes = {}
    for name, quantity in quantities.items():
        value = _limited(getattr(node.shape, name), quantity, clock, scope)
        if not isinstance(value, float | int):
            sizes[name] = value
    steps = tuple(
        _step(scene, node, owner, deformer, clock, scope)
        for owner, deformer in acting(scene, node)
        if owner is node or not own
    )
    rest = node.shape.mesh()
    return ShapeMotion(rest, clock, sizes, node, steps, _targets(node, len(rest.points), clock, scope))


def _targets(
    node: Node, count: int, clock: Clock, scope: Scope
) -> tuple[NDArray[np.float64], NDArray[np.float64]] | None:
    """The shape targets of an object; None if it has none, or if they were made for another mesh."""
    if node.targets is None:
        return None
    if isinstance(node.targets, ShapeFrames):
        return _frames_baked(node.targets, count, clock)
    offsets, _ = targets_asset(node.targets.asset)
    if offsets.shape[:2] != (len(node.targets.rows), count):
        return None
    weights = np.empty((len(clock.frames), len(offsets)))
    for k, row in enumerate(node.targets.rows):
        weights[:, k] = number_on(row.weight, clock, scope)
    return offsets, weights


def _frames_baked(
    baked: ShapeFrames, count: int, clock: Clock
) -> tuple[NDArray[np.float64], NDArray[np.float64]] | None:
    """Points per frame as targets, each of which counts at its own frame and fades straight to the next."""
    offsets = frames_asset(baked.asset)
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
        quantity = numbers_of(type(self.deformer))[name]
        return _limited(getattr(self.deformer, name), quantity, clock or self.clock, self.scope)

    def world(self, clock: Clock) -> NDArray[np.float64]:
        return world(self.scene, self.owner, clock, self.scope)


def _step(scene: Scene, node: Node, owner: Node, deformer: Deformer, clock: Clock, scope: Scope) -> Step:
    numbers: dict[str, float | Samples] = {}
    for path, number in deformer.stored():
        part, _, name = path.rpartition(".")
        holder: Frozen = getattr(deformer, part) if part else deformer
        quantity = numbers_of(type(holder))[name]
        numbers[path] = _limited(number, quantity, clock, scope)
    frames = _frames(scene, owner, deformer, numbers, clock, scope)
    plan = deformer.plan(_Tracks(scene, owner, deformer, clock, scope))
    if plan:
        plan = plan | {"frames": frames}
    there = back = None
    if owner is not node:
        moving = any(moves(part) for part in _between(scene, node, owner))
        around = clock if moving else clock.at(clock.frames[:1])
        there = np.asarray(np.linalg.solve(world(scene, owner, around, scope), world(scene, node, around, scope)))
        back = np.asarray(np.linalg.inv(there))
    return Step(deformer, numbers, frames, plan, there, back)


def _frames(
    scene: Scene, owner: Node, deformer: Deformer, numbers: dict[str, float | Samples], clock: Clock, scope: Scope
) -> NDArray[np.float64]:
    names = [f"placement.{name}" for name in ("x", "y", "z", "turn_x", "turn_y", "turn_z")]
    values = [numbers[name] for name in names]
    driven = any(not isinstance(value, float | int) for value in values)
    other = scene.by_id.get(deformer.placement.of or "")
    count = len(clock.frames) if driven or other is not None else 1
    places = np.stack([np.broadcast_to(np.asarray(value, dtype=float), count) for value in values], 1)
    if other is not None:
        away = np.linalg.solve(world(scene, owner, clock, scope), world(scene, other, clock, scope))
        places = places + np.concatenate([away[:, :3, 3], np.zeros((count, 3))], 1)
    return np.ascontiguousarray(frames_of(places[:, :3], places[:, 3:], deformer.axis))


def _between(scene: Scene, node: Node, owner: Node) -> Iterator[Node]:
    here = node
    while here is not owner:
        yield here
        here = scene.by_id[here.parent]  # type: ignore[index]


def _limited(number: float | Channel, quantity: Quantity, clock: Clock, scope: Scope) -> float | Samples:
    return held(number_on(number, clock, scope), quantity)


def _moved(points: Points, matrices: Matrices | None, index: int) -> Points:
    if matrices is None:
        return points
    m = matrices[index if len(matrices) > 1 else 0]
    out: Points = points @ m[:3, :3].T + m[:3, 3]
    return out


def _inside(step: Step, points: Points, index: int) -> Points:
    out = np.empty(points.shape)
    enter(np.ascontiguousarray(points), step.frames[index if len(step.frames) > 1 else 0], out)
    return out


def _outside(step: Step, inside: Points, index: int) -> Points:
    out = np.empty(inside.shape)
    leave(np.ascontiguousarray(inside), step.frames[index if len(step.frames) > 1 else 0], out)
    return out
