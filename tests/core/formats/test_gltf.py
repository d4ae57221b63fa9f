"""Files that leave: read back by others, and validated."""

from __future__ import annotations

import csv
import io
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import trimesh
from scipy.spatial.transform import Rotation

from lazzik.core.bake.baking import BakePlan, bake, bakeable
from lazzik.core.evaluate.motion_path import path
from lazzik.core.evaluate.scope import Scope
from lazzik.core.evaluate.shapes import shapes_over_time
from lazzik.core.evaluate.transforms import transforms, world
from lazzik.core.evaluate.values import evaluate
from lazzik.core.formats.csv_curves import write_csv
from lazzik.core.formats.gltf import write_glb
from lazzik.core.formats.gltf_write import SHAPES_WITHIN
from lazzik.core.scene.scene import Scene
from lazzik.core.simulate.draped import surface_seen
from tests.conftest import edited
from tests.core.formats.gltf_player import Player

Validate = Callable[[Path], dict[str, Any]]


@pytest.fixture(scope="module")
def demo(demo: Scene) -> Scene:
    """The demo over three seconds: as many kinds of motion in a third of the time. What is scattered has tests of its
    own."""
    return edited(demo, {"do": "change-scene", "last": 90}, {"do": "remove-object", "node": "grass"})


@pytest.fixture(scope="module")
def glb(demo: Scene, tmp_path_factory: pytest.TempPathFactory) -> Path:
    file = tmp_path_factory.mktemp("glb") / "demo.glb"
    file.write_bytes(write_glb(demo))
    return file


def test_the_validator_finds_nothing_wrong(glb: Path, validate: Validate) -> None:
    report = validate(glb)
    assert (report["numErrors"], report["numWarnings"]) == (0, 0), report["messages"]


def test_nor_with_a_baked_a_still_and_a_hidden_scene(
    demo: Scene, post: Scene, tmp_path: Path, validate: Validate
) -> None:
    demo = edited(demo, {"do": "change-scene", "last": 12})
    hidden = edited(demo, {"do": "change-object", "node": "beacon-mast", "visible": False})
    bright = edited(demo, {"do": "set", "address": "ridge/look.glow", "value": 3})
    baked = bake(demo, bakeable(demo), BakePlan(0, 12)).apply(demo)
    for name, scene in {"baked": baked, "still": post, "hidden": hidden, "bright": bright}.items():
        file = tmp_path / f"{name}.glb"
        file.write_bytes(write_glb(scene))
        report = validate(file)
        assert (report["numErrors"], report["numWarnings"]) == (0, 0), (name, report["messages"])


def test_geometry_and_hierarchy_are_read_back_by_another_reader(demo: Scene, glb: Path) -> None:
    """trimesh's own scene graph, at rest: the first frame."""
    loaded: Any = trimesh.load(glb)
    now = demo.clock().at(np.array([0.0]))
    shapes = [node for node in demo.nodes if node.shape and node.visible]
    assert len(loaded.graph.nodes_geometry) == len(shapes)
    labels = [node.label for node in demo.nodes]
    for node in (node for node in shapes if labels.count(node.label) == 1):
        matrix, geometry = loaded.graph[node.label]
        np.testing.assert_allclose(matrix, world(demo, node, now, Scope(demo))[0], atol=1e-4)
        if shapes_over_time(demo, node):
            continue  # held to the evaluated points below
        size = np.ptp(loaded.geometry[geometry].vertices, axis=0)
        np.testing.assert_allclose(size, node.shape.mesh().size, atol=1e-4)  # type: ignore[union-attr]


