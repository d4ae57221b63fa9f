"""Edits of a number's base as a whole: its constant, or a change by so much wherever it is."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from lazzik.core.channel.channel import Channel
from lazzik.core.channel.key_ops import key_at, merged
from lazzik.core.channel.keys import Key
from lazzik.core.document import AsThere, InFrames, Typed
from lazzik.core.errors import InvalidEdit
from lazzik.core.scene.address import Address, find, title, write
from lazzik.core.scene.edits.base import Edit
from lazzik.core.scene.edits.keys import base_at, check, go_at
from lazzik.core.scene.scene import Scene


class SetNumber(Edit):
    """Give a number that has no keys another constant."""

    do: Literal["set"] = "set"
    address: str
    value: AsThere

    def apply(self, scene: Scene) -> Scene:
        address = Address.parse(self.address)
        place = find(scene, address)
        if place.channel.keys:
            raise InvalidEdit(f"'{title(scene, address)}' has keys: put a key at a frame instead", self.address)
        check(place.quantity, self.value, title(scene, address), self.address)
        return write(scene, address, lambda channel: channel.replaced(value=self.value))

    def describe(self, scene: Scene) -> str:
        return f"set {title(scene, Address.parse(self.address))}"


class Nudge(Edit):
    """Change a base by so much: at a frame, by a key there, where it has keys or `key` asks for one; else throughout.

    `snap` lands on a whole multiple of it.
    """

    do: Literal["nudge"] = "nudge"
    address: str
    by: AsThere
    frame: InFrames
    key: bool = False
    snap: Annotated[Typed, Field(ge=0)] = 0.0

    def apply(self, scene: Scene) -> Scene:
        address = Address.parse(self.address)
        place = find(scene, address)
        value = base_at(place.channel, self.frame, scene.fps) + self.by
        if self.snap:
            value = round(value / self.snap) * self.snap
        check(place.quantity, value, title(scene, address), self.address)

        def moved(channel: Channel) -> Channel:
            if not channel.keys and not self.key:
                return channel.replaced(value=value)
            here = key_at(channel.keys, self.frame)
            key = (
                here.replaced(value=value)
                if here
                else Key(frame=self.frame, value=value, go=go_at(channel, self.frame))
            )
            return channel.replaced(keys=merged(channel.keys, (key,)))

        return write(scene, address, moved)

    def describe(self, scene: Scene) -> str:
        return f"move {title(scene, Address.parse(self.address))}"
