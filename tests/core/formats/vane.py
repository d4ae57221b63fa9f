"""Files built by hand, so that what is read was not written by the program that reads it."""

from __future__ import annotations

import io
from typing import Any

import numpy as np
import trimesh
from PIL import Image
from scipy.spatial.transform import Rotation

from lazzik.core.formats.gltf_file import glb_of
from lazzik.core.formats.importer import import_files
from lazzik.core.scene.edits.base import applied
from lazzik.core.scene.scene import Scene


def png() -> bytes:
    out = io.BytesIO()
    Image.new("RGB", (8, 8), (140, 90, 40)).save(out, "PNG")
    return out.getvalue()


PICTURE = png()


class Builder:
    """Builds a file by hand, so that what is read was not written by the program that reads it."""

    def __init__(self) -> None:
        self.blob = bytearray()
        self.content: dict[str, Any] = {"asset": {"version": "2.0", "copyright": "Ridge workshop"}, "scene": 0}
        self.views: list[dict[str, Any]] = []
        self.accessors: list[dict[str, Any]] = []

    def view(self, data: bytes, **more: Any) -> int:
        self.blob += b"\0" * (-len(self.blob) % 4)
        self.views.append({"buffer": 0, "byteOffset": len(self.blob), "byteLength": len(data)} | more)
        self.blob += data
        return len(self.views) - 1

    def array(self, values: Any, kind: str, code: int = 5126, **more: Any) -> int:
        dtype = {5126: "<f4", 5123: "<u2", 5121: "<u1"}[code]
        rows = np.asarray(values, dtype)
        limits = {}
        if kind == "VEC3" or "min" in more:
            flat = rows.reshape(len(rows), -1)
            limits = {"min": flat.min(axis=0).tolist(), "max": flat.max(axis=0).tolist()}
        view = self.view(rows.tobytes())
        self.accessors.append(
            {"bufferView": view, "componentType": code, "count": len(rows), "type": kind} | limits | more
        )
        return len(self.accessors) - 1

    def packed(self) -> bytes:
        return glb_of(self.finished(), bytes(self.blob))

    def finished(self) -> dict[str, Any]:
        return self.content | {
            "bufferViews": self.views, "accessors": self.accessors, "buffers": [{"byteLength": len(self.blob)}]
        }  # fmt: skip


TIMES = [0.0, 0.5, 1.0, 2.0]
TURNS = Rotation.from_euler("XYZ", [[0, 0, 0], [20, 50, -30], [80, -40, 60], [10, 100, 10]], degrees=True).as_quat()


