"""Fabric: a mesh as cloth sees it. Points that lie at one place are one, and a surface with two sides has one layer.

- An **edge** keeps two points at their distance. Its springs take their stiffness from the areas beside them, so that
  the sheet is as stiff however finely it is cut: k = E·(areas of its triangles) / length² (A. Van Gelder, 'Approximate
  simulation of elastic membranes by triangulated spring meshes', J. Graphics Tools 3, 1998).
- A **bend** is an edge with the two triangles beside it: the sum of its four points, weighted by the cotangents of the
  angles at the edge, is zero where they lie flat. Energy B·(3/2A)·|Σ K·x|² (M. Bergou, M. Wardetzky, D. Harmon,
  D. Zorin, E. Grinspun, 'A quadratic bending model for inextensible surfaces', SGP 2006). The sum that it has at rest
  is kept along the normal, so that what is curved stays so.
- A **tether** lets a point be no farther from where it is pinned than along the surface (T. Kim, N. Chentanez,
  M. Müller, 'Long range attachments', SCA 2012).
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from lazzik.core.geometry.mesh import Mesh
from lazzik.core.types import Places, Points, Samples

TETHERED_TO = 4
"""Places that a point is tethered to, at most."""


@dataclass(frozen=True, eq=False)
class Fabric:
    """Points at rest, and what holds them together."""

    local: Points
    """(n, 3) metres, in the object's space."""
    points: Points
    """(n, 3) metres, as large as they are in the scene."""
    loose: Places
    """Those that no triangle holds."""
    mesh_points: Points
    """(mesh points, 3) metres, in the object's space."""
    place: Places
    """(mesh points,) which of them each point of the mesh is."""
    triangles: NDArray[np.int64]
    """(m, 3) each once, whichever side it is seen from."""
    shares: Samples
    """(n,) square metres that belong to each point."""
    edges: NDArray[np.int64]
    """(e, 2) pairs of points."""
    lengths: Samples
    """(e,) metres."""
    springs: Samples
    """(e,) stiffness for one newton per metre of the sheet: a number."""
    bends: NDArray[np.int64]
    """(b, 4) both ends of an edge, and the points across from it."""
    weights: NDArray[np.float64]
    """(b, 4) of their sum, per metre."""
    areas: Samples
    """(b,) square metres of both triangles, divided by 3."""
    curves: Samples
    """(b,) the sum at rest, along the normal: a number."""
    unfolded: Samples
    """(b,) metres between the points across from an edge, along the surface."""


def fabric_of(mesh: Mesh, sized: NDArray[np.float64] | None = None) -> Fabric:
    """A mesh as cloth.

    Parameters
    ----------
    sized : (3, 3) array
        What takes it to the size that it has in the scene; without it, it is as large as in its own space.
    """
    place = mesh.places[0]
    local = np.zeros((int(place.max(initial=-1)) + 1, 3))
    local[place[::-1]] = mesh.points[::-1]
    points = local if sized is None else np.einsum("ij,nj->ni", sized, local)
    triangles = _once(place[mesh.triangles])
    sides = points[triangles]
    areas = 0.5 * np.linalg.norm(np.cross(sides[:, 1] - sides[:, 0], sides[:, 2] - sides[:, 0]), axis=1)
    shares = np.bincount(triangles.ravel(), np.repeat(areas / 3, 3), len(points)).astype(np.float64)
    edges, of, across = _edges(triangles)
    lengths = np.linalg.norm(points[edges[:, 1]] - points[edges[:, 0]], axis=1)
    beside = np.bincount(of, np.repeat(areas, 3), len(edges))
    springs = beside / np.maximum(lengths, 1e-9) ** 2
    bends, hinge_area = _hinges(edges, of, across, areas)
    weights, unfolded = _cotangents(points[bends]) if len(bends) else (np.zeros((0, 4)), np.zeros(0))
    keep = np.isfinite(weights).all(axis=1) & (hinge_area > 1e-18)
    bends, weights, unfolded, hinge_area = bends[keep], weights[keep], unfolded[keep], hinge_area[keep]
    sums = np.einsum("bk,bki->bi", weights, points[bends])
    curves = np.einsum("bi,bi->b", sums, _hinge_normals(points[bends]))
    curves[np.abs(curves) < 1e-7] = 0.0
    return Fabric(
        local,
        points,
        np.flatnonzero(shares <= 0.0).astype(np.int64),
        mesh.points,
        place,
        triangles,
        shares,
        edges,
        lengths,
        springs,
        bends,
        weights,
        hinge_area / 3,
        curves,
        unfolded,
    )


def _once(triangles: NDArray[np.int64]) -> NDArray[np.int64]:
    """(m, 3) triangles with three corners, the first of those that have the same."""
    a, b, c = triangles.T
    whole = triangles[(a != b) & (b != c) & (c != a)]
    _, first = np.unique(np.sort(whole, axis=1), axis=0, return_index=True)
    return np.ascontiguousarray(whole[np.sort(first)], dtype=np.int64)


def _edges(triangles: NDArray[np.int64]) -> tuple[NDArray[np.int64], Places, Places]:
    """(e, 2) edges; for each side of each triangle, in their order, (3m,) the edge that it is and (3m,) the point
    across from it."""
    sides = np.stack([triangles[:, [0, 1]], triangles[:, [1, 2]], triangles[:, [2, 0]]], axis=1).reshape(-1, 2)
    across = triangles[:, [2, 0, 1]].ravel()
    edges, of = np.unique(np.sort(sides, axis=1), axis=0, return_inverse=True)
    return np.ascontiguousarray(edges, dtype=np.int64), of.ravel().astype(np.int64), across