def test_animation_agrees_with_evaluation_at_quarter_frames(demo: Scene, glb: Path) -> None:
    player, clock = Player(glb.read_bytes()), demo.clock(4)
    seconds = clock.elapsed / demo.fps
    seen = set()
    for channel in player.json["animations"][0]["channels"]:
        path, sampler = channel["target"]["path"], player.json["animations"][0]["samplers"][channel["sampler"]]
        assert np.all(np.diff(player.array(sampler["input"])[:, 0]) > 0)
        if path == "pointer":
            continue
        node = demo.nodes[channel["target"]["node"]]
        assert player.json["nodes"][channel["target"]["node"]]["extras"]["id"] == node.id
        seen.add((node.id, path))
        if path == "weights":
            continue
        own, values = transforms(node, clock, Scope(demo)), player.play(sampler, seconds, path == "rotation")
        if path == "rotation":
            apart = Rotation.from_quat(values) * Rotation.from_quat(own.orientation).inv()
            assert np.degrees(apart.magnitude()).max() <= 0.0501
        else:
            expected, within = (own.position, 1.01e-4) if path == "translation" else (own.scale, 1.01e-3)
            assert np.linalg.norm(values - expected, axis=1).max() <= within
    assert {("beacon-mast", "rotation"), ("float", "translation"), ("envelope", "scale"), ("rotor", "rotation")} <= seen
    assert ("ridge", "rotation") not in seen
    assert {("cloth", "weights"), ("pool", "weights"), ("pine-1-low", "weights")} <= seen


@pytest.mark.parametrize("name", ["cloth", "aerial", "pool", "pine-2-low", "envelope"])
def test_morph_targets_agree_with_the_evaluated_points_at_every_frame(demo: Scene, glb: Path, name: str) -> None:
    """Read from the file's bytes: rest plus weighted offsets, weights straight between their keys."""
    player = Player(glb.read_bytes())
    place, row = next((i, row) for i, row in enumerate(player.json["nodes"]) if row["extras"]["id"] == name)
    part = player.json["meshes"][row["mesh"]]["primitives"][0]
    rest = player.array(part["attributes"]["POSITION"])
    offsets = np.stack([player.array(target["POSITION"]) for target in part["targets"]])
    animation = player.json["animations"][0]
    channel = next(
        c for c in animation["channels"] if (c["target"].get("node"), c["target"]["path"]) == (place, "weights")
    )
    sampler = animation["samplers"][channel["sampler"]]
    times = player.array(sampler["input"])[:, 0]
    weights = player.array(sampler["output"]).reshape(-1, len(offsets))
    clock = demo.clock(4)
    motion = surface_seen(demo, demo.by_id[name], clock, Scope(demo))
    for index in range(0, len(clock.frames), 3):  # every frame, and moments between
        now = [np.interp(clock.elapsed[index] / demo.fps, times, column) for column in weights.T]
        away = np.linalg.norm(rest + np.tensordot(now, offsets, 1) - motion.points(index), axis=1)
        assert away.max() <= SHAPES_WITHIN + 2e-6


def test_the_path_of_an_object_goes_through_all_that_is_above_it(demo: Scene) -> None:
    beacon = demo.by_id["beacon"]
    clock = demo.clock()
    taken = path(demo, beacon, clock, Scope(demo))
    angle = np.radians(evaluate(demo, ["beacon-mast/rotation.z"], clock)["beacon-mast/rotation.z"])
    # the mast leans about z after it is turned 12° about y; its foot is 0.16 m up
    height = 4.84 + 0.25
    np.testing.assert_allclose(taken[:, 1], 0.16 + height * np.cos(angle), atol=1e-9)
    np.testing.assert_allclose(taken[:, 0], 0.3 - height * np.sin(angle) * np.cos(np.radians(12)), atol=1e-9)


def test_csv_reads_back_as_the_same_numbers(demo: Scene) -> None:
    addresses = bakeable(demo)
    table = list(csv.reader(io.StringIO(write_csv(demo, addresses, demo.clock()))))
    assert table[0] == ["frame", *addresses]
    values = np.array(table[1:], dtype=float)
    expected = evaluate(demo, addresses, demo.clock())
    assert values[:, 0].tolist() == demo.clock().frames.tolist()
    for column, address in enumerate(addresses, 1):
        assert values[:, column].tolist() == expected[address].tolist()
