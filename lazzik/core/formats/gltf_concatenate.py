"""Several glTF files as one: the first stays as it is, the others follow with all that refers to a number moved along.

What refers by number is what the standard says does; an extension that nobody here knows, with numbers of its own, is
carried as it stands.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from lazzik.core.formats.gltf_file import GltfFile

LISTS = (
    "accessors", "animations", "bufferViews", "cameras", "images", "materials", "meshes", "nodes", "samplers", "skins",
    "textures",
)  # fmt: skip
FIRST = "lazzik:first"
"""Marks each file's first animation, the one whose motion became keys, until it is written."""

LIGHTS = "KHR_lights_punctual"
Moves = Callable[[str, Any], Any]
"""(list, number in the file) -> number in the whole."""


def concatenate(files: list[GltfFile]) -> tuple[GltfFile, list[int]]:
    """The files as one, and the number at which each one's nodes begin."""
    content: dict[str, Any] = {
        name: list(value) if isinstance(value, list) else value for name, value in files[0].content.items()
    }
    _mark(content)
    blob, starts = bytearray(files[0].blob), [0]
    for file in files[1:]:
        shift = {name: len(content.get(name, [])) for name in LISTS}
        lights = len(content.get("extensions", {}).get(LIGHTS, {}).get("lights", []))
        starts.append(shift["nodes"])
        blob += b"\0" * (-len(blob) % 8)
        more = dict(file.content)
        _mark(more)

        def moved(name: str, number: Any, shift: dict[str, int] = shift) -> Any:
            return number + shift[name] if isinstance(number, int) else number

        for name in LISTS:
            rows = [renumbered(name, row, moved, lights, len(blob)) for row in more.get(name, [])]
            if rows:
                content[name] = [*content.get(name, []), *rows]
        content["scenes"] = [
            *content.get("scenes", []),
            *(
                scene | {"nodes": [moved("nodes", n) for n in scene.get("nodes", [])]}
                for scene in more.get("scenes", [])
            ),
        ]
        extensions = dict(content.get("extensions", {}))
        for key, value in more.get("extensions", {}).items():
            if key == LIGHTS and key in extensions:
                extensions[key] = extensions[key] | {"lights": [*extensions[key].get("lights", []), *value["lights"]]}
            else:
                extensions.setdefault(key, value)
        if extensions:
            content["extensions"] = extensions
        used = [*content.get("extensionsUsed", []), *more.get("extensionsUsed", [])]
        if used:
            content["extensionsUsed"] = list(dict.fromkeys(used))
        blob += file.blob
    if blob:
        content["buffers"] = [{**(content.get("buffers") or [{}])[0], "byteLength": len(blob)}]
    return GltfFile(content, bytes(blob)), starts


def _mark(content: dict[str, Any]) -> None:
    if content.get("animations"):
        first, *others = content["animations"]
        content["animations"] = [first | {FIRST: True}, *others]


def renumbered(name: str, row: dict[str, Any], moved: Moves, lights: int = 0, start: int = 0) -> dict[str, Any]:
    """One entry of a list with its references moved along; bytes of the buffer by `start`, lights by so many."""
    match name:
        case "bufferViews":
            return row | {"byteOffset": row.get("byteOffset", 0) + start}
        case "accessors" | "images":
            return _with(row, moved, bufferView="bufferViews") | _sparse(row, moved)
        case "textures":
            return _with(row, moved, source="images", sampler="samplers")
        case "materials":
            return dict(_textures(row, moved))
        case "skins":
            own = _with(row, moved, inverseBindMatrices="accessors", skeleton="nodes")
            return own | {"joints": [moved("nodes", joint) for joint in row.get("joints", [])]}
        case "meshes":
            return row | {"primitives": [_part(part, moved) for part in row.get("primitives", [])]}
        case "nodes":
            own = _with(row, moved, mesh="meshes", camera="cameras", skin="skins")
            if "children" in row:
                own["children"] = [moved("nodes", child) for child in row["children"]]
            light = row.get("extensions", {}).get(LIGHTS)
            if light:
                own["extensions"] = own["extensions"] | {LIGHTS: light | {"light": light["light"] + lights}}
            return own
        case "animations":
            channels = [c | {"target": _with(c["target"], moved, node="nodes")} for c in row.get("channels", [])]
            samplers = [_with(s, moved, input="accessors", output="accessors") for s in row.get("samplers", [])]
            return row | {"channels": channels, "samplers": samplers}
    return row


def _with(row: dict[str, Any], moved: Moves, **fields: str) -> dict[str, Any]:
    return row | {field: moved(name, row[field]) for field, name in fields.items() if field in row}


def _sparse(row: dict[str, Any], moved: Moves) -> dict[str, Any]:
    sparse = row.get("sparse")
    if not isinstance(sparse, dict):
        return {}
    parts = {part: _with(sparse[part], moved, bufferView="bufferViews") for part in ("indices", "values")}
    return {"sparse": sparse | parts}


def _part(part: dict[str, Any], moved: Moves) -> dict[str, Any]:
    own = _with(part, moved, indices="accessors", material="materials")
    own["attributes"] = {key: moved("accessors", value) for key, value in part.get("attributes", {}).items()}
    if "targets" in part:
        own["targets"] = [{key: moved("accessors", v) for key, v in target.items()} for target in part["targets"]]
    return own


def _textures(value: Any, moved: Moves, key: str = "") -> Any:
    """Whatever is called '…Texture' names a texture by its index, in extensions too."""
    if isinstance(value, list):
        return [_textures(item, moved) for item in value]
    if not isinstance(value, dict):
        return value
    out = {name: _textures(item, moved, name) for name, item in value.items() if name != "extras"}
    if "extras" in value:
        out["extras"] = value["extras"]
    if key.endswith("Texture") and "index" in out:
        out["index"] = moved("textures", out["index"])
    return out
