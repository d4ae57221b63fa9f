"""Writing back into a file that was brought in: what is ours takes its place in it, all else stays as it was.

The file's lists are added to, never reordered, so that every number by which one part refers to another, in extensions
that nobody here knows too, goes on meaning the same. Its buffer comes first, ours after it.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from lazzik.core.channel.channel import Channel
from lazzik.core.evaluate.shapes import shapes_over_time
from lazzik.core.formats.gltf_concatenate import FIRST, concatenate, renumbered
from lazzik.core.formats.gltf_file import GltfFile, open_gltf
from lazzik.core.formats.gltf_parts import Form, Paint, with_changes
from lazzik.core.formats.gltf_read import read_again
from lazzik.core.scene.node import Look, Node, channels_of
from lazzik.core.scene.scene import Scene

ALIGNED = 8
TRANSFORM = ("translation", "rotation", "scale")
LIGHTS = "KHR_lights_punctual"
POINTER = "KHR_animation_pointer"
COUNTING_NONE = {
    LIGHTS,
    POINTER,
    "KHR_texture_transform",
    "KHR_mesh_quantization",
    "KHR_texture_basisu",
    "KHR_xmp_json_ld",
}
"""Extensions that refer to no accessor and no buffer view (those of materials do not either)."""


@dataclass(frozen=True)
class Keep:
    """What of an object is as the file has it."""

    index: int
    """Its node in the file."""
    place: bool
    camera: bool
    light: bool
    label: bool
    same: frozenset[str]
    """Parts of the transform that the file's first animation moves as they still move: they are left to it."""
    moved: frozenset[str]
    """Parts of it that the file's first animation moves, and whose motion is ours now."""


def kept_file(scene: Scene) -> tuple[GltfFile | None, dict[str, Keep], dict[str, Form]]:
    """The files that objects of the scene came from as one (None if there are none), what of the objects is as it was,
    and which have a shape of the file's. A copy of an object has a place of its own, and may have its shape."""
    names = list(dict.fromkeys(node.origin.asset for node in scene.nodes if node.origin))
    if not names:
        return None, {}, {}
    file, starts = concatenate([open_gltf(scene.assets.content(name), name) for name in names])
    was = {name: read_again(scene.assets, name, scene.fps, scene.first) for name in names}
    keeps: dict[str, Keep] = {}
    forms: dict[str, Form] = {}
    claimed: set[int] = set()
    for node in scene.nodes:
        if node.origin is None:
            continue
        place = starts[names.index(node.origin.asset)] + node.origin.index
        before = was[node.origin.asset].get(node.origin.index)
        if before is None:
            continue
        row = file.rows("nodes")[place]
        if "mesh" in row and node.visible and node.shape == before.shape and not (place in claimed and "skin" in row):
            forms[node.id] = _form(scene, node, before, row["mesh"])
        if place not in claimed:
            claimed.add(place)
            keeps[node.id] = _keep(node, before, place)
    return file, keeps, forms


def _form(scene: Scene, node: Node, before: Node, mesh: int) -> Form:
    other = {name for name in Look.model_fields if getattr(node.look, name, None) != getattr(before.look, name, None)}
    return Form(mesh, node.shape is not None and shapes_over_time(scene, node), frozenset(other))


def _keep(node: Node, before: Node, index: int) -> Keep:
    parts = {"translation": "position", "rotation": "rotation", "scale": "scale"}
    animated = {
        path
        for path, part in parts.items()
        if any(isinstance(number, Channel) for _, number, _ in channels_of(getattr(before, part)))
    }
    aims = {"rotation"} if node.aim is not None else set()
    same = {path for path in animated - aims if getattr(node, parts[path]) == getattr(before, parts[path])}
    return Keep(
        index,
        (node.position, node.rotation, node.scale, node.aim) == (before.position, before.rotation, before.scale, None),
        node.camera == before.camera,
        node.visible and node.light == before.light,
        node.label == before.label,
        frozenset(same),
        frozenset(animated - same),
    )


SHIFTED = ("accessors", "bufferViews", "meshes", "materials", "cameras", "images", "samplers", "textures")
"""Rows of ours that stand behind the file's."""


