"""Edits of poses: saving what some bases are at a frame, and placing it as keys at another."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from lazzik.core.channel.key_ops import key_at, merged
from lazzik.core.channel.keys import Key
from lazzik.core.document import InFrames, Label, Name, Typed
from lazzik.core.errors import InvalidEdit, UnknownAddress
from lazzik.core.scene.address import Address, find, title, write
from lazzik.core.scene.edits.base import Edit
from lazzik.core.scene.edits.dials import free_name
from lazzik.core.scene.edits.keys import base_at, check, go_at
from lazzik.core.scene.pose import MOST_VALUES, Held, Pose
from lazzik.core.scene.scene import Scene


class SavePose(Edit):
    """Save the bases of some numbers at a frame. Layers go on riding on them, so they are no part of it."""

    do: Literal["save-pose"] = "save-pose"
    label: Label
    addresses: Annotated[tuple[str, ...], Field(min_length=1, max_length=MOST_VALUES)]
    frame: InFrames

    def apply(self, scene: Scene) -> Scene:
        held = []
        for text in dict.fromkeys(self.addresses):
            channel = find(scene, Address.parse(text).channel).channel
            held.append(Held(address=text, value=base_at(channel, self.frame, scene.fps)))
        name = free_name(self.label, {pose.id for pose in scene.poses}, "pose")
        return scene.replaced(poses=(*scene.poses, Pose(id=name, label=self.label, held=tuple(held))))

    def describe(self, scene: Scene) -> str:
        return f"save pose {self.label}"


class PlacePose(Edit):
    """Key a pose at a frame: `mix` of it, and the rest of another pose, or of what is there. Numbers that are gone are
    passed over."""

    do: Literal["place-pose"] = "place-pose"
    pose: Name
    frame: InFrames
    mix: Annotated[Typed, Field(ge=-1, le=2)] = 1.0
    other: Name | None = None

    def apply(self, scene: Scene) -> Scene:
        values = {held.address: held.value for held in _pose(scene, self.pose).held}
        others = {held.address: held.value for held in _pose(scene, self.other).held} if self.other else {}
        placed = 0
        for text in {**values, **others}:
            address = Address.parse(text)
            try:
                place = find(scene, address)
            except UnknownAddress:
                continue
            there = base_at(place.channel, self.frame, scene.fps)
            rest = others.get(text, values.get(text, there) if self.other else there)
            value = rest + self.mix * (values.get(text, rest) - rest)
            check(place.quantity, value, title(scene, address), text)
            here = key_at(place.channel.keys, self.frame)
            go = here.go if here else go_at(place.channel, self.frame)
            key = here.replaced(value=value) if here else Key(frame=self.frame, value=value, go=go)
            keys = merged(place.channel.keys, (key,))
            scene = write(scene, address, lambda channel, keys=keys: channel.replaced(keys=keys))  # type: ignore[misc]
            placed += 1
        if not placed:
            raise InvalidEdit("None of the numbers of this pose are in the scene any more", self.pose)
        return scene

    def describe(self, scene: Scene) -> str:
        mixed = f" with {_pose(scene, self.other).label}" if self.other else ""
        return f"place pose {_pose(scene, self.pose).label}{mixed} at {self.frame:g}"


class RemovePose(Edit):
    """Forget a pose. What was placed of it stays."""

    do: Literal["remove-pose"] = "remove-pose"
    pose: Name

    def apply(self, scene: Scene) -> Scene:
        gone = _pose(scene, self.pose)
        return scene.replaced(poses=tuple(pose for pose in scene.poses if pose is not gone))

    def describe(self, scene: Scene) -> str:
        return f"remove pose {_pose(scene, self.pose).label}"


def _pose(scene: Scene, name: str | None) -> Pose:
    found = next((pose for pose in scene.poses if pose.id == name), None)
    if found is None:
        raise UnknownAddress(f"There is no pose '{name}' in this scene", name or "")
    return found
