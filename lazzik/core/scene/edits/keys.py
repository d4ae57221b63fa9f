"""Edits of a number's keys. A choice of keys over several numbers is edited by one such edit for each number."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

import numpy as np
from pydantic import Field

from lazzik.core.channel.channel import MOST_KEYS, Channel
from lazzik.core.channel.key_ops import inserted, key_at, keys_at, merged, scaled, smoothed
from lazzik.core.channel.keys import Beyond, Go, Key
from lazzik.core.document import AsThere, InFrames, Quantity, Typed
from lazzik.core.errors import InvalidEdit
from lazzik.core.fitting.simplify import thinned
from lazzik.core.scene.address import Address, find, title, write
from lazzik.core.scene.edits.base import Edit
from lazzik.core.scene.scene import Scene

Frames = Annotated[tuple[InFrames, ...], Field(max_length=MOST_KEYS)]


class KeysEdit(Edit):
    """Base of edits that change some keys of one number."""

    address: str
    frames: Frames
    verb: ClassVar[str]

    def changed(self, channel: Channel, chosen: tuple[Key, ...], fps: float) -> tuple[Key, ...]:
        """The channel's keys after the edit."""
        raise NotImplementedError

    def apply(self, scene: Scene) -> Scene:
        address = Address.parse(self.address)
        place = find(scene, address)
        chosen = keys_at(place.channel.keys, self.frames, self.address)
        keys = self.changed(place.channel, chosen, scene.fps)
        there = {id(key) for key in place.channel.keys}
        for key in keys:
            if id(key) not in there:
                check(place.quantity, key.value, title(scene, address), self.address)
        return write(scene, address, lambda channel: channel.replaced(keys=keys))

    def describe(self, scene: Scene) -> str:
        count = "a key" if len(self.frames) == 1 else f"{len(self.frames)} keys"
        return f"{self.verb} {count} of {title(scene, Address.parse(self.address))}"


class PutKey(Edit):
    """Put a key at a frame; one that is there already is replaced. Without a value it lies on the curve. Slopes that
    are not given are automatic, so that the key can be moved and the curve still passes smoothly."""

    do: Literal["put-key"] = "put-key"
    address: str
    frame: InFrames
    value: AsThere | None = None
    slope_in: Typed | Literal["straight"] | None = None
    slope_out: Typed | Literal["straight"] | None = None
    go: Go | None = None

    def apply(self, scene: Scene) -> Scene:
        address = Address.parse(self.address)
        place = find(scene, address)
        if self.value is not None:
            check(place.quantity, self.value, title(scene, address), self.address)

        def put(channel: Channel) -> Channel:
            if self.value is None:
                if key_at(channel.keys, self.frame):
                    return channel
                on_curve = key_at(inserted(channel, self.frame, scene.fps), self.frame)
                assert on_curve is not None
                free = on_curve.replaced(slope_in=self.slope_in, slope_out=self.slope_out)
                return channel.replaced(keys=merged(channel.keys, (free,)))
            here = key_at(channel.keys, self.frame)
            go = self.go or (here.go if here else go_at(channel, self.frame))
            key = Key(frame=self.frame, value=self.value, slope_in=self.slope_in, slope_out=self.slope_out, go=go)
            return channel.replaced(keys=merged(channel.keys, (key,)))

        return write(scene, address, put)

    def describe(self, scene: Scene) -> str:
        return f"key at {self.frame:g} on {title(scene, Address.parse(self.address))}"


class MoveKeys(KeysEdit):
    """Move keys by so much in frame and value, or to a frame and a value. One that lands on another takes its place."""

    do: Literal["move-keys"] = "move-keys"
    verb: ClassVar[str] = "move"
    by: InFrames = 0.0
    rise: AsThere = 0.0
    frame: InFrames | None = None
    value: AsThere | None = None

    def changed(self, channel: Channel, chosen: tuple[Key, ...], fps: float) -> tuple[Key, ...]:
        if self.frame is not None and len(chosen) > 1:
            raise InvalidEdit(f"{len(chosen)} keys can't all stand at frame {self.frame:g}", self.address)
        landed = tuple(
            k.replaced(
                frame=k.frame + self.by if self.frame is None else self.frame,
                value=k.value + self.rise if self.value is None else self.value,
            )
            for k in chosen
        )
        return merged(channel.keys, landed, gone=chosen)


class ScaleKeys(KeysEdit):
    """Draw keys apart or together about a frame and a value, then move them; with `snap` they land on whole frames."""

    do: Literal["scale-keys"] = "scale-keys"
    verb: ClassVar[str] = "scale"
    frame: InFrames = 0.0
    value: AsThere = 0.0
    stretch: Annotated[Typed, Field(ge=1e-3, le=1e3)] = 1.0
    height: Typed = 1.0
    by: InFrames = 0.0
    rise: AsThere = 0.0
    snap: bool = False

    def changed(self, channel: Channel, chosen: tuple[Key, ...], fps: float) -> tuple[Key, ...]:
        apart = (scaled(k, self.frame, self.value, self.stretch, self.height) for k in chosen)
        landed = tuple(k.replaced(frame=k.frame + self.by, value=k.value + self.rise) for k in apart)
        return merged(channel.keys, _snapped(landed) if self.snap else landed, gone=chosen)


class SnapKeys(KeysEdit):
    """Put keys on the nearest whole frames. Of two that meet, the later stays."""

    do: Literal["snap-keys"] = "snap-keys"
    verb: ClassVar[str] = "snap"

    def changed(self, channel: Channel, chosen: tuple[Key, ...], fps: float) -> tuple[Key, ...]:
        return merged(channel.keys, _snapped(chosen), gone=chosen)


