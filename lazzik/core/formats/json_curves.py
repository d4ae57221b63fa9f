"""The scene and its curves as JSON (RFC 8259)."""

from __future__ import annotations

import json
from typing import ClassVar

from lazzik.core.channel.channel import as_channel
from lazzik.core.evaluate.memo import Memo
from lazzik.core.evaluate.values import evaluate
from lazzik.core.formats.base import Format, moving_addresses
from lazzik.core.progress import UNHEARD, Progress
from lazzik.core.scene.address import Address, find, title
from lazzik.core.scene.scene import Scene
from lazzik.core.scene.serialize import scene_text


class SceneFile(Format):
    """The document itself."""

    name: ClassVar[str] = "scene"
    title: ClassVar[str] = "Scene"
    standard: ClassVar[str] = "JSON"
    ending: ClassVar[str] = "json"
    media: ClassVar[str] = "application/json"
    use: ClassVar[str] = "To keep, to send, or to open again here, on the command line and in Python."
    carries: ClassVar[str] = (
        "Everything: objects, keys, layers with all their numbers, meshes and fonts, poses, clips, marks, "
    )
    carries += "receipts of bakes."
    leaves: ClassVar[str] = "The steps of undo; what was worked out of particles, cloth and swarms, which comes again."

    def write(self, scene: Scene, progress: Progress = UNHEARD, memo: Memo | None = None) -> bytes:
        """The document as UTF-8."""
        return scene_text(scene, indent=1).encode()


class JsonCurves(Format):
    """Every number that moves: its keys where it has some, and its values."""

    name: ClassVar[str] = "curves"
    title: ClassVar[str] = "Curves and keys"
    standard: ClassVar[str] = "JSON"
    ending: ClassVar[str] = "curves.json"
    media: ClassVar[str] = "application/json"
    use: ClassVar[str] = "For programs of your own that play keys, or want values ready to use."
    carries: ClassVar[str] = (
        "For each number that moves: address, unit, the keys of its base with their slopes in units "
    )
    carries += "per second, what it does beyond them, and the result at every whole frame; and the marks of the ruler."
    leaves: ClassVar[str] = "Geometry; layers, whose motion is in the values; numbers that stand still."

    def write(self, scene: Scene, progress: Progress = UNHEARD, memo: Memo | None = None) -> bytes:
        """One object: fps, first, last, curves."""
        addresses = moving_addresses(scene)
        values = evaluate(scene, addresses, scene.clock(), memo)
        curves = []
        for text in progress.over(addresses, lambda address: address):
            address = Address.parse(text)
            place = find(scene, address)
            channel = as_channel(place.number)
            keys = [key.model_dump(mode="json") for key in channel.keys]
            if keys:
                curve = channel.curve(scene.fps)
                for key, before, after in zip(keys, curve.slopes_in, curve.slopes_out, strict=True):
                    key |= {"slope_in": float(before), "slope_out": float(after)}
            curves.append(
                {
                    "address": text,
                    "title": title(scene, address),
                    "unit": place.quantity.unit,
                    "layered": bool(channel.sounding),
                    "keys": keys,
                    "before": channel.before,
                    "after": channel.after,
                    "values": values[text].tolist(),
                }
            )
        marks = [mark.model_dump(mode="json", exclude={"id"}) for mark in sorted(scene.marks, key=lambda m: m.frame)]
        content = {"fps": scene.fps, "first": scene.first, "last": scene.last, "marks": marks, "curves": curves}
        return json.dumps(content, allow_nan=False).encode()
