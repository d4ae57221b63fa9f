"""Fabric: a mesh as cloth sees it. Points that lie at one place are one, and a surface with two sides has one layer.

- An **edge** keeps two points at their distance. Its springs take their stiffness from the areas beside them, so that
  the sheet is as stiff however finely it is cut: k = E·(areas of its triangles) / length² (A. Van Gelder, 'Approximate
  simulation of elastic membranes by triangulated spring meshes', J. Graphics Tools 3, 1998).
- A **bend** is a point with those about it: the Laplacian of the places there, by the cotangents of the angles across
  from its edges, is the sum of both curvatures along the normal (M. Desbrun, M. Meyer, P. Schröder, A. Barr, 'Implicit
  fairing of irregular meshes using diffusion and curvature flow', SIGGRAPH 1999), and costs B/2 · area · |Δx|²: linear
  in the places, and much the same whichever way the triangles run. On a rim it is the second difference along that.
  What it is at rest is kept along the normal, so that what is curved stays so.
- A **tether** lets a point be no farther from where it is pinned than along the surface (T. Kim, N. Chentanez,
  M. Müller, 'Long range attachments', SCA 2012).
"""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from lazzik.core.geometry.mesh import Mesh, normals_of
from lazzik.core.types import Places, Points, Samples

STRAIGHT = 0.94
"""Cosine of the turn that a rim takes at a point, up to which it goes on there."""

TETHERED_TO = 4
"""Places that a point is tethered to, at most."""


@dataclass(frozen=True, eq=False)
class Bends:
    """Points where it resists bending, and what their Laplacians are summed of."""

    starts: NDArray[np.int64]
    """(b + 1,) where the points of each begin in `points`, the bent one first; and the end."""
    points: NDArray[np.int64]
    """(all,) numbers of points."""
    weights: Samples
    """(all,) how much each counts, per square metre."""
    areas: Samples
    """(b,) square metres that belong to each."""
    curves: Samples
    """(b,) the Laplacian at rest, along the normal: per metre."""


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
    bends: Bends
    hinges: NDArray[np.int64]
    """(h, 2) the points across from edges that two triangles share."""
    unfolded: Samples
    """(h,) metres between them, along the surface."""


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
    hinges, unfolded = _hinges(points, edges, of, across)
    bends = _bends(points, triangles, edges, of, shares)
    return Fabric(
        local=local, points=points, loose=np.flatnonzero(shares <= 0.0).astype(np.int64), mesh_points=mesh.points,
        place=place, triangles=triangles, shares=shares, edges=edges, lengths=lengths, springs=springs, bends=bends,
        hinges=hinges, unfolded=unfolded,
    )  # fmt: skip


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


def _hinges(points: Points, edges: NDArray[np.int64], of: Places, across: Places) -> tuple[NDArray[np.int64], Samples]:
    """(h, 2) the points across from edges with a triangle on either side, the first two where more meet; (h,) how far
    they are from each other along the surface."""
    order = np.argsort(of, kind="stable")
    starts = np.searchsorted(of[order], np.arange(len(edges)))
    pairs = np.flatnonzero(np.bincount(of, minlength=len(edges)) >= 2)
    first, second = across[order[starts[pairs]]], across[order[starts[pairs] + 1]]
    a, along = points[edges[pairs, 0]], points[edges[pairs, 1]] - points[edges[pairs, 0]]
    length = np.maximum(np.linalg.norm(along, axis=1), 1e-12)
    sides = [points[ends] - a for ends in (first, second)]
    foot = [np.einsum("hi,hi->h", side, along) / length for side in sides]
    high = [np.linalg.norm(np.cross(along, side), axis=1) / length for side in sides]
    return np.stack([first, second], axis=1), np.hypot(foot[0] - foot[1], high[0] + high[1])


