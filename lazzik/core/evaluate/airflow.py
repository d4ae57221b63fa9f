"""The air of a scene: what all fields that act blow at, at any points and moments.

    v(p, t) = Σ v_field(p, t)

Each kind packs its numbers over a clock (`rows`), and its compiled loop adds its velocity at all points of all moments;
fields are few, points and moments many. What was packed is kept, since whatever stands in the air asks for the same
moments.

An object leaves out those fields whose place or numbers depend on it.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from lazzik.core.air import AirField
from lazzik.core.air.field import Rows, axes_of
from lazzik.core.channel.channel import Channel
from lazzik.core.channel.layer import numbers_of
from lazzik.core.clock import Clock
from lazzik.core.evaluate.evaluator import constant, known_on, value_of
from lazzik.core.evaluate.jumps import jumps_of
from lazzik.core.evaluate.scope import Scope
from lazzik.core.evaluate.transforms import moves, numbers_of_transforms, world
from lazzik.core.evaluate.triples import base_triple
from lazzik.core.scene.node import Node
from lazzik.core.scene.references import air_of, fields_for, seen_by
from lazzik.core.scene.scene import Scene
from lazzik.core.types import PointBlock, Points, Samples


def air(points: PointBlock, clock: Clock, scope: Scope, fields: tuple[Node, ...] | None = None) -> PointBlock:
    """How the air goes at points.

    Parameters
    ----------
    points : (frames or 1, n, 3) array
        Metres, in the scene.
    fields : tuple of Node
        Those that count; without it, all that act on what stands in the air.

    Returns
    -------
    (frames, n, 3) array
        Metres per second.
    """
    scene = _scene(scope)
    blowing = fields_for(scene, "") if fields is None else fields
    out = np.zeros((len(clock.frames), points.shape[1], 3))
    where = np.ascontiguousarray(points, dtype=np.float64)
    for node in blowing:
        assert node.field is not None
        type(node.field).blow(where, field_rows(node, clock, scope), out)
    return out


def field_rows(node: Node, clock: Clock, scope: Scope) -> Rows:
    """The numbers of a field over a clock, packed for its kernel. Not to be written to.

    Returns
    -------
    (frames, columns) array
        As the kind's `rows` gives them.
    """
    assert node.field is not None
    scene = _scene(scope)
    known = scope.run.rows if scope.run is not None else {}
    place = (node.id, clock.key or ())
    if place in known:
        return known[place]
    seen = (node, *seen_by(scene, air_of(node)))
    kept, problems = scope.memo.get(node.field, clock, seen) if scope.memo else None, len(scope.problems or ())
    if kept is None:
        kept = np.ascontiguousarray(node.field.rows(FieldAt(scene, node, node.field, clock, scope)))
        if len(scope.problems or ()) > problems:  # as with channels: whoever asks next hears of it too
            return kept
        if scope.memo:
            scope.memo.put(node.field, clock, kept, seen)
    kept = np.ascontiguousarray(kept)  # of a finer clock every other row may have been kept
    if clock.key is not None:
        known[place] = kept
    return kept


@dataclass(frozen=True, eq=False)
class FieldAt:
    """What a field is given (the protocol `FieldInputs`)."""

    scene: Scene
    node: Node
    field: AirField
    clock: Clock
    scope: Scope

    def number(self, name: str, clock: Clock | None = None) -> float | Samples:
        """One of the field's own numbers."""
        return value_of(self.field, name, clock or self.clock, self.scope.at(self.node.id))

    def constant(self, name: str) -> float | None:
        """One of the field's own numbers, if it can't change."""
        return constant(getattr(self.field, name), numbers_of(type(self.field))[name])

    def jumps(self, names: tuple[str, ...], first: float, last: float) -> Samples:
        """Where some of its numbers may jump, or its place."""
        own = [getattr(self.field, name) for name in names if name in numbers_of(type(self.field))]
        return jumps_of([*own, *_place_numbers(self.scene, self.node)], first, last, self.clock.fps, self.scope)

    def world(self, clock: Clock) -> NDArray[np.float64]:
        """From the field's space to the scene's."""
        moving = any(moves(self.scene, here) for here in self.scene.lineage(self.node))
        return world(self.scene, self.node, clock if moving else clock.once, self.scope)

    def wind(self, clock: Clock) -> Points:
        """What the winds blow at where the field stands."""
        winds = tuple(
            node for node in fields_for(self.scene, self.node.id)
            if node.field is not None and not type(node.field).pushed_along
        )  # fmt: skip
        return np.asarray(air(self.world(clock)[:, None, :3, 3], clock, self.scope, winds)[:, 0])


