"""What is scattered, delivered: a PointInstancer read back by OpenUSD's own library, instances in glTF."""

from __future__ import annotations

import csv
import io
import json
import struct
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from lazzik.core.errors import InvalidEdit
from lazzik.core.evaluate.copies import copies_of
from lazzik.core.evaluate.riding import standing
from lazzik.core.evaluate.scope import Scope
from lazzik.core.evaluate.surface import surface_of
from lazzik.core.evaluate.transforms import world
from lazzik.core.evaluate.variants import parts_of
from lazzik.core.formats.gltf import Gltf, write_glb
from lazzik.core.formats.registry import format_for
from lazzik.core.formats.svg import AnimatedSvg
from lazzik.core.formats.usd import write_usd
from lazzik.core.scene.scene import Scene
from lazzik.core.types import Quaternions
from tests.conftest import edited

TUBE = {"kind": "tube", "height": 0.3, "radius": 0.05, "around": 4}


@pytest.fixture(scope="module")
def meadow() -> Scene:
    """A flower of stalk and head, scattered in the wind; its head nods, so it has variants."""
    return edited(
        Scene(name="Meadow", last=12),
        {"do": "add-object", "label": "Wind", "field": {"kind": "wind"}},
        {"do": "add-object", "label": "Ground", "shape": {"kind": "sheet", "width": 6, "height": 6}},
        {"do": "add-object", "label": "Flower", "shape": TUBE},
        {"do": "add-object", "label": "Head", "parent": "flower", "shape": TUBE, "position": [0.1, 0.2, 0]},
        {"do": "add-layer", "address": "head/rotation.z", "kind": "wave"},
        {"do": "set", "address": "head/scale.y", "value": 2.0},
        {"do": "scatter", "nodes": ["flower"], "surface": "ground", "label": "Many"},
        {"do": "set", "address": "many/scatter.count", "value": 30},
        {"do": "set", "address": "many/position.x", "value": 1.5},
        {"do": "set", "address": "many/rotation.y", "value": 40.0},
        {"do": "change-scatter", "node": "many", "variants": 3},
    )


def matrix(place: Any, turn: Quaternions, size: float) -> np.ndarray[Any, Any]:
    """T · R · S."""
    from scipy.spatial.transform import Rotation as Turn

    out = np.eye(4)
    out[:3, :3] = Turn.from_quat(turn).as_matrix() * size
    out[:3, 3] = place
    return out


def expected(scene: Scene, frame: int) -> list[np.ndarray[Any, Any]]:
    """Where the stalk and the head of each copy are at a frame, in the scene."""
    node, scope = scene.by_id["many"], Scope(scene)
    copies, clock = copies_of(scene, node, scope), scene.clock()
    above = world(scene, node, clock, scope)[frame]
    _, places, turns = list(standing(scene, node, copies, clock, scope))[frame]
    out = []
    for k in range(len(copies)):
        copy = above @ matrix(places[k], turns[k], copies.sizes[k])
        parts = parts_of(scene, node, 0, int(copies.variants[k]), clock, scope)
        out += [copy @ part.matrices[min(frame, len(part.matrices) - 1)] for part in parts]
    return out


def test_every_instance_of_the_point_instancer_is_where_the_copy_is(meadow: Scene, tmp_path: Path) -> None:
    from pxr import Usd, UsdGeom

    (file := tmp_path / "meadow.usdc").write_bytes(write_usd(meadow, "usdc").content)
    stage = Usd.Stage.Open(str(file))
    (instancer,) = [UsdGeom.PointInstancer(prim) for prim in stage.Traverse() if prim.IsA(UsdGeom.PointInstancer)]
    assert len(instancer.GetPrototypesRel().GetTargets()) == 3
    assert instancer.GetOrientationsfAttr().GetNumTimeSamples() == 13
    kinds = instancer.GetProtoIndicesAttr().Get()
    for frame in (0, 5, 12):
        copies = instancer.ComputeInstanceTransformsAtTime(Usd.TimeCode(frame), Usd.TimeCode(frame),
                                                           UsdGeom.PointInstancer.ExcludeProtoXform)  # fmt: skip
        above = np.array(UsdGeom.Xformable(instancer).ComputeLocalToWorldTransform(Usd.TimeCode(frame))).T
        found = []
        for k, copy in enumerate(copies):
            kind = stage.GetPrimAtPath(instancer.GetPrototypesRel().GetTargets()[kinds[k]])
            for part in kind.GetChildren():
                own = np.array(UsdGeom.Xformable(part).GetLocalTransformation(Usd.TimeCode(frame))).T
                found.append(above @ np.array(copy).T @ own)
        np.testing.assert_allclose(found, expected(meadow, frame), atol=1e-4)


