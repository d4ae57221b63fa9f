"""Plays a glTF file by the standard's text alone: STEP, LINEAR with slerp, CUBICSPLINE, weights and pointers.

Written for the tests, without anything of the program, so that both can be held against each other.
"""

from __future__ import annotations

import base64
import json
import struct
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy.spatial.transform import Rotation, Slerp

Values = NDArray[np.float64]
WIDTHS = {"SCALAR": 1, "VEC2": 2, "VEC3": 3, "VEC4": 4, "MAT4": 16}
TYPES = {5126: "<f4", 5125: "<u4", 5123: "<u2", 5121: "u1"}


class Player:
    """One file."""

    def __init__(self, content: bytes) -> None:
        if content[:4] == b"glTF":
            length = struct.unpack_from("<I", content, 12)[0]
            self.json: dict[str, Any] = json.loads(content[20 : 20 + length])
            self.blob = content[28 + length :]
        else:
            self.json = json.loads(content)
            uri = self.json.get("buffers", [{"uri": ","}])[0]["uri"]
            self.blob = base64.b64decode(uri.split(",", 1)[1])

    def array(self, index: int) -> Values:
        """(count, width) an accessor."""
        accessor = self.json["accessors"][index]
        view = self.json["bufferViews"][accessor["bufferView"]]
        width, kind = WIDTHS[accessor["type"]], np.dtype(TYPES[accessor["componentType"]])
        start = view.get("byteOffset", 0) + accessor.get("byteOffset", 0)
        stride = view.get("byteStride", width * kind.itemsize)
        rows = [np.frombuffer(self.blob, kind, width, start + stride * row) for row in range(accessor["count"])]
        return np.array(rows, dtype=np.float64)

    def channel(self, node: str, path: str, animation: int = 0) -> dict[str, Any] | None:
        """The sampler that moves a part of the node of this label."""
        place = next(i for i, row in enumerate(self.json["nodes"]) if row.get("name") == node)
        for found in self.json.get("animations", [{}])[animation : animation + 1]:
            for channel in found.get("channels", []):
                if channel["target"].get("node") == place and channel["target"]["path"] == path:
                    return dict(found["samplers"][channel["sampler"]])
        return None

    def pointed(self, pointer: str) -> dict[str, Any] | None:
        """The sampler that moves what a JSON pointer leads to."""
        for animation in self.json.get("animations", []):
            for channel in animation["channels"]:
                way = channel["target"].get("extensions", {}).get("KHR_animation_pointer", {}).get("pointer")
                if way == pointer:
                    return dict(animation["samplers"][channel["sampler"]])
        return None

    def play(self, sampler: dict[str, Any], seconds: Values, turns: bool = False, width: int = 0) -> Values:
        """(moments, numbers) a sampler at some seconds; times are compared as the float32 that they are."""
        times = self.array(sampler["input"])[:, 0]
        values = self.array(sampler["output"])
        if width:
            values = values.reshape(-1, width)
        way = sampler.get("interpolation", "LINEAR")
        out = []
        for moment in np.clip(seconds.astype(np.float32).astype(np.float64), times[0], times[-1]):
            k = max(0, int(np.searchsorted(times, moment, side="right")) - 1)
            if way == "CUBICSPLINE":
                out.append(self._cubic(times, values, moment, min(k, max(0, len(times) - 2)), turns))
            elif way == "STEP" or k == len(times) - 1:
                out.append(values[k])
            elif turns:
                out.append(Slerp(times[k : k + 2], Rotation.from_quat(values[k : k + 2]))(moment).as_quat())
            else:
                part = (moment - times[k]) / (times[k + 1] - times[k])
                out.append((1 - part) * values[k] + part * values[k + 1])
        return np.array(out)

    @staticmethod
    def _cubic(times: Values, values: Values, moment: float, k: int, turns: bool) -> Values:
        if len(times) == 1:
            return np.asarray(values[1])
        span = times[k + 1] - times[k]
        t = (moment - times[k]) / span
        point, leave = values[3 * k + 1], values[3 * k + 2] * span
        arrive, following = values[3 * k + 3] * span, values[3 * k + 4]
        curve = (
            (2 * t**3 - 3 * t**2 + 1) * point + (t**3 - 2 * t**2 + t) * leave
            + (-2 * t**3 + 3 * t**2) * following + (t**3 - t**2) * arrive
        )  # fmt: skip
        return np.asarray(curve / np.linalg.norm(curve) if turns else curve)
