"""Edits of a number's base: its constant and its keys."""

from __future__ import annotations

from typing import Literal

import numpy as np

from lazzik.core.channel.channel import Channel
from lazzik.core.channel.keys import SAME_FRAME, Go, Key
from lazzik.core.document import Quantity, Typed
from lazzik.core.errors import InvalidEdit
from lazzik.core.scene.address import Address, find, title, write
from lazzik.core.scene.edits.base import Edit
from lazzik.core.scene.scene import Scene


class SetNumber(Edit):
    """Give a number that has no keys another constant."""

    do: Literal["set"] = "set"
    address: str
    value: Typed

    def apply(self, scene: Scene) -> Scene:
        address = Address.parse(self.address)
        place = find(scene, address)
        if place.channel.keys:
            raise InvalidEdit(f"'{title(scene, address)}' has keys: put a key at a frame instead", self.address)
        _check(place.quantity, self.value, title(scene, address), self.address)
        return write(scene, address, lambda channel: channel.replaced(value=self.value))

    def said(self, scene: Scene) -> str:
        return f"set {title(scene, Address.parse(self.address))}"


class PutKey(Edit):
    """Put a key at a frame; one that is there already is replaced. Without a value it takes the base's own there."""

    do: Literal["put-key"] = "put-key"
    address: str
    frame: Typed
    value: Typed | None = None
    slope_in: Typed | None = None
    slope_out: Typed | None = None
    go: Go | None = None

    def apply(self, scene: Scene) -> Scene:
        address = Address.parse(self.address)
        place = find(scene, address)
        if self.value is not None:
            _check(place.quantity, self.value, title(scene, address), self.address)

        def put(channel: Channel) -> Channel:
            here = next((k for k in channel.keys if abs(k.frame - self.frame) < SAME_FRAME), None)
            value = self.value if self.value is not None else _base_at(channel, self.frame, scene.fps)
            go = self.go or (here.go if here else _go_at(channel, self.frame))
            key = Key(frame=self.frame, value=value, slope_in=self.slope_in, slope_out=self.slope_out, go=go)
            return channel.replaced(keys=_merged(channel.keys, (key,), gone=()))

        return write(scene, address, put)

    def said(self, scene: Scene) -> str:
        return f"key at {self.frame:g} on {title(scene, Address.parse(self.address))}"


class MoveKeys(Edit):
    """Move keys in frame and value. A key that lands on one left behind takes its place."""

    do: Literal["move-keys"] = "move-keys"
    address: str
    frames: tuple[Typed, ...]
    by: Typed = 0.0
    rise: Typed = 0.0

    def apply(self, scene: Scene) -> Scene:
        address = Address.parse(self.address)
        place = find(scene, address)
        moving = _keys_at(place.channel, self.frames, self.address)
        for key in moving:
            _check(place.quantity, key.value + self.rise, title(scene, address), self.address)
        landed = tuple(k.replaced(frame=k.frame + self.by, value=k.value + self.rise) for k in moving)
        return write(scene, address, lambda channel: channel.replaced(keys=_merged(channel.keys, landed, gone=moving)))

    def said(self, scene: Scene) -> str:
        count = "a key" if len(self.frames) == 1 else f"{len(self.frames)} keys"
        return f"move {count} of {title(scene, Address.parse(self.address))}"


class RemoveKeys(Edit):
    """Take keys away. The last one leaves its value behind as the constant."""

    do: Literal["remove-keys"] = "remove-keys"
    address: str
    frames: tuple[Typed, ...]

    def apply(self, scene: Scene) -> Scene:
        address = Address.parse(self.address)
        gone = _keys_at(find(scene, address).channel, self.frames, self.address)

        def remove(channel: Channel) -> Channel:
            left = tuple(key for key in channel.keys if key not in gone)
            value = channel.value if left else gone[0].value
            return channel.replaced(keys=left, value=value)

        return write(scene, address, remove)

    def said(self, scene: Scene) -> str:
        count = "a key" if len(self.frames) == 1 else f"{len(self.frames)} keys"
        return f"remove {count} of {title(scene, Address.parse(self.address))}"


def _check(quantity: Quantity, value: float, name: str, where: str) -> None:
    if problem := quantity.checked(value):
        raise InvalidEdit(f"{name} {problem}; {value:g} was given", where)


def _base_at(channel: Channel, frame: float, fps: float) -> float:
    if not channel.keys:
        return channel.value
    return float(channel.curve(fps).at(np.array([frame]), fps)[0])


def _go_at(channel: Channel, frame: float) -> Go:
    """A new key goes on as the stretch does that it is put into."""
    before = [key for key in channel.keys if key.frame <= frame]
    return before[-1].go if before else "cubic"


def _keys_at(channel: Channel, frames: tuple[float, ...], where: str) -> tuple[Key, ...]:
    found = []
    for frame in frames:
        key = next((k for k in channel.keys if abs(k.frame - frame) < SAME_FRAME), None)
        if key is None:
            raise InvalidEdit(f"There is no key at frame {frame:g}", where)
        found.append(key)
    if not found:
        raise InvalidEdit("No keys were named", where)
    return tuple(found)


def _merged(keys: tuple[Key, ...], landed: tuple[Key, ...], gone: tuple[Key, ...]) -> tuple[Key, ...]:
    """Keys without the gone ones and without those that a landed key falls on, and the landed ones, in order."""
    left = [k for k in keys if k not in gone and all(abs(k.frame - n.frame) >= SAME_FRAME for n in landed)]
    return tuple(sorted((*left, *landed), key=lambda key: key.frame))