@dataclass(frozen=True, eq=False)
class Standing:
    """The air as it passes an object (the protocol `Airflow`): where it hangs, at the base of its own position, in the
    axes of what it hangs under. What belongs to no object stands at the scene's origin."""

    scene: Scene
    node: Node | None
    home: str
    scope: Scope

    @cached_property
    def fields(self) -> tuple[Node, ...]:
        """What it answers."""
        return fields_for(self.scene, self.home)

    def velocity(self, clock: Clock) -> Points:
        """How the air goes there."""
        points, axes = self.place(clock)
        return _along(axes, air(points[:, None], clock, self.scope, self.fields)[:, 0])

    def place(self, clock: Clock) -> tuple[Points, NDArray[np.float64] | None]:
        """Where it hangs, and the axes in which it feels the air, as rows: those of the scene if none.

        Returns
        -------
        ((frames or 1, 3) array, (frames or 1, 3, 3) array or None)
            Metres; of unit length.
        """
        if self.node is None:
            return np.zeros((1, 3)), None
        if self.node.parent is None:
            return base_triple(self.node.position, clock if self._keyed else clock.once), None
        around = self._around(self.scene.by_id[self.node.parent], clock)
        base = base_triple(self.node.position, clock if len(around) > 1 or self._keyed else clock.once)
        return np.einsum("fij,fj->fi", around[:, :3, :3], base) + around[:, :3, 3], axes_of(around)

    def jumps(self, first: float, last: float) -> Samples:
        """Where it may jump."""
        known = self.scope.run.jumps if self.scope.run is not None else {}
        asked = (tuple(node.id for node in self.fields), first, last)
        of_air = known.get(asked)
        if of_air is None:  # of what stands in one air, each asks for the same
            numbers = [number for node in self.fields for number in _air_numbers(self.scene, node)]
            of_air = known[asked] = jumps_of(numbers, first, last, self.scene.fps, self.scope)
        if self.node is None or (self.node.parent is None and not self._keyed):
            return of_air
        fps, above = self.scene.fps, self.node.parent
        carried = _place_numbers(self.scene, self.scene.by_id[above]) if above is not None else []
        own = [number.curve(fps).jumps(first, last) for number in self._keyed]
        return np.unique(np.concatenate([of_air, jumps_of(carried, first, last, fps, self.scope), *own]))

    @property
    def _keyed(self) -> list[Channel]:
        """The numbers of its own position whose bases can change."""
        assert self.node is not None
        position = self.node.position
        return [number for number in (position.x, position.y, position.z)
                if isinstance(number, Channel) and number.keys]  # fmt: skip

    def _around(self, above: Node, clock: Clock) -> NDArray[np.float64]:
        """(frames or 1, 4, 4) the space that it hangs in."""
        moving = any(moves(self.scene, here) for here in self.scene.lineage(above))
        at = clock if moving or self._keyed else clock.once
        return world(self.scene, above, at, self.scope)


def velocities(standing: list[Standing], clock: Clock) -> PointBlock:
    """How the air goes where some things are: asked for at once of those that stand still in the same fields.

    Returns
    -------
    (frames, things, 3) array
        Metres per second, as `Standing.velocity` gives each.
    """
    still: dict[tuple[int, ...], list[int]] = {}
    places = [one.place(clock) for one in standing]
    out = np.empty((len(clock.frames), len(standing), 3))
    for row, (one, (points, axes)) in enumerate(zip(standing, places, strict=True)):
        if len(points) == 1:
            still.setdefault(tuple(map(id, one.fields)), []).append(row)
        else:
            out[:, row] = _along(axes, air(points[:, None], clock, one.scope, one.fields)[:, 0])
    for rows in still.values():
        points = np.stack([places[row][0] for row in rows], axis=1)
        first = standing[rows[0]]
        blown = air(points, clock, first.scope, first.fields)
        for place, row in enumerate(rows):
            axes = places[row][1]
            if axes is not None:
                blown[:, place] = _along(axes, blown[:, place])
        if len(rows) == len(standing):
            return blown
        out[:, rows] = blown
    return out


