"""Where an object that aims turns to: what of the scene its aim reads, and what evaluate/aiming.py makes of it.

The direction is a function of the moment. Where the target is nearer than NEAR (or, of what turns about one axis,
nearer than that to the axis), the direction that counted last holds: the last one on the fixed grid of sub-steps, so
that no answer depends on what was asked beside it. A target that goes through the object so turns it round at once.

With lag the target's point trails by the law of the Follow layer, each coordinate of the scene for itself, from rest on
the scene's first frame, or in a loop in the state that returns to itself.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from lazzik.core.clock import Clock
from lazzik.core.evaluate.aiming import NEAR, facing, facing_about, on_top, turned_about, upward
from lazzik.core.evaluate.evaluator import value_of
from lazzik.core.evaluate.scope import Scope
from lazzik.core.evaluate.triples import bases_by_axis, triple
from lazzik.core.geometry.quaternions import dot, invert_axes, orientations, rotated, short_way
from lazzik.core.layers.follow import trailing
from lazzik.core.layers.oscillator import grid_for, spring_of
from lazzik.core.scene.aim import Aim, axis_vector
from lazzik.core.scene.node import Node
from lazzik.core.scene.scene import Scene
from lazzik.core.types import Points, Quaternions, Samples

World = Callable[[Node | None, Clock], NDArray[np.float64]]
"""(frames, 4, 4) from the space of an object, or of the scene, to the scene's."""

FLAT = 1e-12
"""Volume of a unit cube in a space below which nothing in it has a direction."""


@dataclass(frozen=True, eq=False)
class Aimer:
    """An object with its aim, in its scene."""

    scene: Scene
    node: Node
    aim: Aim
    scope: Scope
    world: World

    def number(self, name: str, clock: Clock) -> float | Samples:
        """One of the aim's numbers, as what drives an oscillator (the protocol `Numbered`).

        Returns
        -------
        float or (frames,) array
            In the number's unit.
        """
        return value_of(self.aim, name, clock, self.scope.at(self.node.id))

    def turned(self, own: Quaternions, clock: Clock) -> Quaternions:
        """The object's orientation within the one above it; where nothing gives a direction, as it would be without.

        Parameters
        ----------
        own : (frames, 4) array
            Its orientation by its rotation's numbers.

        Returns
        -------
        (frames, 4) array
            x, y, z, w, of unit length.
        """
        base = self._base(clock)
        into, away = self._into(clock), self._directions(clock)
        near = self._counting(away, into, base) < NEAR
        if near.any():
            away[near] = self._last_far(clock)[near]
            near = self._counting(away, into, base) < NEAR
        aims = ~near
        turn = base.copy()
        if aims.any():
            turn[aims] = self._facing(base, into, away, clock, aims)
        return short_way(on_top(base, turn, self.number("weight", clock), own))

    def _facing(
        self, base: Quaternions, into: NDArray[np.float64], away: Points, clock: Clock, at: NDArray[np.bool_]
    ) -> Quaternions:
        """(moments, 4) the orientations that point, at the moments that have a direction."""
        local = _mapped(into[at], away[at])
        if self.aim.about != "all":
            return facing_about(base[at], local, self.aim.axis, self.aim.about)
        spare = np.broadcast_to(np.array([1.0, 0.0, 0.0]), local.shape)
        up, aside = _mapped(into[at], upward(away[at])), _mapped(into[at], spare)
        roll = np.broadcast_to(np.asarray(self.number("roll", clock)), len(base))[at]
        return turned_about(facing(local, up, aside, self.aim.axis), self.aim.axis, roll)

    def _base(self, clock: Clock) -> Quaternions:
        """(frames, 4) the orientation by the bases of the rotation's numbers."""
        rotation = self.node.rotation
        return orientations(bases_by_axis(rotation, clock), rotation.order, len(clock.frames))

    def _above(self, node: Node, clock: Clock) -> NDArray[np.float64]:
        """(frames, 4, 4) the space that an object stands in."""
        return self.world(self.scene.by_id[node.parent] if node.parent is not None else None, clock)

    def _origin(self, node: Node, clock: Clock) -> Points:
        """(frames, 3) metres in the scene: where an object is, however it is turned itself."""
        return _at(self._above(node, clock), triple(node.position, clock, self.scope.at(node.id)))

    def _into(self, clock: Clock) -> NDArray[np.float64]:
        """(frames, 3, 3) directions of the scene into that space; nothing where it has no size."""
        out = np.empty((len(clock.frames), 3, 3))
        invert_axes(np.ascontiguousarray(self._above(self.node, clock)), FLAT, out)
        return out

    def _there(self, clock: Clock) -> Points:
        """(frames, 3) metres in the scene: the point that is aimed at, without lag."""
        target = self.scene.node(self.aim.target) if self.aim.target is not None else None
        if target is not None and not self.aim.turned_target:
            return self._origin(target, clock)
        return _at(self.world(target, clock), triple(self.aim.point, clock, self.scope.at(self.node.id)))

    def _directions(self, clock: Clock) -> Points:
        """(frames, 3) metres in the scene, from the object's origin to what it aims at, with its lag."""
        aimed = self._there(clock)
        if self.aim.lag:
            grid = grid_for(clock, self.aim.loop)
            omega, damping = spring_of(self, grid)
            followed = self._there(grid.clock)
            for k in range(3):
                aimed[:, k] = trailing(grid.samples(followed[:, k]), aimed[:, k], omega, damping, grid)
        return np.asarray(aimed - self._origin(self.node, clock))

    def _counting(self, away: Points, into: NDArray[np.float64], base: Quaternions) -> Samples:
        """(frames,) metres of a direction that say where to turn: its length, or that of the part which is square to
        the axis that it turns about; none in a space without size."""
        length = np.linalg.norm(away, axis=1)
        local = _mapped(into, away)
        size = np.linalg.norm(local, axis=1)
        if self.aim.about == "all":
            return np.where(size > 0, length, 0.0)
        around = rotated(base, axis_vector(self.aim.about))
        square = np.linalg.norm(local - dot(local, around) * around, axis=1)
        return np.asarray(length * square / np.where(size > 0, size, 1.0))

    def _last_far(self, clock: Clock) -> Points:
        """(frames, 3) the direction that counted last before each moment; before there was one, the first that comes;
        none where none ever counts."""
        grid = clock.grid
        away = self._directions(grid)
        far = self._counting(away, self._into(grid), self._base(grid)) >= NEAR
        if not far.any():
            return np.zeros((len(clock.frames), 3))
        last = np.maximum.accumulate(np.where(far, np.arange(len(far)), -1))
        last = np.where(last < 0, int(np.argmax(far)), last)
        place = np.searchsorted(grid.frames, clock.frames + 1e-9, side="right") - 1
        return np.asarray(away[last[np.clip(place, 0, len(last) - 1)]])


def _mapped(matrices: NDArray[np.float64], vectors: Points) -> Points:
    out: Points = np.einsum("fij,fj->fi", matrices, vectors)
    return out


def _at(matrices: NDArray[np.float64], points: Points) -> Points:
    return np.asarray(_mapped(matrices[:, :3, :3], points) + matrices[:, :3, 3])
