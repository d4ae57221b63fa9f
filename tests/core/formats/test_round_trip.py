"""A file's animations in and out again: what nobody touched goes out as it came, what was is in its place."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from scipy.spatial.transform import Rotation as Turn

from lazzik.core.channel.channel import Channel
from lazzik.core.evaluate.transforms import transforms
from lazzik.core.formats.gltf import Gltf
from lazzik.core.formats.importer import import_files
from lazzik.core.scene.edits.base import applied
from lazzik.core.scene.scene import Scene
from tests.conftest import edited
from tests.core.formats.gltf_player import Player
from tests.core.formats.vane import Builder, vane

Validate = Callable[[Path], dict[str, Any]]


def plain_vane() -> Builder:
    """The vane without extensions that may count its arrays, its second animation with a step and a third behind it."""
    b = vane()
    b.content["extensionsUsed"] = ["KHR_lights_punctual", "KHR_materials_clearcoat"]
    del b.content["extensions"]["EXT_made_up"]
    del b.content["nodes"][3]["extensions"]
    seconds = b.array([0.0, 0.5], "SCALAR", min=[0], max=[0.5])
    jump = b.array([[0, 0, 0], [0, 1, 0]], "VEC3")
    b.content["animations"].append(
        {"name": "Hop", "samplers": [{"input": seconds, "output": jump, "interpolation": "STEP"}],
         "channels": [{"sampler": 0, "target": {"node": 0, "path": "translation"}}]}
    )  # fmt: skip
    return b


def brought(b: Builder) -> Scene:
    empty = Scene(name="Workshop", fps=30, first=10, last=100)
    return applied(empty, [import_files(empty, {"vane.glb": b.packed()}).edit])


def played(player: Player) -> list[tuple[str, list[tuple[str, str, str, bytes]]]]:
    """Every animation: its name, and of each channel what it moves, how, and its numbers."""
    out = []
    for animation in player.json.get("animations", []):
        rows = []
        for channel in animation["channels"]:
            sampler, target = animation["samplers"][channel["sampler"]], channel["target"]
            numbers = player.array(sampler["input"]).tobytes() + player.array(sampler["output"]).tobytes()
            name = player.json["nodes"][target["node"]]["name"]
            rows.append((name, target["path"], sampler.get("interpolation", "LINEAR"), numbers))
        out.append((animation.get("name", ""), rows))
    return out


def test_untouched_animations_go_out_as_they_came() -> None:
    file = plain_vane().packed()
    scene = brought(plain_vane())
    before, after = Player(file), Player(Gltf().write(scene))
    assert played(after) == played(before)
    assert [name for name, _ in played(after)] == ["Gusts", "Calm", "Hop"]
    assert len(after.blob) == len(before.blob)


def test_what_is_new_goes_into_the_animation_that_became_keys(tmp_path: Path, validate: Validate) -> None:
    scene = edited(
        brought(plain_vane()),
        {"do": "add-layer", "address": "mast/rotation.y", "kind": "noise"},
        {"do": "add-layer", "address": "tip/position.x", "kind": "wave"},
        {"do": "add-object", "label": "Flag", "shape": {"kind": "box"}},
        {"do": "add-layer", "address": "flag/position.y", "kind": "wave"},
    )
    content = Gltf().write(scene)
    before, after = played(Player(plain_vane().packed())), played(Player(content))
    assert [name for name, _ in after] == ["Gusts", "Calm", "Hop"]
    assert after[1:] == before[1:]
    assert after[0][1][:3] == before[0][1], "the file's own channels stand first, as they were"
    assert [row[:2] for row in after[0][1][3:]] == [
        ("Mast", "rotation"),
        ("Tip", "translation"),
        ("Flag", "translation"),
    ]
    file = tmp_path / "vane.glb"
    file.write_bytes(content)
    report = validate(file)
    assert (report["numErrors"], report["numWarnings"]) == (0, 0), report["messages"]


def test_what_was_changed_takes_the_place_and_its_old_arrays_go(tmp_path: Path, validate: Validate) -> None:
    scene = edited(brought(plain_vane()), {"do": "add-layer", "address": "bone/position.y", "kind": "noise"})
    content = Gltf().write(scene)
    player, old = Player(content), Player(plain_vane().packed())
    before, after = played(old), played(player)
    assert [name for name, _ in after] == ["Gusts", "Calm", "Hop"]
    assert after[1:] == before[1:]
    assert [row for row in after[0][1] if row[0] != "Bone"] == [row for row in before[0][1] if row[0] != "Bone"]
    assert [row[:2] for row in after[0][1]] == [("Arrow", "rotation"), ("Arrow", "weights"), ("Bone", "translation")]
    rising = np.array([[0, 0, 0], [1, 2, 0], [0, 6, 0], [0, 0, 0], [1, 3, 2], [0, 0, 0]], "<f4").tobytes()
    assert rising in old.blob
    assert rising not in player.blob
    assert len(player.json["accessors"]) == len(old.json["accessors"])  # two went, two came
    texture = player.json["images"][0]["bufferView"]
    view = player.json["bufferViews"][texture]
    assert player.blob[view["byteOffset"] : view["byteOffset"] + 8] == b"\x89PNG\r\n\x1a\n"
    file = tmp_path / "vane.glb"
    file.write_bytes(content)
    report = validate(file)
    assert (report["numErrors"], report["numWarnings"]) == (0, 0), report["messages"]


def test_arrays_that_an_unknown_extension_may_count_stay() -> None:
    scene = edited(brought(vane()), {"do": "add-layer", "address": "bone/position.y", "kind": "noise"})
    player, old = Player(Gltf().write(scene)), Player(vane().packed())
    assert player.json["accessors"][: len(old.json["accessors"])] == old.json["accessors"]
    assert [name for name, _ in played(player)] == ["Gusts", "Calm"]


def turning_file(seconds: Any, values: Any, way: str) -> bytes:
    b = Builder()
    times = b.array(seconds, "SCALAR", min=[float(seconds[0])], max=[float(seconds[-1])])
    output = b.array(values, "VEC4")
    sampler = {"input": times, "output": output, "interpolation": way}
    b.content |= {
        "scenes": [{"nodes": [0]}], "nodes": [{"name": "Spin"}],
        "animations": [{"name": "Turn", "samplers": [sampler],
                        "channels": [{"sampler": 0, "target": {"node": 0, "path": "rotation"}}]}],
    }  # fmt: skip
    return b.packed()


def off_by(file: bytes, last: float) -> float:
    """Degrees by which what was read differs from what the file says, at every sixteenth of a frame."""
    empty = Scene(name="Spin", fps=30, first=0, last=100)
    scene = applied(empty, [import_files(empty, {"spin.glb": file}).edit])
    player = Player(file)
    sampler = player.channel("Spin", "rotation")
    assert sampler is not None
    frames = np.arange(0, last, 1 / 16)
    true = Turn.from_quat(player.play(sampler, frames / 30, True))
    read = Turn.from_quat(transforms(scene.nodes[0], scene.clock().at(frames)).orientation)
    assert isinstance(scene.nodes[0].rotation.z, Channel)
    return float(np.degrees((read * true.inv()).magnitude()).max())


@pytest.mark.parametrize("frames", [40.0, 40.1, 37.9, 12.3])
def test_cubic_turning_is_read_as_it_is(frames: float) -> None:
    """60° a second, as a cubic spline: its keys lie off the quarter frames."""
    seconds = np.linspace(0, frames / 30, 5).astype("<f4")
    q = Turn.from_euler("z", 60.0 * seconds[:, None], degrees=True).as_quat()
    slopes = np.gradient(q, seconds, axis=0)
    rows = np.stack([slopes, q, slopes], 1).reshape(-1, 4)
    assert off_by(turning_file(seconds, rows, "CUBICSPLINE"), frames) <= 0.03


@pytest.mark.parametrize("seed", range(8))
def test_straight_turning_near_the_pole_is_read_as_it_is(seed: int) -> None:
    rng = np.random.default_rng(seed)
    angles = np.stack([rng.uniform(-180, 180, 7), 90 + rng.normal(0, 2, 7), rng.uniform(-180, 180, 7)], 1)
    seconds = np.cumsum(rng.uniform(0.1, 0.6, 7)).astype("<f4")
    seconds -= seconds[0]
    q = Turn.from_euler("XYZ", angles, degrees=True).as_quat()
    assert off_by(turning_file(seconds, q, "LINEAR"), float(seconds[-1]) * 30) <= 0.03


def test_a_shear_is_told() -> None:
    b = vane()
    b.content["nodes"][2]["matrix"] = [1, 0, 0, 0, 0.5, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1]
    notes = import_files(Scene(name="S"), {"vane.glb": b.packed()}).notes
    assert any("shears, which no turn and size can say (1)" in note for note in notes)
    assert not any("shear" in note for note in import_files(Scene(name="S"), {"vane.glb": vane().packed()}).notes)
