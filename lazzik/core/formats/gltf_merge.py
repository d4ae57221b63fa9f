"""Writing back into a file that was brought in: what is ours takes its place in it, all else stays as it was.

The file's lists are added to, never reordered, so that every number by which one part refers to another, in extensions
that nobody here knows too, goes on meaning the same. Its buffer comes first, ours after it.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from lazzik.core.channel.channel import Channel
from lazzik.core.evaluate.shapes import shapes_over_time
from lazzik.core.formats.gltf_file import GltfFile, open_gltf
from lazzik.core.formats.gltf_join import FIRST, joined
from lazzik.core.formats.gltf_parts import Form, Paint, with_changes
from lazzik.core.formats.gltf_read import read_again
from lazzik.core.geometry.assets import asset
from lazzik.core.scene.node import Look, Node, channels_of
from lazzik.core.scene.scene import Scene

ALIGNED = 8
TRANSFORM = ("translation", "rotation", "scale")
LIGHTS = "KHR_lights_punctual"


@dataclass(frozen=True)
class Keep:
    """What of an object is as the file has it."""

    index: int
    """Its node in the file."""
    place: bool
    camera: bool
    light: bool
    label: bool
    moved: frozenset[str]
    """Parts of the transform that the file's first animation moves, and whose motion is ours now."""


def kept_file(scene: Scene) -> tuple[GltfFile | None, dict[str, Keep], dict[str, Form]]:
    """The files that objects of the scene came from as one (None if there are none), what of the objects is as it was,
    and which have a shape of the file's. A copy of an object has a place of its own, and may have its shape."""
    names = list(dict.fromkeys(node.origin.asset for node in scene.nodes if node.origin))
    if not names:
        return None, {}, {}
    file, starts = joined([open_gltf(asset(name), name) for name in names])
    was = {name: read_again(name, scene.fps, scene.first) for name in names}
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
    parts = {"translation": before.position, "rotation": before.rotation, "scale": before.scale}
    return Keep(
        index,
        (node.position, node.rotation, node.scale) == (before.position, before.rotation, before.scale),
        node.camera == before.camera,
        node.visible and node.light == before.light,
        node.label == before.label,
        frozenset(
            path
            for path, part in parts.items()
            if any(isinstance(number, Channel) for _, number, _ in channels_of(part))
        ),
    )


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
    shift = {name: len(file.rows(name)) for name in ("accessors", "bufferViews", "meshes", "materials", "cameras")}
    lights = _lights(out)
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
    _animations(out, ours, keeps, places, shift["accessors"], lost)
    own_lights = ours.get("extensions", {}).get(LIGHTS, {}).get("lights", [])
    if own_lights:
        extensions = dict(out.get("extensions", {}))
        extensions[LIGHTS] = {**extensions.get(LIGHTS, {}), "lights": [*_lights_of(out), *own_lights]}
        out["extensions"] = extensions
    used = [*out.get("extensionsUsed", []), *ours.get("extensionsUsed", [])]
    if used:
        out["extensionsUsed"] = list(dict.fromkeys(used))
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
    for name, more in (
        ("bufferViews", views), ("accessors", accessors), ("meshes", meshes),
        ("materials", ours.get("materials", [])), ("cameras", ours.get("cameras", [])),
    ):  # fmt: skip
        if more:
            out[name] = [*out.get(name, []), *more]


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
    out: dict[str, Any], ours: dict[str, Any], keeps: dict[str, Keep], places: list[int], shift: int, lost: set[int]
) -> None:
    """The first animation of each file without what is ours now, the others as they are, and our own. Weights of nodes
    whose morph targets are `lost` go."""
    by_place = {keep.index: keep for keep in keeps.values()}
    animations = []
    for animation in out.get("animations", []):
        first = animation.pop(FIRST, False)
        left = []
        for channel in animation.get("channels", []):
            node, path = channel.get("target", {}).get("node"), channel.get("target", {}).get("path")
            keep = by_place.get(node)
            ours_now = first and keep is not None and path in keep.moved
            if not ours_now and not (path == "weights" and node in lost):
                left.append(channel)
        animation = {**animation, "channels": left}
        if animation.get("channels"):
            animations.append(animation)
    for animation in ours.get("animations", []):
        channels = [
            channel | {"target": channel["target"] | {"node": places[channel["target"]["node"]]}}
            for channel in animation["channels"]
        ]
        samplers = [s | {"input": s["input"] + shift, "output": s["output"] + shift} for s in animation["samplers"]]
        animations.append(animation | {"channels": channels, "samplers": samplers})
    out.pop("animations", None)
    if animations:
        out["animations"] = animations
