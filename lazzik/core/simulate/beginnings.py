"""Where particles begin, which way they are pushed, and how fast that place goes itself.

On a surface they are even over its area at rest (R. Osada et al., 'Shape distributions', ACM Trans. Graphics 21, 2002),
on the place that the surface has by then; along edges even over the length of those where two faces meet at an angle,
or where one ends; inside they are even over the volume: places of the box about it are tried until one lies inside,
which is so where a ray from it crosses the surface an odd number of times.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from lazzik.core.clock import Clock
from lazzik.core.evaluate.airflow import world_of
from lazzik.core.evaluate.copies import chance
from lazzik.core.evaluate.scope import Scope
from lazzik.core.evaluate.surface import Surface, surface_of
from lazzik.core.scene.emitter import Emitter
from lazzik.core.scene.node import Node
from lazzik.core.scene.scene import Scene
from lazzik.core.simulate.chance import ACROSS, ALONG, FACE, TRIES, Ids
from lazzik.core.simulate.grid import grid_of
from lazzik.core.simulate.inside import crossings
from lazzik.core.types import Matrices, Points

CREASE = 30.0
"""Degrees between two faces from which their edge counts as one."""

MOST_TRIES = 24
"""Places that are tried for one that is to begin inside; one that finds none begins in the middle."""


@dataclass(frozen=True, eq=False)
class Beginnings:
    """Places of particles at one moment and at the next."""

    places: Points
    """(n, 3) metres, in the scene, at the beginning of the sub-step."""
    after: Points
    """(n, 3) the same at its end."""
    ways: Points
    """(n, 3) of length one."""


class Begins:
    """Where the particles of an emitter begin, over the moments of a clock."""

    def __init__(self, scene: Scene, node: Node, emitter: Emitter, clock: Clock, scope: Scope) -> None:
        self.emitter = emitter
        source = scene.by_id[emitter.of] if emitter.of is not None and emitter.begin != "point" else None
        self._world = world_of(scene, source or node, clock, scope)
        self._surface = surface_of(scene, source, clock, scope) if source is not None else None
        self._picked = _Picked(self._surface, emitter.begin) if self._surface is not None else None
        # normals go by the transposed inverse
        self._turns = np.swapaxes(np.linalg.inv(self._world[:, :3, :3]), 1, 2) if self._picked is not None else None

    def of(self, ids: Ids, seed: int, moments: Ids) -> Beginnings:
        """Those of some particles, each of which begins between a moment and the next.

        Parameters
        ----------
        ids : (n,) array
            Their numbers.
        moments : (n,) array
            After which moment of the clock each begins, ascending.
        """
        world, after = self._world[moments], self._world[moments + 1]
        if self._picked is None or self._turns is None:
            up = world[:, :3, 1]
            up = up / np.maximum(np.linalg.norm(up, axis=1, keepdims=True), 1e-12)
            return Beginnings(world[:, :3, 3], after[:, :3, 3], up)
        own, ways, later = self._own(ids, seed, moments)
        away = _times(self._turns[moments], ways)
        away /= np.maximum(np.linalg.norm(away, axis=1, keepdims=True), 1e-12)
        return Beginnings(_times(world, own) + world[:, :3, 3], _times(after, later) + after[:, :3, 3], away)

    def _own(self, ids: Ids, seed: int, moments: Ids) -> tuple[Points, Points, Points]:
        """((n, 3), (n, 3), (n, 3)) in the object's space: places, ways away from it, and places a moment later."""
        assert self._surface is not None
        assert self._picked is not None
        if self._surface.still:
            own, ways = self._picked.of(ids, seed, self._surface.points(0))
            return own, ways, own
        own, ways, later = (np.empty((len(ids), 3)) for _ in range(3))
        for moment in np.unique(moments).tolist():
            mine = moments == moment
            own[mine], ways[mine] = self._picked.of(ids[mine], seed, self._surface.points(moment))
            later[mine] = self._picked.of(ids[mine], seed, self._surface.points(moment + 1))[0]
        return own, ways, later


def _times(matrices: Matrices, rows: Points) -> Points:
    """(n, 3) each row by its own (3, 3) or (4, 4) matrix: written out, since a library's product may add in another
    order when there are more."""
    return np.stack(
        [sum(matrices[:, i, k] * rows[:, k] for k in (1, 2)) + matrices[:, i, 0] * rows[:, 0] for i in range(3)], axis=1
    )


