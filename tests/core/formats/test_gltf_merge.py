"""What a glTF file holds that is not ours comes out again untouched, whatever was done to the scene beside it."""

from __future__ import annotations

import json
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from numpy.typing import NDArray

from lazzik.core.errors import InvalidAsset
from lazzik.core.evaluate.scope import Scope
from lazzik.core.evaluate.surface import surface_of
from lazzik.core.evaluate.transforms import world
from lazzik.core.formats.gltf import as_text, write_glb
from lazzik.core.formats.gltf_file import GltfFile, open_gltf
from lazzik.core.formats.importer import import_files
from lazzik.core.scene.edits.base import applied
from lazzik.core.scene.scene import Scene
from lazzik.core.scene.serialize import read_scene, scene_text
from tests.conftest import edited
from tests.core.formats.vane import PICTURE, banner, vane, workshop


@pytest.fixture(scope="module")
def scene() -> Scene:
    return workshop()


def parts_of(file: GltfFile) -> dict[str, Any]:
    """All that Lazzik does not model, and the bytes that it refers to."""
    content = file.content
    views = file.rows("bufferViews")

    def data(view: int) -> bytes:
        return file.blob[views[view]["byteOffset"] :][: views[view]["byteLength"]]

    kept = {name: content.get(name) for name in ("materials", "textures", "samplers", "skins", "asset", "cameras")}
    kept["images"] = [{k: v for k, v in image.items() if k != "bufferView"} for image in file.rows("images")]
    kept["pictures"] = [data(image["bufferView"]) for image in file.rows("images")]
    kept["meshes"] = content["meshes"][:2]
    kept["arrays"] = [data(accessor["bufferView"]) for accessor in file.rows("accessors")[:11]]
    kept["accessors"] = [{k: v for k, v in a.items() if k != "bufferView"} for a in file.rows("accessors")[:11]]
    kept["extensions"] = content["extensions"]
    kept["extras"] = [node.get("extras") for node in file.rows("nodes")[:7]] + [content["scenes"][0]["extras"]]
    kept["made up"] = content["nodes"][3]["extensions"]
    kept["calm"] = next(a for a in file.rows("animations") if a.get("name") == "Calm")
    kept["weights"] = [c for c in content["animations"][0]["channels"] if c["target"]["path"] == "weights"]
    return kept


def test_what_is_not_ours_comes_out_again_byte_for_byte(scene: Scene) -> None:
    before, after = parts_of(open_gltf(vane().packed(), "a")), parts_of(open_gltf(write_glb(scene), "b"))
    for name, part in before.items():
        assert after[name] == part, name


def test_a_changed_scene_still_keeps_it_and_the_validator_is_content(
    scene: Scene, tmp_path: Path, validate: Callable[[Path], dict[str, Any]]
) -> None:
    changed = edited(
        scene,
        {"do": "set", "address": "mast/position.x", "value": 4},
        {"do": "add-layer", "address": "mast/rotation.z", "kind": "noise"},
        {"do": "change-object", "node": "tip", "label": "Point", "parent": "bone"},
        {"do": "add-object", "label": "Pebble", "shape": {"kind": "ball"}, "parent": "mast"},
        {"do": "add-object", "label": "Lamp", "light": {"kind": "lamp", "intensity": 3}},
        {"do": "remove-object", "node": "eye"},
    )
    out = open_gltf(write_glb(changed), "b")
    before, after = parts_of(open_gltf(vane().packed(), "a")), parts_of(out)
    after["materials"] = after["materials"][: len(before["materials"])]
    for name in set(before) - {"extensions"}:
        assert after[name] == before[name], name
    nodes = out.rows("nodes")
    assert nodes[0]["translation"] == [4, 0, 0]
    assert nodes[0]["children"] == [1, 3, 7]
    assert (nodes[2]["name"], nodes[3]["children"]) == ("Point", [2])
    assert "children" not in nodes[1]
    assert nodes[7]["name"] == "Pebble"
    assert out.content["scenes"][0]["nodes"] == [0, 5, 8]
    lights = out.content["extensions"]["KHR_lights_punctual"]["lights"]
    assert lights[nodes[8]["extensions"]["KHR_lights_punctual"]["light"]]["intensity"] == 3
    assert lights[:2] == before["extensions"]["KHR_lights_punctual"]["lights"]
    file = tmp_path / "changed.glb"
    file.write_bytes(write_glb(changed))
    report = validate(file)
    assert [m for m in report["messages"] if m["severity"] < 2 and "EXT_made_up" not in m["message"]] == []


def points_at(file: GltfFile, place: int, frame: int) -> NDArray[np.float64]:
    """(n, 3) the points of an object's mesh in a file at a frame, its parts in a row, by the standard's own rule."""
    mesh = file.rows("meshes")[file.rows("nodes")[place]["mesh"]]
    weights = np.array(mesh.get("weights", []))
    for animation in file.rows("animations"):
        for channel in animation["channels"]:
            if channel["target"] == {"node": place, "path": "weights"}:
                sampler = animation["samplers"][channel["sampler"]]
                seconds = file.array(sampler["input"], "a")[:, 0]
                rows = file.array(sampler["output"], "a").reshape(len(seconds), -1)
                weights = np.array([np.interp((frame - 10) / 30, seconds, column) for column in rows.T])
    points = []
    for part in mesh["primitives"]:
        own = file.array(part["attributes"]["POSITION"], "a").astype(np.float64)
        for weight, target in zip(weights, part.get("targets", []), strict=True):
            own += weight * file.array(target["POSITION"], "a")
        points.append(own)
    return np.concatenate(points)


