"""A glTF 2.0 file as it lies there: its JSON and its bytes, each part checked before it is used.

Whatever came (one binary file, or text with its buffers beside it or inside it) becomes one JSON with one buffer, so
that what is not ours can be written out again as it was.
"""

from __future__ import annotations

import base64
import binascii
import json
import struct
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any
from urllib.parse import unquote

import numpy as np
from numpy.typing import NDArray

from lazzik.core.errors import InvalidAsset

LARGEST_FILE = 64 * 2**20
MOST_ELEMENTS = 6_000_000
"""Elements of one accessor."""

TYPES = {5120: "<i1", 5121: "<u1", 5122: "<i2", 5123: "<u2", 5125: "<u4", 5126: "<f4"}
WIDTHS = {"SCALAR": 1, "VEC2": 2, "VEC3": 3, "VEC4": 4, "MAT2": 4, "MAT3": 9, "MAT4": 16}
WHOLE = {5120: 127.0, 5121: 255.0, 5122: 32767.0, 5123: 65535.0}
"""What a normalised integer counts as one."""

READ = frozenset(
    {"KHR_lights_punctual", "KHR_materials_emissive_strength", "KHR_materials_unlit", "KHR_texture_transform"}
)
"""Extensions that a file may require; all others may be there, but not be needed to read it."""


@dataclass(frozen=True, eq=False)
class GltfFile:
    """The JSON of a file and its one buffer."""

    content: dict[str, Any]
    blob: bytes

    def rows(self, name: str) -> list[dict[str, Any]]:
        """One of the file's lists. Raises InvalidAsset if it is none, or holds anything but objects."""
        value = self.content.get(name, [])
        if not isinstance(value, list) or not all(isinstance(item, dict) for item in value):
            raise InvalidAsset(f"The file's '{name}' is no list of objects")
        return value

    def row(self, name: str, index: Any, where: str) -> dict[str, Any]:
        """One entry of a list. Raises InvalidAsset if there is none."""
        rows = self.rows(name)
        if not isinstance(index, int) or isinstance(index, bool) or not 0 <= index < len(rows):
            raise InvalidAsset(f"{where} refers to '{name}' {str(index)[:20]}, which is not there")
        return rows[index]

    def array(self, index: Any, where: str) -> NDArray[np.float64]:
        """An accessor's numbers.

        Returns
        -------
        (count, width) array
            As the file has them, normalised ones from −1 or 0 to 1.

        Raises
        ------
        InvalidAsset
            If its buffer does not hold it.
        """
        accessor = self.row("accessors", index, where)
        kind, shape = accessor.get("componentType"), accessor.get("type")
        count, start = _whole(accessor, "count", where), _whole(accessor, "byteOffset", where, 0)
        if kind not in TYPES or shape not in WIDTHS or not 0 < count <= MOST_ELEMENTS:
            raise InvalidAsset(f"{where} has an accessor of {count} elements of an unknown or too large sort")
        width, item = WIDTHS[shape], np.dtype(TYPES[kind])
        out: NDArray[np.float64] = np.zeros((count, width))
        if "bufferView" in accessor:
            raw = self._view(accessor["bufferView"], start, count, width, item, where)
            out = raw.astype(np.float64)
        if "sparse" in accessor:
            self._sparse(accessor["sparse"], out, width, item, where)
        return out / WHOLE[kind] if accessor.get("normalized") is True and kind in WHOLE else out

    def _view(self, view: Any, start: int, count: int, width: int, item: np.dtype[Any], where: str) -> NDArray[Any]:
        entry = self.row("bufferViews", view, where)
        offset, length = _whole(entry, "byteOffset", where, 0), _whole(entry, "byteLength", where)
        stride = _whole(entry, "byteStride", where, width * item.itemsize)
        need = start + stride * (count - 1) + width * item.itemsize
        if stride < item.itemsize or need > length or offset + length > len(self.blob):
            raise InvalidAsset(f"{where} reads beyond the end of its buffer")
        return np.ndarray(
            (count, width), item, buffer=self.blob, offset=offset + start, strides=(stride, item.itemsize)
        )

    def _sparse(self, sparse: Any, out: NDArray[np.float64], width: int, item: np.dtype[Any], where: str) -> None:
        if not isinstance(sparse, dict) or not all(isinstance(sparse.get(k), dict) for k in ("indices", "values")):
            raise InvalidAsset(f"{where} has a sparse accessor that says nothing")
        count = _whole(sparse, "count", where)
        kind = TYPES.get(sparse["indices"].get("componentType"))
        if kind not in ("<u1", "<u2", "<u4") or not 0 < count <= len(out):
            raise InvalidAsset(f"{where} has a sparse accessor of an unknown or too large sort")
        ends = [_whole(sparse[part], "byteOffset", where, 0) for part in ("indices", "values")]
        views = [sparse[part].get("bufferView") for part in ("indices", "values")]
        places = self._view(views[0], ends[0], count, 1, np.dtype(kind), where)[:, 0].astype(np.int64)
        values = self._view(views[1], ends[1], count, width, item, where)
        if places.max() >= len(out):
            raise InvalidAsset(f"{where} has a sparse accessor that reaches beyond its elements")
        out[places] = values

    def packed(self) -> bytes:
        """The file as one .glb."""
        return glb_of(self.content, self.blob)


