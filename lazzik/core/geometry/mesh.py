"""A mesh: points, normals and triangles, and the crisp edges that the stage draws in ink."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lazzik.core.types import Points, Triangles


@dataclass(frozen=True, eq=False)
class Mesh:
    """Points (n, 3) in metres, normals (n, 3) of unit length, triangles (m, 3), anticlockwise seen from outside."""

    points: Points
    normals: Points
    triangles: Triangles

    @property
    def size(self) -> Points:
        """(3,) extent along x, y, z in metres."""
        extent: Points = np.ptp(self.points, axis=0)
        return extent


def joined(parts: list[Mesh]) -> Mesh:
    """Several meshes as one, their points kept apart so that the edges between them stay crisp."""
    starts = np.cumsum([0] + [len(part.points) for part in parts])
    return Mesh(
        np.concatenate([part.points for part in parts]),
        np.concatenate([part.normals for part in parts]),
        np.concatenate([part.triangles + start for part, start in zip(parts, starts, strict=False)]),
    )


def grid_triangles(rows: int, columns: int) -> Triangles:
    """Triangles of a grid of (rows + 1) × (columns + 1) points laid out row by row."""
    r, c = np.meshgrid(np.arange(rows), np.arange(columns), indexing="ij")
    a = (r * (columns + 1) + c).ravel()
    b, d = a + 1, a + columns + 1
    return np.concatenate([np.stack([a, b, d], 1), np.stack([b, d + 1, d], 1)]).astype(np.int64)