def vane() -> Builder:
    """A weather vane: a textured mast with a skin and an extra, a turning arrow, a camera, a lamp and a spot light."""
    b = Builder()
    box = trimesh.creation.box((0.2, 2, 0.2))
    points = b.array(box.vertices, "VEC3")
    normals = b.array(box.vertex_normals, "VEC3")
    texture = b.array(np.linspace(0, 1, len(box.vertices) * 2).reshape(-1, 2), "VEC2")
    faces = b.array(box.faces.ravel(), "SCALAR", 5123)
    seconds = b.array(TIMES, "SCALAR", min=[0], max=[2])
    turning = b.array(TURNS, "VEC4")
    rising = b.array([[0, 0, 0], [1, 2, 0], [0, 6, 0], [0, 0, 0], [1, 3, 2], [0, 0, 0]], "VEC3")
    pair = b.array([0.0, 1.5], "SCALAR", min=[0], max=[1.5])
    weights = b.array([0.0, 0.5, 1.0, 0.25], "SCALAR")
    lift = b.array(np.tile([0, 0.1, 0], (len(box.vertices), 1)), "VEC3")
    bind = b.array(np.tile(np.eye(4).ravel(), (2, 1)), "MAT4")
    image = b.view(PICTURE)
    part = {
        "attributes": {"POSITION": points, "NORMAL": normals, "TEXCOORD_0": texture},
        "indices": faces,
        "material": 1,
    }
    b.content |= {
        "scenes": [{"name": "Vane", "nodes": [0, 4, 5], "extras": {"unit": "metre"}}],
        "nodes": [
            {"name": "Mast", "mesh": 0, "children": [1, 3], "translation": [1, 0, 0], "extras": {"serial": [7, "a"]}},
            {"name": "Arrow", "mesh": 1, "children": [2], "rotation": TURNS[0].tolist()},
            {"name": "Tip", "matrix": [0, 2, 0, 0, -2, 0, 0, 0, 0, 0, 2, 0, 3, 4, 5, 1]},
            {"name": "Bone", "extensions": {"EXT_made_up": {"node": 2, "deep": [1.5]}}},
            {"name": "Eye", "camera": 0, "translation": [0, 1, 6]},
            {"name": "Lantern", "extensions": {"KHR_lights_punctual": {"light": 0}}, "children": [6]},
            {"name": "Searchlight", "extensions": {"KHR_lights_punctual": {"light": 1}}},
        ],
        "meshes": [
            {"primitives": [part], "extras": {"made": "by hand"}},
            {"primitives": [part | {"targets": [{"POSITION": lift}], "material": 0}], "weights": [0.0]},
        ],
        "materials": [
            {"name": "Brass", "pbrMetallicRoughness": {"baseColorFactor": [0.8, 0.5, 0.1, 1], "roughnessFactor": 0.3}},
            {"name": "Enamel", "pbrMetallicRoughness": {"baseColorTexture": {"index": 0}}, "doubleSided": True,
             "extensions": {"KHR_materials_clearcoat": {"clearcoatFactor": 0.7}}, "extras": {"batch": 12}},
        ],
        "textures": [{"source": 0, "sampler": 0}],
        "samplers": [{"wrapS": 33071}],
        "images": [{"bufferView": image, "mimeType": "image/png", "name": "enamel"}],
        "skins": [{"joints": [1, 3], "inverseBindMatrices": bind, "skeleton": 0}],
        "cameras": [{"type": "perspective", "name": "Long", "perspective": {"yfov": 0.6, "znear": 0.1, "zfar": 90}}],
        "extensionsUsed": ["KHR_lights_punctual", "KHR_materials_clearcoat", "EXT_made_up"],
        "extensions": {
            "KHR_lights_punctual": {"lights": [
                {"type": "point", "intensity": 12, "color": [1, 0.5, 0.25], "range": 20},
                {"type": "spot", "intensity": 4, "spot": {"outerConeAngle": 0.4}},
            ]},
            "EXT_made_up": {"table": [[0, 1], [2]], "node": 3},
        },
        "animations": [
            {"name": "Gusts", "samplers": [
                {"input": seconds, "output": turning},
                {"input": pair, "output": rising, "interpolation": "CUBICSPLINE"},
                {"input": seconds, "output": weights}],
             "channels": [{"sampler": 0, "target": {"node": 1, "path": "rotation"}},
                          {"sampler": 1, "target": {"node": 3, "path": "translation"}},
                          {"sampler": 2, "target": {"node": 1, "path": "weights"}}]},
            {"name": "Calm", "samplers": [{"input": seconds, "output": turning, "interpolation": "STEP"}],
             "channels": [{"sampler": 0, "target": {"node": 1, "path": "rotation"}}]},
        ],
    }  # fmt: skip
    return b


def banner() -> Builder:
    """The vane with a mesh of two parts on it, one without normals, each of a material of its own."""
    b = vane()
    sheets = [trimesh.creation.box((0.5, height, 0.01)) for height in (1.0, 0.4)]
    parts = []
    for place, sheet in enumerate(sheets):
        attributes = {"POSITION": b.array(sheet.vertices + np.array([0, place, 0]), "VEC3")}
        attributes["TEXCOORD_0"] = b.array(sheet.vertices[:, :2], "VEC2")
        if place == 0:
            attributes["NORMAL"] = b.array(sheet.vertex_normals, "VEC3")
        faces = b.array(sheet.faces.ravel(), "SCALAR", 5123)
        parts.append({"attributes": attributes, "indices": faces, "material": 1 - place})
    b.content["meshes"].append({"name": "Cloth", "primitives": parts, "extras": {"thread": 3}})
    b.content["nodes"].append({"name": "Banner", "mesh": 2, "translation": [0, 3, 0]})
    b.content["scenes"][0]["nodes"].append(7)
    return b


def workshop() -> Scene:
    """A scene that holds the vane."""
    empty = Scene(name="Workshop", fps=30, first=10, last=100)
    return applied(empty, [import_files(empty, {"vane.glb": vane().packed()}).edit])
