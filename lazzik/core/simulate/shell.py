"""One surface about the particles of a swarm.

It lies where φ(x) = |x − x̄(x)| − r is 0, x̄ being the mean of the particles near x, weighted by (1 − |x − xⱼ|²/R²)³
(Y. Zhu, R. Bridson, 'Animating sand as a fluid', ACM Transactions on Graphics 24 (3), 2005): a ball of radius r about
one that is alone, and flat over those that lie level. φ is summed up at the corners of cells; the surface through them
is found by marching cubes (W. Lorensen, H. Cline, 1987; here by scikit-image).
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from lazzik.core.clock import Clock
from lazzik.core.geometry.mesh import Mesh
from lazzik.core.kernels import kernel
from lazzik.core.simulate.particles import Moment
from lazzik.core.simulate.swarm import SwarmRun
from lazzik.core.types import Points, Samples

Ints = NDArray[np.int64]

RADIUS = 0.55
"""Spacings that it lies off one that is alone."""

MOST_CORNERS = 3_000_000
"""Corners of cells; where more would be needed those far off are left out, and the cells get larger."""

MIDST = (0.01, 0.99)
"""Shares of the particles, along each axis, between which are those that are not far off."""

NOTHING = Mesh(np.empty((0, 3)), np.empty((0, 3)), np.empty((0, 3), dtype=np.int64))


def shell_of(run: SwarmRun, moment: Moment) -> Mesh:
    """The surface about the particles of a moment, in the scene's space; none about none."""
    from skimage.measure import marching_cubes

    if not len(moment):
        return NOTHING
    clock = Clock(run.scene.fps, run.scene.first, np.array([float(moment.frame)]))
    fine, over = (float(run.number(name, clock)[0]) for name in ("fine", "round"))
    reach, radius = max(over, 1.2 * RADIUS) * run.spacing, RADIUS * run.spacing
    places, cell = moment.places, run.spacing / max(fine, 0.25)
    if np.prod(_corners(places, reach, cell)) > MOST_CORNERS:
        low, high = np.quantile(places, MIDST, axis=0)
        places = places[np.all((places >= low) & (places <= high), axis=1)]
        while np.prod(_corners(places, reach, cell)) > MOST_CORNERS:
            cell *= 1.25
    low = places.min(axis=0) - reach - cell
    size = _corners(places, reach, cell).astype(np.int64)
    sums = np.zeros((int(size.prod()), 4))
    gather(np.ascontiguousarray(places), low, cell, size, reach, sums)
    away = np.full(len(sums), reach)
    distance_to_mean(sums, low, cell, size, away)
    level = away.reshape(size) - radius
    if not level.min() < 0.0:
        return NOTHING
    points, triangles, normals, _ = marching_cubes(level, 0.0, spacing=(cell,) * 3, gradient_direction="descent")
    outward = -normals.astype(np.float64)
    return Mesh(points.astype(np.float64) + low, outward, triangles.astype(np.int64))


def _corners(places: Points, reach: float, cell: float) -> Samples:
    """(3,) how many corners a grid has along each axis that holds all and a margin."""
    return np.asarray(np.ceil((places.max(axis=0) - places.min(axis=0) + 2.0 * reach) / cell) + 3.0)


@kernel("void(float64[:, ::1], float64[::1], float64, int64[::1], float64, float64[:, ::1])")
def gather(places: Points, low: Samples, cell: float, size: Ints, reach: float, sums: Points) -> None:
    """Sum up the weights of particles, and their places times these, at the corners of cells.

    Parameters
    ----------
    places : (n, 3) array
        Metres.
    low, size : (3,) arrays
        Where the grid begins, and its corners along each axis.
    sums : (corners, 4) array
        Added to.
    """
    for n in range(len(places)):
        x, y, z = places[n, 0], places[n, 1], places[n, 2]
        for i in range(np.int64(np.ceil((x - reach - low[0]) / cell)), np.int64((x + reach - low[0]) / cell) + 1):
            dx = low[0] + i * cell - x
            for j in range(np.int64(np.ceil((y - reach - low[1]) / cell)), np.int64((y + reach - low[1]) / cell) + 1):
                dy = low[1] + j * cell - y
                row = (i * size[1] + j) * size[2]
                for k in range(
                    np.int64(np.ceil((z - reach - low[2]) / cell)), np.int64((z + reach - low[2]) / cell) + 1
                ):  # fmt: skip
                    dz = low[2] + k * cell - z
                    share = 1.0 - (dx * dx + dy * dy + dz * dz) / (reach * reach)
                    if share > 0.0:
                        weight = share * share * share
                        sums[row + k, 0] += weight
                        sums[row + k, 1] += weight * x
                        sums[row + k, 2] += weight * y
                        sums[row + k, 3] += weight * z


@kernel("void(float64[:, ::1], float64[::1], float64, int64[::1], float64[::1])")
def distance_to_mean(sums: Points, low: Samples, cell: float, size: Ints, away: Samples) -> None:
    """How far each corner is from the mean of the particles near it.

    Parameters
    ----------
    sums : (corners, 4) array
        As `gather` fills them.
    low, size : (3,) arrays
        Where the grid begins, and its corners along each axis.
    away : (corners,) array
        Filled with metres where there are some.
    """
    for i in range(size[0]):
        for j in range(size[1]):
            for k in range(size[2]):
                here = (i * size[1] + j) * size[2] + k
                weight = sums[here, 0]
                if weight > 1e-9:
                    dx = low[0] + i * cell - sums[here, 1] / weight
                    dy = low[1] + j * cell - sums[here, 2] / weight
                    dz = low[2] + k * cell - sums[here, 3] / weight
                    away[here] = np.sqrt(dx * dx + dy * dy + dz * dz)
