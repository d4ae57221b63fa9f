"""Edits of clips: keeping one, playing it on numbers, and blending one into another."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from lazzik.core.channel.channel import Channel
from lazzik.core.channel.keys import Key
from lazzik.core.channel.window import Window
from lazzik.core.document import InFrames, Name, Typed
from lazzik.core.errors import InvalidEdit, UnknownAddress
from lazzik.core.layers.clip import Clip, Play, Track
from lazzik.core.layers.link import Link
from lazzik.core.scene.address import Address, exists, find, write
from lazzik.core.scene.clip_blocks import crossfaded
from lazzik.core.scene.dial import TAKEN, Dial
from lazzik.core.scene.edits.base import Edit, free_label, free_slug
from lazzik.core.scene.edits.dials import free_name
from lazzik.core.scene.edits.sheaves import gathered
from lazzik.core.scene.references import readers
from lazzik.core.scene.scene import Scene


class PutClip(Edit):
    """Keep a clip in the scene."""

    do: Literal["put-clip"] = "put-clip"
    clip: Clip

    def apply(self, scene: Scene) -> Scene:
        name = free_name(self.clip.id, {clip.id for clip in scene.clips}, "clip")
        return scene.with_part(self.clip.replaced(id=name))

    def describe(self, scene: Scene) -> str:
        return f"keep clip {self.clip.label}"


class PlayClip(Edit):
    """Play a clip from a frame on, on top of what is there: each track on the number that it came from, or one track
    on others.

    `blend` frames let it come in: by the fade of its window, or with `dial` by a new dial, keyed from 0 to 1, that is
    the weight of all its layers. As a `block` they stay together: a sheaf whose window is as long as the clip, trimmed
    and moved on the ruler, with a dial of its own for its speed; where blocks overlap on the same numbers, the later
    one fades in over the earlier.
    """

    do: Literal["play-clip"] = "play-clip"
    clip: Name
    frame: InFrames
    track: Name | None = None
    addresses: tuple[str, ...] = ()
    after: Literal["hold", "repeat", "alternate", "accumulate"] = "repeat"
    speed: Typed = 1.0
    seam: Annotated[InFrames, Field(ge=0)] = 0.0
    blend: Annotated[InFrames, Field(ge=0)] = 0.0
    dial: bool = False
    block: bool = False

    def apply(self, scene: Scene) -> Scene:
        before = scene
        clip = find_clip(scene, self.clip)
        pairs = self._pairs(scene, clip)
        if not pairs:
            raise InvalidEdit(
                "None of the numbers of this clip are in the scene any more; choose numbers to play it on"
            )
        weight: float | Channel = 1.0
        if self.dial:
            name = free_name(f"{clip.id}_blend", {dial.id for dial in scene.dials}, "blend")
            keys = (Key(frame=self.frame, value=0.0), Key(frame=self.frame + max(self.blend, 1.0), value=1.0))
            scene = scene.with_part(
                Dial(id=name, label=f"{clip.label[:110]} blend", value=Channel(keys=keys), unit="", low=0.0, high=1.0)
            )
            link = Link(kind="link", id="blend", label="Blend", source=f"dials/{name}")
            weight = Channel(value=1.0, layers=(link,))
        window = (
            Window(start=self.frame, fade_in=self.blend) if self.blend and not self.dial else Window(start=self.frame)
        )
        speed: float | Channel = self.speed
        if self.block:
            length = clip.length / abs(self.speed) if self.speed else clip.length
            window = window.replaced(end=self.frame + float(round(length)))
            scene, speed = self._with_speed(scene, clip)
        played: list[str] = []
        for text, track in pairs:
            address = Address.parse(text)
            slug = free_slug(clip.label, {layer.id for layer in find(scene, address).channel.layers})
            layer = Play(
                kind="clip", id=slug, label=clip.label, source=clip.address(track), start=self.frame, speed=speed,
                seam=self.seam, after=self.after, weight=weight, window=window,
            )  # fmt: skip
            scene = write(scene, address, lambda c, layer=layer: c.replaced(layers=(*c.layers, layer)))  # type: ignore[misc]
            played.append(f"{address}#{slug}")
        return crossfaded(before, gathered(scene, played, clip.label)) if self.block else scene

    def _with_speed(self, scene: Scene, clip: Clip) -> tuple[Scene, Channel]:
        """The scene with a dial for a block's speed, and a number that reads it."""
        name = free_name(f"{clip.id}_speed", {dial.id for dial in scene.dials} | TAKEN, "speed")
        label = free_label(f"{clip.label[:110]} speed", {dial.label for dial in scene.dials})
        dial = Dial(id=name, label=label, value=self.speed, unit="×", low=0.0, high=2.0)
        link = Link(kind="link", id="speed", label="Speed", source=f"dials/{name}")
        return scene.with_part(dial), Channel(value=self.speed, layers=(link,))

    def _pairs(self, scene: Scene, clip: Clip) -> list[tuple[str, Track]]:
        if self.addresses:
            track = clip.track(self.track) if self.track else clip.tracks[0]
            if track is None:
                raise UnknownAddress(f"The clip {clip.label} has no track '{self.track}'", self.track or "")
            return [(text, track) for text in self.addresses]
        return [(track.origin, track) for track in clip.tracks if exists(scene, track.origin)]

    def describe(self, scene: Scene) -> str:
        return f"play clip {find_clip(scene, self.clip).label} from {self.frame:g}"


class RemoveClip(Edit):
    """Forget a clip. One that is played stays."""

    do: Literal["remove-clip"] = "remove-clip"
    clip: Name

    def apply(self, scene: Scene) -> Scene:
        gone = find_clip(scene, self.clip)
        own = {gone.address(track) for track in gone.tracks}
        using = [address for address, reads in readers(scene) if reads & own]
        if using:
            more = f" and {len(using) - 1} more" if len(using) > 1 else ""
            raise InvalidEdit(f"The clip {gone.label} is played on {using[0]}{more}; take it off there first")
        return scene.replaced(clips=tuple(clip for clip in scene.clips if clip is not gone))

    def describe(self, scene: Scene) -> str:
        return f"remove clip {find_clip(scene, self.clip).label}"


def find_clip(scene: Scene, name: str) -> Clip:
    """A clip of the scene. Raises UnknownAddress."""
    found = next((clip for clip in scene.clips if clip.id == name), None)
    if found is None:
        raise UnknownAddress(f"There is no clip '{name}' in this scene", f"clips/{name}")
    return found
