"""Meshes read from OBJ, PLY and STL files by trimesh."""

from __future__ import annotations

import io
from dataclasses import dataclass
from typing import Any

import numpy as np
import trimesh

from lazzik.core.errors import InvalidAsset
from lazzik.core.geometry.imported import ENDINGS, LARGEST_FILE, MOST_POINTS
from lazzik.core.geometry.mesh import Mesh
from lazzik.core.types import Coordinates, Samples


@dataclass(frozen=True, eq=False)
class Imported:
    """What a file held."""

    mesh: Mesh
    weights: Samples | None
    """(n,) from the red of vertex colours, if the file has any."""


def read_mesh(content: bytes, name: str) -> Imported:
    """The mesh of a file, all its parts as one. Raises InvalidAsset, saying what is wrong."""
    ending = name[name.rfind(".") :].lower()
    if ending not in ENDINGS:
        raise InvalidAsset(f"'{name[-60:]}' does not end in {', '.join(ENDINGS)}")
    if len(content) > LARGEST_FILE:
        raise InvalidAsset(f"The file is larger than {LARGEST_FILE // 2**20} MB, the most a mesh may have")
    _check_counts(content, ending)
    try:
        loaded = trimesh.load(io.BytesIO(content), file_type=ending[1:], force="mesh", process=False)
    except Exception as error:  # trimesh raises whatever its readers raise
        raise InvalidAsset(f"'{name[-60:]}' can't be read as {ending[1:].upper()}: {_short(error)}") from None
    if not isinstance(loaded, trimesh.Trimesh) or len(loaded.faces) == 0:
        raise InvalidAsset(f"'{name[-60:]}' holds no triangles")
    points = np.asarray(loaded.vertices, dtype=np.float64)
    faces = np.asarray(loaded.faces, dtype=np.int64)
    if len(points) > MOST_POINTS:
        raise InvalidAsset(f"'{name[-60:]}' has {len(points):,} points; {MOST_POINTS:,} are the most")
    if not np.all(np.isfinite(points)) or faces.min() < 0 or faces.max() >= len(points):
        raise InvalidAsset(f"'{name[-60:]}' has points or triangles that are not there")
    if np.abs(points).max(initial=0) > 1e6:
        raise InvalidAsset(f"'{name[-60:]}' is larger than a thousand kilometres; is it in other units?")
    normals = np.array(loaded.vertex_normals, dtype=np.float64)
    lost = ~(np.linalg.norm(normals, axis=1) > 1e-6)
    normals[lost] = [0.0, 1.0, 0.0]
    normals /= np.linalg.norm(normals, axis=1, keepdims=True)
    return Imported(Mesh(points, normals, faces, _coordinates(loaded, len(points))), _weights(loaded, len(points)))


def _check_counts(content: bytes, ending: str) -> None:
    """Refuse a file whose head says that it holds more than it does, before anything is made as large as it says."""
    if ending == ".stl" and content[:5].lower() != b"solid":
        count = int.from_bytes(content[80:84], "little") if len(content) >= 84 else -1
        if not 0 < count <= MOST_POINTS or 84 + 50 * count > len(content):
            raise InvalidAsset("The STL file's head does not fit its length")
    if ending == ".ply":
        head, found, _ = content[:65536].partition(b"end_header")
        if not found or not head.startswith(b"ply"):
            raise InvalidAsset("The PLY file has no head that can be read")
        for line in head.splitlines():
            words = line.split()
            if words[:1] == [b"element"] and (len(words) < 3 or not words[2].isdigit() or int(words[2]) > len(content)):
                raise InvalidAsset("The PLY file's head does not fit its length")


def _coordinates(loaded: trimesh.Trimesh, count: int) -> Coordinates | None:
    """(n, 2) texture coordinates, if the file has them for every point; files count them upward."""
    found = getattr(loaded.visual, "uv", None)
    if found is None or np.shape(found) != (count, 2) or not np.all(np.isfinite(found)):
        return None
    uv = np.asarray(found, dtype=np.float64)
    return np.stack([uv[:, 0], 1.0 - uv[:, 1]], 1)


def _weights(loaded: trimesh.Trimesh, count: int) -> Samples | None:
    visual: Any = loaded.visual
    if visual is None or visual.kind != "vertex":
        return None
    colors = np.asarray(visual.vertex_colors, dtype=np.float64)
    return colors[:, 0] / 255.0 if colors.shape[0] == count else None


def _short(error: Exception) -> str:
    return (str(error).splitlines() or [type(error).__name__])[0][:120]
