"""Runs of particles as files: read back, they are what was worked out."""

from __future__ import annotations

import csv
from pathlib import Path

import numpy as np
import pytest

from lazzik import simulate
from lazzik.core.errors import InvalidEdit
from lazzik.core.formats.runs import emitters_in, write_run
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
    (whole := tmp_path / "scene.usdc").write_bytes(write_usd(snowy, "usdc"))
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
    with pytest.raises(InvalidEdit, match="sends out nothing"):
        emitters_in(snowy, ["wind"])
    with pytest.raises(InvalidEdit, match="Nothing in this scene"):
        emitters_in(Scene(name="Bare"))
