"""Files brought in: objects, cameras, lights, keys, clips, drawings and tables; and what can not be."""

from __future__ import annotations

import io
import json
import struct
import subprocess
import sys
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import trimesh
from numpy.typing import NDArray
from scipy.spatial.transform import Rotation, Slerp

from lazzik.core.channel.channel import Channel
from lazzik.core.errors import InvalidAsset, InvalidEdit
from lazzik.core.evaluate.scope import Scope
from lazzik.core.evaluate.transforms import transforms, world
from lazzik.core.evaluate.values import evaluate
from lazzik.core.formats.csv_curves import write_csv
from lazzik.core.formats.importer import import_curves, import_files
from lazzik.core.scene.edits.base import applied
from lazzik.core.scene.scene import Scene
from tests.conftest import edited, turned
from tests.core.formats.vane import TIMES, TURNS, Builder, vane, workshop

HARMLESS = {
    "place -1.glb", "place 1.5.glb", "target None.glb", "times.glb", "turn.svg", "obj f 0 0 0.obj", "obj v nan nan.obj",
    "material.obj", "circles of one path.svg", "groups.svg",
}  # fmt: skip
"""What is unusual, but can be read for what it is; nothing outside the file is looked at."""


README = Path(__file__).parents[3] / "README.md"


@pytest.fixture(scope="module")
def scene() -> Scene:
    return workshop()


def test_hierarchy_places_cameras_and_lights(scene: Scene) -> None:
    assert [(node.id, node.parent) for node in scene.nodes] == [
        ("mast", None), ("arrow", "mast"), ("tip", "arrow"), ("bone", "mast"), ("eye", None), ("lantern", None),
        ("searchlight", "lantern"),
    ]  # fmt: skip
    tip = transforms(scene.by_id["tip"], scene.clock().at(np.array([10.0])))
    np.testing.assert_allclose(tip.scale[0], [2, 2, 2], atol=1e-9)
    np.testing.assert_allclose(tip.position[0], [3, 4, 5])
    turn = Rotation.from_quat(tip.orientation[0]).as_matrix() * 2
    np.testing.assert_allclose(turn, np.array([[0, -2, 0], [2, 0, 0], [0, 0, 2]]), atol=1e-9)
    camera, lamp = scene.by_id["eye"].camera, scene.by_id["lantern"].light
    assert camera
    assert camera.view == pytest.approx(np.degrees(0.6), abs=1e-5)
    assert lamp
    assert (lamp.kind, lamp.intensity) == ("lamp", 12)
    assert scene.by_id["searchlight"].light is None
    look = scene.by_id["arrow"].look
    assert look
    assert look.roughness == 0.3
    assert ((look.color.r + 0.055) / 1.055) ** 2.4 == pytest.approx(0.8, abs=1e-4)  # type: ignore[operator]


def test_animations_become_keys(scene: Scene) -> None:
    clock = scene.clock(4)
    seconds = np.clip(clock.elapsed / 30, 0, 2)
    wanted = Slerp(TIMES, Rotation.from_quat(TURNS))(seconds)
    turned_by = Rotation.from_quat(transforms(scene.by_id["arrow"], clock).orientation)
    assert np.degrees((wanted.inv() * turned_by).magnitude()).max() < 0.06
    bone = scene.by_id["bone"].position
    assert isinstance(bone.y, Channel)
    assert [(k.frame, k.value, k.slope_in, k.slope_out) for k in bone.y.keys] == [(10, 2, 0, 6), (55, 3, 0, 0)]
    # by the standard's own formula, half way: t = 0.75 s of 1.5
    frame = clock.at(np.array([32.5]))
    assert transforms(scene.by_id["bone"], frame).position[0][1] == pytest.approx(0.5 * 2 + 1.5 * 6 / 8 + 0.5 * 3)