def _along(axes: NDArray[np.float64] | None, blown: Points) -> Points:
    """(frames, 3) how the air goes along axes, (frames or 1, 3, 3) as rows."""
    if axes is None:
        return blown
    return np.asarray(blown @ axes[0].T if len(axes) == 1 else np.einsum("fij,fj->fi", axes, blown))


@dataclass(frozen=True, eq=False)
class Rooted:
    """The air at a place within an object, in axes of that place (the protocol `Airflow`). No number depends on it, so
    all fields count."""

    scene: Scene
    owner: Node
    root: Callable[[Clock], tuple[Points, NDArray[np.float64]]]
    """The place in the object's space, (frames or 1, 3), and its axes as rows, (frames or 1, 3, 3)."""
    scope: Scope
    known: list[tuple[Clock, NDArray[np.float64]]] = field(default_factory=list)
    """How the air went there on the clocks that were asked for, (3, frames) each: several springs answer to it."""

    def velocity(self, clock: Clock) -> Points:
        """How the air goes there."""
        found = known_on(self.known, clock)
        if found is None:
            found = self._blown(clock).T
            self.known.append((clock, found))
        return found.T

    def _blown(self, clock: Clock) -> Points:
        moving = any(moves(self.scene, here) for here in self.scene.lineage(self.owner))
        own = world(self.scene, self.owner, clock if moving else clock.once, self.scope)
        points, axes = self.root(clock)
        there = np.einsum("fij,fj->fi", own[:, :3, :3], points) + own[:, :3, 3]
        turned = np.einsum("fij,fkj->fki", own[:, :3, :3], axes)
        length = np.linalg.norm(turned, axis=2, keepdims=True)
        turned = np.divide(turned, length, out=np.zeros_like(turned), where=length > 0)
        return _along(turned, air(there[:, None], clock, self.scope)[:, 0])

    def jumps(self, first: float, last: float) -> Samples:
        """Where it may jump."""
        fields = fields_for(self.scene, "")
        numbers = [number for node in fields for number in _air_numbers(self.scene, node)]
        return jumps_of(numbers + _place_numbers(self.scene, self.owner), first, last, self.scene.fps, self.scope)


def scatter_jumps(scene: Scene, node: Node, first: float, last: float, scope: Scope) -> Samples:
    """Where the air may jump that the copies of a scatter stand in.

    Returns
    -------
    (jumps,) array
        Frames, ascending.
    """
    assert node.scatter is not None
    fields = [number for field in fields_for(scene, "") for number in _air_numbers(scene, field)]
    numbers: list[float | Channel] = [*fields, *_place_numbers(scene, node), node.scatter.gain]
    return jumps_of(numbers, first, last, scene.fps, scope)


def airflow_for(scope: Scope) -> Standing:
    """The air as it passes whatever the scope's number belongs to."""
    return Standing(_scene(scope), scope.node, scope.home, scope)


def world_of(scene: Scene, node: Node, clock: Clock, scope: Scope) -> NDArray[np.float64]:
    """From an object's space to the scene's, worked out once for what stands still.

    Returns
    -------
    (frames, 4, 4) array
        Metres.
    """
    if any(moves(scene, here) for here in scene.lineage(node)):
        return world(scene, node, clock, scope)
    return np.repeat(world(scene, node, clock.once, scope), len(clock.frames), axis=0)


def _air_numbers(scene: Scene, node: Node) -> list[float | Channel]:
    assert node.field is not None
    own = [getattr(node.field, name) for name in numbers_of(type(node.field))]
    return [*own, *_place_numbers(scene, node)]


def _place_numbers(scene: Scene, node: Node) -> list[float | Channel]:
    """The numbers of where an object is, and all above it."""
    return list(numbers_of_transforms(scene.lineage(node)))


def _scene(scope: Scope) -> Scene:
    assert scope.scene is not None  # the air is a scene's
    return scope.scene
