"""The edge of what faces the viewer, as path data.

Of all triangles whose picture is anticlockwise, these are the directed edges that no other of them runs through
backwards. Which edge is another one's reverse never changes, so it is found once for a mesh; a picture only asks which
triangles face the viewer.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from lazzik.core.geometry.mesh import TOGETHER, Mesh
from lazzik.core.kernels import kernel

NEAR = 0.05
"""Metres before the viewer within which a triangle is left out."""

NOWHERE = np.empty(0)

FARTHEST = 1e5
"""Pixels from the corner beyond which nothing is written."""


class Silhouette:
    """A mesh whose outline is drawn over and over."""

    def __init__(self, mesh: Mesh) -> None:
        joined = _joined(mesh)
        self.triangles, self.count = np.ascontiguousarray(mesh.triangles), len(joined)
        corners = joined[mesh.triangles]
        sides = np.concatenate([corners[:, [0, 1]], corners[:, [1, 2]], corners[:, [2, 0]]])
        ways, self.way = np.unique(sides[:, 0] * self.count + sides[:, 1], return_inverse=True)
        backward = sides[:, 1] * self.count + sides[:, 0]
        place = np.minimum(np.searchsorted(ways, backward), max(len(ways) - 1, 0))
        self.sides, self.ways = np.ascontiguousarray(sides), len(ways)
        self.back = np.where(ways[place] == backward, place, self.ways) if len(ways) else place
        self.there = np.zeros(self.ways + 1, dtype=np.bool_)
        self.head = np.full(self.count, -1)

    def path(self, flat: NDArray[np.float64], depth: NDArray[np.float64] | None) -> str:
        """The `d` of the outline.

        Parameters
        ----------
        flat : (n, 2) array
            Pixels, right and down.
        depth : (n,) array or None
            Metres before the viewer; None: nothing is too near.
        """
        near = NOWHERE if depth is None else np.ascontiguousarray(depth)
        rim = np.empty((len(self.sides), 2), dtype=np.int64)
        flat = np.ascontiguousarray(flat)
        rim = rim[: edges_of_front(flat, near, self.triangles, self.sides, self.way, self.back, self.there, rim)]
        along, ends = np.empty(2 * len(rim) + 1, dtype=np.int64), np.empty(len(rim) + 1, dtype=np.int64)
        loops = close_loops(rim, self.head, np.empty(len(rim), dtype=np.int64), along, ends)
        points = np.clip(flat[along[: ends[loops - 1]]] if loops else flat[:0], -FARTHEST, FARTHEST)
        return "".join(
            "M" + ("%.1f %.1fL" * (end - start) % tuple(points[start:end].ravel().tolist()))[:-1] + "Z"
            for start, end in zip([0, *ends[: loops - 1].tolist()], ends[:loops].tolist(), strict=True)
        ) if loops else ""  # fmt: skip


@kernel(
    "int64(float64[:, ::1], float64[::1], int64[:, ::1], int64[:, ::1], int64[::1], int64[::1], boolean[::1],"
    " int64[:, ::1])"
)
def edges_of_front(
    flat: NDArray[np.float64],
    depth: NDArray[np.float64],
    triangles: NDArray[np.int64],
    sides: NDArray[np.int64],
    way: NDArray[np.int64],
    back: NDArray[np.int64],
    there: NDArray[np.bool_],
    rim: NDArray[np.int64],
) -> int:
    """How many edges what faces the viewer has.

    Parameters
    ----------
    flat : (n, 2) array
        Pixels, right and down: what is anticlockwise in the scene is clockwise in them.
    depth : (n,) array
        Metres before the viewer; empty: nothing is too near.
    triangles : (triangles, 3) array
        Rows of `flat`.
    sides : (3 · triangles, 2) array
        The places that each of their sides runs from and to: the first side of all, then the second, then the third.
    way, back : (3 · triangles,) arrays
        Which directed edge a side is, and which is its reverse (the last of `there`, if none is).
    there : (edges + 1,) array
        Room for which edges are there.
    rim : (3 · triangles, 2) array
        Filled with the edges, in the order of the sides.

    Returns
    -------
    int
        Rows of `rim` that are filled.
    """
    count = triangles.shape[0]
    front = np.empty(count, dtype=np.bool_)
    there[:] = False
    for k in range(count):
        a, b, c = triangles[k]
        across = (flat[b, 0] - flat[a, 0]) * (flat[c, 1] - flat[a, 1])
        front[k] = across - (flat[b, 1] - flat[a, 1]) * (flat[c, 0] - flat[a, 0]) < 0.0
        if depth.shape[0] and (depth[a] <= NEAR or depth[b] <= NEAR or depth[c] <= NEAR):
            front[k] = False
        if front[k]:
            for side in range(k, 3 * count, count):
                if sides[side, 0] != sides[side, 1]:
                    there[way[side]] = True
    found = 0
    for side in range(3 * count):
        if front[side % count] and sides[side, 0] != sides[side, 1] and not there[back[side]]:
            rim[found, 0], rim[found, 1] = sides[side, 0], sides[side, 1]
            found += 1
    return found


@kernel("int64(int64[:, ::1], int64[::1], int64[::1], int64[::1], int64[::1])")
def close_loops(
    rim: NDArray[np.int64],
    head: NDArray[np.int64],
    below: NDArray[np.int64],
    along: NDArray[np.int64],
    ends: NDArray[np.int64],
) -> int:
    """How many loops directed edges close into; each goes from place to place by the edge that came last.

    Parameters
    ----------
    rim : (edges, 2) array
        The places that each runs from and to.
    head : (places,) array
        −1 at first and at the end: the last edge that begins at each place.
    below : (edges,) array
        Room for the edge before that.
    along : (2 · edges + 1,) array
        Filled with the places of the loops, one loop after the other.
    ends : (edges + 1,) array
        Filled with where each of them ends in `along`.

    Returns
    -------
    int
        Loops of three places and more.
    """
    for k in range(rim.shape[0]):
        below[k] = head[rim[k, 0]]
        head[rim[k, 0]] = k
    loops, end = 0, 0
    for k in range(rim.shape[0]):
        start = rim[k, 0]
        while head[start] >= 0:
            first, here = end, start
            along[end] = start
            end += 1
            while head[here] >= 0:
                edge = head[here]
                head[here] = below[edge]
                here = rim[edge, 1]
                if here == start:
                    break
                along[end] = here
                end += 1
            if end - first > 2:
                ends[loops] = end
                loops += 1
            else:
                end = first
    return loops


def _joined(mesh: Mesh) -> NDArray[np.int64]:
    """(n,) for each point the first of those at the same place: crisp edges have several."""
    reach = TOGETHER * max(float(mesh.size.max()), 1e-9) * 10
    _, first, which = np.unique(np.round(mesh.points / reach), axis=0, return_index=True, return_inverse=True)
    out: NDArray[np.int64] = first[which.ravel()]
    return out