def test_instances_go_with_their_surface_and_a_bent_source_is_seen_in_shifts_of_time(
    meadow: Scene, tmp_path: Path
) -> None:
    from pxr import Usd, UsdGeom

    swaying = edited(
        meadow,
        {"do": "add-deformer", "node": "ground", "kind": "ripple"},
        {"do": "add-deformer", "node": "flower", "kind": "ripple"},
        {"do": "change-object", "node": "flower", "visible": False},
    )
    (file := tmp_path / "meadow.usdc").write_bytes(write_usd(swaying, "usdc").content)
    stage = Usd.Stage.Open(str(file))
    (instancer,) = [UsdGeom.PointInstancer(prim) for prim in stage.Traverse() if prim.IsA(UsdGeom.PointInstancer)]
    assert instancer.GetPositionsAttr().GetNumTimeSamples() == 13
    node, scope, clock = swaying.by_id["many"], Scope(swaying), swaying.clock()
    for frame, places, _ in standing(swaying, node, copies_of(swaying, node, scope), clock, scope):
        np.testing.assert_allclose(np.array(instancer.GetPositionsAttr().Get(frame)), places, atol=1e-5)
    for variant, target in enumerate(instancer.GetPrototypesRel().GetTargets()):
        stalk, _ = parts_of(swaying, node, 0, variant, clock, scope)
        surface = surface_of(swaying, stalk.node, stalk.clock, scope)
        mesh = UsdGeom.Mesh(stage.GetPrimAtPath(f"{target}/n_flower/shape"))
        assert mesh.ComputeVisibility() == "inherited"  # the source is hidden, its copies are not
        for frame in (0, 7):
            np.testing.assert_allclose(np.array(mesh.GetPointsAttr().Get(frame)), surface.points(frame), atol=1e-6)


def test_so_many_copies_move_as_nodes_of_gltf_and_the_others_stand(meadow: Scene, tmp_path: Path) -> None:
    still = edited(meadow, {"do": "remove-layer", "address": "head/rotation.z#wave"})
    (file := tmp_path / "meadow.glb").write_bytes(Gltf(moving_copies=4).write(still))
    document, _ = read(file.read_bytes())
    counts = [
        document["accessors"][node["extensions"]["EXT_mesh_gpu_instancing"]["attributes"]["TRANSLATION"]]["count"]
        for node in document["nodes"]
        if "EXT_mesh_gpu_instancing" in node.get("extensions", {})
    ]
    assert counts == [26, 26]
    copies = copies_of(still, still.by_id["many"], Scope(still))
    names = [f"Flower {copy}" for copy in copies.ids[:4]]
    (moves,) = document["animations"]
    turns = [c["target"]["node"] for c in moves["channels"] if c["target"]["path"] == "rotation"]
    turning = {document["nodes"][place]["name"] for place in turns}
    assert turning >= set(names)
    node = next(node for node in document["nodes"] if node["name"] == names[0])
    turn = np.radians(40.0)
    x, y, z = copies.places[0]
    place = [x * np.cos(turn) + z * np.sin(turn) + 1.5, y, z * np.cos(turn) - x * np.sin(turn)]
    np.testing.assert_allclose(node["translation"], place, atol=1e-5)


def test_outlines_have_the_first_copies_and_no_more(meadow: Scene) -> None:
    def outlines(copies: int) -> int:
        return AnimatedSvg(view="front", copies=copies, every=12).write(meadow).count(b"<path")

    assert outlines(5) - outlines(0) == 2 * 5


