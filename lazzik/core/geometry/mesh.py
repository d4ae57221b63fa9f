"""A mesh: points, normals and triangles, and which of its points are one point of the surface."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cached_property
from itertools import pairwise
from typing import NamedTuple

import numpy as np

from lazzik.core.kernels import kernel
from lazzik.core.threads import at_once, cores
from lazzik.core.types import Coordinates, Places, Points, Samples, Triangles

CREASE = 40.0
"""Degrees between two normals at one place beyond which the edge there is crisp."""

TOGETHER = 1e-6
"""Part of a mesh's size within which two points lie at one place."""


PARTED = 2**15
"""Points from which their normals are worked out in parts."""


class Fan(NamedTuple):
    """Some smooth places, and the faces around them."""

    places: tuple[int, int]
    """From one up to another."""
    triangles: Triangles
    """In their order."""


@dataclass(frozen=True, eq=False)
class Mesh:
    """Points (n, 3) in metres, normals (n, 3) of unit length, triangles (m, 3), anticlockwise seen from outside."""

    points: Points
    normals: Points
    triangles: Triangles
    coordinates: Coordinates | None = None
    """(n, 2) of a picture on it: to the right and downward; None if it can carry none."""

    @cached_property
    def bounds(self) -> tuple[Samples, Samples]:
        """((3,), (3,)) the lowest and highest x, y, z.

        Returns
        -------
        ((3,) array, (3,) array)
            Metres.
        """
        return self.points.min(axis=0), self.points.max(axis=0)

    @property
    def size(self) -> Samples:
        """Extent along x, y, z in metres.

        Returns
        -------
        (3,) array
            Metres.
        """
        low, high = self.bounds
        return high - low

    @property
    def weight(self) -> int:
        """Bytes that it takes, with all that is worked out of it."""
        own = self.points.nbytes + self.normals.nbytes + self.triangles.nbytes * (1 + (len(self.points) >= PARTED))
        return own + (40 if self.coordinates is not None else 24) * len(self.points)

    def moved(self, points: Points) -> Mesh:
        """The mesh with its points elsewhere and its normals as the surface then has them.

        Parameters
        ----------
        points : (n, 3) array
            Metres.

        Returns
        -------
        Mesh
            With the triangles of this one.
        """
        return replace(self, points=points, normals=self.normals_at(points))

    def normals_at(self, points: Points) -> Points:
        """The normals that the surface has with its points there; of many, on all cores.

        Parameters
        ----------
        points : (n, 3) array
            Metres.

        Returns
        -------
        (n, 3) array
            Of unit length.
        """
        if len(points) < PARTED:
            return normals_of(points, self.triangles, self.welds)
        points = np.ascontiguousarray(points)
        out, sums = np.empty_like(points), np.empty((int(self.welds.max()) + 1, 3))
        cuts = np.linspace(0, len(points), 2 * cores() + 1).astype(int).tolist()
        at_once(lambda fan: sum_faces(points, fan.triangles, self.welds, *fan.places, sums), self._fans)
        at_once(lambda cut: to_unit_length(sums, self.welds[slice(*cut)], out[slice(*cut)]), list(pairwise(cuts)))
        return out

    @cached_property
    def _fans(self) -> list[Fan]:
        """All smooth places, in a few parts."""
        around = self.welds[self.triangles]
        low, high = around.min(axis=1), around.max(axis=1)
        cuts = np.linspace(0, int(self.welds.max()) + 1, 2 * cores() + 1).astype(int).tolist()
        return [Fan((first, end), self.triangles[(high >= first) & (low < end)]) for first, end in pairwise(cuts)]

    @cached_property
    def welds(self) -> Places:
        """For each point the number of the smooth place that it belongs to.

        Points at one place whose normals differ by less than CREASE share one: the seam of a tube, not the edge of a
        box. The mesh at rest settles it, so that bending a box never rounds its edges.

        Returns
        -------
        (n,) array
            Numbers from 0 on.
        """
        pairs = self._together
        same = np.einsum("ij,ij->i", self.normals[pairs[:, 0]], self.normals[pairs[:, 1]]) > np.cos(np.radians(CREASE))
        return _groups(pairs[same], len(self.points))

    @cached_property
    def places(self) -> tuple[Places, Places]:
        """For each point the number of the place at which it lies, whatever its normal; and (counted,) the points
        that count for where the surface faces there: not the back of something without thickness, whose front comes
        before it.

        Returns
        -------
        ((n,) array, (counted,) array)
            Numbers of places; rows of points.
        """
        place = _groups(self._together, len(self.points))
        _, first = np.unique(place, return_index=True)
        back = np.einsum("ij,ij->i", self.normals, self.normals[first[place]]) < -np.cos(np.radians(CREASE))
        return place, np.flatnonzero(~back).astype(np.int64)

    @cached_property
    def _together(self) -> Places:
        """(pairs, 2) points that lie at one place."""
        from scipy.spatial import cKDTree

        reach = TOGETHER * max(float(self.size.max()), 1e-9)
        pairs: Places = cKDTree(self.points).query_pairs(reach, output_type="ndarray").astype(np.int64)
        return pairs


