"""The outline of a mesh: closed loops that cover what its triangles cover, whatever way they are found."""

from __future__ import annotations

import re

import numpy as np
import pytest
from numpy.typing import NDArray

from lazzik.core.formats.silhouette import NEAR, Silhouette
from lazzik.core.geometry.mesh import Mesh
from lazzik.core.geometry.primitives import Ball, Box, Tube


def loops_of(path: str) -> list[NDArray[np.float64]]:
    return [np.array(re.findall(r"(-?[\d.]+) (-?[\d.]+)", loop), dtype=float) for loop in path.split("Z") if loop]


def inside(point: NDArray[np.float64], loops: list[NDArray[np.float64]]) -> bool:
    """By the non-zero rule: how often the loops run round a point."""
    turns = 0.0
    for loop in loops:
        away = loop - point
        angles = np.unwrap(np.arctan2(away[:, 1], away[:, 0]), period=2 * np.pi)
        step = np.diff(np.concatenate((angles, angles[:1])))
        turns += float(((step + np.pi) % (2 * np.pi) - np.pi).sum()) / (2 * np.pi)
    return round(turns) != 0


def covered(point: NDArray[np.float64], flat: NDArray[np.float64], mesh: Mesh) -> bool:
    """Whether any triangle that faces the viewer covers a point."""
    a, b, c = (flat[mesh.triangles[:, k]] for k in range(3))

    def side(p: NDArray[np.float64], q: NDArray[np.float64]) -> NDArray[np.float64]:
        return np.asarray((q[:, 0] - p[:, 0]) * (point[1] - p[:, 1]) - (q[:, 1] - p[:, 1]) * (point[0] - p[:, 0]))

    return bool(np.any((side(a, b) < 0) & (side(b, c) < 0) & (side(c, a) < 0)))


SHAPES = [
    Box(kind="box", width=2, height=1, depth=1), Ball(kind="ball", radius=1),
    Tube(kind="tube", radius=0.5, height=2, around=9, along=3),
]  # fmt: skip


@pytest.mark.parametrize("shape", SHAPES, ids=lambda shape: shape.kind)
@pytest.mark.parametrize("seed", range(3))
def test_the_outline_covers_what_the_triangles_cover(shape: Box, seed: int) -> None:
    rng = np.random.default_rng(seed)
    mesh = shape.mesh()
    turn, _ = np.linalg.qr(rng.normal(size=(3, 3)))
    turn *= np.sign(np.linalg.det(turn))
    there = mesh.points @ turn.T
    flat = np.column_stack([200 + 80 * there[:, 0], 200 - 80 * there[:, 1]])
    loops = loops_of(Silhouette(mesh).path(flat, None))
    assert loops
    points = rng.uniform(40, 360, size=(300, 2))
    near = np.array([min(np.abs(np.linalg.norm(loop - point, axis=1)).min() for loop in loops) for point in points])
    told = [(inside(point, loops), covered(point, flat, mesh)) for point in points[near > 3]]
    assert sum(seen for _, seen in told) > 10
    wrong = sum(one != other for one, other in told)
    assert wrong <= 0.02 * len(told)  # within a tenth of a pixel of an edge


def test_a_box_from_the_front_is_four_corners_and_nothing_where_it_is_too_near() -> None:
    mesh = Box(kind="box", width=2, height=1, depth=1).mesh()
    flat = np.column_stack([100 + 50 * mesh.points[:, 0], 100 - 50 * mesh.points[:, 1]])
    silhouette = Silhouette(mesh)
    (loop,) = loops_of(silhouette.path(flat, None))
    assert {tuple(corner) for corner in loop} >= {(50.0, loop[:, 1].max()), (150.0, loop[:, 1].min())}
    assert np.ptp(loop, axis=0).tolist() == [100.0, 50.0]
    assert silhouette.path(flat, np.full(len(mesh.points), NEAR / 2)) == ""
    assert silhouette.path(flat, None) == silhouette.path(flat, np.full(len(mesh.points), 3.0))
