"""Assets: what is heavy and stands apart from the document, known by the SHA-256 of its bytes.

Whoever keeps them (the database, a file) adds a keeper; since a name is the content's own, it never matters which
keeper answers.
"""

from __future__ import annotations

import hashlib
import io
import zipfile
import zlib
from collections.abc import Callable
from functools import lru_cache
from typing import Any

import numpy as np

from lazzik.core.errors import UnknownAsset
from lazzik.core.geometry.mesh import Mesh
from lazzik.core.types import Samples

Keeper = Callable[[str], bytes | None]
"""Gives the bytes of an asset, or None if it does not hold it."""

_KEEPERS: list[Keeper] = []
_HELD: dict[str, bytes] = {}


def name_of(content: bytes) -> str:
    """The name of an asset."""
    return hashlib.sha256(content).hexdigest()


def hold(content: bytes) -> str:
    """Keep an asset in memory, and its name."""
    name = name_of(content)
    _HELD[name] = content
    return name


def held_content(name: str) -> bytes | None:
    """The bytes of an asset that is kept in memory."""
    return _HELD.get(name)


def let_go(name: str) -> None:
    """Keep an asset in memory no longer: a keeper has it now."""
    _HELD.pop(name, None)


def held_now() -> list[bytes]:
    """All assets that are kept in memory."""
    return list(_HELD.values())


def forget_held() -> None:
    """Keep no asset in memory any longer."""
    _HELD.clear()


def add_keeper(keeper: Keeper) -> None:
    """Ask this one too from now on."""
    _KEEPERS.append(keeper)


def remove_keeper(keeper: Keeper) -> None:
    """Ask it no longer."""
    _KEEPERS.remove(keeper)


def asset(name: str) -> bytes:
    """The bytes of an asset. Raises UnknownAsset."""
    if name in _HELD:
        return _HELD[name]
    for keeper in _KEEPERS:
        content = keeper(name)
        if content is not None:
            return content
    raise UnknownAsset(f"The asset {name[:12]}… that the scene needs is not here", name)


def pack_mesh(mesh: Mesh) -> bytes:
    """A mesh as the bytes of an asset."""
    return _packed(
        points=mesh.points.astype("<f4"), normals=mesh.normals.astype("<f4"), triangles=mesh.triangles.astype("<u4")
    )


def pack_weights(weights: Samples) -> bytes:
    """A weight for each point as the bytes of an asset."""
    return _packed(weights=weights.astype("<f4"))


def pack_targets(offsets: Any, normals: Any) -> bytes:
    """(targets, n, 3) offsets of points and of normals as the bytes of an asset."""
    return _packed(offsets=offsets.astype("<f4"), normals=normals.astype("<f4"))


@lru_cache(maxsize=32)
def targets_asset(name: str) -> tuple[Any, Any]:
    """(targets, n, 3) the offsets and the normals of an asset, float64. Raises UnknownAsset."""
    offsets, normals = _arrays(name, "offsets", "normals")
    _expect(name, offsets.ndim == 3 and offsets.shape[2:] == (3,) and normals.shape == offsets.shape)
    return offsets.astype(np.float64), normals.astype(np.float64)


def pack_frames(offsets: Any) -> bytes:
    """(frames, n, 3) offsets of points, float32, as the bytes of an asset."""
    return _packed(offsets=offsets)


@lru_cache(maxsize=4)
def frames_asset(name: str) -> Any:
    """(frames, n, 3) the offsets of an asset, as they are kept. Raises UnknownAsset."""
    (offsets,) = _arrays(name, "offsets")
    _expect(name, offsets.ndim == 3 and offsets.shape[2:] == (3,) and len(offsets) > 0)
    return offsets


@lru_cache(maxsize=32)
def mesh_asset(name: str) -> Mesh:
    """The mesh of an asset. Raises UnknownAsset."""
    points, normals, triangles = _arrays(name, "points", "normals", "triangles")
    _expect(name, points.ndim == 2 and points.shape[1:] == (3,) and normals.shape == points.shape and len(points) > 0)
    _expect(name, triangles.ndim == 2 and triangles.shape[1:] == (3,) and triangles.dtype.kind in "ui")
    _expect(name, len(triangles) > 0 and triangles.min() >= 0 and triangles.max() < len(points))
    return Mesh(points.astype(np.float64), normals.astype(np.float64), triangles.astype(np.int64))


@lru_cache(maxsize=64)
def weights_asset(name: str) -> Samples:
    """(n,) the weights of an asset. Raises UnknownAsset."""
    (weights,) = _arrays(name, "weights")
    _expect(name, weights.ndim == 1)
    return np.asarray(weights, dtype=np.float64)


def _packed(**arrays: Any) -> bytes:
    out = io.BytesIO()
    np.savez_compressed(out, **arrays)
    return out.getvalue()


LARGEST_UNPACKED = 2**30
"""Bytes of the arrays of one asset."""


def _arrays(name: str, *wanted: str) -> list[Any]:
    """Arrays of an asset, finite if they are no whole numbers. Raises UnknownAsset."""
    content = asset(name)
    try:
        with zipfile.ZipFile(io.BytesIO(content)) as archive:
            _expect(name, sum(entry.file_size for entry in archive.infolist()) <= LARGEST_UNPACKED)
        with np.load(io.BytesIO(content), allow_pickle=False) as arrays:
            found = [arrays[key] for key in wanted]
    except DAMAGED as error:
        raise UnknownAsset(f"The asset {name[:12]}… can't be read: {error}", name) from None
    _expect(name, all(array.dtype.kind in "uif" and bool(np.all(np.isfinite(array))) for array in found))
    return found


DAMAGED = (ValueError, OSError, KeyError, EOFError, NotImplementedError, RuntimeError, zipfile.BadZipFile, zlib.error)
"""What reading an archive that is none, or a damaged one, may raise."""


def _expect(name: str, well: bool) -> None:
    if not well:
        raise UnknownAsset(f"The asset {name[:12]}… is not what it is used as", name)
