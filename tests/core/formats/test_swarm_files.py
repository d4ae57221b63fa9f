"""Swarms as files: points, and a shell that is another mesh at every frame."""

from __future__ import annotations

import csv
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from lazzik.core.formats.runs import write_run
from lazzik.core.formats.usd import write_usd
from lazzik.core.scene.scene import Scene
from lazzik.core.simulate.shell import shell_of
from lazzik.core.simulate.swarm import SwarmRun
from tests.conftest import edited
from tests.core.simulate.swarms import drop, moments_of

COLOR = {"do": "set", "address": "swarm/look.color.r", "value": 0.5}


@pytest.fixture(scope="module")
def falling() -> Scene:
    return drop(COLOR, {"do": "change-scene", "last": 4}, last=60)


def stage_of(scene: Scene, folder: Path) -> Any:
    from pxr import Usd

    path = folder / "scene.usdc"
    path.write_bytes(write_usd(scene).content)
    return Usd.Stage.Open(str(path))


def test_a_shell_goes_out_as_a_mesh_a_frame(falling: Scene, tmp_path: Path) -> None:
    from pxr import UsdGeom, UsdShade

    stage = stage_of(falling, tmp_path)
    mesh = UsdGeom.Mesh(stage.GetPrimAtPath("/World/Particles/swarm"))
    run = SwarmRun(falling, "swarm")
    counts = set()
    for moment in moments_of(falling, 4):
        shell = shell_of(run, moment)
        points = np.array(mesh.GetPointsAttr().Get(float(moment.frame)))
        np.testing.assert_allclose(points, shell.points, atol=1e-5)
        corners = np.array(mesh.GetFaceVertexIndicesAttr().Get(float(moment.frame)))
        np.testing.assert_array_equal(corners, shell.triangles.ravel())
        assert len(mesh.GetFaceVertexCountsAttr().Get(float(moment.frame))) == len(shell.triangles)
        counts.add(len(points))
    assert len(counts) > 1
    assert UsdShade.MaterialBindingAPI(mesh.GetPrim()).GetDirectBinding().GetMaterialPath()
    assert mesh.GetDisplayColorAttr().Get(0.0)[0][0] == pytest.approx(0.2140, abs=1e-3)  # linear


def test_balls_go_out_as_points(falling: Scene, tmp_path: Path) -> None:
    from pxr import UsdGeom

    scene = edited(falling, {"do": "change-swarm", "node": "swarm", "settings": {"drawn": "balls"}})
    stage = stage_of(scene, tmp_path)
    points = UsdGeom.Points(stage.GetPrimAtPath("/World/Particles/swarm"))
    moment = moments_of(scene, 3)[-1]
    np.testing.assert_allclose(np.array(points.GetPointsAttr().Get(3.0)), moment.places, atol=1e-5)
    np.testing.assert_allclose(np.array(points.GetWidthsAttr().Get(3.0)), 0.05, rtol=1e-6)
    np.testing.assert_allclose(np.array(points.GetVelocitiesAttr().Get(3.0)), moment.speeds, atol=1e-5)


def test_its_particles_go_out_by_themselves(falling: Scene, tmp_path: Path) -> None:
    write_run(falling, ["swarm"], 0, 4, tmp_path / "run.csv")
    with (tmp_path / "run.csv").open() as file:
        rows = [[float(row[name]) for name in "xyz"] for row in csv.DictReader(file) if row["frame"] == "4"]
    np.testing.assert_array_equal(rows, moments_of(falling, 4)[-1].places)
    write_run(falling, ["swarm"], 0, 4, tmp_path / "run.npz")
    kept = np.load(tmp_path / "run.npz")
    np.testing.assert_allclose(kept["swarm.sizes"], 0.05, rtol=1e-6)


def test_a_loop_goes_out_as_it_is_seen_blended(falling: Scene, tmp_path: Path) -> None:
    looped = edited(falling, {"do": "change-swarm", "node": "swarm", "loop": 4})
    write_run(looped, ["swarm"], 0, 4, tmp_path / "run.npz")
    kept = np.load(tmp_path / "run.npz")
    starts = kept["swarm.starts"]
    first, last = (kept["swarm.places"][starts[k] : starts[k + 1]] for k in (0, 4))
    np.testing.assert_array_equal(first, last)