def glb_of(content: Mapping[str, Any], blob: bytes) -> bytes:
    """A .glb from its JSON and its buffer; without a buffer, of the JSON chunk alone, as the standard advises."""
    text = json.dumps(content, ensure_ascii=False, allow_nan=False, separators=(",", ":")).encode()
    text += b" " * (-len(text) % 4)
    data = blob + b"\0" * (-len(blob) % 4)
    tail = struct.pack("<I4s", len(data), b"BIN\0") + data if data else b""
    head = struct.pack("<4sIII4s", b"glTF", 2, 20 + len(text) + len(tail), len(text), b"JSON")
    return head + text + tail


def open_gltf(content: bytes, name: str, beside: Mapping[str, bytes] | None = None) -> GltfFile:
    """Read a .glb or .gltf; `beside` are files that came along, by name. Raises InvalidAsset."""
    if len(content) > LARGEST_FILE:
        raise InvalidAsset(f"The file is larger than {LARGEST_FILE // 2**20} MB, the most that is taken")
    text, blob = _chunks(content) if content[:4] == b"glTF" else (content, b"")
    try:
        parsed = json.loads(text.decode("utf-8-sig"))
    except (ValueError, RecursionError):
        raise InvalidAsset(f"'{name[-60:]}' holds no JSON that can be read") from None
    if not isinstance(parsed, dict) or not isinstance(parsed.get("asset"), dict):
        raise InvalidAsset(f"'{name[-60:]}' is no glTF file: it does not say of which version it is")
    if str(parsed["asset"].get("version", "")).split(".")[0] != "2":
        raise InvalidAsset(f"'{name[-60:]}' is of glTF version {str(parsed['asset'].get('version'))[:10]}; 2.0 is read")
    needed = parsed.get("extensionsRequired", [])
    missing = [str(item)[:60] for item in needed if item not in READ] if isinstance(needed, list) else ["?"]
    if missing:
        raise InvalidAsset(f"'{name[-60:]}' can't be read without {', '.join(missing[:3])}, which Lazzik does not know")
    return _one_buffer(GltfFile(parsed, blob), dict(beside or {}))