def _bends(
    points: Points, triangles: NDArray[np.int64], edges: NDArray[np.int64], of: Places, shares: Samples
) -> Bends:
    """Where it resists bending: within by the cotangents of the angles across from the edges, on a rim along that."""
    n = len(points)
    cot = np.zeros(len(edges))
    corners = points[triangles]
    sides_of = of.reshape(-1, 3)
    for k in range(3):  # the side from corner k to the next, across from corner k + 2
        u, v = corners[:, k] - corners[:, (k + 2) % 3], corners[:, (k + 1) % 3] - corners[:, (k + 2) % 3]
        area = np.linalg.norm(np.cross(u, v), axis=1)
        np.add.at(
            cot, sides_of[:, k], np.einsum("ti,ti->t", u, v) / np.maximum(area, 1e-12 * shares.max(initial=1e-12))
        )
    many = np.bincount(of, minlength=len(edges))
    rim = np.zeros(n, dtype=bool)
    rim[edges[many != 2].ravel()] = True
    rows = _within(edges, cot, shares, rim) | _along_rims(points, edges[many == 1])
    bent = np.array(sorted(rows), dtype=np.int64)
    counts = np.array([len(rows[p][0]) for p in bent.tolist()], dtype=np.int64)
    members = np.concatenate([np.zeros(0, dtype=np.int64), *(rows[p][0] for p in bent.tolist())])
    weights = np.concatenate([np.zeros(0), *(rows[p][1] for p in bent.tolist())])
    starts = np.concatenate([[0], np.cumsum(counts)]).astype(np.int64)
    sums = np.zeros((len(bent), 3))
    np.add.at(sums, np.repeat(np.arange(len(bent)), counts), weights[:, None] * points[members])
    curves = np.einsum("bi,bi->b", sums, normals_of(points, triangles, np.arange(n))[bent])
    curves[np.abs(curves) * np.sqrt(shares[bent]) < 1e-6] = 0.0
    return Bends(starts, members, weights, shares[bent], curves)


Rows = dict[int, tuple[NDArray[np.int64], Samples]]
"""Of a point, the points that its Laplacian is summed of, itself first, and how much each counts."""


def _within(edges: NDArray[np.int64], cot: Samples, shares: Samples, rim: NDArray[np.bool_]) -> Rows:
    """Δx = Σ (cot α + cot β)·(xⱼ − x) / 2A, of all points that are on no rim."""
    both = np.concatenate([edges, edges[:, ::-1]])
    each = np.concatenate([cot, cot])
    used = ~rim[both[:, 0]] & (shares[both[:, 0]] > 0.0)
    both, each = both[used], each[used]
    order = np.lexsort((both[:, 1], both[:, 0]))
    both, each = both[order], each[order]
    rows: Rows = {}
    starts = [*np.flatnonzero(np.diff(both[:, 0], prepend=-1)).tolist(), len(both)]
    for first, last in pairwise(starts):
        p = int(both[first, 0])
        weights = each[first:last] / (2.0 * shares[p])
        rows[p] = (np.concatenate([[p], both[first:last, 1]]), np.concatenate([[-weights.sum()], weights]))
    return rows


def _along_rims(points: Points, edges: NDArray[np.int64]) -> Rows:
    """x'' along a rim, of its points with two neighbours there to which it goes on about straight."""
    beside: dict[int, list[int]] = {}
    for a, b in edges.tolist():
        beside.setdefault(a, []).append(b)
        beside.setdefault(b, []).append(a)
    rows: Rows = {}
    for p, ends in beside.items():
        if len(ends) != 2:
            continue
        ways = points[ends] - points[p]
        far = np.linalg.norm(ways, axis=1)
        if far.min() <= 0.0 or float(ways[0] @ ways[1]) > -STRAIGHT * far[0] * far[1]:
            continue
        weights = 2.0 / (far.sum() * far)
        rows[p] = (np.array([p, *ends], dtype=np.int64), np.array([-weights.sum(), *weights]))
    return rows


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
    c, d = fabric.hinges.T
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
    straight = np.linalg.norm(fabric.points[points] - fabric.points[ends], axis=1)
    if _flat(fabric.points):
        lengths = np.where(lengths <= ROUNDABOUT * straight, straight, lengths)
    return Tethers(points.astype(np.int64), ends.astype(np.int64), lengths)


def _flat(points: Points) -> bool:
    """Whether all of them lie in a plane."""
    apart = points - points.mean(axis=0)
    spans = np.linalg.svd(apart, compute_uv=False) if len(points) > 2 else np.zeros(3)
    return bool(spans[-1] <= 1e-6 * spans[0])


ROUNDABOUT = 1.083
"""Times the straight line that a way along the edges of a flat mesh and across them is long, where nothing is in
between."""

MOST_ISLANDS = 64
"""Places of pins for which distances are worked out."""
