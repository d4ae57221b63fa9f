"""What fields share that are worked out for many moments in one go.

A place stays in a cell of a lattice for a while, and a compiler lays out loops over moments several at a time. So a
kind goes through the moments by tiles, and within one through the points. Arrays of a tile are rows of TILE numbers,
one behind the other in one dimension: the rows lie at a distance that the compiler knows, so it need not ask whether
they overlap.
"""

from __future__ import annotations

import math

import numpy as np

from lazzik.core.air.field import EVERYWHERE, INNER, OUTER, Rows, reached
from lazzik.core.kernels import kernel
from lazzik.core.types import PointBlock, Samples

TILE = 64
"""Moments that are worked out together: what is written down between stays near the processor."""

MANY = 8
"""Moments from which on it is worth while to go on from one to the next at each point."""


@kernel("float64[::1](float64[:, ::1], int64, int64)")
def columns_of(rows: Rows, first: int, count: int) -> Samples:
    """The numbers of a field at the moments of a tile.

    Parameters
    ----------
    rows : (frames, columns) array
        As the kind's `rows` gives them.
    first, count : int
        The moments, at most TILE.

    Returns
    -------
    (columns · TILE,) array
        Each column a row.
    """
    columns = np.empty(rows.shape[1] * TILE)
    for k in range(rows.shape[1]):
        for m in range(count):
            columns[k * TILE + m] = rows[first + m, k]
    return columns


@kernel("float64(float64[::1], int64, int64, float64, float64, float64)", inlined=True)
def product(columns: Samples, at: int, step: int, x: float, y: float, z: float) -> float:
    """The scalar product of a vector with the numbers from `at` on, each `step` behind the one before.

    Parameters
    ----------
    columns : (columns · TILE,) array
        Of a tile.
    """
    total: float = columns[at] * x
    total += columns[at + step] * y
    total += columns[at + 2 * step] * z
    return total


@kernel("UniTuple(float64, 3)(float64[:, :, ::1], int64, int64, float64[::1], int64)", inlined=True)
def seen(points: PointBlock, frame: int, n: int, columns: Samples, m: int) -> tuple[float, float, float]:
    """Metres from where a field stands at a moment of a tile to a point, along the scene's axes.

    Parameters
    ----------
    points : (frames, n, 3) array
        Metres, in the scene.
    columns : (columns · TILE,) array
        Of a tile, PLACE first.
    """
    return (
        points[frame, n, 0] - columns[m],
        points[frame, n, 1] - columns[m + TILE],
        points[frame, n, 2] - columns[m + 2 * TILE],
    )


@kernel("UniTuple(float64, 3)(float64[::1], int64, float64, float64, float64)", inlined=True)
def acting(columns: Samples, m: int, x: float, y: float, z: float) -> tuple[float, float, float]:
    """How much of a field acts so many metres from it, the slope of that per metre, and how far away that is.

    Parameters
    ----------
    columns : (columns · TILE,) array
        Of a tile, PLACE first.
    """
    if columns[m + OUTER * TILE] >= EVERYWHERE:
        return 1.0, 0.0, 1.0
    away = math.sqrt(x * x + y * y + z * z)
    share, slope = reached(away, columns[m + INNER * TILE], columns[m + OUTER * TILE])
    return share, slope, away


@kernel("boolean(float64[:, :, ::1], int64, int64, int64, float64[::1], float64[::1], float64[::1])")
def see_over_time(
    points: PointBlock, first: int, n: int, count: int, columns: Samples, metres: Samples, within: Samples
) -> bool:
    """As `seen` and `acting`, of one point at the moments of a tile; whether any of the field acts there.

    Parameters
    ----------
    points : (frames or 1, n, 3) array
        Metres, in the scene.
    columns : (columns · TILE,) array
        Of a tile, PLACE first.
    metres : (3 · TILE,) array
        Filled: along x, y and z of the scene.
    within : (3 · TILE,) array
        Filled: shares, slopes, and how far away.
    """
    moving, bounded, near = points.shape[0] > 1, False, True
    if moving:
        for m in range(count):
            metres[m], metres[m + TILE], metres[m + 2 * TILE] = seen(points, first + m, n, columns, m)
    else:
        x, y, z = points[0, n, 0], points[0, n, 1], points[0, n, 2]
        for m in range(count):
            metres[m] = x - columns[m]
            metres[m + TILE] = y - columns[m + TILE]
            metres[m + 2 * TILE] = z - columns[m + 2 * TILE]
    for m in range(count):
        within[m], within[m + TILE], within[m + 2 * TILE] = 1.0, 0.0, 1.0
        bounded = bounded or columns[m + OUTER * TILE] < EVERYWHERE
    if bounded:
        near = False
        for m in range(count):
            x, y, z = metres[m], metres[m + TILE], metres[m + 2 * TILE]
            within[m], within[m + TILE], within[m + 2 * TILE] = acting(columns, m, x, y, z)
            near = near or within[m] != 0.0
    return near
