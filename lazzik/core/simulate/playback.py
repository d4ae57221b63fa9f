"""A run as it is seen at the scene's frames: at its own pace, slower, faster or backwards.

The frame of the run that is seen at a frame of the scene is r(f) = r₀ + ∫ tempo df from the scene's first frame on. r₀
is that first frame too, or the last where tempo is below 0 there. Tempo is read at whole frames, straight in between;
before the run begins its first frame is seen.
"""

from __future__ import annotations

import math
from collections.abc import Iterator

import numpy as np

from lazzik.core.cache import Shelf
from lazzik.core.clock import Clock
from lazzik.core.evaluate.evaluator import value_of
from lazzik.core.evaluate.scope import Scope
from lazzik.core.progress import UNHEARD, Progress
from lazzik.core.scene.edits.emitters import emitter_of
from lazzik.core.scene.scene import Scene
from lazzik.core.simulate.between import between
from lazzik.core.simulate.particles import Moment
from lazzik.core.simulate.run import STRETCH, KeptFrames, Stretches
from lazzik.core.types import Samples


def run_frames(scene: Scene, slug: str, frames: Samples) -> Samples:
    """The frames of an emitter's run that are seen at frames of the scene.

    Parameters
    ----------
    frames : (n,) array
        Of the scene, with their part.

    Returns
    -------
    (n,) array
        Of the run, with their part.
    """
    node, emitter = emitter_of(scene, slug)
    if emitter.tempo == 1.0:
        return np.maximum(frames, float(scene.first))
    last = max(scene.last, math.ceil(float(frames.max())))
    clock = Clock.over(scene.fps, scene.first, last + 1)
    given = np.asarray(value_of(emitter, "tempo", clock, Scope(scene, None, []).at(node.id)), dtype=float)
    tempo = np.broadcast_to(np.nan_to_num(given), clock.frames.shape)
    begins = float(scene.first if tempo[0] >= 0 else scene.last)
    whole = begins + np.concatenate([[0.0], np.cumsum(0.5 * (tempo[1:] + tempo[:-1]))])
    since = np.clip(frames - scene.first, 0.0, len(whole) - 1.5)
    k = since.astype(int)
    part = since - k
    seen = whole[k] + part * tempo[k] + 0.5 * part**2 * (tempo[k + 1] - tempo[k])
    return np.asarray(np.maximum(seen, float(scene.first)))


def stretches_seen(scene: Scene, slug: str, first: int, last: int) -> tuple[int, int]:
    """The first and the last stretch of the run that is seen over frames of the scene."""
    seen = run_frames(scene, slug, np.arange(first, last + 1, dtype=float)) - scene.first
    return int(seen.min()) // STRETCH, math.ceil(float(seen.max())) // STRETCH


class Playback:
    """The particles of an emitter at frames of the scene, from stretches that are kept or worked out."""

    def __init__(self, scene: Scene, slug: str, shelf: Shelf[KeptFrames], *, makes: bool = True) -> None:
        self.scene, self.slug = scene, slug
        self.stretches = Stretches(scene, slug, shelf, makes=makes)

    def moments(self, frames: Samples, progress: Progress = UNHEARD) -> Iterator[Moment]:
        """The particles at frames of the scene, one after the other; `Moment.frame` is that of the run. Raises Stopped.

        Parameters
        ----------
        frames : (n,) array
            Of the scene, with their part.
        """
        for frame in run_frames(self.scene, self.slug, frames).tolist():
            progress.hear()
            whole = math.floor(frame)
            before = self._kept(whole)
            yield between(before, self._kept(whole + 1), frame - whole, self.scene.fps) if frame > whole else before

    def _kept(self, frame: int) -> Moment:
        place, k = divmod(frame - self.scene.first, STRETCH)
        return self.stretches.at(place).moments[k]
