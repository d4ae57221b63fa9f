"""A stretch of motion as a clip: keys alone are taken as they are, anything else is fitted."""

from __future__ import annotations

from lazzik.core.bake.baking import TOLERANCES, BakePlan, bake_channel
from lazzik.core.channel.channel import Channel
from lazzik.core.channel.key_ops import inserted
from lazzik.core.channel.keys import PLAYED, Key
from lazzik.core.errors import InvalidEdit
from lazzik.core.evaluate.memo import Memo
from lazzik.core.layers.clip import MOST_TRACKS, Clip, Track
from lazzik.core.scene.address import Address, find, title
from lazzik.core.scene.edits.clips import PutClip
from lazzik.core.scene.edits.dials import free_name
from lazzik.core.scene.scene import Scene

FINER = 0.25
"""Clips are played over and again, so they are fitted to this part of what a bake allows."""


def clip_from(
    scene: Scene, label: str, addresses: list[str], first: int, last: int, memo: Memo | None = None
) -> PutClip:
    """The edit that keeps what these numbers do from one frame to another. Raises UnknownAddress, InvalidEdit."""
    if not addresses:
        raise InvalidEdit("Nothing is chosen for the clip", "addresses")
    if len(addresses) > MOST_TRACKS:
        raise InvalidEdit(f"A clip holds at most {MOST_TRACKS} numbers; {len(addresses)} were chosen", "addresses")
    plan = BakePlan(first, last, tolerances={unit: FINER * within for unit, within in TOLERANCES.items()})
    tracks: list[Track] = []
    for text in dict.fromkeys(addresses):
        address = Address.parse(text).channel
        place = find(scene, address)
        keys = _cut(place.channel, first, last, scene.fps) or bake_channel(scene, str(address), plan, memo).keys
        name = free_name(title(scene, address), {track.id for track in tracks}, "track")
        motion = Channel(keys=tuple(key.replaced(frame=key.frame - first) for key in keys))
        tracks.append(
            Track(
                id=name, label=title(scene, address)[:120], unit=place.quantity.unit, origin=str(address), motion=motion
            )
        )
    name = free_name(label, {clip.id for clip in scene.clips}, "clip")
    return PutClip(clip=Clip(id=name, label=label, length=float(last - first), tracks=tuple(tracks)))


def _cut(channel: Channel, first: int, last: int, fps: float) -> tuple[Key, ...]:
    """The keys of a stretch, with keys on the curve at both its ends; () where they alone do not say the motion."""
    played = len(channel.keys) > 1 and (channel.before in PLAYED or channel.after in PLAYED)
    if channel.sounding or played:
        return ()
    cut = channel
    for frame in (first, last):
        cut = cut.replaced(keys=inserted(cut, float(frame), fps))
    return tuple(key for key in cut.keys if first <= key.frame <= last)