def merged(
    file: GltfFile,
    keeps: dict[str, Keep],
    forms: dict[str, Form],
    ids: list[str],
    ours: dict[str, Any],
    blob: bytes,
    paints: dict[str, Paint],
) -> tuple[dict[str, Any], bytes]:
    """The file with the scene in it. `ours` is the scene as a glTF of its own, whose nodes are called `ids`; of shapes
    that are the file's it holds only what is new."""
    out = {name: list(value) if isinstance(value, list) else value for name, value in file.content.items()}
    shift = {name: len(file.rows(name)) for name in SHIFTED}
    lights = _lights(out)
    used_before = _used(file.content)
    start = len(file.blob) + -len(file.blob) % ALIGNED if blob else len(file.blob)
    _append(out, ours, shift, start)
    whole = file.blob + b"\0" * (start - len(file.blob)) + blob
    fresh = iter(range(len(file.rows("nodes")), len(file.rows("nodes")) + len(ids)))
    places = [keeps[name].index if name in keeps else next(fresh) for name in ids]
    nodes = out.setdefault("nodes", [])
    nodes.extend({} for _ in range(max(places, default=-1) + 1 - len(nodes)))
    lost: set[int] = set()
    for place, name, node in zip(places, ids, ours["nodes"], strict=True):
        nodes[place] = _node(dict(nodes[place]), node, keeps.get(name), places, shift, lights)
        mesh = None if node.get("mesh") is None else node["mesh"] + shift["meshes"]
        if not _mesh(out, whole, nodes[place], mesh, forms.get(name), paints.get(name)):
            lost.add(place)
    _roots(out, [places[i] for i in ours["scenes"][0].get("nodes", [])])
    _animations(out, ours, keeps, places, shift | {"lights": lights}, lost)
    own_lights = ours.get("extensions", {}).get(LIGHTS, {}).get("lights", [])
    if own_lights:
        extensions = dict(out.get("extensions", {}))
        extensions[LIGHTS] = {**extensions.get(LIGHTS, {}), "lights": [*_lights_of(out), *own_lights]}
        out["extensions"] = extensions
    used = [*out.get("extensionsUsed", []), *ours.get("extensionsUsed", [])]
    if used:
        out["extensionsUsed"] = list(dict.fromkeys(used))
    whole = _without_replaced(out, whole, used_before - _used(out))
    if whole:
        out["buffers"] = [{**(file.rows("buffers") or [{}])[0], "byteLength": len(whole)}]
    return out, whole


def _lights_of(content: dict[str, Any]) -> list[Any]:
    found = content.get("extensions", {}).get(LIGHTS, {}).get("lights", [])
    return found if isinstance(found, list) else []


def _lights(content: dict[str, Any]) -> int:
    return len(_lights_of(content))


def _append(out: dict[str, Any], ours: dict[str, Any], shift: dict[str, int], start: int) -> None:
    """Put our parts behind the file's, with the numbers by which they refer to each other moved along."""
    views = [view | {"byteOffset": view.get("byteOffset", 0) + start} for view in ours.get("bufferViews", [])]
    accessors = [a | {"bufferView": a["bufferView"] + shift["bufferViews"]} for a in ours.get("accessors", [])]
    meshes = []
    for mesh in ours.get("meshes", []):
        parts = []
        for part in mesh["primitives"]:
            moved = part | {"attributes": _moved(part["attributes"], shift["accessors"])}
            for name, kind in (("indices", "accessors"), ("material", "materials")):
                if part.get(name) is not None:
                    moved[name] = part[name] + shift[kind]
            if part.get("targets"):
                moved["targets"] = [_moved(target, shift["accessors"]) for target in part["targets"]]
            parts.append(moved)
        meshes.append(mesh | {"primitives": parts})
    images = [row | {"bufferView": row["bufferView"] + shift["bufferViews"]} for row in ours.get("images", [])]
    textures = [
        row | {"source": row["source"] + shift["images"], "sampler": row["sampler"] + shift["samplers"]}
        for row in ours.get("textures", [])
    ]
    materials = [_repictured(row, shift["textures"]) for row in ours.get("materials", [])]
    for name, more in (
        ("bufferViews", views), ("accessors", accessors), ("meshes", meshes), ("materials", materials),
        ("cameras", ours.get("cameras", [])), ("images", images), ("samplers", ours.get("samplers", [])),
        ("textures", textures),
    ):  # fmt: skip
        if more:
            out[name] = [*out.get(name, []), *more]