def directions_of(points: Points, mesh: Mesh) -> Points:
    """The ways in which a mesh with its points there is pushed along its normals: one way at each place, so that
    neither an edge nor something without thickness opens.

    Parameters
    ----------
    points : (n, 3) array
        Metres.

    Returns
    -------
    (n, 3) array
        Of unit length.
    """
    normals = mesh.normals_at(points)
    place, counted = mesh.places
    sums = np.zeros((int(place.max(initial=-1)) + 1, 3))
    for axis in range(3):
        sums[:, axis] = np.bincount(place[counted], weights=normals[counted, axis], minlength=len(sums))
    length = np.linalg.norm(sums, axis=1, keepdims=True)
    sums = np.where(length > 1e-12, sums / np.where(length > 1e-12, length, 1.0), [0.0, 1.0, 0.0])
    out: Points = sums[place]
    return out


def _groups(pairs: Places, count: int) -> Places:
    """(count,) for each of so many things the number of its group, those that a chain of pairs joins being one; groups
    are numbered in the order of their first ones."""
    from scipy.sparse import coo_array
    from scipy.sparse.csgraph import connected_components

    joins = coo_array((np.ones(len(pairs), dtype=bool), (pairs[:, 0], pairs[:, 1])), shape=(count, count))
    labels = connected_components(joins, directed=False)[1]
    _, first, group = np.unique(labels, return_index=True, return_inverse=True)
    return np.argsort(np.argsort(first))[group].astype(np.int64)


def normals_of(points: Points, triangles: Triangles, welds: Places) -> Points:
    """Unit normals: the sum of the faces around each smooth place, larger faces counting more.

    Where there is no face with an area, straight up.

    Parameters
    ----------
    points : (n, 3) array
        Metres.
    triangles : (triangles, 3) array
        Rows of `points`.
    welds : (n,) array
        As of Mesh.welds.

    Returns
    -------
    (n, 3) array
        Of unit length.
    """
    count = int(welds.max(initial=-1)) + 1
    points = np.ascontiguousarray(points)
    out, sums = np.empty_like(points), np.empty((count, 3))
    sum_faces(points, triangles, welds, 0, count, sums)
    to_unit_length(sums, welds, out)
    return out


@kernel("void(float64[:, ::1], int64[:, ::1], int64[::1], int64, int64, float64[:, ::1])", fuse=True)
def sum_faces(points: Points, triangles: Triangles, welds: Places, first: int, end: int, sums: Points) -> None:
    """Fill the rows of `sums` from the place `first` up to `end`. Faces are added in their order, so that parts give
    the same bits as the whole.

    Parameters
    ----------
    points : (n, 3) array
        Metres.
    triangles : (triangles, 3) array
        Rows of `points`: those around these places, and others.
    welds : (n,) array
        As of Mesh.welds.
    sums : (places, 3) array
        Twice the areas of the faces around each place, as vectors.
    """
    sums[first:end] = 0.0
    for t in range(triangles.shape[0]):
        i, j, k = triangles[t, 0], triangles[t, 1], triangles[t, 2]
        x, y, z = points[i, 0], points[i, 1], points[i, 2]
        ax, ay, az = points[j, 0] - x, points[j, 1] - y, points[j, 2] - z
        bx, by, bz = points[k, 0] - x, points[k, 1] - y, points[k, 2] - z
        nx, ny, nz = ay * bz - az * by, az * bx - ax * bz, ax * by - ay * bx
        for w in (welds[i], welds[j], welds[k]):
            if first <= w < end:
                sums[w, 0] += nx
                sums[w, 1] += ny
                sums[w, 2] += nz


@kernel("void(float64[:, ::1], int64[::1], float64[:, ::1])", fuse=True)
def to_unit_length(sums: Points, welds: Places, out: Points) -> None:
    """Fill `out` (n, 3); straight up where the faces around have no area.

    Parameters
    ----------
    sums : (places, 3) array
        As of `sum_faces`.
    welds : (n,) array
        As of Mesh.welds.
    out : (n, 3) array
        Filled, of unit length.
    """
    for p in range(welds.shape[0]):
        w = welds[p]
        x, y, z = sums[w, 0], sums[w, 1], sums[w, 2]
        length = np.sqrt(x * x + y * y + z * z)
        flat = length <= 1e-300
        share = 0.0 if flat else 1.0 / length
        out[p, 0], out[p, 1], out[p, 2] = share * x, 1.0 if flat else share * y, share * z


def concatenate(parts: list[Mesh]) -> Mesh:
    """Several meshes as one, their points kept apart so that the edges between them stay crisp."""
    starts = np.cumsum([0] + [len(part.points) for part in parts])
    coordinates = [part.coordinates for part in parts if part.coordinates is not None]
    return Mesh(
        np.concatenate([part.points for part in parts]),
        np.concatenate([part.normals for part in parts]),
        np.concatenate([part.triangles + start for part, start in zip(parts, starts, strict=False)]),
        np.concatenate(coordinates) if len(coordinates) == len(parts) else None,
    )


def grid_triangles(rows: int, columns: int) -> Triangles:
    """Triangles of a grid of (rows + 1) × (columns + 1) points laid out row by row.

    Returns
    -------
    (2 · rows · columns, 3) array
        Rows of the points.
    """
    r, c = np.meshgrid(np.arange(rows), np.arange(columns), indexing="ij")
    a = (r * (columns + 1) + c).ravel()
    b, d = a + 1, a + columns + 1
    return np.concatenate([np.stack([a, b, d], 1), np.stack([b, d + 1, d], 1)]).astype(np.int64)
