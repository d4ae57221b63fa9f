"""A swarm more coarsely, as it is shown while something is dragged: fewer particles, a short while back.

They are so much farther apart that a few of all take up as much room: every so many of those that are in the run of
another state of the scene, which push each other into place on their way.
"""

from __future__ import annotations

import math

import numpy as np

from lazzik.core.cache import Shelf
from lazzik.core.errors import UnknownAddress
from lazzik.core.scene.edits.swarms import apart_for
from lazzik.core.scene.scene import Scene
from lazzik.core.simulate.kept import KeptFrames
from lazzik.core.simulate.particles import Moment
from lazzik.core.simulate.playback import Playback
from lazzik.core.simulate.swarm import SwarmRun

MOST = 700
"""Particles that it has, about."""

BACK = 6
"""Frames that are worked out."""


def coarse_swarm(
    scene: Scene, slug: str, frame: float, before: Scene, shelf: Shelf[KeptFrames]
) -> tuple[SwarmRun, Moment]:
    """A swarm at a frame, coarsely: worked out over the last BACK frames from where it is then in the run of another
    state of the scene, or from what it begins as where that is not there or began otherwise."""
    at = math.floor(frame)
    first = max(at - BACK, scene.first)
    there = _there(before, slug, first, shelf) if _begins_alike(before, scene, slug) else None
    if there is not None and len(there):
        every = max(1, round(len(there) / MOST))
        run = SwarmRun(scene, slug, coarser=every ** (1 / 3), block=BACK)
        some = there.only(np.arange(0, len(there), every))
        state = run.begun(first, some.places, some.speeds)
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


def _there(before: Scene, slug: str, frame: int, shelf: Shelf[KeptFrames]) -> Moment | None:
    try:
        return next(Playback(before, slug, shelf, makes=False).moments(np.array([float(frame)])))
    except UnknownAddress:
        return None
