"""A glTF file made smaller for pages: numbers that need no 32 bits get fewer (KHR_mesh_quantization, and what glTF 2.0
itself allows of animations and EXT_mesh_gpu_instancing of copies).

    normals, and how shapes change them      8 bits, of −1 to 1     0.4 % off at most
    how shapes move points                   16 bits, of −1 to 1 m  0.02 mm
    rotations and weights over time, of copies too   16 bits        0.002°

What does not lie within −1 to 1 stays as it is.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator
from typing import Any

import numpy as np
from numpy.typing import NDArray

FLOAT, BYTE, SHORT = 5126, 5120, 5122
WHOLE = {BYTE: 127.0, SHORT: 32767.0}
TYPES = {BYTE: np.int8, SHORT: np.int16}
WIDTHS = {"SCALAR": 1, "VEC2": 2, "VEC3": 3, "VEC4": 4}

FOUR = 4
"""Bytes at whose multiples rows of vertices and views begin."""

Pair = tuple[int, int]
"""An accessor, and the kind of numbers that it is to have."""


def compacted(content: dict[str, Any], buffer: bytes) -> tuple[dict[str, Any], bytes]:
    """The JSON and the buffer of a file with fewer bits where they are not needed. The JSON is changed in place."""
    views = content.get("bufferViews", [])
    accessors = content.get("accessors", [])
    shared = Counter(accessor.get("bufferView") for accessor in accessors)
    points = _of_points(content)
    smaller: dict[int, tuple[bytes, int | None]] = {}
    for number, kind in dict(_wanted(content)).items():
        accessor = accessors[number]
        view = accessor.get("bufferView")
        plain = accessor["componentType"] == FLOAT and not {"sparse", "byteOffset"} & accessor.keys()
        if not plain or view is None or shared[view] > 1 or "byteStride" in views[view]:
            continue
        width = WIDTHS[accessor["type"]]
        start = views[view].get("byteOffset", 0)
        values = np.frombuffer(buffer, "<f4", accessor["count"] * width, start).reshape(-1, width)
        if np.abs(values).max(initial=0.0) > 1.0:
            continue
        rows, stride = _rows(values, kind, aligned=number in points)
        smaller[view] = (rows, stride)
        accessor |= {"componentType": kind, "normalized": True}
        for end, bound in (("min", np.min), ("max", np.max)):
            if end in accessor:
                accessor[end] = [float(v) for v in bound(np.rint(values * WHOLE[kind]), axis=0)]
    if smaller:
        used = content.setdefault("extensionsUsed", [])
        content["extensionsUsed"] = [*used, *({"KHR_mesh_quantization"} - set(used))]
        required = content.setdefault("extensionsRequired", [])
        content["extensionsRequired"] = [*required, *({"KHR_mesh_quantization"} - set(required))]
    return content, _laid_out(content, views, buffer, smaller)


def _wanted(content: dict[str, Any]) -> Iterator[Pair]:
    """The accessors that may have fewer bits."""
    for mesh in content.get("meshes", []):
        for primitive in mesh["primitives"]:
            for name, number in primitive["attributes"].items():
                if name == "NORMAL":
                    yield number, BYTE
            for target in primitive.get("targets", []):
                for name, number in target.items():
                    yield number, SHORT if name == "POSITION" else BYTE
    for animation in content.get("animations", []):
        for channel in animation["channels"]:
            if channel["target"]["path"] in ("rotation", "weights"):
                yield animation["samplers"][channel["sampler"]]["output"], SHORT
    for node in content.get("nodes", []):
        copies = node.get("extensions", {}).get("EXT_mesh_gpu_instancing", {}).get("attributes", {})
        if "ROTATION" in copies:
            yield copies["ROTATION"], SHORT


def _of_points(content: dict[str, Any]) -> set[int]:
    """The accessors of points, whose rows begin at multiples of four bytes."""
    rows = [primitive for mesh in content.get("meshes", []) for primitive in mesh["primitives"]]
    return {
        number
        for primitive in rows
        for part in (primitive["attributes"], *primitive.get("targets", []))
        for number in part.values()
    }


def _rows(values: NDArray[np.float32], kind: int, *, aligned: bool) -> tuple[bytes, int | None]:
    """Rows of whole numbers as bytes, and how many bytes one takes if that has to be said."""
    whole = np.rint(values.astype(np.float64) * WHOLE[kind]).astype(TYPES[kind])
    if not aligned:
        return whole.tobytes(), None
    size = whole.itemsize * whole.shape[1]
    stride = -(-size // FOUR) * FOUR
    padded = np.zeros((len(whole), stride // whole.itemsize), whole.dtype)
    padded[:, : whole.shape[1]] = whole
    return padded.tobytes(), stride


def _laid_out(
    content: dict[str, Any], views: list[dict[str, Any]], buffer: bytes, smaller: dict[int, tuple[bytes, int | None]]
) -> bytes:
    """The buffer with all views one after the other."""
    out = bytearray()
    for number, view in enumerate(views):
        start = view.get("byteOffset", 0)
        rows, stride = smaller.get(number, (buffer[start : start + view["byteLength"]], None))
        view |= {"byteOffset": len(out), "byteLength": len(rows)}
        if stride is not None:
            view["byteStride"] = stride
        out += rows
        out += bytes(-len(out) % FOUR)
    if content.get("buffers"):
        content["buffers"] = [{"byteLength": len(out)}]
    return bytes(out)
