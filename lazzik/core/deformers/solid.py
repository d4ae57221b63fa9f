"""Noise in space: gradient noise after K. Perlin ('Improving noise', SIGGRAPH 2002) over a lattice of cubes.

n(p) = sum over the eight corners c of F(p − c) · g_c · (p − c), scaled so that |n| ≤ 1, with hashed gradients g.
"""

from __future__ import annotations

import math

import numpy as np

from lazzik.core.hermite import fade_at
from lazzik.core.kernels import kernel
from lazzik.core.layers.octaves import lattice
from lazzik.core.types import RowBlock, Samples, Shares

LARGEST = 1.0 / 1.5
"""What brings the sum into [−1, 1]: with gradients in the cube [−1, 1]³ it reaches 1.5 at most, at a cube's middle."""


@kernel("float64(float64, float64, float64, int64)")
def noise_at(x: float, y: float, z: float, seed: int) -> float:
    """The noise at one place, measured in cells."""
    cx, cy, cz = math.floor(x), math.floor(y), math.floor(z)
    fx, fy, fz = x - cx, y - cy, z - cz
    sx, sy, sz = fade_at(fx), fade_at(fy), fade_at(fz)
    total = 0.0
    for a in range(2):
        for b in range(2):
            for c in range(2):
                corner = (np.int64(cx) + a) * 73856093 ^ (np.int64(cy) + b) * 19349663 ^ (np.int64(cz) + c) * 83492791
                gx, gy, gz = lattice(corner, seed, 1), lattice(corner, seed, 2), lattice(corner, seed, 3)
                share = (sx if a else 1.0 - sx) * (sy if b else 1.0 - sy) * (sz if c else 1.0 - sz)
                total += share * (gx * (fx - a) + gy * (fy - b) + gz * (fz - c))
    return min(1.0, max(-1.0, total * LARGEST))


@kernel("void(float64[:, :, ::1], float64[::1], float64[:, ::1])")
def solid_noise(points: RowBlock, seeds: Samples, out: Shares) -> None:
    """Fill `out` (moments, n) with noise at points (moments, 3, n) measured in cells; seeds (moments,).

    Parameters
    ----------
    points : (moments, 3, n) array
        In cells, by rows.
    seeds : (moments,) array
        Whole numbers.
    out : (moments, n) array
        Filled, −1 to 1.
    """
    for m in range(points.shape[0]):
        seed = int(seeds[m])
        for i in range(points.shape[2]):
            out[m, i] = noise_at(points[m, 0, i], points[m, 1, i], points[m, 2, i], seed)