class ShapeKeys(KeysEdit):
    """Change how the curve passes keys: slopes, joined or on one side, and how it goes on."""

    do: Literal["shape-keys"] = "shape-keys"
    verb: ClassVar[str] = "shape"
    slope: Typed | Literal["auto", "flat", "straight", "join"] | None = None
    """`join` gives both sides the mean of the two; a number is units per second."""
    side: Literal["both", "in", "out"] = "both"
    go: Go | None = None

    def changed(self, channel: Channel, chosen: tuple[Key, ...], fps: float) -> tuple[Key, ...]:
        curve, shaped = channel.curve(fps), {id(key) for key in chosen}
        out = []
        for key, a, b in zip(channel.keys, curve.slopes_in, curve.slopes_out, strict=True):
            if id(key) not in shaped:
                out.append(key)
                continue
            changes: dict[str, object] = {"go": self.go} if self.go else {}
            if self.slope is not None:
                slope = {"auto": None, "flat": 0.0, "join": float(a + b) / 2}.get(str(self.slope), self.slope)
                sides = ("in", "out") if self.side == "both" or self.slope == "join" else (self.side,)
                changes |= {f"slope_{side}": slope for side in sides}
            out.append(key.replaced(**changes))
        return tuple(out)


class RemoveKeys(KeysEdit):
    """Take keys away. The last one leaves its value behind as the constant."""

    do: Literal["remove-keys"] = "remove-keys"
    verb: ClassVar[str] = "remove"

    def apply(self, scene: Scene) -> Scene:
        address = Address.parse(self.address)
        gone = keys_at(find(scene, address).channel.keys, self.frames, self.address)

        def remove(channel: Channel) -> Channel:
            left = merged(channel.keys, (), gone)
            return channel.replaced(keys=left, value=channel.value if left else gone[0].value)

        return write(scene, address, remove)


class ThinKeys(KeysEdit):
    """From the first to the last of these keys, keep as few as hold the curve within a tolerance."""

    do: Literal["thin-keys"] = "thin-keys"
    verb: ClassVar[str] = "thin out"
    tolerance: Annotated[AsThere, Field(gt=0)]

    def changed(self, channel: Channel, chosen: tuple[Key, ...], fps: float) -> tuple[Key, ...]:
        first, last = min(chosen, key=lambda k: k.frame), max(chosen, key=lambda k: k.frame)
        return thinned(channel, first, last, self.tolerance, fps)


class SmoothKeys(KeysEdit):
    """Draw values toward the line between their neighbours: 0 leaves them, 1 lays them on it."""

    do: Literal["smooth-keys"] = "smooth-keys"
    verb: ClassVar[str] = "smooth"
    amount: Annotated[Typed, Field(ge=0, le=1)] = 0.5

    def changed(self, channel: Channel, chosen: tuple[Key, ...], fps: float) -> tuple[Key, ...]:
        return smoothed(channel.keys, chosen, self.amount)


class PasteKeys(Edit):
    """Put copied keys at a frame, the first of them there: among those that are there, or in place of those between."""

    do: Literal["paste-keys"] = "paste-keys"
    address: str
    keys: Annotated[tuple[Key, ...], Field(min_length=1, max_length=MOST_KEYS)]
    frame: InFrames
    how: Literal["among", "instead"] = "instead"

    def apply(self, scene: Scene) -> Scene:
        address = Address.parse(self.address)
        place = find(scene, address)
        by = self.frame - min(key.frame for key in self.keys)
        landed = tuple(key.replaced(frame=key.frame + by) for key in self.keys)
        for key in landed:
            check(place.quantity, key.value, title(scene, address), self.address)
        last = max(key.frame for key in landed)

        def paste(channel: Channel) -> Channel:
            between = tuple(k for k in channel.keys if self.frame <= k.frame <= last) if self.how == "instead" else ()
            return channel.replaced(keys=merged(channel.keys, landed, gone=between))

        return write(scene, address, paste)

    def describe(self, scene: Scene) -> str:
        count = "a key" if len(self.keys) == 1 else f"{len(self.keys)} keys"
        return f"paste {count} on {title(scene, Address.parse(self.address))}"


class SetBeyond(Edit):
    """What the base does before its first key and after its last."""

    do: Literal["beyond"] = "beyond"
    address: str
    before: Beyond | None = None
    after: Beyond | None = None

    def apply(self, scene: Scene) -> Scene:
        address = Address.parse(self.address)
        if not find(scene, address).channel.keys:
            raise InvalidEdit(f"'{title(scene, address)}' has no keys that could go on", self.address)
        ways = {side: way for side, way in (("before", self.before), ("after", self.after)) if way}
        return write(scene, address, lambda channel: channel.replaced(**ways))

    def describe(self, scene: Scene) -> str:
        return f"beyond the keys of {title(scene, Address.parse(self.address))}"


def check(quantity: Quantity, value: float, name: str, where: str) -> None:
    """Raise InvalidEdit if a number may not have this value."""
    if problem := quantity.checked(value):
        raise InvalidEdit(f"{name} {problem}; {value:g} was given", where)


def base_at(channel: Channel, frame: float, fps: float) -> float:
    """The base at a frame."""
    if not channel.keys:
        return channel.value
    return float(channel.curve(fps).at(np.array([frame]), fps)[0])


def go_at(channel: Channel, frame: float) -> Go:
    """A new key goes on as the stretch does that it is put into."""
    before = [key for key in channel.keys if key.frame <= frame]
    return before[-1].go if before else "cubic"


def _snapped(keys: tuple[Key, ...]) -> tuple[Key, ...]:
    at: dict[float, Key] = {}
    for key in sorted(keys, key=lambda k: k.frame):
        at[float(round(key.frame))] = key.replaced(frame=float(round(key.frame)))
    return tuple(at.values())
