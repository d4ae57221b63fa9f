"""A swarm more coarsely, as it is shown while something is dragged: fewer particles, a short while back.

They are so much farther apart that a few take up as much room as all: one in each of the fullest
cells of a grid that wide, in the middle of what is there, and as fast.
"""

from __future__ import annotations

import math

import numpy as np

from lazzik.core.cache import Storage
from lazzik.core.errors import UnknownAddress
from lazzik.core.scene.edits.swarms import apart_for
from lazzik.core.scene.scene import Scene
from lazzik.core.simulate.kept import KeptFrames
from lazzik.core.simulate.particles import Moment
from lazzik.core.simulate.playback import Playback
from lazzik.core.simulate.swarm import SwarmRun
from lazzik.core.types import Points

MOST = 450
"""Particles that it has, about."""

BACK = 4
"""Frames that are worked out."""

SETTLING = 4
"""Sub-steps in which they push each other into place before."""


def coarse_swarm(
    scene: Scene, slug: str, frame: float, before: Scene, storage: Storage[KeptFrames]
) -> tuple[SwarmRun, Moment]:
    """A swarm at a frame, coarsely: worked out over the last BACK frames from where it is then in the run of another
    state of the scene, or from what it begins as where that is not there or began otherwise."""
    at = math.floor(frame)
    first = max(at - BACK, scene.first)
    there = _there(before, slug, first, storage) if _begins_alike(before, scene, slug) else None
    if there is not None and len(there):
        run = SwarmRun(scene, slug, coarser=max(1.0, (len(there) / MOST) ** (1 / 3)), block=BACK)
        state = run.pushed_apart(run.begun(first, *_fewer(there, run.spacing, min(len(there), MOST))), SETTLING)
    else:
        whole = SwarmRun(scene, slug)
        source = scene.by_id.get(whole.swarm.of or "")
        wide = apart_for(scene, source, MOST) if source is not None else whole.spacing
        run = SwarmRun(scene, slug, coarser=max(1.0, wide / whole.spacing), block=BACK)
        state = run.begun(first, run.filled.places, run.filled.speeds)
    return run, next(moment for moment, _ in run.frames(at, at, state))


def _begins_alike(before: Scene, after: Scene, slug: str) -> bool:
    """Whether a swarm was one that begins as it does now."""
    was, now = before.by_id.get(slug), after.node(slug)
    if was is None or was.swarm is None or now.swarm is None:
        return False
    return all(getattr(was.swarm, name) == getattr(now.swarm, name) for name in ("of", "fills", "full", "spacing"))


def _there(before: Scene, slug: str, frame: int, storage: Storage[KeptFrames]) -> Moment | None:
    try:
        return next(Playback(before, slug, storage, makes=False).moments(np.array([float(frame)])))
    except UnknownAddress:
        return None


def _fewer(moment: Moment, apart: float, many: int) -> tuple[Points, Points]:
    """((m, 3), (m, 3)) places and speeds in so many cells of a grid, at most."""
    cells = np.floor(moment.places / apart).astype(np.int64)
    _, place, counts = np.unique(cells, axis=0, return_inverse=True, return_counts=True)
    rows = [
        np.stack([np.bincount(place.ravel(), weights=column) for column in values.T], axis=1) / counts[:, None]
        for values in (moment.places, moment.speeds)
    ]
    full = np.sort(np.argsort(-counts, kind="stable")[:many])
    return np.ascontiguousarray(rows[0][full]), np.ascontiguousarray(rows[1][full])
