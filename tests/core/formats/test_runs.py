"""Runs of particles as files: read back, they are what was worked out."""

from __future__ import annotations

import csv
import io
import zipfile
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from lazzik import simulate
from lazzik.core.errors import InvalidEdit
from lazzik.core.formats.carried import particles_in
from lazzik.core.formats.registry import FORMATS, format_for
from lazzik.core.formats.runs import write_run
from lazzik.core.formats.usd import write_usd
from lazzik.core.progress import Progress, Stopped
from lazzik.core.scene.scene import Scene
from lazzik.core.simulate.looks import colors_of, sizes_of
from lazzik.core.simulate.particles import Moment, Particles
from tests.conftest import edited

OVER = {"size_over_life": [[0, 0], [0.5, 2], [1, 1]], "color_over_life": [[0, 1, 1, 1, 1], [1, 0, 0.5, 1, 0]]}


@pytest.fixture(scope="module")
def snowy() -> Scene:
    """Two that send out particles, in a wind."""
    return edited(
        Scene(name="Snow", fps=25, last=12),
        {"do": "add-object", "label": "Wind", "field": {"kind": "wind"}},
        {"do": "emit", "label": "Snow"},
        {"do": "emit", "label": "Smoke"},
        {"do": "set", "address": "snow/emitter.life", "value": 0.3},
        {"do": "set", "address": "snow/position.x", "value": 2},
        {"do": "change-emitter", "node": "snow", **OVER},
    )


def worked_out(scene: Scene, slug: str) -> list[Moment]:
    return [moment for moment, _ in Particles(scene, slug).frames(0, 12)]


def test_a_table_has_a_row_for_each_particle_of_each_frame(snowy: Scene, tmp_path: Path) -> None:
    write_run(snowy, ["smoke", "snow"], 0, 12, tmp_path / "run.csv")
    with (tmp_path / "run.csv").open() as file:
        rows = list(csv.DictReader(file))
    for slug in ("smoke", "snow"):
        mine = [row for row in rows if row["object"] == slug]
        expected = [(m.frame, k, *p) for m in worked_out(snowy, slug) for k, p in zip(m.ids, m.places, strict=True)]
        found = [[float(row[name]) for name in ("frame", "particle", "x", "y", "z")] for row in mine]
        np.testing.assert_array_equal(found, expected)


def test_arrays_have_all_of_them(snowy: Scene, tmp_path: Path) -> None:
    write_run(snowy, ["snow"], 3, 12, tmp_path / "run.npz")
    held = np.load(tmp_path / "run.npz")
    np.testing.assert_array_equal(held["snow.frames"], np.arange(3, 13))
    for k, moment in enumerate(worked_out(snowy, "snow")[3:]):
        part = slice(*held["snow.starts"][k : k + 2])
        np.testing.assert_array_equal(held["snow.particles"][part], moment.ids)
        np.testing.assert_allclose(held["snow.places"][part], moment.places, atol=1e-6)
        np.testing.assert_allclose(held["snow.ages"][part], moment.ages, atol=1e-6)


def test_openusd_reads_the_points_at_every_frame(snowy: Scene, tmp_path: Path) -> None:
    from pxr import Usd, UsdGeom

    write_run(snowy, ["snow", "smoke"], 0, 12, tmp_path / "run.usdc")
    (whole := tmp_path / "scene.usdc").write_bytes(write_usd(snowy, "usdc").content)
    for file, path in ((tmp_path / "run.usdc", "/World/snow"), (whole, "/World/Particles/snow")):
        stage = Usd.Stage.Open(str(file))
        points = UsdGeom.Points(stage.GetPrimAtPath(path))
        run = Particles(snowy, "snow")
        space = np.array(UsdGeom.Xformable(points).ComputeLocalToWorldTransform(5))
        np.testing.assert_array_equal(space, np.eye(4))  # they are in the scene's space already
        for moment in worked_out(snowy, "snow"):
            if not len(moment):
                continue
            at = Usd.TimeCode(moment.frame)
            np.testing.assert_allclose(np.array(points.GetPointsAttr().Get(at)), moment.places, atol=1e-5)
            np.testing.assert_array_equal(np.array(points.GetIdsAttr().Get(at)), moment.ids)
            np.testing.assert_allclose(np.array(points.GetVelocitiesAttr().Get(at)), moment.speeds, atol=1e-4)
            widths = sizes_of(snowy, "snow", run.emitter, run.seed, moment)
            np.testing.assert_allclose(np.array(points.GetWidthsAttr().Get(at)), widths, atol=1e-6)
            solid = np.array(points.GetDisplayOpacityAttr().Get(at))
            np.testing.assert_allclose(solid, 1 - moment.ages / moment.lives, atol=1e-5)


def test_size_and_colour_follow_their_curves(snowy: Scene) -> None:
    run = Particles(snowy, "snow")
    moment = worked_out(snowy, "snow")[12]
    share = moment.ages / moment.lives
    times = np.where(share < 0.5, 4 * share, 3 - 2 * share)
    sizes = sizes_of(snowy, "snow", run.emitter, run.seed, moment)
    assert np.all(np.abs(sizes / (0.05 * np.maximum(times, 1e-9)) - 1) <= 0.4 + 1e-9)
    np.testing.assert_allclose(colors_of(run.emitter, moment)[:, 0], 1 - share, atol=1e-12)


def test_python_hears_of_them_frame_by_frame(snowy: Scene) -> None:
    heard = list(simulate(snowy, ["snow"], (2, 6)))
    assert [frame for _, frame, _, _ in heard] == [2, 3, 4, 5, 6]
    np.testing.assert_array_equal(heard[-1][3], worked_out(snowy, "snow")[6].places)
    assert {slug for slug, *_ in simulate(snowy)} == {"snow", "smoke"}


