"""The triangles of an object by cells of the space that they lie in, so that those near a place, and the first on a
way, are found among few."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from lazzik.core.kernels import kernel
from lazzik.core.types import Points, Samples

Ints = NDArray[np.int64]

CELLS = 32
"""Cells of a grid along the longest side of what it holds, at most."""


@dataclass(frozen=True, eq=False)
class TriangleGrid:
    """The triangles of an object, by cells of the space that they lie in."""

    corners: NDArray[np.float64]
    """(triangles, 3, 3) metres, in the object's space."""
    low: Points
    """(3,) metres: where the first cell begins."""
    cell: float
    """Metres of a cell."""
    size: Ints
    """(3,) cells along each axis."""
    starts: Ints
    """(cells + 1,) where the triangles of each cell begin in `members`."""
    members: Ints
    """Triangles, cell by cell."""
    clear: NDArray[np.int32]
    """(cells,) how many cells away the nearest one with a triangle is, along the axis along which it is farthest."""


def grid_of(corners: NDArray[np.float64]) -> TriangleGrid:
    """Triangles sorted into cells.

    Parameters
    ----------
    corners : (triangles, 3, 3) array
        Metres.
    """
    from scipy.ndimage import distance_transform_cdt

    lows, highs = corners.min(axis=1), corners.max(axis=1)
    low, high = lows.min(axis=0) - 1e-9, highs.max(axis=0) + 1e-9
    cell = max(float((high - low).max()) / CELLS, 1e-9)
    size = np.maximum(1, np.ceil((high - low) / cell)).astype(np.int64)
    first = np.clip(((lows - low) / cell).astype(np.int64), 0, size - 1)
    last = np.clip(((highs - low) / cell).astype(np.int64), 0, size - 1)
    counts = np.zeros(int(size.prod()) + 1, dtype=np.int64)
    count_cells(first, last, size, counts)
    starts = np.cumsum(counts)
    members = np.empty(int(starts[-1]), dtype=np.int64)
    fill_cells(first, last, size, starts[:-1].copy(), members)
    empty = (np.diff(starts) == 0).reshape(size)
    clear = distance_transform_cdt(empty, metric="chessboard").astype(np.int32).ravel()
    return TriangleGrid(np.ascontiguousarray(corners), low, cell, size, starts, members, clear)


@kernel("void(int64[:, ::1], int64[:, ::1], int64[::1], int64[::1])")
def count_cells(first: Ints, last: Ints, size: Ints, counts: Ints) -> None:
    """Count the triangles of each cell into the place after it.

    Parameters
    ----------
    first, last : (triangles, 3) arrays
        The cells that each spans.
    size : (3,) array
        Cells along each axis.
    counts : (cells + 1,) array
        Added to.
    """
    for t in range(first.shape[0]):
        for i in range(first[t, 0], last[t, 0] + 1):
            for j in range(first[t, 1], last[t, 1] + 1):
                for k in range(first[t, 2], last[t, 2] + 1):
                    counts[(i * size[1] + j) * size[2] + k + 1] += 1


@kernel("void(int64[:, ::1], int64[:, ::1], int64[::1], int64[::1], int64[::1])")
def fill_cells(first: Ints, last: Ints, size: Ints, heads: Ints, members: Ints) -> None:
    """Fill `members` with the triangles of each cell.

    Parameters
    ----------
    first, last : (triangles, 3) arrays
        The cells that each spans.
    size : (3,) array
        Cells along each axis.
    heads : (cells,) array
        Where the next one of each cell goes; changed.
    members : (all,) array
        Filled.
    """
    for t in range(first.shape[0]):
        for i in range(first[t, 0], last[t, 0] + 1):
            for j in range(first[t, 1], last[t, 1] + 1):
                for k in range(first[t, 2], last[t, 2] + 1):
                    cell = (i * size[1] + j) * size[2] + k
                    members[heads[cell]] = t
                    heads[cell] += 1


@kernel("UniTuple(int64, 2)(float64, float64, float64, float64, int64)")
def cells_of(begin: float, way: float, low: float, cell: float, size: int) -> tuple[int, int]:
    """The first and the last cell along an axis that a way passes."""
    first = int(np.floor((min(begin, begin + way) - low) / cell))
    last = int(np.floor((max(begin, begin + way) - low) / cell))
    return min(max(first, 0), size - 1), min(max(last, 0), size - 1)


