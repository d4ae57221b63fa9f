"""Assets: what is heavy and stands apart from the document, known by the SHA-256 of its bytes; and where they are kept.

A scene carries the store in which its assets are found, and whoever makes something heavy for a scene puts it there.
"""

from __future__ import annotations

import hashlib
import io
import zipfile
import zlib
from collections.abc import Callable, Mapping
from typing import Any, TypeVar

import numpy as np

from lazzik.core.cache import BoundedCache
from lazzik.core.errors import LazzikError, UnknownAsset
from lazzik.core.geometry.mesh import Mesh
from lazzik.core.types import Samples

Keeper = Callable[[str], bytes | None]
"""Gives the bytes of an asset, or None if it does not hold it."""

Value = TypeVar("Value")

MOST_READ = 256 * 2**20
"""Bytes of arrays and pictures that a store keeps as they were read of its assets."""

LARGEST_UNPACKED = 2**30
"""Bytes of the arrays of one asset."""

DAMAGED = (ValueError, OSError, KeyError, EOFError, NotImplementedError, RuntimeError, zipfile.BadZipFile, zlib.error)
"""What reading an archive that is none, or a damaged one, may raise."""


class AssetStore:
    """Assets by name: those that were put in, over those of whoever keeps more of them (a database, another store).

    Since a name is the content's own, it never matters who answers.
    """

    def __init__(self, beneath: Keeper | None = None) -> None:
        self._own: dict[str, bytes] = {}
        self._beneath = beneath
        self._read: BoundedCache[Any] = BoundedCache(MOST_READ)

    @property
    def own(self) -> Mapping[str, bytes]:
        """What was put in here, by name."""
        return self._own

    def put(self, content: bytes) -> str:
        """Keep an asset, and its name."""
        name = name_of(content)
        self._own[name] = content
        return name

    def put_all(self, assets: AssetStore) -> None:
        """Keep all that was put into another store."""
        self._own.update(assets.own)

    def get(self, name: str) -> bytes | None:
        """The bytes of an asset, or None if it is not here."""
        content = self._own.get(name)
        return content if content is not None or self._beneath is None else self._beneath(name)

    def content(self, name: str) -> bytes:
        """The bytes of an asset. Raises UnknownAsset."""
        content = self.get(name)
        if content is None:
            raise UnknownAsset(f"The asset {name[:12]}… that the scene needs is not here", name)
        return content

    def read(self, name: str, reader: Callable[[bytes], tuple[Value, int]]) -> Value:
        """What a reader makes of an asset, kept for a while by the bytes that it says it weighs.

        Raises UnknownAsset if the asset is not here or damaged, and whatever else the reader raises.
        """
        kept: Value | None = self._read.get((reader, name))
        if kept is not None:
            return kept
        content = self.content(name)
        try:
            value, weight = reader(content)
        except LazzikError:  # it has said what is wrong
            raise
        except DAMAGED as error:
            raise UnknownAsset(f"The asset {name[:12]}… can't be read: {error}", name) from None
        self._read.put((reader, name), value, weight)
        return value


NO_ASSETS = AssetStore()
"""For what needs none."""


def name_of(content: bytes) -> str:
    """The name of an asset."""
    return hashlib.sha256(content).hexdigest()


def pack_mesh(mesh: Mesh) -> bytes:
    """A mesh as the bytes of an asset."""
    more = {} if mesh.coordinates is None else {"coordinates": mesh.coordinates.astype("<f4")}
    return _packed(
        points=mesh.points.astype("<f4"), normals=mesh.normals.astype("<f4"), triangles=mesh.triangles.astype("<u4"),
        **more,
    )  # fmt: skip


def pack_weights(weights: Samples) -> bytes:
    """A weight for each point as the bytes of an asset.

    Parameters
    ----------
    weights : (n,) array
        0 to 1.

    Returns
    -------
    bytes
    """
    return _packed(weights=weights.astype("<f4"))


def pack_targets(offsets: Any, normals: Any) -> bytes:
    """(targets, n, 3) offsets of points and of normals as the bytes of an asset."""
    return _packed(offsets=offsets.astype("<f4"), normals=normals.astype("<f4"))


def pack_frames(offsets: Any) -> bytes:
    """(frames, n, 3) offsets of points, float32, as the bytes of an asset."""
    return _packed(offsets=offsets)


def unpack_mesh(content: bytes) -> tuple[Mesh, int]:
    """The mesh of an asset, and the bytes that it takes. Raises ValueError and others (DAMAGED)."""
    points, normals, triangles, *more = _arrays(content, "points", "normals", "triangles", also="coordinates")
    _expect(points.ndim == 2 and points.shape[1:] == (3,) and normals.shape == points.shape and len(points) > 0)
    _expect(triangles.ndim == 2 and triangles.shape[1:] == (3,) and triangles.dtype.kind in "ui")
    _expect(len(triangles) > 0 and triangles.min() >= 0 and triangles.max() < len(points))
    _expect(all(coordinates.shape == (len(points), 2) for coordinates in more))
    coordinates = more[0].astype(np.float64) if more else None
    mesh = Mesh(points.astype(np.float64), normals.astype(np.float64), triangles.astype(np.int64), coordinates)
    return mesh, mesh.weight


def unpack_weights(content: bytes) -> tuple[Samples, int]:
    """The weights of an asset, and their bytes.

    Returns
    -------
    ((n,) array, int)
        0 to 1; bytes.

    Raises
    ------
    ValueError
        And others of DAMAGED, if they are no weights.
    """
    (weights,) = _arrays(content, "weights")
    _expect(weights.ndim == 1)
    out: Samples = weights.astype(np.float64)
    return out, out.nbytes


def unpack_targets(content: bytes) -> tuple[tuple[Any, Any], int]:
    """(targets, n, 3) the offsets and the normals of an asset, float64, and their bytes. Raises ValueError and others
    (DAMAGED)."""
    offsets, normals = _arrays(content, "offsets", "normals")
    _expect(offsets.ndim == 3 and offsets.shape[2:] == (3,) and normals.shape == offsets.shape)
    return (offsets.astype(np.float64), normals.astype(np.float64)), 16 * offsets.size


def unpack_frames(content: bytes) -> tuple[Any, int]:
    """(frames, n, 3) the offsets of an asset as they are kept, and their bytes. Raises ValueError and others
    (DAMAGED)."""
    (offsets,) = _arrays(content, "offsets")
    _expect(offsets.ndim == 3 and offsets.shape[2:] == (3,) and len(offsets) > 0)
    return offsets, offsets.nbytes


def _packed(**arrays: Any) -> bytes:
    out = io.BytesIO()
    np.savez_compressed(out, **arrays)
    return out.getvalue()


def _arrays(content: bytes, *wanted: str, also: str = "") -> list[Any]:
    """Arrays of an asset, finite if they are no whole numbers, and last another one if it is there."""
    with zipfile.ZipFile(io.BytesIO(content)) as archive:
        _expect(sum(entry.file_size for entry in archive.infolist()) <= LARGEST_UNPACKED)
    with np.load(io.BytesIO(content), allow_pickle=False) as arrays:
        found = [arrays[key] for key in (*wanted, *((also,) if also in arrays else ()))]
    _expect(all(array.dtype.kind in "uif" and bool(np.all(np.isfinite(array))) for array in found))
    return found


def _expect(well: bool) -> None:
    if not well:
        raise ValueError("it is not what it is used as")
