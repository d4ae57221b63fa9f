"""Meshes that were brought in and are bent or repainted here: their parts stay as their file has them, with texture
coordinates, skin weights and materials, and have our points, morph targets and colours in them."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np

STRENGTH = "KHR_materials_emissive_strength"
ROW = 12
"""Bytes of one point."""


@dataclass(frozen=True)
class Form:
    """A shape that still is the one that a file has."""

    mesh: int
    """The file's mesh."""
    bent: bool
    """Whether something here moves its points."""
    repainted: frozenset[str]
    """What of its look is not as it was: color, glow, roughness."""

    @property
    def changed(self) -> bool:
        """Whether it needs a mesh of its own."""
        return self.bent or bool(self.repainted)


@dataclass(frozen=True)
class Paint:
    """A look at the first frame, its colour in linear light."""

    color: tuple[float, float, float]
    glow: float
    roughness: float


def with_changes(
    out: dict[str, Any], blob: bytes, form: Form, ours: dict[str, Any] | None, paint: Paint | None
) -> dict[str, Any]:
    """The file's mesh with what is ours in it: the points or morph targets of all its parts in a row, and the colours.

    `out` is the file with our arrays behind its own; what is new is added to it.
    """
    source = out["meshes"][form.mesh]
    own = ours["primitives"][0] if ours else {}
    parts, start = [], 0
    for part in source["primitives"]:
        count = out["accessors"][part["attributes"]["POSITION"]]["count"]
        attributes = dict(part["attributes"])
        rows = {name: _rows(out, blob, place, start, count) for name, place in own.get("attributes", {}).items()}
        part = part | {"attributes": attributes | {name: place for name, place in rows.items() if name in attributes}}
        if "targets" in own:
            part["targets"] = [
                {name: _rows(out, blob, place, start, count) for name, place in target.items() if name in attributes}
                for target in own["targets"]
            ]
        if paint is not None:
            part["material"] = _painted(out, part.get("material"), paint, form.repainted)
        parts.append(part)
        start += count
    mesh: dict[str, Any] = source | {"primitives": parts}
    if "targets" in own:
        mesh["weights"] = ours["weights"]  # type: ignore[index]
        if isinstance(mesh.get("extras"), dict):  # names of targets that are gone
            mesh["extras"] = {name: value for name, value in mesh["extras"].items() if name != "targetNames"}
    return mesh


def _rows(out: dict[str, Any], blob: bytes, place: int, start: int, count: int) -> int:
    """Some rows of one of our arrays of points, as an accessor of their own."""
    whole = out["accessors"][place]
    if count == whole["count"]:
        return place
    view = out["bufferViews"][whole["bufferView"]]
    view["byteStride"] = ROW  # the standard asks for it where several share a view
    rows = np.frombuffer(blob, "<f4", 3 * count, view["byteOffset"] + ROW * start).reshape(-1, 3)
    cut = whole | {"byteOffset": ROW * start, "count": count}
    if "min" in whole:
        cut |= {"min": rows.min(axis=0).tolist(), "max": rows.max(axis=0).tolist()}
    out["accessors"].append(cut)
    return len(out["accessors"]) - 1


def _painted(out: dict[str, Any], index: int | None, paint: Paint, repainted: frozenset[str]) -> int:
    """A material of the file's in our colours; what we do not model stays in it."""
    material = dict(out["materials"][index]) if index is not None else {"pbrMetallicRoughness": {"metallicFactor": 0.0}}
    surface = dict(material.get("pbrMetallicRoughness", {}))
    if "color" in repainted:
        surface["baseColorFactor"] = [*paint.color, surface.get("baseColorFactor", [1, 1, 1, 1])[3]]
    if "roughness" in repainted:
        surface["roughnessFactor"] = paint.roughness
    material["pbrMetallicRoughness"] = surface
    if "glow" in repainted or ("color" in repainted and paint.glow > 0):
        material["emissiveFactor"] = [c * min(paint.glow, 1.0) for c in paint.color]
        extensions = {name: value for name, value in material.get("extensions", {}).items() if name != STRENGTH}
        if paint.glow > 1:
            extensions[STRENGTH] = {"emissiveStrength": paint.glow}
            out["extensionsUsed"] = list(dict.fromkeys([*out.get("extensionsUsed", []), STRENGTH]))
        material.pop("extensions", None)
        if extensions:
            material["extensions"] = extensions
    materials = out.setdefault("materials", [])
    if material not in materials:
        materials.append(material)
    return int(materials.index(material))
