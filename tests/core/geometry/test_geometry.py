"""Primitives: sizes, closed skins, outward normals."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
import trimesh

from lazzik.core.cache import BoundedCache
from lazzik.core.geometry import mesh as geometry_mesh
from lazzik.core.geometry import primitives
from lazzik.core.geometry.mesh import PARTED, Mesh, normals_of
from lazzik.core.geometry.primitives import Ball, Basin, Box, Ring, Shape, Sheet, Tube

CASES: list[tuple[Shape, tuple[float, float, float], float]] = [
    (Box(kind="box", width=2, height=3, depth=4, cuts_x=3, cuts_y=2, cuts_z=5), (2, 3, 4), 24),
    (Ball(kind="ball", radius=2, around=96, along=64), (4, 4, 4), 4 / 3 * np.pi * 8),
    (Tube(kind="tube", radius=1, height=3, around=128), (2, 3, 2), 3 * np.pi),
    (Tube(kind="tube", radius=1, upper=0.0, height=3, around=128), (2, 3, 2), np.pi),
    (Tube(kind="tube", radius=1, upper=0.5, height=3, around=128, along=4), (2, 3, 2), np.pi * (1 + 0.5 + 0.25)),
    (Ring(kind="ring", radius=2, thickness=0.5, around=128, across=64), (4.5, 0.5, 4.5), 2 * np.pi**2 * 2 * 0.0625),
    (
        Basin(kind="basin", radius=1, upper=1.5, height=1, wall=0.2, around=128),
        (3, 1, 3),
        np.pi / 3 * (1 + 1.5 + 2.25) - np.pi / 3 * 0.8 * (0.9**2 + 0.9 * 1.3 + 1.3**2),
    ),
]


@pytest.mark.parametrize(("shape", "size", "volume"), CASES, ids=lambda value: getattr(value, "kind", ""))
def test_solids_are_closed_and_face_outward(shape: Shape, size: tuple[float, float, float], volume: float) -> None:
    mesh = shape.mesh()
    np.testing.assert_allclose(mesh.size, size, rtol=2e-3)
    solid = trimesh.Trimesh(mesh.points, mesh.triangles, process=True)
    solid.merge_vertices(merge_norm=True)
    assert solid.is_watertight
    assert solid.volume == pytest.approx(volume, rel=5e-3)
    np.testing.assert_allclose(np.linalg.norm(mesh.normals, axis=1), 1, atol=1e-9)
    a, b, c = (mesh.points[mesh.triangles[:, k]] for k in range(3))
    faces = np.cross(b - a, c - a)
    assert np.einsum("ij,ij->i", faces, mesh.normals[mesh.triangles].mean(axis=1)).min() > 0


def test_a_base_sits_under_the_shape() -> None:
    for kind in (Ball, Basin, Box, Ring, Sheet, Tube):
        points = kind(kind=kind.model_fields["kind"].annotation.__args__[0], base=True).mesh().points  # type: ignore[union-attr]
        assert points[:, 1].min() == pytest.approx(0)


def test_a_sheet_is_seen_from_both_sides_lying_or_standing() -> None:
    for standing, axis in ((False, 1), (True, 2)):
        mesh = Sheet(kind="sheet", width=2, height=3, rows=2, columns=4, standing=standing).mesh()
        assert mesh.size[axis] == 0
        a, b, c = (mesh.points[mesh.triangles[:, k]] for k in range(3))
        up = np.cross(b - a, c - a)[:, axis]
        assert (up > 0).sum() == (up < 0).sum() == 16


def test_normals_of_many_points_are_the_same_bits_in_parts_and_as_a_whole(monkeypatch: pytest.MonkeyPatch) -> None:
    for shape in (
        Ball(kind="ball", radius=1, around=256, along=160),
        Sheet(kind="sheet", columns=140, rows=140),
        Box(kind="box", cuts_x=80, cuts_y=80, cuts_z=80),
    ):
        mesh = shape.mesh()
        assert len(mesh.points) >= PARTED
        points = mesh.points + 0.05 * np.sin(9 * mesh.points[:, [1, 2, 0]])
        whole = normals_of(points, mesh.triangles, mesh.welds)
        for count in (2, 3):
            monkeypatch.setattr(geometry_mesh, "cores", lambda count=count: count)
            parts = Mesh(mesh.points, mesh.normals, mesh.triangles)  # which has no fans yet
            assert np.array_equal(parts.normals_at(points), whole)
        assert not np.allclose(whole, mesh.normals)


def test_meshes_at_rest_are_kept_by_weight_and_not_by_the_shapes(monkeypatch: pytest.MonkeyPatch) -> None:
    """Shapes live as long as the states of a scene do; eight large boxes must not stay eight times."""
    one = Box(kind="box", cuts_x=20, cuts_y=20, cuts_z=20)
    most = int(2.5 * one.mesh().weight)
    kept: BoundedCache[Any] = BoundedCache(most)
    monkeypatch.setattr(primitives, "_REST", kept)
    boxes = [one.replaced(width=1 + n / 10) for n in range(8)]
    for box in boxes:
        assert box.mesh() is box.mesh()
        assert not any(isinstance(value, Mesh) for value in box.__dict__.values())
        assert kept.bytes <= most
