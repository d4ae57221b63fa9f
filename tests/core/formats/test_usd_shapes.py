"""Blend shapes in OpenUSD, turned into points by the standard's own library."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
import pytest

from lazzik.core.channel.channel import Channel
from lazzik.core.deformers.bend import Bend
from lazzik.core.evaluate.scope import Scope
from lazzik.core.evaluate.surface import surface_of
from lazzik.core.formats.usd import OpenUsd, write_usd
from lazzik.core.formats.usd_shapes import WITHIN, bytes_of_shapes
from lazzik.core.geometry.primitives import Sheet
from lazzik.core.layers.noise import Noise
from lazzik.core.scene.node import Node
from lazzik.core.scene.scene import Scene

LAST = 60


@pytest.fixture(scope="module")
def waving() -> Scene:
    """A sheet that bends in two ways, and one that stands still."""

    def bend(name: str, axis: str, size: float) -> Bend:
        noise = Noise(kind="noise", id="gust", label="Gust", amplitude=size)
        angle = Channel(value=10.0, layers=(noise,))
        return Bend.model_validate(
            {"kind": "bend", "id": name, "label": name, "angle": angle, "axis": axis, "start": 0, "end": 2}
        )

    shape = Sheet(kind="sheet", standing=True, width=1, height=2, columns=9, rows=14)
    flag = Node(id="flag", label="Flag", shape=shape, deform=(bend("one", "y", 30), bend("two", "x", 12)))
    return Scene(name="Flags", last=LAST, nodes=(flag, Node(id="board", label="Board", shape=shape)))


def opened(scene: Scene, folder: Path, **choices: Any) -> tuple[Any, str, int]:
    from pxr import Usd

    file = folder / "scene.usdc"
    written = OpenUsd(form="usdc", **choices).deliver(scene)
    file.write_bytes(written.content)
    return Usd.Stage.Open(str(file)), written.summary, len(written.content)


def test_shapes_become_the_points_that_were_evaluated(waving: Scene, tmp_path: Path) -> None:
    from pxr import UsdGeom, UsdSkel

    stage, said, _ = opened(waving, tmp_path)
    assert said == "Moving surfaces: 1 as blend shapes, 0 with all points at every frame."
    root = UsdSkel.Root(stage.GetPrimAtPath("/World/flag/shape"))
    box = np.array(root.GetExtentAttr().Get())
    assert not stage.GetPrimAtPath("/World/board/shape").IsA(UsdSkel.Root)
    assert UsdSkel.BakeSkinning(root)
    mesh = UsdGeom.Mesh(stage.GetPrimAtPath("/World/flag/shape/surface"))
    motion = surface_of(waving, waving.by_id["flag"], waving.clock(), Scope(waving))
    for frame, points in motion.each():
        found = np.array(mesh.GetPointsAttr().Get(frame))
        assert np.linalg.norm(found - points, axis=1).max() < 1.01 * WITHIN
        assert (found >= box[0]).all()
        assert (found <= box[1]).all()
        way = np.array(mesh.GetNormalsAttr().Get(frame))
        turned = way / np.linalg.norm(way, axis=1, keepdims=True)
        assert np.einsum("ij,ij->i", turned, motion.normals(points)).min() > np.cos(np.radians(3))


def test_the_standards_own_validators_find_nothing_in_shapes(waving: Scene, tmp_path: Path) -> None:
    from pxr import UsdValidation

    stage, _, _ = opened(waving, tmp_path)
    validators = UsdValidation.ValidationRegistry().GetOrLoadAllValidators()
    found = UsdValidation.ValidationContext(validators).Validate(stage)
    assert [error.GetMessage() for error in found] == []


def test_points_are_a_choice_and_larger(waving: Scene, tmp_path: Path) -> None:
    from pxr import UsdGeom

    stage, said, large = opened(waving, tmp_path, surfaces="points")
    assert said == "Moving surfaces: 0 as blend shapes, 1 with all points at every frame."
    mesh = UsdGeom.Mesh(stage.GetPrimAtPath("/World/flag/shape"))
    assert mesh.GetPointsAttr().GetNumTimeSamples() == LAST + 1
    _, _, small = opened(waving, tmp_path)
    assert small < large / 2


def test_where_points_are_smaller_they_are_written(waving: Scene, tmp_path: Path) -> None:
    brief = waving.replaced(last=2)
    stage, said, _ = opened(brief, tmp_path)
    assert said == "Moving surfaces: 0 as blend shapes, 1 with all points at every frame."
    assert stage.GetPrimAtPath("/World/flag/shape").GetTypeName() == "Mesh"


def test_a_file_of_shapes_is_about_as_large_as_was_reckoned(waving: Scene) -> None:
    from lazzik.core.bake.morph_targets import fit_targets

    motion = surface_of(waving, waving.by_id["flag"], waving.clock(), Scope(waving))
    shapes = bytes_of_shapes(fit_targets(motion, WITHIN, sizes=True))
    still = waving.replaced(nodes=(waving.nodes[0].replaced(deform=()), waving.nodes[1]))
    added = len(write_usd(waving, shapes=True).content) - len(write_usd(still, shapes=True).content)
    assert 0.3 * shapes < added < 1.5 * shapes + 4000