def _repictured(material: dict[str, Any], by: int) -> dict[str, Any]:
    """One of our materials, its textures with other numbers."""
    out = dict(material)
    if "emissiveTexture" in out:
        out["emissiveTexture"] = out["emissiveTexture"] | {"index": out["emissiveTexture"]["index"] + by}
    surface = out.get("pbrMetallicRoughness", {})
    if "baseColorTexture" in surface:
        texture = surface["baseColorTexture"]
        out["pbrMetallicRoughness"] = surface | {"baseColorTexture": texture | {"index": texture["index"] + by}}
    return out


def _moved(attributes: dict[str, int], by: int) -> dict[str, int]:
    return {name: place + by for name, place in attributes.items() if place is not None}


def _node(
    node: dict[str, Any], own: dict[str, Any], keep: Keep | None, places: list[int], shift: dict[str, int], lights: int
) -> dict[str, Any]:
    """One of the file's nodes (or an empty one), as the scene has it now."""
    if keep is None:
        node = {"name": own.get("name")}
    elif not keep.label:
        node["name"] = own.get("name")
    if keep is None or not keep.place:
        node.pop("matrix", None)
        node |= {path: own[path] for path in TRANSFORM if path in own}
    if keep is None or not keep.camera:
        node.pop("camera", None)
        if own.get("camera") is not None:
            node["camera"] = own["camera"] + shift["cameras"]
    if keep is None or not keep.light:
        extensions = {name: value for name, value in node.get("extensions", {}).items() if name != LIGHTS}
        light = own.get("extensions", {}).get(LIGHTS, {}).get("light")
        if light is not None:
            extensions[LIGHTS] = {"light": light + lights}
        node.pop("extensions", None)
        if extensions:
            node["extensions"] = extensions
    children = [places[i] for i in own.get("children", [])]
    before = [child for child in node.get("children", []) if child in children]
    node.pop("children", None)
    if children:
        node["children"] = [*before, *(child for child in children if child not in before)]
    return node


def _mesh(
    out: dict[str, Any], blob: bytes, node: dict[str, Any], ours: int | None, form: Form | None, paint: Paint | None
) -> bool:
    """Give one of the nodes its mesh: the file's, the file's with what is new in it, or ours. Whether weights of morph
    targets that the file has for it still mean something."""
    if form is None:
        for name in ("mesh", "skin", "weights"):  # a surface that is ours moves by its own targets
            node.pop(name, None)
        if ours is not None:
            node["mesh"] = ours
        return False
    node["mesh"] = form.mesh
    if not form.changed:
        return True
    new = with_changes(out, blob, form, None if ours is None else out["meshes"][ours], paint)
    if ours is None:
        out["meshes"].append(new)
        node["mesh"] = len(out["meshes"]) - 1
        return True
    node["mesh"], moving = ours, "targets" in out["meshes"][ours]["primitives"][0]
    out["meshes"][ours] = new
    if moving:
        node.pop("weights", None)
    return not moving


def _roots(out: dict[str, Any], roots: list[int]) -> None:
    """The file's own scene, with what lies at the top now."""
    scenes = [dict(scene) for scene in out.get("scenes", [])] or [{}]
    chosen = out.get("scene", 0)
    before = [place for place in scenes[chosen].get("nodes", []) if place in roots]
    scenes[chosen]["nodes"] = [*before, *(place for place in roots if place not in before)]
    out["scenes"] = scenes
    out.setdefault("scene", chosen)


