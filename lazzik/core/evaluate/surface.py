"""An object's surface over a clock, asked for in blocks of moments, so that nothing large is held."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from functools import cached_property, partial
from itertools import groupby, pairwise

import numpy as np
from numpy.typing import NDArray

from lazzik.core.channel.layer import numbers_of
from lazzik.core.clock import Clock
from lazzik.core.deformers.apply import ALL, Part, Step, apply, counts_of, lift_of
from lazzik.core.deformers.base import Moments
from lazzik.core.evaluate.evaluator import value_of
from lazzik.core.evaluate.scope import Scope
from lazzik.core.evaluate.shapes import acting
from lazzik.core.evaluate.surface_plan import step_of, targets_of
from lazzik.core.geometry.assets import AssetStore
from lazzik.core.geometry.mesh import Mesh
from lazzik.core.scene.node import Node
from lazzik.core.scene.scene import Scene
from lazzik.core.threads import at_once, cores
from lazzik.core.types import PointBlock, Points, Samples, Shares

BLOCK = 2**14
"""Points of all moments in a block: what a processor keeps at hand."""

PART = 25_000
"""Points of one moment in a part that goes from the first deformer to the last: enough that what is done between two
kernels does not count."""

FEW = 64
"""Points by which most others are told from those at rest."""


@dataclass(frozen=True, eq=False)
class Surface:
    """An object's surface over a clock."""

    rest: Mesh
    """At the bases of its sizes."""
    clock: Clock
    sizes: dict[str, Samples]
    """The sizes that change; (frames,) each."""
    node: Node
    assets: AssetStore
    """Has what the shape needs, if that is heavy."""
    steps: tuple[Step, ...]
    targets: tuple[NDArray[np.float64], NDArray[np.float64]] | None = None
    """(targets, n, 3) offsets, and (frames, targets) weights, of a baked shape."""
    draped: Callable[[Samples], PointBlock] | None = None
    """Of cloth, what its points are at (moments,) frames: (moments, n, 3) metres, in the object's space."""

    @cached_property
    def still(self) -> bool:
        """Whether every moment has the same points."""
        return (
            not self.sizes and self.targets is None and self.draped is None and all(step.still for step in self.steps)
        )

    def blocks(self, first: int = 0, last: int | None = None) -> Iterator[PointBlock]:
        """The points from one moment up to another, a block of moments after the other; one moment if it is still.

        Yields
        ------
        (moments, n, 3) array
            Metres, in the object's space.
        """
        end = len(self.clock.frames) if last is None else last
        if self.still:
            yield self.block(slice(first, first + 1))
            return
        size = max(1, BLOCK // max(1, len(self.rest.points)))
        for start in range(first, end, size):
            places = slice(start, min(start + size, end))
            block = self.block(places)
            yield block if len(block) == places.stop - start else np.repeat(block, places.stop - start, axis=0)

    def each(self, first: int = 0, last: int | None = None) -> Iterator[tuple[int, Points]]:
        """From one moment up to another, worked out by blocks.

        Yields
        ------
        int, (n, 3) array
            Metres, in the object's space.
        """
        index = first
        for block in self.blocks(first, last):
            for points in block:
                yield index, points
                index += 1

    def block(self, places: slice, until: int | None = None) -> PointBlock:
        """The points at some moments, as the first so many steps leave them (all, if None).

        Returns
        -------
        (moments or 1, n, 3) array
            Metres, in the object's space.
        """
        rest = points = self._rest(places)
        if self.draped is not None:
            points = self.draped(self.clock.frames[places])
        moments = self._moments(places)
        for parted, steps in groupby(self.steps[:until], lambda step: step.pointwise):
            these = list(steps)
            if parted and points.shape[1] >= 2 * BLOCK:
                points = self._by_parts(these, points, rest, moments)
            else:
                points = self._through(these, points, rest, moments)
        return points

    def _through(
        self, steps: list[Step], points: PointBlock, rest: PointBlock, moments: Moments, part: Part = ALL
    ) -> PointBlock:
        """(moments or 1, n, 3) the points, or a part of them, as some steps leave them."""
        points, rest = (np.ascontiguousarray(block[:, slice(*part)]) for block in (points, rest))
        for step in steps:
            points = apply(step, points, rest, self._of(step, moments), self.rest, part)
        return points

    def _by_parts(self, steps: list[Step], points: PointBlock, rest: PointBlock, moments: Moments) -> PointBlock:
        """(moments or 1, n, 3) the same, worked out on all cores, each part at hand from the first step to the last."""
        count = points.shape[1]
        size = max(2, round(count / PART / cores()) * cores())
        cuts = np.linspace(0, count, size + 1).astype(int).tolist()
        parts = at_once(partial(self._through, steps, points, rest, moments), list(pairwise(cuts)))
        most = max(len(part) for part in parts)  # a part in which nothing counts stays as it was
        return np.concatenate([np.broadcast_to(part, (most, *part.shape[1:])) for part in parts], axis=1)

    def points(self, index: int) -> Points:
        """The points at a moment.

        Returns
        -------
        (n, 3) array
            Metres, in the object's space.
        """
        return self.points_until(len(self.steps), index)

    def points_until(self, place: int, index: int) -> Points:
        """The points at a moment, as the first so many steps leave them.

        Returns
        -------
        (n, 3) array
            Metres, in the object's space.
        """
        if not place and not self.sizes and self.targets is None and self.draped is None:
            return self.rest.points
        return np.asarray(self.block(slice(index, index + 1), place)[0])

    def normals(self, points: Points) -> Points:
        """The normals that the surface has with these points.

        Parameters
        ----------
        points : (n, 3) array
            Metres, in the object's space.

        Returns
        -------
        (n, 3) array
            Of unit length.
        """
        rest = self.rest.points
        if points is rest or (np.array_equal(points[:FEW], rest[:FEW]) and np.array_equal(points, rest)):
            return self.rest.normals
        return self.rest.normals_at(points)

    def rest_at(self, index: int) -> Points:
        """The points without deformers at a moment: at rest, and by the weights of shape targets.

        Returns
        -------
        (n, 3) array
            Metres, in the object's space.
        """
        return np.asarray(self._rest(slice(index, index + 1))[0])

    def rest_plain(self, index: int) -> Points:
        """The points of the sizes alone at a moment.

        Returns
        -------
        (n, 3) array
            Metres, in the object's space.
        """
        if not self.sizes or self.node.shape is None:
            return self.rest.points
        now = {name: float(values[index]) for name, values in self.sizes.items()}
        return self.node.shape.mesh(self.assets, self.node.shape.nominal() | now).points

    def counts(self, place: int, index: int) -> Samples:
        """How much the deformer of one step counts for each point at a moment: weight · edge fade · mask.

        Returns
        -------
        (n,) array
            0 to 1, and beyond with a weight that is.
        """
        return self._at_step(place, index, counts_of)

    def lift(self, place: int, index: int) -> Samples:
        """Metres, with their sign, by which the deformer of one step pushes each point at a moment.

        Returns
        -------
        (n,) array
            Metres, with their sign.
        """
        return self._at_step(place, index, lift_of)

    def _at_step(self, place: int, index: int, ask: Callable[..., Shares]) -> Samples:
        places = slice(index, index + 1)
        step = self.steps[place]
        moments = self._of(step, self._moments(places))
        return np.asarray(ask(step, self.block(places, place), self._rest(places), moments)[0])

    def _rest(self, places: slice) -> PointBlock:
        """(moments or 1, n, 3) the points without deformers."""
        if not self.sizes:
            plain = self.rest.points[None]
        else:
            plain = np.stack([self.rest_plain(i) for i in range(places.start, places.stop)])
        if self.targets is None:
            return plain
        offsets, weights = self.targets
        used = np.flatnonzero(weights[places].any(axis=0))
        return np.asarray(plain + np.tensordot(weights[places][:, used], offsets[used], 1))

    def _moments(self, places: slice) -> Moments:
        frames = self.clock.frames[places]
        return Moments({}, places, self.clock.elapsed[places] / self.clock.fps, frames, self.clock.fps)

    def _of(self, step: Step, moments: Moments) -> Moments:
        """The moments with what a step planned for them; the first alone for one that does the same at all."""
        if step.still:
            one = slice(moments.places.start, moments.places.start + 1)
            return Moments(step.plan, one, moments.seconds[:1], moments.frames[:1], moments.fps)
        return replace(moments, plan=step.plan)


def surface_of(scene: Scene, node: Node, clock: Clock, scope: Scope, *, own: bool = False) -> Surface:
    """An object's surface over a clock; it must have a shape. `own` leaves out the deformers of objects above it.

    Raises UnknownAddress, BadFormula, UnknownAsset.
    """
    assert node.shape is not None
    scope = scope.at(node.id)
    sizes = {}
    for name in numbers_of(type(node.shape)):
        value = value_of(node.shape, name, clock, scope)
        if not isinstance(value, float | int):
            sizes[name] = value
    steps = tuple(
        step_of(scene, node, owner, deformer, clock, scope)
        for owner, deformer in acting(scene, node)
        if owner is node or not own
    )
    rest = node.shape.mesh(scene.assets)
    targets = targets_of(node, len(rest.points), clock, scope, scene.assets)
    return Surface(rest, clock, sizes, node, scene.assets, steps, targets)