class _Picked:
    """The faces, edges or inside of a surface, from which numbers pick."""

    def __init__(self, surface: Surface, begin: str) -> None:
        self.triangles = surface.rest.triangles
        self.begin = begin
        rest = surface.rest.points
        if begin == "edges":
            self.edges, self.faces = _edges(rest, self.triangles)
            lengths = np.linalg.norm(rest[self.edges[:, 1]] - rest[self.edges[:, 0]], axis=1)
            self.shares = np.cumsum(lengths) / max(float(lengths.sum()), 1e-300)
        else:
            a, b, c = (rest[self.triangles[:, k]] for k in range(3))
            areas = np.linalg.norm(np.cross(b - a, c - a), axis=1)
            self.shares = np.cumsum(areas) / max(float(areas.sum()), 1e-300)

    def of(self, ids: Ids, seed: int, points: Points) -> tuple[Points, Points]:
        """((n, 3), (n, 3)) places in the object's space, and ways away from it."""
        if self.begin == "inside":
            return self._inside(ids, seed, points)
        on = np.minimum(np.searchsorted(self.shares, chance(ids, seed, FACE), side="right"), len(self.shares) - 1)
        if self.begin == "edges":
            s = chance(ids, seed, ALONG)[:, None]
            ends = points[self.edges[on]]
            normals = _normals(points, self.triangles)[self.faces[on]].sum(axis=1)
            return (1.0 - s) * ends[:, 0] + s * ends[:, 1], normals
        root, s = np.sqrt(chance(ids, seed, ALONG)), chance(ids, seed, ACROSS)
        shares = np.stack([1.0 - root, root * (1.0 - s), root * s], axis=1)
        corners = points[self.triangles[on]]
        return np.einsum("nk,nkj->nj", shares, corners), np.cross(corners[:, 1] - corners[:, 0],
                                                                  corners[:, 2] - corners[:, 0])  # fmt: skip

    def _inside(self, ids: Ids, seed: int, points: Points) -> tuple[Points, Points]:
        corners = points[self.triangles]
        grid = grid_of(corners)
        low, high = points.min(axis=0), points.max(axis=0)
        places = np.tile((low + high) / 2, (len(ids), 1))
        open_ = np.arange(len(ids))
        for k in range(MOST_TRIES):
            if not len(open_):
                break
            shares = [chance(ids[open_], seed, TRIES + 3 * k + axis) for axis in range(3)]
            tried = low + np.stack(shares, axis=1) * (high - low)
            counts = np.zeros(len(tried), dtype=np.int64)
            crossings(corners, grid.low, grid.cell, grid.size, grid.starts, grid.members, tried, counts)
            inside = counts % 2 == 1
            places[open_[inside]] = tried[inside]
            open_ = open_[~inside]
        return places, np.tile([0.0, 1.0, 0.0], (len(ids), 1))


def _normals(points: Points, triangles: NDArray[np.int64]) -> Points:
    """(triangles, 3) of length one."""
    a, b, c = (points[triangles[:, k]] for k in range(3))
    square = np.cross(b - a, c - a)
    return np.asarray(square / np.maximum(np.linalg.norm(square, axis=1, keepdims=True), 1e-12))


def _edges(points: Points, triangles: NDArray[np.int64]) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """((edges, 2), (edges, 2)) the points of edges where faces meet at an angle or end, and the faces beside them."""
    _, same = np.unique(points.round(9), axis=0, return_inverse=True)
    same = np.ravel(same)
    normals = _normals(points, triangles)
    found: dict[tuple[int, int], list[tuple[int, int, int]]] = {}
    for face, corners in enumerate(triangles.tolist()):
        for k in range(3):
            a, b = corners[k], corners[(k + 1) % 3]
            key = (int(min(same[a], same[b])), int(max(same[a], same[b])))
            found.setdefault(key, []).append((face, a, b))
    edges, faces = [], []
    for (one, other), rows in found.items():
        if one == other:
            continue
        meeting = [face for face, _, _ in rows]
        flat = len(meeting) == 2 and float(normals[meeting[0]] @ normals[meeting[1]]) > np.cos(np.radians(CREASE))
        if not flat:
            edges.append(rows[0][1:])
            faces.append((meeting[0], meeting[-1]))
    if not edges:  # all is smooth: any edge will do
        return triangles[:, :2], np.stack([np.arange(len(triangles))] * 2, axis=1)
    return np.array(edges, dtype=np.int64), np.array(faces, dtype=np.int64)
