"""Cloth as it is seen: the frames of its run in the scene's time, and its surface with the deformers that act on it.

Between two frames each point goes along the cubic through them whose slopes are those of their neighbours (E. Catmull,
R. Rom, 'A class of local interpolating splines', 1974).
"""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np

from lazzik.core.cache import BoundedCache, Storage
from lazzik.core.clock import Clock
from lazzik.core.evaluate.scope import Scope
from lazzik.core.evaluate.shapes import hangs_as_cloth
from lazzik.core.evaluate.surface import Surface, surface_of
from lazzik.core.progress import UNHEARD, Progress
from lazzik.core.scene.node import Node
from lazzik.core.scene.scene import Scene
from lazzik.core.simulate.cloth import ClothRun, Draped
from lazzik.core.simulate.kept import KeptFrames
from lazzik.core.simulate.playback import runs_mixed
from lazzik.core.simulate.run import STRETCH, Stretches
from lazzik.core.types import PointBlock, Points, Samples


class DrapedFrames:
    """The points of cloth at frames of the scene, from stretches that are kept or worked out."""

    def __init__(self, scene: Scene, slug: str, storage: Storage[KeptFrames], *, makes: bool = True) -> None:
        self.scene, self.slug = scene, slug
        self.stretches = Stretches(scene, slug, storage, makes=makes)
        run = self.stretches.run
        assert isinstance(run, ClothRun)
        self._place = run.fabric.place

    def make(self, frames: Samples, progress: Progress = UNHEARD) -> None:
        """Work out what is not there of the run that is seen at frames of the scene. Raises Stopped.

        Parameters
        ----------
        frames : (moments,) array
            Of the scene, with their part.
        """
        read = runs_mixed(self.scene, self.slug, frames)[:2]
        for place in range(math.ceil(float(read.max()) - self.scene.first) // STRETCH + 1):
            progress.report(
                0.0, f"cloth of {self.stretches.run.node.label}, frame {self.scene.first + STRETCH * place}"
            )
            self.stretches.at(place, progress)

    def at(self, frames: Samples) -> PointBlock:
        """Its points.

        Parameters
        ----------
        frames : (moments,) array
            Of the scene, with their part.

        Returns
        -------
        (moments, mesh points, 3) array
            Metres, in the object's space.

        Raises
        ------
        UnknownAddress
            If they are not there, and none are made.
        """
        rows = runs_mixed(self.scene, self.slug, frames)
        out = []
        for one, other, share in rows.T.tolist():
            points = self._between(one)
            if share > 0.0:
                points = (1.0 - share) * points + share * self._between(other)
            out.append(points[self._place])
        return np.stack(out)

    def _between(self, frame: float) -> Points:
        whole = math.floor(frame + 1e-9)
        u, here = max(frame - whole, 0.0), self._kept(whole)
        if u < 1e-9:
            return here
        h = u * u * (3.0 - 2.0 * u)
        bent = u * (1.0 - u) * ((1.0 - u) * self._slope(whole) - u * self._slope(whole + 1))
        return (1.0 - h) * here + h * self._kept(whole + 1) + bent

    def _slope(self, frame: int) -> Points:
        """(n, 3) metres a frame: by both neighbours; by the one before it at the end of a stretch, so that no frame
        needs a stretch of which it is no part."""
        since = frame - self.scene.first
        after = self._kept(frame) if since % STRETCH == STRETCH - 1 else self._kept(frame + 1)
        before = self._kept(frame - 1) if since > 0 else self._kept(frame)
        both = (since > 0) + (since % STRETCH < STRETCH - 1)
        return np.asarray((after - before) / both)

    def _kept(self, frame: int) -> Points:
        place, k = divmod(frame - self.scene.first, STRETCH)
        moment: Draped = self.stretches.at(place).moments[k]
        return moment.points


def surface_seen(
    scene: Scene, node: Node, clock: Clock, scope: Scope, *, own: bool = False, makes: bool = True,
    progress: Progress = UNHEARD,
) -> Surface:  # fmt: skip
    """An object's surface over a clock, cloth as it hangs in its run: kept where the scope keeps runs, else at hand.

    What is not there of the run is worked out first. Raises Stopped; UnknownAddress where it is not there and nothing
    `makes` it; else as `surface_of`.
    """
    surface = surface_of(scene, node, clock, scope, own=own)
    if not hangs_as_cloth(node):
        return surface
    storage = scope.memo.runs if scope.memo is not None else None
    draped = DrapedFrames(scene, node.id, AT_HAND if storage is None else storage, makes=makes)
    if makes:
        draped.make(clock.frames, progress)
    return replace(surface, draped=draped.at)


class _AtHand:
    """Stretches of runs in memory, the least recently used forgotten first."""

    def __init__(self, most: int) -> None:
        self._kept: BoundedCache[KeptFrames] = BoundedCache(most)

    def read(self, key: str, place: int) -> KeptFrames | None:
        """A stretch; None if it is not there."""
        return self._kept.get((key, place))

    def put(self, key: str, place: int, part: KeptFrames) -> None:
        """Keep a stretch."""
        kept = part.rounded()
        self._kept.put((key, place), kept, sum(moment.points.nbytes for moment in kept.moments))


AT_HAND = _AtHand(512 * 2**20)
"""Runs that are kept nowhere else, for as long as there is room."""