def _hinges(edges: NDArray[np.int64], of: Places, across: Places, areas: Samples) -> tuple[NDArray[np.int64], Samples]:
    """(b, 4) edges with a triangle on either side, as ends and points across; (b,) square metres of both triangles.
    Where more than two meet, the first two bend."""
    order = np.argsort(of, kind="stable")
    starts = np.searchsorted(of[order], np.arange(len(edges)))
    counts = np.bincount(of, minlength=len(edges))
    pairs = np.flatnonzero(counts >= 2)
    first, second = order[starts[pairs]], order[starts[pairs] + 1]
    bends = np.concatenate([edges[pairs], across[first, None], across[second, None]], axis=1)
    return np.ascontiguousarray(bends), areas[first // 3] + areas[second // 3]


def _cotangents(corners: NDArray[np.float64]) -> tuple[NDArray[np.float64], Samples]:
    """(b, 4) the weights of bends, and (b,) how far the points across are along the surface.

    With the edge e from x₀ to x₁ and x₂, x₃ across from it, cᵢⱼ the cotangents between e and the sides of the two
    triangles: K = (c₀₃ + c₀₄, c₀₁ + c₀₂, −c₀₁ − c₀₃, −c₀₂ − c₀₄), as Bergou et al. have it.
    """
    a, b, c, d = (corners[:, k] for k in range(4))

    def cot(u: Points, v: Points) -> Samples:
        """(b,) cotangents of the angles between two rows of sides."""
        area = np.linalg.norm(np.cross(u, v), axis=1)
        with np.errstate(divide="ignore", invalid="ignore"):
            return np.asarray(np.einsum("bi,bi->b", u, v) / area)

    at_a, at_b = (cot(b - a, c - a), cot(b - a, d - a)), (cot(a - b, c - b), cot(a - b, d - b))
    weights = np.stack([at_b[0] + at_b[1], at_a[0] + at_a[1], -at_a[0] - at_b[0], -at_a[1] - at_b[1]], axis=1)
    along = b - a
    length = np.maximum(np.linalg.norm(along, axis=1), 1e-12)
    foot = [np.einsum("bi,bi->b", side - a, along) / length for side in (c, d)]
    high = [np.linalg.norm(np.cross(along, side - a), axis=1) / length for side in (c, d)]
    return weights, np.hypot(foot[0] - foot[1], high[0] + high[1])


def _hinge_normals(corners: NDArray[np.float64]) -> Points:
    """(b, 3) the normals of bends: of both triangles, by their areas."""
    a, b, c, d = (corners[:, k] for k in range(4))
    both = np.cross(b - a, c - a) + np.cross(d - a, b - a)
    length = np.linalg.norm(both, axis=1, keepdims=True)
    return np.asarray(both / np.maximum(length, 1e-18))


@dataclass(frozen=True, eq=False)
class Tethers:
    """How far points may be from where they are pinned."""

    points: NDArray[np.int64]
    """(t,) which point."""
    ends: NDArray[np.int64]
    """(t,) the pinned point that it is tethered to."""
    lengths: Samples
    """(t,) metres."""


def tethers_of(fabric: Fabric, pinned: Places) -> Tethers:
    """From every point that is not pinned to the nearest pinned one of each of the nearest places where it is.

    Parameters
    ----------
    pinned : (k,) array
        Numbers of pinned points.
    """
    from scipy.sparse import coo_array
    from scipy.sparse.csgraph import connected_components, dijkstra

    n = len(fabric.points)
    if not len(pinned):
        nothing = np.zeros(0, dtype=np.int64)
        return Tethers(nothing, nothing, np.zeros(0))
    held = np.zeros(n, dtype=bool)
    held[pinned] = True
    a, b = fabric.edges.T
    joined = held[a] & held[b]
    islands = connected_components(coo_array((np.ones(joined.sum()), (a[joined], b[joined])), shape=(n, n)), False)[1]
    groups = np.unique(islands[pinned])
    c, d = fabric.bends[:, 2], fabric.bends[:, 3]
    far = np.concatenate([fabric.lengths, fabric.unfolded])
    ways = coo_array((far, (np.concatenate([a, c]), np.concatenate([b, d]))), shape=(n, n)).tocsr()
    near: list[tuple[Samples, Places]] = []
    for group in groups[:MOST_ISLANDS].tolist():
        mine = pinned[islands[pinned] == group]
        away, _, source = dijkstra(ways, directed=False, indices=mine, min_only=True, return_predecessors=True)
        near.append((away, source))
    away, source = np.stack([row[0] for row in near]), np.stack([row[1] for row in near])
    order = np.argsort(away, axis=0, kind="stable")[:TETHERED_TO]
    rows = []
    for k in range(len(order)):
        free = ~held & np.isfinite(np.take_along_axis(away, order[k : k + 1], 0)[0])
        points = np.flatnonzero(free)
        rows.append((points, source[order[k, points], points], away[order[k, points], points]))
    points, ends, lengths = (np.concatenate(parts) for parts in zip(*rows, strict=True))
    return Tethers(points.astype(np.int64), ends.astype(np.int64), lengths)


MOST_ISLANDS = 64
"""Places of pins for which distances are worked out."""
