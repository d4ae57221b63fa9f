"""Particles as formats read them: frame by frame, from runs that are kept or worked out as they are asked for."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import NamedTuple

import numpy as np

from lazzik.core.cache import Storage
from lazzik.core.errors import InvalidEdit
from lazzik.core.progress import UNHEARD, Progress
from lazzik.core.scene.node import Node
from lazzik.core.scene.scene import Scene
from lazzik.core.simulate.cloth import ClothRun
from lazzik.core.simulate.kept import KeptFrames
from lazzik.core.simulate.particles import Moment, Particles
from lazzik.core.simulate.playback import Playback, seams
from lazzik.core.simulate.run import FolderStorage, carried_of, simulation_of
from lazzik.core.simulate.swarm import SwarmRun
from lazzik.core.types import Samples


class Emitted(NamedTuple):
    """The particles of one emitter or swarm at one frame."""

    slug: str
    run: Particles | SwarmRun
    frame: int
    """Of the scene."""
    moment: Moment


def particles_in(scene: Scene, only: Sequence[str] = ()) -> list[str]:
    """The objects that are seen as particles, emitters and swarms: those that are named, or all that are shown.

    Raises
    ------
    UnknownAddress
        If there is no such object.
    InvalidEdit
        If one that is named has no particles, or nothing in the scene has.
    """
    for slug in only:
        if not _has_particles(scene.node(slug)):
            raise InvalidEdit(f"{scene.called[slug]} has no particles", slug)
    found = list(only) or [node.id for node in scene.nodes if _has_particles(node) and node.visible]
    if not found:
        raise InvalidEdit("Nothing in this scene has particles", "only")
    return found


def _has_particles(node: Node) -> bool:
    return node.emitter is not None or node.swarm is not None


def emitted(
    scene: Scene,
    slugs: Sequence[str],
    first: int,
    last: int,
    progress: Progress = UNHEARD,
    storage: Storage[KeptFrames] | None = None,
) -> Iterator[Emitted]:
    """The particles of emitters and swarms, one after the other, at every frame from one to another: those of the
    runs that are kept in a storage, or worked out. Raises Stopped, and InvalidEdit where a locked run is not there."""
    frames = np.arange(first, last + 1, dtype=float)
    for place, slug in enumerate(slugs):
        part = progress.part(place / len(slugs), (place + 1) / len(slugs))
        run, label = simulation_of(scene, slug), scene.called[slug]
        assert not isinstance(run, ClothRun)
        for frame, moment in zip(range(first, last + 1), _moments(scene, run, frames, storage, part), strict=True):
            part.report((frame - first + 1) / (last - first + 1), f"{label}, frame {frame}")
            yield Emitted(slug, run, frame, moment)


def _moments(
    scene: Scene, run: Particles | SwarmRun, frames: Samples, storage: Storage[KeptFrames] | None, progress: Progress
) -> Iterator[Moment]:
    """At the scene's frames. A run that is played as it is worked out goes by without being kept."""
    part = carried_of(scene, run.node.id)[1]
    plain = part.tempo == 1.0 and part.locked is None and not any(seams(scene, run.node.id))
    if storage is None and plain:
        yield from (moment for moment, _ in run.frames(int(frames[0]), int(frames[-1]), progress=progress))
        return
    with TemporaryDirectory() as folder:
        yield from Playback(scene, run.node.id, storage or FolderStorage(Path(folder))).moments(frames, progress)