def test_other_animations_become_clips_of_the_numbers_that_they_move(scene: Scene) -> None:
    (calm,) = scene.clips
    assert (calm.label, calm.length) == ("Calm", 60)
    assert [(t.label, t.unit, t.origin) for t in calm.tracks] == [
        (f"Arrow / rotation {axis}", "°", f"arrow/rotation.{axis}") for axis in "xyz"
    ]
    playing = edited(scene, {"do": "play-clip", "clip": calm.id, "frame": 20, "after": "hold"})
    frames = np.array([20.0, 34.9, 35.1, 49.9, 50.1, 79.9, 80.1, 100.0])
    turns = Rotation.from_quat(
        transforms(playing.by_id["arrow"], playing.clock().at(frames), Scope(playing)).orientation
    )
    wanted = Rotation.from_quat(TURNS[[0, 0, 1, 1, 2, 2, 3, 3]])
    assert np.degrees((wanted.inv() * turns).magnitude()).max() < 1e-4
    brought = import_files(scene, {"vane.glb": vane().packed()})
    assert "other animations are clips" in brought.notes[-1]
    twice = applied(scene, [brought.edit])
    assert [(clip.id, clip.tracks[0].origin) for clip in twice.clips] == [
        ("calm", "arrow/rotation.x"), ("calm_2", "arrow-2/rotation.x"),
    ]  # fmt: skip


def test_the_reader_agrees_with_another_on_where_everything_is(scene: Scene) -> None:
    loaded: Any = trimesh.load(io.BytesIO(vane().packed()), file_type="glb")
    now = scene.clock().at(np.array([10.0]))
    for name, label in (("mast", "Mast"), ("arrow", "Arrow")):
        matrix, geometry = loaded.graph[label]
        np.testing.assert_allclose(world(scene, scene.by_id[name], now)[0], matrix, atol=1e-6)
        points = scene.by_id[name].shape.mesh(scene.assets).points  # type: ignore[union-attr]
        np.testing.assert_allclose(np.ptp(points, axis=0), np.ptp(loaded.geometry[geometry].vertices, axis=0))


DRAWING = b"""<?xml version="1.0"?><!DOCTYPE svg PUBLIC "-//W3C//DTD SVG 1.1//EN" "x.dtd">
<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 200 100" width="200" height="100">
<rect id="plate" x="10" y="10" width="180" height="80" fill="#e6dcc6"/>
<path id="ring" fill="#c4472b" d="M60 50a30 30 0 1 0 60 0a30 30 0 1 0 -60 0M75 50a15 15 0 1 1 30 0a15 15 0 1 1 -30 0"/>
<g transform="translate(150 50) scale(2)"><polygon id="arrow" fill="#2e6f68" points="-10,-5 5,-5 5,5 -10,5"/></g>
<line id="wire" x1="0" y1="0" x2="9" y2="9" stroke="red" fill="none"/></svg>"""


def area(points: NDArray[np.float64], triangles: NDArray[np.int64]) -> float:
    a, b, c = (points[triangles[:, k]] for k in range(3))
    return float(np.linalg.norm(np.cross(b - a, c - a), axis=1).sum() / 2)


@pytest.mark.parametrize("depth", [0.0, 0.25])
def test_drawings_are_flat_or_solid(depth: float) -> None:
    scene = turned(0.0)
    nodes = {node.id: node for node in import_files(scene, {"sign.svg": DRAWING}, depth=depth).edit.nodes}
    assert list(nodes) == ["sign", "plate", "ring", "arrow"]
    meshes = {name: nodes[name].shape.mesh(scene.assets) for name in ("plate", "ring", "arrow")}  # type: ignore[union-attr]
    np.testing.assert_allclose(meshes["plate"].size, [1.8, 0.8, depth], atol=1e-6)
    np.testing.assert_allclose(meshes["arrow"].points[:, :2].mean(axis=0), [0.45, 0], atol=0.03)
    ring = meshes["ring"]
    front = ring.triangles if not depth else ring.triangles[(ring.normals[ring.triangles][:, :, 2] > 0.9).all(axis=1)]
    assert area(ring.points, front) == pytest.approx(np.pi * (0.3**2 - 0.15**2), rel=0.01)
    if depth:
        assert trimesh.Trimesh(ring.points, ring.triangles, process=True).is_watertight
    look = nodes["ring"].look
    assert look
    assert look.color.r == pytest.approx(0xC4 / 255)


