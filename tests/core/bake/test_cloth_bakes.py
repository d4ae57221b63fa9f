"""Cloth baked and delivered: to shape targets within a tolerance, to points per frame, as GLB within a millimetre, as
OpenUSD's points of every frame; and taken back."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
import pytest

from lazzik.core.bake.morph_targets import bake_shape
from lazzik.core.bake.permanent import make_permanent
from lazzik.core.bake.vertex_cache import bake_frames
from lazzik.core.errors import UnknownAddress
from lazzik.core.evaluate.memo import Memo
from lazzik.core.evaluate.scope import Scope
from lazzik.core.evaluate.surface import surface_of
from lazzik.core.formats.gltf import write_glb
from lazzik.core.formats.usd import write_usd
from lazzik.core.scene.edits.base import applied
from lazzik.core.scene.edits.shapes import PlaceShapeBake, TakeBackShape
from lazzik.core.scene.morph_targets import ShapeFrames, ShapeTargets
from lazzik.core.scene.scene import Scene
from lazzik.core.simulate.draped import surface_seen
from lazzik.core.simulate.run import FolderStorage
from tests.core.formats.gltf_player import Player
from tests.core.simulate.clothes import WIND, hung

BEND = {"do": "add-deformer", "node": "sheet", "kind": "bend"}
LAST = 30


@pytest.fixture(scope="module")
def scene() -> Scene:
    return hung(WIND, last=LAST, cuts=8, calm=1.0)


def seen(scene: Scene) -> Any:
    return surface_seen(scene, scene.by_id["sheet"], scene.clock(), Scope(scene))


@pytest.mark.parametrize("tolerance", [0.02, None])
def test_a_bake_stands_for_it_and_is_taken_back(scene: Scene, tolerance: float | None) -> None:
    node, scope, true = scene.by_id["sheet"], Scope(scene), [points for _, points in seen(scene).each()]
    made: ShapeTargets | ShapeFrames
    if tolerance is None:
        made = bake_frames(scene, node, 0, LAST, scope)
    else:
        made = bake_shape(scene, node, 0, LAST, tolerance, scope)
    assert made.was_cloth
    baked = applied(scene, [PlaceShapeBake(node="sheet", targets=made)])
    assert baked.by_id["sheet"].cloth.muted  # type: ignore[union-attr]
    surface = surface_of(baked, baked.by_id["sheet"], baked.clock(), Scope(baked))
    for index, points in surface.each():
        assert np.linalg.norm(points - true[index], axis=1).max() <= (tolerance or 0.0) + 1e-6
    back = applied(baked, [TakeBackShape(node="sheet")])
    assert back.by_id["sheet"] == scene.by_id["sheet"]


@pytest.mark.parametrize("baked", [False, True])
def test_a_glb_has_it_within_a_millimetre(scene: Scene, baked: bool) -> None:
    true = [points for _, points in seen(scene).each()]
    given = scene
    if baked:
        made = bake_frames(scene, scene.by_id["sheet"], 0, LAST, Scope(scene))
        given = applied(scene, [PlaceShapeBake(node="sheet", targets=made)])
    player = Player(write_glb(given))
    mesh = player.json["meshes"][player.json["nodes"][0]["mesh"]]
    base = player.array(mesh["primitives"][0]["attributes"]["POSITION"])
    targets = [player.array(target["POSITION"]) for target in mesh["primitives"][0]["targets"]]
    sampler = player.channel("Sheet", "weights")
    assert sampler is not None
    weights = player.play(sampler, scene.clock().frames / scene.fps, width=len(targets))
    for index, points in enumerate(true):
        now = base + sum(w * t for w, t in zip(weights[index], targets, strict=True))
        assert np.linalg.norm(now - points, axis=1).max() < 0.001


def test_openusd_has_its_points_at_every_frame(scene: Scene, tmp_path: Path) -> None:
    from pxr import Usd, UsdGeom

    file = tmp_path / "sheet.usdc"
    file.write_bytes(write_usd(scene, "usdc").content)
    stage = Usd.Stage.Open(str(file))
    mesh = next(UsdGeom.Mesh(prim) for prim in stage.Traverse() if prim.IsA(UsdGeom.Mesh))
    for index, points in seen(scene).each():
        np.testing.assert_allclose(np.array(mesh.GetPointsAttr().Get(float(index))), points, atol=1e-6)


def test_deformers_above_act_on_it(scene: Scene) -> None:
    bent = hung(
        WIND, BEND, {"do": "set", "address": "sheet/deform.bend.angle", "value": 40}, last=LAST, cuts=8, calm=1.0
    )
    plain, surface = seen(scene), seen(bent)
    index = 12
    apart = np.linalg.norm(surface.points(index) - plain.points(index), axis=1)
    assert apart.max() > 0.02
    np.testing.assert_array_equal(surface.points_until(0, index), plain.points(index))


def test_it_is_made_permanent_where_its_frame_is_there(scene: Scene, tmp_path: Path) -> None:
    memo = Memo()
    memo.runs = FolderStorage(tmp_path)
    with pytest.raises(UnknownAddress, match="not there yet"):
        make_permanent(scene, "sheet", 12, Scope(scene, memo))
    node = scene.by_id["sheet"]
    points = surface_seen(scene, node, scene.clock(), Scope(scene, memo)).points(12)
    edit = make_permanent(scene, "sheet", 12, Scope(scene, memo))
    stiff = applied(scene, [edit]).by_id["sheet"]
    assert stiff.cloth is None
    assert stiff.shape is not None
    np.testing.assert_allclose(stiff.shape.mesh(scene.assets).points, points, atol=1e-6)
