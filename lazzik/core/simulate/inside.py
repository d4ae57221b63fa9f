"""Whether places lie inside of a surface: by how often a ray crosses it (the even-odd rule)."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from lazzik.core.kernels import kernel
from lazzik.core.types import Points, Samples


@kernel(
    "void(float64[:, :, ::1], float64[::1], float64, int64[::1], int64[::1], int64[::1], float64[:, ::1], int64[::1])"
)
def crossings(
    corners: NDArray[np.float64],
    low: Samples,
    cell: float,
    size: NDArray[np.int64],
    starts: NDArray[np.int64],
    members: NDArray[np.int64],
    places: Points,
    counts: NDArray[np.int64],
) -> None:
    """Fill `counts` with how often a ray along z from each place crosses the triangles.

    A ray that passes an edge counts for one of its two triangles: by which side of the edge it is, with those points
    of the edge that are lower in x, then in y, taken as being on the one side.

    Parameters
    ----------
    corners : (triangles, 3, 3) array
        Metres.
    low, size : (3,) arrays
        Where the grid begins, and its cells along each axis.
    starts, members : arrays
        The triangles of each cell (see `TriangleGrid`).
    places : (n, 3) array
        Metres.
    counts : (n,) array
        Filled.
    """
    for n in range(places.shape[0]):
        counts[n] = 0
        x, y, z = places[n, 0], places[n, 1], places[n, 2]
        i = np.int64(np.floor((x - low[0]) / cell))
        j = np.int64(np.floor((y - low[1]) / cell))
        if i < 0 or j < 0 or i >= size[0] or j >= size[1]:
            continue
        begin = max(int(np.floor((z - low[2]) / cell)), 0)
        for k in range(begin, size[2]):
            here = (i * size[1] + j) * size[2] + k
            for m in range(starts[here], starts[here + 1]):
                t = members[m]
                sides = 0
                for e in range(3):
                    ax, ay = corners[t, e, 0], corners[t, e, 1]
                    bx, by = corners[t, (e + 1) % 3, 0], corners[t, (e + 1) % 3, 1]
                    flip = 1
                    if bx < ax or (bx == ax and by < ay):
                        ax, ay, bx, by = bx, by, ax, ay
                        flip = -1
                    turn = (bx - ax) * (y - ay) - (by - ay) * (x - ax)
                    sides += flip if turn > 0.0 else -flip
                if sides != 3 and sides != -3:
                    continue
                ex, ey, ez = (corners[t, 1, 0] - corners[t, 0, 0], corners[t, 1, 1] - corners[t, 0, 1],
                              corners[t, 1, 2] - corners[t, 0, 2])  # fmt: skip
                fx, fy, fz = (corners[t, 2, 0] - corners[t, 0, 0], corners[t, 2, 1] - corners[t, 0, 1],
                              corners[t, 2, 2] - corners[t, 0, 2])  # fmt: skip
                nx, ny, nz = ey * fz - ez * fy, ez * fx - ex * fz, ex * fy - ey * fx
                if nz == 0.0:
                    continue
                height = corners[t, 0, 2] - (nx * (x - corners[t, 0, 0]) + ny * (y - corners[t, 0, 1])) / nz
                # a triangle that spans several cells counts in the one that the ray crosses it in
                cross = min(max(np.int64(np.floor((height - low[2]) / cell)), 0), size[2] - 1)
                if height > z and cross == k:
                    counts[n] += 1
