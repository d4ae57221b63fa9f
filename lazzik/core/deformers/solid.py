"""Noise in space: gradient noise after K. Perlin ('Improving noise', SIGGRAPH 2002) over a lattice of cubes.

n(p) = sum over the eight corners c of F(p − c) · g_c · (p − c), scaled so that |n| ≤ 1, with hashed gradients g.
"""

from __future__ import annotations

import math

import numpy as np

from lazzik.core.kernels import kernel
from lazzik.core.layers.noise import lattice
from lazzik.core.types import Points, Samples

LARGEST = 1.0 / 1.5
"""What brings the sum into [−1, 1]: with gradients in the cube [−1, 1]³ it reaches 1.5 at most, at a cube's middle."""


@kernel("void(float64[:, ::1], int64, float64[::1])")
def solid_noise(points: Points, seed: int, out: Samples) -> None:
    """Fill `out` (n,) with noise at points measured in cells."""
    for i in range(points.shape[0]):
        cx, cy, cz = math.floor(points[i, 0]), math.floor(points[i, 1]), math.floor(points[i, 2])
        fx, fy, fz = points[i, 0] - cx, points[i, 1] - cy, points[i, 2] - cz
        sx = fx * fx * fx * (fx * (fx * 6.0 - 15.0) + 10.0)
        sy = fy * fy * fy * (fy * (fy * 6.0 - 15.0) + 10.0)
        sz = fz * fz * fz * (fz * (fz * 6.0 - 15.0) + 10.0)
        total = 0.0
        for a in range(2):
            for b in range(2):
                for c in range(2):
                    corner = (
                        (np.int64(cx) + a) * 73856093 ^ (np.int64(cy) + b) * 19349663 ^ (np.int64(cz) + c) * 83492791
                    )
                    gx, gy, gz = lattice(corner, seed, 1), lattice(corner, seed, 2), lattice(corner, seed, 3)
                    share = (sx if a else 1.0 - sx) * (sy if b else 1.0 - sy) * (sz if c else 1.0 - sz)
                    total += share * (gx * (fx - a) + gy * (fy - b) + gz * (fz - c))
        out[i] = min(1.0, max(-1.0, total * LARGEST))
