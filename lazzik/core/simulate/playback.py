"""A run as it is seen at the scene's frames: at its own pace, slower, faster or backwards.

The frame of the run that is seen at a frame of the scene is r(f) = r₀ + ∫ tempo df from the scene's first frame on. r₀
is that first frame too, or the last where tempo is below 0 there. Tempo is read at whole frames, straight in between;
before the run begins its first frame is seen.

In a loop of L frames the end of cloth and of a swarm is blended into its beginning: over n frames

    x(f) = (1 − s)·run(f + L) + s·run(f),   s = smoothstep(f / n)

so that value and slope meet; what lies far apart at both ends is drawn together for as long as that takes.
"""

from __future__ import annotations

import math
from collections.abc import Iterator

import numpy as np

from lazzik.core.cache import Storage
from lazzik.core.clock import Clock
from lazzik.core.evaluate.evaluator import value_of
from lazzik.core.evaluate.scope import Scope
from lazzik.core.hermite import smoothstep
from lazzik.core.progress import UNHEARD, Progress
from lazzik.core.scene.carried import Blended
from lazzik.core.scene.scene import Scene
from lazzik.core.simulate.between import between, mixed
from lazzik.core.simulate.kept import KeptFrames
from lazzik.core.simulate.particles import Moment
from lazzik.core.simulate.run import STRETCH, Stretches, carried_of
from lazzik.core.types import Samples


def run_frames(scene: Scene, slug: str, frames: Samples) -> Samples:
    """The frames of an object's run that are seen at frames of the scene.

    Parameters
    ----------
    frames : (n,) array
        Of the scene, with their part.

    Returns
    -------
    (n,) array
        Of the run, with their part.
    """
    node, carried = carried_of(scene, slug)
    if carried.tempo == 1.0:
        return np.maximum(frames, float(scene.first))
    last = max(scene.last, math.ceil(float(frames.max())))
    clock = Clock.over(scene.fps, scene.first, last + 1)
    given = np.asarray(value_of(carried, "tempo", clock, Scope(scene, None, []).at(node.id)), dtype=float)
    tempo = np.broadcast_to(np.nan_to_num(given), clock.frames.shape)
    begins = float(scene.first if tempo[0] >= 0 else scene.last)
    whole = begins + np.concatenate([[0.0], np.cumsum(0.5 * (tempo[1:] + tempo[:-1]))])
    since = np.clip(frames - scene.first, 0.0, len(whole) - 1.5)
    k = since.astype(int)
    part = since - k
    seen = whole[k] + part * tempo[k] + 0.5 * part**2 * (tempo[k + 1] - tempo[k])
    return np.asarray(np.maximum(seen, float(scene.first)))


def seams(scene: Scene, slug: str) -> tuple[int, int]:
    """The length of the loop of a run that does not close by itself, in frames, and over how many of them its
    end is blended into its beginning; 0 and 0 where it has none."""
    node, carried = carried_of(scene, slug)
    loop = round(carried.loop) if carried.loop is not None else 0
    if loop < 1 or not isinstance(carried, Blended):
        return 0, 0
    now = scene.clock().once
    blend = np.nan_to_num(np.asarray(value_of(carried, "blend", now, Scope(scene, None, []).at(node.id)), dtype=float))
    return loop, min(max(round(float(blend.reshape(-1)[0])), 0), loop)


def runs_mixed(scene: Scene, slug: str, frames: Samples) -> Samples:
    """The frames of the run, with their part, that are read for frames of the scene, and how they are mixed.

    Parameters
    ----------
    frames : (n,) array
        Of the scene, with their part.

    Returns
    -------
    (3, n) array
        A frame of the run, another one, and how much of the other is mixed in.
    """
    seen = run_frames(scene, slug, frames)
    loop, blend = seams(scene, slug)
    if not loop:
        return np.stack([seen, seen, np.zeros(len(seen))])
    into = np.mod(seen - scene.first, loop)
    begun = into < blend
    share = np.where(begun, 1.0 - np.asarray(smoothstep(into / max(blend, 1))), 0.0)
    return np.stack([scene.first + into, scene.first + into + np.where(begun, loop, 0.0), share])


def frames_read(scene: Scene, slug: str, frames: Samples) -> Samples:
    """The frames of the run of an object that are read for frames of the scene.

    Parameters
    ----------
    frames : (n,) array
        Of the scene, with their part.

    Returns
    -------
    (1 or 2, n) array
        Of the run, with their part.
    """
    return runs_mixed(scene, slug, frames)[: 2 if any(seams(scene, slug)) else 1]


def stretches_read(scene: Scene, slug: str, first: int, last: int) -> int:
    """How many stretches of the run of an object are worked out for frames of the scene."""
    rows = frames_read(scene, slug, np.arange(first, last + 1, dtype=float))
    return math.ceil(float(rows.max()) - scene.first) // STRETCH + 1


class Playback:
    """The particles of an emitter or a swarm at frames of the scene, from stretches that are kept or worked out."""

    def __init__(self, scene: Scene, slug: str, storage: Storage[KeptFrames], *, makes: bool = True) -> None:
        self.scene, self.slug = scene, slug
        self.stretches = Stretches(scene, slug, storage, makes=makes)

    def moments(self, frames: Samples, progress: Progress = UNHEARD) -> Iterator[Moment]:
        """The particles at frames of the scene, one after the other; `Moment.frame` is that of the run. Raises Stopped.

        Parameters
        ----------
        frames : (n,) array
            Of the scene, with their part.
        """
        for one, other, share in runs_mixed(self.scene, self.slug, frames).T.tolist():
            progress.hear()
            moment = self._at(one)
            yield mixed(moment, self._at(other), share) if share > 0.0 else moment

    def _at(self, frame: float) -> Moment:
        whole = math.floor(frame)
        before = self._kept(whole)
        return between(before, self._kept(whole + 1), frame - whole, self.scene.fps) if frame > whole else before

    def _kept(self, frame: int) -> Moment:
        place, k = divmod(frame - self.scene.first, STRETCH)
        moment: Moment = self.stretches.at(place).moments[k]
        return moment