def _animations(
    out: dict[str, Any],
    ours: dict[str, Any],
    keeps: dict[str, Keep],
    places: list[int],
    shift: dict[str, int],
    lost: set[int],
) -> None:
    """The file's animations in their number and order, each without what is ours now; our own tracks go into the one
    that became keys, or are one of their own where the file has none. Weights of nodes whose morph targets are `lost`
    go, and an animation of which nothing is left."""
    by_place = {keep.index: keep for keep in keeps.values()}
    animations = []
    for animation in out.get("animations", []):
        first = animation.get(FIRST, False)
        left = []
        for channel in animation.get("channels", []):
            node, path = channel.get("target", {}).get("node"), channel.get("target", {}).get("path")
            keep = by_place.get(node)
            ours_now = first and keep is not None and path in keep.moved
            if not ours_now and not (path == "weights" and node in lost):
                left.append(channel)
        animations.append(_with_used_samplers({**animation, "channels": left}))
    for animation in ours.get("animations", []):
        channels = [
            channel | {"target": _target(channel["target"], places, shift)} for channel in animation["channels"]
        ]
        by = shift["accessors"]
        samplers = [s | {"input": s["input"] + by, "output": s["output"] + by} for s in animation["samplers"]]
        host = next((item for item in animations if item.get(FIRST)), None)
        if host is None:
            animations.append(animation | {"channels": channels, "samplers": samplers})
            continue
        start = len(host.get("samplers", []))
        host["samplers"] = [*host.get("samplers", []), *samplers]
        host["channels"] = [*host["channels"], *(c | {"sampler": c["sampler"] + start} for c in channels)]
    out.pop("animations", None)
    kept = [{k: v for k, v in item.items() if k != FIRST} for item in animations if item.get("channels")]
    if kept:
        out["animations"] = kept


def _with_used_samplers(animation: dict[str, Any]) -> dict[str, Any]:
    """An animation without the samplers that no channel of it asks for any more."""
    used = sorted({channel["sampler"] for channel in animation["channels"]})
    number = {old: new for new, old in enumerate(used)}
    return animation | {
        "samplers": [animation["samplers"][old] for old in used],
        "channels": [channel | {"sampler": number[channel["sampler"]]} for channel in animation["channels"]],
    }


def _target(target: dict[str, Any], places: list[int], shift: dict[str, int]) -> dict[str, Any]:
    """What one of our channels moves, by the numbers of the whole."""
    if target.get("node") is not None:
        return target | {"node": places[target["node"]]}
    way = target["extensions"][POINTER]["pointer"].split("/")
    for name in ("materials", "cameras", "lights"):
        if name in way:
            at = way.index(name) + 1
            way[at] = str(int(way[at]) + shift[name])
    return target | {"extensions": {POINTER: {"pointer": "/".join(way)}}}


def _used(content: dict[str, Any]) -> set[int]:
    """The accessors that the standard's own parts ask for."""
    found: set[Any] = set()
    for mesh in content.get("meshes", []):
        for part in mesh.get("primitives", []):
            found |= {part.get("indices"), *part.get("attributes", {}).values()}
            found |= {place for target in part.get("targets", []) for place in target.values()}
    found |= {skin.get("inverseBindMatrices") for skin in content.get("skins", [])}
    for animation in content.get("animations", []):
        found |= {place for sampler in animation.get("samplers", []) for place in (sampler["input"], sampler["output"])}
    return found - {None}


def _without_replaced(out: dict[str, Any], blob: bytes, gone: set[int]) -> bytes:
    """Take out the accessors that ours replaced, with the bytes that only they used. A file with extensions that may
    count accessors in a way that nobody here knows keeps them."""
    known = all(name in COUNTING_NONE or name.startswith("KHR_materials_") for name in out.get("extensionsUsed", []))
    if not gone or not known:
        return blob
    views = out.get("bufferViews", [])
    left = [row for place, row in enumerate(out["accessors"]) if place not in gone]
    number = {old: new for new, old in enumerate(p for p in range(len(out["accessors"])) if p not in gone)}
    asked = {row[key] for row in (*left, *out.get("images", [])) for key in ("bufferView",) if key in row}
    for row in left:
        asked |= {row["sparse"][part]["bufferView"] for part in ("indices", "values") if "sparse" in row}
    kept = [place for place in range(len(views)) if place in asked]
    view = {old: new for new, old in enumerate(kept)}
    packed, rows = bytearray(), []
    for place in kept:
        row = dict(views[place])
        start = row.get("byteOffset", 0)
        packed += b"\0" * (-len(packed) % ALIGNED)
        rows.append(row | {"byteOffset": len(packed)})
        packed += blob[start : start + row["byteLength"]]

    def moved(name: str, value: Any) -> Any:
        numbers = {"accessors": number, "bufferViews": view}.get(name)
        return numbers.get(value, value) if numbers else value

    for name in ("accessors", "images", "meshes", "skins", "animations"):
        if out.get(name):
            out[name] = [renumbered(name, row, moved) for row in (left if name == "accessors" else out[name])]
    out["bufferViews"] = rows
    return bytes(packed)