def test_the_table_of_copies_has_each_where_it_is_on_each_frame(meadow: Scene) -> None:
    rows = list(csv.DictReader(io.StringIO(format_for("meadow.csv").replaced(layout="copies").write(meadow).decode())))
    assert len(rows) == 30 * 13
    scope, node = Scope(meadow), meadow.by_id["many"]
    copies, clock = copies_of(meadow, node, scope), meadow.clock()
    above = world(meadow, node, clock, scope)
    turns = list(standing(meadow, node, copies, clock, scope))
    for n, row in enumerate(rows):
        frame, k = divmod(n, 30)
        assert (row["scatter"], row["source"], int(row["frame"])) == ("many", "flower", frame)
        assert int(row["copy"]) == copies.ids[k]
        found = matrix([float(row[axis]) for axis in "xyz"], np.array([float(row[f"q{axis}"]) for axis in "xyzw"]),
                       float(row["size"]))  # fmt: skip
        whole = above[frame] @ matrix(copies.places[k], turns[frame][2][k], copies.sizes[k])
        np.testing.assert_allclose(found, whole, atol=1e-12)


def test_a_table_of_too_many_copies_is_refused_in_a_sentence(meadow: Scene) -> None:
    many = edited(meadow, {"do": "set", "address": "many/scatter.count", "value": 90_000})
    with pytest.raises(InvalidEdit, match="would have 1,170,000 rows"):
        format_for("meadow.csv").replaced(layout="copies").write(many)


def test_a_scene_without_copies_has_a_table_of_headings(meadow: Scene) -> None:
    text = format_for("meadow.csv").replaced(layout="copies").write(Scene(name="Empty")).decode()
    assert text == "scatter,copy,source,frame,x,y,z,qx,qy,qz,qw,size\r\n"


def read(glb: bytes) -> tuple[dict[str, Any], Callable[[int], np.ndarray[Any, Any]]]:
    """A GLB's JSON, and what reads an accessor of floats."""
    size = struct.unpack("<I", glb[12:16])[0]
    document, blob = json.loads(glb[20 : 20 + size]), glb[28 + size :]

    def values(index: int) -> np.ndarray[Any, Any]:
        row = document["accessors"][index]
        view = document["bufferViews"][row["bufferView"]]
        width = {"VEC3": 3, "VEC4": 4}[row["type"]]
        start = view.get("byteOffset", 0) + row.get("byteOffset", 0)
        return np.frombuffer(blob, "<f4", row["count"] * width, start).reshape(-1, width)

    return document, values


def test_instances_of_gltf_are_the_copies_on_the_first_frame(
    meadow: Scene, tmp_path: Path, validate: Callable[[Path], dict[str, Any]]
) -> None:
    still = edited(meadow, {"do": "remove-layer", "address": "head/rotation.z#wave"})
    (file := tmp_path / "meadow.glb").write_bytes(glb := write_glb(still))
    document, values = read(glb)
    assert "EXT_mesh_gpu_instancing" in document["extensionsUsed"]
    rows = [node for node in document["nodes"] if "EXT_mesh_gpu_instancing" in node.get("extensions", {})]
    assert len(rows) == 2  # stalk and head
    above = world(still, still.by_id["many"], still.clock())[0]
    found = []
    for row in rows:
        parts = row["extensions"]["EXT_mesh_gpu_instancing"]["attributes"]
        rows_of = (np.array(values(parts[name]), dtype=float) for name in ("TRANSLATION", "ROTATION", "SCALE"))
        each = zip(*rows_of, strict=True)
        found.append([above @ matrix(place, turn, 1.0) @ np.diag([*size, 1.0]) for place, turn, size in each])
    together = [both for pair in zip(*found, strict=True) for both in pair]
    np.testing.assert_allclose(together, expected(still, 0), atol=1e-5)
    report = validate(file)
    assert (report["numErrors"], report["numWarnings"]) == (0, 0), report


def test_the_stage_is_sent_no_instances_with_the_geometry(meadow: Scene) -> None:
    document, _ = read(write_glb(meadow, animated=False))
    assert "extensionsUsed" not in document