def _chunks(content: bytes) -> tuple[bytes, bytes]:
    """The JSON and the binary chunk of a .glb."""
    if len(content) < 20:
        raise InvalidAsset("The file ends before its first part")
    _, version, length, size, kind = struct.unpack_from("<4sIII4s", content)
    if version != 2 or length > len(content) or kind != b"JSON" or 20 + size > length:
        raise InvalidAsset("The file's head does not fit its length, or is of another version than 2")
    text, at, blob = content[20 : 20 + size], 20 + size, b""
    if at + 8 <= length:
        part, kind = struct.unpack_from("<I4s", content, at)
        if at + 8 + part > length:
            raise InvalidAsset("The file ends before its second part does")
        if kind == b"BIN\0":
            blob = content[at + 8 : at + 8 + part]
    return text, blob


def _one_buffer(file: GltfFile, beside: dict[str, bytes]) -> GltfFile:
    """The same with all buffers, and pictures from files that came along, in one."""
    data, starts = bytearray(), []
    for place, entry in enumerate(file.rows("buffers")):
        length = _whole(entry, "byteLength", f"Buffer {place}")
        part = _bytes_of(entry.get("uri"), file.blob if place == 0 else b"", beside, f"Buffer {place}")
        if len(part) < length:
            raise InvalidAsset(f"Buffer {place} should have {length:,} bytes, but has {len(part):,}")
        data += b"\0" * (-len(data) % 8)
        starts.append(len(data))
        data += part[:length]
        if len(data) > LARGEST_FILE:
            raise InvalidAsset(f"The file's buffers are larger than {LARGEST_FILE // 2**20} MB, the most that is taken")
    views = []
    for place, entry in enumerate(file.rows("bufferViews")):
        buffer = entry.get("buffer")
        if not isinstance(buffer, int) or not 0 <= buffer < len(starts):
            raise InvalidAsset(f"Buffer view {place} refers to a buffer that is not there")
        views.append(
            entry | {"buffer": 0, "byteOffset": _whole(entry, "byteOffset", f"View {place}", 0) + starts[buffer]}
        )
    images = []
    for entry in file.rows("images"):
        uri = entry.get("uri")
        if isinstance(uri, str) and not uri.startswith("data:") and unquote(uri) in beside:
            part = beside[unquote(uri)]
            data += b"\0" * (-len(data) % 8)
            views.append({"buffer": 0, "byteOffset": len(data), "byteLength": len(part)})
            data += part
            kind = "image/png" if part[:4] == b"\x89PNG" else "image/jpeg"
            entry = {k: v for k, v in entry.items() if k != "uri"} | {"bufferView": len(views) - 1, "mimeType": kind}
        images.append(entry)
    content = file.content | {key: rows for key, rows in (("bufferViews", views), ("images", images)) if rows}
    if starts:
        content["buffers"] = [file.rows("buffers")[0] | {"byteLength": len(data)}]
        content["buffers"][0].pop("uri", None)
    return GltfFile(content, bytes(data))


def _bytes_of(uri: Any, inside: bytes, beside: dict[str, bytes], where: str) -> bytes:
    if uri is None:
        return inside
    if not isinstance(uri, str):
        raise InvalidAsset(f"{where} has an address that is no text")
    if uri.startswith("data:"):
        head, comma, text = uri.partition(",")
        if not comma or not head.endswith(";base64"):
            raise InvalidAsset(f"{where} holds its bytes in a form that is not read")
        try:
            return base64.b64decode(text, validate=True)
        except (binascii.Error, ValueError):
            raise InvalidAsset(f"{where} holds bytes that are no base64 text") from None
    name = unquote(uri)
    if name not in beside:  # only what was sent along: no address leads to any other file
        raise InvalidAsset(f"{where} is in '{name[:60]}', which was not sent along; choose both files at once")
    return beside[name]


def _whole(entry: dict[str, Any], name: str, where: str, absent: int | None = None) -> int:
    value = entry.get(name, absent)
    if not isinstance(value, int) or isinstance(value, bool) or not 0 <= value <= 2**40:
        raise InvalidAsset(f"{where} has '{name}' {str(value)[:30]}, which is no count")
    return value