def test_what_is_bent_or_repainted_keeps_its_parts_textures_and_materials(
    tmp_path: Path, validate: Callable[[Path], dict[str, Any]]
) -> None:
    empty = Scene(name="Workshop", fps=30, first=10, last=40)
    scene = applied(empty, [import_files(empty, {"banner.glb": banner().packed()}).edit])
    bend = {"do": "add-deformer", "kind": "bend"}
    changed = edited(
        scene,
        bend | {"node": "mast"}, {"do": "set", "address": "mast/deform.bend.angle", "value": 50},
        bend | {"node": "banner"}, {"do": "add-layer", "address": "banner/deform.bend.angle", "kind": "wave"},
        {"do": "set", "address": "arrow/look.color.r", "value": 0.1},
        {"do": "set", "address": "arrow/look.glow", "value": 2},
        {"do": "set", "address": "banner/look.roughness", "value": 0.25},
        {"do": "duplicate", "node": "mast", "count": 1, "move": [2, 0, 0]},
    )  # fmt: skip
    before, after = open_gltf(banner().packed(), "a"), open_gltf(write_glb(changed), "b")
    assert after.rows("meshes")[:3] == before.rows("meshes")
    assert after.rows("materials")[:2] == before.rows("materials")
    for name, place in (("mast", 0), ("banner", 7)):
        node = changed.by_id[name]
        motion = surface_of(changed, node, changed.clock(), Scope(changed))
        for index in (0, 11, 30):
            np.testing.assert_allclose(points_at(after, place, 10 + index), motion.points(index), atol=1.1e-3)
        file_parts = before.rows("meshes")[before.rows("nodes")[place]["mesh"]]["primitives"]
        parts = after.rows("meshes")[after.rows("nodes")[place]["mesh"]]["primitives"]
        for part, was in zip(parts, file_parts, strict=True):
            assert part["attributes"]["TEXCOORD_0"] == was["attributes"]["TEXCOORD_0"]
            assert part["indices"] == was["indices"]
            assert set(part["attributes"]) == set(was["attributes"])
            roughness = after.rows("materials")[part["material"]]["pbrMetallicRoughness"].get("roughnessFactor", 1)
            assert roughness == (0.25 if name == "banner" else before.rows("materials")[was["material"]]
                                 ["pbrMetallicRoughness"].get("roughnessFactor", 1))  # fmt: skip
    assert after.rows("meshes")[after.rows("nodes")[7]["mesh"]]["extras"] == {"thread": 3}
    arrow = after.rows("meshes")[after.rows("nodes")[1]["mesh"]]["primitives"][0]
    assert len(arrow["targets"]) == 1
    brass = after.rows("materials")[arrow["material"]]
    assert (brass["name"], brass["extensions"]) == (
        "Brass",
        {"KHR_materials_emissive_strength": {"emissiveStrength": 2}},
    )
    red = (0.1 + 0.055) / 1.055
    assert brass["pbrMetallicRoughness"]["baseColorFactor"][0] == pytest.approx(red**2.4, abs=1e-5)
    assert [c["target"]["node"] for a in after.rows("animations") for c in a["channels"]
            if c["target"]["path"] == "weights"] == [1, 7]  # fmt: skip
    copy = next(n for n in after.rows("nodes")[8:] if n["name"].startswith("Mast"))
    assert "TEXCOORD_0" in after.rows("meshes")[copy["mesh"]]["primitives"][0]["attributes"]
    file = tmp_path / "banner.glb"
    file.write_bytes(write_glb(changed))
    report = validate(file)
    assert [m for m in report["messages"] if m["severity"] < 2 and "EXT_made_up" not in m["message"]] == []
    assert write_glb(changed, animated=False)[:4] == b"glTF"


def test_an_object_with_another_shape_has_a_mesh_of_ours_and_weights_of_lost_targets_go(
    scene: Scene, tmp_path: Path, validate: Callable[[Path], dict[str, Any]]
) -> None:
    moved = edited(scene, {"do": "add-deformer", "node": "arrow", "kind": "bend"},
                   {"do": "add-layer", "address": "arrow/deform.bend.angle", "kind": "wave"})  # fmt: skip
    hidden = edited(scene, {"do": "change-object", "node": "arrow", "visible": False})
    for changed, kept in ((moved, True), (hidden, False)):
        out = open_gltf(write_glb(changed), "b")
        assert ("mesh" in out.rows("nodes")[1]) == kept
        ours = [c for a in out.rows("animations") for c in a["channels"] if c["target"]["path"] == "weights"]
        assert len(ours) == kept
        file = tmp_path / "changed.glb"
        file.write_bytes(write_glb(changed))
        report = validate(file)
        assert [m for m in report["messages"] if m["severity"] < 2 and "EXT_made_up" not in m["message"]] == []