def test_what_can_not_be_written_is_said_and_nothing_is_left(snowy: Scene, tmp_path: Path) -> None:
    with pytest.raises(InvalidEdit, match=r"'run\.xyz' is none of these"):
        write_run(snowy, ["snow"], 0, 5, tmp_path / "run.xyz")

    def stop(share: float, _: str) -> None:
        if share > 0.4:
            raise Stopped

    with pytest.raises(Stopped):
        write_run(snowy, ["snow"], 0, 12, tmp_path / "run.csv", Progress(stop))
    assert list(tmp_path.iterdir()) == []
    with pytest.raises(InvalidEdit, match="has no particles"):
        particles_in(snowy, ["wind"])
    with pytest.raises(InvalidEdit, match="Nothing in this scene"):
        particles_in(Scene(name="Bare"))


def test_a_ply_file_for_each_frame_is_read_by_another_program(snowy: Scene, tmp_path: Path) -> None:
    import trimesh

    write_run(snowy, ["snow"], 4, 12, tmp_path / "run.zip")
    with zipfile.ZipFile(tmp_path / "run.zip") as archive:
        assert archive.namelist() == [f"snow/{frame:05d}.ply" for frame in range(4, 13)]
        cloud: Any = trimesh.load(io.BytesIO(archive.read("snow/00012.ply")), file_type="ply")
    run, moment = Particles(snowy, "snow"), worked_out(snowy, "snow")[12]
    np.testing.assert_allclose(cloud.vertices, moment.places, atol=1e-6)
    data = cloud.metadata["_ply_raw"]["vertex"]["data"]
    np.testing.assert_array_equal(data["id"], moment.ids)
    np.testing.assert_allclose(data["size"], sizes_of(snowy, "snow", run.emitter, run.seed, moment), rtol=1e-6)
    np.testing.assert_allclose(data["vy"], moment.speeds[:, 1], rtol=1e-5)
    np.testing.assert_allclose(data["red"], 255 * colors_of(run.emitter, moment)[:, 0], atol=0.5)


def test_copies_are_instances_of_one_prototype(snowy: Scene, tmp_path: Path) -> None:
    from pxr import Usd, UsdGeom

    scene = edited(
        snowy,
        {"do": "add-object", "label": "Leaf", "shape": {"kind": "box", "width": 0.4, "height": 0.1, "depth": 0.2}},
        {"do": "change-object", "node": "leaf", "visible": False},
        {"do": "change-emitter", "node": "snow", "copy_of": "leaf", "settings": {"turned": "way"}},
    )
    write_run(scene, ["snow"], 0, 12, tmp_path / "run.usdc")
    (whole := tmp_path / "scene.usdc").write_bytes(write_usd(scene, "usdc").content)
    run = Particles(scene, "snow")
    moment = worked_out(scene, "snow")[10]
    for file, path in ((tmp_path / "run.usdc", "/World/snow"), (whole, "/World/Particles/snow")):
        stage = Usd.Stage.Open(str(file))
        instancer = UsdGeom.PointInstancer(stage.GetPrimAtPath(path))
        when = Usd.TimeCode(10)
        placed = np.array(instancer.ComputeInstanceTransformsAtTime(when, when))
        np.testing.assert_allclose(placed[:, 3, :3], moment.places, atol=1e-5)
        # a leaf is 0.4 m long at rest, and as long as the particle is large
        sizes = sizes_of(scene, "snow", run.emitter, run.seed, moment)
        np.testing.assert_allclose(np.linalg.norm(placed[:, 0, :3], axis=1), sizes / 0.4, rtol=1e-3, atol=1e-4)
        ways = moment.speeds / np.linalg.norm(moment.speeds, axis=1, keepdims=True)
        large = sizes > 0.01
        np.testing.assert_allclose((placed[:, 0, :3] * (0.4 / sizes)[:, None])[large], ways[large], atol=5e-3)
        np.testing.assert_array_equal(np.array(instancer.GetIdsAttr().Get(when)), moment.ids)
        [kind] = instancer.GetPrototypesRel().GetTargets()
        points = UsdGeom.Mesh(stage.GetPrimAtPath(f"{kind}/n_leaf/shape")).GetPointsAttr().Get()
        assert np.ptp(np.array(points), axis=0) == pytest.approx([0.4, 0.1, 0.2], abs=1e-6)


def test_the_card_of_particles_delivers_what_it_says(snowy: Scene) -> None:
    kind = FORMATS["particles"]
    table = kind.model_validate({"form": "particles.csv"}).write(snowy).decode()
    rows = list(csv.DictReader(io.StringIO(table)))
    assert {row["object"] for row in rows} == {"snow", "smoke"}
    arrays = np.load(io.BytesIO(kind.model_validate({"form": "particles.npz"}).write(snowy)))
    assert arrays["snow.starts"][-1] == len([row for row in rows if row["object"] == "snow"])
    assert type(format_for("storm.particles.csv")) is kind
    assert type(format_for("storm.csv")) is not kind
    with pytest.raises(InvalidEdit, match="Nothing in this scene has particles"):
        kind().write(Scene(name="Bare"))


def test_a_run_that_is_played_backwards_is_delivered_so(snowy: Scene, tmp_path: Path) -> None:
    back = edited(snowy, {"do": "set", "address": "smoke/emitter.tempo", "value": -1})
    write_run(back, ["smoke"], 0, 12, tmp_path / "run.npz")
    held = np.load(tmp_path / "run.npz")
    starts, moments = held["smoke.starts"], worked_out(snowy, "smoke")
    for frame in range(13):
        part = slice(*starts[frame : frame + 2])
        np.testing.assert_allclose(held["smoke.places"][part], moments[12 - frame].places, atol=1e-6)
