"""Particles made objects: each a copy of what is drawn, or a small ball, with keys from its birth to its death.

Position, turn and size are keyed within KEPT_TO of the run, at every frame and three sub-frames of it; on frames on
which a particle does not live its size is 0. Of many, evenly chosen ones are made.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator
from dataclasses import dataclass, field

import numpy as np

from lazzik.core.bake.real import keyed
from lazzik.core.cache import Storage
from lazzik.core.channel.channel import Channel
from lazzik.core.channel.keys import Key
from lazzik.core.errors import InvalidEdit
from lazzik.core.fitting.fitting import fit
from lazzik.core.fitting.minimax import PER_FRAME
from lazzik.core.geometry.primitives import Ball
from lazzik.core.progress import UNHEARD, Progress
from lazzik.core.scene.edits.base import Edit
from lazzik.core.scene.edits.emitters import emitter_of
from lazzik.core.scene.edits.objects import BringIn, ChangeObject
from lazzik.core.scene.node import Color, Look, Node, Position, Rotation, Scale
from lazzik.core.scene.rest_pose import across
from lazzik.core.scene.scene import Scene
from lazzik.core.simulate.kept import KeptFrames
from lazzik.core.simulate.looks import colors_of, sizes_of, turns_of
from lazzik.core.simulate.particles import Moment, Particles
from lazzik.core.simulate.playback import Playback
from lazzik.core.types import Points, Samples

MOST_FLOWN = 300
"""Particles that become objects in one step."""

KEPT_TO = (0.001, 0.5, 0.005)
"""Metres, degrees and parts of its size within which keys keep to a particle."""

SAME_BIRTH = 0.25
"""Frames within which two births of the same number are one: in a loop numbers come again."""


@dataclass(eq=False)
class _Track:
    """One particle over the moments at which it lives: rows of where it is, how large, how turned, and its colour."""

    id: int
    born: float
    first: int
    """The moment at which it is seen first, PER_FRAME to a frame."""
    rows: list[Samples] = field(default_factory=list)

    @property
    def frames(self) -> tuple[int, int]:
        """The first and the last whole frame at which it is seen, counted from the range's first; none where the first
        is beyond the last."""
        return -(-self.first // PER_FRAME), (self.first + len(self.rows) - 1) // PER_FRAME


def made_objects(
    scene: Scene, slug: str, most: int, storage: Storage[KeptFrames], progress: Progress = UNHEARD
) -> list[Edit]:
    """The edits that make particles objects, and hide what sent them out. Raises Stopped.

    Raises
    ------
    UnknownAddress, InvalidEdit
        If there is no such object, if it sends out nothing, if nothing comes over the range, or if `most` is too many.
    """
    node, emitter = emitter_of(scene, slug)
    if not 1 <= most <= MOST_FLOWN:
        raise InvalidEdit(f"From 1 to {MOST_FLOWN} particles become objects in one step; {most} were asked for", "most")
    playback = Playback(scene, slug, storage)
    chosen = _chosen(scene, playback, most, progress.part(0.0, 0.4))
    if not len(chosen):
        raise InvalidEdit(f"{node.label} sends out no particles over the range", slug)
    found = _tracks(scene, playback, set(chosen.tolist()), progress.part(0.4, 0.8))
    tracks = [track for track in found if track.frames[0] <= track.frames[1]][:MOST_FLOWN]
    source = scene.by_id.get(emitter.copy_of or "") if emitter.drawn == "copies" else None
    stem = slug[:48].rstrip("-")  # names may be 64 letters long
    group = Node(id=f"{stem}-objects", label=f"{node.label}, as objects")
    nodes = [group]
    for k, track in enumerate(progress.part(0.8, 1.0).over(tracks, lambda track: f"particle {track.id}")):
        nodes += _object(scene, group, f"{stem}-{k + 1}", f"{node.label} {k + 1}", track, source)
    bring = BringIn(label=f"{len(tracks)} of {node.label}", nodes=tuple(nodes))
    return [bring, ChangeObject(node=slug, visible=False)]


def _chosen(scene: Scene, playback: Playback, most: int, progress: Progress) -> Samples:
    """The numbers of those that are made, evenly among all that are seen over the range."""
    seen: set[int] = set()
    for moment in _heard(playback, scene.clock().frames, progress):
        seen.update(moment.ids.tolist())
    ids = np.array(sorted(seen))
    return ids if len(ids) <= most else ids[np.unique(np.linspace(0, len(ids) - 1, most).astype(int))]


def _tracks(scene: Scene, playback: Playback, chosen: set[int], progress: Progress) -> list[_Track]:
    """The chosen particles over the range, PER_FRAME moments to a frame, in the order in which they are seen."""
    run = Particles(scene, playback.slug)
    wanted = np.array(sorted(chosen))
    tracks: dict[int, list[_Track]] = defaultdict(list)
    for place, whole in enumerate(_heard(playback, scene.clock(PER_FRAME).frames, progress)):
        moment = whole.only(np.isin(whole.ids, wanted))
        born = moment.frame - moment.ages * scene.fps
        rows = _rows(scene, run, moment)
        for n, particle in enumerate(moment.ids.tolist()):
            own = next((t for t in tracks[particle] if abs(t.born - born[n]) < SAME_BIRTH), None)
            if own is None:
                own = _Track(particle, float(born[n]), place)
                tracks[particle].append(own)
            own.rows.append(rows[n])
    return sorted((track for each in tracks.values() for track in each), key=lambda track: (track.first, track.id))


def _heard(playback: Playback, frames: Samples, progress: Progress) -> Iterator[Moment]:
    for place, moment in enumerate(playback.moments(frames, progress)):
        progress.report(place / len(frames), f"frame {frames[place]:.0f}")
        yield moment


def _rows(scene: Scene, run: Particles, moment: Moment) -> Points:
    """(n, 12) place, size, quaternion, colour, how solid."""
    looks = (scene, run.node.id, run.emitter, run.seed, moment)
    return np.concatenate(
        [moment.places, sizes_of(*looks)[:, None], turns_of(*looks), colors_of(run.emitter, moment)], axis=1
    )


def _object(scene: Scene, group: Node, slug: str, label: str, track: _Track, source: Node | None) -> list[Node]:
    """A particle as an object: a ball in its colour, or what is copied with all below it."""
    from scipy.spatial.transform import Rotation as Turn

    begin, end = track.frames
    rows = np.array(track.rows[PER_FRAME * begin - track.first : PER_FRAME * end - track.first + 1])
    first = float(scene.first + begin)
    size = rows[:, 3] / (across(scene, source) if source is not None else 1.0)
    angles = np.degrees(np.unwrap(Turn.from_quat(rows[:, 4:8]).as_euler("XYZ", suppress_warnings=True), axis=0))
    sized = _living(scene, size, first, KEPT_TO[2] * float(max(size.max(), 1e-9)))
    root = Node(
        id=slug, label=label, parent=group.id,
        position=Position(**{axis: keyed(rows[:, n], first, scene.fps, KEPT_TO[0]) for n, axis in enumerate("xyz")}),
        rotation=Rotation(**{axis: keyed(angles[:, n], first, scene.fps, KEPT_TO[1]) for n, axis in enumerate("xyz")})
        if source is not None else Rotation(),
        scale=Scale(x=sized, y=sized, z=sized),
    )  # fmt: skip
    if source is None:
        color = Color(**{part: keyed(rows[:, 8 + n], first, scene.fps, 0.01) for n, part in enumerate("rgb")})
        return [root.replaced(shape=Ball(kind="ball", around=10, along=6), look=Look(color=color))]
    nodes, within = [root], list(scene.within(source))
    names = {inner.id: f"{slug}-{n}" for n, inner in enumerate(within)}
    for inner in within:
        own = inner.replaced(id=names[inner.id], parent=names.get(inner.parent or "", root.id))
        nodes.append(own.replaced(parent=root.id, position=Position(), visible=True) if inner is source else own)
    return nodes


def _living(scene: Scene, samples: Samples, first: float, tolerance: float) -> Channel:
    """A number with keys within a tolerance, 0 before the first frame of its samples and after their last."""
    keys = list(fit(np.ascontiguousarray(samples), first, scene.fps, tolerance))
    last = first + (len(samples) - 1) / PER_FRAME
    if first > scene.first:
        keys.insert(0, Key(frame=first - 1, value=0.0, go="step"))
    if last < scene.last:
        keys[-1] = keys[-1].replaced(go="step")
        if keys[-1].frame < last:
            keys.append(Key(frame=last, value=float(samples[-1]), go="step"))
        keys.append(Key(frame=last + 1, value=0.0, go="step"))
    return Channel(value=float(samples[0]), keys=tuple(keys))