def test_the_file_travels_with_the_scene(scene: Scene) -> None:
    again = read_scene(scene_text(scene))
    assert again == scene
    assert write_glb(again) == write_glb(scene)
    twice = applied(scene, [import_files(scene, {"vane.glb": vane().packed()}).edit])
    assert len(twice.nodes) == 14
    assert {node.id for node in twice.nodes} >= {"mast", "mast-2", "arrow-2"}
    assert twice.by_id["arrow-2"].parent == "mast-2"
    assert len(open_gltf(write_glb(twice), "b").rows("nodes")) == 14


def test_two_files_both_keep_what_is_not_ours(
    scene: Scene, demo: Scene, tmp_path: Path, validate: Callable[[Path], dict[str, Any]]
) -> None:
    bare = edited(demo, {"do": "remove-object", "node": "grass"})
    other = edited(bare, {"do": "change-scene", "last": 3}).replaced(name="Other")
    both = applied(Scene(name="Both", fps=30, first=10, last=100), [])
    both = applied(both, [import_files(both, {"other.glb": write_glb(other)}).edit])
    both = applied(both, [import_files(both, {"vane.glb": vane().packed()}).edit])
    out = open_gltf(write_glb(both), "b")
    start = len(bare.nodes)
    mast = out.rows("nodes")[start]
    assert (mast["name"], mast["extras"]) == ("Mast", {"serial": [7, "a"]})
    material = out.rows("materials")[out.rows("meshes")[mast["mesh"]]["primitives"][0]["material"]]
    texture = out.rows("textures")[material["pbrMetallicRoughness"]["baseColorTexture"]["index"]]
    view = out.rows("bufferViews")[out.rows("images")[texture["source"]]["bufferView"]]
    assert out.blob[view["byteOffset"] :][: view["byteLength"]] == PICTURE
    assert material["extensions"] == {"KHR_materials_clearcoat": {"clearcoatFactor": 0.7}}
    assert out.rows("skins")[0]["joints"] == [start + 1, start + 3]
    mesh = both.by_id["mast-2"].shape.mesh(both.assets)  # type: ignore[union-attr]
    position = out.rows("meshes")[mast["mesh"]]["primitives"][0]["attributes"]["POSITION"]
    np.testing.assert_allclose(out.array(position, "Mast"), mesh.points, atol=1e-6)
    lights = out.content["extensions"]["KHR_lights_punctual"]["lights"]
    spot = out.rows("nodes")[start + 6]["extensions"]["KHR_lights_punctual"]["light"]
    assert lights[spot]["type"] == "spot"
    file = tmp_path / "both.glb"
    file.write_bytes(write_glb(both))
    report = validate(file)
    assert [m for m in report["messages"] if m["severity"] < 2 and "EXT_made_up" not in m["message"]] == []


def test_text_with_its_files_beside_it_is_the_same(scene: Scene) -> None:
    b = vane()
    content = b.finished()
    content["buffers"][0]["uri"] = "vane%20data.bin"
    content["images"] = [{"uri": "enamel.png", "name": "enamel"}]
    text = json.dumps(content).encode()
    files = {"vane.gltf": text, "vane data.bin": bytes(b.blob), "enamel.png": PICTURE}
    empty = Scene(name="Workshop", fps=30, first=10, last=100)
    beside = applied(empty, [import_files(empty, files).edit])
    assert [(n.id, n.parent, n.shape, n.look, n.position) for n in beside.nodes] == [
        (n.id, n.parent, n.shape, n.look, n.position) for n in scene.nodes
    ]
    out = parts_of(open_gltf(write_glb(beside), "b"))
    assert out["pictures"] == [PICTURE]
    with pytest.raises(InvalidAsset, match=r"'vane%20data\.bin'|'vane data\.bin', which was not sent along"):
        import_files(empty, {"vane.gltf": text})
    inside = as_text(b.packed())
    assert applied(empty, [import_files(empty, {"vane.gltf": inside}).edit]).nodes[0].shape == scene.nodes[0].shape


def test_the_demo_comes_back_as_it_was_delivered(demo: Scene) -> None:
    short = edited(demo, {"do": "change-scene", "last": 20}, {"do": "remove-object", "node": "grass"})
    empty = Scene(name="Back", fps=30, first=0, last=20)
    back = applied(empty, [import_files(empty, {"demo.glb": write_glb(short)}).edit])
    assert [node.label for node in back.nodes] == [node.label for node in _by_tree(short)]
    clock = short.clock()
    for node, was in zip(back.nodes, _by_tree(short), strict=True):
        np.testing.assert_allclose(world(back, node, clock), world(short, was, clock, Scope(short)), atol=8e-3)


def _by_tree(scene: Scene) -> list[Any]:
    out, ahead = [], list(scene.below.get(None, ()))
    while ahead:
        node = ahead.pop(0)
        out.append(node)
        ahead = [*scene.below.get(node.id, ()), *ahead]
    return out