def test_a_table_becomes_keys_on_the_numbers_that_it_names(demo: Scene) -> None:
    addresses = ["beacon-mast/rotation.z", "float/position.y"]
    still = edited(demo, *({"do": "remove-layer", "address": f"beacon-mast/rotation.z#{layer}"}
                           for layer in ("gust", "tremble", "ring-on-arrival")))  # fmt: skip
    text = write_csv(demo, [*addresses, "pine-1/rotation.z"], demo.clock()).replace("pine-1/rotation.z", "pine-9/x")
    edits, notes = import_curves(still, text)
    assert [edit.where for edit in edits] == addresses
    assert "pine-9/x" in notes[0]
    after = applied(still, edits)
    wanted = evaluate(demo, addresses[:1], demo.clock())[addresses[0]]
    np.testing.assert_allclose(evaluate(after, addresses[:1], demo.clock())[addresses[0]], wanted, atol=1e-12)
    fitted, _ = import_curves(still, text, fitted=True)
    assert len(fitted[0].keys) < 70  # type: ignore[attr-defined]
    near = evaluate(applied(still, fitted), addresses[:1], demo.clock())[addresses[0]]
    assert np.abs(near - wanted).max() <= 0.1
    named, _ = import_curves(still, "frame,height\n0,1\n9,2", at="gauge/position.y")
    assert named[0].where == "gauge/position.y"
    with pytest.raises(InvalidEdit, match="there are 'height'"):
        import_curves(still, "frame,height\n0,1\n9,2")


def test_strips_fans_sparse_and_small_numbers_are_read() -> None:
    b = Builder()
    corners = b.array([[0, 0, 0], [1, 0, 0], [0, 1, 0], [1, 1, 0]], "VEC3")
    places = b.view(np.array([3], "<u2").tobytes())
    values = b.view(np.array([[1, 1, 5]], "<f4").tobytes())
    b.accessors[corners]["sparse"] = {"count": 1, "indices": {"bufferView": places, "componentType": 5123},
                                      "values": {"bufferView": values}}  # fmt: skip
    red = b.array([[255, 0, 0, 255], [0, 0, 0, 255], [51, 0, 0, 255], [0, 0, 0, 255]], "VEC4", 5121, normalized=True)
    shared = {"attributes": {"POSITION": corners, "COLOR_0": red}}
    b.content |= {"scenes": [{"nodes": [0, 1]}], "nodes": [{"mesh": 0}, {"mesh": 1}],
                  "meshes": [{"primitives": [shared | {"mode": mode}]} for mode in (5, 6)]}  # fmt: skip
    scene = turned(0.0)
    strip, fan = import_files(scene, {"a.glb": b.packed()}).edit.nodes
    assert strip.shape.mesh(scene.assets).triangles.tolist() == [[0, 1, 2], [2, 1, 3]]  # type: ignore[union-attr]
    assert fan.shape.mesh(scene.assets).triangles.tolist() == [[0, 1, 2], [0, 2, 3]]  # type: ignore[union-attr]
    assert strip.shape.mesh(scene.assets).points[3].tolist() == [1, 1, 5]  # type: ignore[union-attr]
    assert strip.shape.weights is not None  # type: ignore[union-attr]


def test_a_glb_without_a_head_of_its_length_is_refused() -> None:
    packed = bytearray(vane().packed())
    struct.pack_into("<I", packed, 8, len(packed) + 1)
    with pytest.raises(InvalidAsset, match="head does not fit its length"):
        import_files(turned(0.0), {"vane.glb": bytes(packed)})


@pytest.mark.slow
def test_hostile_files_are_refused_in_a_sentence_at_little_cost() -> None:
    """Each in at most two seconds of the processor and half a gigabyte, in a process of its own."""
    done = subprocess.run(
        [sys.executable, "-m", "tests.core.formats.hostile"], capture_output=True, text=True, check=True
    )
    rows = [json.loads(line) for line in done.stdout.splitlines()]
    assert f"{len(rows)} damaged and hostile files" in README.read_text()
    assert len({row["name"] for row in rows}) == len(rows)
    taken = [row["name"] for row in rows if row["said"] == "taken"]
    assert set(taken) <= HARMLESS
    for row in rows:
        assert row["seconds"] < 2, row
        assert row["megabytes"] < 500, row
        assert len(row["said"]) < 400, row