@kernel(
    "float64(float64[:, :, ::1], float64[::1], float64, int64[::1], int64[::1], int64[::1], float64[::1],"
    " float64[::1], float64[::1])"
)
def first_met(
    corners: NDArray[np.float64], low: Samples, cell: float, size: Ints, starts: Ints, members: Ints, begin: Samples,
    way: Samples, normal: Samples,
) -> float:  # fmt: skip
    """How far along a way the first triangle is crossed, as a share of it; infinity if none is.

    Parameters
    ----------
    corners : (triangles, 3, 3) array
        Metres.
    low, size : (3,) arrays
        Where the grid begins, and its cells along each axis.
    starts, members : arrays
        The triangles of each cell.
    begin, way : (3,) arrays
        Metres.
    normal : (3,) array
        Filled with that of the triangle, against the way.
    """
    best = np.inf
    for k in range(3):
        near, far = min(begin[k], begin[k] + way[k]), max(begin[k], begin[k] + way[k])
        if not (far >= low[k] and near <= low[k] + cell * size[k]):  # not so: of NaN too
            return best
    first, last = cells_of(begin[0], way[0], low[0], cell, size[0])
    first_j, last_j = cells_of(begin[1], way[1], low[1], cell, size[1])
    first_k, last_k = cells_of(begin[2], way[2], low[2], cell, size[2])
    for i in range(first, last + 1):
        for j in range(first_j, last_j + 1):
            row = (i * size[1] + j) * size[2]
            for m in range(starts[row + first_k], starts[row + last_k + 1]):
                t = members[m]
                ex, ey, ez = (corners[t, 1, 0] - corners[t, 0, 0], corners[t, 1, 1] - corners[t, 0, 1],
                              corners[t, 1, 2] - corners[t, 0, 2])  # fmt: skip
                fx, fy, fz = (corners[t, 2, 0] - corners[t, 0, 0], corners[t, 2, 1] - corners[t, 0, 1],
                              corners[t, 2, 2] - corners[t, 0, 2])  # fmt: skip
                px, py, pz = (way[1] * fz - way[2] * fy, way[2] * fx - way[0] * fz, way[0] * fy - way[1] * fx)
                det = ex * px + ey * py + ez * pz
                if det == 0.0:
                    continue
                sx, sy, sz = (begin[0] - corners[t, 0, 0], begin[1] - corners[t, 0, 1], begin[2] - corners[t, 0, 2])
                u = (sx * px + sy * py + sz * pz) / det
                if u < -1e-9 or u > 1.0 + 1e-9:
                    continue
                qx, qy, qz = (sy * ez - sz * ey, sz * ex - sx * ez, sx * ey - sy * ex)
                v = (way[0] * qx + way[1] * qy + way[2] * qz) / det
                if v < -1e-9 or u + v > 1.0 + 1e-9:
                    continue
                s = (fx * qx + fy * qy + fz * qz) / det
                if 0.0 <= s <= 1.0 and s < best:
                    best = s
                    nx, ny, nz = ey * fz - ez * fy, ez * fx - ex * fz, ex * fy - ey * fx
                    length = np.sqrt(nx * nx + ny * ny + nz * nz)
                    side = -1.0 if nx * way[0] + ny * way[1] + nz * way[2] > 0.0 else 1.0
                    if length > 0.0:
                        normal[0], normal[1], normal[2] = side * nx / length, side * ny / length, side * nz / length
    return best


@kernel("float64(float64[::1], float64, int64[::1], int32[::1], float64[::1])")
def room_about(low: Samples, cell: float, size: Ints, clear: NDArray[np.int32], place: Samples) -> float:
    """Metres within which no triangle is; 0 where that is not known.

    Parameters
    ----------
    low, size : (3,) arrays
        Where the grid begins, and its cells along each axis.
    clear : (cells,) array
        How many cells away the nearest triangle is.
    place : (3,) array
        Metres, in the space of the grid.
    """
    here = np.int64(0)
    for k in range(3):
        steps = (place[k] - low[k]) / cell
        if not (steps >= 0.0 and steps < size[k]):  # not so: of NaN too
            return 0.0
        here = here * size[k] + np.int64(steps)
    return float(max(clear[here] - 1.0, 0.0) * cell)
